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

	bookable hours.LocalDate // no earlier date keeps a notice by days; zero for none
	last     hours.LocalDate // of the booking window; zero for no end
	busy     span.Set        // busy spans, widened
	foreign  span.Set        // what bookings occupy with which a visit cannot be shared
	own      []visit         // the service's own visits, in order
	widest   span.Instant    // the furthest that one of them reaches from its start, in seconds
	counted  []int           // visits a day over all services, by date from firstDay
	counted1 []int           // visits a day of this service
	firstDay hours.LocalDate
	kinds    [][]span.Set // for each kind needed, what takes each resource of it
}

// visit is the bookings of one service, staff member and start, together.
type visit struct {
	start    span.Instant
	occupied span.Span // by those of the length asked for, which can be joined; else empty
	places   int
}

// moment is one start under examination.
type moment struct {
	at       span.Instant
	day      hours.LocalDate // in the staff member's zone
	bizDay   hours.LocalDate // in the business's zone
	visit    span.Span
	occupied span.Span
	joins    bool // a visit of the same length begins then already, and can be shared
	taken    int  // places taken of a visit that begins then
}

// frame is what all lanes of a question have in common.
type frame struct {
	asked  span.Span // all instants of the dates asked about
	reach  span.Span // an outer bound of everything that can matter
	biz    hours.Offsets
	notice hours.LocalDate
	last   hours.LocalDate
}

func (q *Question) frame() frame {
	f := frame{biz: q.Zone.Over(q.From-1, q.To+1)}
	const slack = 2 * 24 * 60
	f.asked = span.Between(f.biz.Starting(q.From, 0), f.biz.Ending(q.To+1, 0))
	f.reach = f.asked.Widen(slack+q.Service.BufferBefore, slack+q.Service.Length+q.Service.BufferAfter)
	f.notice = q.Service.Notice.FirstDate(q.Now, q.Zone)
	f.last = q.Service.Window.Last(q.Zone.DateAt(q.Now))
	return f
}

func (q *Question) lane(i int, f frame) *lane {
	s := &q.Staff[i]
	l := &lane{q: q, staff: s, offsets: s.Schedule.Zone.Over(q.From-3, q.To+3), firstDay: q.From - 3}
	l.pieces = s.Schedule.Open(q.From-3, q.To+3, q.Closures, l.offsets)
	l.bookable, l.last = f.notice, f.last

	count := 0
	for i := range s.Busy {
		count += len(s.Busy[i].Spans)
	}
	busy := make([]span.Span, 0, count)
	for i := range s.Busy {
		for _, event := range s.Busy[i].Spans {
			if p := s.Busy[i].Blocked(event); p.Overlaps(f.reach) {
				busy = append(busy, p)
			}
		}
	}
	l.busy = span.Of(busy)
	l.countBookings(f.reach)

	for _, kind := range q.Service.Needs {
		var taken []span.Set
		for _, r := range q.Resources {
			if r.Kind == kind {
				taken = append(taken, span.Of(slices.Clone(r.Taken)))
			}
		}
		l.kinds = append(l.kinds, taken)
	}
	return l
}

// byStart orders bookings so that those of one visit stand together.
func byStart(a, b *Booking) int {
	if c := cmp.Compare(a.During.Start(), b.During.Start()); c != 0 {
		return c
	}
	return cmp.Compare(a.Service, b.Service)
}

