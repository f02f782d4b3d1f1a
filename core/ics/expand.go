package ics

import (
	"errors"
	"slices"
	"time"

	"niche/core/hours"
)

// Bounds on the work for rules. A rule that would pass them is refused, and its
// event reported as not readable: it is never taken for free time.
const (
	maxInstances = 200_000    // of one event
	maxSteps     = 2_000_000  // examined for one rule
	maxTotal     = 20_000_000 // examined for all rules of one reading
)

var (
	errEndless = errors.New("its repetition takes too many steps to follow")
	errMany    = errors.New("it occurs too often to be kept")
)

// each calls yield for the rule's occurrences after its start, as seconds on the
// wall clock, in order, from some time before the date first until yield returns
// false or the date passes last. Where the rule has no COUNT, it goes to the
// neighbourhood of first by whole intervals instead of walking there. More says
// that there may be occurrences after last; UNTIL is left to the caller. What
// was spent is added up over all rules.
func (r *rule) each(start moment, first, last hours.LocalDate, spent *int, yield func(wall int64) bool) (more bool, err error) {
	w := walk{rule: r, start: start, startDay: newDay(start.date), first: first, last: last, spent: spent, yield: yield}
	if r.unit() < 86400 {
		w.byTheClock()
	} else {
		w.byTheDay()
	}
	return w.more, w.err
}

// walk is one way along a rule.
type walk struct {
	*rule
	start       moment
	startDay    dayOf
	first, last hours.LocalDate
	counted     int
	steps       int
	spent       *int
	yield       func(wall int64) bool
	more        bool // there may be occurrences after last
	err         error
	ended       bool
}

// step notes that something was examined, and ends the walk when that has
// happened too often.
func (w *walk) step() {
	w.steps++
	*w.spent++
	if w.steps > maxSteps || *w.spent > maxTotal {
		w.ended, w.err = true, errEndless
	}
}

// emit hands an occurrence on, when it lies after the start and the count lasts.
// The start always counts as the first (RFC 5545, section 3.3.10), also where the
// rule would not give it.
func (w *walk) emit(wall int64) {
	w.step()
	if w.ended || wall < w.start.wall() {
		return
	}
	if w.counted == 0 && wall > w.start.wall() {
		w.counted = 1
	}
	if w.counted++; w.count > 0 && w.counted > w.count {
		w.ended = true
		return
	}
	if hours.LocalDate(wall/86400) > w.last {
		w.ended, w.more = true, true
		return
	}
	if wall > w.start.wall() && !w.yield(wall) {
		w.ended = true
	}
}

// byTheDay walks rules that repeat by days, weeks, months or years.
func (w *walk) byTheDay() {
	times := w.times()
	skip := 0
	if w.count == 0 && w.first > w.start.date {
		skip = max(0, w.periodsBetween(w.start.date, w.first)/w.interval-1)
	}
	var dates []hours.LocalDate
	for k := skip; !w.ended; k++ {
		w.step()
		from, to := w.period(k * w.interval)
		if from > w.last {
			w.more = true
			return
		}
		dates = w.inPeriod(dates[:0], from, to)
		if len(w.bySetPos) == 0 {
			for _, d := range dates {
				for _, t := range times {
					if w.emit(int64(d)*86400 + t); w.ended {
						return
					}
				}
			}
			continue
		}
		for _, n := range positions(w.bySetPos, len(dates)*len(times)) {
			if w.emit(int64(dates[n/len(times)])*86400 + times[n%len(times)]); w.ended {
				return
			}
		}
	}
}

// positions returns the indexes that BYSETPOS picks of n, in order and each once.
func positions(setPos []int, n int) (picked []int) {
	for _, p := range setPos {
		if p > 0 && p <= n {
			picked = append(picked, p-1)
		} else if p < 0 && -p <= n {
			picked = append(picked, n+p)
		}
	}
	slices.Sort(picked)
	return slices.Compact(picked)
}

// times returns the times of the day, in seconds and in order. An all-day event
// has none but its beginning, whatever the rule says.
func (w *walk) times() []int64 {
	if w.start.allDay {
		return []int64{0}
	}
	or := func(list []int, other int) []int {
		if len(list) > 0 {
			return list
		}
		return []int{other}
	}
	s := int(w.start.seconds)
	var out []int64
	for _, h := range or(w.byHour, s/3600) {
		for _, m := range or(w.byMinute, s/60%60) {
			for _, sec := range or(w.bySecond, s%60) {
				out = append(out, int64(h*3600+m*60+sec))
			}
		}
	}
	return out
}

