package serve_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/preview"
	"niche/internal/serve"
	"niche/internal/store"
	"niche/internal/wall"
)

// By the business's clock a person far away has parts of two days on the wall; by
// the person's own clock it is one day, with its starts and its bookings.
func TestTheWallIsReadByEitherClock(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	var far desk.StaffMember
	require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: "Noor Haddad", Zone: "Pacific/Auckland"}, &far))
	d.Hours(far.ID)
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = []store.ID{d.Staff.ID, far.ID} }))
	_, err := d.Book("2026-03-03T22:00:00Z") // eleven in the morning over there
	require.NoError(t, err)
	type drawn struct{ From, To, Open, Starts, Visits, Away, Note string }
	lane := func(l wall.WallLane) drawn {
		out := drawn{From: l.From.String(), To: l.To.String(), Away: l.Away, Note: l.Note}
		for _, o := range l.Open {
			out.Open += o.Label + " "
		}
		for _, v := range l.Visits {
			out.Visits += v.Label + " "
		}
		out.Starts = fmt.Sprint(len(l.Starts), " from ", l.Starts[0].Label)
		return out
	}
	for _, c := range []struct {
		zones       string
		bryn, other drawn
	}{
		{"business", drawn{"2026-03-04T00:00:00Z", "2026-03-05T00:00:00Z", "09:00–17:00 ", "8 from 09:00", "", "", "8 h open"},
			drawn{"2026-03-04T00:00:00Z", "2026-03-05T00:00:00Z", "00:00–04:00 20:00–00:00 ", "8 from 00:00", "", "Auckland +13 h", "8 h open"}},
		{"person", drawn{"2026-03-04T08:00:00Z", "2026-03-04T18:00:00Z", "09:00–17:00 ", "8 from 09:00", "", "", "8 h open"},
			drawn{"2026-03-03T19:00:00Z", "2026-03-04T05:00:00Z", "09:00–17:00 ", "8 from 09:00", "11:00–12:00 ", "Auckland +13 h", "1 booked · 7 h open"}},
	} {
		var day wall.Wall
		require.NoError(t, d.Get(t.Context(), "/api/wall?date="+wednesday+"&zones="+c.zones, &day))
		require.Equal(t, c.bryn, lane(day.Lanes[0]), c.zones)
		require.Equal(t, c.other, lane(day.Lanes[1]), c.zones)
		var week wall.WallWeek
		require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/wall/week?service=%d&date=%s&zones=%s", d.Service.ID, wednesday, c.zones), &week))
		require.Equal(t, c.other, lane(week.People[1].Days[2]), "the week, by the clock of the "+c.zones)
		var month wall.WallMonth
		require.NoError(t, d.Get(t.Context(), "/api/wall/month?date="+wednesday+"&zones="+c.zones, &month))
		require.Equal(t, 480, month.People[1].Days[3].Open)
	}
	// Whoever has no hours is said to be back, where that is known.
	require.Equal(t, "no hours until Mon 9 Mar", d.Wall("2026-03-07").Lanes[0].Note)
	require.NoError(t, d.Change(t.Context(), "/api/closures", desk.Closures{Items: []api.Closure{{Date: "2026-03-09", Name: "Stocktaking"}}}, nil))
	closed := d.Wall("2026-03-09")
	require.Equal(t, []string{"Stocktaking", "no hours until Tue 10 Mar"}, []string{closed.Closed, closed.Lanes[0].Note})
}

// A wall of more people than a page holds goes on, in every view.
func TestAWallOfManyPeopleHasPages(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	for n := range 100 {
		require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: fmt.Sprint("Number ", n), Zone: "UTC"}, nil))
	}
	for page, want := range [][2]int{{100, 2}, {1, 0}} {
		var day wall.Wall
		var week wall.WallWeek
		var month wall.WallMonth
		require.NoError(t, d.Get(t.Context(), fmt.Sprint("/api/wall?page=", page+1), &day))
		require.NoError(t, d.Get(t.Context(), fmt.Sprint("/api/wall/week?page=", page+1), &week))
		require.NoError(t, d.Get(t.Context(), fmt.Sprint("/api/wall/month?page=", page+1), &month))
		require.Equal(t, want, [2]int{len(day.Lanes), day.Next})
		require.Equal(t, want, [2]int{len(week.People), week.Next})
		require.Equal(t, want, [2]int{len(month.People), month.Next})
	}
}

