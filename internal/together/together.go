// Package together answers all who ask for the same at the same moment by one piece of
// work, so that a rush costs little more than one who asks.
//
// Nothing is remembered: whoever asks is served by work that began after they asked, and so
// told what is so then. One piece of work goes on at a time for what is asked for, and at
// most one more waits for its end.
package together

import (
	"context"
	"fmt"
	"runtime/debug"
	"sync"
	"time"
)

// Runs does work by what is asked for, which is a K; what comes of it is a V, which all who
// asked share and nobody may change.
type Runs[K comparable, V any] struct {
	ctx      context.Context // in which work goes on, whoever asked for it
	rest     time.Duration   // between two runs for the same, so that a rush leaves the machine to others too
	underway sync.WaitGroup

	mu    sync.Mutex
	gates map[K]*gate[V]
}

// gate lets one run go on at a time.
type gate[V any] struct {
	now  *Run[V] // that goes on, or has just ended
	next *Run[V] // that begins then, after a rest, if somebody wants it
}

// Run is one piece of work, for all who wait for it.
type Run[V any] struct {
	do   func(context.Context) (V, error)
	done chan struct{}
	v    V
	err  error
}

// New returns runs, which go on until the context ends. Between two for the same there is a
// rest, if somebody waits for the second.
func New[K comparable, V any](ctx context.Context, rest time.Duration) *Runs[K, V] {
	return &Runs[K, V]{ctx: ctx, rest: rest, gates: map[K]*gate[V]{}}
}

// Wait waits until no run goes on. Nobody may ask any more.
func (r *Runs[K, V]) Wait() { r.underway.Wait() }

// Do does what is asked for, together with all who ask for it now, and waits for what comes
// of it or until the context ends.
func (r *Runs[K, V]) Do(ctx context.Context, key K, do func(context.Context) (V, error)) (V, error) {
	return r.Next(key, do).Wait(ctx)
}

// Next returns the run that begins next. It does what was asked for by whoever wanted it
// first.
func (r *Runs[K, V]) Next(key K, do func(context.Context) (V, error)) *Run[V] {
	return r.join(key, do, false)
}

// Current returns the run that goes on or has just ended, or where there is none the one that
// begins now: for those to whom what was so a moment ago is as good.
func (r *Runs[K, V]) Current(key K, do func(context.Context) (V, error)) *Run[V] {
	return r.join(key, do, true)
}

func (r *Runs[K, V]) join(key K, do func(context.Context) (V, error), current bool) *Run[V] {
	r.mu.Lock()
	defer r.mu.Unlock()
	g := r.gates[key]
	switch {
	case g == nil:
		g = &gate[V]{now: newRun(do)}
		r.gates[key] = g
		r.underway.Go(func() { r.workOff(key, g, g.now) })
		return g.now
	case current:
		return g.now
	case g.next == nil:
		g.next = newRun(do)
	}
	return g.next
}

func newRun[V any](do func(context.Context) (V, error)) *Run[V] {
	return &Run[V]{do: do, done: make(chan struct{})}
}

// workOff does one run after the other, as long as somebody wants the next.
func (r *Runs[K, V]) workOff(key K, g *gate[V], run *Run[V]) {
	for run != nil {
		run.work(r.ctx)
		if run = r.follow(key, g, false); run == nil {
			return
		}
		rested := time.NewTimer(r.rest)
		select {
		case <-rested.C:
		case <-r.ctx.Done():
			rested.Stop()
		}
		run = r.follow(key, g, true)
	}
}

// follow returns the run that is wanted next, and once it begins makes it the one that goes
// on. Where none is wanted, it forgets the gate.
func (r *Runs[K, V]) follow(key K, g *gate[V], begins bool) *Run[V] {
	r.mu.Lock()
	defer r.mu.Unlock()
	next := g.next
	switch {
	case next == nil:
		delete(r.gates, key)
	case begins:
		g.now, g.next = next, nil
	}
	return next
}

// work does the work. A fault in it is an error to those who wait, as it would be to each of
// them alone.
func (u *Run[V]) work(ctx context.Context) {
	defer close(u.done)
	defer func() {
		if fault := recover(); fault != nil {
			u.err = fmt.Errorf("panic: %v\n%s", fault, debug.Stack())
		}
	}()
	u.v, u.err = u.do(ctx)
}

// Wait waits for what comes of a run, or until the context ends.
func (u *Run[V]) Wait(ctx context.Context) (V, error) {
	select {
	case <-u.done:
		return u.v, u.err
	case <-ctx.Done():
		var none V
		return none, context.Cause(ctx)
	}
}
