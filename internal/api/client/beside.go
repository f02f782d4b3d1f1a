package client

import (
	"context"
	"io"
	"strings"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/outbound"
	"niche/internal/plain"
	"niche/internal/source/feed"
	"niche/internal/words"
)

// Beside asks when a client is busy by a calendar of their own. Nothing of it is kept.
type Beside struct {
	Text    string `json:"text,omitempty" maxLength:"900000" doc:"iCalendar data, as from a file."`
	Address string `json:"address,omitempty" maxLength:"2000" doc:"Or where it is published."`
	Zone    string `json:"zone" maxLength:"60"`
	From    string `json:"from" format:"date"`
}

// BusyTimes is when a client is busy.
type BusyTimes struct {
	Busy []BusyTime `json:"busy"`
	Name string     `json:"name" doc:"What the calendar calls itself, or empty."`
	Lost int        `json:"lost" doc:"How many of its events could not be read."`
}

// BusyTime is a stretch of time.
type BusyTime struct {
	Start span.Instant `json:"start" format:"date-time"`
	End   span.Instant `json:"end" format:"date-time"`
}

// Limits on a calendar beside a page.
const (
	besideDays = 100
	besideSize = 8 << 20
)

func (s *Client) lookBeside(ctx context.Context, in *struct{ Body Beside }) (*api.Body[BusyTimes], error) {
	zone, err := hours.LoadZone(in.Body.Zone)
	if err != nil {
		return nil, api.Wrong("zone", err.Error())
	}
	from, err := hours.ParseDate(in.Body.From)
	if err != nil {
		return nil, api.Wrong("from", err.Error())
	}
	var data io.Reader = strings.NewReader(in.Body.Text)
	if in.Body.Address != "" {
		got, err := feed.Get(ctx, s.Outbound, in.Body.Address, feed.Known{})
		if err != nil {
			return nil, api.Wrong("address", words.OfFeed(err).Text)
		}
		defer func() { _ = got.Body.Close() }()
		data = outbound.Limit(got.Body, besideSize)
	}
	days := zone.Over(from, from+besideDays)
	read, err := ics.ReadBusy(data, ics.Scope{Window: span.Between(days.Starting(from, 0), days.Starting(from+besideDays, 0)), Zone: zone})
	if err != nil || read.Truncated {
		field := "text"
		if in.Body.Address != "" {
			field = "address"
		}
		return nil, api.Wrong(field, "This is no iCalendar data, or not all of it.")
	}
	var spans []span.Span
	for _, e := range read.Events {
		for _, o := range e.Occurrences {
			spans = append(spans, o.During)
		}
	}
	out := BusyTimes{Busy: []BusyTime{}, Name: plain.Clean(read.Name, 80), Lost: len(read.Skipped) + read.MoreSkipped}
	for _, sp := range span.Of(spans).Spans() {
		out.Busy = append(out.Busy, BusyTime{sp.Start(), sp.End()})
	}
	return api.Answer(out, nil)
}
