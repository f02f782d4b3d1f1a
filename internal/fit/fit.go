// Package fit finds the bookings ahead that a change of rules would leave outside
// them. A change of rules cancels none: whoever makes it is told which they are.
//
// A booking fits when the rules would let it be made were it not there; what only
// counts while a booking is being made, such as notice, is passed over. Only what a
// change touches is judged, and on values: the question is put together once, and
// answered by the rules as they are and as they would be. So nothing needs to be
// saved, and nobody has to wait, while it is found out.
package fit

import (
	"cmp"
	"fmt"
	"slices"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Unfit is a booking that the rules would not let anybody make.
type Unfit struct {
	Booking store.Booking
	Visit   store.Visit
	Service string
	Staff   string
	Reasons []offer.Code
}

// Misfit is such a booking as it is sent.
type Misfit struct {
	ID        store.ID `json:"id"`
	Reference string   `json:"reference"`
	Client    string   `json:"client"`
	Service   string   `json:"service"`
	Staff     string   `json:"staff"`
	When      string   `json:"when"`
	Reasons   []string `json:"reasons"`
}

// Words writes such a booking for people.
func (m Unfit) Words(text words.In) Misfit {
	out := Misfit{ID: m.Booking.ID, Reference: m.Booking.Reference, Client: m.Booking.ClientName, Service: m.Service, Staff: m.Staff,
		When: text.Local(m.Visit.Start).Format("Mon 2 Jan 2006, ") + text.Stretch(m.Visit.During()).Label, Reasons: []string{}}
	for _, r := range m.Reasons {
		out.Reasons = append(out.Reasons, string(r))
	}
	return out
}

// Change is a change of rules, with what it touches.
type Change struct {
	Staff   store.ID          // whose bookings it touches; 0 for everybody's
	Service store.ID          // of which service; 0 for all
	Dates   []hours.LocalDate // on which dates; none for all
	// Rules returns the rules of the service, and who performs it, as they would be; nil
	// leaves both as they are.
	Rules func(store.Service, []store.Staff) (store.Service, []store.Staff)
	// Person changes what is known of a person; nil leaves it as it is.
	Person func(person store.ID, as *offer.Staff)
	// Closures are those that there would be; nil leaves them as they are.
	Closures []hours.LocalDate

	asIs bool // it is no change: what does not fit as it is, is wanted
}

// Outside returns which of some bookings, in order of their services, the rules would not let anybody make as they are. A
// personal event that lies on one is no rule.
func Outside(tx store.Tx, now span.Instant, list []store.Ahead) ([]Unfit, error) {
	found, err := judge(tx, now, Change{asIs: true}, list)
	for i := range found {
		found[i].Reasons = slices.DeleteFunc(found[i].Reasons, func(c offer.Code) bool { return c == offer.CodeBusy })
	}
	return slices.DeleteFunc(found, func(u Unfit) bool { return len(u.Reasons) == 0 }), err
}

// Judged is the outcome for a moment of the database.
type Judged struct {
	Misfits []Unfit // that fit now and would no longer
	seen    []store.Ahead
	rules   int64
}

// Judge finds out which bookings ahead a change would leave outside the rules. The
// transaction should be one that only reads.
func Judge(tx store.Tx, now span.Instant, c Change) (Judged, error) {
	var j Judged
	var err error
	if j.rules, err = tx.RulesVersion(); err != nil {
		return j, err
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return j, err
	}
	if j.seen, err = tx.BookingsAhead(c.ahead(zone, now)); err != nil {
		return j, fmt.Errorf("reading the bookings ahead: %w", err)
	}
	j.Misfits, err = judge(tx, now, c, j.seen)
	return j, err
}

// Holds reports whether a judgement still holds in a transaction, and adds what was
// booked since. It is false when other rules were changed meanwhile.
func (j *Judged) Holds(tx store.Tx, now span.Instant, c Change) (bool, error) {
	rules, err := tx.RulesVersion()
	if err != nil || rules != j.rules {
		return false, err
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return false, err
	}
	present, err := tx.BookingsAhead(c.ahead(zone, now))
	if err != nil {
		return false, fmt.Errorf("reading the bookings ahead: %w", err)
	}
	known := map[store.Ahead]bool{}
	for _, a := range j.seen {
		known[a] = true
	}
	fresh := slices.DeleteFunc(slices.Clone(present), func(a store.Ahead) bool { return known[a] })
	more, err := judge(tx, now, c, fresh)
	j.Misfits = append(slices.DeleteFunc(j.Misfits, func(m Unfit) bool {
		return !slices.ContainsFunc(present, func(a store.Ahead) bool { return a.BookingID == m.Booking.ID && a.Visit == m.Visit })
	}), more...)
	return true, err
}

// ahead says which bookings a change touches. A person's date begins at most a day
// before or after the business's.
func (c Change) ahead(zone hours.Zone, now span.Instant) store.AheadOf {
	of := store.AheadOf{Staff: c.Staff, Service: c.Service}
	if c.Dates == nil {
		of.Windows = []span.Span{span.Between(now, store.Never)}
		return of
	}
	var windows []span.Span
	for _, d := range c.Dates {
		o := zone.Over(d-1, d+2)
		windows = append(windows, span.Between(max(now, o.Starting(d-1, 0)), o.Starting(d+2, 0)))
	}
	of.Windows = span.Of(windows).Spans()
	return of
}

// NotPerformed is the reason of a booking of somebody who no longer performs the service.
const NotPerformed offer.Code = "not-performed"

// judge judges some bookings, which are in order of their services.
func judge(tx store.Tx, now span.Instant, c Change, rows []store.Ahead) (out []Unfit, err error) {
	if len(rows) == 0 {
		return nil, nil
	}
	names, err := tx.StaffNames()
	if err != nil {
		return nil, err
	}
	for len(rows) > 0 {
		n := slices.IndexFunc(rows, func(a store.Ahead) bool { return a.ServiceID != rows[0].ServiceID })
		if n < 0 {
			n = len(rows)
		}
		some, err := judgeService(tx, now, c, rows[:n], names)
		if err != nil {
			return nil, err
		}
		out, rows = append(out, some...), rows[n:]
	}
	return out, nil
}

// judgeService judges bookings of one service by the rules as they are and as they
// would be.
func judgeService(tx store.Tx, now span.Instant, c Change, rows []store.Ahead, names map[store.ID]string) (out []Unfit, err error) {
	saved, err := tx.Service(rows[0].ServiceID)
	if err != nil {
		return nil, err
	}
	performers, err := tx.Performers(saved.ID)
	if err != nil {
		return nil, err
	}
	after, performing := saved, performers
	if c.Rules != nil {
		after, performing = c.Rules(saved, slices.Clone(performers))
	}
	var people []store.ID
	first, last := rows[0].Start, rows[0].Start
	for _, r := range rows {
		people = append(people, r.StaffID)
		first, last = min(first, r.Start), max(last, r.Start)
	}
	slices.Sort(people)
	staff, err := tx.StaffByIDs(slices.Compact(people))
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return nil, err
	}
	asked := schedule.Asked{Now: now, Service: saved, From: zone.DateAt(first), To: zone.DateAt(last), Staff: staff}
	before, err := schedule.Question(tx, asked)
	if err != nil {
		return nil, err
	}
	would := before
	would.Service = schedule.Rules(after, zone.DateAt(now))
	if c.Closures != nil {
		would.Closures = c.Closures
	}
	if would.Staff = slices.Clone(before.Staff); c.Person != nil {
		for i, m := range staff {
			c.Person(m.ID, &would.Staff[i])
		}
	}
	for _, r := range rows {
		i := slices.IndexFunc(staff, func(m store.Staff) bool { return m.ID == r.StaffID })
		reasons := against(would, r.Visit, i, performs(performing, r.StaffID))
		if n := len(out) - 1; reasons == nil || n >= 0 && out[n].Booking.ID == r.BookingID {
			continue // of several people of one booking, one is enough
		}
		if !c.asIs && against(before, r.Visit, i, performs(performers, r.StaffID)) != nil {
			continue // it does not fit as it is
		}
		m := Unfit{Visit: r.Visit, Service: saved.Name, Staff: names[r.StaffID], Reasons: reasons}
		if m.Booking, err = tx.Booking(r.BookingID); err != nil {
			return nil, err
		}
		out = append(out, m)
	}
	return out, nil
}

