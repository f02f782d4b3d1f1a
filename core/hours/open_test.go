package hours_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/hours"
)

func spansOf(t *testing.T, text string) (out []hours.WallSpan) {
	for part := range strings.FieldsSeq(text) {
		from, to, _ := strings.Cut(part, "-")
		a, err := hours.ParseWall(from)
		require.NoError(t, err)
		b, err := hours.ParseWall(to)
		require.NoError(t, err)
		out = append(out, hours.WallSpan{From: a, To: b})
	}
	return out
}

// daily is a pattern with the same hours every day.
func daily(t *testing.T, from, until, spans, breaks string) hours.Pattern {
	p := hours.Pattern{From: date(t, from)}
	if until != "" {
		p.Until = date(t, until)
	}
	var w hours.Week
	for i := range w {
		w[i] = hours.Day{Spans: spansOf(t, spans), Breaks: spansOf(t, breaks)}
	}
	p.Cycle = []hours.Week{w}
	return p
}

func TestOpenTime(t *testing.T) {
	for _, c := range []struct {
		name     string
		patterns []hours.Pattern
		oneOffs  string // spans on the first day, "away", or "" for none
		closed   bool   // the first day
		zone     string
		from     string
		days     int
		want     string // pieces in UTC
	}{
		{"a day with a break", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-17:00", "12:00-13:00")}, "", false, "Europe/Dublin", "2026-03-02", 1, "02T09:00/02T12:00 02T13:00/02T17:00"},
		{"nights become one piece with the next day", []hours.Pattern{daily(t, "2026-01-01", "", "18:00-24:00 00:00-02:00", "")}, "", false, "UTC", "2026-03-02", 2, "02T00:00/02T02:00 02T18:00/03T02:00 03T18:00/04T00:00"},
		{"a night belongs to the day on which it starts", []hours.Pattern{daily(t, "2026-01-01", "2026-03-02", "22:00-06:00", "01:00-02:00")}, "", false, "UTC", "2026-03-02", 3, "02T22:00/03T01:00 03T02:00/03T06:00"},
		{"an end as the start is a whole day", []hours.Pattern{daily(t, "2026-01-01", "", "07:00-07:00", "")}, "", false, "UTC", "2026-03-02", 2, "02T07:00/04T07:00"},
		{"the later start is in force", []hours.Pattern{daily(t, "2026-02-01", "", "10:00-11:00", ""), daily(t, "2026-01-01", "", "09:00-10:00", "")}, "", false, "UTC", "2026-03-02", 1, "02T10:00/02T11:00"},
		{"of two with the same start the last", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-10:00", ""), daily(t, "2026-01-01", "", "10:00-11:00", "")}, "", false, "UTC", "2026-03-02", 1, "02T10:00/02T11:00"},
		{"an ended one falls back to an older one", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-10:00", ""), daily(t, "2026-02-01", "2026-03-01", "10:00-11:00", "")}, "", false, "UTC", "2026-03-02", 1, "02T09:00/02T10:00"},
		{"none in force", []hours.Pattern{daily(t, "2026-04-01", "", "09:00-10:00", "")}, "", false, "UTC", "2026-03-02", 1, ""},
		{"a one-off day wins over a closure", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-10:00", "")}, "12:00-13:00", true, "UTC", "2026-03-02", 2, "02T12:00/02T13:00 03T09:00/03T10:00"},
		{"away", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-10:00", "")}, "away", false, "UTC", "2026-03-02", 2, "03T09:00/03T10:00"},
		{"a closure", []hours.Pattern{daily(t, "2026-01-01", "", "09:00-10:00", "")}, "", true, "UTC", "2026-03-02", 2, "03T09:00/03T10:00"},
		{"a night over the jump forward is an hour shorter", []hours.Pattern{daily(t, "2026-01-01", "", "22:00-06:00", "")}, "", false, "Europe/Dublin", "2026-03-28", 1, "28T22:00/29T05:00"},
		{"a night over the jump back is an hour longer", []hours.Pattern{daily(t, "2026-01-01", "", "22:00-06:00", "")}, "", false, "Europe/Dublin", "2026-10-24", 1, "24T21:00/25T06:00"},
		{"hours that begin in the skipped hour", []hours.Pattern{daily(t, "2026-01-01", "", "01:30-03:00", "")}, "", false, "Europe/Dublin", "2026-03-29", 1, "29T01:00/29T02:00"},
		{"hours inside the doubled hour hold both", []hours.Pattern{daily(t, "2026-01-01", "", "01:00-01:30", "")}, "", false, "Europe/Dublin", "2026-10-25", 1, "25T00:00/25T01:30"},
	} {
		t.Run(c.name, func(t *testing.T) {
			z := zone(t, c.zone)
			first := date(t, c.from)
			s := hours.Schedule{Zone: z, Patterns: c.patterns}
			if c.oneOffs != "" {
				o := hours.OneOff{Date: first}
				if c.oneOffs != "away" {
					o.Spans = spansOf(t, c.oneOffs)
				}
				s.OneOffs = []hours.OneOff{o}
			}
			var closures []hours.LocalDate
			if c.closed {
				closures = append(closures, first)
			}
			last := first + hours.LocalDate(c.days) - 1
			var got []string
			for _, p := range s.Open(first, last, closures, z.Over(first, last+1)).Spans() {
				got = append(got, p.Start().Time().Format("02T15:04")+"/"+p.End().Time().Format("02T15:04"))
			}
			require.Equal(t, c.want, strings.Join(got, " "))
		})
	}
}

func TestACycleCountsWeeksFromItsFirst(t *testing.T) {
	var odd, even hours.Week
	odd[time.Thursday] = hours.Day{Spans: spansOf(t, "09:00-10:00")}
	even[time.Thursday] = hours.Day{Spans: spansOf(t, "11:00-12:00")}
	// From a Wednesday on: its week is the first of the cycle.
	p := hours.Pattern{From: date(t, "2026-03-04"), Cycle: []hours.Week{odd, even, {}}}
	s := hours.Schedule{Patterns: []hours.Pattern{p}}
	var got []string
	for d := date(t, "2026-02-26"); d < date(t, "2026-04-10"); d += 7 {
		day, _ := s.Day(d, nil)
		got = append(got, fmt.Sprint(day.Spans))
	}
	require.Equal(t, []string{"[]", "[09:00–10:00]", "[11:00–12:00]", "[]", "[09:00–10:00]", "[11:00–12:00]", "[]"}, got)
}
