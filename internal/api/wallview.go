package api

import (
	"slices"
	"strconv"
	"strings"

	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// WallQuery is what every view of the wall is asked for with.
type WallQuery struct {
	Date  string `query:"date" doc:"A date in the business's zone, for a week or a month any of its dates; today when empty."`
	Page  int    `query:"page" minimum:"1" maximum:"1000" default:"1"`
	Clock string `query:"clock" enum:"24,12" default:"24"`
	Zones string `query:"zones" enum:"business,person" default:"business" doc:"By whose clock a lane is read: the business's, or each person's own."`
}

// lane is what is known of one person over some days.
type lane struct {
	staff   store.Staff
	open    span.Set
	works   func(hours.LocalDate) bool // whether there are hours on a date, up to backDays after those that are shown
	busy    []schedule.BusyCalendar
	taken   []WallVisit
	home    texts         // by the business's clock
	text    texts         // by the clock by which it is read
	offsets hours.Offsets // of that clock
}

// day is a date on the lane's clock.
func (l lane) day(d hours.LocalDate) span.Span {
	return span.Between(l.offsets.Starting(d, 0), l.offsets.Ending(d+1, 0))
}

// viewing is a stretch of days that is looked at on the wall.
type viewing struct {
	text  texts // by the business's clock
	own   bool  // each lane is read by its person's clock
	page  int
	first hours.LocalDate
	days  hours.LocalDate
}

// read reads what a view is asked for with, and the date that it is asked about.
func (q WallQuery) read(db *gorm.DB, now span.Instant) (viewing, hours.LocalDate, error) {
	zone, err := schedule.Zone(db)
	if err != nil {
		return viewing{}, 0, err
	}
	v := viewing{text: texts{zone: zone, twelve: q.Clock == "12"}, own: q.Zones == "person", page: q.Page}
	if q.Date == "" {
		return v, zone.DateAt(now), nil
	}
	date, err := hours.ParseDate(q.Date)
	if err != nil {
		return v, 0, wrong("query.date", "This is not a date, as in 2026-03-02.")
	}
	return v, date, nil
}

func (v viewing) offsets() hours.Offsets { return v.text.zone.Over(v.first, v.first+v.days) }

// window covers the days, and by every clock of the world where people's own
// clocks count.
func (v viewing) window() span.Span {
	w := span.Between(v.offsets().Starting(v.first, 0), v.offsets().Ending(v.first+v.days, 0))
	if v.own {
		w = span.Between(w.Start().Add(-24*60), w.End().Add(24*60))
	}
	return w
}

// onWall returns who stands on the wall in a window: everybody who is not
// archived, and who had a visit then; one more than a page where there are more.
func onWall(db *gorm.DB, window span.Span, page int) (staff []store.Staff, err error) {
	err = db.Where(`archived_at = 0 OR EXISTS (SELECT 1 FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id
			JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = staff.id AND v.start >= ? AND v.start < ?)`, window.Start(), window.End()).
		Order("id").Offset((page - 1) * pageSize).Limit(pageSize + 1).Find(&staff).Error
	return staff, err
}

// lanes reads what is known of one person, or for 0 of a page of everybody who
// stands on the wall, and says which page comes next.
func (v viewing) lanes(db *gorm.DB, one store.ID) (list []lane, next int, err error) {
	var staff []store.Staff
	if one != 0 {
		err = db.Where("id = ?", one).Find(&staff).Error
	} else {
		staff, err = onWall(db, v.window(), v.page)
	}
	if err != nil {
		return nil, 0, err
	}
	if len(staff) > pageSize {
		staff, next = staff[:pageSize], v.page+1
	}
	list, err = v.lanesOf(db, staff)
	return list, next, err
}

// lanesOf reads hours, busy spans and bookings of people.
func (v viewing) lanesOf(db *gorm.DB, staff []store.Staff) (_ []lane, err error) {
	window, end := v.window(), v.first+v.days
	out := make([]lane, len(staff))
	ids := make([]store.ID, len(staff))
	by := map[store.ID]texts{}
	for i, m := range staff {
		out[i] = lane{staff: m, home: v.text, text: v.text}
		if v.own {
			if out[i].text.zone, err = hours.LoadZone(m.Zone); err != nil {
				return nil, err
			}
		}
		out[i].offsets = out[i].text.zone.Over(v.first, end)
		ids[i], by[m.ID] = m.ID, out[i].text
	}
	busy, err := schedule.Busy(db, ids, window)
	if err != nil {
		return nil, err
	}
	visits, err := wallVisits(db, ids, window, by)
	if err != nil {
		return nil, err
	}
	schedules, err := schedule.Schedules(db, staff, v.first-3, end+backDays)
	if err != nil {
		return nil, err
	}
	closures, err := schedule.Closures(db, v.first-3, end+backDays)
	if err != nil {
		return nil, err
	}
	for i, m := range staff {
		sched := schedules[m.ID]
		out[i].open = sched.Open(v.first-2, end+1, closures, sched.Zone.Over(v.first-2, end+2)).Clip(window)
		out[i].works = func(d hours.LocalDate) bool {
			day, _ := sched.Day(d, closures)
			return len(day.Spans) > 0
		}
		out[i].busy, out[i].taken = busy[m.ID], visits[m.ID]
	}
	return out, nil
}

// sill returns the starts of a service on some dates, by staff member; where
// people's own clocks count, of the dates around them too.
func (v viewing) sill(db *gorm.DB, service store.Service, from, to hours.LocalDate, now span.Instant) (map[store.ID][]offer.Start, error) {
	performers, err := schedule.Performers(db, service.ID)
	if err != nil || service.Paused {
		return nil, err
	}
	if v.own {
		from, to = from-1, to+1
	}
	q, err := schedule.Question(db, schedule.Asked{Now: now, Service: service, From: from, To: to, Staff: performers})
	if err != nil {
		return nil, err
	}
	out := map[store.ID][]offer.Start{}
	for i, l := range q.Answer().Lanes {
		out[performers[i].ID] = append([]offer.Start{}, l.Starts...)
	}
	return out, nil
}

// taken returns the minutes of open time that spans take.
func takenOf(open span.Set, spans []span.Span) int {
	return int(open.Minutes() - open.Subtract(span.Of(spans)).Minutes())
}

// bounds returns the first moment that keeps a service's notice, and the end of
// its booking window.
func (v viewing) bounds(service store.Service, now span.Instant) (notice, last string, err error) {
	rules, err := schedule.Rules(service)
	if err != nil {
		return "", "", err
	}
	soonest := now.Add(rules.Notice.Minutes)
	if first := rules.Notice.FirstDate(now, v.text.zone); !first.IsZero() {
		soonest = v.text.zone.Over(first, first).Starting(first, 0)
	}
	end := schedule.Last(rules, v.text.zone.DateAt(now))
	return soonest.String(), v.text.zone.Over(end, end).Ending(end, 24*60).String(), nil
}

// ribbon says of each day how full it is over some lanes.
func (v viewing) ribbon(lanes []lane) []RibbonDay {
	out := make([]RibbonDay, 0, v.days)
	for d := v.first; d < v.first+v.days; d++ {
		r := RibbonDay{Date: d.String(), Weekday: d.Weekday().String()[:3], Day: d.Time().Day()}
		for _, l := range lanes {
			open := l.open.Clip(l.day(d))
			r.Open += int(open.Minutes())
			r.Booked += takenOf(open, l.occupied())
			r.Busy += takenOf(open, l.busySpans())
		}
		out = append(out, r)
	}
	return out
}

func (l lane) busySpans() []span.Span {
	var out []span.Span
	for _, c := range l.busy {
		out = append(out, c.Spans...)
	}
	return out
}

func (l lane) occupied() []span.Span {
	out := make([]span.Span, 0, len(l.taken))
	for _, v := range l.taken {
		out = append(out, v.Occupied.span())
	}
	return out
}

// shownHours is the part of a day that is drawn, in minutes of the day.
type shownHours struct{ first, last int }

// reach finds full hours around all that lanes hold on some days, with half an
// hour to spare.
func reach(lanes []lane, first, days hours.LocalDate) shownHours {
	from, to := 24*60, 0
	for _, l := range lanes {
		all := append(l.occupied(), l.open.Spans()...)
		for d := first; d < first+days; d++ {
			day := l.day(d)
			for _, p := range all {
				if p = p.Clip(day); !p.IsEmpty() {
					from = min(from, int(span.Between(day.Start(), p.Start()).Minutes()))
					to = max(to, int(span.Between(day.Start(), p.End()).Minutes()))
				}
			}
		}
	}
	if from > to {
		return shownHours{8 * 60, 18 * 60}
	}
	return shownHours{max(0, (from-30)/60*60), min(24*60, (to+89)/60*60)}
}

// on returns the ends of the drawing of a date.
func (h shownHours) on(o hours.Offsets, d hours.LocalDate) (from, to string) {
	return o.Starting(d, h.first).String(), o.Ending(d, h.last).String()
}

// marks are the full hours of a date.
func (h shownHours) marks(o hours.Offsets, d hours.LocalDate, text texts) []Mark {
	out := []Mark{}
	for m := h.first; m < h.last; m += 60 {
		out = append(out, Mark{o.Starting(d, m).String(), text.hour(o.Starting(d, m))})
	}
	return slices.Compact(out) // of an hour that the clocks skip there is no mark
}

// on returns what a lane draws of a date.
func (l lane) on(d hours.LocalDate, shown shownHours, starts map[store.ID][]offer.Start) WallLane {
	x, day := l.text, l.day(d)
	open := l.open.Clip(day)
	v := WallLane{Staff: NamedID{l.staff.ID, l.staff.Name}, Open: []Stretch{}, Busy: []WallBusy{}, Visits: []WallVisit{}, Starts: []WallStart{}}
	for _, p := range open.Spans() {
		v.Open = append(v.Open, x.stretch(p))
	}
	for _, c := range l.busy {
		for _, event := range c.Spans {
			if event.Overlaps(day) {
				v.Busy = append(v.Busy, WallBusy{x.stretch(event), c.Name})
			}
		}
	}
	for _, t := range l.taken {
		if t.Occupied.span().Overlaps(day) {
			v.Visits = append(v.Visits, t)
			if t.Clash != "" {
				v.Clashes++
			}
		}
	}
	list, performs := starts[l.staff.ID]
	v.OnSill = performs
	v.From, v.To = shown.on(l.offsets, d)
	for _, t := range list {
		if !day.Contains(t.At) {
			continue
		}
		reasons := []string{}
		for _, c := range t.Refused.Codes() {
			reasons = append(reasons, string(c))
		}
		v.Starts = append(v.Starts, WallStart{t.At.String(), x.clock(t.At), t.Refused == 0, reasons})
	}
	v.Note, v.Away = note(l, d, v, open), l.home.away(l.staff, day)
	return v
}

// note says what a day holds: "2 booked · 3 h 10 open".
func note(l lane, d hours.LocalDate, v WallLane, open span.Set) string {
	var parts []string
	if len(v.Visits) > 0 {
		parts = append(parts, strconv.Itoa(len(v.Visits))+" booked")
	}
	switch free := open.Subtract(span.Of(append(l.busySpans(), l.occupied()...))).Minutes(); {
	case open.IsEmpty():
		parts = append(parts, "no hours"+l.until(d))
	case free == 0:
		parts = append(parts, "nothing open")
	default:
		parts = append(parts, offer.Duration(free)+" open")
	}
	return strings.Join(parts, " · ")
}

// backDays is how far ahead the next day with hours is looked for.
const backDays = 60

// until says when somebody who has no hours on a date is back.
func (l lane) until(d hours.LocalDate) string {
	for next := d + 1; next < d+backDays; next++ {
		if l.works(next) {
			return next.Time().Format(" until Mon 2 Jan")
		}
	}
	return ""
}

// away says how far a person's clock is from the one of the wall: St Johns −3 h 30.
func (x texts) away(staff store.Staff, day span.Span) string {
	zone, err := hours.LoadZone(staff.Zone)
	if err != nil {
		return ""
	}
	_, here := x.local(day.Start()).Zone()
	_, there := day.Start().Time().In(zone.Location()).Zone()
	if here == there {
		return ""
	}
	return city(zone) + " " + shift(there-here)
}
