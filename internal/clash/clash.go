// Package clash finds busy time that arrived on top of bookings, and closes what
// it found when the cause goes.
//
// A clash is open as long as a visit that holds its time, buffers included, lies on
// time that a calendar of one of its staff blocks. It is looked for again in every
// transaction that changes either side: after a calendar was read or its choices
// changed, and after a visit was taken, moved or cancelled. What to do about it is
// left to others.
package clash

import (
	"fmt"

	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/store"
)

// OfCalendar brings the clashes with a calendar up to date, and returns how many
// were found, changed or closed.
func OfCalendar(tx store.Tx, calendar store.ID, now span.Instant) (changed int, err error) {
	open, err := tx.OpenClashesIn(calendar)
	if err != nil {
		return 0, fmt.Errorf("looking for clashes: %w", err)
	}
	found := map[store.ID]span.Span{}
	whole := span.Between(now, store.Never)
	busy, owner, blocks, err := blocking.In(tx, calendar, whole.Widen(reach, 0))
	if err != nil {
		return 0, err
	}
	if blocks {
		visits, err := tx.VisitsAhead(owner, now)
		if err != nil {
			return 0, fmt.Errorf("looking for clashes: %w", err)
		}
		meet(busy, visits, func(v store.Visit, on span.Span) { found[v.ID] = on })
	}
	return settle(tx, open, found, func(c store.Clash) store.ID { return c.VisitID }, func(visit store.ID) store.Clash {
		return store.Clash{VisitID: visit, CalendarID: calendar}
	}, now)
}

// reach is more than a visit and its buffers can take together, and more than the
// buffers of two visits differ.
const reach span.Minutes = 3 * 24 * 60

// OfVisit brings the clashes of a visit up to date.
func OfVisit(tx store.Tx, visit store.ID, now span.Instant) error {
	open, err := tx.OpenClashesOf(visit)
	if err != nil {
		return fmt.Errorf("looking for clashes: %w", err)
	}
	v, err := tx.Visit(visit)
	if err != nil {
		return fmt.Errorf("looking for clashes: %w", err)
	}
	held, err := tx.IsHeld(visit)
	if err != nil {
		return fmt.Errorf("looking for clashes: %w", err)
	}
	found := map[store.ID]span.Span{}
	if held && v.End > now {
		staff, err := tx.VisitStaff(visit)
		if err != nil {
			return fmt.Errorf("looking for clashes: %w", err)
		}
		busy, err := blocking.Of(tx, staff, v.Occupied())
		if err != nil {
			return err
		}
		for _, calendars := range busy {
			for _, c := range calendars {
				if !c.Unread && c.Copy == 0 {
					meet(c, []store.Visit{v}, func(_ store.Visit, on span.Span) { found[c.ID] = on })
				}
			}
		}
	}
	_, err = settle(tx, open, found, func(c store.Clash) store.ID { return c.CalendarID }, func(calendar store.ID) store.Clash {
		return store.Clash{VisitID: visit, CalendarID: calendar}
	}, now)
	return err
}

// meet calls each for the visits that lie on time that a calendar blocks, with what
// the events there take from the first to the last. Both are in order of their
// starts, and gone through side by side.
func meet(busy blocking.Calendar, visits []store.Visit, each func(v store.Visit, on span.Span)) {
	rest := busy.Spans
	for _, v := range visits {
		need := v.Occupied()
		for len(rest) > 0 && busy.Blocked(rest[0]).End().Add(reach) < need.Start() {
			rest = rest[1:]
		}
		var on span.Span
		for _, event := range rest {
			if event.Start().Add(-busy.PadBefore) >= need.End() {
				break
			}
			if !busy.Blocked(event).Overlaps(need) {
				continue
			}
			if on.IsEmpty() {
				on = event
			}
			on = span.Between(min(on.Start(), event.Start()), max(on.End(), event.End()))
		}
		if !on.IsEmpty() {
			each(v, on)
		}
	}
}

// settle closes the open clashes that were not found, and keeps what was. They are
// told apart by a key.
func settle(tx store.Tx, open []store.Clash, found map[store.ID]span.Span, key func(store.Clash) store.ID, fresh func(store.ID) store.Clash, now span.Instant) (changed int, err error) {
	known := map[store.ID]store.Clash{}
	for _, c := range open {
		known[key(c)] = c
		if _, still := found[key(c)]; !still {
			c.ClosedAt = now
			changed++
			if err := tx.SaveClash(c); err != nil {
				return changed, fmt.Errorf("closing a clash: %w", err)
			}
		}
	}
	for k, on := range found {
		c, was := known[k]
		if was && c.Start == on.Start() && c.End == on.End() {
			continue
		}
		if !was {
			c = fresh(k)
			c.FoundAt = now
		}
		c.Start, c.End = on.Start(), on.End()
		changed++
		if err := tx.SaveClash(c); err != nil {
			return changed, fmt.Errorf("keeping a clash: %w", err)
		}
	}
	return changed, nil
}
