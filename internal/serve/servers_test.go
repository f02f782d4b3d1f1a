package serve_test

import (
	"cmp"
	"fmt"
	"net/http"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/outbox"
	"niche/internal/serve"
	"niche/internal/store"
	"niche/internal/wall"
)

// The whole way against real servers: linking, reading, booking, moving, cancelling,
// an outage, and a password that is changed.
func TestTheWholeWayOnRealServers(t *testing.T) { nichetest.EachServer(t, wholeWay) }

func wholeWay(t *testing.T, s nichetest.Server) {
	trouble := &nichetest.Trouble{}
	through := s.Behind(trouble.Before(t, s.Address))
	dns, resolver := nichetest.OpenNames(t)
	_, port, _ := strings.Cut(nichetest.HostAt(through.Address), ":")
	local := "localhost:" + port
	d := nichetest.OpenDeskWith(t, func(set *serve.Settings) { set.Names = resolver }, nil, nichetest.HostAt(through.Address), local)
	if s.Rekey != nil {
		err := d.Own(d.Staff.ID).Post(t.Context(), "/api/my/links", api.NewLink{Address: through.Address, Username: s.User, Password: "wrong"}, nil)
		require.Equal(t, "password", nichetest.Problem(t, err).Errors[0].Field)
	}
	l := d.Link(through.Address, s.User, s.Key, "Family", "Work")
	var names []string
	for _, c := range l.Calendars {
		names = append(names, strings.ToLower(c.Name))
		require.True(t, c.CanWrite, c.Name)
	}
	require.Subset(t, names, []string{"family", "work"})
	require.LessOrEqual(t, len(names), 3, "task lists and boxes for messages are none: %v", names)
	look := nichetest.LookFrom(t, s.Address, s.User, s.Key)

	dentist := s.Home + s.Family + "/dentist.ics"
	body := strings.Replace(nichetest.EventText("dentist", "20260304T113000"), "DTSTART:", "DTSTART;TZID=Europe/Dublin:", 1)
	body = strings.Replace(body, "DURATION:PT1H", "DURATION:PT1H30M\r\nRRULE:FREQ=WEEKLY", 1)
	s.Do(t, http.MethodPut, dentist, body)
	d.Until("the starts under the event are gone", func() bool { return d.Starts(wednesday) == "09:00 10:00 13:00 14:00 15:00 16:00" })
	require.Equal(t, "09:00 10:00 13:00 14:00 15:00 16:00", d.Starts("2026-04-08"), "it repeats, by the owner's clock")

	b, err := d.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	stands := func(at string) {
		d.Until("the copy is read back", func() bool { return d.Copies(wednesday) == "read back" })
		copies := look.Events("Work")
		require.Len(t, copies, 1)
		require.Equal(t, wednesday+"T"+at+":00Z", copies[0].When(t).Start().String())
	}
	stands("14:00")
	b, err = d.Move(b, wednesday+"T15:00:00Z")
	require.NoError(t, err)
	stands("15:00")

	// Somebody else has the same account too, which is found by a mail address alone; what is written for one stays when
	// the other lets go of theirs.
	number, err := strconv.Atoi(port)
	require.NoError(t, err)
	dns.Serves("_caldav._tcp.castellane.example", "localhost", uint16(number), 0)
	at, err := url.Parse(through.Address)
	require.NoError(t, err)
	dns.Says("_caldav._tcp.castellane.example", "path="+cmp.Or(at.Path, "/"))
	cleo := d.AddStaff("Cleo Marsh")
	var theirs api.Link
	user, _, _ := strings.Cut(s.User, "@")
	require.NoError(t, d.Own(cleo).Post(t.Context(), "/api/my/links", api.NewLink{Username: user + "@castellane.example", Password: s.Key, Agreed: local}, &theirs))
	for _, c := range theirs.Calendars {
		d.Choose(c, func(f *api.Choice) { f.GetsBookings = strings.EqualFold(c.Name, "Work") })
	}
	stands("15:00")
	require.NoError(t, d.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/links/%d?copies=remove", theirs.ID), nil, nil))
	d.Until("their link has gone", func() bool { return len(d.LinksOf(cleo)) == 0 })
	stands("15:00")

	asOwnersDo(t, d, look)
	stands("15:00")

	// An outage: everything waits, and one answer brings all of it forward.
	trouble.Always("", nichetest.Fault{Unasked: true, Status: http.StatusServiceUnavailable})
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Unreachable = "take" }))
	second, err := d.Book(wednesday + "T09:00:00Z")
	require.NoError(t, err)
	d.Pass(time.Minute)
	d.Until("the outage is seen", func() bool { return d.Pulse("Family").State == "unreachable" })
	require.Equal(t, "09:00–10:00", d.Wall(wednesday).Lanes[0].Visits[0].Label)
	trouble.Set(nil)
	d.Pass(10 * time.Minute)
	d.Until("all is well again", func() bool {
		return d.Copies(wednesday) == "read back, read back" && d.Pulse("Family").State == "fresh"
	})
	require.Len(t, look.Events("Work"), 2)

	if s.Rekey != nil {
		s.Key = s.Rekey()
		d.Pass(10 * time.Minute)
		d.Until("the new password is missed", func() bool { return d.Pulse("Family").State == "refused" })
		require.NoError(t, d.Cancel(second), "the client does not wait")
		d.Link(through.Address, s.User, s.Key, "Family", "Work")
		require.Len(t, d.Links(), 1, "it is renewed in place")
		look = nichetest.LookFrom(t, s.Address, s.User, s.Key)
	} else {
		require.NoError(t, d.Cancel(second))
	}
	d.Until("the cancelled one is gone", func() bool { return len(look.Events("Work")) == 1 })
	stands("15:00")

	s.Do(t, http.MethodDelete, dentist, "")
	d.Until("the starts are back", func() bool { return d.Starts(wednesday) == "09:00 10:00 11:00 12:00 13:00 14:00 16:00" })
	require.NoError(t, d.Cancel(b))
	d.Until("nothing of ours is left", func() bool { return len(look.Events("Work")) == 0 })
	require.Equal(t, "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00", d.Starts(wednesday))
	_, err = d.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	stands("10:00")
	require.NoError(t, d.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/links/%d?copies=remove", d.Links()[0].ID), nil, nil))
	d.Until("unlinked, it takes its copies along", func() bool { return len(look.Events("Work")) == 0 })
	d.Pass(2 * time.Hour) // for so long a write may still come that went out during the outage
	d.Until("and is forgotten", func() bool { return len(d.Links()) == 0 })
}

