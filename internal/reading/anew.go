package reading

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"strings"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/store"
)

// Found is what a calendar holds, read all anew and past everything that is kept of it.
type Found struct {
	Busy    []ics.Occurrence // time that events take, whatever the calendar's choices; without own copies
	Events  int              // that take time
	Free    int              // that say themselves that they take none
	Skipped int              // that could not be read
	Refresh span.Minutes     // how seldom its host wishes to be asked, or says that it makes it anew
}

// Anew reads all of a calendar once, keeps nothing of it, and returns what it holds in a window.
func (r *Readings) Anew(ctx context.Context, calendar store.ID, window span.Span) (found Found, err error) {
	s, err := r.subject(ctx, calendar)
	if err != nil {
		return found, err
	}
	s.scope.Window, s.scope.Titles, s.scope.Suffix = window, false, ""
	reader, err := r.Links.Reader(s.Link, s.Calendar)
	if err != nil {
		return found, err
	}
	add := func(reading ics.Reading) {
		for _, e := range reading.Events {
			if !strings.HasSuffix(e.UID, store.UIDSuffix) {
				found.Events, found.Busy = found.Events+1, append(found.Busy, e.Occurrences...)
			}
		}
		found.Free, found.Skipped, found.Refresh = found.Free+reading.Free, found.Skipped+len(reading.Skipped)+reading.MoreSkipped, max(found.Refresh, reading.Refresh)
	}
	known := source.Known{Now: s.now.Time(), All: true, Objects: func(context.Context) (map[string]source.Object, error) { return map[string]source.Object{}, nil }}
	news, err := reader.Read(ctx, known, func(p source.Part) error {
		switch {
		case p.Gone:
			return nil
		case p.Fault != nil:
			found.Skipped++
			return nil
		case p.Whole:
			reading, err := source.ReadWhole(ctx, p.Body, s.scope)
			add(reading)
			return err
		}
		body, err := io.ReadAll(p.Body)
		if err != nil {
			return outbound.Failed(ctx, "reading an event", err)
		}
		reading, err := ics.ReadBusy(bytes.NewReader(body), s.scope)
		if err != nil {
			found.Skipped++
			return nil
		}
		add(reading)
		return nil
	})
	found.Refresh = max(found.Refresh, span.Minutes(news.Refresh.Minutes()))
	if err != nil {
		return found, fmt.Errorf("reading calendar %d anew: %w", calendar, err)
	}
	r.Hosts.Answered(s.Link.Host)
	return found, nil
}
