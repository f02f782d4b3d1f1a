package serve_test

import (
	"fmt"
	"math/rand/v2"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/standin"
	"niche/internal/store"
	"niche/internal/wall"
)

// life is a business of some people through a week, with what is true outside.
type life struct {
	*nichetest.Desk
	t       *testing.T
	rng     *rand.Rand
	cloud   *standin.Cloud
	server  *httptest.Server
	clock   *nichetest.Clock // of the host
	other   *demo.Client     // the second administrator
	staff   []store.ID
	service []desk.Service
	taken   []client.Booked
	sour    int // for how many hours the host stays as it is
}

func person(n int) string { return fmt.Sprintf("p%02d@people.example", n) }

// beginLife sets up people who each live in a calendar of their own.
func beginLife(t *testing.T, people int, seed uint64) *life {
	l := &life{t: t, rng: rand.New(rand.NewPCG(seed, 1)), clock: nichetest.NewClock(nichetest.Morning)}
	var accounts []standin.Account
	for n := range people {
		accounts = append(accounts, standin.Account{User: person(n), Name: person(n), Password: "k", Zone: "Europe/Dublin", Calendars: []standin.Calendar{{ID: "work", Name: "Work"}, {ID: "family", Name: "Family"}}})
	}
	var err error
	l.cloud, err = standin.Open("", l.clock.Now, accounts)
	require.NoError(t, err)
	l.server = httptest.NewServer(l.cloud.Handler())
	t.Cleanup(l.server.Close)
	l.Desk = nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable, f.Pick = "ask", "fewest" }, nichetest.HostOf(l.server))
	l.staff = []store.ID{l.Staff.ID}
	for n := 1; n < people; n++ {
		l.staff = append(l.staff, l.AddStaff(fmt.Sprintf("Person %02d", n)))
	}
	require.NoError(t, l.Save(0, func(f *desk.ServiceFields) { f.Staff = l.staff }))
	l.service = []desk.Service{l.Service, l.AddService("Care class", func(f *desk.ServiceFields) { f.Places, f.Length = 5, 90 })}
	for n, id := range l.staff {
		l.LinkFor(id, l.server.URL, person(n), "k", "Family", "Work")
	}
	var way desk.WayIn
	require.NoError(t, l.Post(t.Context(), "/api/administrators", desk.AdministratorFields{Name: "Noor", Email: "noor@workshop.example"}, &way))
	require.NoError(t, demo.NewClient(l.Address).Post(t.Context(), strings.Replace(way.Path, "/enter/", "/api/ways-in/", 1), desk.Entering{Password: "another horse"}, nil))
	l.signIn()
	return l
}

func (l *life) signIn() {
	l.SignIn(l.Address)
	l.other = demo.NewClient(l.Address)
	require.NoError(l.t, l.other.Post(l.t.Context(), "/api/session", desk.SignIn{Email: "noor@workshop.example", Password: "another horse"}, nil))
}

// hour lets an hour pass in which things happen.
func (l *life) hour() {
	ctx := l.t.Context()
	for range 1 + l.rng.IntN(4) {
		d := l.On(l.service[l.rng.IntN(2)])
		day := l.Clock.Now().AddDate(0, 0, l.rng.IntN(6))
		starts := strings.Fields("")
		if wd := day.Weekday(); wd != time.Saturday && wd != time.Sunday {
			starts = strings.Fields(d.Starts(day.Format(time.DateOnly)))
		}
		switch n := l.rng.IntN(100); {
		case n < 45 && len(starts) > 0:
			at := day.Format(time.DateOnly) + "T" + starts[l.rng.IntN(len(starts))] + ":00Z"
			if b, err := d.Ask(client.NewBooking{Start: nichetest.At(at), Name: fmt.Sprintf("Client %d", len(l.taken)), Email: fmt.Sprintf("c%d@clients.example", len(l.taken))}); err == nil {
				l.taken = append(l.taken, b)
			}
		case n < 60 && len(l.taken) > 0:
			_ = l.Cancel(l.taken[l.rng.IntN(len(l.taken))]) // it may be over, or cancelled
		case n < 75:
			who := []*demo.Client{l.Desk.Client, l.other}[l.rng.IntN(2)]
			var found desk.FoundBookings
			require.NoError(l.t, who.Get(ctx, "/api/bookings?status=confirmed", &found))
			if len(found.Items) > 0 && len(starts) > 0 {
				b := found.Items[l.rng.IntN(len(found.Items))]
				at := nichetest.At(day.Format(time.DateOnly) + "T" + starts[l.rng.IntN(len(starts))] + ":00Z")
				_ = who.Post(ctx, fmt.Sprintf("/api/bookings/%d/move", b.ID), desk.DeskMove{DeskStart: desk.DeskStart{Start: at}}, nil) // or it is refused
			}
		case n < 90:
			start, whose := day.Truncate(time.Hour).Add(time.Duration(l.rng.IntN(8))*time.Hour), l.rng.IntN(len(l.staff))
			if b, n, ok := l.booked(); ok && l.rng.IntN(2) == 0 {
				start, whose = b.Start.Time(), n // on top of a visit
			}
			_, err := l.cloud.Add(person(whose), "family", standin.Event{Title: "Own", Start: start, End: start.Add(time.Hour)})
			require.NoError(l.t, err)
		default:
			if _, n, ok := l.booked(); ok {
				l.edit(n)
			}
		}
	}
	if l.sour--; l.sour < 0 {
		l.sour = l.rng.IntN(6)
		l.cloud.Behave([]standin.Mood{standin.Honest, standin.Honest, standin.Failing, standin.Refusing, standin.Cuts, standin.Partial}[l.rng.IntN(6)])
	}
	l.clock.Move(time.Hour)
	l.Pass(time.Hour)
}

