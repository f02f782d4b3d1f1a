package ics

import (
	"errors"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/span"
)

// moment is a DATE or DATE-TIME value with what gives it meaning. Its zone may be
// known only once the calendar has been read to its end, so instants are asked
// for later.
type moment struct {
	date     hours.LocalDate
	seconds  int32 // of the day; 0 for an all-day value
	allDay   bool
	floating bool  // it names no zone
	zone     *zone // of the wall clock; for floating and all-day values the owner's
}

var (
	errDate     = errors.New("one of its dates cannot be read")
	errTime     = errors.New("one of its times cannot be read")
	errDuration = errors.New("its duration cannot be read")
)

// at returns the instant.
func (m moment) at() span.Instant {
	o := m.zone.around(m.date)
	if m.allDay {
		return o.Starting(m.date, 0)
	}
	return o.Reckoned(m.date, int(m.seconds))
}

// wall returns the moment as seconds on its wall clock, to compare and to shift
// occurrences of one rule.
func (m moment) wall() int64 { return int64(m.date)*86400 + int64(m.seconds) }

// on returns the same moment at another time on the wall.
func (m moment) on(wall int64) moment {
	day := floorDiv(wall, 86400)
	m.date, m.seconds = hours.LocalDate(day), int32(wall-day*86400)
	return m
}

// in returns the moment as the clocks of z show it.
func (m moment) in(z *zone) moment {
	if m.zone == z || m.allDay {
		return m
	}
	t := m.at().Time().In(z.Location())
	y, month, d := t.Date()
	return moment{date: hours.DateOf(y, month, d), seconds: int32(t.Hour()*3600 + t.Minute()*60 + t.Second()), zone: z}
}

// meant gives a floating value the zone of the event's start: programs leave it
// out of exceptions and ends.
func (m moment) meant(start moment) moment {
	if m.floating && !m.allDay && !start.allDay {
		m.zone = start.zone
	}
	return m
}

func floorDiv(a, b int64) int64 {
	if a < 0 {
		return -((b - 1 - a) / b)
	}
	return a / b
}

// digits reads a number of n digits at the beginning of s.
func digits(s string, n int) (value int, ok bool) {
	if len(s) < n {
		return 0, false
	}
	for i := range n {
		c := s[i]
		if c < '0' || c > '9' {
			return 0, false
		}
		value = value*10 + int(c-'0')
	}
	return value, true
}

// moment reads a DATE or DATE-TIME (RFC 5545, sections 3.3.4 and 3.3.5). Seconds
// may be left out; a leap second counts as the one before it.
func (s *scope) moment(tzid, value string) (moment, error) {
	m := moment{zone: s.owner, floating: true}
	value = strings.TrimSpace(value)
	year, ok1 := digits(value, 4)
	month, ok2 := digits(value[min(4, len(value)):], 2)
	day, ok3 := digits(value[min(6, len(value)):], 2)
	if !ok1 || !ok2 || !ok3 || year < 1 || month < 1 || month > 12 || day < 1 || day > 31 {
		return m, errDate
	}
	m.date = hours.DateOf(year, time.Month(month), day)
	if day > 28 && day > daysIn(year, time.Month(month)) {
		return m, errDate
	}
	rest := value[8:]
	if rest == "" {
		m.allDay = true
		return m, nil
	}
	if rest[0] != 'T' {
		return m, errDate
	}
	rest = rest[1:]
	rest, utc := strings.CutSuffix(rest, "Z")
	hour, ok1 := digits(rest, 2)
	minute, ok2 := digits(rest[min(2, len(rest)):], 2)
	second, ok3 := 0, len(rest) == 4
	if len(rest) == 6 {
		second, ok3 = digits(rest[4:], 2)
	}
	if !ok1 || !ok2 || !ok3 || hour > 24 || minute > 59 || second > 60 || hour == 24 && minute+second > 0 {
		return m, errTime
	}
	m = m.on(m.wall() + int64(hour*3600+minute*60+min(second, 59)))
	switch {
	case utc:
		m.zone, m.floating = s.utc, false
	case tzid != "":
		m.zone, m.floating = s.zone(tzid), false
	}
	return m, nil
}

func daysIn(year int, month time.Month) int {
	return int(hours.DateOf(year, month+1, 1) - hours.DateOf(year, month, 1))
}

// duration is a DURATION: days count on the wall clock, the rest exactly.
type duration struct {
	days    int
	seconds int64
}

// parseDuration reads a DURATION (RFC 5545, section 3.3.6).
func parseDuration(value string) (d duration, err error) {
	rest := strings.TrimSpace(value)
	sign := 1
	if strings.HasPrefix(rest, "-") {
		sign = -1
	}
	rest = strings.TrimLeft(rest, "+-")
	if !strings.HasPrefix(rest, "P") || len(rest) < 3 {
		return d, errDuration
	}
	rest = rest[1:]
	timed := false
	for rest != "" {
		if rest[0] == 'T' {
			timed, rest = true, rest[1:]
			continue
		}
		n, used := 0, 0
		for used < len(rest) && rest[used] >= '0' && rest[used] <= '9' && used < 8 {
			n = n*10 + int(rest[used]-'0')
			used++
		}
		if used == 0 || used == len(rest) {
			return d, errDuration
		}
		switch unit := rest[used]; {
		case unit == 'W' && !timed:
			d.days += 7 * n * sign
		case unit == 'D' && !timed:
			d.days += n * sign
		case unit == 'H' && timed:
			d.seconds += int64(n) * 3600 * int64(sign)
		case unit == 'M' && timed:
			d.seconds += int64(n) * 60 * int64(sign)
		case unit == 'S' && timed:
			d.seconds += int64(n) * int64(sign)
		default:
			return d, errDuration
		}
		rest = rest[used+1:]
	}
	if d.days > maxDays || d.days < -maxDays || d.seconds > maxDays*86400 || d.seconds < -maxDays*86400 {
		return d, errDuration
	}
	return d, nil
}

// maxDays is the longest that an event may last: a hundred years.
const maxDays = 36525
