package client

import (
	"context"
	"slices"
	"time"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/schedule"
)

// Limits on waiting: how long one request waits, how often at most it looks, and how many may wait at the same
// time, so that a rush of bookings is not slowed down by those who watch it. Whoever finds no room is answered at
// once, and asks again by and by.
const (
	watchTime    = 20 * time.Second
	watchRest    = time.Second
	mostWatchers = 1000
)

// WatchQuery says which start of a page is watched.
type WatchQuery struct {
	PageQuery
	Start string `query:"start" format:"date-time" required:"true"`
}

// Watched says how a start stands.
type Watched struct {
	Offered bool `json:"offered" doc:"It can still be booked."`
	Waited  bool `json:"waited" doc:"It was waited for a change of that; false where there was no room to wait."`
}

// watchStart answers once a start is not offered any more, or when it has been waited for long enough.
func (s *Client) watchStart(ctx context.Context, in *WatchQuery) (*api.Body[Watched], error) {
	var start span.Instant
	if err := start.UnmarshalText([]byte(in.Start)); err != nil {
		return nil, api.Wrong("query.start", "This is not an instant.")
	}
	defer s.watching.Add(-1)
	room := s.watching.Add(1) <= mostWatchers
	news, end := s.Hub.Listen()
	defer end()
	enough, rest := time.NewTimer(watchTime), time.NewTimer(watchRest)
	defer enough.Stop()
	defer rest.Stop()
	for due, rested := true, true; ; {
		if due && rested {
			offered, err := s.offered(ctx, &in.PageQuery, start)
			if err != nil || !offered || !room {
				return api.Answer(Watched{offered, room}, err)
			}
			due, rested = false, false
			rest.Reset(watchRest)
		}
		select {
		case subject, open := <-news:
			if !open {
				return api.Answer(Watched{true, false}, nil)
			}
			due = due || subject == live.Bookings || subject == live.Calendars || subject == live.Rules
		case <-rest.C:
			rested = true
		case <-enough.C:
			return api.Answer(Watched{true, true}, nil)
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// dayQuery says of which starts it is asked whether they are offered: those of one date of the business's.
type dayQuery struct {
	PageQuery
	date hours.LocalDate
}

// offered reports whether a start is offered now. All who watch starts of the same day share the look at it.
func (s *Client) offered(ctx context.Context, in *PageQuery, start span.Instant) (bool, error) {
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return false, err
	}
	asked := dayQuery{*in, zone.DateAt(start)}
	asked.From, asked.Zone, asked.Clock = "", "", ""
	starts, err := s.days.Do(ctx, asked, func(ctx context.Context) ([]span.Instant, error) { return s.day(ctx, asked) })
	return slices.Contains(starts, start), err
}

// day reads which starts are offered on a date. One day is looked at at a time, so that those who watch never slow down
// those who book by more than that.
func (s *Client) day(ctx context.Context, in dayQuery) (starts []span.Instant, err error) {
	if err := s.looking.Acquire(ctx, 1); err != nil {
		return nil, err
	}
	defer s.looking.Release(1)
	w, err := s.wanted(s.DB.Read(ctx), &in.PageQuery)
	if err != nil {
		return nil, err
	}
	q, err := s.question(w, in.date, in.date)
	if err != nil {
		return nil, err
	}
	for _, o := range q.Answer().Offers() {
		starts = append(starts, o.At)
	}
	return starts, nil
}
