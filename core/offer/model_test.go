package offer_test

import (
	"bytes"
	"fmt"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

// The model answers a question minute by minute, straight from the wording of
// the rules. It shares no code with the package: wall clocks come from
// time.Time, open time is a list of minutes, and every rule is a loop.

// wall is what a clock shows: the day as 20260302, and the minute of it.
type wall struct{ day, minute int }

// model covers the minutes from first on.
type model struct {
	q     offer.Question
	first int64 // a minute since 1970
	biz   []wall
	local [][]wall // by staff member
	piece [][]int  // by staff member: the number of the piece that holds a minute, 0 for none
}

func show(minute int64, loc *time.Location) wall {
	t := time.Unix(minute*60, 0).In(loc)
	return wall{t.Year()*10000 + int(t.Month())*100 + t.Day(), t.Hour()*60 + t.Minute()}
}

func (a wall) before(b wall) bool { return a.day < b.day || a.day == b.day && a.minute < b.minute }

func dayNumber(d hours.LocalDate) int {
	t := d.Time()
	return t.Year()*10000 + int(t.Month())*100 + t.Day()
}

const margin = 5 // days on both sides

func newModel(q offer.Question) *model {
	m := &model{q: q, first: q.From.Time().Unix()/60 - margin*1440}
	count := (int64(q.To-q.From) + 1 + 2*margin) * 1440
	clocks := func(loc *time.Location) []wall {
		list := make([]wall, count)
		for i := range list {
			list[i] = show(m.first+int64(i), loc)
		}
		return list
	}
	m.biz = clocks(q.Zone.Location())
	for _, s := range q.Staff {
		local := clocks(s.Schedule.Zone.Location())
		m.local = append(m.local, local)
		m.piece = append(m.piece, m.pieces(s, local))
	}
	return m
}

// find returns the index at which the clock shows w, the first or the last time;
// when it never does, the index of the jump over it.
func find(local []wall, w wall, last bool) int {
	at, jump := -1, -1
	for i := range local {
		if local[i] == w && (at < 0 || last) {
			at = i
		}
		if i > 0 && local[i-1].before(w) && w.before(local[i]) {
			jump = i
		}
	}
	if at < 0 {
		return jump
	}
	return at
}

// mark sets the minutes of a span that starts on a date.
func mark(local []wall, into []bool, d hours.LocalDate, from, to int, value bool) {
	at := func(minutes int, last bool) int {
		return find(local, wall{dayNumber(d + hours.LocalDate(minutes/1440)), minutes % 1440}, last)
	}
	a, b := at(from, false), at(to, true)
	for i := max(a, 0); i >= 0 && i < b; i++ {
		into[i] = value
	}
}

func (m *model) pieces(s offer.Staff, local []wall) []int {
	open, shut := make([]bool, len(local)), make([]bool, len(local))
	for d := m.q.From - margin + 1; d <= m.q.To+margin-3; d++ {
		var day hours.Day
		one := slices.IndexFunc(s.Schedule.OneOffs, func(o hours.OneOff) bool { return o.Date == d })
		switch {
		case one >= 0:
			day = hours.Day{Spans: s.Schedule.OneOffs[one].Spans}
		case slices.Contains(m.q.Closures, d):
		default:
			var force *hours.Pattern
			for i := range s.Schedule.Patterns {
				p := &s.Schedule.Patterns[i]
				if d >= p.From && (p.Until == 0 || d <= p.Until) && (force == nil || p.From >= force.From) {
					force = p
				}
			}
			if force != nil {
				week := 0
				monday := func(d hours.LocalDate) time.Time {
					t := d.Time()
					return t.AddDate(0, 0, -(int(t.Weekday())+6)%7)
				}
				week = int(monday(d).Sub(monday(force.From)).Hours()/24/7+0.5) % len(force.Cycle)
				day = force.Cycle[week][d.Time().Weekday()]
			}
		}
		for _, w := range day.Spans {
			to := int(w.To)
			if w.To <= w.From {
				to += 1440
			}
			mark(local, open, d, int(w.From), to, true)
			for _, b := range day.Breaks {
				from, until := int(b.From), int(b.To)
				if b.To <= b.From {
					until += 1440
				}
				if from < int(w.From) {
					from, until = from+1440, until+1440
				}
				if from >= int(w.From) && until <= to {
					mark(local, shut, d, from, until, true)
				}
			}
		}
	}
	piece := make([]int, len(local))
	number := 0
	for i := range piece {
		if open[i] && !shut[i] {
			if i == 0 || piece[i-1] == 0 {
				number++
			}
			piece[i] = number
		}
	}
	return piece
}

type candidate struct {
	at    int64
	staff int
}

func spanMinutes(s span.Span) (from, to int64) { return int64(s.Start()) / 60, int64(s.End()) / 60 }

func minutesOverlap(a, b, c, d int64) bool {
	for i := a; i < b; i++ {
		if i >= c && i < d {
			return true
		}
	}
	return false
}

// judge returns every candidate with the codes of the rules that refuse it.
func (m *model) judge() map[candidate][]offer.Code {
	out := map[candidate][]offer.Code{}
	s := m.q.Service
	for k := range m.q.Staff {
		began := 0
		for i := range m.biz {
			if m.piece[k][i] == 0 {
				continue
			}
			if m.piece[k][i-1] == 0 {
				began = i
			}
			on := m.local[k][i].minute%int(s.Step) == 0
			if s.Anchor == offer.OnOpening {
				on = (i-began)%int(s.Step) == 0
			}
			if on && m.biz[i].day >= dayNumber(m.q.From) && m.biz[i].day <= dayNumber(m.q.To) {
				out[candidate{m.first + int64(i), k}] = m.reasons(i, k)
			}
		}
	}
	return out
}

func (m *model) reasons(i, k int) (codes []offer.Code) {
	q, s, staff := m.q, m.q.Service, m.q.Staff[k]
	refuse := func(code offer.Code, holds bool) {
		if holds {
			codes = append(codes, code)
		}
	}
	t := m.first + int64(i)
	now := int64(q.Now) / 60
	end := t + int64(s.Length)
	from, to := t-int64(s.BufferBefore), end+int64(s.BufferAfter)
	date := time.Unix(m.biz[i].unixDay(), 0).UTC()
	today := show(now, q.Zone.Location())

	refuse("past", t < now)
	if days, by, ok := s.Notice.Day(); ok {
		deadline := date.AddDate(0, 0, -days)
		limit := wall{deadline.Year()*10000 + int(deadline.Month())*100 + deadline.Day(), int(by)}
		refuse("notice", limit.before(today))
	} else if minutes, ok := s.Notice.Minutes(); ok {
		refuse("notice", t < now+int64(minutes))
	}
	beyond := false
	if days, ok := s.Window.Days(); ok {
		last := time.Unix(today.unixDay(), 0).UTC().AddDate(0, 0, days)
		beyond = date.After(last)
	}
	if from, to := s.Window.Dates(); from != 0 && date.Before(from.Time()) || to != 0 && date.After(to.Time()) {
		beyond = true
	}
	refuse("window", beyond)

	a, b := t, end
	if s.BuffersInsideHours {
		a, b = from, to
	}
	outside := false
	for x := a; x < b; x++ {
		outside = outside || m.piece[k][x-m.first] != m.piece[k][i]
	}
	refuse("outside-hours", outside)

	busy := false
	for _, x := range staff.Busy {
		for _, event := range x.Spans {
			c, d := spanMinutes(event)
			busy = busy || c < d && minutesOverlap(from, to, c-int64(x.PadBefore), d+int64(x.PadAfter))
		}
	}
	refuse("busy", busy)

	places := max(1, s.Places)
	taken, booked, joins := 0, false, false
	visits, visitsAll := map[int64]bool{}, map[string]bool{}
	for _, x := range staff.Bookings {
		c, d := spanMinutes(x.During)
		same := x.Service == s.ID && c == t
		shared := same && d == end && places > 1 // only visits of one length are the same visit
		if same {
			taken += max(1, x.Places)
			joins = joins || shared
		}
		if minutesOverlap(from, to, c-int64(x.BufferBefore), d+int64(x.BufferAfter)) && !shared {
			booked = true
		}
		if show(c, staff.Schedule.Zone.Location()).day == m.local[k][i].day {
			visitsAll[fmt.Sprint(x.Service, c)] = true
			if x.Service == s.ID {
				visits[c] = true
			}
		}
	}
	refuse("booked", booked)
	refuse("places", places-taken < max(1, q.PlacesAsked))
	own, ownSet := s.CapPerDay.Visits()
	all, allSet := staff.CapPerDay.Visits()
	refuse("cap", !joins && (ownSet && len(visits) >= own || allSet && len(visitsAll) >= all))
	missing := false
	for _, kind := range s.Needs {
		free := false
		for _, r := range q.Resources {
			clear := r.Kind == kind
			for _, x := range r.Taken {
				c, d := spanMinutes(x)
				clear = clear && !minutesOverlap(from, to, c, d)
			}
			free = free || clear
		}
		missing = missing || !free
	}
	refuse("resource", !joins && missing)
	return codes
}

// A question that is written as a case, and read again, has the same answer.
func TestACaseKeepsTheWholeQuestion(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		q := draws{t}.question()
		text, err := casefile.Write(q)
		require.NoError(t, err)
		again, err := casefile.Read(bytes.NewReader(text))
		require.NoError(t, err)
		require.Equal(t, q.Answer().Lanes, again.Answer().Lanes)
		require.Equal(t, q.Refusals(q.Answer()), again.Refusals(again.Answer()))
	})
}

