package wall

import (
	"slices"
	"strconv"
	"strings"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Asked is what a view of the wall is asked for with.
type Asked struct {
	Text words.In // the business's clock
	Now  span.Instant
	Date hours.LocalDate // for a week or a month any of its dates
	Page int             // of people, from 1
	Own  bool            // each lane is read by its person's own clock
}

func (a Asked) view() viewing { return viewing{text: a.Text, own: a.Own, page: a.Page} }

// lane is what is known of one person over some days.
type lane struct {
	staff   store.Staff
	open    span.Set
	works   func(hours.LocalDate) bool // whether there are hours on a date, up to backDays after those that are shown
	busy    []blocking.Calendar
	titles  map[titled]store.Titled // of opened calendars
	taken   []WallVisit
	booked  []span.Span   // what they occupy
	home    words.In      // by the business's clock
	text    words.In      // by the clock by which it is read
	offsets hours.Offsets // of that clock
}

// day is a date on the lane's clock.
func (l lane) day(d hours.LocalDate) span.Span {
	return span.Between(l.offsets.Starting(d, 0), l.offsets.Ending(d+1, 0))
}

// viewing is a stretch of days that is looked at on the wall.
type viewing struct {
	text  words.In // by the business's clock
	own   bool     // each lane is read by its person's clock
	page  int
	first hours.LocalDate
	days  hours.LocalDate
}

func (v viewing) offsets() hours.Offsets { return v.text.Zone.Over(v.first, v.first+v.days) }

// window covers the days, and by every clock of the world where people's own
// clocks count.
func (v viewing) window() span.Span {
	w := span.Between(v.offsets().Starting(v.first, 0), v.offsets().Ending(v.first+v.days, 0))
	if v.own {
		w = span.Between(w.Start().Add(-24*60), w.End().Add(24*60))
	}
	return w
}

// lanes reads what is known of one person, or for 0 of a page of everybody who
// stands on the wall, and says which page comes next.
func (v viewing) lanes(db store.Tx, one store.ID) (list []lane, next int, err error) {
	var staff []store.Staff
	if one != 0 {
		staff, err = db.StaffByIDs([]store.ID{one})
	} else {
		staff, err = db.StaffOnWall(v.window(), v.page)
	}
	if err != nil {
		return nil, 0, err
	}
	if len(staff) > store.PageSize {
		staff, next = staff[:store.PageSize], v.page+1
	}
	list, err = v.lanesOf(db, staff)
	return list, next, err
}

// lanesOf reads hours, busy spans and bookings of people.
func (v viewing) lanesOf(db store.Tx, staff []store.Staff) (_ []lane, err error) {
	window, end := v.window(), v.first+v.days
	out := make([]lane, len(staff))
	ids := make([]store.ID, len(staff))
	by := map[store.ID]words.In{}
	for i, m := range staff {
		out[i] = lane{staff: m, home: v.text, text: v.text}
		if v.own {
			if out[i].text.Zone, err = hours.LoadZone(m.Zone); err != nil {
				return nil, err
			}
		}
		out[i].offsets = out[i].text.Zone.Over(v.first, end)
		ids[i], by[m.ID] = m.ID, out[i].text
	}
	busy, err := blocking.Of(db, ids, window)
	if err != nil {
		return nil, err
	}
	titles, err := titlesOf(db, busy, window)
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
		out[i].busy, out[i].titles, out[i].taken = busy[m.ID], titles, visits[m.ID]
		for _, t := range out[i].taken {
			out[i].booked = append(out[i].booked, t.Occupied.Span())
		}
	}
	return out, nil
}

