package ics

import (
	"cmp"
	"slices"
	"sort"

	"niche/core/hours"
	"niche/core/span"
)

// item is one start of a series.
type item struct {
	at  span.Instant
	m   moment
	own *extra // a period with a length of its own
}

// following is a change to an occurrence and all that follow it (RFC 5545,
// section 3.2.13, and RECURRENCE-ID with RANGE=THISANDFUTURE).
type following struct {
	from  span.Instant
	id    moment // the RECURRENCE-ID on the clock of the series
	event *event
	lasts duration
}

// expand keeps what the components of one UID take inside the window, and reports
// whether there may be more after it. A component that cannot be followed is
// handed to skip; the others count all the same.
func (s *scope) expand(parts []*event, skip func(*event, error)) (more bool) {
	if len(parts) > 1 {
		parts = newest(parts)
	}
	series := parts[0].start
	for _, e := range parts {
		if e.replacing() == nil {
			series = e.start
			break
		}
	}
	var replaced map[span.Instant]bool
	var onwards []following
	shift := hours.LocalDate(0)
	for _, e := range parts {
		id := e.replacing()
		if id == nil {
			continue
		}
		meant := id.meant(series)
		if meant.allDay && !series.allDay {
			meant = series.on(int64(meant.date)*86400 + int64(series.seconds)) // programs give the date alone
		}
		if replaced == nil {
			replaced = map[span.Instant]bool{}
		}
		replaced[meant.at()] = true
		lasts, err := lengthOf(e.length, e.start, e.end, e.lasts)
		if err == nil && !e.allFree {
			at := e.start.at()
			more = more || at >= s.window.End()
			err = s.keep(e.start.span(at, lasts), e.start.allDay, e.tentative, e.title)
		}
		if err != nil {
			skip(e, err)
			continue
		}
		if e.series.onwards {
			f := following{meant.at(), meant.in(series.zone), e, lasts}
			onwards = append(onwards, f)
			shift = max(shift, e.start.date-f.id.date, f.id.date-e.start.date)
		}
	}
	slices.SortFunc(onwards, func(a, b following) int { return cmp.Compare(a.from, b.from) })
	for _, e := range parts {
		if e.replacing() != nil || e.allFree && len(onwards) == 0 {
			continue
		}
		lasts, err := lengthOf(e.length, e.start, e.end, e.lasts)
		if err == nil {
			var beyond bool
			beyond, err = s.place(e, lasts, shift+2, replaced, onwards)
			more = more || beyond
		}
		if err != nil {
			skip(e, err)
		}
	}
	return more
}

// newest leaves out components that a later version of the same one supersedes.
func newest(parts []*event) []*event {
	key := func(e *event) span.Instant {
		if id := e.replacing(); id != nil {
			return id.at()
		}
		return -1 << 62
	}
	latest := make(map[span.Instant]int, len(parts))
	for _, e := range parts {
		latest[key(e)] = max(latest[key(e)], e.sequence)
	}
	return slices.DeleteFunc(parts, func(e *event) bool { return e.sequence < latest[key(e)] })
}

// place keeps the occurrences of one event or series in the window.
func (s *scope) place(e *event, lasts duration, slack hours.LocalDate, replaced map[span.Instant]bool, onwards []following) (more bool, err error) {
	if e.series == nil {
		at := e.start.at()
		if replaced[at] {
			return false, nil
		}
		return at >= s.window.End(), s.keep(e.start.span(at, lasts), e.start.allDay, e.tentative, e.title)
	}
	items, more, err := s.starts(e, lasts, slack)
	if err != nil {
		return more, err
	}
	for _, it := range items {
		if replaced[it.at] {
			continue
		}
		by, m, at, long := e, it.m, it.at, lasts
		if n := sort.Search(len(onwards), func(i int) bool { return onwards[i].from > it.at }); n > 0 {
			f := onwards[n-1]
			by, long = f.event, f.lasts
			m = by.start.on(by.start.wall() + m.wall() - f.id.wall())
			at = m.at()
		}
		if it.own != nil {
			if long, err = lengthOf(it.own.length, it.own.start, it.own.end.meant(e.start), it.own.lasts); err != nil {
				return more, err
			}
		}
		if by.allFree {
			continue
		}
		more = more || at >= s.window.End()
		if err := s.keep(m.span(at, long), m.allDay, by.tentative, by.title); err != nil {
			return more, err
		}
	}
	return more, nil
}

