package offer

import (
	"cmp"
	"fmt"
	"slices"
	"time"

	"niche/core/hours"
	"niche/core/span"
)

// Code names a rule, and the reason when it refuses a start.
type Code string

// The codes of the rules.
const (
	CodePast     Code = "past"
	CodeNotice   Code = "notice"
	CodeWindow   Code = "window"
	CodeHours    Code = "outside-hours"
	CodeBusy     Code = "busy"
	CodeBooked   Code = "booked"
	CodePlaces   Code = "places"
	CodeCap      Code = "cap"
	CodeResource Code = "resource"
)

// Rule says what a rule is called, for whoever shows starts or refuses them.
type Rule struct {
	Code   Code
	Name   string // as a question to a start: Notice
	Column string // of the slot budget: what the starts were lost to
	Brief  string // what a refused start says of it, in a few words
	Told   string // what a client is told whose start it refuses, in a sentence
	// OnceMade says that it counts when a booking is made, and not for one that is there
	// when the rule changes.
	OnceMade bool
}

// rule is one rule whole: adding one means adding a value of this type to the
// table, and nothing else.
type rule struct {
	Rule
	// sweep adds the reason to the starts that the rule refuses. They are in
	// order, so a rule is one tight loop over all of them, or over few.
	sweep func(l *lane, starts []Start, reason Reasons)
	// says tells the values behind the verdict, for a person.
	says func(l *lane, m *moment, refused bool) string
}

// rules holds every rule in the order in which reasons are shown and charged.
var rules = [...]rule{past, notice, window, outsideHours, busy, booked, places, caps, resource}

// Codes returns the codes of all rules, in their order.
func Codes() []Code {
	codes := make([]Code, len(rules))
	for i, r := range rules {
		codes[i] = r.Code
	}
	return codes
}

// Rules returns what all rules are called, in their order.
func Rules() []Rule {
	list := make([]Rule, len(rules))
	for i, r := range rules {
		list[i] = r.Rule
	}
	return list
}

// RuleOf returns what a rule is called, by its code.
func RuleOf(code Code) Rule {
	for _, r := range rules {
		if r.Code == code {
			return r.Rule
		}
	}
	return Rule{Code: code}
}

var past = rule{
	Rule: Rule{Code: CodePast, Name: "Ahead", Column: "over already", Brief: "over already", Told: "It is too late to book this time.", OnceMade: true},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		for i := 0; i < len(starts) && starts[i].At < l.q.Now; i++ {
			starts[i].Refused |= reason
		}
	},
	says: func(l *lane, m *moment, refused bool) string {
		if refused {
			return "It is already " + l.clock(l.q.Now) + "."
		}
		return "It lies ahead: now is " + l.clock(l.q.Now) + "."
	},
}

