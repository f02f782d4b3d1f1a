package store

import (
	"niche/core/span"
)

// Count is how many records there are, by a state where they have one.
type Count struct {
	State string
	Count float64
}

// CalendarCounts counts the calendars in use by state.
func (t Tx) CalendarCounts() ([]Count, error) {
	return scan[[]Count](t.db.Raw("SELECT state, COUNT(*) AS count FROM calendars WHERE watched GROUP BY state"))
}

// CopyCounts counts the copies by state.
func (t Tx) CopyCounts() ([]Count, error) {
	return scan[[]Count](t.db.Raw("SELECT state, COUNT(*) AS count FROM copies GROUP BY state"))
}

// OpenClashes counts the clashes that are open.
func (t Tx) OpenClashes() ([]Count, error) {
	return scan[[]Count](t.db.Raw("SELECT '' AS state, COUNT(*) AS count FROM clashes WHERE closed_at = 0"))
}

// BusySpanCount counts the busy spans that are kept.
func (t Tx) BusySpanCount() ([]Count, error) {
	return scan[[]Count](t.db.Raw("SELECT '' AS state, COALESCE(SUM(LENGTH(spans) / 16), 0) AS count FROM packed_spans"))
}

// OldestRead returns the age of the calendar in use that was read longest ago, in
// seconds.
func (t Tx) OldestRead(now span.Instant) ([]Count, error) {
	list, err := t.asRead(rows[Calendar](t.db.Select("id", "read_at").Where("watched AND read_at > 0")))
	oldest := now
	for _, c := range list {
		oldest = min(oldest, c.ReadAt)
	}
	return []Count{{Count: float64(now - oldest)}}, err
}

// CalendarsDue counts the calendars whose time to be read has come.
func (t Tx) CalendarsDue(now span.Instant) ([]Count, error) {
	count, err := scan[[]Count](t.db.Raw("SELECT '' AS state, COUNT(*) AS count FROM calendars WHERE watched AND next_at <= ?", now))
	due, _ := t.pulses.Due(now)
	for i := range count {
		count[i].Count += float64(len(due))
	}
	return count, err
}
