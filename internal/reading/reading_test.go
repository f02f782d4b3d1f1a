package reading_test

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/nichetest"
	"niche/internal/outbound"
	"niche/internal/reading"
	"niche/internal/serve"
	"niche/internal/standin"
	"niche/internal/store"
	"niche/internal/work"
)

const wednesday = "2026-03-04"

// rig is readings whose time stands still until a test moves it, of accounts at a
// simulated host.
type rig struct {
	tb       testing.TB
	db       *store.DB
	cloud    *standin.Cloud
	runner   *work.Runner
	readings *reading.Readings
	now      time.Time

	mu    sync.Mutex
	asked []string // methods
}

// openRig links people with some calendars each, which all block.
func openRig(tb testing.TB, people, each int) *rig {
	r := &rig{tb: tb, now: nichetest.Morning}
	clock := func() time.Time { return r.now }
	var accounts []standin.Account
	for n := range people {
		a := standin.Account{User: fmt.Sprintf("person-%d", n), Password: "key", Zone: "UTC"}
		for k := range each {
			a.Calendars = append(a.Calendars, standin.Calendar{ID: fmt.Sprint("c", k), Name: fmt.Sprint("Calendar ", k)})
		}
		accounts = append(accounts, a)
	}
	var err error
	r.cloud, err = standin.Open("", clock, accounts)
	require.NoError(tb, err)
	honest := r.cloud.Handler()
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		r.mu.Lock()
		r.asked = append(r.asked, q.Method)
		r.mu.Unlock()
		honest.ServeHTTP(w, q)
	}))
	tb.Cleanup(host.Close)
	r.db, err = store.Open(tb.TempDir())
	require.NoError(tb, err)
	tb.Cleanup(func() { require.NoError(tb, r.db.Close()) })
	ctx := context.Background()
	require.NoError(tb, r.db.Write(ctx, func(tx store.Tx) error {
		return tx.SaveBusiness(store.Business{ID: 1, Name: "Workshop", Zone: "Europe/Dublin"})
	}))
	keeper, err := link.Unlock(ctx, r.db, filepath.Join(tb.TempDir(), "key"), false)
	require.NoError(tb, err)
	r.runner = work.New(r.db, slog.New(slog.DiscardHandler), clock)
	links := link.New(r.db, keeper, outbound.NewClient([]string{nichetest.HostOf(host)}, 10*time.Second), r.runner.Hosts, clock)
	r.readings = reading.New(ctx, reading.Settings{DB: r.db, Links: links, Hosts: r.runner.Hosts, Hub: &live.Hub{}, Log: slog.New(slog.DiscardHandler),
		Now: clock, Poll: time.Minute, Wake: func() {}})
	r.runner.Add(r.readings.Queue())
	for n := range people {
		s := store.Staff{Name: fmt.Sprint("Person ", n), Zone: "Europe/Dublin"}
		require.NoError(tb, r.db.Write(ctx, func(tx store.Tx) error { return tx.SaveStaff(&s) }))
		l, err := links.Add(ctx, s.ID, host.URL, fmt.Sprintf("person-%d", n), "key")
		require.NoError(tb, err)
		calendars, err := r.db.Read(ctx).CalendarsOf(l.ID)
		require.NoError(tb, err)
		for _, c := range calendars {
			version, err := r.db.Read(ctx).Version(store.CalendarChoice(c.ID))
			require.NoError(tb, err)
			_, _, err = links.Choose(ctx, c.ID, store.Expected{Thing: store.CalendarChoice(c.ID), Version: version}, link.Choice{Blocks: true}, "")
			require.NoError(tb, err)
		}
	}
	return r
}

// settle does all that is due at the present moment, and returns what was asked.
func (r *rig) settle() (asked []string) {
	var work errgroup.Group
	work.SetLimit(64)
	for {
		r.runner.Begin(context.Background(), &work)
		require.NoError(r.tb, work.Wait())
		r.mu.Lock()
		more := r.asked
		r.asked = nil
		r.mu.Unlock()
		if asked = append(asked, more...); len(more) == 0 {
			return asked
		}
	}
}

// after lets time pass, and does what has become due.
func (r *rig) after(d time.Duration) (asked []string) {
	r.now = r.now.Add(d)
	return r.settle()
}