// unixDay returns midnight UTC of the day that a clock shows.
func (a wall) unixDay() int64 {
	return time.Date(a.day/10000, time.Month(a.day/100%100), a.day%100, 0, 0, 0, 0, time.UTC).Unix()
}

// draws makes questions around jumps of the clock.
type draws struct{ *rapid.T }

func (d draws) n(label string, from, to int) int { return rapid.IntRange(from, to).Draw(d.T, label) }

func (d draws) chance(label string, of int) bool { return d.n(label, 1, of) == 1 }

var zones = []string{"Europe/Dublin", "America/St_Johns", "Australia/Lord_Howe", "America/Santiago", "Atlantic/Azores", "America/Havana", "Asia/Kathmandu", "UTC"}

// around are days near which clocks jump in these zones, and one quiet day.
var around = []string{"2026-03-29", "2026-10-25", "2026-03-08", "2026-11-01", "2026-04-05", "2026-10-04", "2026-09-06", "2026-06-10"}

func (d draws) zone(label string) hours.Zone {
	z, err := hours.LoadZone(rapid.SampledFrom(zones).Draw(d.T, label))
	require.NoError(d.T, err)
	return z
}

// day makes spans that do not overlap, perhaps the last one over midnight, and
// breaks inside them.
func (d draws) day() (day hours.Day) {
	at := d.n("from", 0, 20) * 30
	for at < 1380 && !d.chance("enough", 3) {
		to := at + d.n("length", 2, 24)*15
		night := to > 1440
		s := hours.WallSpan{From: hours.WallTime(at), To: hours.WallTime(to)}
		if night {
			s.To = hours.WallTime(min(to, 1440+day0(day, at)) % 1440)
		}
		day.Spans = append(day.Spans, s)
		if d.chance("break", 2) {
			from := at + d.n("break at", 0, (to-at)/15-1)*15
			until := min(from+d.n("break length", 1, 4)*15, to)
			if !night {
				day.Breaks = append(day.Breaks, hours.WallSpan{From: hours.WallTime(from % 1440), To: hours.WallTime(until)})
			}
		}
		if night {
			break
		}
		at = to + d.n("gap", 0, 8)*15
	}
	return day
}

