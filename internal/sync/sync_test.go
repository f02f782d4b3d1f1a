package sync

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"runtime"
	"strings"
	"sync"
	"sync/atomic"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/standin"
	"niche/internal/store"
)

// rig is an engine whose time stands still until a test moves it, with links to a
// simulated host.
type rig struct {
	*Engine
	tb       testing.TB
	cloud    *standin.Cloud
	requests atomic.Int64
	mu       sync.Mutex
	asked    []string
	now      time.Time
}

// openRig links people with some calendars each, which all block and have been
// read once.
func openRig(tb testing.TB, people, each int) *rig {
	r := &rig{tb: tb, now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	var accounts []standin.Account
	for n := range people {
		a := standin.Account{User: fmt.Sprintf("person-%d", n), Password: "key", Zone: "UTC"}
		for k := range each {
			a.Calendars = append(a.Calendars, standin.Calendar{ID: fmt.Sprint("c", k), Name: fmt.Sprint("Calendar ", k)})
		}
		accounts = append(accounts, a)
	}
	clock := func() time.Time { return r.now }
	var err error
	r.cloud, err = standin.Open("", clock, accounts)
	require.NoError(tb, err)
	honest := r.cloud.Handler()
	host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, q *http.Request) {
		r.requests.Add(1)
		r.mu.Lock()
		r.asked = append(r.asked, q.Method)
		r.mu.Unlock()
		honest.ServeHTTP(w, q)
	}))
	tb.Cleanup(host.Close)
	db, err := store.Open(tb.TempDir())
	require.NoError(tb, err)
	tb.Cleanup(func() { require.NoError(tb, db.Close()) })
	keeper, err := link.OpenKeeper(tb.TempDir() + "/key")
	require.NoError(tb, err)
	links := link.New(db, keeper, outbound.NewClient([]string{strings.TrimPrefix(host.URL, "http://")}, 10*time.Second), clock)
	r.Engine = New(Settings{DB: db, Links: links, Hub: &live.Hub{}, Log: slog.New(slog.DiscardHandler), Now: clock, Poll: time.Minute})
	for n := range people {
		s := store.Staff{Name: fmt.Sprint("Person ", n), Zone: "Europe/Dublin"}
		require.NoError(tb, db.Write(context.Background(), func(tx *gorm.DB) error { return tx.Create(&s).Error }))
		l, err := links.Add(context.Background(), s.ID, host.URL, fmt.Sprintf("person-%d", n), "key")
		require.NoError(tb, err)
		var calendars []store.Calendar
		require.NoError(tb, db.Read(context.Background()).Where("link_id = ?", l.ID).Find(&calendars).Error)
		for _, c := range calendars {
			_, err := links.Choose(context.Background(), c.ID, link.Choice{Blocks: true})
			require.NoError(tb, err)
		}
	}
	return r
}

// settle does all that is due at the present moment.
func (r *rig) settle() {
	var work errgroup.Group
	work.SetLimit(together)
	for before := int64(-1); before != r.requests.Load(); {
		before = r.requests.Load()
		r.begin(context.Background(), &work)
		require.NoError(r.tb, work.Wait())
	}
}

func (r *rig) forget() {
	r.mu.Lock()
	defer r.mu.Unlock()
	r.asked = nil
}

// BenchmarkAThousandUnchangedCalendars shows what ten minutes of simulated time
// cost: the host's own work, in the same process, included.
func BenchmarkAThousandUnchangedCalendars(b *testing.B) {
	r := openRig(b, 100, 10)
	for n := range 1000 {
		_, err := r.cloud.Add(fmt.Sprintf("person-%d", n%100), fmt.Sprint("c", n/100), standin.Event{Title: "x", Start: r.now.Add(time.Hour), End: r.now.Add(2 * time.Hour), Weekly: n%5 == 0})
		require.NoError(b, err)
	}
	r.settle()
	cpu := func() time.Duration {
		var u syscall.Rusage
		require.NoError(b, syscall.Getrusage(syscall.RUSAGE_SELF, &u))
		return time.Duration(u.Utime.Nano() + u.Stime.Nano())
	}
	for b.Loop() {
		r.requests.Store(0)
		used := cpu()
		for range 600 {
			r.now = r.now.Add(time.Second)
			r.settle()
		}
		used = cpu() - used
		runtime.GC()
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		n := float64(r.requests.Load())
		b.ReportMetric(n, "requests")
		b.ReportMetric(float64(used.Microseconds())/n, "µs-CPU/request")
		b.ReportMetric(float64(m.HeapInuse)/(1<<20), "MB-heap")
	}
}

