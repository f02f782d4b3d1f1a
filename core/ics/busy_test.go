package ics_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"
	"time"
	"unicode/utf16"

	"github.com/stretchr/testify/require"
	"github.com/teambition/rrule-go"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
)

func instant(t require.TestingT, text string) span.Instant {
	i, err := span.Parse(text)
	require.NoError(t, err)
	return i
}

func scope(t require.TestingT, from, to string) ics.Scope {
	dublin, err := hours.LoadZone("Europe/Dublin")
	require.NoError(t, err)
	return ics.Scope{Window: span.Between(instant(t, from), instant(t, to)), Zone: dublin, Owner: []string{"bryn@castellane.example"}}
}

// event wraps the lines of one VEVENT, separated by |.
func event(lines string) string {
	return "BEGIN:VEVENT\r\nUID:e\r\n" + strings.ReplaceAll(lines, "|", "\r\n") + "\r\nEND:VEVENT\r\n"
}

func calendar(events ...string) string {
	return "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n" + strings.Join(events, "") + "END:VCALENDAR\r\n"
}

func TestBusyTimeIsReadOutOfEvents(t *testing.T) {
	for _, c := range []struct {
		name  string
		event string
		want  string // spans as from/to in UTC without year, separated by spaces; or ! and the reason
	}{
		{"in UTC", "DTSTART:20260302T100000Z|DTEND:20260302T110000Z", "02T10:00/02T11:00"},
		{"in a named zone", "DTSTART;TZID=America/St_Johns:20260302T100000|DTEND;TZID=America/St_Johns:20260302T110000", "02T13:30/02T14:30"},
		{"a path before the zone's name", "DTSTART;TZID=/calendar.example/20260101/Europe/Dublin:20260302T100000|DURATION:PT45M", "02T10:00/02T10:45"},
		{"floating time is the owner's", "DTSTART:20260330T100000|DTEND:20260330T110000", "30T09:00/30T10:00"},
		{"a whole day is the owner's", "DTSTART;VALUE=DATE:20260330|DTEND;VALUE=DATE:20260331", "29T23:00/30T23:00"},
		{"a date without end lasts its day", "DTSTART;VALUE=DATE:20260302", "02T00:00/03T00:00"},
		{"a time without end has no length", "DTSTART:20260302T100000Z", ""},
		{"an end before the start", "DTSTART:20260302T100000Z|DTEND:20260302T090000Z", "!its end lies before its start"},
		{"a duration backwards", "DTSTART:20260302T100000Z|DURATION:-PT1H", "!its end lies before its start"},
		{"an end at the start has no length", "DTSTART:20260302T100000Z|DTEND:20260302T100000Z", ""},
		{"a date that ends on itself lasts its day", "DTSTART;VALUE=DATE:20260302|DTEND;VALUE=DATE:20260302", "02T00:00/03T00:00"},
		{"a date without saying that it is one", "DTSTART:20260302|DTEND:20260304", "02T00:00/04T00:00"},
		{"an end in another zone", "DTSTART;TZID=Europe/Dublin:20260302T100000|DTEND;TZID=America/St_Johns:20260302T100000", "02T10:00/02T13:30"},
		{"an end without zone has the start's", "DTSTART;TZID=America/St_Johns:20260302T100000|DTEND:20260302T110000", "02T13:30/02T14:30"},
		{"a leap second and times to the minute", "DTSTART:20260302T1000Z|DTEND:20260302T235960Z", "02T10:00/02T23:59"},
		{"the name that desktop systems write", "DTSTART;TZID=\"W. Europe Standard Time\":20260302T100000|DURATION:PT1H", "02T09:00/02T10:00"},
		{"a start in the hour that spring skips", "DTSTART;TZID=Europe/Dublin:20260329T013000|DURATION:PT1H", "29T01:30/29T02:30"},
		{"a busy status of free", "DTSTART:20260302T100000Z|DURATION:PT1H|X-DESKTOP-MAIL-BUSYSTATUS:FREE", ""},
		{"a busy status of out of office", "DTSTART:20260302T100000Z|DURATION:PT1H|X-DESKTOP-MAIL-BUSYSTATUS:OOF", "02T10:00/02T11:00"},
		{"an alarm's duration is not the event's", "BEGIN:VALARM|DURATION:PT5H|DTSTART:20260303T100000Z|END:VALARM|DTSTART:20260302T100000Z|DURATION:PT1H", "02T10:00/02T11:00"},
		{"an addition with an end and one with a length", "DTSTART:20260302T100000Z|DURATION:PT1H|RDATE;VALUE=PERIOD:20260305T080000Z/20260305T100000Z,20260304T080000Z/PT3H", "02T10:00/02T11:00 04T08:00/04T11:00 05T08:00/05T10:00"},
		{"an addition that the rule gives too", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=2|RDATE:20260303T100000Z", "02T10:00/02T11:00 03T10:00/03T11:00"},
		{"an exception by its date alone", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=3|EXDATE;VALUE=DATE:20260303", "02T10:00/02T11:00 04T10:00/04T11:00"},
		{"an exception without zone has the start's", "DTSTART;TZID=America/St_Johns:20260302T100000|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=2|EXDATE:20260303T100000", "02T13:30/02T14:30"},
		{"an exception in another zone", "DTSTART;TZID=Europe/Dublin:20260302T100000|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=2|EXDATE;TZID=America/St_Johns:20260303T063000", "02T10:00/02T11:00"},
		{"the first occurrence left out", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=2|EXDATE:20260302T100000Z", "03T10:00/03T11:00"},
		{"a start outside its own rule counts as the first", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=WEEKLY;BYDAY=TU;COUNT=3", "02T10:00/02T11:00 03T10:00/03T11:00 10T10:00/10T11:00"},
		{"a rule with exceptions by rule", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=4|EXRULE:FREQ=DAILY;INTERVAL=2;COUNT=9", "03T10:00/03T11:00 05T10:00/05T11:00"},
		{"an end of the rule in the year 9999", "DTSTART:20260330T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;UNTIL=99991231T235959Z", "30T10:00/30T11:00 31T10:00/31T11:00"},
		{"a birthday since 1604", "DTSTART;VALUE=DATE:16040317|RRULE:FREQ=YEARLY", "17T00:00/18T00:00"},
		{"the clocks' hours of a rule of hours", "DTSTART;TZID=Europe/Dublin:20260328T220000|DURATION:PT30M|RRULE:FREQ=HOURLY;INTERVAL=2;COUNT=4", "28T22:00/28T22:30 29T00:00/29T00:30 29T01:00/29T01:30 29T03:00/29T03:30"},
		{"a day in spring has 23 hours", "DTSTART;VALUE=DATE:20260329", "29T00:00/29T23:00"},
		{"a duration of a day keeps the clock", "DTSTART;TZID=Europe/Dublin:20260328T120000|DURATION:P1D", "28T12:00/29T11:00"},
		{"transparent", "DTSTART:20260302T100000Z|DTEND:20260302T110000Z|TRANSP:TRANSPARENT", ""},
		{"cancelled", "DTSTART:20260302T100000Z|DTEND:20260302T110000Z|STATUS:cancelled", ""},
		{"declined by the owner", "DTSTART:20260302T100000Z|DTEND:20260302T110000Z|ATTENDEE;PARTSTAT=DECLINED:mailto:Bryn@Castellane.example", ""},
		{"declined by somebody else", "DTSTART:20260302T100000Z|DTEND:20260302T110000Z|ATTENDEE;PARTSTAT=DECLINED:mailto:x@y.example", "02T10:00/02T11:00"},
		{"folded lines and quoted parameters", "DTSTART;X-A=\"a:b;c\";TZID=Europe/\r\n Dublin:20260302T1000\r\n\t00|DURATION:PT1H", "02T10:00/02T11:00"},
		{"every week, one left out", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=WEEKLY;COUNT=4|EXDATE:20260309T100000Z", "02T10:00/02T11:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"every week over the jump", "DTSTART;TZID=Europe/Dublin:20260323T100000|DURATION:PT1H|RRULE:FREQ=WEEKLY;UNTIL=20260330T235959Z", "23T10:00/23T11:00 30T09:00/30T10:00"},
		{"the last Friday of the month", "DTSTART:20250131T100000Z|DURATION:PT1H|RRULE:FREQ=MONTHLY;BYDAY=-1FR", "27T10:00/27T11:00"},
		{"an addition", "DTSTART:20260302T100000Z|DURATION:PT1H|RDATE:20260305T080000Z", "02T10:00/02T11:00 05T08:00/05T09:00"},
		{"no start", "DTEND:20260302T110000Z", "!it has no start"},
		{"a zone that is none", "DTSTART;TZID=Middle/Earth:20260302T100000|DURATION:PT1H", "!its time zone is not known"},
		{"a rule that cannot be followed", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=SECONDLY", "!it occurs too often to be kept"},
		{"a rule that never comes true leaves the first", "DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=30", "02T10:00/02T11:00"},
	} {
		t.Run(c.name, func(t *testing.T) {
			got, err := ics.ReadBusy(strings.NewReader(calendar(event(c.event))), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
			require.NoError(t, err)
			require.Equal(t, c.want, said(got))
		})
	}
}

// utf16le writes a file as some desktop programs do.
func utf16le(text string) string {
	var b strings.Builder
	for _, u := range append([]uint16{0xfeff}, utf16.Encode([]rune(text))...) {
		b.WriteString(string([]byte{byte(u), byte(u >> 8)}))
	}
	return b.String()
}

func said(r ics.Reading) string {
	var parts []string
	for _, e := range r.Events {
		for _, o := range e.Occurrences {
			parts = append(parts, o.During.Start().Time().Format("02T15:04")+"/"+o.During.End().Time().Format("02T15:04"))
		}
	}
	for _, s := range r.Skipped {
		parts = append(parts, "!"+s.Reason)
	}
	return strings.Join(parts, " ")
}

func TestMovedOccurrencesReplaceTheirOriginals(t *testing.T) {
	weekly := event("DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=WEEKLY;COUNT=4")
	for _, c := range []struct{ name, override, want string }{
		{"one is moved", "RECURRENCE-ID:20260309T100000Z|DTSTART:20260310T140000Z|DURATION:PT2H", "02T10:00/02T11:00 10T14:00/10T16:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"one is cancelled", "RECURRENCE-ID:20260309T100000Z|DTSTART:20260309T100000Z|DURATION:PT1H|STATUS:CANCELLED", "02T10:00/02T11:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"one is moved by its date alone", "RECURRENCE-ID;VALUE=DATE:20260309|DTSTART:20260310T140000Z|DURATION:PT2H", "02T10:00/02T11:00 10T14:00/10T16:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"one becomes a whole day", "RECURRENCE-ID;TZID=America/St_Johns:20260309T073000|DTSTART;VALUE=DATE:20260312", "02T10:00/02T11:00 12T00:00/13T00:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"one is declined by the owner", "RECURRENCE-ID:20260309T100000Z|DTSTART:20260309T100000Z|DURATION:PT1H|ATTENDEE;PARTSTAT=DECLINED:MAILTO:bryn@castellane.example", "02T10:00/02T11:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"this and following are cancelled", "RECURRENCE-ID;RANGE=THISANDFUTURE:20260316T100000Z|DTSTART:20260316T100000Z|DURATION:PT1H|STATUS:CANCELLED", "02T10:00/02T11:00 09T10:00/09T11:00"},
		{"an older version of all", "DTSTART:20260305T100000Z|DURATION:PT1H|SEQUENCE:0", "02T10:00/02T11:00 05T10:00/05T11:00 09T10:00/09T11:00 16T10:00/16T11:00 23T10:00/23T11:00"},
		{"a newer version of all", "DTSTART:20260305T100000Z|DURATION:PT1H|SEQUENCE:1", "05T10:00/05T11:00"},
		{"one that cannot be read", "RECURRENCE-ID:20260309T100000Z|DTSTART;TZID=Nowhere:20260310T140000|DURATION:PT2H", "02T10:00/02T11:00 09T10:00/09T11:00 16T10:00/16T11:00 23T10:00/23T11:00 !its time zone is not known"},
		{"this and following", "RECURRENCE-ID;RANGE=THISANDFUTURE:20260316T100000Z|DTSTART:20260316T120000Z|DURATION:PT30M", "02T10:00/02T11:00 09T10:00/09T11:00 16T12:00/16T12:30 23T12:00/23T12:30"},
	} {
		got, err := ics.ReadBusy(strings.NewReader(calendar(weekly, event(c.override))), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.NoError(t, err)
		require.Equal(t, c.want, said(got), c.name)
	}
}

func TestOneBadComponentSpoilsOnlyItself(t *testing.T) {
	good := event("DTSTART:20260302T100000Z|DTEND:20260302T110000Z")
	deep := strings.Repeat("BEGIN:X\r\n", 100) + strings.Repeat("END:X\r\n", 100)
	for _, c := range []struct{ name, file, want string }{
		{"a byte-order mark and bare LF", "\xef\xbb\xbf" + strings.ReplaceAll(calendar(good), "\r\n", "\n"), "02T10:00/02T11:00"},
		{"several calendars in one file", calendar() + calendar(good), "02T10:00/02T11:00"},
		{"a line that is none", strings.Replace(calendar(good), "UID:e", "what is this\r\nUID:e", 1), "02T10:00/02T11:00"},
		{"nested too deeply", calendar("BEGIN:VEVENT\r\nUID:d\r\n"+deep+"END:VEVENT\r\n", good), "02T10:00/02T11:00 !its parts are nested too deeply"},
		{"UTF-16", utf16le(calendar(good)), "02T10:00/02T11:00"},
		{"bytes that are no UTF-8", strings.Replace(calendar(good), "UID:e", "SUMMARY:caf\xe9\r\nUID:\xe9", 1), "02T10:00/02T11:00"},
		{"an event without its end line", calendar("BEGIN:VEVENT\r\nUID:f\r\nDTSTART:20260303T100000Z\r\n", good), "02T10:00/02T11:00 !it has no end"},
		{"an alarm without its end line", strings.Replace(calendar(good), "END:VEVENT", "BEGIN:VALARM\r\nTRIGGER:PT1M\r\nEND:VEVENT", 1), "02T10:00/02T11:00"},
		{"a calendar without its end line", strings.Replace(calendar(), "END:VCALENDAR\r\n", "", 1) + calendar(good), "02T10:00/02T11:00"},
		{"free and busy time", calendar("BEGIN:VFREEBUSY\r\nFREEBUSY;FBTYPE=BUSY-UNAVAILABLE:20260302T100000Z/PT1H,20260303T100000Z/20260303T120000Z\r\nFREEBUSY;FBTYPE=FREE:20260304T100000Z/PT1H\r\nEND:VFREEBUSY\r\n"), "02T10:00/02T11:00 03T10:00/03T12:00"},
		{"an event that has no end", calendar(good) + "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:f\r\nDTSTART:20260303T100000Z\r\n", "02T10:00/02T11:00 !the file ends inside it"},
	} {
		got, err := ics.ReadBusy(strings.NewReader(c.file), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.NoError(t, err, c.name)
		require.Equal(t, c.want, said(got), c.name)
	}
	for _, none := range []string{"", "<html>sign in</html>", "BEGIN:VCARD\r\nEND:VCARD\r\n"} {
		_, err := ics.ReadBusy(strings.NewReader(none), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.ErrorIs(t, err, ics.ErrNotCalendar)
	}
}

// Rules expand as an independent expander does, from any start to any window.
func TestRulesAgreeWithAnIndependentExpander(t *testing.T) {
	pick := func(t *rapid.T, label string, of ...string) string { return rapid.SampledFrom(of).Draw(t, label) }
	rapid.Check(t, func(t *rapid.T) {
		start := time.Date(2020, time.Month(rapid.IntRange(1, 12).Draw(t, "month")), rapid.IntRange(1, 31).Draw(t, "day"), 10, 0, 0, 0, time.UTC)
		freq := pick(t, "freq", "DAILY", "WEEKLY", "MONTHLY", "YEARLY")
		rule := fmt.Sprintf("FREQ=%s;INTERVAL=%d", freq, rapid.IntRange(1, 5).Draw(t, "interval"))
		by := []string{"", ";BYDAY=MO,WE", ";BYMONTH=2,11", ";BYMONTHDAY=1,15,-1", ";WKST=SU;BYDAY=SU,TU"}
		switch freq {
		case "DAILY":
			by = append(by, ";BYHOUR=9,17", ";BYHOUR=9,12;BYMINUTE=0,30;BYSETPOS=-1")
		case "MONTHLY":
			by = append(by, ";BYDAY=2TU,-1FR", ";BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-1,1")
		case "YEARLY":
			by = append(by, ";BYDAY=20MO", ";BYWEEKNO=1,20,-1;BYDAY=MO,SU", ";BYMONTH=3;BYDAY=-1SU", ";BYYEARDAY=1,-1")
		case "WEEKLY":
			by = []string{"", ";BYDAY=MO,WE", ";WKST=SU;BYDAY=SU,TU"}
		}
		rule += pick(t, "by", by...)
		rule += pick(t, "limit", "", ";COUNT=7", ";UNTIL=20240615T100000Z")
		from := start.AddDate(0, 0, rapid.IntRange(0, 2500).Draw(t, "window"))
		to := from.AddDate(0, 0, 400)

		oracle := func(rule string) *rrule.Set {
			set, err := rrule.StrToRRuleSet("DTSTART:" + start.Format("20060102T150405Z") + "\nRRULE:" + rule)
			require.NoError(t, err)
			return set
		}
		set := oracle(rule)
		if !set.After(start, true).Equal(start) {
			set = oracle(strings.Replace(rule, "COUNT=7", "COUNT=6", 1)) // it does not count a start outside its rule
		}
		var want []span.Span
		occurrences := set.Between(from.Add(-time.Minute+time.Second), to, true)
		if !start.Before(from) && (len(occurrences) == 0 || !occurrences[0].Equal(start)) {
			occurrences = append([]time.Time{start}, occurrences...) // DTSTART always counts
		}
		for _, o := range occurrences {
			if s := span.For(span.At(o), 1); s.Overlaps(span.Between(span.At(from), span.At(to))) {
				want = append(want, s)
			}
		}
		sc := scope(t, from.Format(time.RFC3339), to.Format(time.RFC3339))
		got, err := ics.ReadBusy(strings.NewReader(calendar(event("DTSTART:"+start.Format("20060102T150405Z")+"|DURATION:PT1M|RRULE:"+rule))), sc)
		require.NoError(t, err)
		require.Empty(t, got.Skipped)
		var spans []span.Span
		for _, e := range got.Events {
			for _, o := range e.Occurrences {
				spans = append(spans, o.During)
			}
		}
		require.Equal(t, want, spans, rule)
	})
}

// Weeks are numbered as RFC 5545, section 3.3.10 (BYWEEKNO) has it, from whichever day they begin: the first has four days and more of the year,
// so that the fourth of January lies in it. The independent expander takes years of 52 weeks for longer ones.
func TestWeeksAreNumberedFromAnyDay(t *testing.T) {
	days := []string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}
	for begins, name := range days {
		first := func(year int) time.Time {
			fourth := time.Date(year, 1, 4, 10, 0, 0, 0, time.UTC)
			return fourth.AddDate(0, 0, -(int(fourth.Weekday())-begins+7)%7)
		}
		for _, week := range []int{1, 20, 52, 53, -1, -53} {
			var want []string
			for year := 2019; year <= 2050; year++ {
				weeks := int(first(year+1).Sub(first(year)).Hours()) / 24 / 7
				number := week
				if week < 0 {
					number = weeks + 1 + week
				}
				friday := first(year).AddDate(0, 0, 7*(number-1)+(5-begins+7)%7)
				if number >= 1 && number <= weeks && friday.Year() >= 2021 && friday.Year() <= 2048 {
					want = append(want, friday.Format("2006-01-02"))
				}
			}
			rule := fmt.Sprintf("FREQ=YEARLY;BYWEEKNO=%d;BYDAY=FR;WKST=%s", week, name)
			got, err := ics.ReadBusy(strings.NewReader(calendar(event("DTSTART:20200101T100000Z|DURATION:PT1M|RRULE:"+rule))), scope(t, "2021-01-01T00:00:00Z", "2049-01-01T00:00:00Z"))
			require.NoError(t, err)
			var dates []string
			for _, e := range got.Events {
				for _, o := range e.Occurrences {
					dates = append(dates, o.During.Start().Time().UTC().Format("2006-01-02"))
				}
			}
			require.Equal(t, want, dates, rule)
		}
	}
}

// Rules by hours and minutes pick what looking at every minute picks.
func TestRulesOfHoursAgreeWithLookingAtEveryMinute(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		some := func(label string, n int) []int {
			list := rapid.SliceOfNDistinct(rapid.IntRange(0, n-1), 0, 3, rapid.ID).Draw(t, label)
			slices.Sort(list)
			return list
		}
		start := time.Date(2026, 3, 2, rapid.IntRange(0, 23).Draw(t, "hour"), rapid.IntRange(0, 59).Draw(t, "minute"), 0, 0, time.UTC)
		hourly, interval := rapid.Bool().Draw(t, "hourly"), rapid.IntRange(1, 30).Draw(t, "interval")
		hours, minutes, days := some("hours", 24), some("minutes", 60), rapid.Bool().Draw(t, "days")
		rule := fmt.Sprintf("FREQ=%s;INTERVAL=%d", map[bool]string{true: "HOURLY", false: "MINUTELY"}[hourly], interval)
		part := func(name string, list []int) {
			if len(list) > 0 {
				rule += ";" + name + "=" + strings.Trim(strings.ReplaceAll(fmt.Sprint(list), " ", ","), "[]")
			}
		}
		part("BYHOUR", hours)
		part("BYMINUTE", minutes)
		if days {
			rule += ";BYDAY=TU,SA"
		}
		from := start.AddDate(0, 0, rapid.IntRange(0, 30).Draw(t, "from")).Truncate(24 * time.Hour)
		to := from.AddDate(0, 0, 4)
		var want []string
		for at := start; at.Before(to); at = at.Add(time.Minute) {
			unit := time.Minute
			if hourly {
				unit = time.Hour
			}
			fits := int(at.Truncate(unit).Sub(start.Truncate(unit))/unit)%interval == 0
			fits = fits && (len(hours) == 0 || slices.Contains(hours, at.Hour()))
			fits = fits && (len(minutes) == 0 && (!hourly || at.Minute() == start.Minute()) || slices.Contains(minutes, at.Minute()))
			fits = fits && (!days || at.Weekday() == time.Tuesday || at.Weekday() == time.Saturday)
			if (fits || at.Equal(start)) && !at.Before(from) {
				want = append(want, at.Format("02T15:04")+"/"+at.Add(time.Minute).Format("02T15:04"))
			}
		}
		got, err := ics.ReadBusy(strings.NewReader(calendar(event("DTSTART:"+start.Format("20060102T150405Z")+"|DURATION:PT1M|RRULE:"+rule))), scope(t, from.Format(time.RFC3339), to.Format(time.RFC3339)))
		require.NoError(t, err)
		require.Equal(t, strings.Join(want, " "), said(got), rule)
	})
}

// Whatever a file says, reading it ends soon, in bounded memory, and a good event
// beside it is still read.
func TestHostileInputIsBounded(t *testing.T) {
	good := event("DTSTART:20260302T100000Z|DTEND:20260302T110000Z")
	hostile := func(lines string) string {
		return "BEGIN:VEVENT\r\nUID:h\r\n" + strings.ReplaceAll(lines, "|", "\r\n") + "\r\nEND:VEVENT\r\n"
	}
	for _, c := range []struct{ name, event, reason string }{
		{"every second for ever", hostile("DTSTART:19700101T000000Z|DURATION:PT1S|RRULE:FREQ=SECONDLY"), "too often"},
		{"a rule that never comes true, counted", hostile("DTSTART:20260101T000000Z|DURATION:PT1H|RRULE:FREQ=DAILY;BYMONTH=2;BYMONTHDAY=30;COUNT=5"), ""},
		{"an interval of none", hostile("DTSTART:20260101T000000Z|RRULE:FREQ=DAILY;INTERVAL=0"), "repetition cannot be read"},
		{"a month past all months", hostile("DTSTART:20261301T000000Z|DURATION:PT1H"), "dates cannot be read"},
		{"a count without end", hostile("DTSTART:19700101T000000Z|DURATION:PT1S|RRULE:FREQ=SECONDLY;COUNT=2000000000"), "too many steps"},
		{"a second that never comes", hostile("DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=SECONDLY;BYMONTH=2;BYMONTHDAY=30"), ""},
		{"a million exceptions", hostile("DTSTART:20260101T000000Z|DURATION:PT1H|RRULE:FREQ=DAILY|EXDATE:" + strings.Repeat("20250101T000000Z,", 1_000_000) + "20250101T000000Z"), ""},
		{"a hundred thousand lines", hostile(strings.Repeat("UID:x|", 100_000) + "DTSTART:20260302T100000Z"), "too many lines"},
		{"nested without end", "BEGIN:VEVENT\r\n" + strings.Repeat("BEGIN:X\r\n", 5_000) + strings.Repeat("END:X\r\n", 5_000) + "END:VEVENT\r\n", "nested"},
		{"parameters without end", hostile("DTSTART" + strings.Repeat(`;X="a`, 1000) + ":20260302T100000Z"), "no start"},
		{"a million exceptions on lines of their own, one of which counts", hostile("DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=1|EXDATE:20260302T100000Z|" + strings.Repeat("EXDATE;VALUE=DATE-TIME:20250101T000000Z|", 1_000_000)), ""},
		{"a million additions", hostile("DTSTART:20260302T100000Z|RDATE:" + strings.Repeat("20260303T000000Z,20260303T000001Z,", 500_000) + "20260304T000000Z"), "too often"},
		{"a line that never ends", "BEGIN:VEVENT\r\nDTSTART:" + strings.Repeat("2", 1<<20) + "\r\nEND:VEVENT\r\n", "too long"},
	} {
		got, err := ics.ReadBusy(strings.NewReader(calendar(c.event, good)), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.NoError(t, err, c.name)
		require.Contains(t, said(got), "02T10:00/02T11:00", c.name)
		if strings.HasSuffix(c.name, "which counts") {
			require.Equal(t, "02T10:00/02T11:00", said(got), c.name)
		}
		if c.reason != "" {
			require.Len(t, got.Skipped, 1, c.name)
			require.Contains(t, got.Skipped[0].Reason, c.reason, c.name)
		}
	}
}

// Whatever stands before it in a file, a good calendar is read, and what is read
// lies in the window and in order.
func FuzzReadBusy(f *testing.F) {
	f.Add(calendar(event("DTSTART;TZID=Europe/Dublin:20260302T100000|DURATION:PT1H|RRULE:FREQ=WEEKLY;BYDAY=MO,-1FR;COUNT=3|EXDATE:20260309T100000Z")))
	f.Add(calendar(event("DTSTART;VALUE=DATE:20260302|RRULE:FREQ=MONTHLY;BYSETPOS=-1;BYDAY=MO,TU")) + "\xef\xbb\xbfBEGIN:VCALENDAR\n x")
	f.Add("BEGIN:VCALENDAR\nBEGIN:VEVENT\nDTSTART:20260302\nDURATION:-P1W\nRECURRENCE-ID;RANGE=THISANDFUTURE:20260302\nEND:VEVENT")
	f.Add(calendar(zoneOf("Z", "BEGIN:STANDARD|DTSTART:20200101T000000|RRULE:FREQ=YEARLY;BYWEEKNO=20|TZOFFSETFROM:+0100|TZOFFSETTO:-0300|END:STANDARD"),
		event("DTSTART;TZID=Z:20260302T100000|DTEND;TZID=Z:20260302T110000|RRULE:FREQ=HOURLY;BYMINUTE=0,30;BYHOUR=9;BYSETPOS=-1|RDATE;VALUE=PERIOD:20260305T080000Z/PT3H|EXRULE:FREQ=DAILY")))
	f.Add(calendar("BEGIN:VFREEBUSY\r\nFREEBUSY;FBTYPE=BUSY-TENTATIVE:20260302T100000Z/PT1H,20260303T100000Z/20260303T120000Z\r\n"))
	sc := scope(f, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z")
	good := strings.Replace(calendar(event("DTSTART:20260321T100000Z|DURATION:PT1H|SEQUENCE:2147483647")), "UID:e", "UID:a-good-one", 1)
	f.Fuzz(func(t *testing.T, text string) {
		if strings.HasPrefix(text, "\xff\xfe") || strings.HasPrefix(text, "\xfe\xff") || strings.Contains(text, "\x00") || strings.Contains(text, "a-good-one") {
			t.Skip("two encodings in one file")
		}
		got, err := ics.ReadBusy(strings.NewReader(text+"\r\nEND:VCALENDAR\r\n"+good), sc)
		if err != nil {
			require.ErrorIs(t, err, ics.ErrNotCalendar)
			return
		}
		found := false
		for _, e := range got.Events {
			at := span.Instant(-1 << 62)
			for _, o := range e.Occurrences {
				require.True(t, o.During.Overlaps(sc.Window))
				require.LessOrEqual(t, at, o.During.Start())
				at = o.During.Start()
			}
			found = found || e.UID == "a-good-one"
		}
		require.True(t, found)
	})
}
