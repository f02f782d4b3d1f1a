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

	mu   sync.Mutex
	next map[K]*Run[V] // of what is being worked at: the run that begins then, nil as long as nobody wants one
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
	return &Runs[K, V]{ctx: ctx, rest: rest, next: map[K]*Run[V]{}}
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
	r.mu.Lock()
	defer r.mu.Unlock()
	next, busy := r.next[key]
	switch {
	case !busy:
		now := newRun(do)
		r.next[key] = nil
		r.underway.Go(func() { r.workOff(key, now) })
		return now
	case next == nil:
		next = newRun(do)
		r.next[key] = next
	}
	return next
}

func newRun[V any](do func(context.Context) (V, error)) *Run[V] {
	return &Run[V]{do: do, done: make(chan struct{})}
}

// workOff does one run after the other, as long as somebody wants the next.
func (r *Runs[K, V]) workOff(key K, run *Run[V]) {
	for {
		run.work(r.ctx)
		if !r.wanted(key) {
			return
		}
		rested := time.NewTimer(r.rest)
		select {
		case <-rested.C:
		case <-r.ctx.Done():
			rested.Stop()
		}
		run = r.take(key)
	}
}

// wanted reports whether somebody wants a run after the one that has ended. If nobody does, nothing is
// worked at any more.
func (r *Runs[K, V]) wanted(key K) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.next[key] == nil {
		delete(r.next, key)
		return false
	}
	return true
}

// take takes the run that begins now: whoever asks from here on wants another one.
func (r *Runs[K, V]) take(key K) *Run[V] {
	r.mu.Lock()
	defer r.mu.Unlock()
	run := r.next[key]
	r.next[key] = nil
	return run
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
