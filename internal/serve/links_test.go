package serve_test

import (
	"bytes"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/standin"
)

// published is a feed whose content and status a test can change.
type published struct {
	*httptest.Server
	mu     sync.Mutex
	body   string
	status int
	wish   string        // how often to be looked at, as a line
	said   int           // how often something else was published
	sent   int           // whole bodies
	same   chan struct{} // gets one for each answer that nothing has changed
}

func publish(t *testing.T, events ...string) *published {
	p := &published{status: http.StatusOK, same: make(chan struct{}, 1000)}
	p.say(events...)
	p.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		p.mu.Lock()
		defer p.mu.Unlock()
		tag := fmt.Sprintf(`"%d"`, p.said)
		w.Header().Set("ETag", tag)
		switch {
		case r.URL.Query().Get("key") != "secret-key":
			w.WriteHeader(http.StatusForbidden)
		case p.status != http.StatusOK:
			w.WriteHeader(p.status)
		case r.Header.Get("If-None-Match") == tag:
			p.same <- struct{}{}
			w.WriteHeader(http.StatusNotModified)
		default:
			p.sent++
			_, _ = io.WriteString(w, p.body)
		}
	}))
	t.Cleanup(p.Close)
	return p
}

func (p *published) address() string { return p.URL + "/hall.ics?key=secret-key" }

// say sets what is published: events as their lines, separated by |.
func (p *published) say(events ...string) {
	text := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nX-WR-CALNAME:Concert hall\r\n" + p.wish
	for n, e := range events {
		text += fmt.Sprintf("BEGIN:VEVENT\r\nUID:hall-%d\r\n%s\r\nEND:VEVENT\r\n", n, strings.ReplaceAll(e, "|", "\r\n"))
	}
	p.set(http.StatusOK, text+"END:VCALENDAR\r\n")
}

func (p *published) set(status int, body string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.status, p.body = status, body
	p.said++
}

// linkFeed links a feed, and waits until it has been read.
func linkFeed(d *nichetest.Desk, address string) (l api.Link) {
	require.NoError(d.T, d.Post(d.T.Context(), fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Kind: "feed", Address: address}, &l))
	d.Until("the feed has been read", func() bool { return d.Links()[0].Calendars[0].State == "fresh" })
	return d.Links()[0]
}

const concert = "DTSTART:20260304T100000Z|DTEND:20260304T120000Z|SUMMARY:Concert"

func TestAFeedBlocksTimeAndFollowsItsHost(t *testing.T) {
	hall := publish(t, concert, "DTSTART;TZID=Nowhere:20260305T100000|DTEND:20260305T110000|SUMMARY:Odd")
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(hall.Server))
	l := linkFeed(d, hall.address())
	c := l.Calendars[0]
	require.Equal(t, "feed Concert hall true false", fmt.Sprint(l.Kind, " ", c.Name, " ", c.Blocks, " ", c.CanWrite))
	require.Equal(t, []api.Unread{{Date: "2026-03-05", Reason: "its time zone is not known"}}, c.Unread)
	require.Equal(t, 1, c.Ahead)
	require.Equal(t, "09:00 12:00 13:00 14:00 15:00 16:00", d.Starts(wednesday))
	hall.say(strings.Replace(concert, "T10", "T14", 1) + "|DURATION:PT2H")
	hall.say("DTSTART:20260304T140000Z|DTEND:20260304T160000Z")
	d.Until("the move is seen", func() bool { return d.Starts(wednesday) == "09:00 10:00 11:00 12:00 13:00 16:00" })
	require.Empty(t, d.Links()[0].Calendars[0].Unread)

	// Whatever else is published, what was read last holds.
	for _, bad := range []struct {
		status      int
		body, state string
		says        string
	}{
		{200, "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:x\r\n", "unreachable", "only a part of one"},
		{200, "<html>Sign in</html>", "refused", "Ask for the public iCalendar address"},
		{404, "", "gone", "nothing at this address"},
		{503, "", "unreachable", "cannot serve the calendar at present"},
	} {
		hall.set(bad.status, bad.body)
		d.Choose(c, func(*api.Choice) {})
		d.Until(bad.says, func() bool { return strings.Contains(d.Pulse("Concert hall").Error, bad.says) })
		require.Equal(t, bad.state, d.Pulse("Concert hall").State)
		require.Equal(t, "09:00 10:00 11:00 12:00 13:00 16:00", d.Starts(wednesday))
	}
	hall.say()
	d.Choose(c, func(*api.Choice) {})
	d.Until("an empty calendar frees all", func() bool { return len(strings.Fields(d.Starts(wednesday))) == 8 })

	// The address is a secret: it stands nowhere, and linking it again renews it.
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Kind: "feed", Address: hall.address()}, nil))
	require.Len(t, d.Links(), 1)
	require.Empty(t, nichetest.Grep(t, d.Data, "secret-key", "Concert\x00", "SUMMARY"))
	p := nichetest.Problem(t, d.Post(t.Context(), fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Kind: "feed", Address: hall.URL + "/hall.ics"}, nil))
	require.Equal(t, []api.FieldError{{Field: "address", Message: "This calendar is not public. Ask its owner for the public iCalendar address."}}, p.Errors)
	p = nichetest.Problem(t, d.Own(d.Staff.ID).Post(t.Context(), "/api/my/links", api.NewLink{Address: hall.URL}, nil))
	require.Len(t, p.Errors, 2, "an account needs a user and a password")
}

