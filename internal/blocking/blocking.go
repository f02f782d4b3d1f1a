// Package blocking says what blocks a staff member's time: the one meaning of it
// for the starts that are offered, for the taking of a booking, for clashes and for
// the wall.
//
// A copy that somebody has moved outside holds the time where it lies, too.
//
// What an event takes is decided in three steps. The calendar's choices say which
// events count, when its spans are packed; an event of no length never does, and own
// copies are no events at all. What is kept free around an event is added by
// offer.Calendar.Blocked. And time of which nothing is known, since the calendar has
// not been read so far, blocks like an event.
package blocking

import (
	"encoding/binary"
	"fmt"
	"math"
	"sort"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// Calendar is a calendar that blocks a staff member's time.
type Calendar struct {
	ID store.ID
	offer.Calendar
	Copy store.ID // the visit of which a copy lies there, elsewhere than the visit is; 0 for events of the owner's
}

// pairSize is the size of a packed span.
const pairSize = 16

// Pack packs the busy spans of a calendar anew, those that count by its choices. It
// belongs into every transaction that changes them, or which of them count: reading a
// year of somebody's events as rows costs a hundred times what reading them in one
// piece does.
func Pack(tx store.Tx, calendar store.ID) error {
	packed := []byte{}
	err := tx.CountingSpans(calendar, func(s span.Span) {
		packed = binary.LittleEndian.AppendUint64(packed, uint64(s.Start()))
		packed = binary.LittleEndian.AppendUint64(packed, uint64(s.End()))
	})
	if err == nil {
		err = tx.SavePacked(calendar, packed)
	}
	if err != nil {
		return fmt.Errorf("packing busy spans: %w", err)
	}
	return nil
}

// Of returns what blocks the staff members' time in a window, by staff member.
// Calendars that block nothing of it are left out.
func Of(tx store.Tx, staff []store.ID, window span.Span) (map[store.ID][]Calendar, error) {
	list, err := tx.BlockingCalendars(staff)
	if err != nil {
		return nil, fmt.Errorf("reading busy spans: %w", err)
	}
	out := map[store.ID][]Calendar{}
	for _, b := range list {
		if c := within(b, window); len(c.Spans) > 0 {
			out[b.StaffID] = append(out[b.StaffID], c)
		}
		if c := unread(b, window); len(c.Spans) > 0 {
			out[b.StaffID] = append(out[b.StaffID], c)
		}
	}
	// Where somebody has moved a copy, its time is held as that of its visit is, until it is settled which holds.
	lying, err := tx.LyingElsewhere(staff)
	if err != nil {
		return nil, fmt.Errorf("reading where copies lie: %w", err)
	}
	for _, l := range lying {
		if s := span.Between(l.Start, l.End); s.Overlaps(window) {
			out[l.StaffID] = append(out[l.StaffID], Calendar{l.CalendarID, offer.Calendar{Name: l.Calendar, Spans: []span.Span{s}}, l.VisitID})
		}
	}
	return out, nil
}

// In returns the events of one calendar that take time in a window, without the
// time of which nothing is known; false when the calendar does not block.
func In(tx store.Tx, calendar store.ID, window span.Span) (Calendar, store.ID, bool, error) {
	b, err := tx.BlockingCalendar(calendar)
	if store.IsMissing(err) {
		return Calendar{}, 0, false, nil
	}
	if err != nil {
		return Calendar{}, 0, false, fmt.Errorf("reading busy spans: %w", err)
	}
	return within(b, window), b.StaffID, true, nil
}

// within returns the events of a calendar that take time in a window, or the time
// kept free around which does.
func within(b store.Blocking, window span.Span) Calendar {
	return Calendar{ID: b.ID, Calendar: offer.Calendar{Name: b.Name, PadBefore: b.PadBefore, PadAfter: b.PadAfter, Spans: unpack(b.Spans, window.Widen(b.PadAfter, b.PadBefore))}}
}

// unread returns the part of a window of which nothing is known.
func unread(b store.Blocking, window span.Span) Calendar {
	c := Calendar{ID: b.ID, Calendar: offer.Calendar{Name: b.Name, Unread: true}}
	if part := span.Between(b.KnownTo, math.MaxInt64).Clip(window); !part.IsEmpty() {
		c.Spans = []span.Span{part}
	}
	return c
}

// unpack returns the spans that overlap the window.
func unpack(packed []byte, window span.Span) []span.Span {
	at := func(i int) (start, end span.Instant) {
		return span.Instant(binary.LittleEndian.Uint64(packed[i*pairSize:])), span.Instant(binary.LittleEndian.Uint64(packed[i*pairSize+8:]))
	}
	// Spans are in order of their starts, so the window's end can be searched for.
	n := sort.Search(len(packed)/pairSize, func(i int) bool { start, _ := at(i); return start >= window.End() })
	list := make([]span.Span, 0, n)
	for i := range n {
		if start, end := at(i); end > window.Start() {
			list = append(list, span.Between(start, end))
		}
	}
	return list
}
