// Package hours turns working hours into open time.
//
// Hours are said in wall clock times of a zone: patterns with dates and cycles
// of weeks, breaks, one-off days, closures of the business. The result is a set
// of spans of instants. Package offer decides what may be sold in it.
//
// What is not guaranteed: a zone's future jumps are known only as far as the
// installed time zone database knows them.
package hours

import (
	"fmt"
	"slices"
	"time"

	"niche/core/span"
)

// WallSpan is a stretch of a day in wall clock times. An end at or before the
// start runs into the next day.
type WallSpan struct {
	From, To WallTime
}

// minutes returns the span in minutes since the beginning of its day; the end
// passes 1440 when it lies on the next day.
func (s WallSpan) minutes() (from, to int) {
	from, to = int(s.From), int(s.To)
	if to <= from {
		to += int(DayEnd)
	}
	return from, to
}

// String returns the span as 09:00–17:30.
func (s WallSpan) String() string { return s.From.String() + "–" + s.To.String() }

// Day is what a pattern says of one day of the week: spans of work, and breaks
// inside them. The zero value is a closed day.
type Day struct {
	Spans  []WallSpan
	Breaks []WallSpan
}

// Week is the seven days of a week, by time.Weekday.
type Week [7]Day

// Pattern is a cycle of weeks that counts from a date on.
type Pattern struct {
	From  LocalDate
	Until LocalDate // the last day; zero for no end
	Cycle []Week    // 1 to 8 weeks; the first serves the week of From
}

// MaxCycle is the number of weeks that a cycle may have.
const MaxCycle = 8

// OneOff replaces everything else on one day. Without spans, the person is away.
type OneOff struct {
	Date  LocalDate
	Spans []WallSpan
}

// Schedule is all that is known about the working hours of one person.
type Schedule struct {
	Zone     Zone
	Patterns []Pattern
	OneOffs  []OneOff
}

// InForce returns the pattern that counts on a date: of those that hold it the
// one with the latest start, and of two with the same start the one listed
// last.
func (s Schedule) InForce(d LocalDate) (Pattern, bool) {
	best := -1
	for i, p := range s.Patterns {
		if p.From <= d && (p.Until.IsZero() || d <= p.Until) && (best < 0 || p.From >= s.Patterns[best].From) {
			best = i
		}
	}
	if best < 0 {
		return Pattern{}, false
	}
	return s.Patterns[best], true
}

// On returns what the pattern says of a date on or after its start.
func (p Pattern) On(d LocalDate) Day {
	week := floorMod(int64(d.Monday()-p.From.Monday())/7, int64(len(p.Cycle)))
	return p.Cycle[week][d.Weekday()]
}

// Source says where the hours of a day come from.
type Source int

// The sources of a day's hours, in the order in which the first that applies counts.
const (
	NoPattern Source = iota
	FromOneOff
	FromClosure
	FromPattern
)

// Day returns the hours of a date and where they come from.
func (s Schedule) Day(d LocalDate, closures []LocalDate) (Day, Source) {
	for _, o := range slices.Backward(s.OneOffs) {
		if o.Date == d {
			return Day{Spans: o.Spans}, FromOneOff
		}
	}
	if slices.Contains(closures, d) {
		return Day{}, FromClosure
	}
	if p, ok := s.InForce(d); ok {
		return p.On(d), FromPattern
	}
	return Day{}, NoPattern
}

// Open returns the open time of the local dates from..to, both included, as
// pieces: spans that touch or overlap, also across midnight, are one, and a
// break cuts. A span belongs whole to the day on which it starts, so the last
// piece may run past the last date. The offsets must reach over the dates.
func (s Schedule) Open(from, to LocalDate, closures []LocalDate, o Offsets) span.Set {
	days := max(0, int(to-from)+1)
	open := make([]span.Span, 0, 2*days)
	shut := make([]span.Span, 0, days)
	for d := from; d <= to; d++ {
		day, _ := s.Day(d, closures)
		for _, w := range day.Spans {
			a, b := w.minutes()
			open = append(open, span.Between(o.Starting(d, a), o.Ending(d, b)))
		}
		for _, w := range day.Breaks {
			if a, b, ok := day.place(w); ok {
				shut = append(shut, span.Between(o.Starting(d, a), o.Ending(d, b)))
			}
		}
	}
	return span.Of(open).Subtract(span.Of(shut))
}

// place returns the minutes of a break inside the span of its day that holds it.
// In a span that runs into the next day, a break earlier than the span's start
// is one after midnight.
func (d Day) place(br WallSpan) (from, to int, ok bool) {
	for _, s := range d.Spans {
		a, b := s.minutes()
		from, to = br.minutes()
		if from < a {
			from, to = from+int(DayEnd), to+int(DayEnd)
		}
		if from >= a && to <= b {
			return from, to, true
		}
	}
	return 0, 0, false
}

// Fault is something in hours that contradicts itself, with the path of the
// field below the value that was checked, as in cycle[0].mon.breaks[0].
type Fault struct {
	Path string
	What string
}

// Error returns the path and what is wrong there.
func (f Fault) Error() string { return f.Path + ": " + f.What }

// DayKeys are the names of the days in paths and files, by time.Weekday.
var DayKeys = [7]string{"sun", "mon", "tue", "wed", "thu", "fri", "sat"}

// Check returns every contradiction in the pattern.
func (p Pattern) Check() (faults []Fault) {
	if p.From.IsZero() {
		faults = append(faults, Fault{"from", "a pattern needs the date from which it counts"})
	}
	if !p.Until.IsZero() && p.Until < p.From {
		faults = append(faults, Fault{"until", fmt.Sprintf("%s is before the pattern starts, %s", p.Until, p.From)})
	}
	if n := len(p.Cycle); n < 1 || n > MaxCycle {
		faults = append(faults, Fault{"cycle", fmt.Sprintf("a cycle has 1 to %d weeks, not %d", MaxCycle, n)})
	}
	for k, w := range p.Cycle {
		for i := range 7 {
			day := time.Weekday((i + 1) % 7)
			faults = append(faults, w[day].check(fmt.Sprintf("cycle[%d].%s.", k, DayKeys[day]), day.String())...)
		}
	}
	return faults
}

// Check returns every contradiction in the one-off day.
func (o OneOff) Check() []Fault {
	return Day{Spans: o.Spans}.check("", o.Date.String())
}

func (d Day) check(prefix, name string) (faults []Fault) {
	for i, s := range d.Spans {
		at := fmt.Sprintf("%sspans[%d]", prefix, i)
		if s.From >= DayEnd {
			faults = append(faults, Fault{at, "a span cannot begin at 24:00; it begins at 00:00 of the next day"})
			continue
		}
		a, b := s.minutes()
		for _, earlier := range d.Spans[:i] {
			if c, e := earlier.minutes(); max(a, c) < min(b, e) {
				faults = append(faults, Fault{at, fmt.Sprintf("on %s, %s overlaps %s", name, s, earlier)})
				break
			}
		}
	}
	for i, br := range d.Breaks {
		if _, _, ok := d.place(br); !ok {
			faults = append(faults, Fault{fmt.Sprintf("%sbreaks[%d]", prefix, i),
				fmt.Sprintf("on %s, the break %s does not lie inside one span of hours", name, br)})
		}
	}
	return faults
}
