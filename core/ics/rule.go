package ics

import (
	"errors"
	"slices"
	"strconv"
	"strings"
	"time"

	"niche/core/hours"
)

// rule is an RRULE (RFC 5545, section 3.3.10).
type rule struct {
	freq       string
	interval   int
	count      int
	until      *moment
	weekStart  time.Weekday
	byMonth    []int
	byWeekNo   []int
	byYearDay  []int
	byMonthDay []int
	byDay      []ordinalDay
	byHour     []int
	byMinute   []int
	bySecond   []int
	bySetPos   []int
	excludes   bool // an EXRULE
}

// ordinalDay is a BYDAY value: the n-th such day of the month or year, counted
// from the end when negative, or every one when n is 0.
type ordinalDay struct {
	n   int
	day time.Weekday
}

var dayNames = map[string]time.Weekday{"SU": 0, "MO": 1, "TU": 2, "WE": 3, "TH": 4, "FR": 5, "SA": 6}

var (
	errRule  = errors.New("its repetition cannot be read")
	errOther = errors.New("its repetition goes by a calendar other than ours")
)

// parseRule reads a rule. What it cannot follow is an error.
func (s *scope) parseRule(p Property) (rule, error) {
	r := rule{interval: 1, weekStart: time.Monday, excludes: p.Name == "EXRULE"}
	for part := range strings.SplitSeq(strings.ToUpper(strings.TrimSpace(p.Value)), ";") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		ok := true
		switch name {
		case "":
		case "FREQ":
			r.freq = value
		case "INTERVAL":
			r.interval, ok = number(value, 1, 1_000_000)
		case "COUNT":
			r.count, ok = number(value, 1, 1<<31-1)
		case "UNTIL":
			m, err := s.moment("", value)
			r.until, ok = &m, err == nil
		case "WKST":
			r.weekStart, ok = dayNames[value]
		case "BYMONTH":
			r.byMonth, ok = numbers(value, 1, 12)
		case "BYWEEKNO":
			r.byWeekNo, ok = numbers(value, -53, 53)
		case "BYMONTHDAY":
			r.byMonthDay, ok = numbers(value, -31, 31)
		case "BYYEARDAY":
			r.byYearDay, ok = numbers(value, -366, 366)
		case "BYSETPOS":
			r.bySetPos, ok = numbers(value, -366, 366)
		case "BYDAY":
			r.byDay, ok = ordinalDays(value)
		case "BYHOUR":
			r.byHour, ok = numbers(value, 0, 23)
		case "BYMINUTE":
			r.byMinute, ok = numbers(value, 0, 59)
		case "BYSECOND":
			r.bySecond, ok = numbers(value, 0, 60)
		case "RSCALE", "SKIP": // RFC 7529: these values say what holds without them
			if value != "GREGORIAN" && value != "OMIT" {
				return r, errOther
			}
		default:
			ok = false
		}
		if !ok {
			return r, errRule
		}
	}
	for i, n := range r.bySecond {
		r.bySecond[i] = min(n, 59)
	}
	if r.unit() == 0 {
		return r, errRule
	}
	return r, nil
}

// unit returns the length of the rule's frequency in seconds; of months and
// years, only that it is longer than a day.
func (r rule) unit() int64 {
	switch r.freq {
	case "SECONDLY":
		return 1
	case "MINUTELY":
		return 60
	case "HOURLY":
		return 3600
	case "DAILY":
		return 86400
	case "WEEKLY":
		return 7 * 86400
	case "MONTHLY", "YEARLY":
		return 28 * 86400
	}
	return 0
}

// number reads a number between two others; 0 only where low is 0.
func number(text string, low, high int) (int, bool) {
	n, err := strconv.Atoi(strings.TrimPrefix(strings.TrimSpace(text), "+"))
	return n, err == nil && n >= low && n <= high && (n != 0 || low == 0)
}

// numbers reads a list of numbers, in order and each once.
func numbers(text string, low, high int) (list []int, ok bool) {
	for part := range strings.SplitSeq(text, ",") {
		n, ok := number(part, low, high)
		if !ok || len(list) > 1000 {
			return nil, false
		}
		list = append(list, n)
	}
	slices.Sort(list)
	return slices.Compact(list), true
}

