// Package casefile is the JSON shape of rules: the file from which the command
// line answers, and the patterns of hours inside it, which the server stores
// and takes in the same shape.
package casefile

import (
	"fmt"
	"slices"

	"niche/core/hours"
)

// WallSpan is a span of wall clock times as two texts, ["09:00", "17:30"].
type WallSpan [2]string

// Day is the hours of one day of the week.
type Day struct {
	Spans  []WallSpan `json:"spans"`
	Breaks []WallSpan `json:"breaks,omitempty"`
}

// Pattern is a pattern of hours. The weeks of its cycle hold days by the keys
// mon to sun; a day left out is closed.
type Pattern struct {
	From  string           `json:"from"`
	Until *string          `json:"until"`
	Cycle []map[string]Day `json:"cycle"`
}

// OneOff is a day whose hours replace all others; without spans, the person is
// away.
type OneOff struct {
	Date  string     `json:"date"`
	Spans []WallSpan `json:"spans"`
}

// Hours reads the one-off day and checks it, as Pattern.Hours does.
func (o OneOff) Hours() (out hours.OneOff, faults []hours.Fault) {
	fault := func(path string, err error) {
		if err != nil {
			faults = append(faults, hours.Fault{Path: path, What: err.Error()})
		}
	}
	var err error
	out.Date, err = hours.ParseDate(o.Date)
	fault("date", err)
	out.Spans = wallSpans(o.Spans, "spans", fault)
	if len(faults) > 0 {
		return out, faults
	}
	return out, out.Check()
}

// Hours reads the pattern and checks it. The faults have the path of the field
// below the pattern; without faults the pattern is sound.
func (p Pattern) Hours() (out hours.Pattern, faults []hours.Fault) {
	fault := func(path string, err error) {
		if err != nil {
			faults = append(faults, hours.Fault{Path: path, What: err.Error()})
		}
	}
	var err error
	out.From, err = hours.ParseDate(p.From)
	fault("from", err)
	if p.Until != nil {
		out.Until, err = hours.ParseDate(*p.Until)
		fault("until", err)
	}
	out.Cycle = make([]hours.Week, len(p.Cycle))
	for k, week := range p.Cycle {
		for key := range week {
			if !slices.Contains(hours.DayKeys[:], key) {
				fault(fmt.Sprintf("cycle[%d].%s", k, key), fmt.Errorf("%q is not a day; days are mon, tue, wed, thu, fri, sat and sun", key))
			}
		}
		for i, key := range hours.DayKeys {
			day, ok := week[key]
			if !ok {
				continue
			}
			path := fmt.Sprintf("cycle[%d].%s.", k, key)
			out.Cycle[k][i] = hours.Day{
				Spans:  wallSpans(day.Spans, path+"spans", fault),
				Breaks: wallSpans(day.Breaks, path+"breaks", fault),
			}
		}
	}
	if len(faults) > 0 {
		return out, faults
	}
	return out, out.Check()
}

func wallSpans(in []WallSpan, path string, fault func(string, error)) []hours.WallSpan {
	var out []hours.WallSpan
	for i, s := range in {
		from, err1 := hours.ParseWall(s[0])
		to, err2 := hours.ParseWall(s[1])
		fault(fmt.Sprintf("%s[%d][0]", path, i), err1)
		fault(fmt.Sprintf("%s[%d][1]", path, i), err2)
		out = append(out, hours.WallSpan{From: from, To: to})
	}
	return out
}