// starts returns the starts of a recurrence set that can matter in the window,
// exceptions taken out, in order and each once; and whether there may be more
// later. They are valid until the next call.
func (s *scope) starts(e *event, lasts duration, slack hours.LocalDate) (items []item, more bool, err error) {
	first := e.start.zone.DateAt(s.window.Start()) - slack - hours.LocalDate(lasts.days) - hours.LocalDate(lasts.seconds/86400)
	last := e.start.zone.DateAt(s.window.End()) + slack
	items = append(s.items[:0], item{at: e.start.at(), m: e.start})
	defer func() { s.items = items[:0] }()
	ordered := len(e.series.rules) <= 1 && len(e.series.extra) == 0
	excluded, dates := e.excluded(first, last)
	for i := range e.series.rules {
		r := &e.series.rules[i]
		ordered = ordered && !r.excludes && r.unit() >= 86400 && len(r.byHour)+len(r.byMinute)+len(r.bySecond) == 0
		passed, zoned := r.end(e.start)
		if !zoned {
			return items, more, errNoZone
		}
		if r.excludes {
			excluded[e.start.at()] = true // the start is the first of what it gives
		}
		many := false
		beyond, err := r.each(e.start, first, last, &s.spent, func(wall int64) bool {
			m := e.start.on(wall)
			if passed(m) {
				return false
			}
			if m.date < first {
				return true
			}
			if at := m.at(); r.excludes {
				excluded[at] = true
			} else {
				items = append(items, item{at: at, m: m})
			}
			many = len(items) > maxInstances || len(excluded) > 2*maxInstances
			return !many
		})
		if err == nil && many {
			err = errMany
		}
		if err != nil {
			return items, more, err
		}
		more = more || beyond && !r.excludes
	}
	for i := range e.series.extra {
		x := &e.series.extra[i]
		m := x.start.meant(e.start)
		it := item{m: m}
		if x.length != noLength {
			it.own = x
		}
		more = more || m.date > last
		if m.date >= first-maxPeriod && m.date <= last {
			it.at = m.at()
			items = append(items, it)
		}
		if len(items) > maxInstances {
			return items, more, errMany
		}
	}
	if !ordered {
		slices.SortStableFunc(items, func(a, b item) int { return cmp.Compare(a.at, b.at) })
	}
	items = slices.CompactFunc(items, func(a, b item) bool { return a.at == b.at })
	if len(excluded)+len(dates) > 0 {
		items = slices.DeleteFunc(items, func(it item) bool { return excluded[it.at] || dates[it.m.date] })
	}
	return items, more, nil
}

// maxPeriod is the longest period, in days, that is found when it begins before
// the window.
const maxPeriod = 400

// excluded returns the exceptions that can matter between two dates: as instants,
// and as dates where an event with times is excepted by a date, or the other way
// round.
func (e *event) excluded(first, last hours.LocalDate) (map[span.Instant]bool, map[hours.LocalDate]bool) {
	at, dates := map[span.Instant]bool{}, map[hours.LocalDate]bool{}
	near := func(d, from, to hours.LocalDate) bool { return d >= from-2 && d <= to+2 }
	for _, x := range e.series.except {
		if !near(x.date, first, last) && !near(x.date, e.start.date, e.start.date) {
			continue
		}
		if x.allDay != e.start.allDay {
			dates[x.date] = true
		} else {
			at[x.meant(e.start).at()] = true
		}
	}
	return at, dates
}

// end returns whether an occurrence lies past the rule's UNTIL, and whether that
// can be told at all. An UNTIL that is a date counts to that day's end.
func (r *rule) end(start moment) (passed func(moment) bool, known bool) {
	if r.until == nil {
		return func(moment) bool { return false }, true
	}
	u := r.until.meant(start)
	if u.zone.unknown {
		return nil, false
	}
	if u.allDay || start.allDay {
		return func(m moment) bool { return m.date > u.date }, true
	}
	at, date := u.at(), u.in(start.zone).date
	return func(m moment) bool { return m.date > date || m.date == date && m.at() > at }, true
}
