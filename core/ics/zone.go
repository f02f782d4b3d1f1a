package ics

//go:generate go run ./desktopzones /usr/share/unicode/cldr/common/supplemental/windowsZones.xml desktopnames.go

import (
	"errors"
	"strings"

	"niche/core/hours"
	"niche/core/span"
)

// zone is what a TZID of one calendar stands for. It is made when it is first
// mentioned, and bound when the calendar has been read to its end, because its
// VTIMEZONE may follow the events that name it.
type zone struct {
	hours.Zone
	unknown bool
	window  span.Span
	near    hours.Offsets // around the window
	first   hours.LocalDate
	last    hours.LocalDate
}

func (s *scope) newZone(z hours.Zone) *zone {
	out := &zone{window: s.window}
	out.bind(z)
	return out
}

// bind gives the zone its clocks.
func (z *zone) bind(clocks hours.Zone) {
	const slack = 40 // days: most occurrences that matter lie inside
	z.Zone = clocks
	z.first, z.last = clocks.DateAt(z.window.Start())-slack, clocks.DateAt(z.window.End())+slack
	z.near = clocks.Over(z.first, z.last)
}

// around returns the zone's offsets around a date.
func (z *zone) around(d hours.LocalDate) hours.Offsets {
	if z.first <= d && d <= z.last {
		return z.near
	}
	return z.Over(d, d)
}

// zone returns the zone of a TZID in the calendar that is being read.
func (s *scope) zone(id string) *zone {
	id = strings.Trim(id, `" `)
	z, ok := s.zones[id]
	if !ok {
		z = &zone{unknown: true, window: s.window}
		s.zones[id] = z
	}
	return z
}

// bindZones binds the zones of the calendar that has come to its end: by its own
// VTIMEZONE, whose rules count and not its name (RFC 5545, section 3.8.3.1); else
// by the name, of the IANA database or as desktop mail systems write it.
func (s *scope) bindZones() {
	for id, z := range s.zones {
		if c, ok := s.defined[id]; ok {
			if clocks, err := s.define(c); err == nil {
				z.bind(clocks)
				z.unknown = false
				continue
			}
		}
		if clocks, ok := zoneByName(id); ok {
			z.bind(clocks)
			z.unknown = false
		}
	}
	clear(s.zones)
	clear(s.defined)
}

// zoneByName finds a zone by name. Some programs put a path before the name of
// the IANA database.
func zoneByName(name string) (hours.Zone, bool) {
	if iana, ok := desktopZones[name]; ok {
		name = iana
	}
	for rest := strings.Trim(name, "/"); rest != "" && len(rest) < 200; {
		if z, err := hours.LoadZone(rest); err == nil {
			return z, true
		}
		_, after, found := strings.Cut(rest, "/")
		if !found {
			break
		}
		rest = after
	}
	return hours.Zone{}, false
}

// Bounds on what a VTIMEZONE may say. Its rules are followed from some decades
// before the window to a little after it.
const (
	maxOnsets  = 4_000
	zonePast   = 30 * 366
	zoneFuture = 400
)

var errZone = errors.New("its time zone is defined by rules that cannot be read")

// define makes a zone of a VTIMEZONE (RFC 5545, section 3.6.5).
func (s *scope) define(c Component) (hours.Zone, error) {
	if c.fault != "" {
		return hours.Zone{}, errors.New(c.fault)
	}
	var changes []hours.Change
	before, earliest := 0, span.Instant(0)
	from, until := (hours.Zone{}).DateAt(s.window.Start())-zonePast, (hours.Zone{}).DateAt(s.window.End())+zoneFuture
	utc := &scope{owner: s.utc, utc: s.utc}
	for _, part := range c.Children {
		if part.Name != "STANDARD" && part.Name != "DAYLIGHT" {
			continue
		}
		p, _ := part.Get("DTSTART")
		start, err := utc.moment("", p.Value)
		if err != nil || start.allDay || part.fault != "" {
			return hours.Zone{}, errZone
		}
		offsetFrom, ok1 := offset(part.value("TZOFFSETFROM"))
		offsetTo, ok2 := offset(part.value("TZOFFSETTO"))
		if !ok1 || !ok2 {
			return hours.Zone{}, errZone
		}
		add := func(wall moment) bool {
			at := wall.at() - span.Instant(offsetFrom)
			if len(changes) == 0 || at < earliest {
				before, earliest = offsetFrom, at
			}
			changes = append(changes, hours.Change{At: at, Offset: offsetTo})
			return len(changes) < maxOnsets
		}
		add(start)
		for _, p := range part.Props {
			if p.Name != "RRULE" {
				continue
			}
			r, err := utc.parseRule(p)
			if err != nil || r.unit() < 86400 {
				return hours.Zone{}, errZone
			}
			spent := 0
			_, err = r.each(start, max(start.date, from), until, &spent, func(wall int64) bool {
				m := start.on(wall)
				// An UNTIL is an instant, while onsets are given on the clock before them.
				if u := r.until; u != nil && (u.allDay && m.date > u.date || !u.allDay && !u.floating && m.at()-span.Instant(offsetFrom) > u.at() ||
					!u.allDay && u.floating && wall > u.wall()) {
					return false
				}
				return add(m)
			})
			if err != nil {
				return hours.Zone{}, errZone
			}
		}
		for _, l := range part.lists {
			for value := range strings.SplitSeq(string(l.values), ",") {
				m, err := utc.moment("", value)
				if l.Name != "RDATE" || err != nil || m.allDay || !add(m) {
					return hours.Zone{}, errZone
				}
			}
		}
	}
	if len(changes) == 0 || len(changes) >= maxOnsets {
		return hours.Zone{}, errZone
	}
	return hours.DefineZone("", before, changes)
}

// offset reads a UTC-OFFSET in seconds (RFC 5545, section 3.3.14).
func offset(text string) (seconds int, ok bool) {
	if len(text) != 5 && len(text) != 7 || text[0] != '+' && text[0] != '-' {
		return 0, false
	}
	h, ok1 := digits(text[1:], 2)
	m, ok2 := digits(text[3:], 2)
	n, ok3 := 0, true
	if len(text) == 7 {
		n, ok3 = digits(text[5:], 2)
	}
	seconds = h*3600 + m*60 + n
	if text[0] == '-' {
		seconds = -seconds
	}
	return seconds, ok1 && ok2 && ok3 && h < 24 && m < 60 && n < 60
}