// countBookings prepares what bookings mean for the rules: the time of others,
// the service's own visits, and how many there are on each day.
func (l *lane) countBookings(reach span.Span) {
	q := l.q
	days := int(q.To-q.From) + 7
	counts := make([]int, 2*days)
	l.counted, l.counted1 = counts[:days], counts[days:]
	bookings := l.staff.Bookings
	for i := 1; i < len(bookings); i++ {
		if byStart(&bookings[i-1], &bookings[i]) > 0 {
			bookings = slices.Clone(bookings)
			slices.SortFunc(bookings, func(a, b Booking) int { return byStart(&a, &b) })
			break
		}
	}
	l.own = make([]visit, 0, len(bookings))
	foreign := make([]span.Span, 0, len(bookings))
	dates := l.offsets.Dates()
	var last *Booking
	for i := range bookings {
		b := &bookings[i]
		occupied := b.occupied()
		if !occupied.Overlaps(reach) && !reach.Contains(b.During.Start()) {
			continue
		}
		own := b.Service == q.Service.ID
		first := last == nil || last.During.Start() != b.During.Start() || last.Service != b.Service
		last = b
		if day := int(dates.At(b.During.Start()) - l.firstDay); first && day >= 0 && day < days {
			l.counted[day]++
			if own {
				l.counted1[day]++
			}
		}
		shared := own && q.places() > 1 && b.During.Minutes() == q.Service.Length
		if !shared {
			foreign = append(foreign, occupied)
		}
		if own {
			if first {
				l.own = append(l.own, visit{start: b.During.Start(), occupied: span.Between(b.During.Start(), b.During.Start())})
			}
			v := &l.own[len(l.own)-1]
			v.places += max(1, b.Places)
			if shared {
				v.occupied = span.Between(min(v.occupied.Start(), occupied.Start()), max(v.occupied.End(), occupied.End()))
				l.widest = max(l.widest, v.occupied.End()-v.start, v.start-v.occupied.Start())
			}
		}
	}
	l.foreign = span.Of(foreign)
}

// starts returns every candidate start of the lane, in order, with what the
// rules need to know of it.
func (l *lane) starts(f frame) []Start {
	step := span.Instant(l.q.Service.Step) * 60
	count := 0
	for _, piece := range l.pieces.Spans() {
		if piece.Overlaps(f.asked) {
			count += int(piece.Minutes()/l.q.Service.Step) + 1
		}
	}
	out := make([]Start, 0, count)
	bizDays, staffDays := f.biz.Dates(), l.offsets.Dates()
	blank := Start{Left: int32(l.q.places())}
	add := func(t span.Instant, day, biz hours.LocalDate) {
		if biz >= l.q.From && biz <= l.q.To {
			s := blank
			s.At, s.day, s.bizDay = t, day, biz
			out = append(out, s)
		}
	}
	for _, piece := range l.pieces.Spans() {
		if !piece.Overlaps(f.asked) {
			continue
		}
		if l.q.Service.Anchor == OnOpening {
			for t := piece.Start(); t < piece.End(); t += step {
				add(t, staffDays.At(t), bizDays.At(t))
			}
			continue
		}
		l.offsets.EachRun(piece, l.q.Service.Step, func(r hours.Run) {
			last := r.First + span.Instant(r.Count-1)*step
			if !bizDays.Same(r.First, last) {
				for t := r.First; t <= last; t += step {
					add(t, r.Date, bizDays.At(t))
				}
				return
			}
			// Nearly every run lies on one date of the business's zone, too.
			biz := bizDays.At(r.First)
			if biz < l.q.From || biz > l.q.To {
				return
			}
			n := len(out)
			out = slices.Grow(out, r.Count)[:n+r.Count]
			for i := range out[n:] {
				s := &out[n+i]
				s.At, s.Left, s.day, s.bizDay = r.First+span.Instant(i)*step, blank.Left, r.Date, biz
			}
		})
	}
	l.meet(out)
	return out
}

// meet notes which starts are those of visits that there are already.
func (l *lane) meet(starts []Start) {
	n := 0
	for _, v := range l.own {
		for n < len(starts) && starts[n].At < v.start {
			n++
		}
		if n < len(starts) && starts[n].At == v.start {
			starts[n].Left = int32(max(0, l.q.places()-v.places))
			starts[n].joins = !v.occupied.IsEmpty()
		}
	}
}

// moment returns what the sentences of the rules say about a start.
func (l *lane) moment(s Start) moment {
	m := moment{at: s.At, day: s.day, bizDay: s.bizDay, visit: l.q.Service.Visit(s.At), occupied: l.q.Service.Occupied(s.At), joins: s.joins}
	if n, found := slices.BinarySearchFunc(l.own, s.At, func(v visit, t span.Instant) int { return cmp.Compare(v.start, t) }); found {
		m.taken = l.own[n].places
	}
	return m
}

// judge goes through all rules.
func (l *lane) judge(starts []Start) {
	for i := range rules {
		rules[i].sweep(l, starts, 1<<i)
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