// A calendar that has not been read for half an hour is late, on the wall and with
// its person.
func TestACalendarThatIsNotReadIsLate(t *testing.T) {
	hall := publish(t, concert)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Poll = 6 * time.Hour }, nil, nichetest.HostOf(hall.Server))
	linkFeed(d, hall.address())
	for _, state := range []string{"fresh", "late"} {
		d.Clock.Move(29 * time.Minute)
		p := d.Wall("").Pulse[0]
		require.Equal(t, state, p.State, p.Ago)
		require.Equal(t, state, d.Links()[0].Calendars[0].State)
	}
}

// A day of a preview, person by person, says of each start what the question why
// says by the same unsaved rules; and both come true.
func TestADayOfAPreviewAgreesWithWhy(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	_, err := d.Book(wednesday + "T12:00:00Z")
	require.NoError(t, err)
	draft := d.Service.ServiceFields
	draft.BufferBefore, draft.Step, draft.Notice = 45, 30, desk.Before(120)
	const asIf = "&now=2026-03-04T08:30"
	var p preview.Preview
	require.NoError(t, d.Post(t.Context(), "/api/services/preview?service=1&day="+wednesday+asIf, draft, &p))
	require.Len(t, p.Day.Lanes, 1)
	starts := p.Day.Lanes[0].Starts
	require.Len(t, starts, 16)
	refused := func(w preview.Why) []string {
		codes := []string{}
		for _, r := range w.Rules {
			if !r.Held {
				codes = append(codes, r.Code)
			}
			words, _ := sourcesOf(r)
			require.NotContains(t, words, "Rules of", "what is not saved is no rule yet")
		}
		return codes
	}
	seen := map[string]bool{}
	for _, s := range starts {
		var w preview.Why
		require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/services/why?service=1&staff=%d&at=%s%s", d.Staff.ID, s.At, asIf), draft, &w))
		require.Equal(t, s.Reasons, refused(w), s.Label)
		require.Equal(t, s.Offered, w.Offered, s.Label)
		for _, r := range s.Reasons {
			seen[r] = true
		}
	}
	require.Equal(t, map[string]bool{"notice": true, "booked": true, "places": true, "outside-hours": true}, seen)
	require.Equal(t, "2026-03-04T10:30:00Z", p.Day.Notice.String())
	require.NoError(t, d.Save(1, func(f *desk.ServiceFields) { *f = draft }))
	require.NoError(t, d.Post(t.Context(), "/api/services/preview?service=1&day="+wednesday, draft, &p))
	require.Equal(t, d.Wall(wednesday).Lanes[0].Starts, p.Day.Lanes[0].Starts)
}

// A team that stands on several pages has its lanes page by page, and how full its days
// are is asked for by itself.
func TestTheRibbonOfALargeTeamIsAskedForByItself(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	d.Exec(`WITH RECURSIVE n(i) AS (SELECT 2 UNION ALL SELECT i + 1 FROM n WHERE i < 103) INSERT INTO staff (id, name, zone, created_at) SELECT i, 'Staff ' || i, 'Europe/Dublin', 0 FROM n`)
	d.Exec(`INSERT INTO patterns (staff_id, position, from_date, cycle) SELECT s.id, 0, '2020-01-01', p.cycle FROM staff s JOIN patterns p ON p.staff_id = 1 WHERE s.id > 1`)
	w := d.Wall("2026-03-03")
	require.Equal(t, 2, w.Next)
	require.Len(t, w.Lanes, 100)
	require.Len(t, w.Days, 14)
	var days api.List[wall.RibbonDay]
	require.NoError(t, d.Get(t.Context(), "/api/wall/days?date=2026-03-03", &days))
	for i, day := range days.Items {
		require.Equal(t, w.Days[i].Date, day.Date)
		require.Equal(t, map[bool]int{true: 103 * 480, false: 0}[i%7 < 5], day.Open, day.Date)
		require.Zero(t, w.Days[i].Open)
	}
}
