package serve_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/http/httptrace"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

// A collection has an address that is no other page's, lives for ever, and shows its services with their next starts in
// one answer.
func TestCollections(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	mara := d.AddStaff("Mara Quillon")
	concert := d.AddService("Concert tuning", func(f *desk.ServiceFields) { f.Staff, f.Prepaid = append(f.Staff, mara), 12000 })
	paused := d.AddService("Voicing", func(f *desk.ServiceFields) { f.Paused = true })
	far := d.AddService("Rebuild", func(f *desk.ServiceFields) { f.Notice = desk.Before(30 * 24 * 60) })
	var c desk.Collection
	make := func(f desk.CollectionFields) error { return d.Post(t.Context(), "/api/collections", f, &c) }
	parts := []desk.CollectionPart{{Heading: "At home", Services: []store.ID{d.Service.ID}}, {Heading: "On stage", Services: []store.ID{concert.ID, paused.ID, far.ID}}}
	require.Equal(t, "slug", nichetest.Problem(t, make(desk.CollectionFields{Title: "Home", Slug: "home-tuning", Parts: parts})).Errors[0].Field, "a service has it")
	require.Equal(t, "parts[0].services[1]", nichetest.Problem(t, make(desk.CollectionFields{Title: "x", Parts: []desk.CollectionPart{{Services: []store.ID{1, 1}}}})).Errors[0].Field)
	require.NoError(t, make(desk.CollectionFields{Title: "All we do", Intro: "Tuning and more.", Parts: parts}))
	require.Equal(t, "/choose/all-we-do", c.Page)

	var seen client.Collected
	require.NoError(t, demo.NewClient(d.Address).Get(t.Context(), "/api/collections/all-we-do", &seen))
	var said []string
	for _, p := range seen.Parts {
		for _, s := range p.Services {
			next := s.Note
			if len(s.Soonest) > 0 {
				next = s.Soonest[0].Label
			}
			said = append(said, fmt.Sprintf("%s: %s %s, %s", p.Heading, s.Name, s.Price, next))
		}
	}
	require.Equal(t, []string{"At home: Home tuning , Today 09:00", "On stage: Concert tuning €120.00, Today 09:00", "On stage: Voicing , Not bookable at present", "On stage: Rebuild , Wed 1 Apr 09:00"}, said)

	f := c.CollectionFields
	f.Slug, f.Staff = "everything", mara
	path := fmt.Sprintf("/api/all-collections/%d", c.ID)
	require.NoError(t, d.Change(t.Context(), path, f, &c))
	require.NoError(t, demo.NewClient(d.Address).Get(t.Context(), "/api/collections/everything", &seen))
	require.Equal(t, "Mara Quillon", seen.With)
	require.Equal(t, "Nothing can be booked at present", seen.Parts[0].Services[0].Note, "she does not perform it")
	for from, to := range map[string]string{"/choose/all-we-do": "/choose/everything", "/book/all-we-do?name=Ida": "/choose/everything?name=Ida", "/book/everything": "/choose/everything", "/choose/home-tuning": "/book/home-tuning"} {
		status, leads, _ := fetch(t, d.Address+from)
		require.Equal(t, []any{http.StatusMovedPermanently, to}, []any{status, leads}, from)
	}
	require.Equal(t, "slug", nichetest.Problem(t, d.Save(0, func(f *desk.ServiceFields) { f.Slug = "all-we-do" })).Errors[0].Field, "it leads elsewhere for ever")
	require.NoError(t, d.Do(t.Context(), http.MethodPut, path+"/archive", desk.Archiving{Archived: true}, nil))
	require.Error(t, demo.NewClient(d.Address).Get(t.Context(), "/api/collections/everything", &seen))
}