// day0 is how far a night may run without reaching the day's first span again.
func day0(day hours.Day, at int) int {
	if len(day.Spans) > 0 {
		return min(int(day.Spans[0].From), at)
	}
	return at
}

func (d draws) question() offer.Question {
	base, err := hours.ParseDate(rapid.SampledFrom(around).Draw(d.T, "around"))
	require.NoError(d.T, err)
	q := offer.Question{Zone: d.zone("zone"), From: base + hours.LocalDate(d.n("first", -2, 0)), PlacesAsked: d.n("asked", 1, 2)}
	q.To = q.From + hours.LocalDate(d.n("days", 0, 2))
	origin := q.From.Time().Unix()
	instant := func(label string) span.Instant { return span.Instant(origin + int64(d.n(label, -300, 1200))*5*60) }
	q.Now = instant("now")
	s := &q.Service
	*s = offer.Service{ID: "a", Length: span.Minutes(d.n("length", 1, 16) * 10), Step: span.Minutes(rapid.SampledFrom([]int{7, 15, 30, 45, 60}).Draw(d.T, "step")),
		Anchor: rapid.SampledFrom([]offer.Anchor{offer.OnClock, offer.OnOpening}).Draw(d.T, "anchor"), BufferBefore: span.Minutes(d.n("before", 0, 4) * 5),
		BufferAfter: span.Minutes(d.n("after", 0, 4) * 5), BuffersInsideHours: d.chance("inside", 3), Places: d.n("places", 1, 3),
		Staffing: rapid.SampledFrom([]offer.Staffing{offer.AnyOne, offer.AllOfThem}).Draw(d.T, "staffing")}
	if d.chance("by day", 2) {
		s.Notice = offer.DaysBefore(d.n("days before", 0, 2), hours.WallTime(d.n("by", 0, 24)*60))
	} else if d.chance("by minutes", 2) {
		s.Notice = offer.MinutesBefore(span.Minutes(d.n("notice", 0, 30) * 60))
	}
	switch d.n("window", 0, 3) {
	case 0:
		s.Window = offer.DaysAhead(d.n("window days", 0, 3))
	case 1:
		s.Window = offer.Dates(q.From+hours.LocalDate(d.n("window from", 0, 1)), q.From+hours.LocalDate(d.n("window to", 1, 2)))
	}
	if d.chance("cap", 2) {
		s.CapPerDay = offer.AtMost(d.n("at most", 0, 2))
	}
	if d.chance("needs", 3) {
		s.Needs = []string{"bay"}
	}
	if d.chance("closure", 3) {
		q.Closures = []hours.LocalDate{q.From + hours.LocalDate(d.n("closed", 0, 2))}
	}
	during := func(label string, longest int) span.Span {
		return span.For(instant(label), span.Minutes(d.n(label+" lasts", 0, longest)*5))
	}
	for range d.n("resources", 0, 2) {
		q.Resources = append(q.Resources, offer.Resource{ID: fmt.Sprint(len(q.Resources)), Kind: "bay", Taken: []span.Span{during("taken", 100), during("taken", 100)}})
	}
	for k := range d.n("staff", 1, 3) {
		m := offer.Staff{ID: fmt.Sprint("s", k), Schedule: hours.Schedule{Zone: d.zone("staff zone")}}
		for range d.n("patterns", 1, 2) {
			p := hours.Pattern{From: q.From - hours.LocalDate(d.n("since", -1, 20))}
			if d.chance("ends", 3) {
				p.Until = p.From + hours.LocalDate(d.n("until", 0, 22))
			}
			for range d.n("weeks", 1, 3) {
				var w hours.Week
				for i := range w {
					w[i] = d.day()
				}
				p.Cycle = append(p.Cycle, w)
			}
			require.Empty(d.T, p.Check())
			m.Schedule.Patterns = append(m.Schedule.Patterns, p)
		}
		if d.chance("one-off", 3) {
			m.Schedule.OneOffs = []hours.OneOff{{Date: q.From + hours.LocalDate(d.n("one-off on", -1, 2)), Spans: d.day().Spans}}
		}
		if d.chance("own cap", 3) {
			m.CapPerDay = offer.AtMost(d.n("own at most", 0, 3))
		}
		for range d.n("calendars", 0, 2) {
			c := offer.Calendar{PadBefore: span.Minutes(d.n("pad", 0, 3) * 10), PadAfter: span.Minutes(d.n("pad", 0, 3) * 10)}
			for range d.n("busy", 0, 3) {
				c.Spans = append(c.Spans, during("busy", 60))
			}
			m.Busy = append(m.Busy, c)
		}
		for range d.n("bookings", 0, 4) {
			b := offer.Booking{Service: rapid.SampledFrom([]string{"a", "b"}).Draw(d.T, "service"), During: during("booking", 24), BufferBefore: span.Minutes(d.n("b", 0, 3) * 5), BufferAfter: span.Minutes(d.n("b", 0, 3) * 5), Places: d.n("p", 1, 2)}
			m.Bookings = append(m.Bookings, b)
			if d.chance("shared", 2) {
				m.Bookings = append(m.Bookings, b)
			}
		}
		q.Staff = append(q.Staff, m)
	}
	// Some bookings stand exactly where a visit could begin: to be joined, or of another length.
	for k, l := range q.Answer().Lanes {
		if len(l.Starts) > 0 && d.chance("join", 2) {
			at := l.Starts[d.n("which", 0, len(l.Starts)-1)].At
			length := q.Service.Length + span.Minutes(rapid.SampledFrom([]int{0, 0, 15, -5}).Draw(d.T, "longer by"))
			q.Staff[k].Bookings = append(q.Staff[k].Bookings, offer.Booking{Service: "a", During: span.For(at, length), BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter})
		}
	}
	return q
}

