package casefile_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/casefile"
)

// example is the case of the rules, with the hours of one day and no more
// than the service asks for; edits replace parts of it.
const example = `{
  "now": "2026-03-02T08:00:00Z", "zone": "Europe/Dublin", "from": "2026-03-04", "to": "2026-03-04",
  "service": {"id": "home", "length": 60, "step": 60},
  "staff": [{"id": "mara", "zone": "Europe/Dublin", "patterns": [{"from": "2026-01-01", "until": null, "cycle": [{"wed": {"spans": [["09:00","15:00"]]}}]}]}]
}`

// answer solves the example with some of its parts replaced: old, new, old, new.
func answer(t *testing.T, edits ...string) casefile.Answer {
	text := example
	for i := 0; i < len(edits); i += 2 {
		require.Contains(t, text, edits[i])
		text = strings.ReplaceAll(text, edits[i], edits[i+1])
	}
	q, err := casefile.Read(strings.NewReader(text))
	require.NoError(t, err)
	return casefile.Solve(q)
}

// starts lists the offered starts in Dublin's winter, as "09:00 10:00"; where
// a range of dates is asked about, with the day before each.
func starts(a casefile.Answer, layout string) string {
	var list []string
	for _, o := range a.Offers {
		list = append(list, o.Start.Time().Format(layout))
	}
	return strings.Join(list, " ")
}

func TestTheWorkedExamplesOfTheRules(t *testing.T) {
	const staff, service = `"id": "mara", "zone": "Europe/Dublin",`, `"length": 60, "step": 60`
	week := `"cycle": [{"mon": {"spans": [["09:00","15:00"]]}, "tue": {"spans": [["09:00","15:00"]]}, "wed": {"spans": [["09:00","15:00"]]}, "thu": {"spans": [["09:00","15:00"]]}, "fri": {"spans": [["09:00","15:00"]]}, "sat": {"spans": [["09:00","15:00"]]}, "sun": {"spans": [["09:00","15:00"]]}}]`
	everyDay := []string{`"cycle": [{"wed": {"spans": [["09:00","15:00"]]}}]`, week}
	for _, c := range []struct {
		name  string
		edits []string
		want  string
	}{
		{"hours 09:00–15:00, length 60, step 60, no buffers", nil, "09:00 10:00 11:00 12:00 13:00 14:00"},
		{"the same with a break 11:00–12:00", []string{`"15:00"]]`, `"15:00"]], "breaks": [["11:00","12:00"]]`}, "09:00 10:00 12:00 13:00 14:00"},
		{"the same, anchor opening, hours 09:15–12:15", []string{service, service + `, "anchor": "opening"`, `["09:00","15:00"]`, `["09:15","12:15"]`}, "09:15 10:15 11:15"},
		{"a personal event 15:00–16:00 with 60 before: nothing may occupy 14:00–16:00",
			[]string{`"15:00"]]`, `"18:00"]]`, staff, staff + `"busy": [{"start": "2026-03-04T15:00:00Z", "end": "2026-03-04T16:00:00Z", "padBefore": 60}],`}, "09:00 10:00 11:00 12:00 13:00 16:00 17:00"},
		{"cap 2 for this service; three personal events and one booking of it that day",
			[]string{service, service + `, "capPerDay": 2`, staff, staff + `"busy": [{"start": "2026-03-04T11:00:00Z", "end": "2026-03-04T11:30:00Z"}, {"start": "2026-03-04T12:00:00Z", "end": "2026-03-04T12:30:00Z"}, {"start": "2026-03-04T13:00:00Z", "end": "2026-03-04T13:30:00Z"}],
				"bookings": [{"id": "b", "service": "home", "start": "2026-03-04T09:00:00Z", "end": "2026-03-04T10:00:00Z"}],`}, "10:00 14:00"},
	} {
		t.Run(c.name, func(t *testing.T) { require.Equal(t, c.want, starts(answer(t, c.edits...), "15:04")) })
	}

	near := starts(answer(t, service, `"length": 30, "step": 5, "bufferBefore": 15, "bufferAfter": 5`, staff, staff+
		`"bookings": [{"id": "b", "service": "home", "start": "2026-03-04T10:00:00Z", "end": "2026-03-04T10:30:00Z", "bufferBefore": 15, "bufferAfter": 5}],`), "15:04")
	require.Contains(t, near, "09:05 09:10 10:50 10:55", "the last start before the booking is 09:10, the first after it 10:50")

	friday := answer(t, append(everyDay, `"from": "2026-03-04", "to": "2026-03-04"`, `"from": "2026-03-05", "to": "2026-03-07"`, `"step": 60`, `"step": 360`, staff,
		staff+`"busy": [{"start": "2026-03-06T00:00:00Z", "end": "2026-03-07T00:00:00Z"}],`, `["09:00","15:00"]`, `["06:00","15:00"]`)...)
	require.Equal(t, "Thu06 Thu12 Sat06 Sat12", starts(friday, "Mon15"), "a whole day on a Friday takes the Friday and nothing else")

	notice := answer(t, append(everyDay, `"from": "2026-03-04", "to": "2026-03-04"`, `"from": "2026-03-03", "to": "2026-03-04"`, `T08:00:00Z"`, `T18:01:00Z"`,
		service, service+`, "notice": {"daysBefore": 1, "by": "18:00"}`)...)
	require.Equal(t, "Wed09 Wed10 Wed11 Wed12 Wed13 Wed14", starts(notice, "Mon15"), "by 18:00 the day before, and it is Monday 18:01")

	window := answer(t, append(everyDay, `"from": "2026-03-04", "to": "2026-03-04"`, `"from": "2026-03-05", "to": "2026-03-10"`, `"step": 60`, `"step": 720`, `["09:00","15:00"]`, `["12:00","15:00"]`,
		`"length": 60`, `"length": 60, "window": {"days": 5}`)...)
	require.Equal(t, "Thu12 Fri12 Sat12", starts(window, "Mon15"), "five days from a Monday end on Saturday")

	shared := []string{service, service + `, "places": 8`, staff, staff + `"bookings": [{"id": "b", "service": "home", "start": "2026-03-04T10:00:00Z", "end": "2026-03-04T11:00:00Z", "places": 6}],`}
	for _, o := range answer(t, shared...).Offers {
		left := 8
		if o.Start.Time().Hour() == 10 {
			left = 2
		}
		require.Equal(t, left, o.PlacesLeft)
	}
	party := answer(t, append(shared, `"service": {`, `"placesAsked": 3, "service": {`)...)
	require.Equal(t, "09:00 11:00 12:00 13:00 14:00", starts(party, "15:04"))
	require.Equal(t, casefile.Reason{Code: "places", Detail: "6 of 8 places taken, 3 asked for."}, party.Refusals[0].Reasons[0])
	require.Equal(t, 6, party.Budget.Candidates)
	require.Equal(t, 1, party.Budget.Lost["places"])
}

