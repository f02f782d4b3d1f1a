package source

import (
	"context"
	"errors"
	"io"

	"niche/core/ics"
	"niche/internal/outbound"
)

// ReadWhole reads busy time from a body that is all of a calendar. What ends before
// its end is no calendar: the events that it does not name have not gone.
func ReadWhole(ctx context.Context, body io.Reader, scope ics.Scope) (ics.Reading, error) {
	const doing = "reading the calendar"
	reading, err := ics.ReadBusy(body, scope)
	switch {
	case errors.Is(err, ics.ErrNotCalendar):
		return reading, &outbound.Error{Kind: outbound.NotCalendar, Doing: doing, Err: err}
	case err != nil:
		return reading, outbound.Failed(ctx, doing, err)
	case reading.Truncated:
		return reading, &outbound.Error{Kind: outbound.NotCalendar, Doing: doing, Err: errors.New("it ends before the calendar does")}
	}
	return reading, nil
}
