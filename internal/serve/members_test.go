package serve_test

import (
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/casefile"
	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/preview"
	"niche/internal/serve"
	"niche/internal/source"
	"niche/internal/standin"
	"niche/internal/store"
)

// invited asks somebody to link a calendar, and returns the token of the address.
func invited(t *testing.T, d *nichetest.Desk, staff any) string {
	var way desk.WayIn
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/staff/%v/invitation", staff), nil, &way))
	return strings.TrimPrefix(way.Path, "/link/")
}

// A staff member comes in by an invitation, once, and does with their own links what an
// administrator can do, without one; with nothing of anybody else's.
func TestAMemberLinksTheirOwn(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	ctx := t.Context()
	other := d.AddStaff("Noor Haddad")
	state := func() string {
		var m desk.StaffMember
		require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/staff/%d", d.Staff.ID), &m))
		return m.Linking.State + " " + m.Linking.When + m.Linking.Why
	}
	require.Equal(t, "none ", state())
	older := invited(t, d, d.Staff.ID)
	token := invited(t, d, d.Staff.ID)
	require.Equal(t, "asked Mon 2 Mar", state())
	me := demo.NewClient(d.Address)
	var of member.Invitation
	for range 3 { // looking at it, as programs that check mail do, uses nothing up
		require.NoError(t, me.Get(ctx, "/api/invitations/"+token, &of))
	}
	require.Equal(t, member.Invitation{Business: "Workshop", Name: "Bryn Castellane", Until: "9 March"}, of)
	require.Equal(t, 404, nichetest.Problem(t, me.Post(ctx, "/api/invitations/"+older, nil, nil)).Status, "a newer one ends it")
	require.Equal(t, 401, nichetest.Problem(t, me.Get(ctx, "/api/my", nil)).Status)
	var mine member.Myself
	require.NoError(t, me.Post(ctx, "/api/invitations/"+token, nil, &mine))
	require.Equal(t, "Bryn Castellane", mine.Name)
	require.Equal(t, 404, nichetest.Problem(t, demo.NewClient(d.Address).Post(ctx, "/api/invitations/"+token, nil, nil)).Status, "it works once")
	require.Equal(t, "opened Mon 2 Mar", state())
	refused := nichetest.Problem(t, d.Post(ctx, fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Address: host.URL, Username: nichetest.User, Password: nichetest.Key}, nil))
	require.Equal(t, http.StatusForbidden, refused.Status, "an administrator links nobody's account")
	require.Equal(t, 409, nichetest.Problem(t, d.Do(ctx, http.MethodDelete, fmt.Sprintf("/api/staff/%d/invitation", d.Staff.ID), nil, nil)).Status)

	account := api.NewLink{Address: host.URL, Username: nichetest.User, Password: "wrong"}
	require.Equal(t, "password", nichetest.Problem(t, me.Post(ctx, "/api/my/links", account, nil)).Errors[0].Field)
	account.Password = nichetest.Key
	var l api.Link
	require.NoError(t, me.Post(ctx, "/api/my/links", account, &l))
	require.Equal(t, "linked Mon 2 Mar", state())
	for _, c := range l.Calendars {
		if c.CanWrite {
			c.Blocks, c.GetsBookings = c.Name == "Family", c.Name == "Work"
			require.NoError(t, me.Save(ctx, fmt.Sprintf("/api/my/calendars/%d", c.ID), c.Version, c.Choice, nil))
		}
	}
	require.Equal(t, "chosen Mon 2 Mar", state())
	b, err := d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	d.Until("the copy is outside", func() bool { return d.Copies("2026-03-04") == "read back" })
	var day member.OwnDay
	require.NoError(t, me.Get(ctx, "/api/my/day?date=2026-03-04", &day))
	require.Equal(t, "One visit, at 10:00.", day.Words)
	require.Len(t, day.Lane.Visits, 1)
	require.NoError(t, d.Cancel(b))
	require.Equal(t, []string{"Bryn Castellane chose for calendar", "Bryn Castellane linked link", "Bryn Castellane came in staff"},
		d.List("SELECT who || ' ' || deed || ' ' || kind FROM trail WHERE role = 'staff' ORDER BY id DESC"))

	// What is somebody else's is not there, and what is the desk's is not for them.
	theirs := d.LinkFor(other, host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.Equal(t, 404, nichetest.Problem(t, me.Save(ctx, fmt.Sprintf("/api/my/calendars/%d", theirs.Calendars[0].ID), theirs.Calendars[0].Version, api.Choice{}, nil)).Status)
	require.Equal(t, 404, nichetest.Problem(t, me.Do(ctx, http.MethodDelete, fmt.Sprintf("/api/my/links/%d?copies=leave", theirs.ID), nil, nil)).Status)
	require.Equal(t, 404, nichetest.Problem(t, me.Post(ctx, fmt.Sprintf("/api/my/links/%d/key", theirs.ID), api.Renewal{Password: nichetest.Key}, nil)).Status)
	require.Len(t, d.LinksOf(other), 1)
	for path, item := range api.Document(&desk.Desk{}, &member.Member{}).Paths {
		if item.Get == nil || strings.Contains(path, "{token}") || path == "/api/session" || path == "/api/my/files/{id}" {
			continue
		}
		err := me.Get(ctx, strings.ReplaceAll(path, "{id}", "1"), nil)
		if strings.HasPrefix(path, "/api/my") {
			require.NoError(t, err, path)
			require.Equal(t, 401, nichetest.Problem(t, d.Get(ctx, path, nil)).Status, "an administrator is no staff member")
		} else {
			require.Equal(t, 401, nichetest.Problem(t, err).Status, path)
		}
	}

	d.Clock.Move(29 * 24 * time.Hour)
	require.NoError(t, me.Get(ctx, "/api/my", nil), "a month of rest is allowed")
	d.SignIn(d.Address)
	require.NoError(t, d.Put(ctx, fmt.Sprintf("/api/staff/%d/archive", d.Staff.ID), desk.Archiving{Archived: true}, nil))
	require.Equal(t, 401, nichetest.Problem(t, me.Get(ctx, "/api/my", nil)).Status)
	require.Equal(t, 409, nichetest.Problem(t, d.Post(ctx, fmt.Sprintf("/api/staff/%d/invitation", d.Staff.ID), nil, nil)).Status)
}

