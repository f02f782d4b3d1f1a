package store

import (
	"gorm.io/gorm/clause"

	"niche/core/span"
)

// Item is what somebody has to look at, as it is remembered.
type Item struct {
	ID       ID
	Kind     string
	Cause    string // by which it is known again while it is open
	StaffID  *ID
	Title    string // as it was said last
	FoundAt  span.Instant
	ClosedAt span.Instant // when its cause went; 0 while it is open
	KeptAt   span.Instant // when somebody has left it as it is; 0 for not
	KeptBy   string
	PutOff   span.Instant // until when it is out of sight
}

// OpenItems returns what is open.
func (t Tx) OpenItems() ([]Item, error) { return rows[Item](t.db.Where("closed_at = 0").Order("id")) }

// Item returns an item.
func (t Tx) Item(id ID) (Item, error) { return one[Item](t.db.Where("id = ?", id)) }

// ClosedItems returns a part of what has been closed, the last first; one more than a page
// where there are more.
func (t Tx) ClosedItems(l Listing) ([]Item, error) {
	return rows[Item](t.db.Where("closed_at > 0").Order("closed_at DESC, id DESC").Offset((l.Page - 1) * PageSize).Limit(PageSize + 1))
}

// SaveItem keeps an item, a new one when it has no number.
func (t Tx) SaveItem(i *Item) error { return t.db.Save(i).Error }

// ForgetItems forgets what was closed before an instant.
func (t Tx) ForgetItems(before span.Instant) error {
	return t.db.Exec("DELETE FROM items WHERE closed_at > 0 AND closed_at < ?", before).Error
}

// most is how many of one kind are looked at: whoever has more has other worries.
const most = 200

// OnVisit is a visit of which something is wrong, with whose it is.
type OnVisit struct {
	ID            ID // of the clash, the copy or the booking
	StaffID       ID
	Staff         string
	VisitID       ID
	During        span.Instant `gorm:"column:start"`
	Until         span.Instant `gorm:"column:until"`
	Service       string
	Client        string
	Calendar      string
	From, To      span.Instant // what lies on it, or where its copy lies; 0 for nothing
	Words         string
	At            span.Instant // when it began, as far as that is known
	BookingStatus string
}

const onVisit = `v.id AS visit_id, v.start, v."end" AS until, sv.name AS service,
	COALESCE((SELECT b.client_name FROM bookings b WHERE b.visit_id = v.id AND b.status IN ('confirmed', 'pending') ORDER BY b.id LIMIT 1), '') AS client`

// AllOpenClashes returns the clashes that are open of visits that are not over, the soonest
// first.
func (t Tx) AllOpenClashes(now span.Instant) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT x.id, s.id AS staff_id, s.name AS staff, c.name AS calendar, x.start AS "from", x."end" AS "to", x.found_at AS at, `+onVisit+`
		FROM clashes x JOIN visits v ON v.id = x.visit_id JOIN services sv ON sv.id = v.service_id JOIN calendars c ON c.id = x.calendar_id JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id
		WHERE x.closed_at = 0 AND v."end" > ? ORDER BY v.start, x.id LIMIT ?`, now, most))
}

// AllAdrift returns the copies of visits ahead that somebody has made others, or that a host
// keeps otherwise.
func (t Tx) AllAdrift(now span.Instant) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT k.id, s.id AS staff_id, s.name AS staff, c.name AS calendar, k.lies_start AS "from", k.lies_end AS "to", k.error AS words, k.tried_at AS at, `+onVisit+`
		FROM calendars c JOIN copies k ON k.calendar_id = c.id AND k.drift <> '' JOIN visits v ON v.id = k.visit_id JOIN services sv ON sv.id = v.service_id JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id
		WHERE k.wanted = 1 AND v."end" > ? AND v.proof_id = 0 ORDER BY v.start, k.id LIMIT ?`, now, most))
}

// Unwritten returns the copies of visits ahead that are not as they should be for longer
// than a while, in calendars that can be reached.
func (t Tx) Unwritten(now span.Instant, while span.Minutes) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT k.id, s.id AS staff_id, s.name AS staff, c.name AS calendar, k.error AS words, k.wished_at AS at, `+onVisit+`
		FROM (SELECT * FROM copies WHERE next_at < 9000000000000000000 AND state IN ('waiting', 'written', 'failed') AND wished_at < ?
			UNION ALL SELECT * FROM copies WHERE state = 'adrift' AND drift = '') k
		JOIN visits v ON v.id = k.visit_id JOIN services sv ON sv.id = v.service_id JOIN calendars c ON c.id = k.calendar_id JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id
		WHERE c.state IN ('fresh', 'waiting') AND v."end" > ? AND v.proof_id = 0 ORDER BY v.start, k.id LIMIT ?`, now.Add(-while), now, most))
}

// PendingBookings returns the bookings that wait for somebody's word.
func (t Tx) PendingBookings(now span.Instant) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT b.id, s.id AS staff_id, s.name AS staff, b.created_at AS at, b.answer_by AS "to", v.id AS visit_id, v.start, v."end" AS until, sv.name AS service, b.client_name AS client
		FROM bookings b INDEXED BY bookings_pending JOIN visits v ON v.id = b.visit_id JOIN services sv ON sv.id = v.service_id JOIN visit_staff vs ON vs.visit_id = v.id JOIN staff s ON s.id = vs.staff_id
		WHERE b.status = 'pending' AND v."end" > ? GROUP BY b.id ORDER BY v.start, b.id LIMIT ?`, now, most))
}