func TestAFeedIsLookedAtAsSeldomAsItWishes(t *testing.T) {
	hall := publish(t)
	hall.wish = "REFRESH-INTERVAL;VALUE=DURATION:PT2H\r\n"
	hall.say(concert)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(hall.Server))
	c := linkFeed(d, hall.address()).Calendars[0]
	require.InDelta(t, 2*3600, c.NextIn, 720, "a tenth earlier or later")
	// The last look comes all the same.
	hall.say(concert, "DTSTART:20260304T140000Z|DTEND:20260304T150000Z")
	_, err := d.Book(wednesday + "T14:00:00Z")
	require.Equal(t, []string{"busy"}, nichetest.Problem(t, err).Reasons)
}

func TestHowACalendarsEventsCountIsChosen(t *testing.T) {
	hall := publish(t, "DTSTART:20260304T120000Z|DTEND:20260304T130000Z", "DTSTART;VALUE=DATE:20260305", "DTSTART:20260306T090000Z|DTEND:20260306T170000Z|STATUS:TENTATIVE")
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(hall.Server))
	c := linkFeed(d, hall.address()).Calendars[0]
	days := func() string {
		return d.Starts(wednesday) + " | " + d.Starts("2026-03-05") + " | " + d.Starts("2026-03-06")
	}
	const all = "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00"
	require.Equal(t, "09:00 10:00 11:00 13:00 14:00 15:00 16:00 |  | ", days())
	d.Choose(c, func(x *api.Choice) { x.PadBefore, x.PadAfter = 30, 90 })
	require.Equal(t, "09:00 10:00 15:00 16:00 |  | ", days())
	d.Choose(c, func(x *api.Choice) { x.TentativeFree = true })
	require.Equal(t, "09:00 10:00 11:00 13:00 14:00 15:00 16:00 |  | "+all, days())
	d.Choose(c, func(x *api.Choice) { x.AllDayFree = true })
	require.Equal(t, "09:00 10:00 11:00 13:00 14:00 15:00 16:00 | "+all+" | ", days())
	require.Equal(t, 2, d.Links()[0].Calendars[0].Ahead)
	d.Choose(c, func(x *api.Choice) { x.Blocks = false })
	require.Equal(t, all+" | "+all+" | "+all, days())
	require.Error(t, d.Change(t.Context(), fmt.Sprintf("/api/calendars/%d", c.ID), api.Choice{PadBefore: -5}, nil))
}

