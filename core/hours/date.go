package hours

import (
	"fmt"
	"time"
)

// LocalDate is a day of the calendar in some zone, which the context names.
// It counts days, with 1 January of year 1 as day 1, so dates compare and add
// as integers. The zero value is no date.
type LocalDate int32

// unixDay is the number of 1970-01-01.
const unixDay LocalDate = 719163

// DateOf returns the date of a year, month and day; day 0 or 32 roll over.
func DateOf(year int, month time.Month, day int) LocalDate {
	return unixDay + LocalDate(floorDiv(time.Date(year, month, day, 0, 0, 0, 0, time.UTC).Unix(), 86400))
}

// ParseDate reads a date as 2026-03-02, of the years 1900 to 2200.
func ParseDate(text string) (LocalDate, error) {
	t, err := time.Parse(time.DateOnly, text)
	if err != nil || t.Year() < 1900 || t.Year() > 2200 {
		return 0, fmt.Errorf("%q is not a date, as in 2026-03-02", text)
	}
	return DateOf(t.Date()), nil
}

// IsZero reports whether this is no date.
func (d LocalDate) IsZero() bool { return d == 0 }

// Time returns midnight UTC of the date, for formatting.
func (d LocalDate) Time() time.Time { return time.Unix(int64(d-unixDay)*86400, 0).UTC() }

// Weekday returns the day of the week.
func (d LocalDate) Weekday() time.Weekday { return time.Weekday(floorMod(int64(d), 7)) }

// Monday returns the Monday of the week that holds the date.
func (d LocalDate) Monday() LocalDate { return d - LocalDate(floorMod(int64(d)-1, 7)) }

// String returns the date as 2026-03-02, or "" for no date.
func (d LocalDate) String() string {
	if d.IsZero() {
		return ""
	}
	return d.Time().Format(time.DateOnly)
}

// WallTime is a time of day on a clock on the wall, in minutes since the
// day's beginning, from 0 to 1440. It names no instant without a date and a
// zone. 1440, "24:00", is the day's end.
type WallTime int16

// DayEnd is the time at which a day ends, "24:00".
const DayEnd WallTime = 24 * 60

// ParseWall reads a time of day as 09:30, up to 24:00.
func ParseWall(text string) (WallTime, error) {
	var w WallTime
	ok := len(text) == 5 && text[2] == ':'
	for _, i := range [4]int{0, 1, 3, 4} {
		ok = ok && text[i] >= '0' && text[i] <= '9'
	}
	if ok {
		w = WallTime(text[0]-'0')*600 + WallTime(text[1]-'0')*60 + WallTime(text[3]-'0')*10 + WallTime(text[4]-'0')
		ok = text[3] < '6' && w <= DayEnd
	}
	if !ok {
		return 0, fmt.Errorf("%q is not a time of day, as in 09:30 or 24:00", text)
	}
	return w, nil
}

// String returns the time as 09:30.
func (w WallTime) String() string { return fmt.Sprintf("%02d:%02d", w/60, w%60) }

func floorDiv(a, b int64) int64 { return (a - floorMod(a, b)) / b }

func floorMod(a, b int64) int64 { return (a%b + b) % b }