// sill returns the starts of a service on some dates, by staff member; where
// people's own clocks count, of the dates around them too.
func (v viewing) sill(db store.Tx, service store.Service, from, to hours.LocalDate, now span.Instant) (map[store.ID][]offer.Start, error) {
	performers, err := db.Performers(service.ID)
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

// takenOf returns the minutes of open time that a set takes.
func takenOf(open, set span.Set) int {
	return int(open.Minutes() - open.Subtract(set).Minutes())
}

// bounds returns the first moment that keeps a service's notice, and the end of
// its booking window.
func (v viewing) bounds(service store.Service, now span.Instant) (notice, last span.Instant) {
	today := v.text.Zone.DateAt(now)
	rules := schedule.Rules(service, today)
	minutes, _ := rules.Notice.Minutes()
	soonest := now.Add(minutes)
	if first := rules.Notice.FirstDate(now, v.text.Zone); !first.IsZero() {
		soonest = v.text.Zone.Over(first, first).Starting(first, 0)
	}
	end := rules.Window.Last(today)
	return soonest, v.text.Zone.Over(end, end).Ending(end, 24*60)
}

// ribbon says of each day how full it is over some lanes.
func (v viewing) ribbon(lanes []lane) []RibbonDay {
	out := make([]RibbonDay, 0, v.days)
	for d := v.first; d < v.first+v.days; d++ {
		out = append(out, RibbonDay{Date: d.String(), Weekday: d.Weekday().String()[:3], Day: d.Time().Day()})
	}
	for _, l := range lanes {
		booked, busy := span.Of(l.occupied()), span.Of(l.busySpans()) // sorted once for all days
		for i := range out {
			day := l.day(v.first + hours.LocalDate(i))
			open := l.open.Clip(day)
			out[i].Open += int(open.Minutes())
			out[i].Booked += takenOf(open, booked.Clip(day))
			out[i].Busy += takenOf(open, busy.Clip(day))
		}
	}
	return out
}

// busySpans returns the time that personal calendars block.
func (l lane) busySpans() []span.Span { return blocked(l.busy) }

func blocked(calendars []blocking.Calendar) []span.Span {
	var out []span.Span
	for _, c := range calendars {
		for _, event := range c.Spans {
			out = append(out, c.Blocked(event))
		}
	}
	return out
}

// teamRibbon says of each day how full it is over the whole team, of which the lanes
// are a page.
func (v viewing) teamRibbon(db store.Tx, lanes []lane, next int) ([]RibbonDay, error) {
	if v.page == 1 && next == 0 {
		return v.ribbon(lanes), nil
	}
	return v.wholeRibbon(db)
}

// wholeRibbon says the same, reading only what it needs of everybody.
func (v viewing) wholeRibbon(db store.Tx) ([]RibbonDay, error) {
	window := v.window()
	staff, err := db.StaffOnWall(window, 0)
	if err != nil {
		return nil, err
	}
	ids := make([]store.ID, len(staff))
	for i, m := range staff {
		ids[i] = m.ID
	}
	busy, err := blocking.Of(db, ids, window)
	if err != nil {
		return nil, err
	}
	bookings, err := db.BookedNear(ids, window.Widen(24*60, 0), nil)
	if err != nil {
		return nil, err
	}
	end := v.first + v.days
	schedules, err := schedule.Schedules(db, staff, v.first-3, end+3)
	if err != nil {
		return nil, err
	}
	closures, err := schedule.Closures(db, v.first-3, end+3)
	if err != nil {
		return nil, err
	}
	all := make([]lane, len(staff))
	for i, m := range staff {
		sched := schedules[m.ID]
		all[i] = lane{staff: m, busy: busy[m.ID], offsets: v.offsets()}
		if v.own {
			all[i].offsets = sched.Zone.Over(v.first, end)
		}
		all[i].open = sched.Open(v.first-2, end+1, closures, sched.Zone.Over(v.first-2, end+2)).Clip(window)
		for _, b := range bookings[m.ID] {
			all[i].booked = append(all[i].booked, b.During.Widen(b.BufferBefore, b.BufferAfter))
		}
	}
	return v.ribbon(all), nil
}

func (l lane) occupied() []span.Span { return slices.Clone(l.booked) }

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
func (h shownHours) on(o hours.Offsets, d hours.LocalDate) (from, to span.Instant) {
	return o.Starting(d, h.first), o.Ending(d, h.last)
}

// marks are the full hours of a date.
func (h shownHours) marks(o hours.Offsets, d hours.LocalDate, text words.In) []Mark {
	out := []Mark{}
	for m := h.first; m < h.last; m += 60 {
		out = append(out, Mark{o.Starting(d, m), text.Hour(o.Starting(d, m))})
	}
	return slices.Compact(out) // of an hour that the clocks skip there is no mark
}

// on returns what a lane draws of a date.
func (l lane) on(d hours.LocalDate, shown shownHours, starts map[store.ID][]offer.Start) WallLane {
	x, day := l.text, l.day(d)
	open := l.open.Clip(day)
	v := WallLane{Staff: store.NamedID{ID: l.staff.ID, Name: l.staff.Name}, Open: []words.Stretch{}, Busy: []WallBusy{}, Visits: []WallVisit{}, Starts: []WallStart{}}
	for _, p := range open.Spans() {
		v.Open = append(v.Open, x.Stretch(p))
	}
	for _, c := range l.busy {
		for _, event := range c.Spans {
			if taken := c.Blocked(event).Clip(day); !taken.IsEmpty() {
				b := busyOf(x, c, event, c.Blocked(event), day)
				told := l.titles[titled{c.ID, event}]
				b.Title, b.Foreign = told.Title, told.Foreign
				v.Busy = append(v.Busy, b)
			}
		}
	}
	for _, t := range l.taken {
		if t.Occupied.Span().Overlaps(day) {
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
		v.Starts = append(v.Starts, WallStart{t.At, x.Clock(t.At), t.Refused == 0, reasons})
	}
	v.Note, v.Away = note(l, d, v, open), Away(l.home, l.staff, day)
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

// Away says how far a person's clock is from the one of the wall: St Johns −3 h 30.
func Away(x words.In, staff store.Staff, day span.Span) string {
	zone, err := hours.LoadZone(staff.Zone)
	if err != nil {
		return ""
	}
	_, here := x.Local(day.Start()).Zone()
	_, there := day.Start().Time().In(zone.Location()).Zone()
	if here == there {
		return ""
	}
	return words.City(zone) + " " + words.Shift(there-here)
}

// titled is the time of an event in a calendar.
type titled struct {
	calendar store.ID
	during   span.Span
}

// titlesOf returns what busy events are called whose owners have opened their calendars.
func titlesOf(db store.Tx, busy map[store.ID][]blocking.Calendar, window span.Span) (map[titled]store.Titled, error) {
	var ids []store.ID
	for _, list := range busy {
		for _, c := range list {
			if c.Copy == 0 && !c.Unread {
				ids = append(ids, c.ID)
			}
		}
	}
	rows, err := db.TitlesIn(ids, window.Widen(24*60, 24*60))
	out := map[titled]store.Titled{}
	for _, r := range rows {
		at := titled{r.CalendarID, span.Between(r.Start, r.End)}
		if had, ok := out[at]; ok {
			r.Title = had.Title + ", " + r.Title
		}
		out[at] = r
	}
	return out, err
}

// busyOf says what an event of a calendar takes.
func busyOf(x words.In, c blocking.Calendar, event, taken, day span.Span) WallBusy {
	if c.Unread {
		return WallBusy{Stretch: x.Stretch(event.Clip(day)), Calendar: c.Name, Unread: true, Note: "not read so far"}
	}
	b := WallBusy{Stretch: x.Stretch(taken), Calendar: c.Name}
	b.Label = x.Stretch(event).Label
	if c.Copy != 0 {
		b.Note = "the copy of a visit lies here, until it is settled which holds"
		return b
	}
	var kept []string
	if c.PadBefore > 0 {
		kept = append(kept, offer.Duration(c.PadBefore)+" before")
	}
	if c.PadAfter > 0 {
		kept = append(kept, offer.Duration(c.PadAfter)+" after")
	}
	if len(kept) > 0 {
		b.Note = "kept free " + strings.Join(kept, " and ")
	}
	return b
}

// LaneOf is one day of one person, read by a clock.
func LaneOf(db store.Tx, text words.In, day hours.LocalDate, staff store.Staff) (WallLane, error) {
	look := viewing{text: text, first: day, days: 1}
	lanes, err := look.lanesOf(db, []store.Staff{staff})
	if err != nil {
		return WallLane{}, err
	}
	return lanes[0].on(day, reach(lanes, day, 1), nil), nil
}

// Lanes is one day of some people.
type Lanes struct {
	From, To     span.Instant // the ends of what is drawn
	Notice, Last span.Instant // of the service
	Marks        []Mark
	Lanes        []WallLane
}

// LanesOf draws a day of some people, with given starts of a service on the sill.
func LanesOf(db store.Tx, text words.In, now span.Instant, day hours.LocalDate, staff []store.Staff, service store.Service, starts map[store.ID][]offer.Start) (out Lanes, err error) {
	look := viewing{text: text, first: day, days: 1}
	lanes, err := look.lanesOf(db, staff)
	if err != nil {
		return out, err
	}
	shown := reach(lanes, day, 1)
	o := look.offsets()
	out = Lanes{From: o.Starting(day, shown.first), To: o.Ending(day, shown.last), Marks: shown.marks(o, day, text), Lanes: []WallLane{}}
	for _, l := range lanes {
		out.Lanes = append(out.Lanes, l.on(day, shown, starts))
	}
	out.Notice, out.Last = look.bounds(service, now)
	return out, err
}