func TestAnswersAgreeWithAModelThatGoesMinuteByMinute(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		q := draws{t}.question()
		want := newModel(q).judge()
		joint := q.Service.Staffing == offer.AllOfThem
		single := q
		single.Service.Staffing = offer.AnyOne
		got := map[candidate][]offer.Code{}
		for _, l := range single.Answer().Lanes {
			for _, s := range l.Starts {
				got[candidate{int64(s.At) / 60, l.Staff}] = s.Refused.Codes()
			}
		}
		require.Equal(t, want, got)

		can := map[int64][]string{}
		for _, k := range slices.SortedFunc(keys(want), func(a, b candidate) int { return a.staff - b.staff }) {
			if want[k] == nil {
				can[k.at] = append(can[k.at], q.Staff[k.staff].ID)
			}
		}
		if joint {
			for at, who := range can {
				if len(who) < len(q.Staff) {
					delete(can, at)
				}
			}
		}
		a := q.Answer()
		offers := map[int64][]string{}
		for i, o := range a.Offers() {
			offers[int64(o.At)/60] = o.Staff
			require.Positive(t, o.Left)
			require.True(t, i == 0 || a.Offers()[i-1].At < o.At, "starts are in order")
		}
		require.Equal(t, can, offers)

		b := a.Budget()
		sum := b.Offered
		for _, n := range b.Lost {
			sum += n
		}
		require.Equal(t, len(want), b.Candidates)
		require.Equal(t, b.Candidates, sum, "every candidate is offered or charged to one reason")
		refusals := q.Refusals(a)
		require.Len(t, refusals, b.Candidates-b.Offered)
		for _, r := range refusals {
			require.NotEmpty(t, r.Verdicts)
			for _, v := range r.Verdicts {
				require.NotEmpty(t, v.Detail)
			}
		}
		if !joint && len(refusals) > 0 {
			r := refusals[len(refusals)/2]
			n := slices.IndexFunc(q.Staff, func(s offer.Staff) bool { return s.ID == r.Staff })
			require.Equal(t, r.Verdicts, q.Explain(r.At, n).Reasons(), "a start explained alone has the same reasons")
		}
	})
}

