package hours_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/hours"
	"niche/core/span"
)

func zone(t *testing.T, name string) hours.Zone {
	z, err := hours.LoadZone(name)
	require.NoError(t, err)
	return z
}

func date(t *testing.T, text string) hours.LocalDate {
	d, err := hours.ParseDate(text)
	require.NoError(t, err)
	return d
}

func TestWallClocksBecomeInstants(t *testing.T) {
	for _, c := range []struct {
		name, zone, date     string
		minutes              int
		start, end, reckoned string
	}{
		{"an ordinary time", "Europe/Dublin", "2026-07-01", 540, "2026-07-01T08:00:00Z", "2026-07-01T08:00:00Z", "2026-07-01T08:00:00Z"},
		{"skipped in spring", "Europe/Dublin", "2026-03-29", 90, "2026-03-29T01:00:00Z", "2026-03-29T01:00:00Z", "2026-03-29T01:30:00Z"},
		{"just after the skip", "Europe/Dublin", "2026-03-29", 120, "2026-03-29T01:00:00Z", "2026-03-29T01:00:00Z", "2026-03-29T01:00:00Z"},
		{"twice in autumn", "Europe/Dublin", "2026-10-25", 90, "2026-10-25T00:30:00Z", "2026-10-25T01:30:00Z", "2026-10-25T00:30:00Z"},
		{"the end of the doubled hour", "Europe/Dublin", "2026-10-25", 120, "2026-10-25T02:00:00Z", "2026-10-25T02:00:00Z", "2026-10-25T02:00:00Z"},
		{"a jump of half an hour", "Australia/Lord_Howe", "2026-10-04", 135, "2026-10-03T15:30:00Z", "2026-10-03T15:30:00Z", "2026-10-03T15:45:00Z"},
		{"half an hour twice", "Australia/Lord_Howe", "2026-04-05", 105, "2026-04-04T14:45:00Z", "2026-04-04T15:15:00Z", "2026-04-04T14:45:00Z"},
		{"midnight is skipped", "America/Santiago", "2026-09-06", 0, "2026-09-06T04:00:00Z", "2026-09-06T04:00:00Z", "2026-09-06T04:00:00Z"},
		{"the hour before midnight twice", "America/Havana", "2026-11-01", 30, "2026-11-01T04:30:00Z", "2026-11-01T05:30:00Z", "2026-11-01T04:30:00Z"},
		{"a day that never was", "Pacific/Apia", "2011-12-30", 720, "2011-12-30T10:00:00Z", "2011-12-30T10:00:00Z", "2011-12-30T22:00:00Z"},
		{"the last day of a leap year beyond what zones list", "Europe/Dublin", "2040-12-31", 540, "2040-12-31T09:00:00Z", "2040-12-31T09:00:00Z", "2040-12-31T09:00:00Z"},
		{"the same in summer", "Australia/Sydney", "2044-12-31", 540, "2044-12-30T22:00:00Z", "2044-12-30T22:00:00Z", "2044-12-30T22:00:00Z"},
		{"the first of the next", "America/New_York", "2041-01-01", 540, "2041-01-01T14:00:00Z", "2041-01-01T14:00:00Z", "2041-01-01T14:00:00Z"},
		{"a jump far ahead", "Europe/Dublin", "2060-03-28", 90, "2060-03-28T01:00:00Z", "2060-03-28T01:00:00Z", "2060-03-28T01:30:00Z"},
		{"a half-hour zone", "America/St_Johns", "2026-11-23", 540, "2026-11-23T12:30:00Z", "2026-11-23T12:30:00Z", "2026-11-23T12:30:00Z"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := date(t, c.date)
			o := zone(t, c.zone).Over(d, d)
			require.Equal(t, c.start, o.Starting(d, c.minutes).String())
			require.Equal(t, c.end, o.Ending(d, c.minutes).String())
			require.Equal(t, c.reckoned, o.Reckoned(d, c.minutes*60).String())
		})
	}
}

