package store

import (
	"encoding/json"
	"fmt"

	"niche/core/span"
)

// WallVisit is a booking as it is shown on a wall, once for each of its staff.
type WallVisit struct {
	StaffID ID
	Visit
	BookingID  ID
	Reference  string
	Status     string
	ClientName string
	ClientMail string
	Booked     int
	Picked     string
	Answer     string // what the client has answered to the invitation that is out
	Service    string
	Places     int
	Hue        int
	WithJSON   string // names of other staff, rooms and equipment, as a list of JSON
	Copy       CopyState
	CopyError  string
}

// With returns the names of the other staff and of the rooms and equipment.
func (v WallVisit) With() (names []string, err error) {
	err = json.Unmarshal([]byte(v.WithJSON), &names)
	return names, err
}

// worst orders the states of copies, the one to be told first.
const worst = `CASE c.state WHEN 'adrift' THEN 0 WHEN 'failed' THEN 1 WHEN 'doubted' THEN 2 WHEN 'waiting' THEN 3 WHEN 'written' THEN 4 ELSE 5 END`

// wallVisits is a query for visits that begin in a window, of staff members or of
// all, with the places in it for two conditions.
const wallVisits = `SELECT vs.staff_id, v.*, b.id AS booking_id, b.reference, b.status, b.client_name, b.client_mail, b.places AS booked, b.picked, CASE WHEN b.answered_at > 0 AND b.answered_sequence = b.sequence THEN b.part_stat ELSE '' END AS answer,
		s.name AS service, s.places, s.hue,
		(SELECT JSON_GROUP_ARRAY(name) FROM (SELECT st.name FROM visit_staff o JOIN staff st ON st.id = o.staff_id
			WHERE o.visit_id = v.id AND o.staff_id <> vs.staff_id UNION ALL SELECT r.name FROM visit_resources o JOIN resources r ON r.id = o.resource_id WHERE o.visit_id = v.id)) AS with_json,
		COALESCE((SELECT c.state FROM copies c JOIN calendars k ON k.id = c.calendar_id JOIN links l ON l.id = k.link_id WHERE c.visit_id = v.id AND c.wanted = 1 AND c.state <> 'left' AND l.staff_id = vs.staff_id
			ORDER BY ` + worst + ` LIMIT 1), 'none') AS copy,
		COALESCE((SELECT c.error FROM copies c JOIN calendars k ON k.id = c.calendar_id JOIN links l ON l.id = k.link_id WHERE c.visit_id = v.id AND c.wanted = 1 AND c.error <> '' AND l.staff_id = vs.staff_id
			ORDER BY ` + worst + ` LIMIT 1), '') AS copy_error
	FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id JOIN services s ON s.id = v.service_id
	JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
	WHERE %s ORDER BY v.start, v.id, b.id, vs.staff_id`

// VisitsOnWall returns the bookings that hold time of staff members and begin in a
// window.
func (t Tx) VisitsOnWall(staff []ID, window span.Span) ([]WallVisit, error) {
	return scan[[]WallVisit](t.db.Raw(fmt.Sprintf(wallVisits, "vs.staff_id IN ? AND vs.start >= ? AND vs.start < ?"), staff, window.Start(), window.End()))
}

// VisitsInRooms returns the bookings that hold rooms and equipment and begin in a
// window, once for each of their staff.
func (t Tx) VisitsInRooms(window span.Span) ([]WallVisit, error) {
	return scan[[]WallVisit](t.db.Raw(fmt.Sprintf(wallVisits, "v.start >= ? AND v.start < ? AND EXISTS (SELECT 1 FROM visit_resources x WHERE x.visit_id = v.id)"), window.Start(), window.End()))
}

// Rooms returns the rooms and equipment in use, by kind and name.
func (t Tx) Rooms() ([]Resource, error) {
	return rows[Resource](t.db.Where("archived_at = 0").Order("kind, name, id").Limit(1000))
}
