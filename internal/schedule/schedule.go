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
	"sync"

	"gorm.io/gorm"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
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
	Without  store.ID        // a visit that counts as not there, because it is to be moved
}

// Performers returns the staff members who perform a service, in their order.
func Performers(tx *gorm.DB, service store.ID) (list []store.Staff, err error) {
	err = tx.Joins("JOIN service_staff ss ON ss.staff_id = staff.id").
		Where("ss.service_id = ? AND staff.archived_at = 0", service).Order("ss.position").Find(&list).Error
	return list, err
}

// Zone returns the business's zone.
func Zone(tx *gorm.DB) (hours.Zone, error) {
	var b store.Business
	if err := tx.Take(&b).Error; err != nil {
		return hours.Zone{}, fmt.Errorf("reading the business: %w", err)
	}
	return hours.LoadZone(b.Zone)
}

// Question puts together the question for the core. The staff's IDs are their
// numbers.
func Question(tx *gorm.DB, a Asked) (offer.Question, error) {
	zone, err := Zone(tx)
	if err != nil {
		return offer.Question{}, err
	}
	rules, err := Rules(a.Service)
	if err != nil {
		return offer.Question{}, err
	}
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
	if q.Resources, err = resources(tx, rules.Needs, reach, a.Without); err != nil {
		return q, err
	}
	busy, err := Busy(tx, ids, reach)
	if err != nil {
		return q, err
	}
	bookings, err := bookings(tx, ids, reach, a.Without)
	if err != nil {
		return q, err
	}
	for _, s := range a.Staff {
		m := offer.Staff{ID: fmt.Sprint(s.ID), Schedule: schedules[s.ID], Bookings: bookings[s.ID], CapPerDay: capOf(s.CapPerDay)}
		for _, c := range busy[s.ID] {
			m.Busy = append(m.Busy, offer.Calendar{Name: c.Name, Spans: c.Spans, PadBefore: c.PadBefore, PadAfter: c.PadAfter})
		}
		q.Staff = append(q.Staff, m)
	}
	return q, nil
}

// Rules returns the rules of a service.
func Rules(s store.Service) (offer.Service, error) {
	r := offer.Service{
		ID: fmt.Sprint(s.ID), Length: s.Length, Step: s.Step, Anchor: offer.Anchor(s.Anchor),
		BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter, BuffersInsideHours: s.BuffersInsideHours,
		CapPerDay: capOf(s.CapPerDay), Places: s.Places, Needs: s.Needs, Staffing: offer.Staffing(s.Staffing),
	}
	switch s.NoticeKind {
	case store.NoticeByMinutes:
		r.Notice = offer.Notice{ByMinutes: true, Minutes: s.NoticeMinutes}
	case store.NoticeByDay:
		by, err := hours.ParseWall(s.NoticeBy)
		if err != nil {
			return r, fmt.Errorf("reading the notice of service %d: %w", s.ID, err)
		}
		r.Notice = offer.Notice{ByDay: true, DaysBefore: s.NoticeDays, By: by}
	}
	switch s.WindowKind {
	case store.WindowByDays:
		r.Window = offer.Window{Limited: true, Days: s.WindowDays}
	case store.WindowByDates:
		for _, d := range []struct {
			text string
			into *hours.LocalDate
		}{{s.WindowFrom, &r.Window.From}, {s.WindowTo, &r.Window.To}} {
			if d.text == "" {
				continue
			}
			date, err := hours.ParseDate(d.text)
			if err != nil {
				return r, fmt.Errorf("reading the booking window of service %d: %w", s.ID, err)
			}
			*d.into = date
		}
	}
	return r, nil
}

// OpenEnded is how many days ahead starts are looked for when a service has no
// end of its booking window.
const OpenEnded = 366

// Last returns the last date on which a service can be booked, at most so far
// ahead as starts are looked for.
func Last(s offer.Service, today hours.LocalDate) hours.LocalDate {
	last := today + OpenEnded
	if s.Window.Limited {
		last = min(last, today+hours.LocalDate(s.Window.Days))
	}
	if !s.Window.To.IsZero() {
		last = min(last, s.Window.To)
	}
	return last
}

func capOf(n *int) offer.Cap {
	if n == nil {
		return offer.Cap{}
	}
	return offer.AtMost(*n)
}