// An invitation can be declined with a word, withdrawn, and ends by itself.
func TestAnInvitationEnds(t *testing.T) {
	_, cloud := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(cloud))
	ctx := t.Context()
	state := func() string {
		var m desk.StaffMember
		require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/staff/%d", d.Staff.ID), &m))
		return m.Linking.State + ": " + m.Linking.Why
	}
	anyone := demo.NewClient(d.Address)
	is := func(token string) int {
		if err := anyone.Get(ctx, "/api/invitations/"+token, nil); err != nil {
			return nichetest.Problem(t, err).Status
		}
		return 200
	}
	first := invited(t, d, d.Staff.ID)
	require.NoError(t, anyone.Post(ctx, "/api/invitations/"+first+"/no", member.Declining{Why: "I have paper."}, nil))
	require.Equal(t, "declined: I have paper.", state())
	require.Equal(t, 404, is(first))
	second := invited(t, d, d.Staff.ID)
	require.Equal(t, "asked: ", state())
	require.NoError(t, d.Do(ctx, http.MethodDelete, fmt.Sprintf("/api/staff/%d/invitation", d.Staff.ID), nil, nil))
	require.Equal(t, "none: ", state())
	require.Equal(t, 404, is(second))
	third := invited(t, d, d.Staff.ID)
	d.Clock.Move(7*24*time.Hour - time.Second)
	require.Equal(t, 200, is(third))
	d.Clock.Move(time.Second)
	require.Equal(t, 404, is(third))
	d.SignIn(d.Address)
	require.Equal(t, "lapsed: ", state())
	require.Zero(t, d.Count("trail WHERE changes || name LIKE '%"+third+"%'"))

	// Everyone without a link is asked at once: not who has one, and not who is archived.
	linked, gone := d.AddStaff("Noor Haddad"), d.AddStaff("Piet Lindqvist")
	d.LinkFor(linked, cloud.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.NoError(t, d.Put(ctx, fmt.Sprintf("/api/staff/%d/archive", gone), desk.Archiving{Archived: true}, nil))
	d.AddStaff("Ansel Okoro")
	var all api.List[desk.Invited]
	require.NoError(t, d.Post(ctx, "/api/invitations", nil, &all))
	var names []string
	for _, i := range all.Items {
		names = append(names, i.Name)
		require.Equal(t, 200, is(strings.TrimPrefix(i.Path, "/link/")))
	}
	require.Equal(t, []string{"Ansel Okoro", "Bryn Castellane"}, names)
}

