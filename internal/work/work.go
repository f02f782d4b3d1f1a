// Package work works queues off: whatever stands in the database as due, each piece
// by its own package, with limits and rests for the hosts that it goes to.
//
// What is due stands in the database, so the program can be killed at any moment:
// whatever was not noted as done is done again, and doing it twice does it once.
// The runner knows nothing of what the work is.
package work

import (
	"context"
	"log/slog"
	"maps"
	"slices"
	"sync"
	"time"

	"golang.org/x/sync/errgroup"

	"niche/core/span"
	"niche/internal/store"
)

// Queue is one kind of work.
type Queue struct {
	Name  string
	Store store.Queue
	// Do does one piece. What came of it, it notes itself; the error is for the log.
	Do func(ctx context.Context, id store.ID) error
	// Beside is work of the queue that is not written down as due, but kept in memory;
	// nil for none.
	Beside *store.Pulses
	// Forward makes due what waits for a host that answers again.
	Forward func(tx store.Tx, host string, now span.Instant) error
}

// Runner works queues off.
type Runner struct {
	Hosts  *Hosts
	db     *store.DB
	log    *slog.Logger
	now    func() time.Time
	wake   chan struct{}
	ended  chan struct{} // a piece of work has
	queues []Queue
	found  []found      // by the last look, and not started; this and the next of Run alone
	looked span.Instant // when work was last looked for
	hasty  int          // how many looks there were in a row without a pause

	mu       sync.Mutex
	underway map[job]*course
	again    []again
}

// course is how far a piece of work is that was begun since work was last looked for.
type course struct {
	ended bool
	asked bool // it was found due meanwhile: by what it has not noted yet, or because something new is wanted
}

// again is a piece of work that is still due after it has ended.
type again struct {
	queue string
	due   store.Due
}

// job is one piece of work.
type job struct {
	queue string
	id    store.ID
}

// New returns a runner that does nothing before Run.
func New(db *store.DB, log *slog.Logger, now func() time.Time) *Runner {
	return &Runner{Hosts: NewHosts(now), db: db, log: log, now: now, wake: make(chan struct{}, 1), ended: make(chan struct{}, 1), underway: map[job]*course{}}
}

// Add adds a queue, before Run.
func (r *Runner) Add(q Queue) { r.queues = append(r.queues, q) }

// Wake makes the runner look for due work at once.
func (r *Runner) Wake() {
	select {
	case r.wake <- struct{}{}:
	default:
	}
}

// together is how many pieces of work go on at the same time, over all hosts.
const together = 64

// idle is the longest that the runner sleeps without looking for work.
const idle = time.Minute

// Run works off what is due until the context ends, and returns when everything it
// began has ended.
func (r *Runner) Run(ctx context.Context) {
	var work errgroup.Group
	work.SetLimit(together)
	r.Hosts.recovered = func(host string) { r.forward(context.WithoutCancel(ctx), host) }
	for ctx.Err() == nil {
		r.await(ctx, &work, r.Begin(ctx, &work))
	}
	_ = work.Wait()
}

// News is looked after at once, but in a rush of it, after so many looks in a row with no pause between: then a look in a
// while is enough.
const (
	pause = 20 * time.Millisecond
	rush  = 16
)

// shortest is how long the runner sleeps at least, unless it is woken.
const shortest = 50 * time.Millisecond

// await starts what has been found already as places become free, until there is a
// reason to look for work anew: news, something that has come due, or that nothing
// found is left for a place while there may be more. What has ended can have come due
// before all that was known of, so that is asked again.
func (r *Runner) await(ctx context.Context, work *errgroup.Group, next time.Duration) {
	due := time.NewTimer(next)
	defer due.Stop()
	asks := time.NewTimer(idle)
	defer asks.Stop()
	rest := time.NewTimer(pause)
	defer rest.Stop()
	asked, woken, rested := false, false, false
	for {
		select {
		case <-ctx.Done():
			return
		case <-r.wake:
			if woken = true; rested || r.hasty < rush {
				r.hasty++
				return
			}
		case <-rest.C:
			if rested = true; woken {
				return
			}
			r.hasty = 0
		case <-due.C:
			return
		case <-r.ended:
			if !r.startFound(ctx, work) {
				return
			}
			if !asked {
				asked = true
				asks.Reset(shortest)
			}
		case <-asks.C:
			asked = false
			due.Reset(r.next(ctx))
		}
	}
}

