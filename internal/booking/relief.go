package booking

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"niche/core/assign"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Reach says how far a visit may go from its time when somebody else is found for it.
type Reach string

// The reaches.
const (
	SameTime   Reach = "time" // with somebody else, at its own time
	SameDay    Reach = "day"  // at another time of its day, too
	WithinWeek Reach = "week" // or, in the week after the days that are handed over, with anyone
)

// Relief is a plan by which others take over the visits of somebody who is away.
type Relief struct {
	Visits []Relieved // in order of their starts
	Best   bool       // no plan places more of them, or as many nearer to their times
}

// Relieved is a visit in such a plan.
type Relieved struct {
	Visit    store.Visit
	Service  store.Service
	Bookings []store.Booking // that hold it
	To       Way             // whom it goes to, and when; no start for a visit that nothing was found for. Nobody is named where all who perform it take part
	Waits    bool            // it waits for a decision, so that it cannot move
}

const (
	daysAfter    = 7   // in which a visit may be held instead
	mostRelieved = 60  // visits that one plan places
	optionsEach  = 80  // of a visit that are weighed: the nearest
	mostRounds   = 200 // in which an option that does not hold with the others is given up

	// What it costs to be held at another time, and on another day; a minute costs 1.
	anotherTime = 1_000
	anotherDay  = 20_000
)

// ErrManyVisits says that the days hold more visits than one plan places.
var ErrManyVisits = errors.New("these days hold more visits than can be planned at once")

// PlanRelief finds who could take over the visits of somebody on some dates of their own
// clock, both included, by the same rules as for anyone. Nothing is changed: what is planned
// may be gone when it is carried out, as any start may.
func (b *Bookings) PlanRelief(ctx context.Context, who store.ID, from, to hours.LocalDate, reach Reach) (Relief, error) {
	tx, now := b.DB.Read(ctx), span.At(b.Now())
	p := relief{tx: tx, now: now, who: who}
	member, err := tx.Staff(who)
	if err != nil {
		return Relief{}, err
	}
	own, err := hours.LoadZone(member.Zone)
	if err != nil {
		return Relief{}, err
	}
	o := own.Over(from, to+1)
	p.away = span.Between(o.Starting(from, 0), o.Starting(to+1, 0))
	visits, err := tx.VisitsAhead(who, now)
	if err != nil {
		return Relief{}, err
	}
	out := Relief{Visits: []Relieved{}, Best: true}
	for _, v := range visits {
		if v.Start < now || !p.away.Contains(v.Start) {
			continue
		}
		r := Relieved{Visit: v}
		if r.Service, err = tx.Service(v.ServiceID); err != nil {
			return out, err
		}
		if r.Bookings, err = tx.BookingsOn(v.ID); err != nil {
			return out, err
		}
		r.Waits = slices.ContainsFunc(r.Bookings, func(k store.Booking) bool { return k.Status != store.Confirmed })
		if out.Visits = append(out.Visits, r); len(out.Visits) > mostRelieved {
			return out, ErrManyVisits
		}
	}
	for i := range out.Visits {
		if err := p.weigh(out.Visits[i], reach); err != nil {
			return out, err
		}
	}
	out.Best, err = p.settle(out.Visits)
	if err != nil {
		return out, fmt.Errorf("planning who relieves staff member %d: %w", who, err)
	}
	return out, nil
}

// relief is a plan in the making.
type relief struct {
	tx      store.Tx
	now     span.Instant
	who     store.ID
	away    span.Span
	options [][]taken // by visit
}

// taken is an option of a visit, with what it would take of whom.
type taken struct {
	Way
	staff    []store.Staff
	occupied span.Span
	cost     int
}

// asked is the question about a visit, as if it were not there.
func (p *relief) asked(r Relieved, staff []store.Staff, without []store.ID) schedule.Asked {
	a := schedule.Asked{Now: p.now, Service: r.Service, Length: r.Visit.During().Minutes(), Staff: staff}
	for _, k := range r.Bookings {
		a.Places += k.Places
	}
	a.Without.Visits = append(slices.Clone(without), r.Visit.ID)
	return a
}

