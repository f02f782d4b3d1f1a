package words

import (
	"fmt"
	"strings"

	"niche/core/hours"
	"niche/core/offer"
)

// OfNotice says until when something can be booked: until 18:00 the day before.
func OfNotice(n offer.Notice) string {
	if days, by, ok := n.Day(); ok {
		when := fmt.Sprintf("%d days before", days)
		switch days {
		case 0:
			when = "on the day"
		case 1:
			when = "the day before"
		}
		return fmt.Sprintf("until %s %s", by, when)
	}
	if minutes, _ := n.Minutes(); minutes > 0 {
		return "until " + offer.Duration(minutes) + " before it starts"
	}
	return "until it starts"
}

// OfWindow says how far ahead something can be booked: 60 days ahead.
func OfWindow(w offer.Window) string {
	if days, ok := w.Days(); ok {
		if days == 1 {
			return "1 day ahead"
		}
		return fmt.Sprintf("%d days ahead", days)
	}
	from, to := w.Dates()
	var ends []string
	for _, end := range []struct {
		word string
		date hours.LocalDate
	}{{"from", from}, {"to", to}} {
		if !end.date.IsZero() {
			ends = append(ends, end.word+" "+end.date.Time().Format("2 January 2006"))
		}
	}
	if len(ends) == 0 {
		return "up to a year ahead"
	}
	return strings.Join(ends, " ")
}
