// Package ics reads the time taken by events out of iCalendar data (RFC 5545),
// and writes bookings as iCalendar.
//
// It keeps time only: of an event the UID, its spans and its flags, never a
// title, a place, a note or a person. One component that cannot be read spoils
// nothing but itself; it is reported with a reason. Work and memory are bounded
// whatever the input says. Fetching is left to others.
package ics

import (
	"cmp"
	"errors"
	"io"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/span"
)

// Scope is what must be known besides the data to read busy time from it.
type Scope struct {
	Window span.Span  // only time inside it is returned
	Zone   hours.Zone // the owner's: of floating times and whole days
	Owner  []string   // the owner's mail addresses, to see what was declined
}

// Event is one event's time, all its occurrences in the window.
type Event struct {
	UID         string
	Occurrences []Occurrence
}

// Occurrence is a stretch of busy time.
type Occurrence struct {
	During    span.Span // not clipped to the window
	AllDay    bool
	Tentative bool
}

// Skipped is a component that could not be read.
type Skipped struct {
	UID    string
	Date   hours.LocalDate // of its start, where that much could be read
	Reason string          // in plain words, without anything private
}

// Reading is the busy time of some calendar data.
type Reading struct {
	Events  []Event
	Skipped []Skipped
}

// scope carries a reading's settings and the zones found so far.
type scope struct {
	window span.Span
	owner  hours.Zone
	mails  []string
	zones  map[string]hours.Zone
}

// ReadBusy reads iCalendar data to its end. It fails only when that is no
// iCalendar data, or when reading fails.
func ReadBusy(r io.Reader, sc Scope) (Reading, error) {
	s := scope{window: sc.Window, owner: sc.Zone, zones: map[string]hours.Zone{}}
	for _, m := range sc.Owner {
		s.mails = append(s.mails, mail(m))
	}
	var out Reading
	byUID := map[string][]parsed{}
	var order []string
	in := newReader(r)
	for {
		c, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return out, err
		}
		if c.Name != "VEVENT" {
			continue
		}
		e, err := s.parse(c)
		if err != nil {
			out.Skipped = append(out.Skipped, Skipped{c.value("UID"), e.start.date, err.Error()})
			continue
		}
		if _, known := byUID[e.uid]; !known {
			order = append(order, e.uid)
		}
		byUID[e.uid] = append(byUID[e.uid], e)
	}
	for _, uid := range order {
		occurrences, err := s.expand(byUID[uid])
		if err != nil {
			out.Skipped = append(out.Skipped, Skipped{uid, byUID[uid][0].start.date, err.Error()})
			continue
		}
		if len(occurrences) > 0 {
			out.Events = append(out.Events, Event{uid, occurrences})
		}
	}
	return out, nil
}

func mail(address string) string {
	return strings.TrimPrefix(strings.ToLower(strings.TrimSpace(address)), "mailto:")
}

// parsed is a VEVENT as far as time goes.
type parsed struct {
	uid       string
	start     moment
	lasts     duration
	free      bool // takes no time: transparent, cancelled, declined
	tentative bool
	rule      *rule
	except    []moment
	extra     []moment
	replaces  *moment // RECURRENCE-ID
	onwards   bool    // RANGE=THISANDFUTURE
}

func (s scope) parse(c Component) (parsed, error) {
	e := parsed{uid: c.value("UID")}
	if c.fault != "" {
		return e, errors.New(c.fault)
	}
	p, ok := c.Get("DTSTART")
	if !ok {
		return e, errors.New("it has no start")
	}
	var err error
	if e.start, err = s.moment(p, p.Value); err != nil {
		return e, err
	}
	if e.lasts, err = s.length(c, e.start); err != nil {
		return e, err
	}
	e.free, e.tentative = s.flags(c)
	if p, ok := c.Get("RECURRENCE-ID"); ok {
		m, err := s.moment(p, p.Value)
		if err != nil {
			return e, err
		}
		e.replaces, e.onwards = &m, strings.EqualFold(p.Params["RANGE"], "THISANDFUTURE")
	}
	for _, p := range c.Props {
		switch p.Name {
		case "RRULE":
			r, err := s.parseRule(p)
			if err != nil {
				return e, err
			}
			e.rule = &r
		case "EXDATE", "RDATE":
			for value := range strings.SplitSeq(p.Value, ",") {
				value, _, _ = strings.Cut(value, "/")
				m, err := s.moment(p, value)
				if err != nil {
					return e, err
				}
				if p.Name == "EXDATE" {
					e.except = append(e.except, m)
				} else {
					e.extra = append(e.extra, m)
				}
			}
		}
	}
	return e, nil
}

