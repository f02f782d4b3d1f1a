package booking

import (
	"fmt"
	"slices"

	"gorm.io/gorm"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Misfit is a booking that the rules would not let anybody make.
type Misfit struct {
	Booking store.Booking
	Visit   store.Visit
	Service string
	Staff   string
	Reasons []offer.Code
}

// misfitDays is how far ahead bookings are held against the rules.
const misfitDays = 800

// beside are the rules that only count while a booking is being made.
var beside = []offer.Code{"past", "notice", "window", "places"}

// Misfits returns the bookings ahead that no longer fit the rules as they stand
// in the transaction, each as if it were not there itself. A change of rules
// cancels none of them.
func Misfits(tx *gorm.DB, now span.Instant) ([]Misfit, error) {
	zone, err := schedule.Zone(tx)
	if err != nil {
		return nil, err
	}
	today := zone.DateAt(now)
	var rows []ahead
	err = tx.Raw(aheadQuery+" ORDER BY v.service_id, v.start, b.id, vs.staff_id", now).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("reading the bookings ahead: %w", err)
	}
	names, err := namesOf(tx)
	if err != nil {
		return nil, err
	}
	questions := map[store.ID]*offer.Question{}
	var out []Misfit
	for _, r := range rows {
		q, ok := questions[r.ServiceID]
		if !ok {
			var s store.Service
			if err := tx.Take(&s, r.ServiceID).Error; err != nil {
				return nil, err
			}
			staff, err := schedule.Performers(tx, s.ID)
			if err != nil {
				return nil, err
			}
			wide, err := schedule.Question(tx, schedule.Asked{Now: now, Service: s, From: today, To: today + misfitDays, Staff: staff})
			if err != nil {
				return nil, err
			}
			q, names[-s.ID] = &wide, s.Name
			questions[r.ServiceID] = q
		}
		if out, err = r.judge(tx, *q, names, out); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// MisfitsOf returns the bookings ahead of one service that fit its rules and
// people as they are saved, and would not fit others.
func MisfitsOf(tx *gorm.DB, now span.Instant, s store.Service, staff []store.Staff, saved store.Service, performers []store.Staff) ([]Misfit, error) {
	zone, err := schedule.Zone(tx)
	if err != nil {
		return nil, err
	}
	today := zone.DateAt(now)
	names, err := namesOf(tx)
	if err != nil {
		return nil, err
	}
	names[-saved.ID] = saved.Name
	var rows []ahead
	if err := tx.Raw(aheadQuery+" AND v.service_id = ? ORDER BY v.start, b.id, vs.staff_id", now, saved.ID).Scan(&rows).Error; err != nil {
		return nil, fmt.Errorf("reading the bookings ahead: %w", err)
	}
	if len(rows) == 0 {
		return nil, nil
	}
	to := zone.DateAt(rows[len(rows)-1].Start)
	list := func(s store.Service, staff []store.Staff) (out []Misfit, err error) {
		q, err := schedule.Question(tx, schedule.Asked{Now: now, Service: s, From: today, To: to, Staff: staff})
		for _, r := range rows {
			if err == nil {
				out, err = r.judge(tx, q, names, out)
			}
		}
		return out, err
	}
	before, err := list(saved, performers)
	if err != nil {
		return nil, err
	}
	after, err := list(s, staff)
	return slices.DeleteFunc(after, func(m Misfit) bool {
		return slices.ContainsFunc(before, func(o Misfit) bool { return o.Booking.ID == m.Booking.ID })
	}), err
}

// ahead is a booking that lies ahead, once for each of its staff.
type ahead struct {
	store.Visit
	BookingID store.ID
	StaffID   store.ID
}

const aheadQuery = `SELECT v.*, b.id AS booking_id, vs.staff_id FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status IN ('pending', 'confirmed')
	JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.start >= ?`

// judge adds the booking to the misfits when the question would refuse it. Of
// several people of one booking, one is enough.
func (r ahead) judge(tx *gorm.DB, q offer.Question, names map[store.ID]string, out []Misfit) ([]Misfit, error) {
	i := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == fmt.Sprint(r.StaffID) })
	reasons := []offer.Code{"not-performed"}
	if i >= 0 {
		reasons = against(q, r.Visit, i)
	}
	if n := len(out) - 1; reasons == nil || n >= 0 && out[n].Booking.ID == r.BookingID {
		return out, nil
	}
	m := Misfit{Visit: r.Visit, Service: names[-r.ServiceID], Staff: names[r.StaffID], Reasons: reasons}
	if err := tx.Take(&m.Booking, r.BookingID).Error; err != nil {
		return out, err
	}
	return append(out, m), nil
}

// namesOf returns the names of the team by number. Those of services are added
// by the negative of theirs.
func namesOf(tx *gorm.DB) (map[store.ID]string, error) {
	var team []store.Staff
	err := tx.Find(&team).Error
	names := make(map[store.ID]string, len(team))
	for _, m := range team {
		names[m.ID] = m.Name
	}
	return names, err
}

// against returns the reasons for which a visit could not be booked now, were it
// not there.
func against(q offer.Question, v store.Visit, staff int) (reasons []offer.Code) {
	q.Service.Length = v.During().Minutes()
	q.Staff = slices.Clone(q.Staff)
	q.Staff[staff].Bookings = slices.DeleteFunc(slices.Clone(q.Staff[staff].Bookings), func(b offer.Booking) bool {
		return b.Service == q.Service.ID && b.During.Start() == v.Start
	})
	q.Service.Needs = nil // its room is its own claim
	trail := q.Explain(v.Start, staff)
	for _, r := range trail.Reasons() {
		if !slices.Contains(beside, r.Code) {
			reasons = append(reasons, r.Code)
		}
	}
	return reasons
}
