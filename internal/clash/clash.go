// Package clash finds busy spans that arrived on top of bookings, and closes what
// it found when the cause goes.
//
// A clash is open as long as a visit that holds its time, buffers included, lies
// on busy time of a calendar that blocks one of its staff. It is looked for again
// in every transaction that changes either side: after a calendar was read or its
// choices changed, and after a visit was taken, moved or cancelled. What to do
// about it is left to others.
package clash

import (
	"fmt"

	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// OfCalendar brings the clashes with a calendar up to date, and returns how many
// were found or closed.
func OfCalendar(tx *gorm.DB, calendar store.ID, now span.Instant) (changed int64, err error) {
	return settle(tx, "calendar_id", "c.id", calendar, now)
}

// OfVisit brings the clashes of a visit up to date.
func OfVisit(tx *gorm.DB, visit store.ID, now span.Instant) error {
	_, err := settle(tx, "visit_id", "v.id", visit, now)
	return err
}

// current selects visits and the busy spans on top of them.
const current = ` FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id
	JOIN links l ON l.staff_id = vs.staff_id JOIN calendars c ON c.link_id = l.id AND c.blocks = 1
	JOIN busy_spans s ON s.calendar_id = c.id AND s."end" > v.start - 60 * v.buffer_before AND s.start < v."end" + 60 * v.buffer_after
	WHERE v."end" > @now AND ` + schedule.Counts + `
		AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status IN ('pending', 'confirmed'))`

func settle(tx *gorm.DB, column, of string, id store.ID, now span.Instant) (changed int64, err error) {
	values := map[string]any{"now": now, "id": id}
	closed := tx.Exec(`UPDATE clashes SET closed_at = @now WHERE closed_at = 0 AND `+column+` = @id
		AND NOT EXISTS (SELECT 1`+current+` AND v.id = clashes.visit_id AND c.id = clashes.calendar_id)`, values)
	if closed.Error != nil {
		return 0, fmt.Errorf("closing clashes: %w", closed.Error)
	}
	found := tx.Exec(`INSERT INTO clashes (visit_id, calendar_id, start, "end", found_at)
		SELECT v.id, c.id, MIN(s.start), MAX(s."end"), @now`+current+` AND `+of+` = @id GROUP BY v.id, c.id
		ON CONFLICT (visit_id, calendar_id) WHERE closed_at = 0 DO UPDATE SET start = excluded.start, "end" = excluded."end"
			WHERE start <> excluded.start OR "end" <> excluded."end"`, values)
	if found.Error != nil {
		return 0, fmt.Errorf("looking for clashes: %w", found.Error)
	}
	return closed.RowsAffected + found.RowsAffected, nil
}
