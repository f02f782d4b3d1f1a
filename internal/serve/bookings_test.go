package serve_test

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// finder is a desk at which bookings are found.
type finder struct{ *nichetest.Desk }

// find returns the clients of what is found, in order, through all parts.
func (d finder) find(query string) (names []string) {
	after := ""
	for {
		var part desk.FoundBookings
		require.NoError(d.T, d.Get(d.T.Context(), "/api/bookings?"+query+"&after="+after, &part))
		for _, b := range part.Items {
			names = append(names, b.Client)
		}
		if after = part.Next; after == "" {
			return names
		}
	}
}

func (d finder) file(format, query string) (body, name string) {
	res, err := d.HTTP().Get(d.Address + "/api/bookings/export?format=" + format + "&" + query)
	require.NoError(d.T, err)
	defer func() { _ = res.Body.Close() }()
	text, err := io.ReadAll(res.Body)
	require.NoError(d.T, err)
	require.Equal(d.T, http.StatusOK, res.StatusCode, string(text))
	return string(text), res.Header.Get("Content-Disposition")
}

func (d finder) shown(id store.ID) (b desk.ShownBooking) {
	require.NoError(d.T, d.Get(d.T.Context(), fmt.Sprintf("/api/bookings/%d", id), &b))
	return b
}

func (d finder) idOf(name string) store.ID {
	var part desk.FoundBookings
	require.NoError(d.T, d.Get(d.T.Context(), "/api/bookings?period=any&text="+url.QueryEscape(name), &part))
	require.Len(d.T, part.Items, 1, name)
	return part.Items[0].ID
}

// Bookings are found by the beginnings of any words, in any order and without regard to accents; by what they are of and
// how they stand; part by part without losing or doubling one. What is found leaves as a file that others read.
func TestBookingsAreFound(t *testing.T) {
	d := finder{nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Places = 30 })}
	class := d.AddService("Care class", func(f *desk.ServiceFields) { f.Places = 200 })
	for _, b := range []client.NewBooking{
		{Start: nichetest.At("2026-03-04T10:00:00Z"), Name: "Zoë Brück", Email: "zoe@clients.example"},
		{Start: nichetest.At("2026-03-03T10:00:00Z"), Name: "Rosa Osei", Email: "rosa.osei@clients.example"},
		{Start: nichetest.At("2026-03-05T10:00:00Z"), Name: `=HYPERLINK("x") "Quote, Ann"`, Email: "ann@clients.example"},
	} {
		_, err := d.Ask(b)
		require.NoError(t, err)
	}
	for n := range 60 {
		_, err := (&finder{d.On(class)}).Ask(client.NewBooking{Start: nichetest.At("2026-03-06T10:00:00Z"), Name: fmt.Sprintf("Pupil %02d", n)})
		require.NoError(t, err)
	}
	for query, want := range map[string][]string{
		"text=bru+zo":                        {"Zoë Brück"},
		"text=ROSA.osei@clients":             {"Rosa Osei"},
		"text=osei+rosa+nobody":              nil,
		"text=%22+%2A+%29+OR+rosa":           nil, // an operator of the index is a word like any
		"text=quote":                         {`=HYPERLINK("x") "Quote, Ann"`},
		"text=pupil+07":                      {"Pupil 07"},
		"from=2026-03-03&to=2026-03-04":      {"Rosa Osei", "Zoë Brück"},
		"period=past":                        nil,
		"status=pending":                     nil,
		"copy=failed":                        nil,
		"text=" + url.QueryEscape(d.ref(t)):  {"Rosa Osei"},
		"service=1&order=made":               {`=HYPERLINK("x") "Quote, Ann"`, "Rosa Osei", "Zoë Brück"},
		"staff=1&to=2026-03-04&period=ahead": {"Rosa Osei", "Zoë Brück"},
	} {
		require.Equal(t, want, d.find(query), query)
	}
	for _, query := range []string{"period=ahead", "period=any", "order=made", "text=clients", "staff=1"} {
		names := d.find(query)
		require.Len(t, names, 63, query)
		seen := map[string]bool{}
		for _, n := range names {
			seen[n] = true
		}
		require.Len(t, seen, 63, query)
	}
	require.Equal(t, http.StatusUnprocessableEntity, nichetest.Problem(t, d.Get(t.Context(), "/api/bookings?after=x", nil)).Status)

	table, name := d.file("csv", "service=1")
	require.Contains(t, name, `"bookings.csv"`)
	rows, err := csv.NewReader(strings.NewReader(table)).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 4)
	require.Equal(t, "2026-03-03T10:00:00Z", rows[1][3])
	require.Equal(t, `'=HYPERLINK("x") "Quote, Ann"`, rows[3][7], "no spreadsheet takes it for a formula")
	var list []desk.FoundBooking
	listed, _ := d.file("json", "text=pupil")
	require.NoError(t, json.Unmarshal([]byte(listed), &list))
	require.Len(t, list, 60)
	calendar, _ := d.file("ics", "service=1")
	reading, err := ics.ReadBusy(strings.NewReader(calendar), ics.Scope{Window: span.Between(0, 1<<40)})
	require.NoError(t, err)
	require.Len(t, reading.Events, 3)
	require.Empty(t, reading.Skipped)
	// What is cancelled is found as such, what is only held is not found at all.
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/cancel", d.idOf("rosa")), nil, nil))
	require.Equal(t, []string{"Rosa Osei"}, d.find("status=cancelled"))
	// A file that cannot hold all says so by its name.
	d.Exec(`WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 50000)
		INSERT INTO bookings (visit_id, reference, token_hash, status, client_name, client_mail, client_zone, created_at)
		SELECT visit_id, 'X' || i, 'X' || i, status, 'Many', client_mail, client_zone, created_at FROM bookings JOIN n WHERE client_name LIKE '=%'`)
	table, name = d.file("csv", "service=1")
	require.Contains(t, name, `"bookings-first-50000-only.csv"`)
	require.Equal(t, 50_001, strings.Count(table, "\r\n"))
}

