package offer

import (
	"cmp"
	"slices"

	"niche/core/hours"
	"niche/core/span"
)

// lane is one staff member's part of a question, prepared for a sweep over
// starts that never go back.
type lane struct {
	q       *Question
	staff   *Staff
	pieces  span.Set
	offsets hours.Offsets // of the staff member's zone

	soonest   span.Instant    // no start before it keeps the notice in minutes
	bookable  hours.LocalDate // no earlier date keeps a notice by days; zero for none
	last      hours.LocalDate // of the booking window; zero for no end
	open      span.Cursor     // pieces
	busy      span.Cursor     // busy spans, widened
	foreign   span.Cursor     // what bookings occupy with which a visit cannot be shared
	shareable []visit         // the service's own visits, where several clients share one
	counted   []int           // visits a day over all services, by date from firstDay
	counted1  []int           // visits a day of this service
	firstDay  hours.LocalDate
	kinds     [][]span.Cursor // for each kind needed, what takes each resource of it
}

// visit is the bookings of one service, staff member and start, together.
type visit struct {
	start    span.Instant
	occupied span.Span
	places   int
}

// moment is one start under examination.
type moment struct {
	at       span.Instant
	day      hours.LocalDate // in the staff member's zone
	bizDay   hours.LocalDate // in the business's zone
	visit    span.Span
	occupied span.Span
	joins    *visit // the visit that already begins then, if it can be shared
	taken    int    // places taken of a visit that begins then
}

// frame is what all lanes of a question have in common.
type frame struct {
	reach  span.Span // an outer bound of everything that can matter
	biz    hours.Offsets
	notice hours.LocalDate
	last   hours.LocalDate
}

func (q *Question) frame() frame {
	f := frame{biz: q.Zone.Over(q.From-1, q.To+1)}
	const slack = 2 * 24 * 60
	f.reach = span.Between(f.biz.Starting(q.From, 0), f.biz.Ending(q.To+1, 0)).
		Widen(slack+q.Service.BufferBefore, slack+q.Service.Length+q.Service.BufferAfter)
	today := q.Zone.DateAt(q.Now)
	if n := q.Service.Notice; n.ByDay {
		f.notice = today + hours.LocalDate(n.DaysBefore)
		if q.Now > q.Zone.Over(today, today).Ending(today, int(n.By)) {
			f.notice++
		}
	}
	if w := q.Service.Window; w.Limited {
		f.last = today + hours.LocalDate(w.Days)
	}
	return f
}

func (q *Question) lane(i int, f frame) *lane {
	s := &q.Staff[i]
	l := &lane{q: q, staff: s, offsets: s.Schedule.Zone.Over(q.From-3, q.To+3), firstDay: q.From - 3}
	l.pieces = s.Schedule.Open(q.From-3, q.To+3, q.Closures, l.offsets)
	l.bookable, l.last = f.notice, f.last
	l.soonest = q.Now
	if !q.Service.Notice.ByDay {
		l.soonest = q.Now.Add(q.Service.Notice.Minutes)
	}

	busy := make([]span.Span, 0, len(s.Busy))
	for _, b := range s.Busy {
		if p := b.blocked(); p.Overlaps(f.reach) {
			busy = append(busy, p)
		}
	}
	l.busy = span.Of(busy).Cursor()
	l.countBookings(f.reach)

	for _, kind := range q.Service.Needs {
		var taken []span.Cursor
		for _, r := range q.Resources {
			if r.Kind == kind {
				taken = append(taken, span.Of(slices.Clone(r.Taken)).Cursor())
			}
		}
		l.kinds = append(l.kinds, taken)
	}
	l.open = l.pieces.Cursor()
	return l
}

func (l *lane) countBookings(reach span.Span) {
	q := l.q
	days := int(q.To-q.From) + 7
	counts := make([]int, 2*days)
	l.counted, l.counted1 = counts[:days], counts[days:]
	near := make([]*Booking, 0, len(l.staff.Bookings))
	for i := range l.staff.Bookings {
		if b := &l.staff.Bookings[i]; b.occupied().Overlaps(reach) || reach.Contains(b.During.Start()) {
			near = append(near, b)
		}
	}
	slices.SortFunc(near, func(a, b *Booking) int {
		return cmp.Or(cmp.Compare(a.During.Start(), b.During.Start()), cmp.Compare(a.Service, b.Service))
	})
	foreign := make([]span.Span, 0, len(near))
	dates := l.offsets.Dates()
	for i, b := range near {
		own := b.Service == q.Service.ID
		first := i == 0 || near[i-1].During.Start() != b.During.Start() || near[i-1].Service != b.Service
		if day := int(dates.At(b.During.Start()) - l.firstDay); first && day >= 0 && day < days {
			l.counted[day]++
			if own {
				l.counted1[day]++
			}
		}
		if !own || q.places() == 1 {
			foreign = append(foreign, b.occupied())
		}
		if own {
			if first {
				l.shareable = append(l.shareable, visit{start: b.During.Start(), occupied: b.occupied()})
			}
			v := &l.shareable[len(l.shareable)-1]
			o := b.occupied()
			v.occupied = span.Between(min(v.occupied.Start(), o.Start()), max(v.occupied.End(), o.End()))
			v.places += max(1, b.Places)
		}
	}
	l.foreign = span.Of(foreign).Cursor()
}

// at prepares the examination of a start.
func (l *lane) at(t span.Instant, day, bizDay hours.LocalDate) moment {
	m := moment{at: t, day: day, bizDay: bizDay, visit: l.q.Service.Visit(t), occupied: l.q.Service.Occupied(t)}
	n, found := slices.BinarySearchFunc(l.shareable, t, func(v visit, t span.Instant) int { return cmp.Compare(v.start, t) })
	if found {
		m.taken = l.shareable[n].places
		if l.q.places() > 1 {
			m.joins = &l.shareable[n]
		}
	}
	return m
}

// eachCandidate calls yield for every candidate start of the lane, in order,
// with its date in the staff member's zone and in the business's.
func (l *lane) eachCandidate(f frame, yield func(t span.Instant, day, bizDay date)) {
	staffDays, bizDays := l.offsets.Dates(), f.biz.Dates()
	consider := func(t span.Instant) bool {
		if !f.reach.Contains(t) {
			return true
		}
		if d := bizDays.At(t); d >= l.q.From && d <= l.q.To {
			yield(t, staffDays.At(t), d)
		}
		return true
	}
	for _, piece := range l.pieces.Spans() {
		if l.q.Service.Anchor == OnOpening {
			for t := piece.Start(); t < piece.End(); t = t.Add(l.q.Service.Step) {
				consider(t)
			}
			continue
		}
		l.offsets.EachMark(piece, l.q.Service.Step, func(t span.Instant, _ hours.LocalDate) bool { return consider(t) })
	}
}

// isCandidate reports whether a visit may begin at t as far as open time and
// the steps between starts go.
func (l *lane) isCandidate(t span.Instant) bool {
	piece, ok := l.pieces.Around(t)
	if !ok {
		return false
	}
	if l.q.Service.Anchor == OnOpening {
		return (t-piece.Start())%(span.Instant(l.q.Service.Step)*60) == 0
	}
	_, minute := l.offsets.Wall(t)
	return t%60 == 0 && minute%int(l.q.Service.Step) == 0
}