// What each calendar costs is told in starts, and agrees with what is offered.
func TestCalendarsSayWhatTheyCost(t *testing.T) {
	cloud, host := nichetest.OpenCloud(t, nil)
	for _, day := range []string{"2026-03-06", "2026-03-13"} { // Fridays
		nichetest.Add(t, cloud, "family", "Swimming", day+" 09:00", day+" 12:00")
	}
	nichetest.Add(t, cloud, "family", "Dentist", "2026-03-04 10:00", "2026-03-04 11:00")
	nichetest.Add(t, cloud, "work", "Meeting", "2026-03-04 10:00", "2026-03-04 12:00")
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	costs := func() (c preview.Costs) {
		require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/staff/%d/costs", d.Staff.ID), &c))
		return c
	}
	// Ten days of eight hours, of which the first has begun: the desk opens at 08:00.
	require.Equal(t, preview.Costs{Words: "In the coming two weeks this leaves all 80 starts.", Possible: 80, Left: 80, Calendars: []preview.CalendarCost{}}, costs())
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	d.Choose(d.Calendar("Work"), func(c *api.Choice) { c.Blocks = true })
	d.Until("both are read", func() bool {
		return d.Pulse("Family").State == "fresh" && d.Pulse("Work").State == "fresh" && d.Starts("2026-03-04") == "09:00 12:00 13:00 14:00 15:00 16:00"
	})
	require.Equal(t, preview.Costs{Words: "In the coming two weeks this leaves 72 of 80 starts. Family alone costs 7, most on Fridays; Work alone costs 2, most on Wednesdays.",
		Possible: 80, Left: 72, Calendars: []preview.CalendarCost{{Name: "Family", Alone: 7, Most: "Friday"}, {Name: "Work", Alone: 2, Most: "Wednesday"}}}, costs())
	d.Exec("UPDATE calendars SET name = 'Family' WHERE name = 'Work'") // calendars of one name are not one calendar
	require.Equal(t, []preview.CalendarCost{{Name: "Family", Alone: 7, Most: "Friday"}, {Name: "Family", Alone: 2, Most: "Wednesday"}}, costs().Calendars)
	_, err := d.Book("2026-03-05T10:00:00Z")
	require.NoError(t, err)
	require.Equal(t, 79, costs().Possible, "what is sold is no calendar's cost")
}

