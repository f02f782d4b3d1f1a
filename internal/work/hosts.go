package work

import (
	"sync"
	"time"
)

// Limits on what goes on with one host at the same time. It begins with a few, and
// gets more as long as it answers as quickly as it ever did. A host that struggles is
// tried by one at a time, so that hosts which hang cannot take all the places.
const (
	perHost       = 4
	perStruggling = 1
	perQuick      = 24
)

// slower is how many times as long as at its best a host may take before it is asked
// for less. What its best is, is learnt anew from time to time, with little going on.
const (
	slower = 2
	learns = 10 * time.Minute
)

// firstRest is how long a host is left alone after it did not answer, the first
// time, and longestRest how long at most, unless the host asks for more.
const (
	firstRest   = 2 * time.Second
	longestRest = 10 * time.Minute
)

// Hosts knows how each host bears what is asked of it.
//
// A host that is silent rests, for longer and longer: once for each rest that ended,
// however many exchanges failed meanwhile. One answer ends its rest, whoever got it,
// and brings everything forward that waits for it.
type Hosts struct {
	now       func() time.Time
	recovered func(host string) // called when a host answers again
	mu        sync.Mutex
	list      map[string]*host
}

type host struct {
	underway int
	most     float64 // that may go on together
	paces    map[string]*pace
	learnt   time.Time      // when they were begun anew
	rests    int            // in a row
	begun    time.Time      // when the present rest began
	until    time.Time      // nothing is asked before
	answered time.Time      // when it last answered
	tries    int            // since it rested first
	tried    map[string]int // the last of them by kind of work
}

// NewHosts returns hosts of which nothing is known yet.
func NewHosts(now func() time.Time) *Hosts {
	return &Hosts{now: now, recovered: func(string) {}, list: map[string]*host{}}
}

func (h *Hosts) of(name string) *host {
	s := h.list[name]
	if s == nil {
		s = &host{most: perHost, tried: map[string]int{}}
		h.list[name] = s
	}
	return s
}

// enter takes one of the host's places, unless it rests or has none.
func (h *Hosts) enter(name string) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.of(name)
	limit := int(s.most)
	if s.rests > 0 {
		limit = perStruggling
	}
	if h.now().Before(s.until) || s.underway >= limit {
		return false
	}
	s.underway++
	return true
}

// tried returns the try, counted from one, at which a kind of work was last what a host
// that struggles was tried by; zero for never, and false when the host does not struggle.
func (h *Hosts) tried(name, kind string) (try int, struggles bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.list[name]
	if s == nil || s.rests == 0 {
		return 0, false
	}
	return s.tried[kind], true
}

// release gives a place back of which no use was made.
func (h *Hosts) release(name string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.of(name).underway--
}

// pace is how long pieces of one kind of work take at a host.
type pace struct{ best, now time.Duration }

// noted takes a piece into account that took a time, and reports whether the host is
// about as quick as at its best.
func (p *pace) noted(took time.Duration) bool {
	if p.best == 0 {
		p.best, p.now = took, took
	}
	p.now += (took - p.now) / 8
	p.best = min(p.best, took)
	return p.now <= slower*p.best
}

// leave gives the place back after a piece of work of a kind. All places that a host
// has were taken and it was quick: it gets one more each time that all have been given
// back. It was slow: it loses one as often.
func (h *Hosts) leave(name, kind string, took time.Duration) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.of(name)
	if now := h.now(); now.Sub(s.learnt) > learns {
		s.paces, s.learnt, s.most = map[string]*pace{}, now, perHost
	}
	p := s.paces[kind]
	if p == nil {
		p = &pace{}
		s.paces[kind] = p
	}
	switch quick := p.noted(max(took, time.Millisecond)); {
	case s.rests > 0: // it is not well, which is another matter
	case !quick:
		s.most = max(perHost, s.most-1/s.most)
	case s.underway >= int(s.most):
		s.most = min(perQuick, s.most+1/s.most)
	}
	s.underway--
	if s.rests > 0 {
		s.tries++
		s.tried[kind] = s.tries
	}
}

// Rest returns until when a host is left alone; the zero time when it is not.
func (h *Hosts) Rest(name string) time.Time {
	h.mu.Lock()
	defer h.mu.Unlock()
	if s := h.list[name]; s != nil && h.now().Before(s.until) {
		return s.until
	}
	return time.Time{}
}

// resting returns the hosts that rest, and when the first of them has rested.
func (h *Hosts) resting() (names []string, first time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	now := h.now()
	for name, s := range h.list {
		if now.Before(s.until) {
			names = append(names, name)
			if first.IsZero() || s.until.Before(first) {
				first = s.until
			}
		}
	}
	return names, first
}

// Answered notes that a host answered, whatever it said.
func (h *Hosts) Answered(name string) {
	h.mu.Lock()
	s := h.of(name)
	again := s.rests > 0
	s.rests, s.until, s.answered = 0, time.Time{}, h.now()
	s.tries, s.tried = 0, map[string]int{}
	h.mu.Unlock()
	if again {
		h.recovered(name)
	}
}

// Silent notes that a host did not answer an exchange that began at a moment, or
// asked to be left alone for a time, and reports whether that is the host's trouble.
// It is not when the host has answered somebody else since the same piece of work
// last failed: then only that piece is to wait.
func (h *Hosts) Silent(name string, began, failedBefore time.Time, asked time.Duration) bool {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.of(name)
	if !failedBefore.IsZero() && s.answered.After(failedBefore) && asked == 0 {
		return false
	}
	now := h.now()
	if began.Before(s.begun) || now.Before(s.until) {
		s.until = later(s.until, now.Add(asked)) // it rests already
		return true
	}
	s.begun, s.until = now, now.Add(max(Pause(firstRest, s.rests, longestRest), asked))
	s.most = perHost // it is asked for more only as it shows again that it bears that
	s.rests++
	return true
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// Pause returns how long to wait after so many failures in a row: twice as long each
// time.
func Pause(first time.Duration, failures int, longest time.Duration) time.Duration {
	return min(first<<min(failures, 12), longest)
}
