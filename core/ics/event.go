package ics

import (
	"errors"
	"slices"
	"strconv"
	"strings"

	"niche/core/hours"
	"niche/core/span"
)

// event is a VEVENT as far as time goes.
type event struct {
	uid       string
	start     moment
	end       moment // where it has one
	lasts     duration
	length    lengthKind
	allFree   bool // takes no time: transparent, cancelled, declined
	tentative bool
	title     string // where it is asked for, and the event is not private
	sequence  int
	series    *series // of an event that repeats or replaces
	next      int32   // the next part with the same UID, as an index from 1
}

// lengthKind says where the length of an event stands.
type lengthKind int8

const (
	noLength lengthKind = iota
	byEnd
	byDuration
)

// series is what an event has that repeats, or is part of one that does.
type series struct {
	rules    []rule
	except   []moment
	extra    []extra
	replaces *moment // RECURRENCE-ID
	onwards  bool    // RANGE=THISANDFUTURE
}

// extra is an RDATE, with a length of its own where it is a period.
type extra struct {
	start, end moment
	lasts      duration
	length     lengthKind
}

func (e *event) repeats() *series {
	if e.series == nil {
		e.series = &series{}
	}
	return e.series
}

// replacing returns the RECURRENCE-ID, or nil.
func (e *event) replacing() *moment {
	if e.series == nil {
		return nil
	}
	return e.series.replaces
}

var (
	errNoStart  = errors.New("it has no start")
	errBackward = errors.New("its end lies before its start")
	errNoZone   = errors.New("its time zone is not known")
)

// parse reads a VEVENT. Instants cannot be asked for yet: its zones are bound
// when the calendar ends.
func (s *scope) parse(c Component) (e event, err error) {
	e.uid = c.value("UID")
	if c.fault != "" {
		return e, errors.New(c.fault)
	}
	p, ok := c.Get("DTSTART")
	if !ok {
		return e, errNoStart
	}
	if e.start, err = s.moment(p.Param("TZID"), p.Value); err != nil {
		return e, err
	}
	for _, p := range c.Props {
		switch p.Name {
		case "DTEND":
			e.length = byEnd
			e.end, err = s.moment(p.Param("TZID"), p.Value)
		case "DURATION":
			if e.length == noLength {
				e.length = byDuration
				e.lasts, err = parseDuration(p.Value)
			}
		case "SEQUENCE":
			e.sequence, _ = strconv.Atoi(strings.TrimSpace(p.Value))
		case "RECURRENCE-ID":
			var m moment
			m, err = s.moment(p.Param("TZID"), p.Value)
			e.repeats().replaces, e.series.onwards = &m, strings.EqualFold(p.Param("RANGE"), "THISANDFUTURE")
		case "RRULE", "EXRULE":
			var r rule
			r, err = s.parseRule(p)
			e.repeats().rules = append(e.series.rules, r)
		}
		if err != nil {
			return e, err
		}
	}
	for _, l := range c.lists {
		if err := s.parseDates(&e, l); err != nil {
			return e, err
		}
	}
	s.flags(&e, c)
	return e, nil
}

// parseDates reads EXDATE and RDATE (RFC 5545, sections 3.8.5.1 and 3.8.5.2).
func (s *scope) parseDates(e *event, l list) error {
	if l.Name != "EXDATE" && l.Name != "RDATE" {
		return nil
	}
	tzid := l.Param("TZID")
	all := e.repeats()
	for value := range strings.SplitSeq(string(l.values), ",") {
		if strings.TrimSpace(value) == "" {
			continue
		}
		first, second, period := strings.Cut(value, "/")
		m, err := s.moment(tzid, first)
		if err != nil {
			return err
		}
		if l.Name == "EXDATE" {
			all.except = append(all.except, m)
			continue
		}
		x := extra{start: m}
		if period {
			x.end, x.lasts, x.length, err = s.periodEnd(tzid, second)
		}
		if err != nil {
			return err
		}
		all.extra = append(all.extra, x)
	}
	return nil
}

// periodEnd reads the second half of a PERIOD (RFC 5545, section 3.3.9).
func (s *scope) periodEnd(tzid, text string) (end moment, lasts duration, kind lengthKind, err error) {
	if text = strings.TrimSpace(text); strings.HasPrefix(text, "P") {
		lasts, err = parseDuration(text)
		return end, lasts, byDuration, err
	}
	end, err = s.moment(tzid, text)
	return end, lasts, byEnd, err
}

