// Package schedule reads what the store knows of staff and services as values
// that the core can answer from: one question for one service, with the open
// time, busy spans and bookings of everybody who performs it.
//
// It decides nothing, and can read inside a transaction as well as outside.
package schedule

import (
	"encoding/json"
	"fmt"

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
	From, To hours.LocalDate // in the business's zone
	Staff    []store.Staff   // who performs it, in their order
}

// Performers returns the staff members who perform a service, in their order.
func Performers(tx *gorm.DB, service store.ID) (list []store.Staff, err error) {
	err = tx.Joins("JOIN service_staff ss ON ss.staff_id = staff.id").
		Where("ss.service_id = ?", service).Order("ss.position").Find(&list).Error
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
	q := offer.Question{Now: a.Now, Zone: zone, From: a.From, To: a.To, Service: Rules(a.Service)}
	// An outer bound of all instants that can matter: no zone is further than a
	// day from another, and no visit and buffer longer than the slack.
	slack := 3*24*60 + a.Service.Length + a.Service.BufferBefore + a.Service.BufferAfter
	o := zone.Over(a.From, a.To)
	reach := span.Between(o.Starting(a.From, 0), o.Ending(a.To, int(hours.DayEnd))).Widen(slack, slack)
	ids := make([]store.ID, len(a.Staff))
	for i, s := range a.Staff {
		ids[i] = s.ID
	}
	schedules, err := Schedules(tx, a.Staff)
	if err != nil {
		return q, err
	}
	busy, err := Busy(tx, ids, reach)
	if err != nil {
		return q, err
	}
	bookings, err := bookings(tx, ids, reach)
	if err != nil {
		return q, err
	}
	for _, s := range a.Staff {
		m := offer.Staff{ID: fmt.Sprint(s.ID), Schedule: schedules[s.ID], Bookings: bookings[s.ID]}
		for _, b := range busy[s.ID] {
			m.Busy = append(m.Busy, offer.Busy{During: b.During, Calendar: b.Calendar})
		}
		q.Staff = append(q.Staff, m)
	}
	return q, nil
}

// Rules returns the rules of a service.
func Rules(s store.Service) offer.Service {
	return offer.Service{
		ID: fmt.Sprint(s.ID), Length: s.Length, Step: s.Step, Anchor: offer.Anchor(s.Anchor),
		BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter, BuffersInsideHours: s.BuffersInsideHours,
		Notice: offer.Notice{ByMinutes: s.NoticeMinutes > 0, Minutes: s.NoticeMinutes}, Window: offer.Window{Limited: true, Days: s.WindowDays},
		Places: 1, Staffing: offer.AnyOne,
	}
}

// Schedules returns the working hours of staff members.
func Schedules(tx *gorm.DB, staff []store.Staff) (map[store.ID]hours.Schedule, error) {
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
		shape, err := PatternShape(r)
		if err != nil {
			return nil, err
		}
		p, faults := shape.Hours()
		if len(faults) > 0 {
			return nil, fmt.Errorf("reading the hours of staff %d: %w", r.StaffID, faults[0])
		}
		s := out[r.StaffID]
		s.Patterns = append(s.Patterns, p)
		out[r.StaffID] = s
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

// BusyTime is a busy span of a staff member, with the calendar it is in.
type BusyTime struct {
	During     span.Span
	CalendarID store.ID
	Calendar   string
}

// Busy returns the busy spans in the calendars that block the staff members'
// time, as far as they overlap the window, by staff member and in order.
func Busy(tx *gorm.DB, staff []store.ID, window span.Span) (map[store.ID][]BusyTime, error) {
	rows, err := tx.Raw(`SELECT l.staff_id, c.id, c.name, s.start, s."end" FROM links l
		JOIN calendars c ON c.link_id = l.id AND c.blocks = 1
		JOIN busy_spans s ON s.calendar_id = c.id AND s."end" > ? AND s.start < ?
		WHERE l.staff_id IN ? ORDER BY s.start, s."end"`, window.Start(), window.End(), staff).Rows()
	if err != nil {
		return nil, fmt.Errorf("reading busy spans: %w", err)
	}
	defer func() { _ = rows.Close() }()
	out := map[store.ID][]BusyTime{}
	for rows.Next() {
		var id store.ID
		var b BusyTime
		var start, end span.Instant
		if err := rows.Scan(&id, &b.CalendarID, &b.Calendar, &start, &end); err != nil {
			return nil, fmt.Errorf("reading busy spans: %w", err)
		}
		b.During = span.Between(start, end)
		out[id] = append(out[id], b)
	}
	return out, rows.Err()
}

// bookings returns the bookings that hold the staff members' time near the window.
func bookings(tx *gorm.DB, staff []store.ID, window span.Span) (map[store.ID][]offer.Booking, error) {
	rows, err := tx.Raw(`SELECT vs.staff_id, b.id, v.service_id, v.start, v."end", v.buffer_before, v.buffer_after, b.places
		FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id
		JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE v.start >= ? AND v.start < ? AND vs.staff_id IN ? ORDER BY v.start`, window.Start(), window.End(), staff).Rows()
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
