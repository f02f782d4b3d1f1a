package store

import (
	"cmp"

	"niche/core/span"
)

// Staff is a staff member.
type Staff struct {
	ID           ID
	Name         string
	Email        string
	Zone         string
	CapPerDay    *int         // visits a day over all services; nil for no cap
	TellVisits   Telling      // when they hear of their visits by mail
	OwnHours     bool         // whether they keep their own hours
	PasswordHash string       // empty while they come in by one-time addresses alone
	ArchivedAt   span.Instant // 0 while in use
	CreatedAt    span.Instant `gorm:"autoCreateTime:false"`
}

// TableName keeps the trade's word.
func (Staff) TableName() string { return "staff" }

// Listing asks for a part of a list: of what is in use, or of what is archived.
type Listing struct {
	Page     int // from 1
	Archived bool
}

// PageSize is how many records a part of a list has.
const PageSize = 100

// part returns the records of a part, one more than its size where there are more.
func part[T any](t Tx, l Listing, order string) ([]T, error) {
	where := "archived_at = 0"
	if l.Archived {
		where = "archived_at > 0"
	}
	return rows[T](t.db.Where(where).Order(order).Offset((l.Page - 1) * PageSize).Limit(PageSize + 1))
}

// Staff returns a staff member.
func (t Tx) Staff(id ID) (Staff, error) { return one[Staff](t.db.Where("id = ?", id)) }

// StaffPart returns a part of the team, one more than a page where there are more.
func (t Tx) StaffPart(l Listing) ([]Staff, error) { return part[Staff](t, l, "name, id") }

// StaffByIDs returns some staff members in the order of their numbers.
func (t Tx) StaffByIDs(ids []ID) (list []Staff, err error) {
	err = inParts(ids, func(part []ID) error {
		some, err := rows[Staff](t.db.Where("id IN ?", part).Order("id"))
		list = append(list, some...)
		return err
	})
	return list, err
}

// StaffNames returns the names of the whole team, also of those who are archived.
func (t Tx) StaffNames() (map[ID]string, error) {
	team, err := rows[Staff](t.db.Select("id", "name"))
	names := make(map[ID]string, len(team))
	for _, m := range team {
		names[m.ID] = m.Name
	}
	return names, err
}

// Names returns the names of all records of a kind that are in use, but for one.
func (t Tx) Names(record any, but ID) (names []string, err error) {
	err = t.db.Model(record).Where("id <> ? AND archived_at = 0", but).Pluck("name", &names).Error
	return names, err
}

// SaveStaff keeps a staff member, a new one when it has no number.
func (t Tx) SaveStaff(s *Staff) error {
	s.TellVisits = cmp.Or(s.TellVisits, NotTold)
	return t.db.Save(s).Error
}

// Archive takes a record out of use, or for 0 back into it.
func (t Tx) Archive(record any, id ID, at span.Instant) error {
	return t.db.Model(record).Where("id = ?", id).Update("archived_at", at).Error
}

// Performers returns the staff members in use who perform a service, in their
// order.
func (t Tx) Performers(service ID) ([]Staff, error) {
	var list []Staff
	err := each(t.db.Raw(`SELECT s.id, s.name, s.email, s.zone, s.cap_per_day, s.archived_at, s.created_at FROM service_staff ss JOIN staff s ON s.id = ss.staff_id
		WHERE ss.service_id = ? AND s.archived_at = 0 ORDER BY ss.position`, service), func(scan func(...any) error) error {
		var s Staff
		err := scan(&s.ID, &s.Name, &s.Email, &s.Zone, &s.CapPerDay, &s.ArchivedAt, &s.CreatedAt)
		list = append(list, s)
		return err
	})
	return list, err
}

// StaffOnWall returns who stands on the wall in a window: everybody who is not
// archived, and who had a visit then; one more than a page where there are more.
// Page 0 is everybody.
func (t Tx) StaffOnWall(window span.Span, page int) ([]Staff, error) {
	q := t.db.Where(`archived_at = 0 OR EXISTS (SELECT 1 FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id
			JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = staff.id AND vs.start >= ? AND vs.start < ?)`,
		window.Start(), window.End()).Order("id")
	if page > 0 {
		q = q.Offset((page - 1) * PageSize).Limit(PageSize + 1)
	}
	return rows[Staff](q)
}

// Performed is a service that a staff member performs.
type Performed struct {
	StaffID ID
	Name    string
}

// ServicesOf returns the services that staff members perform, by name.
func (t Tx) ServicesOf(staff []ID) ([]Performed, error) {
	return scan[[]Performed](t.db.Raw(`SELECT ss.staff_id, s.name FROM service_staff ss JOIN services s ON s.id = ss.service_id
		WHERE ss.staff_id IN ? ORDER BY s.name`, staff))
}

// PerformedBy returns the services in use that a staff member performs, and that can be
// booked at present.
func (t Tx) PerformedBy(staff ID) ([]Service, error) {
	return rows[Service](t.db.Joins("JOIN service_staff ss ON ss.service_id = services.id").
		Where("ss.staff_id = ? AND services.archived_at = 0 AND NOT services.paused", staff).Order("services.name, services.id"))
}