// next returns how long nothing comes due that the last look has not found. What came
// due in the same second as that may have done so after it.
func (r *Runner) next(ctx context.Context) time.Duration {
	now := r.now()
	next := idle
	if _, first := r.Hosts.resting(); !first.IsZero() {
		next = min(next, first.Sub(now))
	}
	for _, q := range r.queues {
		later, err := r.db.Read(ctx).DueNext(q.Store, r.looked-1)
		if err != nil && ctx.Err() == nil {
			r.log.Error("looking for work", "queue", q.Name, "error", err)
		}
		if q.Beside != nil {
			if _, beside := q.Beside.Due(r.looked); beside > 0 {
				next = min(next, beside.Time().Sub(now))
			}
		}
		if later > 0 && later < store.Never {
			next = min(next, later.Time().Sub(now))
		}
	}
	return max(next, shortest)
}

// forward brings forward what waits for a host.
func (r *Runner) forward(ctx context.Context, host string) {
	err := r.db.Write(ctx, func(tx store.Tx) error {
		for _, q := range r.queues {
			if err := q.Forward(tx, host, span.At(r.now())); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		r.log.Error("bringing work forward", "host", host, "error", err)
	}
	r.Wake()
}

// atOnce is how many pieces of due work are looked at together.
const atOnce = 256

// found is what a look for work has found of a queue and could not be started yet.
type found struct {
	queue Queue
	due   []store.Due
	more  bool // there may be more at these hosts than was looked at
}

// Begin finds all work that is due, starts that for whose host there is a place, and
// returns how long nothing else will come due.
func (r *Runner) Begin(ctx context.Context, work *errgroup.Group) time.Duration {
	// What has ended is looked for anew; what ends from here on may still stand as due
	// in what is read now.
	r.mu.Lock()
	maps.DeleteFunc(r.underway, func(_ job, c *course) bool { return c.ended })
	r.mu.Unlock()
	resting, _ := r.Hosts.resting()
	r.looked = span.At(r.now())
	r.found = r.found[:0]
	for _, q := range r.queues {
		f, err := r.find(ctx, q, resting)
		if err != nil && ctx.Err() == nil {
			r.log.Error("looking for work", "queue", q.Name, "error", err)
		}
		r.found = append(r.found, f)
	}
	r.startFound(ctx, work)
	return r.next(ctx)
}

// find lists the due work of a queue, but for what goes to hosts that rest: of each
// host at least as much as has places, and more where a host has a backlog.
func (r *Runner) find(ctx context.Context, q Queue, resting []string) (found, error) {
	f := found{queue: q}
	if q.Beside != nil {
		due, _ := q.Beside.Due(r.looked)
		f.due = slices.DeleteFunc(due, func(d store.Due) bool { return slices.Contains(resting, d.Host) })
	}
	passed := slices.Clone(resting)
	for {
		list, err := r.db.Read(ctx).DueNow(q.Store, r.looked, passed, atOnce)
		if err != nil {
			return f, err
		}
		f.due = append(f.due, list...)
		if len(list) < atOnce {
			return f, nil
		}
		f.more = true
		// There may be others behind these.
		for _, d := range list {
			if !slices.Contains(passed, d.Host) {
				passed = append(passed, d.Host)
			}
		}
	}
}

// startFound starts what was found and has a place, and reports whether what was found
// is enough until there is news: nothing was left out that might have a place now.
func (r *Runner) startFound(ctx context.Context, work *errgroup.Group) bool {
	enough := true
	r.mu.Lock()
	list := r.again
	r.again = nil
	r.mu.Unlock()
	for _, a := range list {
		for i := range r.found {
			if f := &r.found[i]; a.queue == f.queue.Name {
				f.due = append(f.due, a.due)
			}
		}
	}
	turns := r.turns()
	for i := range 2 * len(r.found) {
		f, later := &r.found[i%len(r.found)], i >= len(r.found)
		full, waiting := map[string]bool{}, f.due[:0]
		for n, d := range f.due {
			j := job{f.queue.Name, d.ID}
			switch {
			case full[d.Host] || !later && turns[d.Host] != "" && turns[d.Host] != f.queue.Name:
				waiting = append(waiting, d)
			case r.isUnderway(ctx, f.queue, j):
			case !r.Hosts.enter(d.Host):
				full[d.Host] = true
				waiting = append(waiting, d)
			case !r.start(ctx, work, f.queue, j, d.Host):
				f.due = append(waiting, f.due[n:]...)
				return true // all places are taken
			}
		}
		f.due = waiting
		enough = enough && (!f.more || len(waiting) > atOnce/4)
	}
	return enough
}

// turns returns which queue is next to try each host that struggles, of those that have
// something for it: the one that has not for longest. What such a host refuses each time,
// as one does that cannot store, so keeps nobody from what it would answer.
func (r *Runner) turns() map[string]string {
	turns, last := map[string]string{}, map[string]int{}
	for _, f := range r.found {
		for _, d := range f.due {
			try, struggles := r.Hosts.tried(d.Host, f.queue.Name)
			if struggles && (turns[d.Host] == "" || try < last[d.Host]) {
				turns[d.Host], last[d.Host] = f.queue.Name, try
			}
		}
	}
	return turns
}

// isUnderway reports whether a job goes on. One that has ended since it was found is
// none that is due, unless it is seen to be.
func (r *Runner) isUnderway(ctx context.Context, q Queue, j job) bool {
	r.mu.Lock()
	c, known := r.underway[j]
	if known {
		c.asked = true
	}
	ended := known && c.ended
	r.mu.Unlock()
	return known && !(ended && r.isStillDue(ctx, q, j, c))
}

// isStillDue reports whether a job that has ended is due again, and forgets then that
// it has been under way.
func (r *Runner) isStillDue(ctx context.Context, q Queue, j job, c *course) bool {
	due, err := r.db.Read(ctx).IsDue(q.Store, j.id, span.At(r.now()))
	if err != nil && ctx.Err() == nil {
		r.log.Error("looking for work", "queue", q.Name, "id", j.id, "error", err)
	}
	if due {
		r.mu.Lock()
		if r.underway[j] == c {
			delete(r.underway, j)
		}
		r.mu.Unlock()
	}
	return due
}

// start runs a job, whose host has been entered.
func (r *Runner) start(ctx context.Context, work *errgroup.Group, q Queue, j job, host string) bool {
	r.mu.Lock()
	c := &course{}
	r.underway[j] = c
	r.mu.Unlock()
	began := r.now()
	started := work.TryGo(func() error {
		err := q.Do(ctx, j.id)
		if err != nil && ctx.Err() == nil {
			r.log.Warn("exchanging with a host", "queue", j.queue, "id", j.id, "error", err)
		}
		r.Hosts.leave(host, q.Name, r.now().Sub(began))
		r.end(ctx, q, j, c, host)
		select {
		case r.ended <- struct{}{}:
		default:
		}
		return nil
	})
	if !started {
		r.Hosts.release(host)
		r.mu.Lock()
		delete(r.underway, j)
		r.mu.Unlock()
	}
	return started
}

// end notes that a job has ended. One that was found due meanwhile is looked at: if it
// still is, something new was wanted while it went on, and it is done again.
func (r *Runner) end(ctx context.Context, q Queue, j job, c *course, host string) {
	r.mu.Lock()
	c.ended = true
	asked := c.asked
	r.mu.Unlock()
	if asked && r.isStillDue(ctx, q, j, c) {
		r.mu.Lock()
		r.again = append(r.again, again{q.Name, store.Due{ID: j.id, Host: host}})
		r.mu.Unlock()
	}
}
