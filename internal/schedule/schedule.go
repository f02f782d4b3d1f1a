// Package schedule reads what the store knows of staff and services as values
// that the core can answer from: one question for one service, with the open
// time, busy spans and bookings of everybody who performs it.
//
// It decides nothing, and can read inside a transaction as well as outside.
package schedule

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"sync"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/store"
)

// Asked is what a question is about.
type Asked struct {
	Now      span.Instant
	Service  store.Service
	Length   span.Minutes    // one of the service's; 0 for its first
	Places   int             // asked for; 0 counts as 1
	From, To hours.LocalDate // in the business's zone
	Staff    []store.Staff   // who performs it, in their order
	Without  Without
}

// Without says what counts as not there.
type Without struct {
	Visits  []store.ID // with all that they hold
	Booking store.ID   // on a visit that others are on too
}

// Zone returns the business's zone.
func Zone(tx store.Tx) (hours.Zone, error) {
	b, err := tx.Business()
	if err != nil {
		return hours.Zone{}, err
	}
	return hours.LoadZone(b.Zone)
}

// Question puts together the question for the core. The staff's IDs are their
// numbers.
func Question(tx store.Tx, a Asked) (offer.Question, error) {
	zone, err := Zone(tx)
	if err != nil {
		return offer.Question{}, err
	}
	rules := Rules(a.Service, zone.DateAt(a.Now))
	if a.Length != 0 {
		rules.Length = a.Length
	}
	q := offer.Question{Now: a.Now, Zone: zone, From: a.From, To: a.To, Service: rules, PlacesAsked: a.Places}
	// An outer bound of all instants that can matter: no zone is further than a
	// day from another, and no visit and buffer longer than the slack.
	slack := 3*24*60 + rules.Length + a.Service.BufferBefore + a.Service.BufferAfter
	o := zone.Over(a.From, a.To)
	reach := span.Between(o.Starting(a.From, 0), o.Ending(a.To, int(hours.DayEnd))).Widen(slack, slack)
	ids := make([]store.ID, len(a.Staff))
	for i, s := range a.Staff {
		ids[i] = s.ID
	}
	schedules, err := Schedules(tx, a.Staff, a.From-4, a.To+4)
	if err != nil {
		return q, err
	}
	if q.Closures, err = Closures(tx, a.From-4, a.To+4); err != nil {
		return q, err
	}
	if q.Resources, err = resources(tx, rules.Needs, reach, a.Without.Visits); err != nil {
		return q, err
	}
	busy, err := blocking.Of(tx, ids, reach)
	if err != nil {
		return q, err
	}
	bookings, err := tx.BookedNear(ids, reach, a.Without.Visits)
	if err != nil {
		return q, fmt.Errorf("reading bookings: %w", err)
	}
	if but := fmt.Sprint(a.Without.Booking); a.Without.Booking != 0 {
		for id, list := range bookings {
			bookings[id] = slices.DeleteFunc(list, func(b offer.Booking) bool { return b.ID == but })
		}
	}
	for _, s := range a.Staff {
		m := offer.Staff{ID: s.ID.Name(), Schedule: schedules[s.ID], Bookings: bookings[s.ID], CapPerDay: CapOf(s.CapPerDay)}
		for _, c := range busy[s.ID] {
			if c.Copy == 0 || !slices.Contains(a.Without.Visits, c.Copy) {
				m.Busy = append(m.Busy, c.Calendar)
			}
		}
		q.Staff = append(q.Staff, m)
	}
	return q, nil
}

// Rules returns the rules of a service as they stand on a date, today in the
// business's zone: its booking window always has an end.
func Rules(s store.Service, today hours.LocalDate) offer.Service {
	return offer.Service{
		ID: s.ID.Name(), Length: s.Length, Step: s.Step, Anchor: offer.Anchor(s.Anchor),
		BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter, BuffersInsideHours: s.BuffersInsideHours,
		Notice: s.Notice, Window: window(s.Window, today), CapPerDay: CapOf(s.CapPerDay), Places: s.Places, Needs: s.Needs, Staffing: offer.Staffing(s.Staffing),
	}
}

