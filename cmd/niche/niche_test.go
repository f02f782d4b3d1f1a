package main

import (
	"bytes"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

const sound = `{"now": "2026-03-02T08:00:00Z", "zone": "Europe/Dublin", "from": "2026-03-04", "to": "2026-03-04",
  "service": {"id": "home", "length": 60, "step": 60, "bufferAfter": 30, "notice": {"minutes": 3000}, "capPerDay": 2},
  "staff": [{"id": "mara", "zone": "Europe/Dublin", "patterns": [{"from": "2026-01-01", "until": null, "cycle": [{"wed": {"spans": [["09:00", "15:00"]]}}]}],
    "busy": [{"start": "2026-03-04T12:00:00Z", "end": "2026-03-04T13:00:00Z", "calendar": "family", "padBefore": 15}]}]}`

// niche runs the program as from a shell, and returns what it prints and its
// exit code.
func niche(t *testing.T, in string, args ...string) (out string, code int, err error) {
	root := rootCommand()
	var printed bytes.Buffer
	root.SetIn(strings.NewReader(in))
	root.SetOut(&printed)
	root.SetErr(&printed)
	root.SetArgs(args)
	if err = root.ExecuteContext(t.Context()); err != nil {
		code = exitCode(err)
	}
	return printed.String(), code, err
}

func TestCasesAreAnsweredFromFilesAndStandardInput(t *testing.T) {
	file := filepath.Join(t.TempDir(), "case.json")
	require.NoError(t, os.WriteFile(file, []byte(sound), 0o600))
	fromFile, code, err := niche(t, "", "offers", file)
	require.NoError(t, err)
	require.Zero(t, code)
	fromInput, _, err := niche(t, sound, "offers", "-")
	require.NoError(t, err)
	require.Equal(t, fromFile, fromInput)
	require.JSONEq(t, `{"offers": [{"start": "2026-03-04T10:00:00Z", "staff": ["mara"], "placesLeft": 1}, {"start": "2026-03-04T13:00:00Z", "staff": ["mara"], "placesLeft": 1}, {"start": "2026-03-04T14:00:00Z", "staff": ["mara"], "placesLeft": 1}],
		"refusals": [{"start": "2026-03-04T09:00:00Z", "staff": "mara", "reasons": [{"code": "notice", "detail": "50 h of notice is asked, and only 49 h is left."}]},
			{"start": "2026-03-04T11:00:00Z", "staff": "mara", "reasons": [{"code": "busy", "detail": "Busy 12:00–13:00 in “family”, kept free 15 min before; 11:00–12:30 is needed."}]},
			{"start": "2026-03-04T12:00:00Z", "staff": "mara", "reasons": [{"code": "busy", "detail": "Busy 12:00–13:00 in “family”, kept free 15 min before; 12:00–13:30 is needed."}]}],
		"budget": {"candidates": 6, "offered": 3, "past": 0, "notice": 1, "window": 0, "outside-hours": 0, "busy": 2, "booked": 0, "places": 0, "cap": 0, "resource": 0}}`, fromFile)

	why, _, err := niche(t, sound, "why", "-", "--at", "2026-03-04T11:00:00Z", "--staff", "mara")
	require.NoError(t, err)
	require.Equal(t, `11:00 on Wed 4 Mar 2026 (Europe/Dublin) with mara: not offered.
  ✓ past          It lies ahead: now is 08:00 on Mon 2 Mar.
  ✓ notice        50 h of notice is asked, and 51 h is left.
  ✓ window        Any date can be booked.
  ✓ outside-hours 11:00–12:00 lies inside the hours 09:00–15:00.
  ✗ busy          Busy 12:00–13:00 in “family”, kept free 15 min before; 11:00–12:30 is needed.
  ✓ booked        No booking takes any of 11:00–12:30.
  ✓ places        0 of 1 places taken, 1 asked for.
  ✓ cap           0 of at most 2 visits of this service that day.
  ✓ resource      No room or equipment is needed.
`, why)
	off, _, err := niche(t, sound, "why", "-", "--at", "2026-03-04T10:30:00Z", "--staff", "mara")
	require.NoError(t, err)
	require.Contains(t, off, "not offered.\n  ✗ Visits start every 1 h on the clock, so none starts at this time.")
	night, _, err := niche(t, sound, "why", "-", "--at", "2026-03-04T20:00:00Z", "--staff", "mara")
	require.NoError(t, err)
	require.Contains(t, night, "✗ outside-hours There are no hours at this time.")
}

const calendar = `BEGIN:VCALENDAR
BEGIN:VEVENT
UID:a
DTSTART:20260304T100000
DURATION:PT2H
ATTENDEE;PARTSTAT=DECLINED:mailto:noor@haddad.example
END:VEVENT
BEGIN:VEVENT
UID:b
DTSTART;VALUE=DATE:20260305
END:VEVENT
BEGIN:VEVENT
UID:c
DTSTART;TZID=Nowhere:20260305T100000
DURATION:PT2H
END:VEVENT
BEGIN:VEVENT
UID:d
DTSTART;TZID=GMT Standard Time:20260304T110000
DTEND;TZID=GMT Standard Time:20260304T130000
END:VEVENT
END:VCALENDAR
`

func TestBusyTimeIsPrinted(t *testing.T) {
	file := filepath.Join(t.TempDir(), "calendar.ics")
	require.NoError(t, os.WriteFile(file, []byte(calendar), 0o600))
	window := []string{"--from", "2026-03-04T10:30:00Z", "--to", "2026-03-05T12:00:00+01:00", "--zone", "Europe/Dublin"}
	const skipped = `"skipped": [{"uid": "c", "reason": "its time zone is not known"}]`
	out, _, err := niche(t, "", append([]string{"busy", file}, window...)...)
	require.NoError(t, err)
	require.JSONEq(t, `{"busy": [{"start": "2026-03-04T10:30:00Z", "end": "2026-03-04T13:00:00Z"}, {"start": "2026-03-05T00:00:00Z", "end": "2026-03-05T11:00:00Z"}], `+skipped+`}`, out)
	out, _, err = niche(t, calendar, append([]string{"busy", "-", "--owner", "Noor@Haddad.example"}, window...)...)
	require.NoError(t, err)
	require.JSONEq(t, `{"busy": [{"start": "2026-03-04T11:00:00Z", "end": "2026-03-04T13:00:00Z"}, {"start": "2026-03-05T00:00:00Z", "end": "2026-03-05T11:00:00Z"}], `+skipped+`}`, out)
	out, _, err = niche(t, "BEGIN:VCALENDAR\nEND:VCALENDAR\n", append([]string{"busy", "-"}, window...)...)
	require.NoError(t, err)
	require.JSONEq(t, `{"busy": [], "skipped": []}`, out)
}

func TestWrongInputEndsWithTwo(t *testing.T) {
	for _, c := range []struct {
		name, in string
		args     []string
		says     string
	}{
		{"no JSON", "x", []string{"offers", "-"}, "reading the case as JSON"},
		{"several faults at once", strings.NewReplacer(`"length": 60`, `"length": 0`, `"09:00"`, `"9"`).Replace(sound), []string{"offers", "-"},
			"service.length: 0 does not fit: it must be from 1 to 5270400\nstaff[0].patterns[0].cycle[0].wed.spans[0][0]: \"9\" is not a time of day, as in 09:30 or 24:00"},
		{"no such file", "", []string{"offers", "/nowhere/case.json"}, "no such file"},
		{"no file named", "", []string{"offers"}, "accepts 1 arg"},
		{"no such staff", sound, []string{"why", "-", "--at", "2026-03-04T11:00:00Z", "--staff", "piet"}, `--staff: "piet" is not in the case`},
		{"no instant", sound, []string{"why", "-", "--at", "noon", "--staff", "mara"}, "--at: \"noon\" is not a date-time"},
		{"a flag left out", sound, []string{"why", "-", "--at", "2026-03-04T11:00:00Z"}, "give a case with --at and --staff"},
		{"a flag that is none", "", []string{"offers", "--fast", "-"}, "unknown flag"},
		{"a command that is none", "", []string{"guess"}, "unknown command"},
		{"no calendar", "<html>", []string{"busy", "-", "--from", "2026-03-04T00:00:00Z", "--to", "2026-03-05T00:00:00Z", "--zone", "UTC"}, "-: this is not iCalendar data"},
		{"a window that is none", "", []string{"busy", "-", "--from", "today", "--to", "2026-03-05", "--zone", "Mars"}, "--from: \"today\" is not a date-time of RFC 3339, as in 2026-03-02T08:00:00Z\n--to: "},
		{"a window backwards", "", []string{"busy", "-", "--from", "2026-03-05T00:00:00Z", "--to", "2026-03-04T00:00:00Z", "--zone", "UTC"}, "--to: the window ends before it begins"},
		{"a window left out", "", []string{"busy", "-"}, "required flag(s)"},
		{"a wrong instant for the demo", "", []string{"demo", "--now", "noon"}, "--now"},
	} {
		_, code, err := niche(t, c.in, c.args...)
		require.ErrorContains(t, err, c.says, c.name)
		require.Equal(t, 2, code, c.name)
	}
	version, code, err := niche(t, "", "version")
	require.NoError(t, err)
	require.Zero(t, code)
	require.Contains(t, version, "niche development")
}

func TestAClockThatIsSetGoesOn(t *testing.T) {
	start := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	clock := clockFrom(start)
	first := clock()
	require.False(t, first.Before(start))
	require.True(t, clock().After(first), "it does not stand still")
}
