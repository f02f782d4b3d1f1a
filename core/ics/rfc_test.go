package ics_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
)

const newYork = "America/New_York"

// The examples of RFC 5545, section 3.8.5.3. Starts are in September 1997 at 9
// in New York unless they say otherwise; what is wanted are the local dates, month
// and day, of the first occurrences, with the time of day where it varies.
func TestTheExamplesOfTheStandard(t *testing.T) {
	for _, c := range []struct{ start, rule, want string }{
		{"", "FREQ=DAILY;COUNT=10", "9.2 9.3 9.4 9.5 9.6 9.7 9.8 9.9 9.10 9.11 ."},
		{"", "FREQ=DAILY;UNTIL=19971224T000000Z", "9.2 9.3 9.4"},
		{"", "FREQ=DAILY;INTERVAL=2", "9.2 9.4 9.6 9.8"},
		{"", "FREQ=DAILY;INTERVAL=10;COUNT=5", "9.2 9.12 9.22 10.2 10.12 ."},
		{"19980101T090000", "FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA", "1.1 1.2 1.3 1.4"},
		{"", "FREQ=WEEKLY;COUNT=10", "9.2 9.9 9.16 9.23 9.30 10.7 10.14 10.21 10.28 11.4 ."},
		{"", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", "9.2 9.16 9.30 10.14 10.28 11.11 11.25 12.9 12.23"},
		{"", "FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", "9.2 9.4 9.9 9.11 9.16 9.18 9.23 9.25 9.30 10.2 ."},
		{"19970901T090000", "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR",
			"9.1 9.3 9.5 9.15 9.17 9.19 9.29 10.1 10.3 10.13 10.15 10.17 10.27 10.29 10.31 11.10 11.12 11.14 11.24 11.26 11.28 12.8 12.10 12.12 12.22 ."},
		{"", "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", "9.2 9.4 9.16 9.18 9.30 10.2 10.14 10.16 ."},
		{"19970905T090000", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "9.5 10.3 11.7 12.5 1.2 2.6 3.6 4.3 5.1 6.5 ."},
		{"19970905T090000", "FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR", "9.5 10.3 11.7 12.5 ."},
		{"19970907T090000", "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU", "9.7 9.28 11.2 11.30 1.4 1.25 3.1 3.29 5.3 5.31 ."},
		{"19970922T090000", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", "9.22 10.20 11.17 12.22 1.19 2.16 ."},
		{"19970928T090000", "FREQ=MONTHLY;BYMONTHDAY=-3", "9.28 10.29 11.28 12.29 1.29 2.26"},
		{"", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "9.2 9.15 10.2 10.15 11.2 11.15 12.2 12.15 1.2 1.15 ."},
		{"19970930T090000", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1", "9.30 10.1 10.31 11.1 11.30 12.1 12.31 1.1 1.31 2.1 ."},
		{"19970910T090000", "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15", "9.10 9.11 9.12 9.13 9.14 9.15 3.10 3.11 3.12 3.13 ."},
		{"", "FREQ=MONTHLY;INTERVAL=2;BYDAY=TU", "9.2 9.9 9.16 9.23 9.30 11.4 11.11 11.18 11.25 1.6 1.13 1.20 1.27 3.3 3.10 3.17 3.24 3.31"},
		{"19970610T090000", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7", "6.10 7.10 6.10 7.10 6.10 7.10 6.10 7.10 6.10 7.10 ."},
		{"19970310T090000", "FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3", "3.10 1.10 2.10 3.10 1.10 2.10 3.10 1.10 2.10 3.10 ."},
		{"19970101T090000", "FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200", "1.1 4.10 7.19 1.1 4.9 7.18 1.1 4.10 7.19 1.1 ."},
		{"19970519T090000", "FREQ=YEARLY;BYDAY=20MO", "5.19 5.18 5.17"},
		{"19970512T090000", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", "5.12 5.11 5.17"},
		{"19970512T090000", "FREQ=YEARLY;BYWEEKNO=20", "5.12 5.11 5.17"},
		{"19970313T090000", "FREQ=YEARLY;BYMONTH=3;BYDAY=TH", "3.13 3.20 3.27 3.5 3.12 3.19 3.26 3.4 3.11 3.18 3.25"},
		{"19970605T090000", "FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8", "6.5 6.12 6.19 6.26 7.3 7.10 7.17 7.24 7.31 8.7 8.14 8.21 8.28 6.4"},
		{"19970902T090000|EXDATE;TZID=America/New_York:19970902T090000", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "2.13 3.13 11.13 8.13 10.13"},
		{"19970913T090000", "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13", "9.13 10.11 11.8 12.13 1.10 2.7 3.7 4.11 5.9 6.13"},
		{"19961105T090000", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", "11.5 11.7 11.2"},
		{"19970904T090000", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "9.4 10.7 11.6 ."},
		{"19970929T090000", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", "9.29 10.30 11.27 12.30 1.29 2.26 3.30"},
		{"", "FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T210000Z", "9.2@09:00 9.2@12:00 9.2@15:00 ."},
		{"", "FREQ=MINUTELY;INTERVAL=15;COUNT=6", "9.2@09:00 9.2@09:15 9.2@09:30 9.2@09:45 9.2@10:00 9.2@10:15 ."},
		{"", "FREQ=MINUTELY;INTERVAL=90;COUNT=4", "9.2@09:00 9.2@10:30 9.2@12:00 9.2@13:30 ."},
		{"", "FREQ=DAILY;BYHOUR=9,16;BYMINUTE=0,40", "9.2@09:00 9.2@09:40 9.2@16:00 9.2@16:40 9.3@09:00"},
		{"", "FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10", "9.2@09:00 9.2@09:20 9.2@09:40 9.2@10:00 9.2@10:20 9.2@10:40 9.3@09:00"},
		{"19970805T090000", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", "8.5 8.10 8.19 8.24 ."},
		{"19970805T090000", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", "8.5 8.17 8.19 8.31 ."},
		{"20070115T090000", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", "1.15 1.30 2.15 3.15 3.30 ."},
	} {
		t.Run(c.rule, func(t *testing.T) {
			start := c.start
			if start == "" {
				start = "19970902T090000"
			}
			zone, err := hours.LoadZone(newYork)
			require.NoError(t, err)
			sc := ics.Scope{Window: span.Between(instant(t, "1996-01-01T00:00:00Z"), instant(t, "2012-01-01T00:00:00Z")), Zone: zone}
			got, err := ics.ReadBusy(strings.NewReader(calendar(event("DTSTART;TZID="+newYork+":"+start+"|DURATION:PT5M|RRULE:"+c.rule))), sc)
			require.NoError(t, err)
			require.Empty(t, got.Skipped)
			want, ended := strings.CutSuffix(c.want, " .")
			layout := "1.2"
			if strings.Contains(want, "@") {
				layout = "1.2@15:04"
			}
			var said []string
			for _, o := range got.Events[0].Occurrences {
				local := o.During.Start().Time().In(zone.Location())
				if layout == "1.2" {
					require.Equal(t, 9, local.Hour(), "the clock is kept")
				}
				said = append(said, local.Format(layout))
			}
			n := len(strings.Fields(want))
			if ended {
				require.Len(t, said, n, "%v", said)
			}
			require.Greater(t, len(said), n-1)
			require.Equal(t, want, strings.Join(said[:n], " "))
		})
	}
}

// zoneOf returns a VTIMEZONE of lines separated by |.
func zoneOf(id, lines string) string {
	return "BEGIN:VTIMEZONE\r\nTZID:" + id + "\r\n" + strings.ReplaceAll(lines, "|", "\r\n") + "\r\nEND:VTIMEZONE\r\n"
}

// The zone in RFC 5545, section 3.6.5, and zones that say something else than
// their names.
func TestAZoneThatTheFileDefinesIsFollowed(t *testing.T) {
	const eastern = "BEGIN:DAYLIGHT|DTSTART:19870405T020000|RRULE:FREQ=YEARLY;BYDAY=1SU;BYMONTH=4;UNTIL=20060402T070000Z|TZOFFSETFROM:-0500|TZOFFSETTO:-0400|END:DAYLIGHT|" +
		"BEGIN:DAYLIGHT|DTSTART:20070311T020000|RRULE:FREQ=YEARLY;BYDAY=2SU;BYMONTH=3|TZOFFSETFROM:-0500|TZOFFSETTO:-0400|END:DAYLIGHT|" +
		"BEGIN:STANDARD|DTSTART:19671029T020000|RRULE:FREQ=YEARLY;BYDAY=-1SU;BYMONTH=10;UNTIL=20061029T060000Z|TZOFFSETFROM:-0400|TZOFFSETTO:-0500|END:STANDARD|" +
		"BEGIN:STANDARD|DTSTART:20071104T020000|RRULE:FREQ=YEARLY;BYDAY=1SU;BYMONTH=11|TZOFFSETFROM:-0400|TZOFFSETTO:-0500|END:STANDARD"
	const fixed = "BEGIN:STANDARD|DTSTART:16010101T000000|TZOFFSETFROM:+0530|TZOFFSETTO:+0530|END:STANDARD"
	const dated = "BEGIN:STANDARD|DTSTART:20200101T000000|TZOFFSETFROM:+0100|TZOFFSETTO:+0100|END:STANDARD|BEGIN:DAYLIGHT|DTSTART:20260310T020000|RDATE:20260320T020000|TZOFFSETFROM:+0100|TZOFFSETTO:+0300|END:DAYLIGHT"
	const daily = "|DURATION:PT1H|RRULE:FREQ=WEEKLY;COUNT=2"
	for _, c := range []struct{ name, zone, tzid, start, want string }{
		{"the standard's own", zoneOf("Office", eastern), "Office", "20260302T100000" + daily, "02T15:00/02T16:00 09T14:00/09T15:00"},
		{"rules count, and not the name", zoneOf("Europe/Dublin", fixed), "Europe/Dublin", "20260302T100000" + daily, "02T04:30/02T05:30 09T04:30/09T05:30"},
		{"changes by date", zoneOf("Mine", dated), "Mine", "20260309T100000" + daily, "09T09:00/09T10:00 16T07:00/16T08:00"},
		{"quoted", zoneOf("My Place", fixed), `"My Place"`, "20260302T100000" + daily, "02T04:30/02T05:30 09T04:30/09T05:30"},
		{"without rules the name counts", zoneOf("Europe/Dublin", "X-NONE:1"), "Europe/Dublin", "20260302T100000" + daily, "02T10:00/02T11:00 09T10:00/09T11:00"},
		{"rules that cannot be read, and no name", zoneOf("Mine", "BEGIN:STANDARD|DTSTART:20200101T000000|TZOFFSETFROM:+9900|TZOFFSETTO:+0100|END:STANDARD"), "Mine", "20260302T100000" + daily, "!its time zone is not known"},
		{"changes by the second", zoneOf("Mine", strings.Replace(fixed, "|TZOFFSETFROM", "|RRULE:FREQ=SECONDLY|TZOFFSETFROM", 1)), "Mine", "20260302T100000" + daily, "!its time zone is not known"},
	} {
		e := event("DTSTART;TZID=" + c.tzid + ":" + c.start)
		for order, file := range []string{calendar(c.zone, e), calendar(e, c.zone)} {
			got, err := ics.ReadBusy(strings.NewReader(file), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
			require.NoError(t, err)
			require.Equal(t, c.want, said(got), "%s, order %d", c.name, order)
		}
	}
	// Two calendars in one file may mean different zones by one name.
	one := calendar(zoneOf("Z", fixed), event("DTSTART;TZID=Z:20260302T100000|DURATION:PT1H"))
	two := calendar(zoneOf("Z", dated), strings.Replace(event("DTSTART;TZID=Z:20260303T100000|DURATION:PT1H"), "UID:e", "UID:f", 1))
	got, err := ics.ReadBusy(strings.NewReader(one+two), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
	require.NoError(t, err)
	require.Equal(t, "02T04:30/02T05:30 03T09:00/03T10:00", said(got))
}

// A zone given by rules keeps the same clocks as the same zone by name, whatever
// event is asked for: the far past, both jumps, and years ahead.
func TestRulesOfAZoneAgreeWithItsName(t *testing.T) {
	const rules = "BEGIN:DAYLIGHT|DTSTART:19810329T010000|RRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU|TZOFFSETFROM:+0000|TZOFFSETTO:+0100|END:DAYLIGHT|" +
		"BEGIN:STANDARD|DTSTART:19961027T020000|RRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU|TZOFFSETFROM:+0100|TZOFFSETTO:+0000|END:STANDARD"
	for year := 2005; year < 2035; year++ {
		sc := scope(t, fmt.Sprintf("%d-01-01T00:00:00Z", year), fmt.Sprintf("%d-01-01T00:00:00Z", year+1))
		lines := fmt.Sprintf("%d0101T003000|DURATION:PT1H|RRULE:FREQ=HOURLY;INTERVAL=5", year-2)
		byRules, err := ics.ReadBusy(strings.NewReader(calendar(zoneOf("Ours", rules), event("DTSTART;TZID=Ours:"+lines))), sc)
		require.NoError(t, err)
		byName, err := ics.ReadBusy(strings.NewReader(calendar(event("DTSTART;TZID=Europe/Dublin:"+lines))), sc)
		require.NoError(t, err)
		require.NotEmpty(t, byName.Events)
		require.Equal(t, byName.Events, byRules.Events, year)
	}
}

func TestACalendarSaysHowOftenToLook(t *testing.T) {
	for lines, want := range map[string]string{
		"NAME:Hall\\, large\r\nREFRESH-INTERVAL;VALUE=DURATION:PT12H\r\n":             "Hall, large 12h0m0s",
		"X-WR-CALNAME:Hall\r\nX-PUBLISHED-TTL:P1W\r\n":                                "Hall 168h0m0s",
		"X-PUBLISHED-TTL:P1W\r\nREFRESH-INTERVAL:PT30M\r\n":                           " 30m0s",
		"REFRESH-INTERVAL:soon\r\n":                                                   " 0s",
		"BEGIN:VEVENT\r\nNAME:Nobody\r\nDTSTART:20260302\r\nEND:VEVENT\r\nNAME:A\r\n": "A 0s",
	} {
		got, err := ics.ReadBusy(strings.NewReader(calendar(lines)), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.NoError(t, err)
		require.Equal(t, want, got.Name+" "+(time.Duration(got.Refresh)*time.Minute).String())
	}
}

func TestWhatLiesAheadOfTheWindowIsTold(t *testing.T) {
	for lines, want := range map[string]bool{
		"DTSTART:20260302T100000Z|DURATION:PT1H": false, "DTSTART:20250302T100000Z|DURATION:PT1H": false,
		"DTSTART:20270302T100000Z|DURATION:PT1H": true, "DTSTART:20260401T000000Z|DURATION:PT1H": true,
		"DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY":                        true,
		"DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;COUNT=5":                false,
		"DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY;UNTIL=20260310T100000Z": false,
		"DTSTART:20260302T100000Z|DURATION:PT1H|RDATE:20270310T100000Z":                  true,
		"DTSTART:20260302T100000Z|DURATION:PT1H|RRULE:FREQ=DAILY|TRANSP:TRANSPARENT":     false,
	} {
		got, err := ics.ReadBusy(strings.NewReader(calendar(event(lines))), scope(t, "2026-03-01T00:00:00Z", "2026-04-01T00:00:00Z"))
		require.NoError(t, err)
		require.Equal(t, want, got.Beyond, lines)
	}
}