var notice = rule{
	Rule: Rule{Code: CodeNotice, Name: "Notice", Column: "too soon", Brief: "too short notice", Told: "It is too late to book this time.", OnceMade: true},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		minutes, byMinutes := l.q.Service.Notice.Minutes()
		_, _, byDay := l.q.Service.Notice.Day()
		soonest := l.q.Now.Add(minutes)
		for i := range starts {
			if byMinutes && starts[i].At < soonest || byDay && starts[i].bizDay < l.bookable {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, refused bool) string {
		if days, by, ok := l.q.Service.Notice.Day(); ok {
			return fmt.Sprintf("To be booked by %s on %s; now is %s.", by, dayText(m.bizDay-hours.LocalDate(days)), l.clock(l.q.Now))
		}
		switch minutes, ok := l.q.Service.Notice.Minutes(); {
		case !ok || minutes == 0 && !refused:
			return "No notice is asked."
		case refused:
			return fmt.Sprintf("%s of notice is asked, and only %s is left.", Duration(minutes), left(l.q.Now, m.at))
		default:
			return fmt.Sprintf("%s of notice is asked, and %s is left.", Duration(minutes), left(l.q.Now, m.at))
		}
	},
}

func left(now, at span.Instant) string {
	return Duration(max(0, span.Between(now, at).Minutes()))
}

var window = rule{
	Rule: Rule{Code: CodeWindow, Name: "Booking window", Column: "beyond the window", Brief: "beyond the booking window", Told: "This time is not offered.", OnceMade: true},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		from, _ := l.q.Service.Window.Dates()
		last := l.last
		for i := range starts {
			if starts[i].bizDay < from || !last.IsZero() && starts[i].bizDay > last {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, _ bool) string {
		from, _ := l.q.Service.Window.Dates()
		text := "Any date can be booked"
		switch {
		case !from.IsZero() && !l.last.IsZero():
			text = "Bookable from " + dayText(from) + " to " + dayText(l.last)
		case !from.IsZero():
			text = "Bookable from " + dayText(from)
		case !l.last.IsZero():
			text = "Bookable until " + dayText(l.last)
		}
		return text + "."
	},
}

var outsideHours = rule{
	Rule: Rule{Code: CodeHours, Name: "Hours", Column: "past the hours", Brief: "does not fit into the hours", Told: "This time is not offered."},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		before, after := l.insideHours()
		sweepOutside(l.pieces, starts, seconds(before), seconds(after), reason)
	},
	says: func(l *lane, m *moment, refused bool) string {
		asked := l.withinHours(m)
		piece, ok := l.pieces.Around(m.at)
		switch {
		case !ok:
			return "There are no hours at this time."
		case refused:
			return fmt.Sprintf("%s is needed, and the hours are %s.", l.times(asked), l.times(piece))
		}
		return fmt.Sprintf("%s lies inside the hours %s.", l.times(asked), l.times(piece))
	},
}

// meetsAnother reports whether a visit at t would overlap one of the service's
// own that begins at another time. The own visits are in order of their starts,
// and none reaches further than widest.
func (l *lane) meetsAnother(t span.Instant) bool {
	occupied := l.q.Service.Occupied(t)
	n, _ := slices.BinarySearchFunc(l.own, occupied.Start()-l.widest, func(v visit, t span.Instant) int { return cmp.Compare(v.start, t) })
	for ; n < len(l.own) && l.own[n].start < occupied.End()+l.widest; n++ {
		if v := l.own[n]; v.start != t && v.occupied.Overlaps(occupied) {
			return true
		}
	}
	return false
}

// sweepOverlaps adds the reason to the starts of which what they occupy
// overlaps the set. Starts and set are gone through side by side.
func (l *lane) sweepOverlaps(set span.Set, starts []Start, reason Reasons) {
	rest := set.Spans()
	before, after := seconds(l.q.Service.BufferBefore), seconds(l.q.Service.Length+l.q.Service.BufferAfter)
	for i := range starts {
		from, to := starts[i].At-before, starts[i].At+after
		for len(rest) > 0 && rest[0].End() <= from {
			rest = rest[1:]
		}
		if len(rest) == 0 {
			return
		}
		if rest[0].Start() < to {
			starts[i].Refused |= reason
		}
	}
}

// sweepOutside adds the reason to the starts around which the stretch from
// before to after does not lie inside one span of the set.
func sweepOutside(set span.Set, starts []Start, before, after span.Instant, reason Reasons) {
	rest := set.Spans()
	for i := range starts {
		from, to := starts[i].At-before, starts[i].At+after
		for len(rest) > 0 && rest[0].End() <= from {
			rest = rest[1:]
		}
		if len(rest) == 0 || from < rest[0].Start() || to > rest[0].End() {
			starts[i].Refused |= reason
		}
	}
}

func seconds(m span.Minutes) span.Instant { return span.Instant(m) * 60 }

// insideHours is how far around its start a visit must lie inside one piece.
func (l *lane) insideHours() (before, after span.Minutes) {
	s := l.q.Service
	if s.BuffersInsideHours {
		return s.BufferBefore, s.Length + s.BufferAfter
	}
	return 0, s.Length
}

// withinHours is what must lie inside one piece of open time.
func (l *lane) withinHours(m *moment) span.Span {
	if l.q.Service.BuffersInsideHours {
		return m.occupied
	}
	return m.visit
}

var busy = rule{
	Rule: Rule{Code: CodeBusy, Name: "Personal time", Column: "personal", Brief: "a personal event is in the way", Told: "This time is no longer free."},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		l.sweepOverlaps(l.busy, starts, reason)
	},
	says: func(l *lane, m *moment, refused bool) string {
		if !refused {
			return fmt.Sprintf("No personal event takes any of %s.", l.times(m.occupied))
		}
		for _, c := range l.staff.Busy {
			event, blocks := c.Blocks(m.occupied)
			if !blocks {
				continue
			}
			if c.Unread {
				return fmt.Sprintf("“%s” has not been read for this time yet, so it is not known to be free.", c.Name)
			}
			text := l.times(event)
			if c.Name != "" {
				text += " in “" + c.Name + "”"
			}
			if c.PadBefore > 0 {
				text += fmt.Sprintf(", kept free %s before", Duration(c.PadBefore))
			}
			if c.PadAfter > 0 {
				text += fmt.Sprintf(", kept free %s after", Duration(c.PadAfter))
			}
			return fmt.Sprintf("Busy %s; %s is needed.", text, l.times(m.occupied))
		}
		return ""
	},
}