func TestFaultsAreNamedByTheirPath(t *testing.T) {
	full := `{"now": "2026-03-02", "zone": "Mars", "from": "2026-03-04", "to": "2026-03-01", "extra": 1, "closures": ["soon"],
		"service": {"id": "", "length": 0, "step": 1.5, "anchor": "door", "notice": {"minutes": 1, "by": "18:00"}, "window": {"days": 1, "from": "2026-01-01"}, "needs": ["a", "a"], "capPerDay": -1, "staffing": "some"},
		"staff": [{"id": "m", "zone": "UTC", "patterns": [{"from": "2026-02-01", "until": "2026-01-01", "cycle": []},
			{"from": "2026-01-01", "cycle": [{"mon": {"spans": [["09:00","12:00"],["11:00","13:00"]], "breaks": [["12:30","14:00"]]}, "son": {}, "tue": {"spans": [["9","10:00"],["11:00"]]}}]}],
			"oneOffs": [{"date": "2026-03-03", "spans": [["24:00","02:00"]]}, {"date": "2026-03-03", "spans": []}], "busy": [{"start": "2026-03-03T10:00:00Z", "end": "2026-03-03T09:00:00Z", "pad": 1}]},
			{"id": "m", "zone": "UTC", "bookings": [{}]}], "resources": [{"id": "r", "kind": "k", "taken": [["2026-03-03T10:00:00Z"]]}]}`
	_, err := casefile.Read(strings.NewReader(full))
	var faults casefile.Faults
	require.ErrorAs(t, err, &faults)
	var paths []string
	for _, f := range faults {
		paths = append(paths, f.Path)
	}
	require.ElementsMatch(t, []string{"now", "zone", "to", "extra", "closures[0]", "service.id", "service.length", "service.step", "service.anchor", "service.notice", "service.window",
		"service.needs[1]", "service.capPerDay", "service.staffing", "staff[0].patterns[0].until", "staff[0].patterns[0].cycle", "staff[0].patterns[1].cycle[0].mon.spans[1]",
		"staff[0].patterns[1].cycle[0].mon.breaks[0]", "staff[0].patterns[1].cycle[0].son", "staff[0].patterns[1].cycle[0].tue.spans[0][0]", "staff[0].patterns[1].cycle[0].tue.spans[1]",
		"staff[0].oneOffs[0].spans[0]", "staff[0].oneOffs[1].date", "staff[0].busy[0].pad", "staff[0].busy[0]", "staff[1].id",
		"staff[1].bookings[0].service", "staff[1].bookings[0].start", "staff[1].bookings[0].end", "resources[0].taken[0]"}, paths)
	for _, broken := range []string{"", "[]", "{", `{"now": 1, "now": 2}`, example + "x", strings.Repeat("[", 100)} {
		_, err := casefile.Read(strings.NewReader(broken))
		require.Error(t, err, broken)
	}
}

// Whatever stands in a file, reading ends with a case or with faults, and a
// sound case can be answered.
func FuzzRead(f *testing.F) {
	f.Add(example)
	f.Add(strings.Replace(example, `"staff": [`, `"placesAsked": 2, "resources": [{"id": "r", "kind": "k", "taken": []}], "staff": [`, 1))
	f.Add(strings.Replace(example, `"step": 60`, `"step": 7, "anchor": "opening", "places": 3, "window": {"from": "2026-03-01"}, "notice": {"daysBefore": 1, "by": "24:00"}, "staffing": "all"`, 1))
	f.Fuzz(func(t *testing.T, text string) {
		q, err := casefile.Read(strings.NewReader(text))
		if err != nil || q.To-q.From > 40 || len(q.Staff) > 5 {
			return
		}
		a := casefile.Solve(q)
		require.Len(t, a.Refusals, a.Budget.Candidates-a.Budget.Offered)
		var out bytes.Buffer
		require.NoError(t, a.Write(&out))
		require.True(t, json.Valid(out.Bytes()), fmt.Sprint(out.String()))
	})
}
