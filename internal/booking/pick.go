package booking

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"niche/core/offer"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// choice is who was picked for a visit, and why in a sentence.
type choice struct {
	staff []store.Staff
	why   string
}

// pick picks one of those who can take a visit, who are in the service's order.
// The same records give the same choice: nothing is left to chance.
// All says that these are all who can, and not only the first of them.
func pick(tx store.Tx, service store.Service, able []store.Staff, all bool, r Request, q offer.Question) (choice, error) {
	one := func(s store.Staff, why string) (choice, error) { return choice{[]store.Staff{s}, why}, nil }
	if r.Staff != 0 {
		return one(able[0], "Asked for by the client.")
	}
	for _, s := range able {
		if q.Service.Places > 1 && hasVisit(q, s.ID, r) {
			return one(s, "Joins the visit that begins then already.")
		}
	}
	if len(able) == 1 && all {
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
		ids := make([]store.ID, len(able))
		for i, s := range able {
			ids[i] = s.ID
		}
		last, err := tx.LastPicked(service.ID, ids...)
		if err != nil {
			return choice{}, err
		}
		best := slices.MinFunc(able, func(a, b store.Staff) int { return cmp.Compare(last[a.ID], last[b.ID]) })
		if last[best.ID] == 0 {
			return one(best, "In turn: had no visit of this service yet.")
		}
		return one(best, "In turn: was picked for this service longest ago.")
	case store.PickWeight:
		weights, taken, err := tx.Shares(service.ID, q.Now.Add(-sharedOver))
		if err != nil {
			return choice{}, err
		}
		counts := make([]int, len(able))
		best := 0
		for i, s := range able {
			counts[i] = taken[s.ID]
			// Whoever would still have the smallest part of what is theirs.
			if (counts[i]+1)*weights[able[best].ID] < (counts[best]+1)*weights[s.ID] {
				best = i
			}
		}
		return one(able[best], fmt.Sprintf("By share, of which %s takes %d: visits of the last weeks and ahead are %s.", words.FirstName(able[best].Name), weights[able[best].ID], counted(able, counts)))
	case store.PickLast:
		before, err := tx.LastWith(r.ClientMail)
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

// sharedOver is over which time before now visits are counted where they are shared out, in minutes.
const sharedOver = 60 * 24 * 60

// askedTogether is of how many people it is asked at once whether they can take a visit,
// where the first who can is the one to be picked.
const askedTogether = 40

// inTurn returns those who perform a service in parts, so that whoever is to be picked is
// in the first part in which anybody can take the visit. Where that cannot be told before
// all have been asked, all are one part.
func inTurn(tx store.Tx, a schedule.Asked, r Request) ([][]store.Staff, error) {
	staff := slices.Clone(a.Staff)
	if len(staff) <= askedTogether || a.Service.Staffing == string(offer.AllOfThem) || a.Service.Places > 1 || a.Service.Pick == store.PickFewest || a.Service.Pick == store.PickWeight {
		return [][]store.Staff{staff}, nil
	}
	switch a.Service.Pick {
	case store.PickTurn:
		last, err := tx.LastPicked(a.Service.ID)
		if err != nil {
			return nil, err
		}
		slices.SortStableFunc(staff, func(a, b store.Staff) int { return cmp.Compare(last[a.ID], last[b.ID]) })
	case store.PickLast:
		before, err := tx.LastWith(r.ClientMail)
		if err != nil {
			return nil, err
		}
		slices.SortStableFunc(staff, func(a, b store.Staff) int {
			return cmp.Compare(map[bool]int{true: 0, false: 1}[a.ID == before], map[bool]int{true: 0, false: 1}[b.ID == before])
		})
	}
	return slices.Collect(slices.Chunk(staff, askedTogether)), nil
}

// hasVisit reports whether a visit of the service with the length that is asked for
// begins at the start already.
func hasVisit(q offer.Question, staff store.ID, r Request) bool {
	for _, b := range bookingsOf(q, staff) {
		if b.Service == q.Service.ID && b.During == q.Service.Visit(r.Start) {
			return true
		}
	}
	return false
}

func bookingsOf(q offer.Question, staff store.ID) []offer.Booking {
	i := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == staff.Name() })
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