// length reads DTEND or DURATION. Without either, a date lasts its day and a
// date-time has no length (RFC 5545, section 3.6.1).
func (s scope) length(c Component, start moment) (duration, error) {
	if p, ok := c.Get("DTEND"); ok {
		end, err := s.moment(p, p.Value)
		if err != nil {
			return duration{}, err
		}
		if start.allDay && end.allDay {
			return duration{days: max(0, int(end.date-start.date))}, nil
		}
		return duration{seconds: max(0, int64(end.at()-start.at()))}, nil
	}
	if p, ok := c.Get("DURATION"); ok {
		d, err := parseDuration(p.Value)
		if d.days < 0 || d.seconds < 0 {
			d = duration{}
		}
		return d, err
	}
	if start.allDay {
		return duration{days: 1}, nil
	}
	return duration{}, nil
}

func (s scope) flags(c Component) (free, tentative bool) {
	status := strings.ToUpper(strings.TrimSpace(c.value("STATUS")))
	free = status == "CANCELLED" || strings.EqualFold(strings.TrimSpace(c.value("TRANSP")), "TRANSPARENT")
	tentative = status == "TENTATIVE"
	for _, p := range c.Props {
		if p.Name == "ATTENDEE" && slices.Contains(s.mails, mail(p.Value)) {
			switch strings.ToUpper(p.Params["PARTSTAT"]) {
			case "DECLINED":
				free = true
			case "TENTATIVE":
				tentative = true
			}
		}
	}
	return free, tentative
}

// span returns the time from m on that lasts d.
func (m moment) span(d duration) span.Span {
	start := m.at()
	end := m.plus(int64(d.days) * 86400)
	if m.allDay {
		return span.Between(start, m.zone.Over(end.date, end.date).Ending(end.date, 0)+span.Instant(d.seconds))
	}
	return span.Between(start, end.at()+span.Instant(d.seconds))
}

// expand returns what the components of one UID take inside the window.
func (s scope) expand(parts []parsed) ([]Occurrence, error) {
	var out []Occurrence
	keep := func(e parsed, m moment) {
		if d := m.span(e.lasts); !e.free && d.Overlaps(s.window) {
			out = append(out, Occurrence{d, m.allDay, e.tentative})
		}
	}
	replaced := map[span.Instant]bool{}
	var onwards []parsed
	for _, e := range parts {
		if e.replaces == nil {
			continue
		}
		replaced[e.replaces.at()] = true
		if e.onwards {
			onwards = append(onwards, e)
		}
		keep(e, e.start)
	}
	slices.SortFunc(onwards, func(a, b parsed) int { return cmp.Compare(a.replaces.at(), b.replaces.at()) })
	for _, e := range parts {
		if e.replaces != nil {
			continue
		}
		starts, err := s.starts(e)
		if err != nil {
			return nil, err
		}
		for _, m := range starts {
			at := m.at()
			if replaced[at] {
				continue
			}
			by := e
			for _, o := range onwards {
				if o.replaces.at() <= at {
					by = o
				}
			}
			if by.replaces != nil {
				m = m.plus(by.start.wall() - by.replaces.wall())
			}
			keep(by, m)
		}
	}
	slices.SortFunc(out, func(a, b Occurrence) int { return cmp.Compare(a.During.Start(), b.During.Start()) })
	return out, nil
}

// starts returns the starts of a recurrence set that can matter in the window,
// exceptions taken out, each once.
func (s scope) starts(e parsed) ([]moment, error) {
	set := []moment{e.start}
	if e.rule != nil {
		reach := hours.LocalDate(e.lasts.days) + hours.LocalDate(e.lasts.seconds/86400) + 3
		first := e.start.zone.DateAt(s.window.Start()) - reach
		last := e.start.zone.DateAt(s.window.End()) + 3
		over := false
		err := e.rule.dates(e.start.date, first, last, func(d hours.LocalDate) bool {
			m := e.start.on(d)
			if u := e.rule.until; u != nil && (u.allDay && d > u.date || !u.allDay && m.at() > u.at()) {
				return false
			}
			if d >= first && d > e.start.date {
				set = append(set, m)
			}
			over = len(set) > maxInstances
			return !over
		})
		if err != nil {
			return nil, err
		}
		if over {
			return nil, errors.New("its repetition cannot be followed: it has too many occurrences")
		}
	}
	set = append(set, e.extra...)
	seen := make(map[span.Instant]bool, len(set)+len(e.except))
	for _, m := range e.except {
		seen[m.at()] = true
	}
	out := set[:0]
	for _, m := range set {
		if at := m.at(); !seen[at] {
			seen[at] = true
			out = append(out, m)
		}
	}
	return out, nil
}