// BenchmarkAThousandUnchangedCalendars shows what ten minutes of simulated time
// cost: the host's own work, in the same process, included.
func BenchmarkAThousandUnchangedCalendars(b *testing.B) {
	r := openRig(b, 100, 10)
	for n := range 1000 {
		_, err := r.cloud.Add(fmt.Sprintf("person-%d", n%100), fmt.Sprint("c", n/100), standin.Event{Title: "x", Start: r.now.Add(time.Hour), End: r.now.Add(2 * time.Hour), Weekly: n%5 == 0})
		require.NoError(b, err)
	}
	for range 3 {
		r.after(time.Minute)
	}
	cpu := func() time.Duration {
		var u syscall.Rusage
		require.NoError(b, syscall.Getrusage(syscall.RUSAGE_SELF, &u))
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	for b.Loop() {
		used, asked := cpu(), 0
		for range 600 {
			asked += len(r.after(time.Second))
		}
		used = cpu() - used
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(asked), "requests")
		b.ReportMetric(float64(used.Microseconds())/float64(asked), "µs-CPU/request")
		b.ReportMetric(float64(m.HeapInuse)/(1<<20), "MB-heap")
	}
}

// In ten minutes every calendar is asked some ten times, by one request each time,
// and not all at once. Of that little is written down; it is known all the same, and made
// up for where it is lost.
func TestUnchangedCalendarsCostOneRequestEachAndAreSpread(t *testing.T) {
	r := openRig(t, 5, 8)
	for range 3 {
		r.after(time.Minute)
	}
	total, busiest, written := 0, 0, map[string]bool{}
	for range 600 {
		asked := r.after(time.Second)
		total, busiest = total+len(asked), max(busiest, len(asked))
		require.NotContains(t, asked, "PROPFIND")
		list, err := r.db.Read(t.Context()).CalendarsInUse()
		require.NoError(t, err)
		for _, c := range list {
			written[fmt.Sprint(c.ID, " ", c.TriedAt)] = true
			require.Greater(t, c.ReadAt, span.At(r.now)-70)
			require.Greater(t, c.NextAt, span.At(r.now)-1)
		}
	}
	require.InDelta(t, 400, total, 40)
	require.Less(t, busiest, 20, "those that were read together drift apart")
	require.LessOrEqual(t, len(written), 3*40)

	*r.db.Pulses = store.Pulses{} // as after a kill
	require.NoError(t, r.readings.Resume(t.Context()))
	list, err := r.db.Read(t.Context()).CalendarsInUse()
	require.NoError(t, err)
	for _, c := range list {
		require.Equal(t, c.TriedAt, c.ReadAt, "as it was written down")
		require.LessOrEqual(t, c.NextAt, span.At(r.now)+60)
	}
	total = 0
	for range 66 {
		total += len(r.after(time.Second))
	}
	require.GreaterOrEqual(t, total, 40)
}

// Each day only what reaches beyond the horizon is fetched again, and each
// calendar at its own time.
func TestOnlyWhatReachesBeyondTheHorizonIsReadAgain(t *testing.T) {
	r := openRig(t, 1, 6)
	ctx := context.Background()
	tx := r.db.Read(ctx)
	for k := range 6 {
		add := func(title string, days int, weekly bool) {
			start := r.now.AddDate(0, 0, days)
			_, err := r.cloud.Add("person-0", fmt.Sprint("c", k), standin.Event{Title: title, Start: start, End: start.Add(time.Hour), Weekly: weekly})
			require.NoError(t, err)
		}
		for n := range 5 {
			add("Once", 1+n, false)
		}
		add("Weekly", 0, true)
	}
	r.settle()
	spans := func() (n int, last span.Instant) {
		require.NoError(t, tx.CountingSpans(1, func(s span.Span) { n, last = n+1, max(last, s.Start()) }))
		return n, last
	}
	known, last := spans()
	beyond, err := tx.BeyondPaths(1)
	require.NoError(t, err)
	require.Len(t, beyond, 1)
	moved := map[int]bool{}
	for hour := range 24 * 10 {
		fetched := 0
		for _, m := range r.after(time.Hour) {
			if m == "REPORT" {
				fetched++
			}
		}
		if fetched > 6 {
			moved[hour%24] = true
		}
	}
	require.Greater(t, len(moved), 3, "not all at the same hour: %v", moved)
	now, later := spans()
	require.Greater(t, later, last, "the horizon has moved")
	require.Equal(t, known-5, now, "the past is let go of, and as many weeks have come near")
}

