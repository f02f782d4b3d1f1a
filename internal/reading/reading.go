// Package reading keeps what is known of the busy time in outside calendars: it
// reads what changed, expands it into a horizon, and keeps spans only. It is the only
// one that changes the states of calendars.
//
// A calendar is read when its time has come, and whenever somebody is about to be
// booked whose time it blocks. One reading goes on at a time for a calendar, and
// serves everybody who asked before it began.
package reading

import (
	"context"
	"fmt"
	"hash/fnv"
	"log/slog"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/store"
	"niche/internal/together"
	"niche/internal/work"
)

// Settings of the readings.
type Settings struct {
	DB    *store.DB
	Links *link.Links
	Hosts *work.Hosts
	Hub   *live.Hub
	Log   *slog.Logger
	Now   func() time.Time
	Poll  time.Duration // how often a calendar is read
	Wake  func()        // makes due work be looked for
	// Refused and Clashed tell the owner, in the transaction that notes it, that their key is
	// no longer taken, and what has come on top of visits at a moment; nil for nobody.
	Refused func(tx store.Tx, link store.Link) error
	Clashed func(tx store.Tx, calendar store.ID, found span.Instant) error
	// Noted is told how each reading went; nil for nobody.
	Noted func(calendar store.ID, host string, took time.Duration, err error)
}

// Readings reads calendars.
type Readings struct {
	Settings
	counts counts
	runs   *together.Runs[store.ID, struct{}]
}

// New returns readings, which go on until the context ends.
func New(ctx context.Context, s Settings) *Readings {
	return &Readings{Settings: s, counts: newCounts(), runs: together.New[store.ID, struct{}](ctx, 0)}
}

// Resume takes up the polls whose times were kept beside and went with the program
// that kept them.
func (r *Readings) Resume(ctx context.Context) error {
	return r.DB.Write(ctx, func(tx store.Tx) error {
		return tx.ResumePolls(span.Instant(r.Poll/time.Second), 2*unnoted(r.Poll))
	})
}

// Wait waits until no reading goes on. The context must have ended.
func (r *Readings) Wait() { r.runs.Wait() }

// Queue returns the calendars as work.
func (r *Readings) Queue() work.Queue {
	return work.Queue{Name: "calendars", Store: store.CalendarQueue, Do: r.poll, Beside: r.DB.Pulses,
		Forward: func(tx store.Tx, host string, now span.Instant) error {
			return tx.CalendarsForward(host, store.NotReached, now)
		}}
}

// poll reads a calendar whose time has come.
func (r *Readings) poll(ctx context.Context, id store.ID) error {
	_, err := r.runs.Do(ctx, id, r.reader(id, true))
	return err
}

// reader reads a calendar, because its time has come or only for a look.
func (r *Readings) reader(id store.ID, polled bool) func(context.Context) (struct{}, error) {
	return func(ctx context.Context) (struct{}, error) { return struct{}{}, r.read(ctx, id, polled) }
}

// Look reads the calendars that block a staff member once more, all at the same
// time, and reports whether that could be done within some time. A host that cannot be
// asked in time is not blamed for it; that time is the hosts', and what Niche itself takes
// before they are asked is none of it.
func (r *Readings) Look(ctx context.Context, within time.Duration, staff store.ID) (allRead bool, err error) {
	list, err := r.DB.Read(ctx).BlockingIDs(staff)
	if err != nil {
		return false, fmt.Errorf("looking for calendars to read: %w", err)
	}
	ctx, cancel := context.WithTimeout(ctx, within)
	defer cancel()

	runs := make([]*together.Run[struct{}], len(list))
	for i, id := range list {
		runs[i] = r.runs.Next(id, r.reader(id, false))
	}
	allRead = true
	for _, u := range runs {
		_, err := u.Wait(ctx)
		allRead = err == nil && allRead
	}
	return allRead, nil
}

// spread returns a number from 0 to 1 that is always the same for a calendar and
// a salt, and differs between calendars.
func spread(id store.ID, salt span.Instant) float64 {
	h := fnv.New32a()
	_, _ = fmt.Fprint(h, id, "/", salt)
	return float64(h.Sum32()) / (1 << 32)
}

// counts are what is counted while calendars are read.
type counts struct {
	reads   *prometheus.CounterVec
	lasted  prometheus.Histogram
	objects prometheus.Counter
}

func newCounts() counts {
	return counts{
		reads: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "niche_reads_total",
			Help: "Calendars read, by what came of it: unchanged, changed or failed."}, []string{"result"}),
		lasted: prometheus.NewHistogram(prometheus.HistogramOpts{Name: "niche_read_seconds",
			Help: "How long it took to read a calendar.", Buckets: prometheus.ExponentialBuckets(0.005, 2, 13)}),
		objects: prometheus.NewCounter(prometheus.CounterOpts{Name: "niche_events_expanded_total",
			Help: "Events that were fetched and expanded into busy spans."}),
	}
}

// Counters returns what is counted.
func (r *Readings) Counters() []prometheus.Collector {
	return []prometheus.Collector{r.counts.reads, r.counts.lasted, r.counts.objects}
}