// A link whose key no longer works is renewed in place: its calendars, their choices and
// the copies in them stay, and only its own kind of key is taken.
func TestALinkIsRenewedInPlace(t *testing.T) {
	mood := &moods{}
	calendar := func(start string) string {
		return strings.Replace(nichetest.EventText("one", "20260305T"+start+"Z"), "BEGIN:VEVENT", "X-WR-CALNAME:Club\r\nBEGIN:VEVENT", 1)
	}
	feed := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "text/calendar")
		w.Header().Set("ETag", `"1"`) // the same at each address
		switch {
		case r.URL.Path == "/new.ics" && r.Header.Get("If-None-Match") == `"1"`:
			w.WriteHeader(http.StatusNotModified)
		case r.URL.Path == "/new.ics":
			_, _ = io.WriteString(w, calendar("110000"))
		case mood.status.Load() == 0:
			_, _ = io.WriteString(w, calendar("090000"))
		default:
			w.WriteHeader(http.StatusNotFound)
		}
	}))
	defer feed.Close()
	cloud, host := nichetest.OpenCloud(t, mood.guard)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostOf(host), nichetest.HostOf(feed))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	ctx := t.Context()
	_, err := d.Book(ten)
	require.NoError(t, err)
	d.Until("the copy is outside", func() bool { return d.Copies(wednesday) == "read back" })
	was := d.Links()[0]
	key := func(id any, r api.Renewal) error {
		return d.Own(d.Staff.ID).Post(ctx, fmt.Sprintf("/api/my/links/%v/key", id), r, nil)
	}
	mood.status.Store(http.StatusUnauthorized)
	d.Poke("Family")
	d.Until("the key is refused", func() bool { return d.Pulse("Family").State == "refused" })
	require.Equal(t, "password", nichetest.Problem(t, key(was.ID, api.Renewal{Password: "wrong"})).Errors[0].Field)
	require.Equal(t, "password", nichetest.Problem(t, key(was.ID, api.Renewal{Address: host.URL})).Errors[0].Field)
	require.Equal(t, 404, nichetest.Problem(t, key(99, api.Renewal{Password: "x"})).Status)
	mood.status.Store(0)
	nichetest.Add(t, cloud, "family", "Dentist", wednesday+" 14:00", wednesday+" 15:00")
	require.NoError(t, key(was.ID, api.Renewal{Password: nichetest.Key}))
	d.Until("it is well, and what came meanwhile is read", func() bool {
		return d.Pulse("Family").State == "fresh" && !strings.Contains(d.Starts(wednesday), "14:00")
	})
	now := d.Links()
	require.Len(t, now, 1)
	require.Equal(t, was.ID, now[0].ID)
	for i, c := range now[0].Calendars {
		require.Equal(t, was.Calendars[i].Choice, c.Choice)
	}
	require.Equal(t, "read back", d.Copies(wednesday))

	var l api.Link
	require.NoError(t, d.Post(ctx, fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Kind: "feed", Address: feed.URL + "/old.ics?token=one"}, &l))
	starts := func() string { return d.Starts("2026-03-05") }
	d.Until("it blocks", func() bool { return starts() == "10:00 11:00 12:00 13:00 14:00 15:00 16:00" })
	mood.status.Store(http.StatusNotFound)
	require.Equal(t, "address", nichetest.Problem(t, key(l.ID, api.Renewal{Password: nichetest.Key})).Errors[0].Field)
	require.Equal(t, "address", nichetest.Problem(t, key(l.ID, api.Renewal{Address: feed.URL + "/none.ics"})).Errors[0].Field)
	require.Equal(t, "10:00 11:00 12:00 13:00 14:00 15:00 16:00", starts(), "what was read last holds")
	require.NoError(t, key(l.ID, api.Renewal{Address: feed.URL + "/new.ics?token=two"}))
	mood.status.Store(0)
	d.Until("the new one blocks, and the old one no more", func() bool { return starts() == "09:00 10:00 12:00 13:00 14:00 15:00 16:00" })
	require.Equal(t, l.ID, d.Links()[1].ID)
	require.Equal(t, 2, d.Count("trail WHERE deed = 'renewed'"))
}