// asOwnersDo does to a copy what owners do, and settles what holds; what they add stays,
// and what they wish of copies is there, as far as the server keeps it.
func asOwnersDo(t *testing.T, d *nichetest.Desk, look nichetest.Outside) {
	visit := func() wall.WallVisit { return d.Wall(wednesday).Lanes[0].Visits[0] }
	defer func() {
		if t.Failed() {
			t.Logf("it stands like this: %+v\n%s", visit(), look.Events("Work")[0].Body)
		}
	}()
	edit := func(change func(body string) string) {
		e := look.Events("Work")[0]
		changed := change(e.Body)
		require.NotEqual(t, e.Body, changed)
		look.Put("Work", e, changed)
		d.Poke("Work")
	}
	adrift := func(words string) store.ID {
		d.Until("it is told: "+words, func() bool { return visit().Copy == "adrift" && strings.Contains(visit().CopyNote, words) })
		return visit().Drifts[0].Copy
	}
	settle := func(copy store.ID, holds string) {
		require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/copies/%d/settle", copy), api.Settlement{Holds: holds}, nil))
		d.Until("it is settled", func() bool { return visit().Copy == "read back" && len(visit().Drifts) == 0 })
	}
	hour := func(from, to string) func(string) string {
		return func(body string) string { return strings.ReplaceAll(body, "20260304T"+from, "20260304T"+to) }
	}
	edit(func(b string) string { return hour("150000", "100000")(hour("160000", "110000")(b)) })
	settle(adrift("it lies at 10:00–11:00"), "booking")
	edit(func(b string) string { return hour("150000", "130000")(hour("160000", "140000")(b)) })
	settle(adrift("it lies at 13:00–14:00"), "calendar")
	require.Equal(t, "13:00–14:00", visit().Label, "the booking has followed")
	edit(func(b string) string { return hour("130000", "150000")(hour("140000", "160000")(b)) })
	settle(adrift("it lies at 15:00–16:00"), "calendar")
	look.Remove("Work", look.Events("Work")[0])
	d.Poke("Work")
	settle(adrift("It was removed outside."), "booking")
	edit(func(b string) string {
		return strings.Replace(b, "END:VEVENT", "CATEGORIES:Mine\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:own\r\nTRIGGER:-PT7M\r\nEND:VALARM\r\nEND:VEVENT", 1)
	})
	wish := func(w api.LinkWishes) {
		require.NoError(t, d.Do(t.Context(), http.MethodPut, fmt.Sprintf("/api/links/%d/wishes", d.Links()[0].ID), w, nil))
	}
	wish(api.LinkWishes{Drift: "ask", Alarm: 30, Private: true, Clients: store.ClientsAsGuests})
	var missing []string
	d.Until("what is wished is outside", func() bool {
		body := regexp.MustCompile(`\r?\n[ \t]`).ReplaceAllString(look.Events("Work")[0].Body, "")
		missing = nil
		for _, word := range []string{"CATEGORIES:Mine", "TRIGGER:-PT7M", "TRIGGER:-PT30M", "CLASS:PRIVATE", "(?mi)^ORGANIZER;[^:]*SCHEDULE-AGENT=CLIENT", "(?mi)^ATTENDEE;[^:]*SCHEDULE-AGENT=CLIENT.*:mailto:rosa@clients.example"} {
			if !regexp.MustCompile(word).MatchString(body) {
				missing = append(missing, word)
			}
		}
		return visit().Copy == "read back" && len(missing) == 0
	})
	when := func() string { return look.Events("Work")[0].When(t).Start().Time().Format("15:04") }
	wish(api.LinkWishes{Drift: outbox.PutBack, Clients: store.ClientsNamed})
	d.Until("it is written", func() bool {
		return visit().Copy == "read back" && !strings.Contains(look.Events("Work")[0].Body, "ATTENDEE")
	})
	edit(func(b string) string { return hour("150000", "110000")(hour("160000", "120000")(b)) })
	d.Until("it is put back", func() bool {
		return visit().Copy == "read back" && when() == "15:00" && d.Count("copies WHERE put_backs = 1") == 1
	})
	// What its owner makes of a copy is theirs, though it says what an earlier write said whose answer was lost: that
	// one cannot come any more.
	d.Pass(2 * time.Hour)
	wish(api.LinkWishes{Drift: outbox.Follows, Clients: store.ClientsNamed})
	d.Until("all is as it should be", func() bool { return visit().Copy == "read back" && d.Count("copies WHERE unsure <> ''") == 0 })
	edit(func(b string) string { return hour("150000", "100000")(hour("160000", "110000")(b)) })
	d.Until("the booking follows", func() bool { return visit().Copy == "read back" && visit().Label == "10:00–11:00" })
	edit(func(b string) string { return hour("100000", "150000")(hour("110000", "160000")(b)) })
	d.Until("and follows back", func() bool { return visit().Copy == "read back" && visit().Label == "15:00–16:00" })
}