var booked = rule{
	Rule: Rule{Code: CodeBooked, Name: "Other bookings", Column: "booked", Brief: "a booking is in the way", Told: "This time has just been taken."},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		l.sweepOverlaps(l.foreign, starts, reason)
		if l.q.places() == 1 || len(l.own) == 0 {
			return
		}
		for i := range starts {
			if l.meetsAnother(starts[i].At) {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, refused bool) string {
		if !refused {
			return fmt.Sprintf("No booking takes any of %s.", l.times(m.occupied))
		}
		for _, b := range l.staff.Bookings {
			if b.occupied().Overlaps(m.occupied) && (!m.joins || b.Service != l.q.Service.ID || b.During != m.visit) {
				return fmt.Sprintf("A booking takes %s, buffers included; %s is needed.", l.times(b.occupied()), l.times(m.occupied))
			}
		}
		return ""
	},
}

var places = rule{
	Rule: Rule{Code: CodePlaces, Name: "Places", Column: "full", Brief: "no place left", Told: "There are not so many places left.", OnceMade: true},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		for i := range starts {
			if int(starts[i].Left) < l.q.asked() {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, _ bool) string {
		return fmt.Sprintf("%d of %d places taken, %d asked for.", m.taken, l.q.places(), l.q.asked())
	},
}

var caps = rule{
	Rule: Rule{Code: CodeCap, Name: "Cap", Column: "cap", Brief: "the cap for the day is reached", Told: "This time is no longer free."},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		own, all := l.q.Service.CapPerDay, l.staff.CapPerDay
		if !own.limited && !all.limited {
			return
		}
		var day date // whose verdict full is; the next starts are mostly on the same
		full := false
		for i := range starts {
			if s := &starts[i]; s.day != day {
				day = s.day
				full = own.reached(l.counted1[day-l.firstDay]) || all.reached(l.counted[day-l.firstDay])
			}
			if full && !starts[i].joins {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, _ bool) string {
		day := m.day - l.firstDay
		text := "There is no cap on visits a day."
		own, ownSet := l.q.Service.CapPerDay.Visits()
		all, allSet := l.staff.CapPerDay.Visits()
		switch {
		case ownSet && allSet:
			text = fmt.Sprintf("%d of at most %d visits of this service that day, %d of at most %d visits in all.", l.counted1[day], own, l.counted[day], all)
		case ownSet:
			text = fmt.Sprintf("%d of at most %d visits of this service that day.", l.counted1[day], own)
		case allSet:
			text = fmt.Sprintf("%d of at most %d visits in all that day.", l.counted[day], all)
		}
		if m.joins {
			text += " Joining a visit adds none."
		}
		return text
	},
}

func (c Cap) reached(count int) bool { return c.limited && count >= c.visits }

var resource = rule{
	Rule: Rule{Code: CodeResource, Name: "Rooms and equipment", Column: "no room or equipment", Brief: "no room or equipment is free", Told: "This time is no longer free."},
	sweep: func(l *lane, starts []Start, reason Reasons) {
		if len(l.kinds) == 0 {
			return
		}
		for i := range starts {
			if !starts[i].joins && l.missing(starts[i].At) >= 0 {
				starts[i].Refused |= reason
			}
		}
	},
	says: func(l *lane, m *moment, refused bool) string {
		switch {
		case len(l.q.Service.Needs) == 0:
			return "No room or equipment is needed."
		case m.joins:
			return "Joining a visit needs no further room or equipment."
		case refused:
			return fmt.Sprintf("No %s is free for all of %s.", l.q.Service.Needs[l.missing(m.at)], l.times(m.occupied))
		}
		return fmt.Sprintf("What is needed is free for all of %s.", l.times(m.occupied))
	},
}

// missing returns the index of the first kind of which no resource is free for
// a visit at t, or -1.
func (l *lane) missing(t span.Instant) int {
	occupied := l.q.Service.Occupied(t)
	for i, kind := range l.kinds {
		if !slices.ContainsFunc(kind, func(taken span.Set) bool { return !taken.Overlaps(occupied) }) {
			return i
		}
	}
	return -1
}

// clock returns an instant as a day and a time on the staff member's wall.
func (l *lane) clock(i span.Instant) string {
	return i.Time().In(l.staff.Schedule.Zone.Location()).Format("15:04 on Mon 2 Jan")
}

// times returns a span as times on the staff member's wall, with the days
// where it reaches over more than one.
func (l *lane) times(s span.Span) string {
	zone := l.staff.Schedule.Zone.Location()
	a, b := s.Start().Time().In(zone), s.End().Time().In(zone)
	if a.YearDay() == b.YearDay() || b.Sub(a) < 24*time.Hour {
		return a.Format("15:04") + "–" + b.Format("15:04")
	}
	return a.Format("Mon 2 Jan 15:04") + "–" + b.Format("Mon 2 Jan 15:04")
}

func dayText(d hours.LocalDate) string { return d.Time().Format("Mon 2 Jan 2006") }

// Duration returns a number of minutes as a person says it: 45 min, 4 h, 1 h 30,
// 2 days.
func Duration(m span.Minutes) string {
	switch {
	case m == 1440:
		return "1 day"
	case m > 0 && m%1440 == 0:
		return fmt.Sprintf("%d days", m/1440)
	case m < 60:
		return fmt.Sprintf("%d min", m)
	case m%60 == 0:
		return fmt.Sprintf("%d h", m/60)
	}
	return fmt.Sprintf("%d h %02d", m/60, m%60)
}