// flags reads what an event says of whether it takes time: TRANSP, STATUS, the
// owner's PARTSTAT, and the busy status that desktop mail systems add under
// names of their own.
func (s *scope) flags(e *event, c Component) {
	if s.titles {
		switch strings.ToUpper(strings.TrimSpace(c.value("CLASS"))) {
		case "", "PUBLIC":
			p, _ := c.Get("SUMMARY")
			e.title = plain(p.Text())
		}
	}
	for _, p := range c.Props {
		value := strings.ToUpper(strings.TrimSpace(p.Value))
		switch {
		case p.Name == "STATUS", strings.HasSuffix(p.Name, "-BUSYSTATUS"):
			e.allFree = e.allFree || value == "CANCELLED" || value == "FREE"
			e.tentative = e.tentative || value == "TENTATIVE"
		case p.Name == "TRANSP":
			e.allFree = e.allFree || value == "TRANSPARENT"
		case p.Name == "ATTENDEE" && s.isOwner(p):
			switch strings.ToUpper(p.Param("PARTSTAT")) {
			case "DECLINED":
				e.allFree = true
			case "TENTATIVE":
				e.tentative = true
			}
		}
	}
}

func (s *scope) isOwner(p Property) bool {
	return slices.Contains(s.mails, mail(p.Value)) || slices.Contains(s.mails, mail(p.Param("EMAIL")))
}

// isOutside reports whether an event can be let go of at once, because it lies
// far from the window and is no part of a series. Most events of a long history
// are such.
func (e *event) isOutside(window [2]hours.LocalDate) (past, future bool) {
	if e.series != nil || e.sequence != 0 {
		return false, false
	}
	const slack = 3 // days: zones differ by one, and lengths are rounded
	last := e.start.date + hours.LocalDate(e.lasts.days) + hours.LocalDate(e.lasts.seconds/86400)
	if e.length == byEnd {
		last = max(last, e.end.date)
	}
	return last < window[0]-slack, e.start.date > window[1]+slack
}

// check reports what keeps the event from being placed in time, now that zones
// are bound.
func (e *event) check() error {
	unknown := e.start.zone.unknown || e.length == byEnd && e.end.zone.unknown
	if s := e.series; s != nil {
		unknown = unknown || s.replaces != nil && s.replaces.zone.unknown
		for _, m := range s.except {
			unknown = unknown || m.zone.unknown
		}
		for _, x := range s.extra {
			unknown = unknown || x.start.zone.unknown || x.length == byEnd && x.end.zone.unknown
		}
	}
	if unknown {
		return errNoZone
	}
	return nil
}

// lengthOf returns how long something lasts. Without an end or a duration, a date
// lasts its day and a date-time has no length (RFC 5545, section 3.6.1). An end
// on the same date as a date stands for that day: programs mean it so.
func lengthOf(kind lengthKind, start, end moment, lasts duration) (duration, error) {
	switch {
	case kind == byDuration:
	case kind == noLength && start.allDay:
		return duration{days: 1}, nil
	case kind == noLength:
		return duration{}, nil
	case start.allDay && end.allDay:
		lasts = duration{days: int(end.date - start.date)}
		if lasts.days == 0 {
			lasts.days = 1
		}
	default:
		// An exact length, which holds for all occurrences (RFC 5545, section 3.8.5.3).
		lasts = duration{seconds: int64(end.meant(start).at() - start.at())}
	}
	if lasts.days < 0 || lasts.seconds < 0 {
		return lasts, errBackward
	}
	if lasts.days > maxDays || lasts.seconds > maxDays*86400 {
		return lasts, errDuration
	}
	return lasts, nil
}

// span returns the time from m on, whose instant is at, that lasts d.
func (m moment) span(at span.Instant, d duration) span.Span {
	if d.days == 0 {
		return span.Between(at, at+span.Instant(d.seconds))
	}
	end := m.on(m.wall() + int64(d.days)*86400)
	if m.allDay {
		return span.Between(at, m.zone.around(end.date).Ending(end.date, 0)+span.Instant(d.seconds))
	}
	return span.Between(at, end.at()+span.Instant(d.seconds))
}