// Somebody who knows a mail address and an app password links an account: at the host that
// the business knows for such addresses, or else where the DNS leads, which is asked for
// before the password is sent to another domain.
func TestAMailAddressIsEnoughToLink(t *testing.T) {
	names, resolver := nichetest.OpenNames(t)
	trouble := &nichetest.Trouble{}
	_, host := nichetest.OpenCloud(t, trouble.Guard)
	_, port, _ := strings.Cut(nichetest.HostOf(host), ":")
	local := "localhost:" + port
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Names = resolver }, nil, nichetest.HostOf(host), local)
	ctx := t.Context()
	mine := api.NewLink{Username: nichetest.User, Password: nichetest.Key}
	add := func(l api.NewLink) (out api.Link, err error) {
		return out, d.Own(d.Staff.ID).Post(ctx, "/api/my/links", l, &out)
	}
	problem := func(l api.NewLink) *api.Problem {
		_, err := add(l)
		return nichetest.Problem(t, err)
	}
	require.Contains(t, problem(api.NewLink{Username: "bryn", Password: "x"}).Errors[0].Message, "by which it is looked for")
	for _, says := range []func(){func() {}, func() { names.Fail(true) }} { // no host of this name, and no answer
		says()
		p := problem(mine)
		require.Equal(t, []api.FieldError{{Field: "address", Message: "The calendar host of this mail address could not be found. Give its host or CalDAV address."}}, p.Errors)
	}
	names.Fail(false)
	number, err := strconv.Atoi(port)
	require.NoError(t, err)
	names.Serves("_caldav._tcp.castellane.example", "localhost", uint16(number), 0)
	require.Empty(t, trouble.Asked())
	p := problem(mine)
	require.Equal(t, 409, p.Status)
	require.Equal(t, local, p.Host)
	require.Equal(t, 409, problem(api.NewLink{Username: mine.Username, Password: mine.Password, Agreed: "localhost"}).Status, "that is another one")
	require.Empty(t, trouble.Asked(), "nothing has been sent there")
	mine.Agreed = local
	wrong := mine
	wrong.Password = "wrong"
	require.Equal(t, "password", problem(wrong).Errors[0].Field)
	l, err := add(mine)
	require.NoError(t, err)
	require.Equal(t, local, l.At)
	require.NoError(t, d.Do(ctx, http.MethodDelete, fmt.Sprintf("/api/links/%d", l.ID), nil, nil))

	require.NoError(t, d.Post(ctx, "/api/hosts", api.HostFields{Name: "Cloudlet", Address: host.URL, Domains: []string{"castellane.example"}}, nil))
	mine.Agreed = ""
	l, err = add(mine)
	require.NoError(t, err, "the business knows where")
	require.Equal(t, "Cloudlet", l.Host)
}

// A new link begins on the safe side: all its calendars block time and none gets bookings.
// One that can only be read and has nothing but events that take no time is let go of once
// it has been read, unless somebody has chosen.
func TestALinkBeginsOnTheSafeSide(t *testing.T) {
	for _, c := range []struct {
		name, transparency string
		chooses            bool
		blocks             bool
	}{
		{"birthdays that take no time", "TRANSPARENT", false, false},
		{"the same, and somebody has chosen", "TRANSPARENT", true, true},
		{"days that take time", "OPAQUE", false, true},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			trouble := &nichetest.Trouble{}
			cloud, host := nichetest.OpenCloud(t, trouble.Guard)
			d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
			require.NoError(t, cloud.Put(nichetest.User, "birthdays", "day.ics", []byte("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:day\r\nDTSTAMP:20260101T000000Z\r\n"+
				"DTSTART;VALUE=DATE:20260304\r\nRRULE:FREQ=YEARLY\r\nTRANSP:"+c.transparency+"\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")))
			me := d.Own(d.Staff.ID)
			hold := make(chan struct{})
			trouble.Always("REPORT", nichetest.Fault{Wait: hold}) // nothing is read before it was chosen
			var l api.Link
			require.NoError(t, me.Post(t.Context(), "/api/my/links", api.NewLink{Address: host.URL, Username: nichetest.User, Password: nichetest.Key}, &l))
			for _, k := range l.Calendars {
				require.True(t, k.Blocks, k.Name)
				require.False(t, k.GetsBookings, k.Name)
				if c.chooses && k.Name == "Birthdays" {
					k.PadAfter = 5
					require.NoError(t, me.Save(t.Context(), fmt.Sprintf("/api/my/calendars/%d", k.ID), k.Version, k.Choice, nil))
				}
			}
			require.Empty(t, d.Starts("2026-03-05"), "what was never read is not known to be free")
			trouble.Set(nil)
			close(hold)
			d.Until("all are read", func() bool {
				return d.Calendar("Birthdays").Blocks == c.blocks && d.Starts("2026-03-05") == "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00" &&
					(d.Starts("2026-03-04") == "") == (c.transparency == "OPAQUE")
			})
		})
	}
}

