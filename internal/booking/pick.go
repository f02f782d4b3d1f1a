package booking

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"gorm.io/gorm"

	"niche/core/offer"
	"niche/internal/store"
)

// choice is who was picked for a visit, and why in a sentence.
type choice struct {
	staff []store.Staff
	why   string
}

// pick picks one of those who can take a visit, who are in the service's order.
// The same records give the same choice: nothing is left to chance.
func pick(tx *gorm.DB, service store.Service, able []store.Staff, r Request, q offer.Question) (choice, error) {
	one := func(s store.Staff, why string) (choice, error) { return choice{[]store.Staff{s}, why}, nil }
	if r.Staff != 0 {
		return one(able[0], "Asked for by the client.")
	}
	for _, s := range able {
		if q.Service.Places > 1 && hasVisit(q, s.ID, r) {
			return one(s, "Joins the visit that begins then already.")
		}
	}
	if len(able) == 1 {
		return one(able[0], "Nobody else could take it.")
	}
	switch service.Pick {
	case store.PickFewest:
		counts := make([]int, len(able))
		for i, s := range able {
			counts[i] = visitsThatDay(q, s.ID, r)
		}
		best := slices.Index(counts, slices.Min(counts))
		return one(able[best], "Fewest visits that day: "+counted(able, counts)+".")
	case store.PickTurn:
		var rows []struct {
			StaffID store.ID
			Last    int64
		}
		err := tx.Raw(`SELECT vs.staff_id, MAX(b.id) AS last FROM bookings b JOIN visits v ON v.id = b.visit_id AND v.service_id = ?
			JOIN visit_staff vs ON vs.visit_id = v.id WHERE b.status <> 'cancelled' GROUP BY vs.staff_id`, service.ID).Scan(&rows).Error
		if err != nil {
			return choice{}, err
		}
		last := func(s store.Staff) int64 {
			for _, row := range rows {
				if row.StaffID == s.ID {
					return row.Last
				}
			}
			return 0
		}
		best := slices.MinFunc(able, func(a, b store.Staff) int { return cmp.Compare(last(a), last(b)) })
		if last(best) == 0 {
			return one(best, "In turn: had no visit of this service yet.")
		}
		return one(best, "In turn: was picked for this service longest ago.")
	case store.PickLast:
		var before store.ID
		err := tx.Raw(`SELECT vs.staff_id FROM bookings b JOIN visits v ON v.id = b.visit_id JOIN visit_staff vs ON vs.visit_id = v.id
			WHERE b.client_mail = ? AND b.status <> 'cancelled' ORDER BY v.start DESC, vs.staff_id LIMIT 1`, r.ClientMail).Scan(&before).Error
		if err != nil {
			return choice{}, err
		}
		for _, s := range able {
			if s.ID == before {
				return one(s, "The client had this person last.")
			}
		}
		return one(able[0], "The client had nobody before who is free; first in order.")
	}
	return one(able[0], "First in order who is free.")
}

// hasVisit reports whether a visit of the service begins at the start already.
func hasVisit(q offer.Question, staff store.ID, r Request) bool {
	for _, b := range bookingsOf(q, staff) {
		if b.Service == q.Service.ID && b.During.Start() == r.Start {
			return true
		}
	}
	return false
}

func bookingsOf(q offer.Question, staff store.ID) []offer.Booking {
	i := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == fmt.Sprint(staff) })
	return q.Staff[i].Bookings
}

// visitsThatDay counts visits on the date of the start in the business's zone.
func visitsThatDay(q offer.Question, staff store.ID, r Request) int {
	seen := map[string]bool{}
	for _, b := range bookingsOf(q, staff) {
		if q.Zone.DateAt(b.During.Start()) == q.Zone.DateAt(r.Start) {
			seen[fmt.Sprint(b.Service, " ", b.During.Start())] = true
		}
	}
	return len(seen)
}

func counted(staff []store.Staff, counts []int) string {
	parts := make([]string, len(staff))
	for i, s := range staff {
		parts[i] = fmt.Sprintf("%s %d", s.Name, counts[i])
	}
	return strings.Join(parts, ", ")
}