// How far people come on pages is counted without knowing who it was, and outlives a restart.
func TestPeopleOnPagesAreCounted(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	step := func(slug, step string) error {
		return demo.NewClient(d.Address).Post(t.Context(), "/api/pages/"+slug+"/steps", map[string]string{"step": step}, nil)
	}
	for _, s := range []string{"opened", "opened", "chosen", "opened", "chosen", "details", "booked"} {
		require.NoError(t, step("home-tuning", s))
	}
	require.Error(t, step("home-tuning", "read"))
	require.Error(t, step("nowhere", "opened"))
	d.Restart(nichetest.Nothing, func(*serve.Settings) {})
	require.NoError(t, step("home-tuning", "opened"))
	_, err := d.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	d.Restart(nichetest.Nothing, func(*serve.Settings) {})
	var list api.List[desk.ListedPage]
	require.NoError(t, d.Get(t.Context(), "/api/all-pages", &list))
	p := list.Items[0]
	require.Equal(t, []int{4, 2, 1, 1}, []int{p.Opened, p.Chosen, p.Details, p.Booked})
	require.Equal(t, "Mon 2 Mar, 08:00", p.LastBooked)
}

// Visits are shared out in proportion.
func TestVisitsAreSharedOut(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	mara := d.AddStaff("Mara Quillon")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff, f.Weights, f.Pick = append(f.Staff, mara), []int{3, 1}, "weight" }))
	require.Equal(t, "weights[1]", nichetest.Problem(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff, f.Weights = []store.ID{d.Staff.ID, mara}, []int{3, 0} })).Errors[0].Field)
	with := map[string]int{}
	for day := 3; day < 7; day++ {
		for hour := 10; hour < 14; hour++ {
			if day == 6 && hour > 11 {
				continue
			}
			b, err := d.Book(fmt.Sprintf("2026-03-0%dT%d:00:00Z", day, hour))
			require.NoError(t, err)
			with[b.With]++
		}
	}
	require.Equal(t, map[string]int{"Bryn Castellane": 11, "Mara Quillon": 3}, with)
	require.Contains(t, finder{d}.shown(14).Picked, "By share, of which")
}

// After a visit is booked its service's own words are told, and the client is led on to hosts that the business names, with what
// it is to be told. A client who answers that they do not come is taken at their word where the service says so.
func TestWhatIsSaidAfterwards(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ask := []question.Question{{Key: "piano", Kind: question.Text, Label: "Which piano?"}}
	lead := func(to string, tells ...string) error {
		return d.Save(0, func(f *desk.ServiceFields) {
			f.Questions, f.After = ask, desk.After{Thanks: "See you soon.\nWe ring first.", Bring: "Clear the lid.\n\tAnd the room.", LeadTo: to, Tells: tells}
		})
	}
	require.Equal(t, "after.leadTo", nichetest.Problem(t, lead("https://workshop.example/thanks?from=niche")).Errors[0].Field, "not a host that is named")
	settings := desk.BusinessSettings{Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin", Clock: "24", Order: "dmy"}, Ahead: 5, LeadsTo: []string{"workshop.example"}}
	d.Exec("UPDATE businesses SET proof_day = 2, proof_minute = 300")
	require.NoError(t, d.Change(t.Context(), "/api/settings", settings, nil))
	require.Equal(t, 1, d.Count("businesses WHERE proof_day = 2 AND proof_minute = 300"), "what is set elsewhere stays")
	for _, wrong := range []string{"http://workshop.example/", "https://user@workshop.example/", "javascript:alert(1)", "//workshop.example"} {
		require.Error(t, lead(wrong), wrong)
	}
	require.NoError(t, lead("https://workshop.example/thanks?from=niche", "answer.piano", "service"))
	b, err := d.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Asked: api.Asked{Answers: map[string][]string{"piano": {"Upright & old"}}}})
	require.NoError(t, err)
	require.Equal(t, []string{"See you soon.\nWe ring first.", "Clear the lid.\n\tAnd the room.", "https://workshop.example/thanks?answer.piano=Upright+%26+old&from=niche&reference=" + b.Reference + "&service=Home+tuning"}, []string{b.Thanks, b.Bring, b.LeadTo})
}

