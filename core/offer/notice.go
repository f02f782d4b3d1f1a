package offer

import (
	"bytes"
	"encoding/json"
	"fmt"

	"niche/core/hours"
	"niche/core/span"
)

// Notice is how long before a visit it must be booked: some minutes, or by a time of
// day some days before; never both. The zero value asks for none.
//
// Its JSON is {"minutes": 240}, {"daysBefore": 1, "by": "18:00"} or null, wherever it
// is stored, sent or written down.
type Notice struct {
	kind kind
	n    int // minutes, or days before
	by   hours.WallTime
}

type kind uint8

const (
	none kind = iota
	byLength
	byDate
)

// The longest notices.
const (
	LongestNotice     span.Minutes = 30 * 24 * 60
	LongestNoticeDays              = 60
)

// MinutesBefore returns a notice of some minutes.
func MinutesBefore(m span.Minutes) Notice { return Notice{kind: byLength, n: int(m)} }

// DaysBefore returns a notice by a time of day some days before the visit's date.
func DaysBefore(days int, by hours.WallTime) Notice { return Notice{byDate, days, by} }

// Minutes returns how many minutes before, and whether the notice is of that kind.
func (n Notice) Minutes() (span.Minutes, bool) {
	if n.kind != byLength {
		return 0, false
	}
	return span.Minutes(n.n), true
}

// Day returns how many days before and by what time, and whether the notice is of
// that kind.
func (n Notice) Day() (days int, by hours.WallTime, ok bool) {
	if n.kind != byDate {
		return 0, 0, false
	}
	return n.n, n.by, true
}

// FirstDate returns the first date that a notice by days leaves bookable, in the
// business's zone; no date for any other notice.
func (n Notice) FirstDate(now span.Instant, zone hours.Zone) hours.LocalDate {
	if n.kind != byDate {
		return 0
	}
	today := zone.DateAt(now)
	first := today + hours.LocalDate(n.n)
	if now > zone.Over(today, today).Ending(today, int(n.by)) {
		first++
	}
	return first
}

type noticeShape struct {
	Minutes    *span.Minutes `json:"minutes,omitempty"`
	DaysBefore *int          `json:"daysBefore,omitempty"`
	By         *string       `json:"by,omitempty"`
}

// MarshalJSON writes the shape of its kind.
func (n Notice) MarshalJSON() ([]byte, error) {
	switch n.kind {
	case byLength:
		m := span.Minutes(n.n)
		return json.Marshal(noticeShape{Minutes: &m})
	case byDate:
		by := n.by.String()
		return json.Marshal(noticeShape{DaysBefore: &n.n, By: &by})
	}
	return []byte("null"), nil
}

// UnmarshalJSON reads one of the shapes. What cannot be read is a *Fault.
func (n *Notice) UnmarshalJSON(text []byte) error {
	var s *noticeShape
	if err := strictly(text, &s); err != nil {
		return &Fault{"", "A notice is some minutes, or some days and a time of day."}
	}
	switch {
	case s == nil:
		*n = Notice{}
	case s.Minutes != nil && s.DaysBefore == nil && s.By == nil:
		if *s.Minutes < 0 || *s.Minutes > LongestNotice {
			return &Fault{"minutes", "A notice is from no time to 30 days."}
		}
		*n = MinutesBefore(*s.Minutes)
	case s.Minutes == nil && s.DaysBefore != nil && s.By != nil:
		if *s.DaysBefore < 0 || *s.DaysBefore > LongestNoticeDays {
			return &Fault{"daysBefore", fmt.Sprintf("A notice is from 0 to %d days.", LongestNoticeDays)}
		}
		by, err := hours.ParseWall(*s.By)
		if err != nil {
			return &Fault{"by", "This is not a time of day, as in 18:00."}
		}
		*n = DaysBefore(*s.DaysBefore, by)
	default:
		return &Fault{"", "A notice is some minutes, or some days and a time of day."}
	}
	return nil
}

// strictly reads JSON into a shape that has all of its fields.
func strictly(text []byte, shape any) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	return d.Decode(shape)
}

// Fault is what cannot be read of a notice or a booking window: the field of its
// shape, empty for the whole, and what is wrong, for people.
type Fault struct{ Field, Text string }

// Error returns what is wrong.
func (f *Fault) Error() string { return f.Text }

// Window is the range of dates that can be booked, in the business's zone: today and
// some days after it, or from a date to another. The zero value is no limit.
//
// Its JSON is {"days": 60}, {"from": "2026-05-01", "to": "2026-06-30"}, of which one
// can be left out, or null, wherever it is stored, sent or written down.
type Window struct {
	kind     kind
	days     int
	from, to hours.LocalDate
}

// LongestWindow is how many days ahead a booking window can reach.
const LongestWindow = 730

// DaysAhead returns the window of today and so many days after it.
func DaysAhead(days int) Window { return Window{kind: byLength, days: days} }

// Dates returns the window from a date to another; the zero date is no limit.
func Dates(from, to hours.LocalDate) Window {
	if from.IsZero() && to.IsZero() {
		return Window{}
	}
	return Window{kind: byDate, from: from, to: to}
}

// Days returns how many days ahead, and whether the window is of that kind.
func (w Window) Days() (int, bool) { return w.days, w.kind == byLength }

// Dates returns the first and the last date of a window from a date to another; no
// dates for any other, and where there is no limit.
func (w Window) Dates() (from, to hours.LocalDate) { return w.from, w.to }

// Last returns the last date that can be booked; no date where there is no end.
func (w Window) Last(today hours.LocalDate) hours.LocalDate {
	if w.kind == byLength {
		return today + hours.LocalDate(w.days)
	}
	return w.to
}

type windowShape struct {
	Days *int    `json:"days,omitempty"`
	From *string `json:"from,omitempty"`
	To   *string `json:"to,omitempty"`
}

// MarshalJSON writes the shape of its kind.
func (w Window) MarshalJSON() ([]byte, error) {
	var s windowShape
	switch w.kind {
	case none:
		return []byte("null"), nil
	case byLength:
		s.Days = &w.days
	case byDate:
		written := func(d hours.LocalDate) *string {
			if d.IsZero() {
				return nil
			}
			text := d.String()
			return &text
		}
		s.From, s.To = written(w.from), written(w.to)
	}
	return json.Marshal(s)
}

// UnmarshalJSON reads one of the shapes; an empty date is none. What cannot be read is
// a *Fault.
func (w *Window) UnmarshalJSON(text []byte) error {
	var s *windowShape
	if err := strictly(text, &s); err != nil {
		return &Fault{"", "A booking window is some days, or from a date to another."}
	}
	switch {
	case s == nil:
		*w = Window{}
	case s.Days != nil && s.From == nil && s.To == nil:
		if *s.Days < 0 || *s.Days > LongestWindow {
			return &Fault{"days", fmt.Sprintf("A booking window is from 0 to %d days.", LongestWindow)}
		}
		*w = DaysAhead(*s.Days)
	case s.Days == nil:
		var dates [2]hours.LocalDate
		for i, d := range []*string{s.From, s.To} {
			if d == nil || *d == "" {
				continue
			}
			var err error
			if dates[i], err = hours.ParseDate(*d); err != nil {
				return &Fault{[]string{"from", "to"}[i], "This is not a date, as in 2026-03-02."}
			}
		}
		if !dates[1].IsZero() && dates[1] < dates[0] {
			return &Fault{"to", "The booking window ends before it starts."}
		}
		*w = Dates(dates[0], dates[1])
	default:
		return &Fault{"", "A booking window is some days, or from a date to another."}
	}
	return nil
}
