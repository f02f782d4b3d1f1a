// Package health remembers, hour by hour, how long ago each calendar had been read at worst, and
// how hosts bore what was asked of them. What is still being gathered is kept in memory and written
// down every few minutes: a kill loses that much and nothing else.
package health

import (
	"context"
	"fmt"
	"sync"
	"time"

	"niche/core/span"
	"niche/internal/store"
)

// Log gathers. The zero value is not ready: New makes one.
type Log struct {
	db  *store.DB
	now func() time.Time

	mu        sync.Mutex
	calendars map[store.ID]*store.CalendarHour
	hosts     map[string]*store.HostHour
	hour      span.Instant
}

// New returns a log that has gathered nothing.
func New(db *store.DB, now func() time.Time) *Log {
	return &Log{db: db, now: now, calendars: map[store.ID]*store.CalendarHour{}, hosts: map[string]*store.HostHour{}}
}

// kept is for how long hours are kept, in minutes.
const kept span.Minutes = 8 * 24 * 60

// Hour is the length of an hour, in seconds.
const Hour = 3600

// of returns what is gathered of a calendar; the caller holds the lock.
func (l *Log) of(id store.ID) *store.CalendarHour {
	c := l.calendars[id]
	if c == nil {
		c = &store.CalendarHour{CalendarID: id}
		l.calendars[id] = c
	}
	return c
}

func (l *Log) at(host string, took time.Duration) *store.HostHour {
	h := l.hosts[host]
	if h == nil {
		h = &store.HostHour{Host: host}
		l.hosts[host] = h
	}
	h.Millis, h.Slowest = h.Millis+int(took.Milliseconds()), max(h.Slowest, int(took.Milliseconds()))
	return h
}

// Read notes that a calendar was read, or could not be.
func (l *Log) Read(calendar store.ID, host string, took time.Duration, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	c, h := l.of(calendar), l.at(host, took)
	c.Reads, h.Reads = c.Reads+1, h.Reads+1
	if err != nil {
		c.Failures, h.ReadFailures = c.Failures+1, h.ReadFailures+1
	}
}

// Wrote notes that a copy was written or removed, or could not be.
func (l *Log) Wrote(host string, took time.Duration, err error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	h := l.at(host, took)
	h.Writes++
	if err != nil {
		h.WriteFailures++
	}
}

// Look notes how long ago each calendar in use was read, and writes down what has been gathered. It is called every minute or
// so.
func (l *Log) Look(ctx context.Context) error {
	now := span.At(l.now())
	rows, err := l.db.Read(ctx).CalendarsInUse()
	if err != nil {
		return err
	}
	l.mu.Lock()
	for _, r := range rows {
		if r.ReadAt > 0 {
			c := l.of(r.ID)
			c.Lag = max(c.Lag, int(max(0, now-r.ReadAt)))
		}
	}
	var calendars []store.CalendarHour
	var hosts []store.HostHour
	hour := now - now%Hour
	for _, c := range l.calendars {
		c.Hour = hour
		calendars = append(calendars, *c)
	}
	for _, h := range l.hosts {
		h.Hour = hour
		hosts = append(hosts, *h)
	}
	l.calendars, l.hosts = map[store.ID]*store.CalendarHour{}, map[string]*store.HostHour{}
	old := l.hour != hour
	l.hour = hour
	l.mu.Unlock()
	err = l.db.Write(ctx, func(tx store.Tx) error {
		if err := tx.SaveHours(calendars, hosts); err != nil || !old {
			return err
		}
		return tx.ForgetHours(now.Add(-kept))
	})
	if err != nil {
		return fmt.Errorf("keeping how calendars and hosts fared: %w", err)
	}
	return nil
}
