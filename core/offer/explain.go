package offer

import (
	"fmt"

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
	m := l.at(at, day, q.From)
	t := Trail{Staff: q.Staff[staff].ID, At: at, Verdicts: make([]Verdict, len(rules))}
	for i, r := range rules {
		refused := r.refuses(l, &m)
		t.Verdicts[i] = Verdict{r.code, refused, r.says(l, &m, refused)}
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