// ref is the reference of Rosa Osei's booking.
func (d finder) ref(t *testing.T) string { return d.shown(d.idOf("rosa")).Reference }

// The desk notes, marks what was missed, moves and books as the rules say; and overrules any of them for a reason, but never
// another booking of the same time. It is told at the booking.
func TestTheDeskBooksMovesAndOverrules(t *testing.T) {
	d := finder{nichetest.OpenDesk(t, nil)}
	mara := d.AddStaff("Mara Quillon")
	book := func(b desk.DeskBooking) (out desk.AtDesk, err error) {
		b.Service, b.Email = d.Service.ID, "vera@clients.example"
		if b.Name == "" {
			b.Name = "Vera Stone"
		}
		return out, d.Post(t.Context(), "/api/bookings", b, &out)
	}
	wall := func(text string) desk.DeskStart { return desk.DeskStart{Wall: text} }
	first, err := book(desk.DeskBooking{DeskStart: wall("2026-03-03 9:00"), Note: "rang at eight", Key: "0123456789abcdef"})
	require.NoError(t, err)
	again, err := book(desk.DeskBooking{DeskStart: wall("2026-03-03 9:00"), Note: "rang at eight", Key: "0123456789abcdef"})
	require.NoError(t, err)
	require.Equal(t, first, again, "sent twice, it is booked once")
	b := d.shown(first.ID)
	require.Equal(t, []string{"rang at eight", "Ada", "in 25 hours"}, []string{b.Note, b.MadeBy, b.Until})

	// Nobody works at 18:00; the rules refuse it, and a reason overrules them for somebody.
	_, err = book(desk.DeskBooking{DeskStart: wall("2026-03-03 18:00")})
	require.Equal(t, []string{"outside-hours"}, nichetest.Problem(t, err).Reasons)
	_, err = book(desk.DeskBooking{DeskStart: wall("2026-03-03 18:00"), Anyway: "a concert"})
	require.Equal(t, "staff", nichetest.Problem(t, err).Errors[0].Field)
	late, err := book(desk.DeskBooking{DeskStart: wall("2026-03-03 18:00"), Staff: d.Staff.ID, Anyway: "a concert"})
	require.NoError(t, err)
	require.Equal(t, "a concert", d.shown(late.ID).Overruled)
	// But what is booked stays booked, for a booking and for a move.
	_, err = book(desk.DeskBooking{DeskStart: wall("2026-03-03 18:30"), Staff: d.Staff.ID, Anyway: "another concert"})
	require.Contains(t, nichetest.Problem(t, err).Reasons, "booked")
	move := func(to desk.DeskMove) error {
		return d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", first.ID), to, nil)
	}
	require.Contains(t, nichetest.Problem(t, move(desk.DeskMove{DeskStart: wall("2026-03-03 17:30"), Staff: d.Staff.ID, Anyway: "it must be"})).Reasons, "booked")
	require.NoError(t, move(desk.DeskMove{DeskStart: wall("2026-03-03 07:00"), Staff: d.Staff.ID, Anyway: "an early train"}))
	require.Equal(t, "an early train", d.shown(first.ID).Overruled)
	require.Contains(t, fmt.Sprint(d.shown(first.ID).Happened), "rules were overruled: “an early train”")
	// What is made on the clients' page is the client's, whoever of the desk was signed in there.
	visitor := client.NewBooking{Start: nichetest.At("2026-04-08T10:00:00Z"), Name: "Page Visitor", Email: "page@clients.example", Zone: "Europe/Dublin", Clock: "24"}
	require.NoError(t, d.Post(t.Context(), "/api/pages/"+d.Service.Slug+"/bookings", visitor, nil))
	made := d.shown(d.idOf("visitor")).Happened
	require.Equal(t, "Booked by a client", made[len(made)-1].Words)
	require.Contains(t, made[len(made)-1].More, "in a browser in which Ada was signed in")
	// Somebody who does not perform the service cannot be asked for at all.
	require.Error(t, move(desk.DeskMove{DeskStart: wall("2026-03-03 10:00"), Staff: mara, Anyway: "please"}))
	require.Empty(t, nichetest.WrongClaims(d.Desk))

	note := func(id store.ID, n desk.BookingNote) error {
		return d.Put(t.Context(), fmt.Sprintf("/api/bookings/%d/note", id), n, nil)
	}
	require.Equal(t, "missed", nichetest.Problem(t, note(first.ID, desk.BookingNote{Missed: true})).Errors[0].Field, "the visit has not begun")
	d.Pass(26 * time.Hour)
	d.SignIn(d.Address)
	require.NoError(t, note(first.ID, desk.BookingNote{Note: "ring again", Missed: true}))
	require.Equal(t, []string{"Vera Stone"}, d.find("status=missed&period=any"))
	require.Equal(t, []string{"Vera Stone"}, d.find("text=ring&period=any"))
	next, err := book(desk.DeskBooking{DeskStart: wall("2026-03-05 10:00")})
	require.NoError(t, err)
	require.Equal(t, []int{2, 1}, []int{d.shown(next.ID).Before, d.shown(next.ID).MissedThen})
	require.NoError(t, note(first.ID, desk.BookingNote{Note: "ring again"}))
	require.Empty(t, d.find("status=missed&period=any"))
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, d.Get(t.Context(), "/api/bookings/999", nil)).Status)
}