func keys(m map[candidate][]offer.Code) func(func(candidate) bool) {
	return func(yield func(candidate) bool) {
		for k := range m {
			if !yield(k) {
				return
			}
		}
	}
}

// grown is a question of the size that a busy person's calendar makes.
func grown(staff, days, busy, bookings int) offer.Question {
	dublin, _ := hours.LoadZone("Europe/Dublin")
	from := hours.DateOf(2026, time.March, 2)
	var week hours.Week
	for d := time.Monday; d <= time.Friday; d++ {
		week[d] = hours.Day{Spans: []hours.WallSpan{{From: 8 * 60, To: 18 * 60}}, Breaks: []hours.WallSpan{{From: 12 * 60, To: 13 * 60}}}
	}
	q := offer.Question{Now: span.At(from.Time()), Zone: dublin, From: from, To: from + hours.LocalDate(days) - 1,
		Service: offer.Service{ID: "a", Length: 90, Step: 15, Anchor: offer.OnClock, BufferBefore: 20, BufferAfter: 20,
			Notice: offer.MinutesBefore(240), CapPerDay: offer.AtMost(3), Places: 1, Staffing: offer.AnyOne}}
	for k := range staff {
		m := offer.Staff{ID: fmt.Sprint(k), Schedule: hours.Schedule{Zone: dublin, Patterns: []hours.Pattern{{From: from - 100, Cycle: []hours.Week{week}}}}}
		c := offer.Calendar{PadBefore: 10}
		for i := range busy {
			c.Spans = append(c.Spans, span.For(q.Now.Add(span.Minutes(i*days*1440/busy)), 45))
		}
		m.Busy = []offer.Calendar{c}
		for i := range bookings {
			m.Bookings = append(m.Bookings, offer.Booking{Service: "a", During: span.For(q.Now.Add(span.Minutes(i*days*1440/bookings+60)), 90), BufferBefore: 20, BufferAfter: 20})
		}
		q.Staff = append(q.Staff, m)
	}
	return q
}

