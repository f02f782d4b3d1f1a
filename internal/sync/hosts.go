package sync

import (
	"sync"
	"time"

	"niche/internal/outbound"
)

// Limits on the exchanges that go on with one host at the same time. A host that
// struggles is tried by one at a time, so that hosts which hang cannot take all
// the places.
const (
	perHost       = 4
	perStruggling = 1
)

// hosts keeps how each host bears what is asked of it.
type hosts struct {
	mu   sync.Mutex
	list map[string]*host
}

type host struct {
	underway int
	failures int       // in a row
	until    time.Time // nothing is asked before
}

// firstRest is how long a host is left alone after it did not answer, the first
// time.
const firstRest = 2 * time.Second

// enter takes one of the host's places. When it has none, or rests, wait says for
// how long; 0 means until another exchange with it has ended.
func (h *hosts) enter(name string, now time.Time, wanted bool) (wait time.Duration, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.list[name]
	if s == nil {
		s = &host{}
		h.list[name] = s
	}
	limit := perHost
	if s.failures > 0 {
		limit = perStruggling
	}
	switch {
	case now.Before(s.until) && !wanted:
		return s.until.Sub(now), false
	case s.underway >= limit:
		return 0, false
	}
	s.underway++
	return 0, true
}

// leave gives the place back.
func (h *hosts) leave(name string) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.list[name].underway--
}

// note keeps how an exchange with the host went. Only silence and "not now" say
// something about the host; other errors are about an account.
func (h *hosts) note(name string, err error, asked time.Duration, now time.Time) {
	h.mu.Lock()
	defer h.mu.Unlock()
	s := h.list[name]
	if s == nil {
		s = &host{}
		h.list[name] = s
	}
	if outbound.KindOf(err) != outbound.NotReached {
		s.failures, s.until = 0, time.Time{}
		return
	}
	s.until = now.Add(pause(firstRest, s.failures, asked))
	s.failures++
}
