package hours

import (
	"fmt"
	"time"

	"niche/core/span"
)

// Zone is a time zone of the IANA database. The zero value is UTC.
type Zone struct {
	loc *time.Location
}

// LoadZone returns the zone of an IANA name such as Europe/Dublin. The names
// "" and "Local", which would mean a different zone on every machine, are
// refused.
func LoadZone(name string) (Zone, error) {
	if name == "" || name == "Local" {
		return Zone{}, fmt.Errorf("%q is not a time zone, as in Europe/Dublin", name)
	}
	loc, err := time.LoadLocation(name)
	if err != nil {
		return Zone{}, fmt.Errorf("%q is not a time zone that is known here, as in Europe/Dublin", name)
	}
	return Zone{loc}, nil
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
		t := at.Time().In(z.Location())
		_, offset := t.Zone()
		_, end := t.ZoneBounds()
		next := last
		if !end.IsZero() && span.At(end) < last {
			next = span.At(end)
		}
		o.periods = append(o.periods, period{span.Between(at, next), int64(offset)})
		if next >= last {
			return o
		}
		at = next
	}
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

// EachMark calls yield for every instant inside the span at which the minute of
// the day is a multiple of step and the second is 0, in order, with its date,
// until yield returns false. In an hour that occurs twice it is called for both.
func (o Offsets) EachMark(in span.Span, step span.Minutes, yield func(span.Instant, LocalDate) bool) {
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
			date := unixDay + LocalDate(day/86400)
			for local := first; local < min(until, day+86400); local += stride {
				if !yield(span.Instant(local-p.offset), date) {
					return
				}
			}
		}
	}
}

// DateCursor tells the dates of instants that never go back, at the cost of a
// comparison while the offset stays the same.
type DateCursor struct {
	rest []period
}

// Dates returns a cursor at the beginning.
func (o Offsets) Dates() DateCursor { return DateCursor{o.periods} }

// At returns the date at i.
func (c *DateCursor) At(i span.Instant) LocalDate {
	for len(c.rest) > 1 && i >= c.rest[0].during.End() {
		c.rest = c.rest[1:]
	}
	return unixDay + LocalDate(floorDiv(int64(i)+c.rest[0].offset, 86400))
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
