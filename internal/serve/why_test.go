package serve_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/preview"
	"niche/internal/store"
)

func why(d *nichetest.Desk, staff store.ID, at string) (w preview.Why) {
	require.NoError(d.T, d.Get(d.T.Context(), fmt.Sprintf("/api/why?service=%d&staff=%d&at=%s", d.Service.ID, staff, at), &w))
	return w
}

func previewed(d *nichetest.Desk, change func(*desk.ServiceFields)) (p preview.Preview) {
	f := d.Service.ServiceFields
	change(&f)
	require.NoError(d.T, d.Post(d.T.Context(), fmt.Sprintf("/api/services/preview?service=%d", d.Service.ID), f, &p))
	return p
}

// sourcesOf joins the words and the paths of a rule's sources.
func sourcesOf(r preview.WhyRule) (words, paths string) {
	var w, p []string
	for _, s := range r.Sources {
		w, p = append(w, s.Words), append(p, s.Path)
	}
	return strings.Join(w, "; "), strings.Join(p, " ")
}

// Each rule says what holds and what refuses, where its values come from, and
// where they are changed.
func TestWhyTellsEveryRuleWithItsSource(t *testing.T) {
	hall := publish(t, "DTSTART:20260304T100000Z|DTEND:20260304T110000Z")
	capped := 1
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) {
		f.Notice, f.Window, f.CapPerDay, f.Needs = desk.Before(26*60), desk.Ahead(20), &capped, []string{"bay"}
	}, nichetest.HostOf(hall.Server))
	require.NoError(t, d.Post(t.Context(), "/api/resources", desk.ResourceFields{Name: "Bay", Kind: "bay"}, nil))
	linkFeed(d, hall.address())
	_, err := d.Book(wednesday + "T15:00:00Z")
	require.NoError(t, err)
	var second desk.StaffMember
	require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: "Noor Haddad", Zone: "America/St_Johns"}, &second))
	bryn := fmt.Sprintf("/team/%d", d.Staff.ID)
	rules := fmt.Sprintf("/services/%d", d.Service.ID)
	for _, c := range []struct {
		name, at, refused    string
		code, source, detail string
		path                 string
	}{
		{"over already", "2026-03-02T07:00:00Z", "past notice outside-hours", "past", "The clock", "It is already", ""},
		{"too soon", "2026-03-03T09:00:00Z", "notice", "notice", "Rules of Home tuning", "26 h of notice is asked", rules},
		{"beyond the window", "2026-03-23T09:00:00Z", "window", "window", "Rules of Home tuning", "Bookable until", rules},
		{"outside hours", wednesday + "T18:00:00Z", "outside-hours cap", "outside-hours", "Pattern from 1 January 2020", "no hours at this time", bryn},
		{"busy", wednesday + "T10:00:00Z", "busy cap", "busy", "Concert hall, read", "Busy 10:00–11:00 in “Concert hall”", bryn + "/calendars"},
		{"booked", wednesday + "T15:00:00Z", "booked places cap resource", "booked", "Rosa Osei, Home tuning 15:00–16:00", "A booking takes 15:00–16:00", "/?date=2026-03-04&visit=1"},
		{"no room left", wednesday + "T15:00:00Z", "booked places cap resource", "resource", "Rooms and equipment; Bay: Rosa Osei, Home tuning 15:00–16:00", "", "/house /?date=2026-03-04&visit=1"},
		{"the cap", wednesday + "T09:00:00Z", "cap", "cap", "Rules of Home tuning", "1 of at most 1", rules},
		{"nothing", "2026-03-05T09:00:00Z", "", "busy", "Concert hall, read", "No personal event", bryn + "/calendars"},
	} {
		w := why(d, d.Staff.ID, c.at)
		var refused []string
		for _, r := range w.Rules {
			if !r.Held {
				refused = append(refused, r.Code)
			}
			if r.Code == c.code {
				words, paths := sourcesOf(r)
				require.Contains(t, words, c.source, c.name)
				require.Contains(t, r.Detail, c.detail, c.name)
				require.Equal(t, c.path, paths, c.name)
			}
		}
		require.Len(t, w.Rules, 9)
		require.Equal(t, c.refused, strings.Join(refused, " "), c.name)
		require.Equal(t, c.refused == "", w.Offered, c.name)
		require.NotEmpty(t, w.Own, c.name)
	}
	w := why(d, d.Staff.ID, "2026-03-05T09:20:00Z")
	require.Contains(t, w.Offset, "Visits start every 1 h on the clock")
	require.False(t, w.Offered)
	w = why(d, second.ID, "2026-03-05T13:00:00Z")
	require.False(t, w.Performs)
	require.Equal(t, "09:30–10:30 in St Johns", w.Away)
	require.Equal(t, "Thu 5 Mar, 13:00", w.Others[0].Words, "somebody else can at the same time")
	for path, status := range map[string]int{"?service=99&staff=1&at=" + wednesday + "T10:00:00Z": 404, "?service=1&staff=99&at=" + wednesday + "T10:00:00Z": 404, "?service=1&staff=1&at=soon": 422, "?staff=1": 422} {
		require.Equal(t, status, nichetest.Problem(t, d.Get(t.Context(), "/api/why"+path, nil)).Status, path)
	}
	require.NoError(t, d.Change(t.Context(), "/api/closures", desk.Closures{Items: []api.Closure{{Date: "2026-03-06", Name: "Stocktaking"}}}, nil))
	for _, r := range why(d, d.Staff.ID, "2026-03-06T10:00:00Z").Rules {
		if r.Code == "outside-hours" {
			words, paths := sourcesOf(r)
			require.Equal(t, "Closure of the business on 6 March /house", words+" "+paths)
		}
	}
}