// What arrives on top of a booking is marked, and the mark goes with its cause,
// whichever that is.
func TestAClashOpensAndCloses(t *testing.T) {
	hall := publish(t)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.BufferBefore = 30 }, nichetest.HostOf(hall.Server))
	c := linkFeed(d, hall.address()).Calendars[0]
	clash := func() string {
		for _, v := range d.Wall(wednesday).Lanes[0].Visits {
			return v.Clash
		}
		return "no visit"
	}
	b, err := d.Book(wednesday + "T11:00:00Z")
	require.NoError(t, err)
	require.Empty(t, clash())
	arrive := func(event string) {
		hall.say(event)
		d.Choose(c, func(*api.Choice) {})
	}
	const says = "Busy 10:00–10:45 in “Concert hall” came on top of it."
	arrive("DTSTART:20260304T100000Z|DTEND:20260304T103000Z")
	d.Until("the feed is read", func() bool { return d.Links()[0].Calendars[0].Ahead == 1 })
	require.Empty(t, clash(), "touching the travel before it is no clash")
	arrive("DTSTART:20260304T100000Z|DTEND:20260304T104500Z")
	d.Until("the clash is marked", func() bool { return clash() == says })
	d.Choose(c, func(x *api.Choice) { x.Blocks = false })
	require.Empty(t, clash(), "the calendar no longer blocks")
	d.Choose(c, func(x *api.Choice) { x.Blocks = true })
	require.Equal(t, says, clash())
	_, err = d.Move(b, wednesday+"T15:00:00Z")
	require.NoError(t, err)
	require.Empty(t, clash(), "moved out of the way")
	arrive("DTSTART:20260304T150000Z|DTEND:20260304T160000Z")
	d.Until("it clashes again", func() bool { return strings.HasPrefix(clash(), "Busy 15:00–16:00") })
	hall.say()
	d.Choose(c, func(*api.Choice) {})
	d.Until("the busy time has gone", func() bool { return clash() == "" })
	arrive("DTSTART:20260304T150000Z|DTEND:20260304T160000Z")
	d.Until("and come back", func() bool { return clash() != "" })
	require.Contains(t, metricsOf(t, d), "niche_clashes_open 1")
	require.NoError(t, d.Cancel(b))
	require.Contains(t, metricsOf(t, d), "niche_clashes_open 0")
}

func metricsOf(t *testing.T, d *nichetest.Desk) string {
	res, err := http.Get(d.Niche.Metrics + "/metrics")
	require.NoError(t, err)
	defer func() { require.NoError(t, res.Body.Close()) }()
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return string(text)
}

func TestMetricsCountWhatHappens(t *testing.T) {
	hall := publish(t, concert)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(hall.Server))
	linkFeed(d, hall.address())
	d.Until("the read is counted", func() bool { return strings.Contains(metricsOf(t, d), `niche_reads_total{result="changed"} 1`) })
	text := metricsOf(t, d)
	for _, line := range []string{`niche_reads_total{result="changed"} 1`, `niche_calendars{state="fresh"} 1`, "niche_busy_spans 1", "niche_events_expanded_total 1", "niche_oldest_read_seconds"} {
		require.Contains(t, text, line)
	}
}

// A host that hangs with many calendars holds its own places, and no others.
func TestAHostThatHangsDelaysNobodyElse(t *testing.T) {
	var hangs sync.WaitGroup
	hangs.Add(1)
	var hanging sync.Map
	var accounts []standin.Account
	a := standin.Account{User: "slow@host.example", Password: "key", Zone: "UTC"}
	for n := range 100 {
		a.Calendars = append(a.Calendars, standin.Calendar{ID: fmt.Sprint("c", n), Name: fmt.Sprint("Slow ", n)})
	}
	slow, err := standin.Open("", nichetest.NewClock(nichetest.Morning).Now, append(accounts, a))
	require.NoError(t, err)
	honest := slow.Handler()
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if _, on := hanging.Load("on"); on {
			hangs.Wait()
		}
		honest.ServeHTTP(w, r)
	}))
	defer host.Close()
	defer hangs.Done()
	hall := publish(t)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host), nichetest.HostOf(hall.Server))
	linkFeed(d, hall.address())
	var l api.Link
	require.NoError(t, d.Own(d.Staff.ID).Post(t.Context(), "/api/my/links", api.NewLink{Address: host.URL, Username: "slow@host.example", Password: "key"}, &l))
	hanging.Store("on", true)
	for _, c := range l.Calendars {
		d.Choose(c, func(x *api.Choice) { x.Blocks = true })
	}
	for _, at := range []string{"09", "11", "14"} {
		hall.say(fmt.Sprintf("DTSTART:20260304T%s0000Z|DTEND:20260304T%s3000Z", at, at))
		d.Until("the other host is read all the same", func() bool { return !strings.Contains(d.Starts(wednesday), at+":00") })
	}
}