// Schedules returns the working hours of staff members; of one-off days and
// absences those between the dates.
func Schedules(tx *gorm.DB, staff []store.Staff, from, to hours.LocalDate) (map[store.ID]hours.Schedule, error) {
	out := make(map[store.ID]hours.Schedule, len(staff))
	ids := make([]store.ID, len(staff))
	for i, s := range staff {
		zone, err := hours.LoadZone(s.Zone)
		if err != nil {
			return nil, fmt.Errorf("reading the hours of staff %d: %w", s.ID, err)
		}
		ids[i], out[s.ID] = s.ID, hours.Schedule{Zone: zone}
	}
	var rows []store.Pattern
	if err := tx.Where("staff_id IN ?", ids).Order("staff_id, position").Find(&rows).Error; err != nil {
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
func oneOffs(tx *gorm.DB, ids []store.ID, from, to hours.LocalDate, into map[store.ID]hours.Schedule) error {
	var absences []store.Absence
	err := tx.Where("staff_id IN ? AND from_date <= ? AND until_date >= ?", ids, to.String(), from.String()).Find(&absences).Error
	if err != nil {
		return fmt.Errorf("reading absences: %w", err)
	}
	for _, a := range absences {
		first, err1 := hours.ParseDate(a.FromDate)
		last, err2 := hours.ParseDate(a.UntilDate)
		if err := errors.Join(err1, err2); err != nil {
			return fmt.Errorf("reading an absence of staff %d: %w", a.StaffID, err)
		}
		s := into[a.StaffID]
		for d := max(first, from); d <= min(last, to); d++ {
			s.OneOffs = append(s.OneOffs, hours.OneOff{Date: d})
		}
		into[a.StaffID] = s
	}
	var rows []store.OneOff
	if err := tx.Where("staff_id IN ? AND date BETWEEN ? AND ?", ids, from.String(), to.String()).Find(&rows).Error; err != nil {
		return fmt.Errorf("reading one-off days: %w", err)
	}
	for _, r := range rows {
		shape := casefile.OneOff{Date: r.Date}
		if err := json.Unmarshal([]byte(r.Spans), &shape.Spans); err != nil {
			return fmt.Errorf("reading a one-off day of staff %d: %w", r.StaffID, err)
		}
		o, faults := shape.Hours()
		if len(faults) > 0 {
			return fmt.Errorf("reading a one-off day of staff %d: %w", r.StaffID, faults[0])
		}
		s := into[r.StaffID]
		s.OneOffs = append(s.OneOffs, o)
		into[r.StaffID] = s
	}
	return nil
}

// Closures returns the dates between two on which the business is closed.
func Closures(tx *gorm.DB, from, to hours.LocalDate) (list []hours.LocalDate, err error) {
	var rows []store.Closure
	if err := tx.Where("date BETWEEN ? AND ?", from.String(), to.String()).Order("date").Find(&rows).Error; err != nil {
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
func resources(tx *gorm.DB, kinds []string, window span.Span, without store.ID) ([]offer.Resource, error) {
	if len(kinds) == 0 {
		return nil, nil
	}
	var rows []store.Resource
	if err := tx.Where("kind IN ? AND archived_at = 0", kinds).Order("id").Find(&rows).Error; err != nil {
		return nil, fmt.Errorf("reading rooms and equipment: %w", err)
	}
	subjects := make([]store.Subject, len(rows))
	for i, r := range rows {
		subjects[i] = store.ResourceSubject(r.ID)
	}
	var claims []store.Claim
	err := tx.Where(`subject IN ? AND "end" > ? AND start < ? AND visit_id <> ?`, subjects, window.Start(), window.End(), without).Find(&claims).Error
	if err != nil {
		return nil, fmt.Errorf("reading claims on rooms and equipment: %w", err)
	}
	out := make([]offer.Resource, len(rows))
	for i, r := range rows {
		out[i] = offer.Resource{ID: fmt.Sprint(r.ID), Kind: r.Kind}
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

// bookings returns the bookings that hold the staff members' time near the
// window, but for those of one visit.
func bookings(tx *gorm.DB, staff []store.ID, window span.Span, without store.ID) (map[store.ID][]offer.Booking, error) {
	rows, err := tx.Raw(`SELECT vs.staff_id, b.id, v.service_id, v.start, v."end", v.buffer_before, v.buffer_after, b.places
		FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id
		JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE v.start >= ? AND v.start < ? AND vs.staff_id IN ? AND v.id <> ? ORDER BY v.start`, window.Start(), window.End(), staff, without).Rows()
	if err != nil {
		return nil, fmt.Errorf("reading bookings: %w", err)
	}
	defer func() { _ = rows.Close() }()
	out := map[store.ID][]offer.Booking{}
	for rows.Next() {
		var id store.ID
		var b offer.Booking
		var start, end span.Instant
		if err := rows.Scan(&id, &b.ID, &b.Service, &start, &end, &b.BufferBefore, &b.BufferAfter, &b.Places); err != nil {
			return nil, fmt.Errorf("reading bookings: %w", err)
		}
		b.During = span.Between(start, end)
		out[id] = append(out[id], b)
	}
	return out, rows.Err()
}
