package offer

import (
	"cmp"
	"math"
	"runtime"
	"slices"
	"sync"

	"niche/core/span"
)

// Reasons is a set of rules that refuse a start, by their place in the table.
// The zero value refuses nothing.
type Reasons uint16

// Has reports whether the rule with this place is in the set.
func (r Reasons) Has(place int) bool { return r&(1<<place) != 0 }

// Codes returns the codes of the set in the order of the rules.
func (r Reasons) Codes() (codes []Code) {
	for i := range rules {
		if r.Has(i) {
			codes = append(codes, rules[i].Code)
		}
	}
	return codes
}

// First returns the reason to which a refused start is charged, or "".
func (r Reasons) First() Code {
	for i := range rules {
		if r.Has(i) {
			return rules[i].Code
		}
	}
	return ""
}

// Start is one candidate start of one staff member. It is offered when nothing
// refuses it.
type Start struct {
	At      span.Instant
	Left    int32 // places left, before those asked for; 0 when there are none
	day     date  // in the staff member's zone
	bizDay  date  // in the business's zone
	Refused Reasons
	joins   bool // a visit of the same length begins then already, and can be shared
}

// Lane is the part of an answer that belongs to one staff member.
type Lane struct {
	Staff  int // index into the question's staff
	Open   span.Set
	Starts []Start // in order
}

// Answer is the verdict on every candidate start of a question.
type Answer struct {
	Lanes    []Lane // in the order of the question's staff
	staffing Staffing
	staff    []Staff
}

// Answer examines every candidate start. Its cost is linear in candidates,
// busy spans and bookings; it allocates a handful of slices for each staff
// member and nothing for a candidate. The question must be sound: zones and
// patterns checked, step and length at least 1.
func (q Question) Answer() Answer {
	a := Answer{Lanes: make([]Lane, len(q.Staff)), staffing: q.Service.Staffing, staff: q.Staff}
	f := q.frame()
	inParts(len(q.Staff), func(i int) {
		l := q.lane(i, f)
		starts := l.starts(f)
		l.judge(starts)
		a.Lanes[i] = Lane{Staff: i, Open: l.pieces, Starts: starts}
	})
	if q.Service.Staffing == AllOfThem {
		a.jointly()
	}
	return a
}

// alone is how many lanes are worth a goroutine of their own.
const alone = 16

// inParts calls do for each number below n, and returns when all calls have.
// Lanes do not know of each other, so many are shared out among the processors.
func inParts(n int, do func(i int)) {
	parts := max(1, min(n/alone, runtime.GOMAXPROCS(0)))
	var all sync.WaitGroup
	for p := 1; p < parts; p++ {
		all.Go(func() {
			for i := p; i < n; i += parts {
				do(i)
			}
		})
	}
	for i := 0; i < n; i += parts {
		do(i)
	}
	all.Wait()
}

// jointly lets every lane share the reasons of the others at the same start,
// because such a visit takes all of them. One who has no candidate there is
// outside hours.
func (a *Answer) jointly() {
	type tally struct {
		lanes   int
		refused Reasons
	}
	all := map[span.Instant]tally{}
	for _, l := range a.Lanes {
		for _, s := range l.Starts {
			t := all[s.At]
			all[s.At] = tally{t.lanes + 1, t.refused | s.Refused}
		}
	}
	absent := Reasons(1) << slices.Index(Codes(), outsideHours.Code)
	for _, l := range a.Lanes {
		for i := range l.Starts {
			t := all[l.Starts[i].At]
			if t.lanes < len(a.Lanes) {
				t.refused |= absent
			}
			l.Starts[i].Refused = t.refused
		}
	}
}

// Near returns the offered starts of a lane that are nearest to an instant, the nearest
// first and not more than most, and whether there is one at it, which is none of them.
func (l Lane) Near(at span.Instant, most int) (near []span.Instant, same bool) {
	for _, s := range l.Starts {
		switch {
		case s.Refused != 0:
		case s.At == at:
			same = true
		default:
			near = append(near, s.At)
		}
	}
	away := func(t span.Instant) span.Instant { return max(t-at, at-t) }
	slices.SortStableFunc(near, func(a, b span.Instant) int { return cmp.Compare(away(a), away(b)) })
	return near[:min(most, len(near))], same
}

// Offer is a start that can be booked, with all who can take it: with joint
// staffing, everybody.
type Offer struct {
	At    span.Instant
	Staff []string // in the order of the question
	Left  int      // the most places that one of them still has; jointly, the least
}

// Offers returns the offered starts in order.
func (a Answer) Offers() []Offer {
	return a.OffersIn(span.Between(math.MinInt64, math.MaxInt64), math.MaxInt)
}

// OffersIn returns the first offered starts inside a window, in order and not
// more than most. The lanes are merged as far as that takes, so a few offers out
// of a long answer cost little.
func (a Answer) OffersIn(window span.Span, most int) []Offer {
	rest := make([][]Start, len(a.Lanes))
	for i, l := range a.Lanes {
		n, _ := slices.BinarySearchFunc(l.Starts, window.Start(), func(s Start, t span.Instant) int { return cmp.Compare(s.At, t) })
		rest[i] = offered(l.Starts[n:])
	}
	var offers []Offer
	for len(offers) < most {
		next := window.End()
		for _, r := range rest {
			if len(r) > 0 {
				next = min(next, r[0].At)
			}
		}
		if next == window.End() {
			break
		}
		o := Offer{At: next}
		for i, r := range rest {
			if len(r) == 0 || r[0].At != next {
				continue
			}
			left := int(r[0].Left)
			switch {
			case o.Staff == nil:
				o.Left = left
			case a.staffing == AllOfThem:
				o.Left = min(o.Left, left)
			default:
				o.Left = max(o.Left, left)
			}
			o.Staff = append(o.Staff, a.staff[a.Lanes[i].Staff].ID)
			rest[i] = offered(r[1:])
		}
		offers = append(offers, o)
	}
	return offers
}

// offered returns the starts from the first that is offered on.
func offered(starts []Start) []Start {
	for len(starts) > 0 && starts[0].Refused != 0 {
		starts = starts[1:]
	}
	return starts
}

// Budget tells where the candidate starts go: each refused one is charged to
// its first reason, so offered and lost add up to the candidates.
type Budget struct {
	Candidates int
	Offered    int
	Lost       map[Code]int // every code is there
}

// Budget counts the answer.
func (a Answer) Budget() Budget {
	var lost [len(rules)]int
	b := Budget{Lost: make(map[Code]int, len(rules))}
	for _, l := range a.Lanes {
		for _, s := range l.Starts {
			b.Candidates++
			if s.Refused == 0 {
				b.Offered++
				continue
			}
			for i := range rules {
				if s.Refused.Has(i) {
					lost[i]++
					break
				}
			}
		}
	}
	for i, r := range rules {
		b.Lost[r.Code] = lost[i]
	}
	return b
}
