package store

import (
	"sync"

	"niche/core/span"
)

// Pulses are readings of calendars that found nothing new and were not written down:
// when each calendar was read, and when it is to be read again. They go with the
// program. A calendar then counts as read when that was last written down, which is
// earlier, and is read again when it says so there, which is soon.
type Pulses struct {
	mu   sync.Mutex
	list map[ID]Pulse
}

// Pulse is a reading that found nothing new.
type Pulse struct {
	Host           string
	ReadAt, NextAt span.Instant
}

// Keep keeps the last reading of a calendar.
func (p *Pulses) Keep(id ID, pulse Pulse) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.list == nil {
		p.list = map[ID]Pulse{}
	}
	p.list[id] = pulse
}

// Drop forgets what was kept of a calendar: what stands in the database counts.
func (p *Pulses) Drop(id ID) {
	p.mu.Lock()
	defer p.mu.Unlock()
	delete(p.list, id)
}

// Due returns the calendars whose time has come, and when the next one's comes, or 0.
// What was read at a moment that has not come yet is due too: then the clock has gone
// back.
func (p *Pulses) Due(now span.Instant) (due []Due, next span.Instant) {
	p.mu.Lock()
	defer p.mu.Unlock()
	for id, pulse := range p.list {
		switch {
		case pulse.NextAt <= now || pulse.ReadAt > now:
			due = append(due, Due{id, pulse.Host})
		case next == 0 || pulse.NextAt < next:
			next = pulse.NextAt
		}
	}
	return due, next
}

// upon puts the last reading of a calendar over what stands in the database, and
// returns when it is to be read next.
func (p *Pulses) upon(c *Calendar) (next span.Instant) {
	p.mu.Lock()
	defer p.mu.Unlock()
	pulse, ok := p.list[c.ID]
	if !ok || pulse.ReadAt < c.ReadAt {
		return c.NextAt
	}
	c.ReadAt = pulse.ReadAt
	return min(c.NextAt, pulse.NextAt)
}
