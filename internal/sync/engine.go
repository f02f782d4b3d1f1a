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
	hosts    hosts
	counts   counts
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
	return &Engine{Settings: s, wake: make(chan struct{}, 1), hosts: hosts{list: map[string]*host{}}, counts: newCounts(),
		reading: map[store.ID]chan struct{}{}, underway: map[job]bool{}}
}

// Wake makes the engine look for due work at once.
func (e *Engine) Wake() {
	select {
	case e.wake <- struct{}{}:
	default:
	}
}

// together is how many exchanges go on at the same time, over all hosts.
const together = 64

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

// due is work that has come due.
type due struct {
	ID      store.ID
	Address string // of the link
	Wanted  bool   // by a person, just now
}

// queue is a kind of work that stands in the database.
type queue struct {
	kind  string
	from  string // the rows of the work as w, with its calendar c and link l
	where string
	do    func(*Engine, context.Context, store.ID) error
}

var queues = []queue{
	{"read", "calendars w JOIN links l ON l.id = w.link_id", "(w.blocks OR w.gets_bookings)", (*Engine).Read},
	{"write", "copies w JOIN calendars c ON c.id = w.calendar_id JOIN links l ON l.id = c.link_id", "w.state IN ('waiting', 'written', 'failed')", (*Engine).write},
}

// begin starts all work that is due and whose host has a place for it, and
// returns how long there is none.
func (e *Engine) begin(ctx context.Context, work *errgroup.Group) time.Duration {
	now := e.Now()
	next := idle
	for _, q := range queues {
		var list []due
		var later span.Instant
		db := e.DB.Read(ctx)
		err := db.Raw("SELECT w.id, l.address, w.next_at = 0 AS wanted FROM "+q.from+" WHERE "+q.where+" AND w.next_at <= ? ORDER BY w.next_at", span.At(now)).Scan(&list).Error
		if err == nil {
			err = db.Raw("SELECT COALESCE(MIN(w.next_at), 0) FROM "+q.from+" WHERE "+q.where+" AND w.next_at > ?", span.At(now)).Scan(&later).Error
		}
		if err != nil && ctx.Err() == nil {
			e.Log.Error("looking for work", "kind", q.kind, "error", err)
		}
		if later > 0 {
			next = min(next, later.Time().Sub(now))
		}
		for _, d := range list {
			wait, started := e.start(work, job{q.kind, d.ID}, link.HostOf(store.Link{Address: d.Address}), now, d.Wanted, func() {
				if err := q.do(e, ctx, d.ID); err != nil && ctx.Err() == nil {
					e.Log.Warn("exchanging with a host", "kind", q.kind, "id", d.ID, "error", err)
				}
			})
			if !started && wait > 0 {
				next = min(next, wait)
			}
		}
	}
	return max(next, 50*time.Millisecond)
}

// start runs a job, unless it is under way already or there is no place for it;
// then it stays due, and the end of another job or the time to wait for brings
// it back.
func (e *Engine) start(work *errgroup.Group, j job, host string, now time.Time, wanted bool, do func()) (wait time.Duration, started bool) {
	e.mu.Lock()
	busy := e.underway[j]
	e.mu.Unlock()
	if busy {
		return 0, false
	}
	if wait, ok := e.hosts.enter(host, now, wanted); !ok {
		return wait, false
	}
	e.mu.Lock()
	e.underway[j] = true
	e.mu.Unlock()
	end := func() {
		e.hosts.leave(host)
		e.mu.Lock()
		delete(e.underway, j)
		e.mu.Unlock()
	}
	if !work.TryGo(func() error { defer e.Wake(); defer end(); do(); return nil }) {
		end()
		return 0, false
	}
	return 0, true
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
