package booking

import (
	"fmt"
	"slices"

	"gorm.io/gorm"

	"niche/core/hours"
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
	var rows []struct {
		store.Visit
		BookingID store.ID
		StaffID   store.ID
	}
	err = tx.Raw(`SELECT v.*, b.id AS booking_id, vs.staff_id FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status IN ('pending', 'confirmed')
		JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.start >= ? ORDER BY v.service_id, v.start, b.id, vs.staff_id`, now).Scan(&rows).Error
	if err != nil {
		return nil, fmt.Errorf("reading the bookings ahead: %w", err)
	}
	questions := map[store.ID]*offer.Question{}
	names := map[store.ID]string{}
	var out []Misfit
	for _, r := range rows {
		q, ok := questions[r.ServiceID]
		if !ok {
			if q, err = wide(tx, r.ServiceID, today, now, names); err != nil {
				return nil, err
			}
			questions[r.ServiceID] = q
		}
		i := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == fmt.Sprint(r.StaffID) })
		var reasons []offer.Code
		if i < 0 {
			reasons = []offer.Code{"not-performed"}
		} else {
			reasons = against(*q, r.Visit, i)
		}
		if reasons == nil {
			continue
		}
		if n := len(out) - 1; n >= 0 && out[n].Booking.ID == r.BookingID {
			continue // one of several people is enough
		}
		m := Misfit{Visit: r.Visit, Service: q.Service.ID, Reasons: reasons}
		if err := tx.Take(&m.Booking, r.BookingID).Error; err != nil {
			return nil, err
		}
		m.Service, m.Staff = names[-r.ServiceID], names[r.StaffID]
		out = append(out, m)
	}
	return out, nil
}

// wide asks about all that lies ahead of one service, with everybody in the
// team, and notes names: of staff by number, of services by the negative of it.
func wide(tx *gorm.DB, service store.ID, today hours.LocalDate, now span.Instant, names map[store.ID]string) (*offer.Question, error) {
	var s store.Service
	if err := tx.Take(&s, service).Error; err != nil {
		return nil, err
	}
	names[-service] = s.Name
	var team []store.Staff
	if err := tx.Find(&team).Error; err != nil {
		return nil, err
	}
	for _, m := range team {
		names[m.ID] = m.Name
	}
	staff, err := schedule.Performers(tx, service)
	if err != nil {
		return nil, err
	}
	q, err := schedule.Question(tx, schedule.Asked{Now: now, Service: s, From: today, To: today + misfitDays, Staff: staff})
	return &q, err
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