// periodsBetween returns how many days, weeks, months or years lie between.
func (w *walk) periodsBetween(a, b hours.LocalDate) int {
	switch w.freq {
	case "DAILY":
		return int(b - a)
	case "WEEKLY":
		return int(b-a) / 7
	}
	ya, ma, _ := a.Time().Date()
	yb, mb, _ := b.Time().Date()
	if w.freq == "MONTHLY" {
		return (yb-ya)*12 + int(mb-ma)
	}
	return yb - ya
}

// period returns the first date and the date after the last of the n-th period
// after the one that holds the start.
func (w *walk) period(n int) (from, to hours.LocalDate) {
	y, m := w.startDay.year, w.startDay.month
	switch w.freq {
	case "DAILY":
		return w.start.date + hours.LocalDate(n), w.start.date + hours.LocalDate(n) + 1
	case "WEEKLY":
		back := (int(w.startDay.weekday) - int(w.weekStart) + 7) % 7
		from = w.start.date - hours.LocalDate(back) + hours.LocalDate(7*n)
		return from, from + 7
	case "MONTHLY":
		return hours.DateOf(y, m+time.Month(n), 1), hours.DateOf(y, m+time.Month(n)+1, 1)
	}
	return hours.DateOf(y+n, 1, 1), hours.DateOf(y+n+1, 1, 1)
}

// inPeriod appends the rule's dates of one period, in order.
func (w *walk) inPeriod(out []hours.LocalDate, from, to hours.LocalDate) []hours.LocalDate {
	day := newDay(from)
	for d := from; d < to; d++ {
		if w.freq == "YEARLY" && day.day == 1 && w.passes(day.month) {
			d += hours.LocalDate(daysIn(day.year, day.month)) - 1
			day = newDay(d + 1)
			continue
		}
		if w.matches(day, w.startDay) {
			out = append(out, d)
		}
		day.date++
		day.day++
		day.weekday = (day.weekday + 1) % 7
		if day.day > 28 {
			day = newDay(d + 1)
		}
	}
	return out
}

// passes reports whether no date of a month can be one of a yearly rule.
func (w *walk) passes(m time.Month) bool {
	if len(w.byMonth) > 0 {
		return !slices.Contains(w.byMonth, int(m))
	}
	return m != w.startDay.month && len(w.byWeekNo)+len(w.byYearDay)+len(w.byMonthDay)+len(w.byDay) == 0
}

// byTheClock walks rules that repeat by hours, minutes or seconds of the wall
// clock. Where a day, an hour or a minute is not one of the rule's, it goes to
// the next at once.
func (w *walk) byTheClock() {
	if w.start.allDay {
		w.err = errRule
		return
	}
	unit := w.unit()
	stride := unit * int64(w.interval)
	base := w.start.wall() / unit * unit
	k := int64(0)
	if from := int64(w.first) * 86400; w.count == 0 && from > base {
		k = max(0, (from-base)/stride-1)
	}
	// after returns the first step whose time is not before wall.
	after := func(wall int64) int64 { return (wall - base + stride - 1) / stride }
	day, fits := dayOf{}, false
	for ; !w.ended; w.step() {
		wall := base + k*stride
		date := hours.LocalDate(wall / 86400)
		if date > w.last {
			w.more = true
			return
		}
		if date != day.date {
			day = newDay(date)
			fits = w.matches(day, w.startDay)
		}
		second := int(wall % 86400)
		switch {
		case !fits:
			k = after(int64(date+1) * 86400)
		case len(w.byHour) > 0 && !slices.Contains(w.byHour, second/3600):
			k = max(k+1, after(wall/3600*3600+3600))
		case unit < 3600 && len(w.byMinute) > 0 && !slices.Contains(w.byMinute, second/60%60):
			k = max(k+1, after(wall/60*60+60))
		case unit == 1 && len(w.bySecond) > 0 && !slices.Contains(w.bySecond, second%60):
			k++
		default:
			w.within(wall)
			k++
		}
	}
}

// within emits what the rule picks inside one hour, minute or second.
func (w *walk) within(wall int64) {
	set := []int64{wall}
	expand := func(by []int, other int32, unit int64) {
		if len(by) == 0 {
			by = []int{int(other)}
		}
		var out []int64
		for _, at := range set {
			for _, n := range by {
				out = append(out, at+int64(n)*unit)
			}
		}
		set = out
	}
	if w.freq == "HOURLY" {
		expand(w.byMinute, w.start.seconds/60%60, 60)
	}
	if w.freq != "SECONDLY" {
		expand(w.bySecond, w.start.seconds%60, 1)
	}
	if len(w.bySetPos) > 0 {
		var picked []int64
		for _, n := range positions(w.bySetPos, len(set)) {
			picked = append(picked, set[n])
		}
		set = picked
	}
	for _, at := range set {
		if w.emit(at); w.ended {
			return
		}
	}
}
