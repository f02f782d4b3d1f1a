package casefile

import (
	"encoding/json"
	"fmt"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

// The shapes of a case, as they are written. Reading goes through a tree, which
// tells faults by their paths.
type (
	caseShape struct {
		Now         span.Instant    `json:"now"`
		Zone        string          `json:"zone"`
		From        string          `json:"from"`
		To          string          `json:"to"`
		Closures    []string        `json:"closures,omitempty"`
		Service     serviceShape    `json:"service"`
		PlacesAsked int             `json:"placesAsked,omitempty"`
		Staff       []staffShape    `json:"staff"`
		Resources   []resourceShape `json:"resources,omitempty"`
	}
	serviceShape struct {
		ID                 string         `json:"id"`
		Length             span.Minutes   `json:"length"`
		Step               span.Minutes   `json:"step"`
		Anchor             offer.Anchor   `json:"anchor,omitempty"`
		BufferBefore       span.Minutes   `json:"bufferBefore,omitempty"`
		BufferAfter        span.Minutes   `json:"bufferAfter,omitempty"`
		BuffersInsideHours bool           `json:"buffersInsideHours,omitempty"`
		Notice             offer.Notice   `json:"notice"`
		Window             offer.Window   `json:"window"`
		CapPerDay          *int           `json:"capPerDay"`
		Places             int            `json:"places,omitempty"`
		Needs              []string       `json:"needs,omitempty"`
		Staffing           offer.Staffing `json:"staffing,omitempty"`
	}
	staffShape struct {
		ID        string         `json:"id"`
		Zone      string         `json:"zone"`
		CapPerDay *int           `json:"capPerDay"`
		Patterns  []Pattern      `json:"patterns"`
		OneOffs   []OneOff       `json:"oneOffs,omitempty"`
		Busy      []busyShape    `json:"busy,omitempty"`
		Bookings  []bookingShape `json:"bookings,omitempty"`
	}
	busyShape struct {
		Start     span.Instant `json:"start"`
		End       span.Instant `json:"end"`
		Calendar  string       `json:"calendar,omitempty"`
		PadBefore span.Minutes `json:"padBefore,omitempty"`
		PadAfter  span.Minutes `json:"padAfter,omitempty"`
		Unread    bool         `json:"unread,omitempty"`
	}
	bookingShape struct {
		ID           string       `json:"id,omitempty"`
		Service      string       `json:"service"`
		Start        span.Instant `json:"start"`
		End          span.Instant `json:"end"`
		BufferBefore span.Minutes `json:"bufferBefore,omitempty"`
		BufferAfter  span.Minutes `json:"bufferAfter,omitempty"`
		Places       int          `json:"places,omitempty"`
	}
	resourceShape struct {
		ID    string            `json:"id"`
		Kind  string            `json:"kind"`
		Taken [][2]span.Instant `json:"taken"`
	}
)

// Write returns a question as the case that Read reads: with the same answer.
func Write(q offer.Question) ([]byte, error) {
	s := q.Service
	c := caseShape{Now: q.Now, Zone: q.Zone.String(), From: q.From.String(), To: q.To.String(), PlacesAsked: q.PlacesAsked, Staff: []staffShape{},
		Service: serviceShape{ID: s.ID, Length: s.Length, Step: s.Step, Anchor: s.Anchor, BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter,
			BuffersInsideHours: s.BuffersInsideHours, Notice: s.Notice, Window: s.Window, CapPerDay: capShape(s.CapPerDay),
			Places: s.Places, Needs: s.Needs, Staffing: s.Staffing}}
	for _, d := range q.Closures {
		c.Closures = append(c.Closures, d.String())
	}
	for _, m := range q.Staff {
		c.Staff = append(c.Staff, shapeOfStaff(m))
	}
	for _, r := range q.Resources {
		shape := resourceShape{ID: r.ID, Kind: r.Kind, Taken: [][2]span.Instant{}}
		for _, t := range r.Taken {
			shape.Taken = append(shape.Taken, [2]span.Instant{t.Start(), t.End()})
		}
		c.Resources = append(c.Resources, shape)
	}
	text, err := json.Marshal(c)
	if err != nil {
		return nil, fmt.Errorf("writing a case: %w", err)
	}
	return text, nil
}

func capShape(c offer.Cap) *int {
	if n, limited := c.Visits(); limited {
		return &n
	}
	return nil
}

func shapeOfStaff(m offer.Staff) staffShape {
	out := staffShape{ID: m.ID, Zone: m.Schedule.Zone.String(), CapPerDay: capShape(m.CapPerDay), Patterns: []Pattern{}}
	for _, p := range m.Schedule.Patterns {
		out.Patterns = append(out.Patterns, shapeOfPattern(p))
	}
	seen := map[hours.LocalDate]int{}
	for _, o := range m.Schedule.OneOffs {
		shape := OneOff{Date: o.Date.String(), Spans: shapesOfSpans(o.Spans)}
		if n, twice := seen[o.Date]; twice {
			out.OneOffs[n] = shape // the last one counts
			continue
		}
		seen[o.Date] = len(out.OneOffs)
		out.OneOffs = append(out.OneOffs, shape)
	}
	for _, b := range m.Busy {
		for _, event := range b.Spans {
			out.Busy = append(out.Busy, busyShape{event.Start(), event.End(), b.Name, b.PadBefore, b.PadAfter, b.Unread})
		}
	}
	for _, b := range m.Bookings {
		out.Bookings = append(out.Bookings, bookingShape{b.ID, b.Service, b.During.Start(), b.During.End(), b.BufferBefore, b.BufferAfter, b.Places})
	}
	return out
}

func shapeOfPattern(p hours.Pattern) Pattern {
	out := Pattern{From: p.From.String(), Cycle: []map[string]Day{}}
	if !p.Until.IsZero() {
		until := p.Until.String()
		out.Until = &until
	}
	for _, w := range p.Cycle {
		week := map[string]Day{}
		for i, d := range w {
			if len(d.Spans) > 0 {
				week[hours.DayKeys[i]] = Day{Spans: shapesOfSpans(d.Spans), Breaks: shapesOfSpans(d.Breaks)}
			}
		}
		out.Cycle = append(out.Cycle, week)
	}
	return out
}

func shapesOfSpans(in []hours.WallSpan) []WallSpan {
	out := make([]WallSpan, len(in))
	for i, s := range in {
		out[i] = WallSpan{s.From.String(), s.To.String()}
	}
	return out
}