// A staff member sees their own hours, and changes them only where an administrator lets
// them: over a version, with bookings that no longer fit named, and in the trail.
func TestAMemberKeepsTheirOwnHours(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	me := d.Own(d.Staff.ID)
	mornings := api.Hours{Patterns: []casefile.Pattern{{From: "2020-01-01", Cycle: []map[string]casefile.Day{{"wed": {Spans: []casefile.WallSpan{{"09:00", "12:00"}}}}}}}}
	away := api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{{From: "2026-04-01", Until: "2026-04-02"}}}
	for path, body := range map[string]any{"/api/my/hours": mornings, "/api/my/days": away} {
		require.Equal(t, http.StatusForbidden, nichetest.Problem(t, me.Change(ctx, path, body, nil)).Status, path)
	}
	require.Contains(t, d.Starts(wednesday), "16:00")
	fields := desk.StaffFields{Name: d.Staff.Name, Email: d.Staff.Email, Zone: d.Staff.Zone, OwnHours: true}
	require.NoError(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d", d.Staff.ID), fields, nil))

	_, err := d.Book("2026-03-04T14:00:00Z")
	require.NoError(t, err)
	p := nichetest.Problem(t, me.Change(ctx, "/api/my/hours", mornings, nil))
	require.Equal(t, []any{http.StatusConflict, 1}, []any{p.Status, p.MisfitCount})
	require.NoError(t, me.Change(ctx, "/api/my/hours?accept=1", mornings, nil))
	require.Equal(t, "09:00 10:00 11:00", d.Starts(wednesday))
	stale := nichetest.Problem(t, me.Do(ctx, http.MethodPut, "/api/my/hours", mornings, nil)).Status
	require.Equal(t, http.StatusPreconditionRequired, stale)
	wrong := nichetest.Problem(t, me.Change(ctx, "/api/my/days", api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{{From: "2026-04-02", Until: "2026-04-01"}}}, nil))
	require.Equal(t, "absences[0].until", wrong.Errors[0].Field)
	require.NoError(t, me.Change(ctx, "/api/my/days", away, nil))
	require.Empty(t, d.Starts("2026-04-01"))

	var trail api.List[desk.TrailEntry]
	require.NoError(t, d.Get(ctx, "/api/trail?kind=hours", &trail))
	require.Contains(t, trail.Items[0].Words, "Bryn Castellane changed the hours")
	other := d.Own(d.AddStaff("Noor Haddad"))
	var hers api.HoursNow
	require.NoError(t, other.Get(ctx, "/api/my/hours", &hers))
	require.Len(t, hers.Patterns[0].Cycle[0], 5, "another's are another's")
}

// Two people link at once: one with five hundred calendars, of which as many are taken as
// can be and the rest is told, one with a wrong password; neither is in the other's way.
func TestTwoLinkAtOnce(t *testing.T) {
	var many []standin.Calendar
	for n := range 500 {
		many = append(many, standin.Calendar{ID: fmt.Sprint("c", n), Name: fmt.Sprintf("Calendar %03d", n)})
	}
	cloud, err := standin.Open("", time.Now, []standin.Account{{User: nichetest.User, Password: nichetest.Key, Zone: "UTC", Calendars: many}, {User: "cleo@marsh.example", Password: "hers", Zone: "UTC", Calendars: many[:1]}})
	require.NoError(t, err)
	host := httptest.NewServer(cloud.Handler())
	t.Cleanup(host.Close)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	cleo := d.AddStaff("Cleo Marsh")
	link := func(c *demo.Client, user, key string) error {
		return c.Post(t.Context(), "/api/my/links", api.NewLink{Address: host.URL, Username: user, Password: key}, nil)
	}
	me, her := d.Own(d.Staff.ID), d.Own(cleo)
	var wait sync.WaitGroup
	var mine, hers error
	wait.Go(func() { mine = link(me, nichetest.User, nichetest.Key) })
	wait.Go(func() { hers = link(her, "cleo@marsh.example", "his") })
	wait.Wait()
	require.NoError(t, mine)
	require.Equal(t, "password", nichetest.Problem(t, hers).Errors[0].Field)
	require.NoError(t, link(her, "cleo@marsh.example", "hers"))
	calendars := d.Links()[0].Calendars
	require.Len(t, calendars, source.MaxCalendars)
	require.Equal(t, "This account has 500 calendars, of which 200 are taken: what is in the others blocks no time.", d.Links()[0].Error)
	require.Len(t, d.LinksOf(cleo), 1)
	d.Until("all are read", func() bool { return d.Count("calendars WHERE state = 'fresh'") == source.MaxCalendars+1 })
	wait.Go(func() { mine = link(me, nichetest.User, nichetest.Key) }) // the same once more, twice at once
	wait.Go(func() { hers = link(me, nichetest.User, nichetest.Key) })
	wait.Wait()
	require.NoError(t, errors.Join(mine, hers))
	require.Len(t, d.Links(), 1)
	require.Len(t, d.Links()[0].Calendars, source.MaxCalendars)
}

