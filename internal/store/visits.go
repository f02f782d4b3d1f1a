package store

import (
	"fmt"

	"niche/core/span"
)

// Visit is the time with clients.
type Visit struct {
	ID           ID
	ServiceID    ID
	UID          string
	Start        span.Instant
	End          span.Instant
	BufferBefore span.Minutes
	BufferAfter  span.Minutes
	ProofID      ID // of the proof whose test booking it is: nobody is booked on it; 0 for none
}

// During returns the visit without its buffers.
func (v Visit) During() span.Span { return span.Between(v.Start, v.End) }

// Occupied returns the visit with its buffers.
func (v Visit) Occupied() span.Span { return v.During().Widen(v.BufferBefore, v.BufferAfter) }

// VisitStaff says whose visit it is. It outlives the claim.
type VisitStaff struct {
	VisitID ID `gorm:"primaryKey"`
	StaffID ID `gorm:"primaryKey"`
}

// TableName keeps the trade's word.
func (VisitStaff) TableName() string { return "visit_staff" }

// VisitResource says which rooms and equipment a visit has.
type VisitResource struct {
	VisitID    ID `gorm:"primaryKey"`
	ResourceID ID `gorm:"primaryKey"`
}

// Subject is what a claim is made on.
type Subject string

// StaffSubject returns the subject of a staff member's time.
func StaffSubject(id ID) Subject { return Subject(fmt.Sprintf("staff:%d", id)) }

// ResourceSubject returns the subject of a room's or a piece of equipment's time.
func ResourceSubject(id ID) Subject { return Subject(fmt.Sprintf("resource:%d", id)) }

// Claim is the exclusive right of a visit to a subject's time.
type Claim struct {
	ID      ID
	VisitID ID
	Subject Subject
	Start   span.Instant
	End     span.Instant
}

// Visit returns a visit.
func (t Tx) Visit(id ID) (Visit, error) { return one[Visit](t.db.Where("id = ?", id)) }

// AddVisit keeps a new visit with whose it is and what it has.
func (t Tx) AddVisit(v *Visit, staff, resources []ID) error {
	if err := t.db.Create(v).Error; err != nil {
		return err
	}
	return t.addTo(v.ID, staff, resources)
}

func (t Tx) addTo(visit ID, staff, resources []ID) error {
	var people []VisitStaff
	for _, id := range staff {
		people = append(people, VisitStaff{visit, id})
	}
	var things []VisitResource
	for _, id := range resources {
		things = append(things, VisitResource{visit, id})
	}
	if err := create(t, people); err != nil {
		return err
	}
	return create(t, things)
}

// VisitStaff returns whose a visit is.
func (t Tx) VisitStaff(visit ID) (ids []ID, err error) {
	err = t.db.Model(&VisitStaff{}).Where("visit_id = ?", visit).Order("staff_id").Pluck("staff_id", &ids).Error
	return ids, err
}

// VisitStaffNames returns the names of whose a visit is.
func (t Tx) VisitStaffNames(visit ID) (names []string, err error) {
	err = t.db.Model(&Staff{}).Joins("JOIN visit_staff vs ON vs.staff_id = staff.id").Where("vs.visit_id = ?", visit).Order("staff.name").Pluck("name", &names).Error
	return names, err
}

// VisitResources returns the rooms and equipment of visits.
func (t Tx) VisitResources(visits []ID) (list []VisitResource, err error) {
	err = inParts(visits, func(part []ID) error {
		some, err := rows[VisitResource](t.db.Where("visit_id IN ?", part))
		list = append(list, some...)
		return err
	})
	return list, err
}

// VisitToJoin returns the visit of a service, staff member, start and end that
// clients hold, but not a certain one; none when there is none.
func (t Tx) VisitToJoin(service, staff ID, during span.Span, but ID) (Visit, error) {
	return scan[Visit](t.db.Raw(`SELECT v.* FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id AND vs.staff_id = ?
		WHERE v.service_id = ? AND v.start = ? AND v."end" = ? AND v.id <> ? AND EXISTS (SELECT 1 FROM claims c WHERE c.visit_id = v.id)
		AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled') LIMIT 1`,
		staff, service, during.Start(), during.End(), but))
}