func BenchmarkAnswer(b *testing.B) {
	for _, c := range []struct{ staff, days, busy, bookings int }{{1, 60, 500, 200}, {100, 60, 500, 200}, {1, 120, 500, 200}, {1, 60, 1000, 200}, {1, 240, 2000, 800}} {
		q := grown(c.staff, c.days, c.busy, c.bookings)
		b.Run(fmt.Sprintf("staff=%d/days=%d/busy=%d/bookings=%d", c.staff, c.days, c.busy, c.bookings), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				_ = q.Answer()
			}
		})
	}
}

// A question about many people is shared out, and answers as one about each.
func TestManyLanesAnswerAsEachAlone(t *testing.T) {
	q := grown(70, 10, 40, 15)
	for i := range q.Staff {
		q.Staff[i].Busy[0].Spans = q.Staff[i].Busy[0].Spans[:i%40]
	}
	all := q.Answer()
	for i, s := range q.Staff {
		one := q
		one.Staff = []offer.Staff{s}
		require.Equal(t, one.Answer().Lanes[0].Starts, all.Lanes[i].Starts)
	}
}

// The allowance of allocations is a property of the code and not of the clock.
func TestAnAnswerAllocatesAHandfulOfSlices(t *testing.T) {
	q := grown(1, 60, 500, 200)
	require.Less(t, testing.AllocsPerRun(10, func() { _ = q.Answer() }), 50.0)
}
