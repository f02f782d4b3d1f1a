package hours

import (
	_ "embed"
	"fmt"
	"math"
	"strings"
	"sync"
	"time"

	"niche/core/span"
)

// Zone is a time zone of the IANA database. The zero value is UTC.
type Zone struct {
	loc *time.Location
}

// names lists the zones of the IANA database, links among them, a line each.
//
//go:embed zones.txt
var names string

// known are the names that there are, with what was loaded of each: time.LoadLocation
// reads a file each time. It takes other spellings too, as Europe/../Europe/Dublin;
// here only those of the list are, so that no question makes the cache grow.
var known = func() map[string]*loaded {
	list := map[string]*loaded{}
	for name := range strings.FieldsSeq(names) {
		list[name] = &loaded{}
	}
	return list
}()

type loaded struct {
	once sync.Once
	zone Zone
	err  error
}

// LoadZone returns the zone of an IANA name such as Europe/Dublin, spelled as the
// database spells it.
func LoadZone(name string) (Zone, error) {
	z, ok := known[name]
	if !ok {
		return Zone{}, fmt.Errorf("%q is not a time zone that is known here, as in Europe/Dublin", shortened(name))
	}
	z.once.Do(func() { z.zone.loc, z.err = time.LoadLocation(name) })
	if z.err != nil {
		return Zone{}, fmt.Errorf("the clocks of %s are not known on this machine: %w", name, z.err)
	}
	return z.zone, nil
}

// shortened is as much of what somebody gave as is repeated.
func shortened(name string) string {
	if r := []rune(name); len(r) > 60 {
		return string(r[:60]) + "…"
	}
	return name
}

// Location returns the zone for formatting. It must not be used to turn wall
// clocks into instants: time.Date does not say which side of a jump it takes.
func (z Zone) Location() *time.Location {
	if z.loc == nil {
		return time.UTC
	}
	return z.loc
}

// String returns the IANA name.
func (z Zone) String() string { return z.Location().String() }

// DateAt returns the date that the zone's calendars show at i.
func (z Zone) DateAt(i span.Instant) LocalDate {
	return DateOf(i.Time().In(z.Location()).Date())
}

// period is a stretch in which a zone keeps one offset from UTC, in seconds.
type period struct {
	during span.Span
	offset int64
}

// Offsets is what a zone's clocks do over some range of dates: the one place
// where wall clocks become instants and instants wall clocks. It holds at
// least one period, and its periods touch.
type Offsets struct {
	periods []period
}

// far is how far a wall clock can be from UTC, and then some, in seconds.
const far = 36 * 3600

// Over returns the zone's offsets from the day before from to the day after to.
func (z Zone) Over(from, to LocalDate) Offsets {
	first, last := instantOf(from, 0, 0)-far-86400, instantOf(to, 0, 0)+far+2*86400
	o := Offsets{make([]period, 0, 4)}
	for at := first; ; {
		offset, next := int64(z.offset(at)), min(z.until(at), last)
		if n := len(o.periods); n > 0 && o.periods[n-1].offset == offset {
			o.periods[n-1].during = span.Between(o.periods[n-1].during.Start(), next)
		} else {
			o.periods = append(o.periods, period{span.Between(at, next), offset})
		}
		if next >= last {
			return o
		}
		at = next
	}
}

// until returns up to when the zone's clocks have the offset that they have at an instant: a change of it, or a moment at
// which there may be none. Beyond the years that a zone lists, the standard library ends a period with the 365th day of a year, which on
// the 366th lies before what it is asked for.
func (z Zone) until(at span.Instant) span.Instant {
	_, end := at.Time().In(z.Location()).ZoneBounds()
	switch {
	case end.IsZero():
		return math.MaxInt64
	case span.At(end) <= at:
		return at + 3600
	}
	return span.At(end)
}

// instantOf returns the instant at which a clock that is offset seconds ahead
// of UTC shows the date and time.
func instantOf(d LocalDate, minutes int64, offset int64) span.Instant {
	return span.Instant(int64(d-unixDay)*86400 + minutes*60 - offset)
}

