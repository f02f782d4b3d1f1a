package desk

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/health"
	"niche/internal/reading"
	"niche/internal/store"
)

// Health is how calendars and hosts fared lately.
type Health struct {
	Hours     []span.Instant  `json:"hours" doc:"When each hour began, the first first."`
	Calendars []FaredCalendar `json:"calendars" doc:"Those that were read longest ago at worst stand first; at most 40."`
	Hosts     []FaredHost     `json:"hosts" doc:"The slowest first."`
}

// FaredCalendar is how long ago a calendar had been read, hour by hour.
type FaredCalendar struct {
	ID       store.ID      `json:"id"`
	Name     string        `json:"name"`
	Staff    store.NamedID `json:"staff"`
	State    string        `json:"state" enum:"waiting,fresh,late,unreachable,refused,gone"`
	Ago      int           `json:"ago" doc:"Seconds since it was read, or -1."`
	Worst    int           `json:"worst" doc:"The longest that was, in seconds."`
	Reads    int           `json:"reads"`
	Failures int           `json:"failures"`
	Lags     []*int        `json:"lags" doc:"The longest of each hour, in seconds; null for an hour of which nothing is known."`
}

// FaredHost is how a host bore what was asked of it.
type FaredHost struct {
	Host          string `json:"host"`
	Reads         int    `json:"reads"`
	ReadFailures  int    `json:"readFailures"`
	Writes        int    `json:"writes"`
	WriteFailures int    `json:"writeFailures"`
	Average       int    `json:"average" doc:"How long one exchange took, in milliseconds."`
	Slowest       int    `json:"slowest"`
}

// shownCalendars is how many calendars are shown.
const shownCalendars = 40

func (s *Desk) registerHealth(a huma.API) {
	huma.Register(a, api.Get("/api/health", "getHealth", "How calendars and hosts fared lately"), s.getHealth)
}

func (s *Desk) getHealth(ctx context.Context, in *struct {
	Period string `query:"period" enum:"day,week" default:"day"`
}) (*api.Body[Health], error) {
	now := span.At(s.Now())
	first := now - now%health.Hour - map[string]span.Instant{"day": 23, "week": 7*24 - 1}[in.Period]*health.Hour
	db := s.DB.Read(ctx)
	out := Health{Hours: []span.Instant{}, Calendars: []FaredCalendar{}, Hosts: []FaredHost{}}
	for h := first; h <= now; h += health.Hour {
		out.Hours = append(out.Hours, h)
	}
	rows, err := db.CalendarsInUse()
	if err != nil {
		return nil, err
	}
	known := map[store.ID]store.CalendarRow{}
	for _, r := range rows {
		known[r.ID] = r
	}
	worst, err := db.WorstCalendars(first, shownCalendars)
	if err != nil {
		return nil, err
	}
	var ids []store.ID
	at := map[store.ID]int{}
	for _, w := range worst {
		r, used := known[w.CalendarID]
		if !used {
			continue
		}
		c := FaredCalendar{ID: r.ID, Name: r.Name, Staff: store.NamedID{ID: r.StaffID, Name: r.StaffName}, State: string(reading.StateOf(r.Calendar, now)), Ago: -1, Worst: w.Lag, Reads: w.Reads, Failures: w.Failures, Lags: make([]*int, len(out.Hours))}
		if r.ReadAt > 0 {
			c.Ago = int(max(0, now-r.ReadAt))
		}
		at[r.ID], ids, out.Calendars = len(out.Calendars), append(ids, r.ID), append(out.Calendars, c)
	}
	hours, err := db.CalendarHours(ids, first)
	if err != nil {
		return nil, err
	}
	for _, h := range hours {
		if i := int((h.Hour - first) / health.Hour); i < len(out.Hours) {
			out.Calendars[at[h.CalendarID]].Lags[i] = &h.Lag
		}
	}
	hosts, err := db.HostHours(first)
	for _, h := range hosts {
		out.Hosts = append(out.Hosts, FaredHost{h.Host, h.Reads, h.ReadFailures, h.Writes, h.WriteFailures, h.Millis / max(1, h.Reads+h.Writes), h.Slowest})
	}
	return api.Answer(out, err)
}
