// Package live tells open screens that something has changed.
//
// It carries no data: a listener is told which subjects changed, and asks again
// for what it shows.
package live

import "sync"

// Subject is what changed.
type Subject string

// The subjects.
const (
	Bookings  Subject = "bookings"
	Calendars Subject = "calendars"
	Rules     Subject = "rules"     // hours, services, staff
	Sessions  Subject = "sessions"  // some session has ended before its time
	Messages  Subject = "messages"  // mail that goes out
	Attention Subject = "attention" // what somebody has put off or left as it is
	Proofs    Subject = "proofs"    // how far proofs are
)

// Hub passes changes on to listeners. The zero value is ready.
type Hub struct {
	mu        sync.Mutex
	listeners map[chan Subject]bool
	closed    bool
}

// Close ends all listening: the channels of listeners are closed, now and from then
// on.
func (h *Hub) Close() {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.closed = true
	for l := range h.listeners {
		close(l)
	}
	h.listeners = nil
}

// Tell tells all listeners. It never waits: a listener that is behind by a
// whole buffer has been told enough to look again.
func (h *Hub) Tell(s Subject) {
	h.mu.Lock()
	defer h.mu.Unlock()
	for l := range h.listeners {
		select {
		case l <- s:
		default:
		}
	}
}

// Listen returns a channel of changes, which is closed when the hub is, and a
// function that ends it.
func (h *Hub) Listen() (<-chan Subject, func()) {
	l := make(chan Subject, 16)
	h.mu.Lock()
	defer h.mu.Unlock()
	if h.closed {
		close(l)
		return l, func() {}
	}
	if h.listeners == nil {
		h.listeners = map[chan Subject]bool{}
	}
	h.listeners[l] = true
	return l, func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		delete(h.listeners, l)
	}
}