func ordinalDays(text string) (list []ordinalDay, ok bool) {
	for part := range strings.SplitSeq(text, ",") {
		part = strings.TrimSpace(part)
		if len(part) < 2 || len(list) > 400 {
			return nil, false
		}
		day, ok := dayNames[part[len(part)-2:]]
		o := ordinalDay{day: day}
		if ordinal := part[:len(part)-2]; ok && ordinal != "" {
			o.n, ok = number(ordinal, -53, 53)
		}
		if !ok {
			return nil, false
		}
		list = append(list, o)
	}
	return list, true
}

// dayOf is a date with what rules ask of it.
type dayOf struct {
	date    hours.LocalDate
	year    int
	month   time.Month
	day     int
	weekday time.Weekday
}

func newDay(d hours.LocalDate) dayOf {
	y, m, day := d.Time().Date()
	return dayOf{d, y, m, day, d.Weekday()}
}

// matches reports whether the rule's parts about days allow the date (the table
// in RFC 5545, section 3.3.10: a part that expands and one that limits select
// the same days of a period). What the rule leaves open comes from its start.
func (r *rule) matches(d, start dayOf) bool {
	if len(r.byMonth) > 0 && !slices.Contains(r.byMonth, int(d.month)) {
		return false
	}
	yearly, monthly, weekly := r.freq == "YEARLY", r.freq == "MONTHLY", r.freq == "WEEKLY"
	free := true // no part says which day
	if len(r.byYearDay) > 0 && !monthly && !weekly && r.freq != "DAILY" {
		first, next := hours.DateOf(d.year, 1, 1), hours.DateOf(d.year+1, 1, 1)
		if !slices.Contains(r.byYearDay, int(d.date-first)+1) && !slices.Contains(r.byYearDay, int(d.date-next)) {
			return false
		}
		free = false
	}
	if len(r.byMonthDay) > 0 && !weekly {
		if !slices.Contains(r.byMonthDay, d.day) && !slices.Contains(r.byMonthDay, d.day-daysIn(d.year, d.month)-1) {
			return false
		}
		free = false
	}
	if len(r.byWeekNo) > 0 && yearly {
		number, weeks := r.week(d)
		if !slices.Contains(r.byWeekNo, number) && !slices.Contains(r.byWeekNo, number-weeks-1) {
			return false
		}
		if free && len(r.byDay) == 0 && d.weekday != start.weekday {
			return false
		}
		free = false
	}
	if len(r.byDay) > 0 {
		return slices.ContainsFunc(r.byDay, func(o ordinalDay) bool { return o.day == d.weekday && (o.n == 0 || r.isOrdinal(o.n, d)) })
	}
	switch {
	case !free:
		return true
	case weekly:
		return d.weekday == start.weekday
	case monthly:
		return d.day == start.day
	case yearly:
		return d.day == start.day && (len(r.byMonth) > 0 || d.month == start.month)
	}
	return true
}

// isOrdinal reports whether d is the n-th such weekday of its month, or of its
// year for yearly rules without BYMONTH. Other frequencies, and rules by week
// numbers, take no ordinals; what is written there all the same is passed over.
func (r *rule) isOrdinal(n int, d dayOf) bool {
	if r.freq != "MONTHLY" && r.freq != "YEARLY" || len(r.byWeekNo) > 0 {
		return true
	}
	from, to := d.date-hours.LocalDate(d.day-1), hours.LocalDate(0)
	to = from + hours.LocalDate(daysIn(d.year, d.month))
	if r.freq == "YEARLY" && len(r.byMonth) == 0 {
		from, to = hours.DateOf(d.year, 1, 1), hours.DateOf(d.year+1, 1, 1)
	}
	if n > 0 {
		return int(d.date-from)/7+1 == n
	}
	return int(to-1-d.date)/7+1 == -n
}

// week returns the number of the week that holds the date, and how many weeks
// its year has. The first week is the one with at least four days of the year.
func (r *rule) week(d dayOf) (number, weeks int) {
	first := func(year int) hours.LocalDate {
		jan4 := hours.DateOf(year, 1, 4)
		return jan4 - hours.LocalDate((int(jan4.Weekday())-int(r.weekStart)+7)%7)
	}
	year := d.year
	switch {
	case d.date < first(year):
		year--
	case d.date >= first(year+1):
		year++
	}
	return int(d.date-first(year))/7 + 1, int(first(year+1)-first(year)) / 7
}