// In ten minutes every calendar is asked some ten times, by one request each time,
// and not all at once.
func TestUnchangedCalendarsCostOneRequestEachAndAreSpread(t *testing.T) {
	r := openRig(t, 5, 8)
	r.settle()
	r.forget()
	r.requests.Store(0)
	busiest := int64(0)
	for range 600 {
		before := r.requests.Load()
		r.now = r.now.Add(time.Second)
		r.settle()
		busiest = max(busiest, r.requests.Load()-before)
	}
	require.InDelta(t, 400, r.requests.Load(), 40)
	for _, method := range r.asked {
		require.Equal(t, "REPORT", method)
	}
	require.Less(t, busiest, int64(20), "those that were read together drift apart")
}

// Each day only what reaches beyond the horizon is fetched again, and each
// calendar at its own time.
func TestOnlyWhatReachesBeyondTheHorizonIsReadAgain(t *testing.T) {
	r := openRig(t, 1, 6)
	ctx := context.Background()
	for k := range 6 {
		for n := range 5 {
			start := r.now.AddDate(0, 0, 1+n)
			_, err := r.cloud.Add("person-0", fmt.Sprint("c", k), standin.Event{Title: "Once", Start: start, End: start.Add(time.Hour)})
			require.NoError(t, err)
		}
		_, err := r.cloud.Add("person-0", fmt.Sprint("c", k), standin.Event{Title: "Weekly", Start: r.now, End: r.now.Add(time.Hour), Weekly: true})
		require.NoError(t, err)
		_, err = r.cloud.Add("person-0", fmt.Sprint("c", k), standin.Event{Title: "Far away", Start: r.now.AddDate(0, 0, 95), End: r.now.AddDate(0, 0, 95).Add(time.Hour)})
		require.NoError(t, err)
	}
	r.settle()
	spans := func() (n int64, last span.Instant) {
		require.NoError(t, r.DB.Read(ctx).Raw("SELECT COUNT(*), MAX(start) FROM busy_spans WHERE calendar_id = 1").Row().Scan(&n, &last))
		return n, last
	}
	n, last := spans()
	require.EqualValues(t, 5+13, n, "five that happen once, and one every week until 92 days ahead, of which none is yesterday")
	moved := map[int]bool{}
	for hour := range 24 * 10 {
		r.now = r.now.Add(time.Hour)
		r.forget()
		r.settle()
		if strings.Contains(strings.Join(r.asked, " "), "REPORT REPORT REPORT REPORT REPORT REPORT REPORT") {
			moved[hour%24] = true
		}
	}
	require.Greater(t, len(moved), 3, "not all at the same hour: %v", moved)
	n2, last2 := spans()
	require.Greater(t, last2, last)
	require.EqualValues(t, 13+1, n2, "the past is let go of, and what was far away has come near")
	var objects []store.Object
	require.NoError(t, r.DB.Read(ctx).Where("calendar_id = 1 AND beyond = 1").Find(&objects).Error)
	require.Len(t, objects, 1)
}

func TestPausesGrowAndHostsAreLeftAlone(t *testing.T) {
	h := hosts{list: map[string]*host{}}
	now := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	silent := &outbound.Error{Kind: outbound.NotReached}
	for n := range perHost {
		_, ok := h.enter("a", now, false)
		require.True(t, ok, n)
	}
	_, ok := h.enter("a", now, false)
	require.False(t, ok, "four at a time")
	_, ok = h.enter("b", now, false)
	require.True(t, ok, "another host has its own places")
	var waits []time.Duration
	for range 12 {
		h.note("a", silent, 0, now)
		wait, ok := h.enter("a", now, false)
		require.False(t, ok)
		waits = append(waits, wait)
	}
	require.Equal(t, []time.Duration{2 * time.Second, 4 * time.Second, 8 * time.Second}, waits[:3])
	require.Equal(t, 10*time.Minute, waits[11])
	h.note("a", silent, time.Hour, now)
	wait, _ := h.enter("a", now, false)
	require.Equal(t, time.Hour, wait, "as long as the host asks")
	for range perHost {
		h.leave("a")
	}
	_, ok = h.enter("a", now, true)
	require.True(t, ok, "a person does not wait")
	h.leave("a")
	_, ok = h.enter("a", now.Add(2*time.Hour), false)
	require.True(t, ok)
	_, ok = h.enter("a", now.Add(2*time.Hour), false)
	require.False(t, ok, "one at a time, until it answers")
	h.note("a", &outbound.Error{Kind: outbound.WrongKey}, 0, now)
	_, ok = h.enter("a", now.Add(2*time.Hour), false)
	require.True(t, ok, "an account's trouble is not the host's")
}