// weigh finds where a visit could go: at its own time is better than at another, that is
// better than on another day, and there with whom it was is a little better than with others.
func (p *relief) weigh(r Relieved, reach Reach) error {
	if r.Waits || r.Service.Paused {
		p.options = append(p.options, nil)
		return nil
	}
	staff, err := p.tx.Performers(r.Service.ID)
	if err != nil {
		return err
	}
	zone, err := schedule.Zone(p.tx)
	if err != nil {
		return err
	}
	a := p.asked(r, staff, nil)
	a.From = zone.DateAt(r.Visit.Start)
	a.To = a.From
	if reach == WithinWeek {
		a.To = zone.DateAt(p.away.End()) + daysAfter
	}
	q, err := schedule.Question(p.tx, a)
	if err != nil {
		return err
	}
	var list []taken
	for _, o := range q.Answer().Offers() {
		t := taken{Way: Way{At: o.At}, occupied: q.Service.Occupied(o.At)}
		off := max(o.At-r.Visit.Start, r.Visit.Start-o.At) / 60
		switch {
		case o.At == r.Visit.Start:
		case reach == SameTime:
			continue
		case zone.DateAt(o.At) == zone.DateAt(r.Visit.Start):
			t.cost = anotherTime + int(off)
		case p.away.Contains(o.At):
			t.cost = anotherDay/2 + int(off) // on another day of those that are handed over, with somebody else
		default:
			t.cost = anotherDay + int(off)
		}
		if r.Service.Staffing == string(offer.AllOfThem) {
			if !p.away.Contains(o.At) {
				t.staff = staff
				list = append(list, t)
			}
			continue
		}
		for place, name := range o.Staff {
			i := slices.IndexFunc(staff, func(s store.Staff) bool { return s.ID.Name() == name })
			one := t
			one.Staff, one.staff = staff[i].ID, staff[i:i+1]
			if one.cost += min(place, 20) + 1; one.Staff == p.who {
				one.cost -= place + 1
				if p.away.Contains(o.At) {
					continue
				}
			}
			list = append(list, one)
		}
	}
	slices.SortStableFunc(list, func(a, b taken) int { return a.cost - b.cost })
	p.options = append(p.options, list[:min(optionsEach, len(list))])
	return nil
}

// settle chooses among the options. What stands in its own way by rules that count all
// visits together, such as caps and rooms, is seen when the plan is gone through in turn,
// as it will be carried out: an option that does not hold then is given up, and the plan
// made anew.
func (p *relief) settle(visits []Relieved) (best bool, err error) {
	best = true
	for range mostRounds {
		costs := make([][]int, len(visits))
		for i, list := range p.options {
			for _, t := range list {
				costs[i] = append(costs[i], t.cost)
			}
		}
		plan := assign.Best(costs, func(a, o, b, n int) bool {
			x, y := p.options[a][o], p.options[b][n]
			return x.occupied.Overlaps(y.occupied) && slices.ContainsFunc(x.staff, func(s store.Staff) bool {
				return slices.ContainsFunc(y.staff, func(t store.Staff) bool { return s.ID == t.ID })
			})
		})
		best = best && plan.Best
		fails, err := p.rehearse(visits, plan.Given)
		if err != nil {
			return false, err
		}
		if fails == assign.None {
			for i, o := range plan.Given {
				if o != assign.None {
					visits[i].To = p.options[i][o].Way
				}
			}
			return best, nil
		}
		o := plan.Given[fails]
		p.options[fails] = slices.Delete(slices.Clone(p.options[fails]), o, o+1)
		best = false // another order of what is given up could have placed more
	}
	return false, nil
}

// rehearse goes through a plan in turn and returns the first visit that does not hold with
// those before it.
func (p *relief) rehearse(visits []Relieved, given []int) (int, error) {
	var gone []store.ID
	var done []placed
	for i, r := range visits {
		if given[i] == assign.None {
			continue
		}
		t := p.options[i][given[i]]
		a := p.asked(r, t.staff, gone)
		zone, err := schedule.Zone(p.tx)
		if err != nil {
			return 0, err
		}
		a.From = zone.DateAt(t.At)
		a.To = a.From
		q, err := schedule.Question(p.tx, a)
		if err != nil {
			return 0, err
		}
		for _, d := range done {
			d.into(q)
		}
		for n := range q.Staff {
			if !q.Explain(t.At, n).Offered() {
				return i, nil
			}
		}
		gone = append(gone, r.Visit.ID)
		done = append(done, placed{r, t, a.Places, freeResources(q, t.occupied)})
	}
	return assign.None, nil
}

// placed is a visit as it will be.
type placed struct {
	Relieved
	to     taken
	places int
	things []store.ID
}

// into adds the visit to a question.
func (d placed) into(q offer.Question) {
	for i := range q.Staff {
		if slices.ContainsFunc(d.to.staff, func(s store.Staff) bool { return s.ID.Name() == q.Staff[i].ID }) {
			q.Staff[i].Bookings = append(slices.Clone(q.Staff[i].Bookings), offer.Booking{ID: "planned " + d.Visit.ID.Name(), Service: d.Service.ID.Name(),
				During: span.For(d.to.At, d.Visit.During().Minutes()), BufferBefore: d.Service.BufferBefore, BufferAfter: d.Service.BufferAfter, Places: d.places})
		}
	}
	for i := range q.Resources {
		if slices.Contains(d.things, store.Named(q.Resources[i].ID)) {
			q.Resources[i].Taken = append(slices.Clone(q.Resources[i].Taken), d.to.occupied)
		}
	}
}
