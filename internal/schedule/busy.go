package schedule

import (
	"encoding/binary"
	"fmt"
	"slices"
	"sort"

	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/store"
)

// BusyCalendar is a calendar that blocks a staff member's time.
type BusyCalendar struct {
	ID                  store.ID
	Name                string
	Spans               []span.Span  // in order of their starts
	PadBefore, PadAfter span.Minutes // kept free around each
}

// Blocks reports whether some time cannot be taken because of the calendar.
func (c BusyCalendar) Blocks(time span.Span) bool {
	return slices.ContainsFunc(c.Spans, func(s span.Span) bool { return s.Widen(c.PadBefore, c.PadAfter).Overlaps(time) })
}

// pairSize is the size of a packed span.
const pairSize = 16

// Counts is the condition of SQL under which the busy span s of the calendar c
// takes time.
const Counts = "NOT (c.tentative_free AND s.tentative) AND NOT (c.all_day_free AND s.all_day)"

// PackBusy packs the busy spans of a calendar anew, those that take time. It
// belongs into every transaction that changes them, or which of them count: reading a year of somebody's events as rows
// costs a hundred times what reading them in one piece does.
func PackBusy(tx *gorm.DB, calendar store.ID) error {
	rows, err := tx.Raw(`SELECT s.start, s."end" FROM busy_spans s JOIN calendars c ON c.id = s.calendar_id
		WHERE s.calendar_id = ? AND `+Counts+` ORDER BY s.start, s."end"`, calendar).Rows()
	if err != nil {
		return fmt.Errorf("packing busy spans: %w", err)
	}
	packed := []byte{}
	for rows.Next() {
		var start, end int64
		if err := rows.Scan(&start, &end); err != nil {
			_ = rows.Close()
			return fmt.Errorf("packing busy spans: %w", err)
		}
		packed = binary.LittleEndian.AppendUint64(packed, uint64(start))
		packed = binary.LittleEndian.AppendUint64(packed, uint64(end))
	}
	if err := rows.Close(); err != nil {
		return fmt.Errorf("packing busy spans: %w", err)
	}
	err = tx.Exec(`INSERT INTO packed_spans (calendar_id, spans) VALUES (?, ?)
		ON CONFLICT (calendar_id) DO UPDATE SET spans = excluded.spans`, calendar, packed).Error
	if err != nil {
		return fmt.Errorf("packing busy spans: %w", err)
	}
	return nil
}

// Busy returns the busy spans in the calendars that block the staff members'
// time, as far as they or what is kept free around them overlap the window, by
// staff member. Calendars without
// any are left out.
func Busy(tx *gorm.DB, staff []store.ID, window span.Span) (map[store.ID][]BusyCalendar, error) {
	rows, err := tx.Raw(`SELECT l.staff_id, c.id, c.name, c.pad_before, c.pad_after, p.spans FROM links l
		JOIN calendars c ON c.link_id = l.id AND c.blocks = 1
		JOIN packed_spans p ON p.calendar_id = c.id WHERE l.staff_id IN ? ORDER BY c.id`, staff).Rows()
	if err != nil {
		return nil, fmt.Errorf("reading busy spans: %w", err)
	}
	defer func() { _ = rows.Close() }()
	out := map[store.ID][]BusyCalendar{}
	for rows.Next() {
		var id store.ID
		var c BusyCalendar
		var packed []byte
		if err := rows.Scan(&id, &c.ID, &c.Name, &c.PadBefore, &c.PadAfter, &packed); err != nil {
			return nil, fmt.Errorf("reading busy spans: %w", err)
		}
		if c.Spans = unpack(packed, window.Widen(c.PadAfter, c.PadBefore)); len(c.Spans) > 0 {
			out[id] = append(out[id], c)
		}
	}
	return out, rows.Err()
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
