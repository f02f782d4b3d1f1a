package offer

import (
	"slices"

	"niche/core/hours"
	"niche/core/span"
)

// Change is what a change of rules does to the starts of one staff member on one
// date.
type Change struct {
	Staff     string // the ID
	Date      hours.LocalDate
	Won, Lost int
	Left      int // offered after the change
}

// Compare tells what becomes of offered starts between two answers, which need not
// be about the same staff, by staff member and date in the business's zone: only
// where something changes. Charged counts the lost starts by the first reason that refuses them
// now; a start that is no candidate any more has none.
func Compare(before, after Answer) (changes []Change, charged map[Code]int) {
	charged = map[Code]int{}
	for _, id := range both(before, after) {
		old, now := before.startsOf(id), after.startsOf(id)
		days := map[date]*Change{}
		var order []date
		day := func(d date) *Change {
			if days[d] == nil {
				days[d] = &Change{Staff: id, Date: d}
				order = append(order, d)
			}
			return days[d]
		}
		refused := map[span.Instant]Code{}
		offered := map[span.Instant]bool{}
		for _, s := range now {
			if s.Refused == 0 {
				offered[s.At] = true
			} else {
				refused[s.At] = s.Refused.First()
			}
		}
		was := map[span.Instant]bool{}
		for _, s := range old {
			if s.Refused != 0 {
				continue
			}
			was[s.At] = true
			if !offered[s.At] {
				day(s.bizDay).Lost++
				if code := refused[s.At]; code != "" {
					charged[code]++
				}
			}
		}
		for _, s := range now {
			if s.Refused != 0 {
				continue
			}
			day(s.bizDay).Left++
			if !was[s.At] {
				day(s.bizDay).Won++
			}
		}
		for _, d := range order {
			if c := days[d]; c.Won+c.Lost > 0 {
				changes = append(changes, *c)
			}
		}
	}
	return changes, charged
}

// both returns the staff of two answers, each once, those of the second first.
func both(before, after Answer) (ids []string) {
	for _, a := range []Answer{after, before} {
		for _, l := range a.Lanes {
			if id := a.staff[l.Staff].ID; !slices.Contains(ids, id) {
				ids = append(ids, id)
			}
		}
	}
	return ids
}

func (a Answer) startsOf(staff string) []Start {
	for _, l := range a.Lanes {
		if a.staff[l.Staff].ID == staff {
			return l.Starts
		}
	}
	return nil
}

// Date returns the date of a start in the business's zone.
func (s Start) Date() hours.LocalDate { return s.bizDay }
