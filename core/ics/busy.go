// Package ics reads the time taken by events out of iCalendar data (RFC 5545),
// and writes bookings as iCalendar.
//
// It keeps time only: of an event the UID, its spans and its flags, never a place, a note or
// a person, and a title only where that is asked for. Data is read as a stream, and one component
// that cannot be read spoils nothing but itself; it is reported with a reason.
// Work and memory are bounded whatever the input says. Fetching is left to
// others.
package ics

import (
	"bytes"
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
	Suffix string     // UIDs with this ending are told in Reading.Marked; none when empty
	Titles bool       // the owner has opened the calendar: titles of events are told that are not private
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
	Title     string // where titles are asked for, and the event is not private (CLASS)
}

// Skipped is a component that could not be read.
type Skipped struct {
	UID    string
	Date   hours.LocalDate // of its start, where that much could be read
	Reason string          // in plain words, without anything that the data says
}

// Reading is the busy time of some calendar data.
type Reading struct {
	Events      []Event
	Marked      []string  // UIDs with the ending that was asked for, whenever their events are
	Skipped     []Skipped // at most maxSkipped of them
	MoreSkipped int       // how many more there were
	Free        int       // events in the window that say themselves that they take no time
	Beyond      bool      // whether there is, or may be, time after the window
	Truncated   bool      // whether the data ended before the calendar did
	Name        string    // of the calendar, where it says one
	Refresh     span.Minutes
}

// maxSkipped is how many skipped components are told of one by one.
const maxSkipped = 10_000

// maxOccurrences bounds what is kept of all events together.
const maxOccurrences = 5_000_000

// scope is one reading.
type scope struct {
	window     span.Span
	owner, utc *zone
	mails      []string
	titles     bool
	zones      map[string]*zone     // by TZID, of the calendar that is being read
	defined    map[string]Component // its VTIMEZONEs
	spent      int                  // steps along rules
	out        []Occurrence
	items      []item // for one series at a time
}

func newScope(sc Scope) *scope {
	s := &scope{window: sc.Window, titles: sc.Titles, zones: map[string]*zone{}, defined: map[string]Component{}}
	s.owner, s.utc = s.newZone(sc.Zone), s.newZone(hours.Zone{})
	for _, m := range sc.Owner {
		s.mails = append(s.mails, mail(m))
	}
	return s
}

func mail(address string) string {
	return strings.TrimPrefix(strings.ToLower(strings.TrimSpace(address)), "mailto:")
}

// wants says which properties busy time is read from.
func (s *scope) wants(name, line []byte) bool {
	name = upper(name)
	switch string(name) {
	case "UID", "DTSTART", "DTEND", "DURATION", "RRULE", "EXRULE", "EXDATE", "RDATE", "RECURRENCE-ID", "STATUS", "TRANSP", "SEQUENCE",
		"FREEBUSY", "TZID", "TZOFFSETFROM", "TZOFFSETTO", "NAME", "X-WR-CALNAME", "REFRESH-INTERVAL", "X-PUBLISHED-TTL":
		return true
	case "ATTENDEE":
		lower := bytes.ToLower(line)
		return slices.ContainsFunc(s.mails, func(m string) bool { return bytes.Contains(lower, []byte(m)) })
	case "SUMMARY", "CLASS":
		return s.titles
	}
	return name[0] == 'X' && bytes.HasSuffix(name, []byte("-BUSYSTATUS"))
}