// OpenEnded is how many days ahead a service can be booked that has no end of its
// booking window, and Furthest how many at most, whatever its window says.
const (
	OpenEnded = 366
	Furthest  = 732
)

// window returns a booking window as it stands on a date: it has an end.
func window(w offer.Window, today hours.LocalDate) offer.Window {
	if days, ok := w.Days(); ok {
		return offer.DaysAhead(min(days, Furthest))
	}
	from, to := w.Dates()
	switch {
	case from.IsZero() && to.IsZero():
		return offer.DaysAhead(OpenEnded)
	case to.IsZero():
		return offer.Dates(from, today+OpenEnded)
	}
	return offer.Dates(from, min(to, today+Furthest))
}

// Last returns the last date on which something can be booked by any of some booking
// windows, in the business's zone and seen from a date there. It is what the rules say
// of a start that is offered or taken, and so what must be known of everybody's
// calendars.
func Last(windows []offer.Window, today hours.LocalDate) hours.LocalDate {
	last := today
	for _, w := range windows {
		last = max(last, window(w, today).Last(today))
	}
	return last
}

// Spare is how much further than the last bookable date calendars are read, so that
// they need not be read anew every day: a month, and what a visit and its buffers can
// reach.
const Spare = 34

// Horizon returns up to which instant the events of calendars must be known, so that
// nothing is offered beyond what is known.
func Horizon(tx store.Tx, now span.Instant) (span.Instant, error) {
	zone, err := Zone(tx)
	if err != nil {
		return 0, err
	}
	windows, err := tx.Windows()
	if err != nil {
		return 0, fmt.Errorf("reading booking windows: %w", err)
	}
	last := Last(windows, zone.DateAt(now))
	return zone.Over(last, last+Spare).Ending(last+Spare, 0), nil
}

// CapOf returns a cap as it is stored as one of the core.
func CapOf(n *int) offer.Cap {
	if n == nil {
		return offer.Cap{}
	}
	return offer.AtMost(*n)
}

// Schedules returns the working hours of staff members; of one-off days and
// absences those between the dates.
func Schedules(tx store.Tx, staff []store.Staff, from, to hours.LocalDate) (map[store.ID]hours.Schedule, error) {
	out := make(map[store.ID]hours.Schedule, len(staff))
	ids := make([]store.ID, len(staff))
	for i, s := range staff {
		zone, err := hours.LoadZone(s.Zone)
		if err != nil {
			return nil, fmt.Errorf("reading the hours of staff %d: %w", s.ID, err)
		}
		ids[i], out[s.ID] = s.ID, hours.Schedule{Zone: zone}
	}
	rows, err := tx.Patterns(ids)
	if err != nil {
		return nil, fmt.Errorf("reading hours: %w", err)
	}
	for _, r := range rows {
		p, err := parsed.pattern(r)
		if err != nil {
			return nil, err
		}
		s := out[r.StaffID]
		s.Patterns = append(s.Patterns, p)
		out[r.StaffID] = s
	}
	return out, oneOffs(tx, ids, from, to, out)
}

// parsed remembers patterns that were read, which the same text always gives.
var parsed patternMemory

// patternMemory is a bounded memory of patterns by their text.
type patternMemory struct {
	mu    sync.Mutex
	known map[store.Pattern]hours.Pattern
}

// remembered is how many patterns are remembered at most.
const remembered = 4096