// telling is a personal event that has something to tell in every text that it
// can have.
const telling = `BEGIN:VCALENDAR
VERSION:2.0
PRODID:-//Telltale prodid//EN
BEGIN:VTIMEZONE
TZID:Telltale-zone
X-LIC-LOCATION:Telltale-liclocation
BEGIN:STANDARD
DTSTART:20200101T000000
TZOFFSETFROM:+0000
TZOFFSETTO:+0000
TZNAME:Telltale-tzname
COMMENT:Telltale-tzcomment
END:STANDARD
END:VTIMEZONE
BEGIN:VEVENT
UID:telltale-uid-%[1]d
DTSTART;TZID=%[2]s:20260304T1000%[3]s
DTEND;TZID=%[2]s:20260304T120000
SUMMARY;ALTREP="http://telltale.example/altrep":Telltale summary
DESCRIPTION:Telltale description
LOCATION:Telltale location
COMMENT:Telltale comment
CONTACT:Telltale contact
CATEGORIES:Telltale category
RESOURCES:Telltale resource
RELATED-TO:telltale-relation
URL:http://telltale.example/url
ORGANIZER;CN=Telltale organizer:mailto:telltale-organizer@x.example
ATTENDEE;CN=Telltale attendee;PARTSTAT=ACCEPTED:mailto:telltale-attendee@x.example
ATTENDEE;CN=Telltale owner;PARTSTAT=TENTATIVE:mailto:bryn@castellane.example
REQUEST-STATUS:2.0;Telltale status
CONFERENCE;LABEL=Telltale label:https://telltale.example/conference
X-NOTE:Telltale note
GEO:53.5;-6.5
ATTACH:data:text/plain,Telltale-attachment
%[4]s
BEGIN:VALARM
ACTION:DISPLAY
TRIGGER:-PT15M
DESCRIPTION:Telltale alarm
END:VALARM
END:VEVENT
END:VCALENDAR
`

// Whatever personal events tell, in accounts and in feeds, read well and not at
// all: nothing of it is stored, logged or sent.
func TestNothingOfAPersonalEventIsKept(t *testing.T) {
	var logged bytes.Buffer
	var mu sync.Mutex
	mood := &moods{}
	cloud, host := nichetest.OpenCloud(t, mood.guard)
	hall := publish(t)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) {
		s.Log = slog.New(slog.NewTextHandler(&guarded{&mu, &logged}, &slog.HandlerOptions{Level: slog.LevelDebug}))
	}, nil, nichetest.HostOf(host), nichetest.HostOf(hall.Server))
	bodies := []string{
		fmt.Sprintf(telling, 1, "Telltale-zone", "00", "RRULE:FREQ=WEEKLY"),
		fmt.Sprintf(telling, 2, "Telltale-nowhere", "00", "X-A:b"),
		fmt.Sprintf(telling, 3, "Telltale-zone", "xx", "X-A:b"),
		fmt.Sprintf(telling, 4, "Telltale-zone", "00", "RRULE:FREQ=TELLTALE"),
		fmt.Sprintf(telling, 5, "Telltale-zone", "00", "EXDATE:TELLTALE"),
		fmt.Sprintf(telling, 6, "Telltale-zone", "00", "DURATION:TELLTALE"),
		fmt.Sprintf(telling, 7, "Telltale-zone", "00", "RECURRENCE-ID:TELLTALE"),
	}
	for n, body := range bodies {
		require.NoError(t, cloud.Put("bryn@castellane.example", "family", fmt.Sprintf("file-%d.ics", n), []byte(strings.ReplaceAll(body, "\n", "\r\n"))))
	}
	hall.set(http.StatusOK, strings.Join(bodies, ""))
	linkFeed(d, hall.address())
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	_, err := d.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	d.Until("the copy is read back", func() bool { return d.Copies(wednesday) == "read back" })
	// The host begins to answer with the events instead of answers, and a title that breaks the XML.
	for _, body := range []string{strings.Join(bodies, ""), "<Telltale", `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:"><Telltale-xml></Telltale-other>`, "<html>Telltale page</html>"} {
		mood.body.Store(body)
		for _, status := range []int32{207, 200, 400, 500, 503} {
			mood.status.Store(status)
			before := len(logText(&mu, &logged))
			d.Pass(time.Hour)
			d.Until("the failure is logged", func() bool { return len(logText(&mu, &logged)) > before })
		}
	}
	hall.set(http.StatusOK, "<html>Telltale page</html>")
	d.Choose(d.Links()[0].Calendars[0], func(*api.Choice) {})
	d.Until("the page is told", func() bool {
		return d.Pulse("Concert hall").State == "refused" || d.Links()[0].Calendars[0].State == "refused"
	})

	answers := metricsOf(t, d)
	for _, path := range []string{"/api/wall?date=" + wednesday, fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), "/api/staff", "/api/pages/home-tuning?from=" + wednesday, fmt.Sprintf("/api/staff/%d", d.Staff.ID)} {
		var raw any
		require.NoError(t, d.Get(t.Context(), path, &raw))
		answers += fmt.Sprint(raw)
	}
	for name, text := range map[string]string{"the API": answers, "the log": logText(&mu, &logged)} {
		require.NotContains(t, strings.ToLower(text), "telltale", name)
	}
	require.Contains(t, answers, "its time zone is not known", "the events that could not be read are told of")
	require.Empty(t, nichetest.Grep(t, d.Data, "telltale", "Telltale", "TELLTALE", "secret-key", "app-key-secret"))
}