// A mail address is proved by a code that goes there: it works for a while, and cannot be guessed.
func TestAMailAddressIsProved(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.ProveMail = true }))
	try := func(code string) error {
		_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: "Rosa Osei", Email: "Rosa@Clients.example", Code: code})
		return err
	}
	require.Contains(t, nichetest.Problem(t, try("")).Errors[0].Message, "A code was sent to rosa@clients.example")
	require.Zero(t, p.Count("bookings"))
	// Other mail may come meanwhile, in any order.
	sent := func(to string) (code string) {
		p.Until("the code came", func() bool {
			for _, m := range p.box.Mails() {
				if _, words, is := strings.Cut(strings.ReplaceAll(m.Read().Parts[0].Text, "\r\n", "\n"), "type this code there:\n\n"); is && m.To[0] == to {
					code, _, _ = strings.Cut(words, "\n")
					return true
				}
			}
			return false
		})
		return code
	}
	code := sent("rosa@clients.example")
	for range 4 {
		require.Equal(t, "code", nichetest.Problem(t, try("AAAAAA")).Errors[0].Field)
	}
	require.NoError(t, try(strings.ToLower(code[:3]+" "+code[3:])), "however it is typed")
	// Of another, the tries are used up by guessing.
	ask := func(code string) error {
		_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T12:00:00Z"), Name: "Ben", Email: "ben@clients.example", Code: code})
		return err
	}
	require.Error(t, ask(""))
	code = sent("ben@clients.example")
	for range 5 {
		require.Error(t, ask("AAAAAA"))
	}
	require.Error(t, ask(code))
	for range 3 {
		require.Error(t, ask(""))
	}
	require.Contains(t, nichetest.Problem(t, ask("")).Errors[0].Message, "Several codes")
	p.Pass(16 * time.Minute)
	require.Contains(t, nichetest.Problem(t, ask(code)).Errors[0].Message, "has ended")
	// Nothing of those who never became clients is kept for long.
	p.Until("all codes went", func() bool { return p.Count("messages WHERE state = 'waiting'") == 0 })
	p.Pass(25 * time.Hour)
	p.SignIn(p.Address)
	require.Error(t, try(""))
	p.Until("older codes are forgotten", func() bool {
		return p.Count("messages WHERE kind = 'code'") == 1 && p.Count("messages WHERE recipient = 'ben@clients.example'") == 0
	})
}

// What no person has sent is no booking: a page has to be looked at first, for a moment and not for days.
func TestOnlyPeopleBook(t *testing.T) {
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Unlimited = false }, nil)
	page := func() string {
		var p client.Page
		require.NoError(t, d.Get(t.Context(), "/api/pages/"+d.Service.Slug, &p))
		return p.Form
	}
	ask := func(form, website string) error {
		_, err := d.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Form: form, Website: website})
		return err
	}
	form := page()
	require.Contains(t, nichetest.Problem(t, ask(form, "")).Detail, "within a moment")
	d.Pass(5 * time.Second)
	for _, wrong := range []string{"", "0." + strings.Repeat("a", 32), strings.Replace(form, "1", "2", 1), form + "x"} {
		require.Contains(t, nichetest.Problem(t, ask(wrong, "")).Detail, "open for too long", wrong)
	}
	require.Contains(t, nichetest.Problem(t, ask(form, "https://spam.example")).Detail, "does not look like a booking")
	require.NoError(t, ask(form, ""))
	d.Pass(25 * time.Hour)
	require.Contains(t, nichetest.Problem(t, ask(form, "")).Detail, "open for too long")
}

// A client's own calendar is looked at and not kept.
func TestAnOwnCalendarBesideAPage(t *testing.T) {
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nX-WR-CALNAME:Mine\r\nBEGIN:VEVENT\r\nUID:1\r\nSUMMARY:Secret supper\r\nDTSTART;TZID=Europe/Dublin:20260304T100000\r\nDTEND;TZID=Europe/Dublin:20260304T113000\r\nRRULE:FREQ=DAILY;COUNT=2\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"))
	}))
	t.Cleanup(feed.Close)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(feed))
	var out client.BusyTimes
	require.NoError(t, demo.NewClient(d.Address).Post(t.Context(), "/api/busy", client.Beside{Address: feed.URL + "/x.ics", Zone: "Europe/Dublin", From: "2026-03-02"}, &out))
	require.Equal(t, client.BusyTimes{Name: "Mine", Busy: []client.BusyTime{{Start: nichetest.At("2026-03-04T10:00:00Z"), End: nichetest.At("2026-03-04T11:30:00Z")}, {Start: nichetest.At("2026-03-05T10:00:00Z"), End: nichetest.At("2026-03-05T11:30:00Z")}}}, out)
	for field, b := range map[string]client.Beside{"text": {Text: "hello"}, "address": {Address: "http://10.0.0.1/x.ics"}} {
		b.Zone, b.From = "Europe/Dublin", "2026-03-02"
		require.Equal(t, field, nichetest.Problem(t, demo.NewClient(d.Address).Post(t.Context(), "/api/busy", b, &out)).Errors[0].Field)
	}
	d.Restart(func(*store.DB) {}, func(*serve.Settings) {})
	require.Empty(t, nichetest.Grep(t, d.Data, "Secret supper", "x.ics"))
}