func performs(staff []store.Staff, id store.ID) bool {
	return slices.ContainsFunc(staff, func(m store.Staff) bool { return m.ID == id })
}

// near is how far from a visit another can matter: a day for caps, and what both and
// their buffers can reach.
const near span.Minutes = 4 * 24 * 60

// against returns the reasons for which a visit could not be booked, were it not
// there.
func against(q offer.Question, v store.Visit, staff int, performs bool) (reasons []offer.Code) {
	if !performs {
		return []offer.Code{NotPerformed}
	}
	q.Service.Length = v.During().Minutes()
	q.Service.Needs = nil // its room is its own claim
	person := q.Staff[staff]
	around := v.During().Widen(near, near)
	person.Bookings = slices.Clone(between(person.Bookings, around))
	person.Bookings = slices.DeleteFunc(person.Bookings, func(b offer.Booking) bool {
		return b.Service == q.Service.ID && b.During.Start() == v.Start
	})
	q.Staff = []offer.Staff{person}
	for _, r := range q.Explain(v.Start, 0).Reasons() {
		if !offer.RuleOf(r.Code).OnceMade {
			reasons = append(reasons, r.Code)
		}
	}
	return reasons
}

// between returns the bookings, which are in order, that begin in a span.
func between(list []offer.Booking, in span.Span) []offer.Booking {
	at := func(t span.Instant) int {
		n, _ := slices.BinarySearchFunc(list, t, func(b offer.Booking, t span.Instant) int { return cmp.Compare(b.During.Start(), t) })
		return n
	}
	return list[at(in.Start()):at(in.End())]
}