// Who an owner is, by mail address and by clock, counts for what is already known.
func TestAChangedAddressIsAppliedToWhatIsKnown(t *testing.T) {
	cloud, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	event := strings.Replace(nichetest.EventText("talk", "20260304T100000Z"), "SUMMARY", "ORGANIZER:mailto:o@x.example\r\nATTENDEE;PARTSTAT=DECLINED:mailto:Bryn@new.example\r\nSUMMARY", 1)
	require.NoError(t, cloud.Put(nichetest.User, "family", "talk.ics", []byte(event)))
	require.NoError(t, cloud.Put(nichetest.User, "family", "float.ics", []byte(nichetest.EventText("float", "20260304T140000"))))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.Equal(t, "09:00 11:00 12:00 13:00 15:00 16:00", d.Starts(wednesday))
	path := fmt.Sprintf("/api/staff/%d", d.Staff.ID)
	require.NoError(t, d.Change(t.Context(), path, desk.StaffFields{Name: "Bryn Castellane", Zone: "Europe/Dublin", Email: "bryn@new.example"}, nil))
	d.Until("what was declined takes no time", func() bool { return d.Starts(wednesday) == "09:00 10:00 11:00 12:00 13:00 15:00 16:00" })
	require.NoError(t, d.Change(t.Context(), path, desk.StaffFields{Name: "Bryn Castellane", Zone: "Europe/Paris", Email: "other@new.example"}, nil))
	// By the clock of Paris the hours are 08:00 to 16:00 in Dublin, and the event without a zone is at 13:00.
	d.Until("it takes time again, and the other has moved", func() bool { return d.Starts(wednesday) == "08:00 09:00 11:00 12:00 14:00 15:00" })
}

// After a clock that was ahead is put right, calendars are read at once, none says
// that it is fresh before, and no held booking is left.
func TestAClockThatGoesBackOverARestart(t *testing.T) {
	trouble := &nichetest.Trouble{}
	cloud, host := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Poll = time.Hour }, nil, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	d.Clock.Move(2 * time.Hour)
	d.Poke("Family")
	_, err := d.Book(wednesday + "T09:00:00Z")
	require.NoError(t, err)
	d.Until("all is read and written", func() bool { return d.Copies(wednesday) == "read back" && d.Pulse("Family").State == "fresh" })
	d.Exec("UPDATE bookings SET status = 'held'")
	trouble.Always("", nichetest.Fault{Status: 503})
	d.Clock.Move(-2 * time.Hour)
	d.Restart(func(*store.DB) {}, func(*serve.Settings) {})
	require.NotEqual(t, "fresh", d.Pulse("Family").State, "it was read in the future")
	require.Zero(t, d.Count("bookings WHERE status = 'held'"))
	nichetest.Add(t, cloud, "family", "New", wednesday+" 10:00", wednesday+" 11:00")
	trouble.Set(nil)
	d.Pass(5 * time.Second)
	d.Until("it is read, an hour before its time", func() bool {
		return d.Starts(wednesday) == "09:00 11:00 12:00 13:00 14:00 15:00 16:00" && d.Pulse("Family").State == "fresh"
	})
}

// Twelve clients at once for a class of twenty places, at a host that takes its time:
// they share the readings, and all are served.
func TestWhoLooksAtTheSameTimeSharesTheReading(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, host := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Poll = time.Hour }, func(f *desk.ServiceFields) { f.Places = 20 }, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
		open := make(chan struct{})
		time.AfterFunc(600*time.Millisecond, func() { close(open) })
		return nichetest.Fault{Wait: open}
	})
	trouble.Asked()
	var clients sync.WaitGroup
	results := make([]error, 12)
	for n := range results {
		clients.Go(func() { _, results[n] = d.Book(wednesday + "T10:00:00Z") })
	}
	clients.Wait()
	for _, err := range results {
		require.NoError(t, err)
	}
	looks := len(slices.DeleteFunc(trouble.Asked(), func(m string) bool { return m == http.MethodPut || m == http.MethodGet }))
	require.Less(t, looks, 12)
	require.Equal(t, "fresh", d.Pulse("Family").State)
}

// Looks at a host that is down for a moment count for nothing: it is read again as
// soon as it is back, and so is every calendar at it.
func TestLooksDoNotMakeAHostRestForLong(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, host := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	d.Choose(d.Calendar("Work"), func(x *api.Choice) { x.Blocks = true })
	trouble.Always("", nichetest.Fault{Unasked: true, Unheard: true})
	var clients sync.WaitGroup
	for n := range 5 {
		clients.Go(func() {
			_, err := d.Book(fmt.Sprintf("%sT1%d:00:00Z", wednesday, n))
			require.NoError(t, err)
		})
	}
	clients.Wait()
	d.Until("the outage is seen", func() bool { return d.Pulse("Family").State == "unreachable" && d.Pulse("Work").State == "unreachable" })
	trouble.Set(nil)
	d.Pass(9 * time.Second)
	d.Until("all is well again", func() bool {
		return d.Pulse("Family").State == "fresh" && d.Pulse("Work").State == "fresh" && d.Copies(wednesday) == "read back, read back, read back, read back, read back"
	})
}