// TakeOver gives a visit the time, the people and the things of another, which is
// no more afterwards, and takes its claims off.
func (t Tx) TakeOver(visit, other ID) error {
	for _, step := range []string{
		"DELETE FROM claims WHERE visit_id IN (@old, @new)",
		"DELETE FROM visit_staff WHERE visit_id = @old",
		"DELETE FROM visit_resources WHERE visit_id = @old",
		"UPDATE visit_staff SET visit_id = @old WHERE visit_id = @new",
		"UPDATE visit_resources SET visit_id = @old WHERE visit_id = @new",
		`UPDATE visits SET (start, "end", buffer_before, buffer_after) = (SELECT start, "end", buffer_before, buffer_after FROM visits WHERE id = @new) WHERE id = @old`,
		"DELETE FROM visits WHERE id = @new",
	} {
		if err := t.db.Exec(step, map[string]any{"old": visit, "new": other}).Error; err != nil {
			return err
		}
	}
	return nil
}

// ForgetVisit forgets a visit that nobody was ever on, and of which nothing is
// outside: otherwise it stays.
func (t Tx) ForgetVisit(id ID) error {
	return t.db.Exec(`DELETE FROM visits WHERE id = ? AND NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = visits.id)
		AND NOT EXISTS (SELECT 1 FROM copies c WHERE c.visit_id = visits.id)`, id).Error
}

// ClaimsOf returns what a visit claims of a subject.
func (t Tx) ClaimsOf(visit ID, subject Subject) ([]Claim, error) {
	return rows[Claim](t.db.Where("visit_id = ? AND subject = ?", visit, subject))
}

// ClaimsOn returns the claims on subjects that reach into a window, but for those
// of some visits.
func (t Tx) ClaimsOn(subjects []Subject, window span.Span, but []ID) ([]Claim, error) {
	return rows[Claim](t.db.Where(`subject IN ? AND "end" > ? AND start < ? AND visit_id NOT IN ?`, subjects, window.Start(), window.End(), append([]ID{0}, but...)))
}

// AddClaim makes a claim, or returns ErrOverlap at the end of the transaction.
func (t Tx) AddClaim(c Claim) error { return t.db.Create(&c).Error }

// DropClaims takes all claims of a visit off.
func (t Tx) DropClaims(visit ID) error {
	return t.db.Where("visit_id = ?", visit).Delete(&Claim{}).Error
}

// Holder is a visit that holds a subject's time, with its clients.
type Holder struct {
	Visit
	Service string
	Client  string
	Clients int
}

// Holders returns the visits that hold some of a subject's time.
func (t Tx) Holders(subject Subject, during span.Span) ([]Holder, error) {
	return scan[[]Holder](t.db.Raw(`SELECT v.*, s.name AS service, MIN(b.client_name) AS client, COUNT(*) AS clients FROM claims c JOIN visits v ON v.id = c.visit_id
		JOIN services s ON s.id = v.service_id JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE c.subject = ? AND c."end" > ? AND c.start < ? GROUP BY v.id ORDER BY v.start`, subject, during.Start(), during.End()))
}

// StaffVisit is a visit with one of its staff.
type StaffVisit struct {
	Visit
	StaffID ID
}

// VisitsAhead returns the visits of a staff member that are not over at an instant
// and that clients hold for sure, in order of their starts.
func (t Tx) VisitsAhead(staff ID, now span.Instant) ([]Visit, error) {
	return scan[[]Visit](t.db.Raw(`SELECT DISTINCT v.* FROM claims c JOIN visits v ON v.id = c.visit_id WHERE c.subject = ? AND c."end" > ?
		AND v."end" > ? AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status IN ('pending', 'confirmed')) ORDER BY v.start`,
		StaffSubject(staff), now, now))
}

// IsHeld reports whether clients hold a visit for sure: pending or confirmed.
func (t Tx) IsHeld(visit ID) (bool, error) {
	return scan[bool](t.db.Raw("SELECT EXISTS (SELECT 1 FROM bookings WHERE visit_id = ? AND status IN ('pending', 'confirmed'))", visit))
}

// VisitsOf returns the visits of a service that are not over at an instant and that clients hold for sure.
func (t Tx) VisitsOf(service ID, now span.Instant) ([]ID, error) {
	return scan[[]ID](t.db.Raw(`SELECT v.id FROM visits v WHERE v.service_id = ? AND v."end" > ? AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status IN ('pending', 'confirmed')) ORDER BY v.id`, service, now))
}