type guarded struct {
	mu *sync.Mutex
	w  io.Writer
}

func (g *guarded) Write(p []byte) (int, error) {
	g.mu.Lock()
	defer g.mu.Unlock()
	return g.w.Write(p)
}

func logText(mu *sync.Mutex, b *bytes.Buffer) string {
	mu.Lock()
	defer mu.Unlock()
	return b.String()
}

// What events are called is kept and shown where the owner of their calendar opens it, and
// nobody else does; private ones never. Closed, it is forgotten at once and to the last byte.
func TestTitlesAreOpenedByTheirOwner(t *testing.T) {
	cloud, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	ctx := t.Context()
	nichetest.Add(t, cloud, "family", "Telltale regatta", wednesday+" 11:00", wednesday+" 12:00")
	for n := range 40 { // so many that some of them leave room behind in the file
		at := nichetest.Morning.AddDate(0, 1, n)
		_, err := cloud.Add(nichetest.User, "family", standin.Event{Title: fmt.Sprint("Telltale ", n), Start: at, End: at.Add(time.Hour)})
		require.NoError(t, err)
	}
	require.NoError(t, cloud.Put(nichetest.User, "family", "private.ics", []byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:p\r\nCLASS:CONFIDENTIAL\r\nSUMMARY:Telltale secret\r\nDTSTART:20260304T130000Z\r\nDTEND:20260304T140000Z\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	titles := func() (list []string) {
		for _, b := range d.Wall(wednesday).Lanes[0].Busy {
			list = append(list, b.Title)
		}
		return list
	}
	d.Until("it is read", func() bool { return len(titles()) == 2 })
	require.Equal(t, []string{"", ""}, titles())
	me, family := d.Own(d.Staff.ID), d.Calendar("Family")
	open := family.Choice
	open.Titles = true
	refused := nichetest.Problem(t, d.Change(ctx, fmt.Sprintf("/api/calendars/%d", family.ID), open, nil))
	require.Equal(t, []any{http.StatusUnprocessableEntity, "titles"}, []any{refused.Status, refused.Errors[0].Field})
	mine := fmt.Sprintf("/api/my/calendars/%d", family.ID)
	over := func(choice api.Choice) {
		require.NoError(t, me.Save(ctx, mine, d.Calendar("Family").Version, choice, nil))
	}
	over(open)
	d.Until("its titles are shown", func() bool { return slices.Equal(titles(), []string{"Telltale regatta", ""}) })
	d.Choose(d.Calendar("Family"), func(c *api.Choice) { c.PadBefore = 15 })
	require.True(t, d.Calendar("Family").Titles, "an administrator who chooses something else does not close it")
	foreign := func() (list []bool) {
		for _, b := range d.Wall(wednesday).Lanes[0].Busy {
			list = append(list, b.Foreign)
		}
		return list
	}
	require.Equal(t, []bool{false, false}, foreign())
	visits := d.Calendar("Family").Choice
	visits.ForeignVisits = true
	over(visits)
	require.Equal(t, []bool{true, false}, foreign(), "what another desk has made stands as a visit of its own; what is private stays busy time")
	require.Empty(t, d.Wall(wednesday).Lanes[0].Visits)
	_, err := d.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	closed := d.Calendar("Family").Choice
	closed.Titles = false // its foreign visits close with it
	host.Close()          // nothing is read anew over what was kept
	over(closed)
	require.Equal(t, []string{"", ""}, titles())
	require.Equal(t, []bool{false, false}, foreign())
	require.False(t, d.Calendar("Family").ForeignVisits)
	require.Zero(t, d.Count("busy_spans WHERE title <> ''"))
	d.Restart(nichetest.Nothing, func(*serve.Settings) {}) // which folds the log of writes into the file
	require.Empty(t, nichetest.Grep(t, d.Data, "Telltale"))
}

// A host that takes app passwords alone, whose calendars lie at another address than its
// accounts, and are partly what others share: its account is linked, read, written to and
// renewed, called by its name, and the two who share a calendar are told apart.
func TestCalendarsLieElsewhereAndAreShared(t *testing.T) {
	harbour, err := demo.Harbour("", time.Now)
	require.NoError(t, err)
	accounts := httptest.NewServer(harbour.Handler())
	homes := httptest.NewUnstartedServer(nil)
	homes.Config.Handler = harbour.Homes("http://" + homes.Listener.Addr().String())
	homes.Start()
	t.Cleanup(accounts.Close)
	t.Cleanup(homes.Close)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(accounts), nichetest.HostOf(homes))
	ctx := t.Context()
	require.NoError(t, d.Post(ctx, "/api/hosts", desk.HostEntry{HostFields: api.HostFields{Name: "Harbour", Address: accounts.URL, Domains: []string{}}, SignIn: desk.SignInFields{Scopes: []string{}}}, nil))
	const piet, ansel = "piet@harbour.example", "ansel@harbour.example"
	other := d.AddStaff("Ansel Okoro")
	d.Link(accounts.URL, piet, "harbour-Piet-7155", "Workbench of Ansel", "Quartet")
	d.LinkFor(other, accounts.URL, ansel, "harbour-Ansel-2290", "Workbench", "Quartet")
	l := d.Links()[0]
	require.Equal(t, []string{"Harbour", nichetest.HostOf(homes)}, []string{l.Host, l.At})
	var can []string
	for _, c := range l.Calendars {
		can = append(can, fmt.Sprint(c.Name, " ", c.CanWrite))
	}
	require.Equal(t, []string{"Boat true", "Quartet true", "Workbench of Ansel false"}, can)

	start := nichetest.At(wednesday + "T10:00:00Z").Time()
	_, err = harbour.Add(ansel, "bench", standin.Event{Title: "Glue drying", Start: start, End: start.Add(time.Hour)})
	require.NoError(t, err)
	busy := func(lane int) int { return len(d.Wall(wednesday).Lanes[lane].Busy) }
	d.Pass(time.Hour)
	d.Until("what is shared blocks both", func() bool {
		if busy(0) == 1 && busy(1) == 1 {
			return true
		}
		d.Poke("Quartet")
		return false
	})
	b, err := d.Book(wednesday + "T12:00:00Z")
	require.NoError(t, err)
	d.Until("the copy is in the calendar that is shared with them", func() bool {
		return d.Wall(wednesday).Lanes[0].Visits[0].Copy == "read back" || d.Copies(wednesday) == "read back"
	})
	week, err := http.Get(accounts.URL + "/week/" + ansel + "?week=2026-03-02")
	require.NoError(t, err)
	page, err := io.ReadAll(week.Body)
	require.NoError(t, err)
	require.NoError(t, week.Body.Close())
	require.Contains(t, string(page), "Home tuning · Rosa Osei", "where the other one sees it too")
	require.NoError(t, d.Cancel(b))

	harbour.SetPassword(piet, "harbour-Piet-8000")
	d.Pass(time.Hour)
	d.Until("it is refused", func() bool {
		if d.Calendar("Quartet").State == "refused" {
			return true
		}
		d.Poke("Quartet")
		return false
	})
	me := d.Own(d.Staff.ID)
	require.NoError(t, me.Post(ctx, fmt.Sprintf("/api/my/links/%d/key", l.ID), api.Renewal{Password: "harbour-Piet-8000"}, nil))
	d.Until("it is renewed in place", func() bool { return d.Calendar("Quartet").State == "fresh" })
	require.Len(t, d.Links(), 1)
	bearer, err := http.NewRequestWithContext(ctx, "PROPFIND", accounts.URL+"/dav/", nil)
	require.NoError(t, err)
	bearer.Header.Set("Authorization", "Bearer x")
	res, err := http.DefaultClient.Do(bearer)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, []string{`Basic realm="Calendar host"`}, res.Header.Values("WWW-Authenticate"))
}