// A page's first starts stand in its document before any program runs; nothing in it can become part of the program.
func TestTheDocumentShowsTheFirstStarts(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) {
		f.Name, f.Look.Intro = `Tuning & <script>alert("x")</script>`, "</script><script>alert(1)</script>"
	}))
	_, _, body := fetch(t, d.Address+"/book/home-tuning?name=Ada")
	if !strings.Contains(body, `id="first"`) {
		t.Skip("the front end is not built")
	}
	require.Contains(t, body, `Tuning &amp; &lt;script&gt;`)
	require.Contains(t, body, `href="/book/home-tuning?name=Ada&amp;start=2026-03-02T09%3A00%3A00Z"`)
	require.Equal(t, 2, strings.Count(body, "<script"), "the program, and the data that nobody runs")
	_, data, _ := strings.Cut(body, `id="first">`)
	data, _, _ = strings.Cut(data, "</script>")
	var first struct{ Page client.Page }
	require.NoError(t, json.Unmarshal([]byte(data), &first))
	require.Equal(t, "09:00", first.Page.Days[0].Starts[0].Label)
	for _, path := range []string{"/book/nowhere", "/choose/nowhere", "/book/home-tuning?moving=x"} {
		_, _, body = fetch(t, d.Address+path)
		require.NotContains(t, body, `id="first"`, path)
	}
}

// Over a jump of the clock a page shows what clocks show: the same visit is an hour later for whoever's clock has not jumped.
func TestAPageOverAJumpOfTheClock(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	starts := func(date, zone string) string {
		var p client.Page
		require.NoError(t, d.Get(t.Context(), "/api/pages/home-tuning?from="+date+"&zone="+zone, &p))
		return p.Days[0].Starts[0].Label + " " + p.Days[0].Starts[0].Full
	}
	for _, c := range []struct{ date, zone, first string }{
		{"2026-03-27", "Europe/Dublin", "09:00 Friday 27 March, 09:00–10:00"},
		{"2026-03-30", "Europe/Dublin", "09:00 Monday 30 March, 09:00–10:00"},
		{"2026-03-27", "America/New_York", "05:00 Friday 27 March, 05:00–06:00"}, // whose clock jumped three weeks before
		{"2026-03-30", "America/New_York", "04:00 Monday 30 March, 04:00–05:00"},
		{"2026-03-05", "America/New_York", "04:00 Thursday 5 March, 04:00–05:00"},
		{"2026-03-30", "Asia/Kolkata", "13:30 Monday 30 March, 13:30–14:30"},
	} {
		require.Equal(t, c.first, starts(c.date, c.zone), c)
	}
	b, err := d.Ask(client.NewBooking{Start: nichetest.At("2026-03-30T08:00:00Z"), Name: "Rosa Osei"})
	require.NoError(t, err)
	require.Contains(t, b.When, "09:00–10:00")
}

// Who fills the form in while somebody else takes the start is told at once, and waits for nothing once it has gone.
func TestATakenStartIsToldAtOnce(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	watch := func(asked func()) (w client.Watched) {
		traced := httptrace.WithClientTrace(t.Context(), &httptrace.ClientTrace{WroteRequest: func(httptrace.WroteRequestInfo) { asked() }})
		assert.NoError(t, demo.NewClient(d.Address).Get(traced, "/api/pages/home-tuning/watch?start=2026-03-04T10:00:00Z", &w))
		return w
	}
	begun := time.Now()
	asked, told := make(chan struct{}), make(chan client.Watched)
	go func() { told <- watch(func() { close(asked) }) }()
	<-asked
	_, err := d.Book("2026-03-05T10:00:00Z") // another's booking ends no waiting
	require.NoError(t, err)
	_, err = d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	require.Equal(t, client.Watched{Offered: false, Waited: true}, <-told)
	require.False(t, watch(func() {}).Offered)
	require.Less(t, time.Since(begun), 20*time.Second, "none of it waited until its time was over")
}
