package ics

import (
	"fmt"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/span"
)

// moment is a DATE or DATE-TIME value with what gives it meaning.
type moment struct {
	date    hours.LocalDate
	seconds int // of the day; not used for an all-day value
	allDay  bool
	zone    hours.Zone // the zone of the wall clock; for floating and all-day values the owner's
}

// at returns the instant.
func (m moment) at() span.Instant {
	o := m.zone.Over(m.date, m.date)
	if m.allDay {
		return o.Starting(m.date, 0)
	}
	return o.Reckoned(m.date, m.seconds)
}

// wall returns the moment as seconds on its wall clock, to compare and to shift
// occurrences of one rule.
func (m moment) wall() int64 { return int64(m.date)*86400 + int64(m.seconds) }

// on returns the same time of day on another date.
func (m moment) on(d hours.LocalDate) moment {
	m.date = d
	return m
}

// plus returns the moment some wall clock seconds later.
func (m moment) plus(seconds int64) moment {
	w := m.wall() + seconds
	day := w / 86400
	m.date, m.seconds = hours.LocalDate(day), int(w-day*86400)
	return m
}

// moment reads a DATE or DATE-TIME (RFC 5545, sections 3.3.4 and 3.3.5).
func (s scope) moment(p Property, value string) (moment, error) {
	m := moment{zone: s.owner}
	value = strings.TrimSpace(value)
	day, clock, timed := strings.Cut(value, "T")
	t, err := time.Parse("20060102", day)
	if err != nil || t.Year() < 1900 || t.Year() > 2200 {
		return m, fmt.Errorf("%s is not a date that can be read", p.Name)
	}
	m.date = hours.DateOf(t.Date())
	if !timed {
		m.allDay = true
		return m, nil
	}
	utc := strings.HasSuffix(clock, "Z")
	c, err := time.Parse("150405", strings.TrimSuffix(clock, "Z"))
	if err != nil && strings.HasSuffix(strings.TrimSuffix(clock, "Z"), "60") {
		c, err = time.Parse("1504", clock[:4]) // a leap second counts as the minute's beginning
	}
	if err != nil {
		return m, fmt.Errorf("%s is not a time that can be read", p.Name)
	}
	m.seconds = c.Hour()*3600 + c.Minute()*60 + c.Second()
	if utc {
		m.zone = hours.Zone{}
	} else if id := p.Params["TZID"]; id != "" {
		if m.zone, err = s.zone(id); err != nil {
			return m, err
		}
	}
	return m, nil
}

// zone finds the zone of a TZID. Some programs put a path before the IANA name.
func (s scope) zone(id string) (hours.Zone, error) {
	name := strings.Trim(id, `"/ `)
	if z, ok := s.zones[name]; ok {
		return z, nil
	}
	for rest := name; rest != ""; {
		if z, err := hours.LoadZone(rest); err == nil {
			s.zones[name] = z
			return z, nil
		}
		_, after, found := strings.Cut(rest, "/")
		if !found {
			break
		}
		rest = after
	}
	return hours.Zone{}, fmt.Errorf("its time zone %q is not known", name)
}

// duration is a DURATION: days count on the wall clock, the rest exactly.
type duration struct {
	days    int
	seconds int64
}

// parseDuration reads a DURATION (RFC 5545, section 3.3.6).
func parseDuration(value string) (d duration, err error) {
	bad := fmt.Errorf("%q is not a duration", value)
	sign := 1
	rest := strings.TrimSpace(value)
	if strings.HasPrefix(rest, "-") {
		sign = -1
	}
	rest = strings.TrimLeft(rest, "+-")
	if !strings.HasPrefix(rest, "P") || len(rest) < 3 {
		return d, bad
	}
	rest = rest[1:]
	timed := false
	for rest != "" {
		if rest[0] == 'T' {
			timed, rest = true, rest[1:]
			continue
		}
		n, digits := 0, 0
		for digits < len(rest) && rest[digits] >= '0' && rest[digits] <= '9' && digits < 8 {
			n = n*10 + int(rest[digits]-'0')
			digits++
		}
		if digits == 0 || digits == len(rest) {
			return d, bad
		}
		switch unit := rest[digits]; {
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
			return d, bad
		}
		rest = rest[digits+1:]
	}
	return d, nil
}
