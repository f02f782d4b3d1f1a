package offer

import (
	"fmt"
	"time"

	"niche/core/hours"
	"niche/core/span"
)

// Code names a rule, and the reason when it refuses a start.
type Code string

// rule is one rule whole: adding one means adding a value of this type to the
// table, and nothing else.
type rule struct {
	code   Code
	column string // of the slot budget: what the starts were lost to
	// refuses reports whether the rule refuses the start.
	refuses func(*lane, *moment) bool
	// says tells the values behind the verdict, for a person.
	says func(l *lane, m *moment, refused bool) string
}

// rules holds every rule in the order in which reasons are shown and charged.
var rules = [...]rule{past, notice, window, outsideHours, busy, booked, places, caps, resource}

// Codes returns the codes of all rules, in their order.
func Codes() []Code {
	codes := make([]Code, len(rules))
	for i, r := range rules {
		codes[i] = r.code
	}
	return codes
}

// Columns returns what each rule is called in the slot budget, by its code.
func Columns() map[Code]string {
	names := make(map[Code]string, len(rules))
	for _, r := range rules {
		names[r.code] = r.column
	}
	return names
}

var past = rule{
	code: "past", column: "over already",
	refuses: func(l *lane, m *moment) bool { return m.at < l.q.Now },
	says: func(l *lane, m *moment, refused bool) string {
		if refused {
			return "It is already " + l.clock(l.q.Now) + "."
		}
		return "It lies ahead: now is " + l.clock(l.q.Now) + "."
	},
}

var notice = rule{
	code: "notice", column: "too soon",
	refuses: func(l *lane, m *moment) bool { return m.at < l.soonest || m.bizDay < l.bookable },
	says: func(l *lane, m *moment, refused bool) string {
		n := l.q.Service.Notice
		switch {
		case n.ByDay:
			deadline := m.bizDay - hours.LocalDate(n.DaysBefore)
			return fmt.Sprintf("To be booked by %s on %s; now is %s.", n.By, dayText(deadline), l.clock(l.q.Now))
		case n.Minutes == 0:
			return "No notice is asked."
		case refused:
			return fmt.Sprintf("%s of notice is asked, and only %s is left.", Duration(n.Minutes), left(l.q.Now, m.at))
		}
		return fmt.Sprintf("%s of notice is asked, and %s is left.", Duration(n.Minutes), left(l.q.Now, m.at))
	},
}

func left(now, at span.Instant) string {
	return Duration(max(0, span.Between(now, at).Minutes()))
}

var window = rule{
	code: "window", column: "beyond the window",
	refuses: func(l *lane, m *moment) bool {
		w := l.q.Service.Window
		return !l.last.IsZero() && m.bizDay > l.last || m.bizDay < w.From || !w.To.IsZero() && m.bizDay > w.To
	},
	says: func(l *lane, m *moment, _ bool) string {
		w := l.q.Service.Window
		text := "Any date can be booked"
		switch {
		case !l.last.IsZero():
			text = "Bookable until " + dayText(l.last)
		case !w.From.IsZero() && !w.To.IsZero():
			text = "Bookable from " + dayText(w.From) + " to " + dayText(w.To)
		case !w.From.IsZero():
			text = "Bookable from " + dayText(w.From)
		case !w.To.IsZero():
			text = "Bookable until " + dayText(w.To)
		}
		return text + "."
	},
}

var outsideHours = rule{
	code: "outside-hours", column: "past the hours",
	refuses: func(l *lane, m *moment) bool { return !l.open.Covers(l.withinHours(m)) },
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

// withinHours is what must lie inside one piece of open time.
func (l *lane) withinHours(m *moment) span.Span {
	if l.q.Service.BuffersInsideHours {
		return m.occupied
	}
	return m.visit
}

var busy = rule{
	code: "busy", column: "personal",
	refuses: func(l *lane, m *moment) bool { return l.busy.Overlaps(m.occupied) },
	says: func(l *lane, m *moment, refused bool) string {
		if !refused {
			return fmt.Sprintf("No personal event takes any of %s.", l.times(m.occupied))
		}
		for _, b := range l.staff.Busy {
			if !b.blocked().Overlaps(m.occupied) {
				continue
			}
			text := l.times(b.During)
			if b.Calendar != "" {
				text += " in “" + b.Calendar + "”"
			}
			if b.PadBefore > 0 {
				text += fmt.Sprintf(", kept free %s before", Duration(b.PadBefore))
			}
			if b.PadAfter > 0 {
				text += fmt.Sprintf(", kept free %s after", Duration(b.PadAfter))
			}
			return fmt.Sprintf("Busy %s; %s is needed.", text, l.times(m.occupied))
		}
		return ""
	},
}

var booked = rule{
	code: "booked", column: "booked",
	refuses: func(l *lane, m *moment) bool {
		if l.foreign.Overlaps(m.occupied) {
			return true
		}
		if l.q.places() == 1 {
			return false
		}
		for _, v := range l.shareable {
			if v.start != m.at && v.occupied.Overlaps(m.occupied) {
				return true
			}
		}
		return false
	},
	says: func(l *lane, m *moment, refused bool) string {
		if !refused {
			return fmt.Sprintf("No booking takes any of %s.", l.times(m.occupied))
		}
		for _, b := range l.staff.Bookings {
			if b.occupied().Overlaps(m.occupied) && (m.joins == nil || b.Service != l.q.Service.ID || b.During.Start() != m.at) {
				return fmt.Sprintf("A booking takes %s, buffers included; %s is needed.", l.times(b.occupied()), l.times(m.occupied))
			}
		}
		return ""
	},
}

var places = rule{
	code: "places", column: "full",
	refuses: func(l *lane, m *moment) bool { return l.q.places()-m.taken < l.q.asked() },
	says: func(l *lane, m *moment, _ bool) string {
		return fmt.Sprintf("%d of %d places taken, %d asked for.", m.taken, l.q.places(), l.q.asked())
	},
}

var caps = rule{
	code: "cap", column: "cap",
	refuses: func(l *lane, m *moment) bool {
		if m.joins != nil {
			return false
		}
		day := m.day - l.firstDay
		return reached(l.q.Service.CapPerDay, l.counted1[day]) || reached(l.staff.CapPerDay, l.counted[day])
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
		if m.joins != nil {
			text += " Joining a visit adds none."
		}
		return text
	},
}

func reached(c Cap, count int) bool {
	n, limited := c.Visits()
	return limited && count >= n
}

var resource = rule{
	code: "resource", column: "no room or equipment",
	refuses: func(l *lane, m *moment) bool { return l.missing(m) >= 0 },
	says: func(l *lane, m *moment, refused bool) string {
		switch {
		case len(l.q.Service.Needs) == 0:
			return "No room or equipment is needed."
		case m.joins != nil:
			return "Joining a visit needs no further room or equipment."
		case refused:
			return fmt.Sprintf("No %s is free for all of %s.", l.q.Service.Needs[l.missing(m)], l.times(m.occupied))
		}
		return fmt.Sprintf("What is needed is free for all of %s.", l.times(m.occupied))
	},
}

// missing returns the index of the first kind of which no resource is free.
func (l *lane) missing(m *moment) int {
	if m.joins != nil {
		return -1
	}
	for i, kind := range l.kinds {
		free := false
		for k := range kind {
			free = !kind[k].Overlaps(m.occupied) || free
		}
		if !free {
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
