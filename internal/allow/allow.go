// Package allow limits what one key may do: so much at once, then so much in time, or
// ever longer delays after each wrong try.
//
// A key is whatever a caller tells apart: a network, a mail address, a pair of both.
// Each table holds a fixed number of keys at most; the one that was used longest ago
// leaves first, so that a flood of new keys forgets nobody who is at it now.
package allow

import (
	"container/list"
	"net/netip"
	"sync"
	"time"
)

// Rate is how much a key may do: Burst at once, and one more after each Every.
type Rate struct {
	Burst int
	Every time.Duration
}

// Table keeps what keys have done. It is made by New.
type Table struct {
	now  func() time.Time
	most int

	mu    sync.Mutex
	byKey map[string]*list.Element
	order *list.List // of *entry, the last used in front
}

type entry struct {
	key   string
	owed  time.Duration // how long it takes until all is allowed again, at the time
	at    time.Time
	wrong int
	until time.Time // until when nothing is allowed after wrong tries
}

// New returns a table of at most so many keys.
func New(most int, now func() time.Time) *Table {
	return &Table{now: now, most: most, byKey: map[string]*list.Element{}, order: list.New()}
}

// of returns the entry of a key, made when there is none, in front of all others.
func (t *Table) of(key string) *entry {
	if e, ok := t.byKey[key]; ok {
		t.order.MoveToFront(e)
		return e.Value.(*entry)
	}
	if t.order.Len() >= t.most {
		last := t.order.Back()
		delete(t.byKey, t.order.Remove(last).(*entry).key)
	}
	e := &entry{key: key, at: t.now()}
	t.byKey[key] = t.order.PushFront(e)
	return e
}

// Take uses up one of what a key may do, and returns 0; or, when all is used up, how
// long it is until the next.
func (t *Table) Take(key string, r Rate) time.Duration {
	return t.TakeAll(map[string]Rate{key: r})
}

// TakeAll uses up one of what each of some keys may do, and returns 0; or, when that
// of any is used up, how long it is until all may. Then nothing is used up.
func (t *Table) TakeAll(rates map[string]Rate) (wait time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	now := t.now()
	for key, r := range rates {
		e := t.of(key)
		// A clock that went back gives nothing and takes nothing.
		e.owed, e.at = max(0, e.owed-max(0, now.Sub(e.at))), now
		wait = max(wait, e.owed+r.Every-time.Duration(r.Burst)*r.Every)
	}
	if wait > 0 {
		return wait
	}
	for key, r := range rates {
		t.of(key).owed += r.Every
	}
	return 0
}

// The delays after wrong tries: some are free, then each doubles the last.
const (
	freeTries    = 5
	firstDelay   = 2 * time.Second
	longestDelay = 15 * time.Minute
	forgetAfter  = 24 * time.Hour
)

// Try returns 0 when a key may try now, and else how long it has to wait.
func (t *Table) Try(key string) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	e, ok := t.byKey[key]
	if !ok {
		return 0
	}
	wait := e.Value.(*entry).until.Sub(t.now())
	return min(max(0, wait), longestDelay) // a clock that went back locks nobody out
}

// Wrong notes a wrong try, and returns how long the key has to wait for its next.
func (t *Table) Wrong(key string) time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	now := t.now()
	e := t.of(key)
	if now.Sub(e.at) > forgetAfter {
		e.wrong = 0
	}
	e.at = now
	if e.wrong++; e.wrong < freeTries {
		return 0
	}
	delay := min(firstDelay<<min(e.wrong-freeTries, 20), longestDelay)
	e.until = now.Add(delay)
	return delay
}

// Right forgets the wrong tries of a key.
func (t *Table) Right(key string) {
	t.mu.Lock()
	defer t.mu.Unlock()
	if e, ok := t.byKey[key]; ok {
		t.order.Remove(e)
		delete(t.byKey, key)
	}
}

// Len returns how many keys are held.
func (t *Table) Len() int {
	t.mu.Lock()
	defer t.mu.Unlock()
	return t.order.Len()
}

// Network returns the network that one customer of a provider has: an IPv4 address,
// or the first 64 bits of an IPv6 address, as text.
func Network(ip netip.Addr) string {
	ip = ip.Unmap().WithZone("")
	if ip.Is4() || !ip.IsValid() {
		return ip.String()
	}
	return netip.PrefixFrom(ip, 64).Masked().String()
}
