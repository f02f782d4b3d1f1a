package serve_test

import (
	"fmt"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/serve"
	"niche/internal/store"
)

// By the business's clock a person far away has parts of two days on the wall; by
// the person's own clock it is one day, with its starts and its bookings.
func TestTheWallIsReadByEitherClock(t *testing.T) {
	d := openDesk(t, nil)
	var far api.StaffMember
	require.NoError(t, d.Post(t.Context(), "/api/staff", api.StaffFields{Name: "Noor Haddad", Zone: "Pacific/Auckland"}, &far))
	d.hours(far.ID)
	require.NoError(t, d.save(0, func(f *api.ServiceFields) { f.Staff = []store.ID{d.staff.ID, far.ID} }))
	_, err := d.book("2026-03-03T22:00:00Z") // eleven in the morning over there
	require.NoError(t, err)
	type drawn struct{ From, To, Open, Starts, Visits, Away, Note string }
	lane := func(l api.WallLane) drawn {
		out := drawn{From: l.From, To: l.To, Away: l.Away, Note: l.Note}
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
		var day api.Wall
		require.NoError(t, d.Get(t.Context(), "/api/wall?date="+wednesday+"&zones="+c.zones, &day))
		require.Equal(t, c.bryn, lane(day.Lanes[0]), c.zones)
		require.Equal(t, c.other, lane(day.Lanes[1]), c.zones)
		var week api.WallWeek
		require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/wall/week?service=%d&date=%s&zones=%s", d.service.ID, wednesday, c.zones), &week))
		require.Equal(t, c.other, lane(week.People[1].Days[2]), "the week, by the clock of the "+c.zones)
		var month api.WallMonth
		require.NoError(t, d.Get(t.Context(), "/api/wall/month?date="+wednesday+"&zones="+c.zones, &month))
		require.Equal(t, 480, month.People[1].Days[3].Open)
	}
	// Whoever has no hours is said to be back, where that is known.
	require.Equal(t, "no hours until Mon 9 Mar", d.wall("2026-03-07").Lanes[0].Note)
	require.NoError(t, d.Put(t.Context(), "/api/closures", api.Closures{Items: []api.Closure{{Date: "2026-03-09", Name: "Stocktaking"}}}, nil))
	closed := d.wall("2026-03-09")
	require.Equal(t, []string{"Stocktaking", "no hours until Tue 10 Mar"}, []string{closed.Closed, closed.Lanes[0].Note})
}

// A wall of more people than a page holds goes on, in every view.
func TestAWallOfManyPeopleHasPages(t *testing.T) {
	d := openDesk(t, nil)
	for n := range 100 {
		require.NoError(t, d.Post(t.Context(), "/api/staff", api.StaffFields{Name: fmt.Sprint("Number ", n), Zone: "UTC"}, nil))
	}
	for page, want := range [][2]int{{100, 2}, {1, 0}} {
		var day api.Wall
		var week api.WallWeek
		var month api.WallMonth
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
	var ahead atomic.Int64
	d := openDeskWith(t, func(s *serve.Settings) {
		s.Poll = 6 * time.Hour
		s.Now = func() time.Time { return morning.Add(time.Duration(ahead.Load())) }
	}, nil, hostOf(hall.Server))
	d.linkFeed(hall.address())
	for minutes, state := range map[int]string{30: "fresh", 31: "late"} {
		ahead.Store(int64(time.Duration(minutes)*time.Minute + time.Second/2))
		p := d.wall("").Pulse[0]
		require.Equal(t, state, p.State, minutes)
		require.Equal(t, 60*minutes, p.Ago)
		require.Equal(t, state, d.links()[0].Calendars[0].State)
	}
}

// A day of a preview, person by person, says of each start what the question why
// says by the same unsaved rules; and both come true.
func TestADayOfAPreviewAgreesWithWhy(t *testing.T) {
	d := openDesk(t, nil)
	_, err := d.book(wednesday + "T12:00:00Z")
	require.NoError(t, err)
	draft := d.service.ServiceFields
	draft.BufferBefore, draft.Step, draft.NoticeKind, draft.Notice = 45, 30, "minutes", 120
	const asIf = "&now=2026-03-04T08:30"
	var p api.Preview
	require.NoError(t, d.Post(t.Context(), "/api/services/preview?service=1&day="+wednesday+asIf, draft, &p))
	require.Len(t, p.Day.Lanes, 1)
	starts := p.Day.Lanes[0].Starts
	require.Len(t, starts, 16)
	refused := func(w api.Why) []string {
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
		var w api.Why
		require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/services/why?service=1&staff=%d&at=%s%s", d.staff.ID, s.At, asIf), draft, &w))
		require.Equal(t, s.Reasons, refused(w), s.Label)
		require.Equal(t, s.Offered, w.Offered, s.Label)
		for _, r := range s.Reasons {
			seen[r] = true
		}
	}
	require.Equal(t, map[string]bool{"notice": true, "booked": true, "places": true, "outside-hours": true}, seen)
	require.Equal(t, "2026-03-04T10:30:00Z", p.Day.Notice)
	require.NoError(t, d.save(1, func(f *api.ServiceFields) { *f = draft }))
	require.NoError(t, d.Post(t.Context(), "/api/services/preview?service=1&day="+wednesday, draft, &p))
	require.Equal(t, d.wall(wednesday).Lanes[0].Starts, p.Day.Lanes[0].Starts)
}