// A password of one's own is asked for, guarded and lost as an administrator's is, and
// opens the own pages alone.
func TestAnOwnPassword(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	const mail, good, better = "both@castellane.example", "a slow blue kettle", "seven wet umbrellas"
	change := func(c *demo.Client, current, password string) *api.Problem {
		err := c.Do(ctx, http.MethodPut, "/api/my/password", member.Repassing{Current: current, Password: password}, nil)
		if err != nil {
			return nichetest.Problem(t, err)
		}
		return &api.Problem{Status: http.StatusOK}
	}
	name := func(c *demo.Client, mail, password string) string {
		var me member.Myself
		if err := c.Post(ctx, "/api/my/session", member.SigningIn{Email: mail, Password: password}, &me); err != nil {
			return fmt.Sprint(nichetest.Problem(t, err).Status)
		}
		return me.Name
	}
	me, noor := d.Own(d.Staff.ID), d.AddStaff("Noor Haddad")
	other := d.Own(noor)
	require.Equal(t, http.StatusConflict, change(other, "", good).Status, "who has no mail address cannot sign in with one")
	for id, who := range map[store.ID]string{d.Staff.ID: d.Staff.Name, noor: "Noor Haddad"} { // one mailbox for two
		require.NoError(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d", id), desk.StaffFields{Name: who, Email: mail, Zone: d.Staff.Zone}, nil))
	}
	weak := change(me, "", "castellane both")
	require.Equal(t, "password", weak.Errors[0].Field)
	elsewhere := d.Own(d.Staff.ID)
	require.Equal(t, http.StatusOK, change(me, "", good).Status)
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, elsewhere.Get(ctx, "/api/my", nil)).Status, "other browsers are out")
	require.NoError(t, me.Get(ctx, "/api/my", nil))
	require.Equal(t, http.StatusOK, change(other, "", better).Status)

	browser := demo.NewClient(d.Niche.Address)
	require.Equal(t, "401", name(browser, mail, "a slow blue cattle"))
	require.Equal(t, "401", name(browser, "nobody@castellane.example", good))
	require.Equal(t, "Noor Haddad", name(browser, strings.ToUpper(mail), better))
	require.Equal(t, "Bryn Castellane", name(browser, mail, good))
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, browser.Get(ctx, "/api/staff", nil)).Status)

	d.Pass(16 * time.Minute)
	require.Equal(t, "current", change(browser, "a guess", better).Errors[0].Field, "a browser that was left open does not change it")
	require.Equal(t, http.StatusOK, change(browser, good, "").Status)
	require.Equal(t, "401", name(demo.NewClient(d.Niche.Address), mail, good), "it is given up")
	thief := demo.NewClient(d.Niche.Address)
	refused := ""
	for range 12 {
		refused = name(thief, mail, "a guess at it")
	}
	require.Equal(t, "429", refused)
	require.Equal(t, "429", name(thief, mail, better), "even the right one waits")
	require.Equal(t, "Noor Haddad", name(other, mail, better), "a browser that is known is not kept out")
	require.NoError(t, d.Do(ctx, http.MethodPut, fmt.Sprintf("/api/staff/%d/archive", noor), desk.Archiving{Archived: true}, nil))
	d.Pass(24 * time.Hour)
	require.Equal(t, "401", name(other, mail, better))
}
