// Package sync is the engine over links: it reads the calendars that block
// time, writes the copies of bookings, and keeps both going for as long as the
// program runs.
//
// What is due stands in the database, so the engine can be killed at any
// moment: whatever was not noted as done is done again, and doing it twice does
// it once.
package sync

import (
	"context"
	"log/slog"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/store"
)

// Settings of an engine.
type Settings struct {
	DB    *store.DB
	Links *link.Links
	Hub   *live.Hub
	Log   *slog.Logger
	Now   func() time.Time
	Poll  time.Duration // how often a calendar is read
}

// Engine reads and writes over links.
type Engine struct {
	Settings
	wake     chan struct{}
	mu       sync.Mutex
	reading  map[store.ID]chan struct{} // one reader at a time for a calendar
	underway map[job]bool
}

// job is one piece of due work.
type job struct {
	kind string // read or write
	id   store.ID
}

// New returns an engine that does nothing before Run.
func New(s Settings) *Engine {
	return &Engine{Settings: s, wake: make(chan struct{}, 1), reading: map[store.ID]chan struct{}{}, underway: map[job]bool{}}
}

// Wake makes the engine look for due work at once.
func (e *Engine) Wake() {
	select {
	case e.wake <- struct{}{}:
	default:
	}
}

// together is how many exchanges with hosts go on at the same time.
const together = 32

// idle is the longest that the engine sleeps without looking for work.
const idle = time.Minute

// Run reads and writes what is due until the context ends, and returns when
// everything it began has ended.
func (e *Engine) Run(ctx context.Context) {
	var work errgroup.Group
	work.SetLimit(together)
	for ctx.Err() == nil {
		next := e.begin(ctx, &work)
		timer := time.NewTimer(next)
		select {
		case <-ctx.Done():
		case <-e.wake:
		case <-timer.C:
		}
		timer.Stop()
	}
	_ = work.Wait()
}

// begin starts all work that is due, and returns how long there is none.
func (e *Engine) begin(ctx context.Context, work *errgroup.Group) time.Duration {
	now := span.At(e.Now())
	next := idle
	later := func(at span.Instant) {
		if wait := time.Duration(at-now) * time.Second; wait > 0 {
			next = min(next, wait)
		}
	}
	var calendars []store.Calendar
	if err := e.DB.Read(ctx).Where("(blocks OR gets_bookings) AND next_at <= ?", now+span.Instant(idle/time.Second)).
		Order("next_at").Find(&calendars).Error; err != nil && ctx.Err() == nil {
		e.Log.Error("looking for calendars to read", "error", err)
	}
	for _, c := range calendars {
		if c.NextAt > now {
			later(c.NextAt)
			continue
		}
		e.start(work, job{"read", c.ID}, func() {
			if err := e.Read(ctx, c.ID); err != nil && ctx.Err() == nil {
				e.Log.Warn("reading a calendar", "calendar", c.ID, "error", err)
			}
		})
	}
	var copies []store.Copy
	if err := e.DB.Read(ctx).Where("state IN ('waiting', 'written', 'failed') AND next_at <= ?", now+span.Instant(idle/time.Second)).
		Order("next_at").Limit(1000).Find(&copies).Error; err != nil && ctx.Err() == nil {
		e.Log.Error("looking for copies to write", "error", err)
	}
	for _, c := range copies {
		if c.NextAt > now {
			later(c.NextAt)
			continue
		}
		e.start(work, job{"write", c.ID}, func() {
			if err := e.write(ctx, c.ID); err != nil && ctx.Err() == nil {
				e.Log.Warn("writing a copy", "copy", c.ID, "error", err)
			}
		})
	}
	return max(next, 50*time.Millisecond)
}

// start runs a job unless it is under way already.
func (e *Engine) start(work *errgroup.Group, j job, do func()) {
	e.mu.Lock()
	busy := e.underway[j]
	e.underway[j] = true
	e.mu.Unlock()
	if busy {
		return
	}
	end := func() {
		e.mu.Lock()
		delete(e.underway, j)
		e.mu.Unlock()
		e.Wake()
	}
	if !work.TryGo(func() error { defer end(); do(); return nil }) {
		e.mu.Lock()
		delete(e.underway, j)
		e.mu.Unlock()
	}
}

// alone waits until nobody else reads the calendar, or the context ends.
func (e *Engine) alone(ctx context.Context, id store.ID) (release func(), err error) {
	e.mu.Lock()
	gate, ok := e.reading[id]
	if !ok {
		gate = make(chan struct{}, 1)
		e.reading[id] = gate
	}
	e.mu.Unlock()
	select {
	case gate <- struct{}{}:
		return func() { <-gate }, nil
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// pause returns how long to wait after so many failures in a row.
func pause(base time.Duration, failures int, asked time.Duration) time.Duration {
	const longest = 10 * time.Minute
	wait := base << min(failures, 10)
	return max(min(wait, longest), asked)
}