// Starting returns the instant of a wall clock time that begins something: of
// a time that occurs twice the first, of a time that is skipped the instant of
// the jump. Minutes may pass 1440 and then belong to the next day.
func (o Offsets) Starting(d LocalDate, minutes int) span.Instant {
	for i, p := range o.periods {
		at := instantOf(d, int64(minutes), p.offset)
		if at < p.during.End() || i == len(o.periods)-1 {
			// Before the period's start means that its clocks jumped over the time.
			return max(at, p.during.Start())
		}
	}
	panic("hours: offsets without a period")
}

// Ending returns the instant of a wall clock time that ends something: of a
// time that occurs twice the second, of a time that is skipped the instant of
// the jump.
func (o Offsets) Ending(d LocalDate, minutes int) span.Instant {
	for i := len(o.periods) - 1; i >= 0; i-- {
		p := o.periods[i]
		at := instantOf(d, int64(minutes), p.offset)
		if at >= p.during.Start() || i == 0 {
			return min(at, p.during.End())
		}
	}
	panic("hours: offsets without a period")
}

// Wall returns the date and the minute of the day that the clocks show at i.
func (o Offsets) Wall(i span.Instant) (LocalDate, int) {
	local := int64(i)
	for n, p := range o.periods {
		if i < p.during.End() || n == len(o.periods)-1 {
			local += p.offset
			break
		}
	}
	return unixDay + LocalDate(floorDiv(local, 86400)), int(floorMod(local, 86400) / 60)
}

// Run is a number of instants at equal steps, all on one date of some zone.
type Run struct {
	First span.Instant
	Count int
	Date  LocalDate
}

// EachRun calls yield for the instants inside the span at which the minute of
// the day is a multiple of step and the second is 0: in order, and one run for
// each date. An hour that occurs twice gives a run for each time.
func (o Offsets) EachRun(in span.Span, step span.Minutes, yield func(Run)) {
	stride := int64(step) * 60
	for _, p := range o.periods {
		part := in.Clip(p.during)
		if part.IsEmpty() {
			continue
		}
		from, until := int64(part.Start())+p.offset, int64(part.End())+p.offset
		for day := floorDiv(from, 86400) * 86400; day < until; day += 86400 {
			first := day
			if from > day {
				first = day + (from-day+stride-1)/stride*stride
			}
			if end := min(until, day+86400); first < end {
				yield(Run{span.Instant(first - p.offset), int((end-first-1)/stride) + 1, unixDay + LocalDate(day/86400)})
			}
		}
	}
}

// DateCursor tells the dates of instants that come in order, at the cost of two
// comparisons while the date stays the same.
type DateCursor struct {
	offsets Offsets
	date    LocalDate
	during  span.Span // in which the clocks show the date without a jump
}

// Dates returns a cursor.
func (o Offsets) Dates() DateCursor { return DateCursor{offsets: o} }

// Same reports whether the clocks show one date, without a jump, at both
// instants and between them.
func (c *DateCursor) Same(a, b span.Instant) bool {
	c.At(a)
	return c.during.Contains(a) && c.during.Contains(b)
}

// At returns the date at i.
func (c *DateCursor) At(i span.Instant) LocalDate {
	if c.during.Contains(i) {
		return c.date
	}
	for n, p := range c.offsets.periods {
		if i < p.during.End() || n == len(c.offsets.periods)-1 {
			c.date = unixDay + LocalDate(floorDiv(int64(i)+p.offset, 86400))
			c.during = span.For(instantOf(c.date, 0, p.offset), 24*60).Clip(p.during)
			break
		}
	}
	return c.date
}

// Reckoned returns the instant of a wall clock time as RFC 5545, section 3.3.5
// reads it, given in seconds since the beginning of the date: of a time that
// occurs twice the first, and a time that is skipped by the offset before the
// jump, so that 01:30 becomes 02:30.
func (o Offsets) Reckoned(d LocalDate, seconds int) span.Instant {
	before := o.periods[0].offset
	for i, p := range o.periods {
		at := instantOf(d, 0, p.offset) + span.Instant(seconds)
		if at < p.during.End() || i == len(o.periods)-1 {
			if at < p.during.Start() {
				return instantOf(d, 0, before) + span.Instant(seconds)
			}
			return at
		}
		before = p.offset
	}
	panic("hours: offsets without a period")
}
