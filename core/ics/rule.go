package ics

import (
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"niche/core/hours"
)

// Bounds on the work for one rule. A rule that would pass them is refused, and
// its event reported as not readable: it is never taken for free time.
const (
	maxPeriods   = 200_000 // examined days, weeks, months or years
	maxInstances = 20_000  // kept
)

// rule is an RRULE (RFC 5545, section 3.3.10) that repeats by days or longer.
type rule struct {
	freq       string
	interval   int
	count      int
	until      *moment
	weekStart  time.Weekday
	byMonth    []int
	byMonthDay []int
	byYearDay  []int
	byDay      []ordinalDay
	bySetPos   []int
}

// ordinalDay is a BYDAY value: the n-th such day of the month or year, counted
// from the end when negative, or every one when n is 0.
type ordinalDay struct {
	n   int
	day time.Weekday
}

var dayNames = map[string]time.Weekday{"SU": 0, "MO": 1, "TU": 2, "WE": 3, "TH": 4, "FR": 5, "SA": 6}

// parseRule reads a rule. What it cannot follow is an error.
func (s scope) parseRule(p Property) (rule, error) {
	r := rule{interval: 1, weekStart: time.Monday}
	for part := range strings.SplitSeq(strings.ToUpper(strings.TrimSpace(p.Value)), ";") {
		if part == "" {
			continue
		}
		name, value, _ := strings.Cut(part, "=")
		var err error
		switch name {
		case "FREQ":
			r.freq = value
		case "INTERVAL":
			r.interval, err = number(value, 1, 10_000)
		case "COUNT":
			r.count, err = number(value, 1, 1_000_000)
		case "UNTIL":
			var m moment
			m, err = s.moment(Property{Name: "UNTIL"}, value)
			r.until = &m
		case "WKST":
			day, ok := dayNames[value]
			if !ok {
				err = fmt.Errorf("%q is not a day", value)
			}
			r.weekStart = day
		case "BYMONTH":
			r.byMonth, err = numbers(value, 1, 12)
		case "BYMONTHDAY":
			r.byMonthDay, err = numbers(value, -31, 31)
		case "BYYEARDAY":
			r.byYearDay, err = numbers(value, -366, 366)
		case "BYSETPOS":
			r.bySetPos, err = numbers(value, -366, 366)
		case "BYDAY":
			r.byDay, err = ordinalDays(value)
		default:
			err = fmt.Errorf("%s is not understood", name)
		}
		if err != nil {
			return r, fmt.Errorf("its repetition cannot be followed: %w", err)
		}
	}
	if !slices.Contains([]string{"DAILY", "WEEKLY", "MONTHLY", "YEARLY"}, r.freq) {
		return r, fmt.Errorf("its repetition cannot be followed: it repeats %q", strings.ToLower(r.freq))
	}
	return r, nil
}

func number(text string, low, high int) (int, error) {
	n, err := strconv.Atoi(strings.TrimPrefix(text, "+"))
	if err != nil || n < low || n > high || n == 0 {
		return 0, fmt.Errorf("%q is not a number that fits", text)
	}
	return n, nil
}

func numbers(text string, low, high int) (list []int, err error) {
	for part := range strings.SplitSeq(text, ",") {
		n, err := number(part, low, high)
		if err != nil {
			return nil, err
		}
		list = append(list, n)
	}
	return list, nil
}

func ordinalDays(text string) (list []ordinalDay, err error) {
	for part := range strings.SplitSeq(text, ",") {
		if len(part) < 2 {
			return nil, fmt.Errorf("%q is not a day", part)
		}
		day, ok := dayNames[part[len(part)-2:]]
		o := ordinalDay{day: day}
		if ordinal := part[:len(part)-2]; ok && ordinal != "" {
			o.n, err = number(ordinal, -53, 53)
		}
		if err != nil || !ok {
			return nil, fmt.Errorf("%q is not a day", part)
		}
		list = append(list, o)
	}
	return list, nil
}

// dates calls yield for every date of the rule from start on, in order, until
// yield returns false or the date passes last. Where the rule has no COUNT, it
// goes to the period of first by whole intervals instead of walking there.
func (r rule) dates(start, first, last hours.LocalDate, yield func(hours.LocalDate) bool) error {
	skip := 0
	if r.count == 0 && first > start {
		skip = max(0, r.periodsBetween(start, first)/r.interval-1)
	}
	counted := 0
	var buf []hours.LocalDate
	for k := skip; k < skip+maxPeriods; k++ {
		from, to := r.period(start, k*r.interval)
		if from > last {
			return nil
		}
		buf = r.inPeriod(buf[:0], start, from, to)
		for _, d := range buf {
			if d < start {
				continue
			}
			if counted++; r.count > 0 && counted > r.count || d > last {
				return nil
			}
			if !yield(d) {
				return nil
			}
		}
	}
	return fmt.Errorf("its repetition cannot be followed: it would run for ever")
}