// What is lit while a booking is moved is true: where it says that it may stand it can be moved, and where it says that it may not, it cannot,
// for the reason that is named. (Notice ends between two starts, as the clock goes on while they are tried.)
func TestPlacesAreTrue(t *testing.T) {
	d := finder{nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.BufferAfter, f.Notice = 30, desk.Before(110) })}
	mara := d.AddStaff("Mara Quillon")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, mara) }))
	moved, err := d.Book("2026-03-02T14:00:00Z")
	require.NoError(t, err)
	for _, at := range []string{"2026-03-02T11:00:00Z", "2026-03-02T16:00:00Z"} {
		_, err := d.Ask(client.NewBooking{Start: nichetest.At(at), Staff: mara})
		require.NoError(t, err)
	}
	id := d.idOf("rosa")
	var places struct{ Items []desk.PlacesOf }
	require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/bookings/%d/places?date=2026-03-02", id), &places))
	require.Len(t, places.Items, 2)
	offered, refused := 0, map[string]int{}
	for _, lane := range places.Items {
		for _, p := range lane.Starts {
			err := d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Start: p.At}, Staff: lane.Staff}, nil)
			if len(p.Reasons) == 0 {
				offered++
				require.NoError(t, err, "%s with %d", p.Label, lane.Staff)
				// And back, so that each is asked of the same day.
				require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Wall: "2026-03-02 14:00"}, Staff: d.Staff.ID}, nil))
				continue
			}
			require.Equal(t, p.Reasons, nichetest.Problem(t, err).Reasons, "%s with %d", p.Label, lane.Staff)
			for _, r := range p.Reasons {
				refused[r]++
			}
		}
	}
	require.Greater(t, offered, 6)
	require.Positive(t, refused["booked"])
	require.Positive(t, refused["notice"])
	require.NoError(t, d.Cancel(moved))
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Get(t.Context(), fmt.Sprintf("/api/bookings/%d/places?date=2026-03-02", id), nil)).Status)
}