// ReadBusy reads iCalendar data to its end. It fails only when that is no
// iCalendar data, or when reading fails.
func ReadBusy(r io.Reader, sc Scope) (Reading, error) {
	s := newScope(sc)
	var out Reading
	skip := func(uid string, date hours.LocalDate, reason error) {
		if len(out.Skipped) == maxSkipped {
			out.MoreSkipped++
			return
		}
		out.Skipped = append(out.Skipped, Skipped{strings.ToValidUTF8(uid[:min(len(uid), 250)], "?"), date, reason.Error()})
	}
	var events []event
	var order []int32              // the first part of each UID, as an index from 1
	heads := map[string][2]int32{} // first and last part by UID
	dates := [2]hours.LocalDate{s.utc.DateAt(s.window.Start()), s.utc.DateAt(s.window.End())}
	in := newReader(r)
	in.wants = s.wants
	var ranges []int // of out.Events in s.out
	for {
		c, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return out, err
		}
		switch c.Name {
		case "VTIMEZONE":
			s.defined[strings.Trim(c.value("TZID"), `" `)] = c
		case "VCALENDAR":
			s.bindZones()
			out.head(c)
		case "VFREEBUSY":
			if err := s.freeBusy(c); err != nil {
				skip(c.value("UID"), 0, err)
			}
			if n := len(s.out); n > last(ranges) {
				out.Events, ranges = append(out.Events, Event{UID: c.value("UID")}), append(ranges, n)
			}
		case "VEVENT":
			e, err := s.parse(c)
			if sc.Suffix != "" && strings.HasSuffix(e.uid, sc.Suffix) && !slices.Contains(out.Marked, e.uid) {
				out.Marked = append(out.Marked, e.uid)
			}
			if err != nil {
				skip(e.uid, e.start.date, err)
				continue
			}
			if past, future := e.isOutside(dates); past || future {
				out.Beyond = out.Beyond || future && !e.allFree
				continue
			}
			if e.allFree && e.replacing() == nil {
				out.Free++
			}
			events = append(events, e)
			n := int32(len(events))
			if ends, known := heads[e.uid]; known && e.uid != "" {
				events[ends[1]-1].next = n
				heads[e.uid] = [2]int32{ends[0], n}
			} else {
				heads[e.uid] = [2]int32{n, n}
				order = append(order, n)
			}
		}
	}
	var parts []*event
	for _, n := range order {
		parts = parts[:0]
		for ; n > 0; n = events[n-1].next {
			e := &events[n-1]
			if err := e.check(); err != nil {
				if !e.allFree {
					skip(e.uid, e.start.date, err)
				}
				continue
			}
			parts = append(parts, e)
		}
		if len(parts) == 0 {
			continue
		}
		more := s.expand(parts, func(e *event, err error) { skip(e.uid, e.start.date, err) })
		out.Beyond = out.Beyond || more
		if n := len(s.out); n > last(ranges) {
			out.Events, ranges = append(out.Events, Event{UID: parts[0].uid}), append(ranges, n)
		}
	}
	from := 0
	for i, to := range ranges {
		list := s.out[from:to:to]
		slices.SortFunc(list, func(a, b Occurrence) int { return cmp.Compare(a.During.Start(), b.During.Start()) })
		out.Events[i].Occurrences, from = list, to
	}
	return out, nil
}

func last(list []int) int {
	if len(list) == 0 {
		return 0
	}
	return list[len(list)-1]
}

// head reads what a calendar says of itself: its name, and how often to look at
// it again (RFC 7986, section 5.7, and the older property that it follows).
func (r *Reading) head(c Component) {
	r.Truncated = r.Truncated || c.fault != ""
	for _, p := range c.Props {
		switch p.Name {
		case "NAME", "X-WR-CALNAME":
			if r.Name == "" {
				r.Name = strings.ToValidUTF8(strings.TrimSpace(p.Text()), "?")
			}
		case "REFRESH-INTERVAL", "X-PUBLISHED-TTL":
			d, err := parseDuration(p.Value)
			if m := span.Minutes(int64(d.days)*24*60 + d.seconds/60); err == nil && m > 0 && (r.Refresh == 0 || p.Name == "REFRESH-INTERVAL") {
				r.Refresh = m
			}
		}
	}
}

// freeBusy reads the periods of a VFREEBUSY (RFC 5545, sections 3.6.4 and
// 3.8.2.6). A type that is not known counts as busy (section 3.2.9).
func (s *scope) freeBusy(c Component) error {
	if c.fault != "" {
		return errors.New(c.fault)
	}
	for _, l := range c.lists {
		kind := strings.ToUpper(l.Param("FBTYPE"))
		if l.Name != "FREEBUSY" || kind == "FREE" {
			continue
		}
		for value := range strings.SplitSeq(string(l.values), ",") {
			first, second, _ := strings.Cut(value, "/")
			m, err := s.moment("", first)
			if err != nil {
				return err
			}
			end, lasts, length, err := s.periodEnd("", second)
			if err == nil {
				lasts, err = lengthOf(length, m, end, lasts)
			}
			if err != nil {
				return err
			}
			if err := s.keep(m.span(m.at(), lasts), false, kind == "BUSY-TENTATIVE", ""); err != nil {
				return err
			}
		}
	}
	return nil
}

// keep notes an occurrence that lies in the window.
func (s *scope) keep(d span.Span, allDay, tentative bool, title string) error {
	if !d.Overlaps(s.window) {
		return nil
	}
	if len(s.out) >= maxOccurrences {
		return errMany
	}
	s.out = append(s.out, Occurrence{d, allDay, tentative, title})
	return nil
}