// What a preview says comes true when it is saved, and it saves nothing itself.
func TestAPreviewComesTrue(t *testing.T) {
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Step = 30 })
	_, err := d.Book(wednesday + "T09:00:00Z")
	require.NoError(t, err)
	sound := func(p preview.Preview) {
		lost := 0
		for _, s := range p.Steps {
			lost += s.Lost
			require.LessOrEqual(t, len(s.Starts), s.Lost)
		}
		require.Equal(t, p.Possible, p.Offered+lost)
		offered := 0
		for _, week := range p.Weeks {
			require.Len(t, week, 7)
			for _, day := range week {
				offered += day.Offered
			}
		}
		require.Equal(t, p.Offered, offered, "one person: every start is one that a client sees")
	}
	same := previewed(d, func(*desk.ServiceFields) {})
	sound(same)
	require.Empty(t, same.Effect)
	require.Equal(t, same.Was, same.Offered)
	longer := func(f *desk.ServiceFields) { f.BufferBefore, f.BufferAfter, f.BuffersInsideHours = 30, 30, true }
	p := previewed(d, longer)
	sound(p)
	require.Contains(t, p.Effect, fmt.Sprintf("This change loses %d starts", p.Was-p.Offered))
	require.Equal(t, 1, p.Count, "the visit at opening would have no room for its buffer")
	require.Equal(t, "Rosa Osei", p.Misfits[0].Client)
	require.Equal(t, same.Offered, previewed(d, func(*desk.ServiceFields) {}).Offered, "nothing was saved")
	none := previewed(d, func(f *desk.ServiceFields) { f.Staff = []store.ID{} })
	require.Zero(t, none.Offered)
	require.Contains(t, none.Effect, "None left: Bryn on Mon 2 Mar")
	require.Equal(t, []string{"not-performed"}, none.Misfits[0].Reasons)
	require.NoError(t, d.Save(1, longer))
	after := previewed(d, longer)
	require.Equal(t, p.Offered, after.Was)
	require.Empty(t, after.Effect)
	back := previewed(d, func(f *desk.ServiceFields) { f.BufferBefore, f.BufferAfter = 0, 0 })
	require.Contains(t, back.Effect, fmt.Sprintf("This change wins %d starts", back.Offered-back.Was))
	// A visit that takes everybody loses what a second person cannot take; the first has nothing to do with that.
	var second desk.StaffMember
	require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: "Noor Haddad", Zone: "Europe/Dublin"}, &second))
	joint := previewed(d, func(f *desk.ServiceFields) { f.Staffing, f.Staff = "all", append(f.Staff, second.ID) })
	require.Zero(t, joint.Offered, "she has no hours")
	require.Contains(t, joint.Effect, fmt.Sprintf("This change loses %d starts", joint.Was))
	require.Equal(t, joint.Was, previewed(d, func(f *desk.ServiceFields) { f.Staffing = "all" }).Offered, "all of one is that one")
	var fresh preview.Preview
	f := d.Service.ServiceFields
	require.NoError(t, d.Post(t.Context(), "/api/services/preview", f, &fresh))
	require.Equal(t, -1, fresh.Was)
	f.Notice = desk.Before(180)
	require.NoError(t, d.Post(t.Context(), "/api/services/preview?now=2026-03-04T08:00", f, &fresh))
	require.Equal(t, "11:00 11:30 12:00 12:30 13:00 13:30 14:00 14:30 15:00 15:30", strings.Join(fresh.Weeks[0][2].Times, " "), "as if it were Wednesday morning")
	require.True(t, fresh.Weeks[0][1].Over)
	require.Equal(t, http.StatusUnprocessableEntity, nichetest.Problem(t, d.Post(t.Context(), "/api/services/preview?now=soon", f, nil)).Status)
	f.Places = 0
	require.Equal(t, http.StatusUnprocessableEntity, nichetest.Problem(t, d.Post(t.Context(), "/api/services/preview", f, nil)).Status)
}

