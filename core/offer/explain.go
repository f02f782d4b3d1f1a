package offer

import (
	"cmp"
	"fmt"
	"slices"

	"niche/core/hours"
	"niche/core/span"
)

type date = hours.LocalDate

// Verdict is what one rule says of a start.
type Verdict struct {
	Code    Code
	Refused bool
	Detail  string // a sentence with the values behind it
}

// Trail is every rule's verdict on one start of one staff member.
type Trail struct {
	Staff string
	At    span.Instant
	// Offset is empty for a time at which a visit may begin. Otherwise it is a
	// sentence that says why this is not one of the starts at all.
	Offset   string
	Verdicts []Verdict
}

// Offered reports whether the start can be booked with this staff member.
func (t Trail) Offered() bool { return t.Offset == "" && t.Reasons() == nil }

// Reasons returns the verdicts that refuse.
func (t Trail) Reasons() (refused []Verdict) {
	for _, v := range t.Verdicts {
		if v.Refused {
			refused = append(refused, v)
		}
	}
	return refused
}

// Explain tells the whole trail of a start of the staff member with this index.
// With joint staffing each member has a trail of his own. The question's range
// of dates does not matter here.
func (q Question) Explain(at span.Instant, staff int) Trail {
	q.From = q.Zone.DateAt(at)
	q.To = q.From
	l := q.lane(staff, q.frame())
	day, _ := l.offsets.Wall(at)
	one := []Start{{At: at, Left: int32(q.places()), day: day, bizDay: q.From}}
	l.meet(one)
	l.judge(one)
	m := l.moment(one[0])
	t := Trail{Staff: q.Staff[staff].ID, At: at, Verdicts: make([]Verdict, len(rules))}
	for i, r := range rules {
		refused := one[0].Refused.Has(i)
		t.Verdicts[i] = Verdict{r.Code, refused, r.says(l, &m, refused)}
	}
	if _, open := l.pieces.Around(at); open && !l.isCandidate(at) {
		from := "on the clock"
		if q.Service.Anchor == OnOpening {
			from = "from opening"
		}
		t.Offset = fmt.Sprintf("Visits start every %s %s, so none starts at this time.", Duration(q.Service.Step), from)
	}
	return t
}

// Refusals tells the reasons of every start that the answer refuses, in order
// of starts and then of staff; the trails hold refusing verdicts only. With
// joint staffing a start shares the reasons of everybody, and the details of
// others begin with their names.
func (q Question) Refusals(a Answer) []Trail {
	type key struct {
		at    span.Instant
		staff int
	}
	f := q.frame()
	own := map[key][]Verdict{}
	var out []Trail
	for i := range q.Staff {
		l := q.lane(i, f)
		starts := l.starts(f)
		l.judge(starts)
		for _, start := range starts {
			m := l.moment(start)
			verdicts := []Verdict{}
			for n, r := range rules {
				if start.Refused.Has(n) {
					verdicts = append(verdicts, Verdict{r.Code, true, r.says(l, &m, true)})
				}
			}
			own[key{start.At, i}] = verdicts
		}
	}
	for i, l := range a.Lanes {
		for _, s := range l.Starts {
			if s.Refused == 0 {
				continue
			}
			t := Trail{Staff: q.Staff[i].ID, At: s.At, Verdicts: own[key{s.At, i}]}
			if a.staffing == AllOfThem {
				var others []Verdict
				for k := range q.Staff {
					verdicts, candidate := own[key{s.At, k}]
					if !candidate {
						verdicts = []Verdict{{outsideHours.Code, true, "No visit can begin then."}}
					}
					for _, v := range verdicts {
						if k != i {
							v.Detail = q.Staff[k].ID + ": " + v.Detail
						}
						others = append(others, v)
					}
				}
				t.Verdicts = mergeByCode(others)
			}
			out = append(out, t)
		}
	}
	slices.SortStableFunc(out, func(a, b Trail) int { return cmp.Compare(a.At, b.At) })
	return out
}

// mergeByCode leaves one verdict for each code, in the order of the rules.
func mergeByCode(all []Verdict) (merged []Verdict) {
	for _, r := range rules {
		v := Verdict{Code: r.Code, Refused: true}
		for _, o := range all {
			if o.Code == r.Code {
				if v.Detail != "" {
					v.Detail += " "
				}
				v.Detail += o.Detail
			}
		}
		if v.Detail != "" {
			merged = append(merged, v)
		}
	}
	return merged
}