// booked returns some booking ahead, and whose it is.
func (l *life) booked() (b desk.FoundBooking, whose int, ok bool) {
	var found desk.FoundBookings
	require.NoError(l.t, l.Get(l.t.Context(), "/api/bookings?status=confirmed", &found))
	if len(found.Items) == 0 {
		return b, 0, false
	}
	b = found.Items[l.rng.IntN(len(found.Items))]
	_, _ = fmt.Sscanf(b.Staff, "Person %d", &whose) // the first one is called otherwise
	return b, whose, true
}

// edit moves or removes a copy of somebody's, as they would.
func (l *life) edit(n int) {
	mood := l.sour // a host that does not answer is not edited
	if mood > 0 {
		return
	}
	l.cloud.Behave(standin.Honest)
	look := nichetest.LookFrom(l.t, l.server.URL, person(n), "k")
	events := look.Events("Work")
	if len(events) == 0 {
		return
	}
	e := events[l.rng.IntN(len(events))]
	if l.rng.IntN(2) == 0 {
		_ = look.Calendar("Work").Delete(l.t.Context(), e.Address, e.ETag) // or Niche was faster
		return
	}
	if e.When(l.t).End().Time().Hour() > 18 {
		return // it would end on another day
	}
	body := eventHours.ReplaceAllStringFunc(e.Body, func(at string) string {
		var hour int
		_, err := fmt.Sscanf(at[len(at)-2:], "%d", &hour)
		require.NoError(l.t, err)
		return fmt.Sprintf("%s%02d", at[:len(at)-2], hour+4)
	})
	_, _ = look.Calendar("Work").Put(l.t.Context(), e.Address, e.ETag, []byte(body))
}

var eventHours = regexp.MustCompile(`DT(START|END)[^:\r\n]*:[0-9]{8}T[0-9]{2}`)

// busy returns when somebody's own events are, as they stand outside.
func (l *life) busy(n int) (list []span.Span) {
	for _, e := range nichetest.LookFrom(l.t, l.server.URL, person(n), "k").Events("Family") {
		reading, err := ics.ReadBusy(strings.NewReader(e.Body), ics.Scope{Window: span.Between(0, 1<<40)})
		require.NoError(l.t, err)
		for _, ev := range reading.Events {
			for _, o := range ev.Occurrences {
				list = append(list, o.During)
			}
		}
	}
	return list
}

// A week in the life of twenty people: events of their own, bookings, moves by two administrators, copies that owners move and
// remove, a host that fails in every way. At its end no time is sold twice, whatever lies on a visit is told, every copy is right or told, and
// every item that is open has a cause that is still true.
func TestAWeekInTheLife(t *testing.T) {
	clashes, drifts := 0, 0
	for _, seed := range []uint64{1, 2} {
		l := beginLife(t, 20, seed)
		for range 7 {
			for range 10 {
				l.hour()
			}
			l.cloud.Behave(standin.Honest)
			l.sour = 0
			l.settle()
			require.Empty(t, nichetest.WrongClaims(l.Desk))
			c, d := l.compare(seed)
			clashes, drifts = clashes+c, drifts+d
			morning := l.Clock.Now().Truncate(24 * time.Hour).Add(32 * time.Hour).Sub(l.Clock.Now())
			l.clock.Move(morning)
			l.Pass(morning)
			l.signIn()
		}
		require.Greater(t, len(l.taken), 40, "seed %d", seed)
	}
	require.Positive(t, clashes)
	require.Positive(t, drifts)
}