func (m *patternMemory) pattern(r store.Pattern) (hours.Pattern, error) {
	key := store.Pattern{FromDate: r.FromDate, UntilDate: r.UntilDate, Cycle: r.Cycle}
	m.mu.Lock()
	p, ok := m.known[key]
	m.mu.Unlock()
	if ok {
		return p, nil
	}
	shape, err := PatternShape(r)
	if err != nil {
		return p, err
	}
	p, faults := shape.Hours()
	if len(faults) > 0 {
		return p, fmt.Errorf("reading the hours of staff %d: %w", r.StaffID, faults[0])
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.known == nil || len(m.known) >= remembered {
		m.known = map[store.Pattern]hours.Pattern{}
	}
	m.known[key] = p
	return p, nil
}

// oneOffs adds one-off days and absences to schedules. A one-off day inside an
// absence is the more exact word, and counts.
func oneOffs(tx store.Tx, ids []store.ID, from, to hours.LocalDate, into map[store.ID]hours.Schedule) error {
	in := store.Dates{From: from.String(), To: to.String()}
	absences, err := tx.Absences(ids, in)
	if err != nil {
		return fmt.Errorf("reading absences: %w", err)
	}
	days, err := tx.OneOffs(ids, in)
	if err != nil {
		return fmt.Errorf("reading one-off days: %w", err)
	}
	for _, id := range ids {
		s := into[id]
		own, err := OneOffs(of(absences, func(a store.Absence) bool { return a.StaffID == id }), of(days, func(d store.OneOff) bool { return d.StaffID == id }), from, to)
		if err != nil {
			return fmt.Errorf("reading the days of staff %d: %w", id, err)
		}
		s.OneOffs = own
		into[id] = s
	}
	return nil
}

func of[T any](list []T, is func(T) bool) (out []T) {
	for _, v := range list {
		if is(v) {
			out = append(out, v)
		}
	}
	return out
}

// OneOffs returns the days between two dates that absences and one-off days make of
// their own; the last of a date counts.
func OneOffs(absences []store.Absence, days []store.OneOff, from, to hours.LocalDate) (list []hours.OneOff, err error) {
	for _, a := range absences {
		first, err1 := hours.ParseDate(a.FromDate)
		last, err2 := hours.ParseDate(a.UntilDate)
		if err := errors.Join(err1, err2); err != nil {
			return nil, err
		}
		for d := max(first, from); d <= min(last, to); d++ {
			list = append(list, hours.OneOff{Date: d})
		}
	}
	for _, r := range days {
		shape := casefile.OneOff{Date: r.Date}
		if err := json.Unmarshal([]byte(r.Spans), &shape.Spans); err != nil {
			return nil, err
		}
		o, faults := shape.Hours()
		if len(faults) > 0 {
			return nil, faults[0]
		}
		list = append(list, o)
	}
	return list, nil
}

// Closures returns the dates between two on which the business is closed.
func Closures(tx store.Tx, from, to hours.LocalDate) (list []hours.LocalDate, err error) {
	rows, err := tx.Closures(store.Dates{From: from.String(), To: to.String()})
	if err != nil {
		return nil, fmt.Errorf("reading closures: %w", err)
	}
	for _, r := range rows {
		d, err := hours.ParseDate(r.Date)
		if err != nil {
			return nil, fmt.Errorf("reading closures: %w", err)
		}
		list = append(list, d)
	}
	return list, nil
}

// resources returns the rooms and equipment of the kinds, with what claims take
// of them near the window. Their IDs are their numbers.
func resources(tx store.Tx, kinds []string, window span.Span, without []store.ID) ([]offer.Resource, error) {
	if len(kinds) == 0 {
		return nil, nil
	}
	rows, err := tx.ResourcesOfKinds(kinds)
	if err != nil {
		return nil, fmt.Errorf("reading rooms and equipment: %w", err)
	}
	subjects := make([]store.Subject, len(rows))
	for i, r := range rows {
		subjects[i] = store.ResourceSubject(r.ID)
	}
	claims, err := tx.ClaimsOn(subjects, window, without)
	if err != nil {
		return nil, fmt.Errorf("reading claims on rooms and equipment: %w", err)
	}
	out := make([]offer.Resource, len(rows))
	for i, r := range rows {
		out[i] = offer.Resource{ID: r.ID.Name(), Kind: r.Kind}
		for _, c := range claims {
			if c.Subject == subjects[i] {
				out[i].Taken = append(out[i].Taken, span.Between(c.Start, c.End))
			}
		}
	}
	return out, nil
}

// PatternShape returns a stored pattern in the shape in which it is edited.
func PatternShape(r store.Pattern) (casefile.Pattern, error) {
	p := casefile.Pattern{From: r.FromDate}
	if r.UntilDate != "" {
		p.Until = &r.UntilDate
	}
	if err := json.Unmarshal([]byte(r.Cycle), &p.Cycle); err != nil {
		return p, fmt.Errorf("reading the hours of staff %d: %w", r.StaffID, err)
	}
	return p, nil
}