// Two changes a year are found, as far ahead as anybody looks.
func TestChangesFarAheadAreFound(t *testing.T) {
	for _, name := range []string{"Europe/Dublin", "America/New_York", "Australia/Sydney"} {
		list := zone(t, name).Changes(span.Between(span.At(time.Date(2036, 6, 1, 0, 0, 0, 0, time.UTC)), span.At(time.Date(2061, 6, 1, 0, 0, 0, 0, time.UTC))))
		require.Equal(t, 51, len(list), name)
		for i, c := range list {
			require.NotEqual(t, c.Before, c.Offset, "%s %d", name, i)
		}
	}
}

// The three readings agree with the clock read back, in every zone, at every
// quarter of an hour around every jump of four years.
func TestInstantsReadBackAsTheirWallClock(t *testing.T) {
	for _, name := range []string{"Europe/Dublin", "America/St_Johns", "Australia/Lord_Howe", "America/Santiago", "Atlantic/Azores", "Asia/Kathmandu", "Africa/Casablanca", "Pacific/Chatham"} {
		z := zone(t, name)
		_, at := time.Date(2025, 1, 1, 0, 0, 0, 0, z.Location()).ZoneBounds()
		for ; !at.IsZero() && at.Year() < 2029; _, at = at.In(z.Location()).ZoneBounds() {
			for quarter := -100; quarter <= 100; quarter++ {
				i := span.At(at.Add(time.Duration(quarter) * 15 * time.Minute))
				local := i.Time().In(z.Location())
				d := hours.DateOf(local.Date())
				minutes := local.Hour()*60 + local.Minute()
				o := z.Over(d, d)
				gotDate, gotMinutes := o.Wall(i)
				require.Equal(t, d, gotDate)
				require.Equal(t, minutes, gotMinutes)
				first, second := o.Starting(d, minutes), o.Ending(d, minutes)
				require.True(t, first == i || second == i, "%s %s", name, i)
				require.LessOrEqual(t, first, second)
				require.Equal(t, first, o.Reckoned(d, minutes*60))
			}
		}
	}
}

func TestHoursThatContradictThemselves(t *testing.T) {
	day := func(spans, breaks []hours.WallSpan) hours.Pattern {
		var w hours.Week
		w[time.Monday] = hours.Day{Spans: spans, Breaks: breaks}
		return hours.Pattern{From: 738000, Cycle: []hours.Week{w}}
	}
	wall := func(from, to hours.WallTime) hours.WallSpan { return hours.WallSpan{From: from * 60, To: to * 60} }
	list := func(s ...hours.WallSpan) []hours.WallSpan { return s }
	for _, c := range []struct {
		name    string
		pattern hours.Pattern
		want    []string
	}{
		{"sound", day(list(wall(9, 12), wall(12, 17)), list(wall(10, 11))), nil},
		{"spans overlap", day(list(wall(9, 12), wall(11, 17)), nil), []string{"cycle[0].mon.spans[1]: on Monday, 11:00–17:00 overlaps 09:00–12:00"}},
		{"a break over two spans", day(list(wall(9, 12), wall(12, 17)), list(wall(11, 13))),
			[]string{"cycle[0].mon.breaks[0]: on Monday, the break 11:00–13:00 does not lie inside one span of hours"}},
		{"a break after midnight", day(list(wall(18, 2)), list(wall(0, 1), wall(23, 1))), nil},
		{"a break after the night", day(list(wall(18, 2)), list(wall(1, 3))),
			[]string{"cycle[0].mon.breaks[0]: on Monday, the break 01:00–03:00 does not lie inside one span of hours"}},
		{"several faults at once", hours.Pattern{From: 738000, Until: 737999}, []string{"until: 2021-07-28 is before the pattern starts, 2021-07-29", "cycle: a cycle has 1 to 8 weeks, not 0"}},
	} {
		var got []string
		for _, f := range c.pattern.Check() {
			got = append(got, f.Error())
		}
		require.Equal(t, c.want, got, c.name)
	}
}