// settle lets time pass until every calendar has been read since the host answers again, and every copy is right or told.
func (l *life) settle() {
	since := l.Clock.Now()
	l.Until("all is read and written, or told", func() bool {
		stale := slices.ContainsFunc(l.Wall("").Pulse, func(p wall.Pulse) bool {
			return p.State != "fresh" || l.Clock.Now().Add(-time.Duration(p.Ago)*time.Second).Before(since.Add(2*time.Second))
		})
		if !stale && l.Count("copies WHERE next_at < 9000000000000000000 AND (error <> '' OR state IN ('waiting', 'doubted', 'written') AND unsure = '')") == 0 {
			return true
		}
		l.clock.Move(11 * time.Minute)
		l.Pass(11 * time.Minute)
		return false
	})
}

// compare holds what Niche tells against what is true outside.
func (l *life) compare(seed uint64) (lying, adrift int) {
	ctx := l.t.Context()
	var list, aside desk.Attention
	require.NoError(l.t, l.Get(ctx, "/api/attention", &list))
	require.NoError(l.t, l.Get(ctx, "/api/attention?aside=true", &aside))
	items := append(list.Items, aside.Items...)
	told := func(kind string, visit store.ID) bool {
		return slices.ContainsFunc(items, func(i desk.AttentionItem) bool { return i.Kind == kind && i.Visit == visit })
	}
	clashes, drifts := map[store.ID]bool{}, map[store.ID]bool{}
	for n, id := range l.staff {
		busy := l.busy(n)
		copies := nichetest.LookFrom(l.t, l.server.URL, person(n), "k").Events("Work")
		for _, row := range l.List(fmt.Sprintf(`SELECT v.id || ' ' || v.uid || ' ' || v.start || ' ' || v."end" || ' ' || MAX(b.status = 'confirmed') FROM visits v JOIN visit_staff o ON o.visit_id = v.id JOIN bookings b ON b.visit_id = v.id AND b.status IN ('confirmed', 'pending')
			WHERE o.staff_id = %d AND v."end" > %d GROUP BY v.id`, id, span.At(l.Clock.Now()))) {
			var visit store.ID
			var uid string
			var start, end span.Instant
			var confirmed int // or else it is only asked for, and has no copy
			_, err := fmt.Sscan(row, &visit, &uid, &start, &end, &confirmed)
			require.NoError(l.t, err)
			during := span.Between(start, end)
			if slices.ContainsFunc(busy, during.Overlaps) {
				clashes[visit] = true
				require.True(l.t, told("clash", visit), "seed %d: an event lies on visit %d at %s of person %d, and nobody is told at %s: %v", seed, visit, during, n, span.At(l.Clock.Now()), l.List(fmt.Sprintf("SELECT id || ' ' || start || ' ' || found_at || ' ' || closed_at FROM clashes WHERE visit_id = %d", visit)))
			}
			there := slices.ContainsFunc(copies, func(e nichetest.Event) bool {
				return strings.Contains(e.Body, uid) && e.When(l.t) == during
			})
			if confirmed == 1 && !there {
				drifts[visit] = true
				require.True(l.t, told("drift", visit), "seed %d: the copy of visit %d is not there, and nobody is told", seed, visit)
			}
		}
	}
	for _, i := range items {
		switch i.Kind {
		case "clash":
			require.True(l.t, clashes[i.Visit], "seed %d: %s: nothing lies on it (%s)", seed, i.Title, i.Words)
		case "drift":
			require.True(l.t, drifts[i.Visit], "seed %d: %s: the copy is right (%s)", seed, i.Title, i.Words)
		case "pending":
			require.Positive(l.t, l.Count(fmt.Sprintf("bookings WHERE status = 'pending' AND id = %d", i.Booking)))
		case "mail", "target", "proof":
			l.t.Errorf("seed %d: %s: %s", seed, i.Title, i.Words)
		default:
			l.t.Errorf("seed %d: the host answers and takes every key again, but %s: %s (%s)", seed, i.Kind, i.Title, i.Words)
		}
	}
	l.t.Logf("seed %d: %d bookings, %d clashes, %d drifts, %d items", seed, len(l.taken), len(clashes), len(drifts), len(items))
	return len(clashes), len(drifts)
}
