package store

import (
	"niche/core/span"
)

// Clash is busy time that arrived on top of a visit.
type Clash struct {
	ID         ID
	VisitID    ID
	CalendarID ID
	Start      span.Instant // of the busy time
	End        span.Instant
	FoundAt    span.Instant
	ClosedAt   span.Instant // 0 while it is open
}

// OpenClashesIn returns the open clashes with a calendar.
func (t Tx) OpenClashesIn(calendar ID) ([]Clash, error) {
	return rows[Clash](t.db.Where("calendar_id = ? AND closed_at = 0", calendar))
}

// OpenClashesOf returns the open clashes of a visit.
func (t Tx) OpenClashesOf(visit ID) ([]Clash, error) {
	return rows[Clash](t.db.Where("visit_id = ? AND closed_at = 0", visit))
}

// SaveClash keeps a clash, a new one when it has no number.
func (t Tx) SaveClash(c Clash) error { return t.db.Save(&c).Error }

// ShownClash is an open clash with what a wall says of it.
type ShownClash struct {
	StaffID, VisitID ID
	Calendar         string
	Start, End       span.Instant
}

// ClashesOnWall returns the open clashes of visits that begin in a window, the
// latest first.
func (t Tx) ClashesOnWall(window span.Span) ([]ShownClash, error) {
	return scan[[]ShownClash](t.db.Raw(`SELECT l.staff_id, x.visit_id, c.name AS calendar, x.start, x."end" FROM clashes x JOIN calendars c ON c.id = x.calendar_id
		JOIN links l ON l.id = c.link_id JOIN visits v ON v.id = x.visit_id
		WHERE x.closed_at = 0 AND v.start >= ? AND v.start < ? ORDER BY x.start DESC`, window.Start(), window.End()))
}