// From nothing to a proof: each step is done when it is, can be left out and taken up again, and is gone when all are done or it is put away.
func TestTheBeginningFollowsWhatIsThere(t *testing.T) {
	cloud, server := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(server))
	state := func() (said string, b desk.Beginning) {
		require.NoError(t, d.Get(t.Context(), "/api/beginning", &b))
		for _, s := range b.Steps {
			switch {
			case s.Done:
				said += s.Key + " "
			case s.Skipped:
				said += "(" + s.Key + ") "
			}
		}
		return strings.TrimSpace(said), b
	}
	change := func(c desk.BeginChange) { require.NoError(t, d.Post(t.Context(), "/api/beginning", c, nil)) }
	said, b := state()
	require.Equal(t, "business person hours service", said)
	require.Equal(t, "/book/"+d.Service.Slug, b.Page)
	link := d.Link(server.URL, nichetest.User, nichetest.Key, "Family", "Work")
	said, b = state()
	require.Equal(t, "business person hours link choose service", said)
	require.Equal(t, link.ID, b.Link)
	change(desk.BeginChange{Skip: "page"})
	require.NoError(t, prover(d, link.ID))
	said, b = state()
	require.Equal(t, "business person hours link choose service (page) prove", said)
	require.True(t, b.Over)
	change(desk.BeginChange{Back: "page"})
	_, b = state()
	require.False(t, b.Over)
	away := true
	change(desk.BeginChange{Over: &away})
	_, b = state()
	require.True(t, b.Over)
	require.Error(t, d.Post(t.Context(), "/api/beginning", desk.BeginChange{Skip: "business"}, nil))

	// The week of each calendar, and the last proof, stand at the link; on the owner's own pages too.
	nichetest.Add(t, cloud, "family", "Dentist", "2026-03-04 09:00", "2026-03-04 10:30")
	_, err := d.Book("2026-03-05T14:00:00Z")
	require.NoError(t, err)
	own := d.Own(d.Staff.ID)
	d.Until("both are there", func() bool {
		d.Poke("Family")
		family, work := d.Calendar("Family"), d.Calendar("Work")
		return len(family.Week) == 7 && fmt.Sprint(family.Week[2].Busy) == "[[540 630]]" && fmt.Sprint(work.Week[3].Taken) == "[[840 900]]"
	})
	require.Equal(t, "Wed 4 Mar: 1 event", d.Calendar("Family").Week[2].Words)
	var links struct{ Items []api.Link }
	require.NoError(t, own.Get(t.Context(), "/api/my/links", &links))
	require.True(t, links.Items[0].Proof.Held)
	var m desk.StaffMember
	require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/staff/%d", d.Staff.ID), &m))
	require.Equal(t, "proved", m.Linking.State)
}

// prover proves a link, and waits.
func prover(d *nichetest.Desk, link store.ID) error {
	err := d.Post(d.T.Context(), "/api/proofs", desk.WhichLinks{Links: []store.ID{link}}, nil)
	d.Until("it is proved", func() bool {
		var p desk.Proofs
		require.NoError(d.T, d.Get(d.T.Context(), "/api/proofs", &p))
		return p.Links[0].State == "held"
	})
	return err
}