// periodsBetween returns how many days, weeks, months or years lie between.
func (r rule) periodsBetween(a, b hours.LocalDate) int {
	ya, ma, _ := a.Time().Date()
	yb, mb, _ := b.Time().Date()
	switch r.freq {
	case "DAILY":
		return int(b - a)
	case "WEEKLY":
		return int(b-a) / 7
	case "MONTHLY":
		return (yb-ya)*12 + int(mb-ma)
	}
	return yb - ya
}

// period returns the first date and the date after the last of the n-th period
// after the one that holds start.
func (r rule) period(start hours.LocalDate, n int) (from, to hours.LocalDate) {
	y, m, _ := start.Time().Date()
	switch r.freq {
	case "DAILY":
		return start + hours.LocalDate(n), start + hours.LocalDate(n) + 1
	case "WEEKLY":
		back := (int(start.Weekday()) - int(r.weekStart) + 7) % 7
		from = start - hours.LocalDate(back) + hours.LocalDate(7*n)
		return from, from + 7
	case "MONTHLY":
		return hours.DateOf(y, m+time.Month(n), 1), hours.DateOf(y, m+time.Month(n)+1, 1)
	}
	return hours.DateOf(y+n, 1, 1), hours.DateOf(y+n+1, 1, 1)
}

// inPeriod appends the rule's dates of one period, in order (the table in RFC
// 5545, section 3.3.10).
func (r rule) inPeriod(out []hours.LocalDate, start, from, to hours.LocalDate) []hours.LocalDate {
	_, startMonth, startDay := start.Time().Date()
	for d := from; d < to; d++ {
		y, m, day := d.Time().Date()
		ok := len(r.byMonth) == 0 || slices.Contains(r.byMonth, int(m))
		if len(r.byYearDay) > 0 {
			firstDay, nextYear := hours.DateOf(y, 1, 1), hours.DateOf(y+1, 1, 1)
			ok = ok && (slices.Contains(r.byYearDay, int(d-firstDay)+1) || slices.Contains(r.byYearDay, int(d-nextYear)))
		}
		if len(r.byMonthDay) > 0 {
			next := hours.DateOf(y, m+1, 1)
			ok = ok && (slices.Contains(r.byMonthDay, day) || slices.Contains(r.byMonthDay, int(d-next)))
		}
		if len(r.byDay) > 0 {
			ok = ok && slices.ContainsFunc(r.byDay, func(o ordinalDay) bool { return r.isOrdinal(o, d, y, m) })
		}
		// What a rule leaves open comes from its start.
		switch free := len(r.byDay)+len(r.byMonthDay)+len(r.byYearDay) == 0; {
		case !free:
		case r.freq == "WEEKLY":
			ok = ok && d.Weekday() == start.Weekday()
		case r.freq == "MONTHLY":
			ok = ok && day == startDay
		case r.freq == "YEARLY":
			ok = ok && day == startDay && (len(r.byMonth) > 0 || m == startMonth)
		}
		if ok {
			out = append(out, d)
		}
	}
	if len(r.bySetPos) == 0 {
		return out
	}
	var picked []hours.LocalDate
	for i, d := range out {
		if slices.Contains(r.bySetPos, i+1) || slices.Contains(r.bySetPos, i-len(out)) {
			picked = append(picked, d)
		}
	}
	return picked
}

// isOrdinal reports whether d is the n-th such weekday of its month, or of its
// year for yearly rules without BYMONTH.
func (r rule) isOrdinal(o ordinalDay, d hours.LocalDate, y int, m time.Month) bool {
	if d.Weekday() != o.day {
		return false
	}
	if o.n == 0 || r.freq == "DAILY" || r.freq == "WEEKLY" {
		return true
	}
	from, to := hours.DateOf(y, m, 1), hours.DateOf(y, m+1, 1)
	if r.freq == "YEARLY" && len(r.byMonth) == 0 {
		from, to = hours.DateOf(y, 1, 1), hours.DateOf(y+1, 1, 1)
	}
	if o.n > 0 {
		return int(d-from)/7+1 == o.n
	}
	return int(to-1-d)/7+1 == -o.n
}
