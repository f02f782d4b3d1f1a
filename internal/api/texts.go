package api

import (
	"fmt"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

// texts writes times for people in a zone.
type texts struct {
	zone   hours.Zone
	twelve bool // a clock of 12 hours
}

func (x texts) local(i span.Instant) time.Time { return i.Time().In(x.zone.Location()) }

func (x texts) clock(i span.Instant) string {
	if x.twelve {
		return x.local(i).Format("3:04 pm")
	}
	return x.local(i).Format("15:04")
}

// moment writes a date and a time: Tue 24 Nov, 10:00.
func (x texts) moment(i span.Instant) string {
	return x.local(i).Format("Mon 2 Jan, ") + x.clock(i)
}

func (x texts) stretch(s span.Span) Stretch {
	return Stretch{s.Start().String(), s.End().String(), x.clock(s.Start()) + "–" + x.clock(s.End())}
}

// hour writes a full hour on the axis.
func (x texts) hour(i span.Instant) string {
	if x.twelve {
		return strings.ToLower(x.local(i).Format("3pm"))
	}
	return x.local(i).Format("15")
}

// city returns the place in a zone's name.
func city(z hours.Zone) string {
	name := z.String()
	return strings.ReplaceAll(name[strings.LastIndex(name, "/")+1:], "_", " ")
}

// shift writes how far a clock is ahead or behind, as −3 h 30.
func shift(seconds int) string {
	sign := "+"
	if seconds < 0 {
		sign, seconds = "−", -seconds
	}
	return sign + offer.Duration(span.Minutes(seconds/60))
}

// rangeWords says a range of dates: 23 November – 20 December.
func rangeWords(from, to hours.LocalDate) string {
	return from.Time().Format("2 January") + " – " + to.Time().Format("2 January")
}

// counted writes a number of things: one start, 22 starts.
func counted(n int, what string) string {
	if n == 1 {
		return "one " + what
	}
	return fmt.Sprintf("%d %ss", n, what)
}

// ago writes an age: 12 s, 5 min, 3 h.
func ago(seconds span.Instant) string {
	switch {
	case seconds < 90:
		return fmt.Sprintf("%d s", max(0, seconds))
	case seconds < 5400:
		return fmt.Sprintf("%d min", (seconds+30)/60)
	}
	return fmt.Sprintf("%d h", (seconds+1800)/3600)
}