// misfit is a booking that a change of rules left outside them.
type misfit struct {
	BookingID ID `gorm:"primaryKey"`
	FoundAt   span.Instant
}

// NoteMisfit remembers that a change of rules left a booking outside them.
func (t Tx) NoteMisfit(booking ID, now span.Instant) error {
	return t.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&misfit{booking, now}).Error
}

// Misfit is such a booking that lies ahead, once for each of its staff.
type Misfit struct {
	Ahead
	FoundAt span.Instant
	Client  string
}

// Misfits returns the bookings ahead that changes of rules left outside them; by now some may fit again. In order of services, starts
// and bookings.
func (t Tx) Misfits(now span.Instant) ([]Misfit, error) {
	return scan[[]Misfit](t.db.Raw(`SELECT v.*, b.id AS booking_id, vs.staff_id, m.found_at, b.client_name AS client FROM misfits m JOIN bookings b ON b.id = m.booking_id AND b.status IN ('pending', 'confirmed')
		JOIN visits v ON v.id = b.visit_id JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.start > ? ORDER BY v.service_id, v.start, b.id, vs.staff_id LIMIT ?`, now, most))
}

// ForgetMisfits forgets those of visits that have begun.
func (t Tx) ForgetMisfits(now span.Instant) error {
	return t.db.Exec("DELETE FROM misfits WHERE booking_id IN (SELECT b.id FROM misfits m JOIN bookings b ON b.id = m.booking_id JOIN visits v ON v.id = b.visit_id WHERE v.start <= ? OR b.status = 'cancelled')", now).Error
}

// Troubled is a calendar in use of which something is wrong, with whose it is.
type Troubled struct {
	ID           ID
	LinkID       ID
	StaffID      ID
	Staff        string
	Mail         string
	Host         string
	Account      string // the address of its account
	Name         string
	State        CalendarState
	Error        string
	Blocks       bool
	GetsBookings bool
	CanWrite     bool
	Skipped      int
	ReadAt       span.Instant
	Copies       int          // that wait for it
	Soonest      span.Instant // when the first visit of those begins; 0 without any
}

// AllTroubled returns the calendars in use that cannot be read, cannot be written to though
// they get bookings, or have events that could not be read.
func (t Tx) AllTroubled(now span.Instant, late span.Minutes) ([]Troubled, error) {
	return scan[[]Troubled](t.db.Raw(`SELECT c.id, c.link_id, s.id AS staff_id, s.name AS staff, s.email AS mail, l.host, l.address AS account, c.name, c.state, c.error, c.blocks, c.gets_bookings, c.can_write, c.skipped, c.read_at,
			(SELECT COUNT(*) FROM copies k WHERE k.calendar_id = c.id AND k.next_at < ?) AS copies,
			COALESCE((SELECT MIN(v.start) FROM copies k JOIN visits v ON v.id = k.visit_id WHERE k.calendar_id = c.id AND k.next_at < ? AND v."end" > ?), 0) AS soonest
		FROM calendars c JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id
		WHERE (c.blocks OR c.gets_bookings) AND l.closing = 0 AND s.archived_at = 0 AND (c.state IN ('refused', 'gone') OR c.state = 'unreachable' AND c.read_at < ? OR c.gets_bookings AND NOT c.can_write OR c.skipped > 0)
		ORDER BY s.name, c.link_id, c.name, c.id LIMIT ?`, Never, Never, now, now.Add(-late), 5*most))
}

// Idle is a staff member who performs services and of whom something is missing.
type Idle struct {
	ID      ID
	Name    string
	Hours   bool         // there are patterns of hours
	Target  bool         // a calendar gets the bookings
	Linked  bool         // there is a link
	Soonest span.Instant // when the next visit begins that is written nowhere; 0 without any
}

// AllIdle returns the staff members in use who perform a service and have no hours, or whose
// bookings are written nowhere.
func (t Tx) AllIdle(now span.Instant) ([]Idle, error) {
	return scan[[]Idle](t.db.Raw(`SELECT * FROM (SELECT s.id, s.name, EXISTS (SELECT 1 FROM patterns p WHERE p.staff_id = s.id) AS hours,
			EXISTS (SELECT 1 FROM links l JOIN calendars c ON c.link_id = l.id AND c.gets_bookings WHERE l.staff_id = s.id AND l.closing = 0) AS target,
			EXISTS (SELECT 1 FROM links l WHERE l.staff_id = s.id AND l.closing = 0) AS linked,
			COALESCE((SELECT MIN(vs.start) FROM visit_staff vs WHERE vs.staff_id = s.id AND vs.start > ? AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = vs.visit_id AND b.status = 'confirmed')), 0) AS soonest
		FROM staff s WHERE s.archived_at = 0 AND EXISTS (SELECT 1 FROM service_staff x JOIN services v ON v.id = x.service_id AND v.archived_at = 0 WHERE x.staff_id = s.id))
		WHERE NOT hours OR NOT target ORDER BY name LIMIT ?`, now, most))
}

// UnsentMessages returns the messages that were refused since an instant, and those that
// wait since another.
func (t Tx) UnsentMessages(refusedSince, waitingSince span.Instant) ([]Message, error) {
	return rows[Message](t.db.Omit("text").Where("(state = ? AND settled_at > ?) OR (state = ? AND attempts > 0 AND MAX(made_at, not_before) < ?)", MessageRefused, refusedSince, MessageWaiting, waitingSince).Order("id DESC").Limit(most))
}