// What is archived takes no part any more; what was booked stays where it is.
func TestWhatIsArchivedStaysAndCanComeBack(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	_, err := d.Book(ten)
	require.NoError(t, err)
	archive := func(what string, id store.ID, on bool, accept int) error {
		return d.Put(t.Context(), fmt.Sprintf("/api/%s/%d/archive?accept=%d", what, id, accept), desk.Archiving{Archived: on}, nil)
	}
	count := func(path string) int {
		var l struct{ Items []any }
		require.NoError(t, d.Get(t.Context(), path, &l))
		return len(l.Items)
	}
	p := nichetest.Problem(t, archive("staff", d.Staff.ID, true, 0))
	require.Equal(t, "Rosa Osei", p.Misfits[0].Client, "who has bookings ahead is named first")
	require.NoError(t, archive("staff", d.Staff.ID, true, 1))
	require.Empty(t, d.Starts(wednesday))
	require.Equal(t, []int{0, 1}, []int{count("/api/staff"), count("/api/staff?archived=true")})
	require.Len(t, d.Wall(wednesday).Lanes, 1, "the wall shows a visit that stands")
	require.Len(t, d.Wall(wednesday).Lanes[0].Visits, 1)
	require.Empty(t, d.Wall("2026-04-01").Lanes)
	require.NoError(t, archive("staff", d.Staff.ID, false, 0))
	require.Equal(t, "09:00 11:00 12:00 13:00 14:00 15:00 16:00", d.Starts(wednesday))

	require.NoError(t, archive("services", d.Service.ID, true, 0))
	require.Equal(t, []int{0, 1}, []int{count("/api/services"), count("/api/services?archived=true")})
	_, err = d.Book(wednesday + "T14:00:00Z")
	require.Equal(t, []string{"paused"}, nichetest.Problem(t, err).Reasons)
	require.NoError(t, archive("services", d.Service.ID, false, 0))
	require.Equal(t, 1, count("/api/services"))

	var room desk.Resource
	require.NoError(t, d.Post(t.Context(), "/api/resources", desk.ResourceFields{Name: "Bay", Kind: "bay"}, &room))
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Needs = []string{"bay"} }))
	require.NotEmpty(t, d.Starts(wednesday))
	require.NoError(t, archive("resources", room.ID, true, 0))
	require.Empty(t, d.Starts(wednesday), "a room that is archived is nobody's")
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, archive("resources", 99, true, 0)).Status)
}
