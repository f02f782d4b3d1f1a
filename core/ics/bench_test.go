package ics_test

import (
	"fmt"
	"io"
	"runtime"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
	"niche/core/span"
)

const benchZone = "BEGIN:VTIMEZONE\r\nTZID:Europe/Dublin\r\nBEGIN:DAYLIGHT\r\nDTSTART:19810329T010000\r\nRRULE:FREQ=YEARLY;BYMONTH=3;BYDAY=-1SU\r\nTZOFFSETFROM:+0000\r\nTZOFFSETTO:+0100\r\nEND:DAYLIGHT\r\n" +
	"BEGIN:STANDARD\r\nDTSTART:19961027T020000\r\nRRULE:FREQ=YEARLY;BYMONTH=10;BYDAY=-1SU\r\nTZOFFSETFROM:+0100\r\nTZOFFSETTO:+0000\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\n"

// file writes a calendar of n events as programs write them, of which every
// fifth repeats, over the days around 2026.
func file(n int, w io.Writer) {
	_, _ = io.WriteString(w, "BEGIN:VCALENDAR\r\nVERSION:2.0\r\n"+benchZone)
	rules := []string{"FREQ=WEEKLY;BYDAY=MO,WE,FR", "FREQ=DAILY;INTERVAL=3", "FREQ=MONTHLY;BYDAY=-1FR", "FREQ=WEEKLY;INTERVAL=2;COUNT=200", "FREQ=YEARLY", "FREQ=WEEKLY;UNTIL=20270101T000000Z"}
	for i := range n {
		start := time.Date(2026, 1, 1, 8, 0, 0, 0, time.UTC).Add(time.Duration(i*7919%(700*24)) * time.Hour)
		repeat := ""
		if i%5 == 0 {
			start = start.AddDate(-3, 0, 0)
			repeat = "RRULE:" + rules[i/5%len(rules)] + "\r\n"
		}
		_, _ = fmt.Fprintf(w, "BEGIN:VEVENT\r\nUID:%08d-4a1b-4c2d-9e3f@calendar.example\r\nDTSTAMP:20260101T000000Z\r\nCREATED:20250101T000000Z\r\nLAST-MODIFIED:20250601T000000Z\r\n"+
			"SUMMARY:Something to do\\, number %d\r\nLOCATION:Somewhere in the town\r\nDESCRIPTION:A line of words that says a little more about it\\nand another one\r\n"+
			"DTSTART;TZID=Europe/Dublin:%s\r\nDTEND;TZID=Europe/Dublin:%s\r\n%sTRANSP:OPAQUE\r\nEND:VEVENT\r\n",
			i, i, start.Format("20060102T150405"), start.Add(time.Hour).Format("20060102T150405"), repeat)
	}
	_, _ = io.WriteString(w, "END:VCALENDAR\r\n")
}

func benchmark(b *testing.B, n, days int) {
	var text strings.Builder
	file(n, &text)
	sc := scope(b, "2026-03-01T00:00:00Z", "2026-03-01T00:00:00Z")
	sc.Window = span.For(sc.Window.Start(), span.Minutes(days*24*60))
	b.SetBytes(int64(text.Len()))
	b.ReportAllocs()
	spans := 0
	for b.Loop() {
		got, err := ics.ReadBusy(strings.NewReader(text.String()), sc)
		require.NoError(b, err)
		require.Empty(b, got.Skipped)
		spans = 0
		for _, e := range got.Events {
			spans += len(e.Occurrences)
		}
	}
	b.ReportMetric(float64(spans), "spans")
}

func BenchmarkFiveThousandEventsOver400Days(b *testing.B) { benchmark(b, 5_000, 400) }

func BenchmarkFiftyThousandEventsOver90Days(b *testing.B) { benchmark(b, 50_000, 90) }

// stream hands out a huge file without holding it.
func stream(n int) io.Reader {
	r, w := io.Pipe()
	go func() {
		file(n, w)
		_ = w.Close()
	}()
	return r
}

// BenchmarkHugeFile reads some 200 MB, and reports the most memory that was in
// use meanwhile.
func BenchmarkHugeFile(b *testing.B) {
	sc := scope(b, "2026-03-01T00:00:00Z", "2026-06-01T00:00:00Z")
	for b.Loop() {
		runtime.GC()
		got, err := ics.ReadBusy(stream(450_000), sc)
		require.NoError(b, err)
		require.NotEmpty(b, got.Events)
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		b.ReportMetric(float64(m.HeapSys)/(1<<20), "MB-heap")
	}
}
