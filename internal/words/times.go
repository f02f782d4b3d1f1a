package words

import (
	"fmt"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

// In writes times for people in a zone.
type In struct {
	Zone   hours.Zone
	Twelve bool // a clock of 12 hours
}

// Local returns an instant as the zone's clock shows it.
func (x In) Local(i span.Instant) time.Time { return i.Time().In(x.Zone.Location()) }

// Clock writes a time of day: 10:00, or 10:00 am.
func (x In) Clock(i span.Instant) string {
	if x.Twelve {
		return x.Local(i).Format("3:04 pm")
	}
	return x.Local(i).Format("15:04")
}

// Moment writes a date and a time: Tue 24 Nov, 10:00.
func (x In) Moment(i span.Instant) string {
	return x.Local(i).Format("Mon 2 Jan, ") + x.Clock(i)
}

// Stretch is a span of time, as it is sent.
type Stretch struct {
	Start span.Instant `json:"start" format:"date-time"`
	End   span.Instant `json:"end" format:"date-time"`
	Label string       `json:"label" doc:"Both times, as 09:00–10:30."`
}

// Span returns the stretch as a span of time.
func (s Stretch) Span() span.Span { return span.Between(s.Start, s.End) }

// Stretch writes a span of time.
func (x In) Stretch(s span.Span) Stretch {
	return Stretch{s.Start(), s.End(), x.Clock(s.Start()) + "–" + x.Clock(s.End())}
}

// Hour writes a full hour on the axis.
func (x In) Hour(i span.Instant) string {
	if x.Twelve {
		return strings.ToLower(x.Local(i).Format("3pm"))
	}
	return x.Local(i).Format("15")
}

// FirstName returns how a person is called in a few words.
func FirstName(name string) string {
	first, _, _ := strings.Cut(strings.TrimSpace(name), " ")
	return first
}

// City returns the place in a zone's name.
func City(z hours.Zone) string {
	name := z.String()
	return strings.ReplaceAll(name[strings.LastIndex(name, "/")+1:], "_", " ")
}

// Shift writes how far a clock is ahead or behind, as −3 h 30.
func Shift(seconds int) string {
	sign := "+"
	if seconds < 0 {
		sign, seconds = "−", -seconds
	}
	return sign + offer.Duration(span.Minutes(seconds/60))
}

// Range says a range of dates: 23 November – 20 December.
func Range(from, to hours.LocalDate) string {
	return from.Time().Format("2 January") + " – " + to.Time().Format("2 January")
}

// Counted writes a number of things: one start, 22 starts.
func Counted(n int, what string) string {
	if n == 1 {
		return "one " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// Ago writes an age: 12 s, 5 min, 3 h.
func Ago(seconds span.Instant) string {
	switch {
	case seconds < 90:
		return fmt.Sprintf("%d s", max(0, seconds))
	case seconds < 5400:
		return fmt.Sprintf("%d min", (seconds+30)/60)
	}
	return fmt.Sprintf("%d h", (seconds+1800)/3600)
}

// Length writes the length of a visit as a client reads it: in minutes up to two
// hours.
func Length(m span.Minutes) string {
	if m <= 120 {
		return fmt.Sprintf("%d minutes", m)
	}
	return offer.Duration(m)
}

// OfDay says what somebody's day holds: Two visits, the first at 09:30.
func OfDay(visits int, first string) string {
	first, _, _ = strings.Cut(first, "–")
	switch visits {
	case 0:
		return "No visits."
	case 1:
		return "One visit, at " + first + "."
	case 2, 3, 4, 5, 6:
		return []string{"Two", "Three", "Four", "Five", "Six"}[visits-2] + " visits, the first at " + first + "."
	}
	return fmt.Sprintf("%d visits, the first at %s.", visits, first)
}

// Count writes so many of something: 1 start, 12 starts.
func Count(n int, one string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprint(n, " ", one, "s")
}

// List joins names: Mara, Bryn and Ilse.
func List(names []string, last string) string {
	if n := len(names); n > 1 {
		return strings.Join(names[:n-1], ", ") + " " + last + " " + names[n-1]
	}
	return strings.Join(names, "")
}
