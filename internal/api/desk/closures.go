package desk

import (
	"cmp"
	"context"
	"fmt"
	"io"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/fit"
	"niche/internal/plain"
	"niche/internal/schedule"
	"niche/internal/source"
	"niche/internal/source/feed"
	"niche/internal/store"
	"niche/internal/words"
)

// Closures are all of them.
type Closures struct {
	Items []api.Closure `json:"items" maxItems:"3000"`
}

// Import is a public calendar of whole days, as text or by its address.
type Import struct {
	Text    string `json:"text,omitempty" doc:"iCalendar data."`
	Address string `json:"address,omitempty" maxLength:"2000" doc:"An iCalendar address."`
}

// ClosuresNow are all closures, and the date.
type ClosuresNow struct {
	Closures
	Today   string `json:"today" format:"date" doc:"In the business's zone."`
	Version int64  `json:"version"`
}

// Imported is what a public calendar says of the coming two years.
type Imported struct {
	Items   []api.Closure `json:"items" doc:"Not saved yet."`
	Skipped int           `json:"skipped" doc:"Events that could not be read."`
}

// importDays is how far ahead closures are read from a public calendar.
const importDays = 730

func (s *Desk) registerClosures(a huma.API) {
	huma.Register(a, api.Get("/api/closures", "listClosures", "When the business is closed"), s.listClosures)
	huma.Register(a, api.Put("/api/closures", "changeClosures", "Change when the business is closed"), s.changeClosures)
	huma.Register(a, api.Post("/api/closures/import", "importClosures", "Read closures from a public calendar, without saving them", http.StatusOK), s.importClosures)
}

func (s *Desk) closures(ctx context.Context) (out ClosuresNow, err error) {
	var zone hours.Zone
	var rows []store.Closure
	err = s.DB.View(ctx, func(tx store.Tx) (err error) {
		if zone, err = schedule.Zone(tx); err != nil {
			return err
		}
		if rows, err = tx.AllClosures(); err != nil {
			return err
		}
		out.Version, err = tx.Version(store.Closures)
		return err
	})
	if err != nil {
		return out, err
	}
	out.Items, out.Today = make([]api.Closure, 0, len(rows)), zone.DateAt(span.At(s.Now())).String()
	for _, r := range rows {
		out.Items = append(out.Items, api.Closure(r))
	}
	return out, err
}

func (s *Desk) listClosures(ctx context.Context, _ *struct{}) (*api.Body[ClosuresNow], error) {
	return api.Answer(s.closures(ctx))
}

func (s *Desk) changeClosures(ctx context.Context, in *struct {
	api.Over
	api.Accepting
	Body Closures
}) (*api.Body[ClosuresNow], error) {
	over, err := in.Expected(store.Closures)
	if err != nil {
		return nil, err
	}
	next := []hours.LocalDate{}
	rows := make([]store.Closure, len(in.Body.Items))
	for i, c := range in.Body.Items {
		d, err := hours.ParseDate(c.Date)
		if err != nil {
			return nil, api.Wrong(fmt.Sprintf("items[%d].date", i), "This is not a date, as in 2026-03-17.")
		}
		next, rows[i] = append(next, d), store.Closure(c)
	}
	saved, err := s.DB.Read(ctx).AllClosures()
	if err != nil {
		return nil, err
	}
	touched := &fit.Change{Closures: next, Dates: []hours.LocalDate{}}
	for _, d := range next {
		if !slices.ContainsFunc(saved, func(c store.Closure) bool { return c.Date == d.String() }) {
			touched.Dates = append(touched.Dates, d) // a date on which it opens leaves nothing outside
		}
	}
	_, err = s.rules.Change(ctx, in.Accepting, over, touched, func(tx store.Tx) error {
		before, err := tx.AllClosures()
		if err != nil {
			return err
		}
		if err := tx.ReplaceClosures(rows); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "closures", 0, "", byDate(before), byDate(rows))
	})
	current := func() (ClosuresNow, error) { return s.closures(ctx) }
	if err != nil {
		return nil, api.Stale(err, current, func(c ClosuresNow) int64 { return c.Version })
	}
	return api.Answer(current())
}

// byDate is what the trail keeps of closures.
func byDate(rows []store.Closure) map[string]string {
	out := map[string]string{}
	for _, r := range rows {
		out[r.Date] = cmp.Or(r.Name, "closed")
	}
	return out
}

func (s *Desk) importClosures(ctx context.Context, in *struct{ Body Import }) (*api.Body[Imported], error) {
	field, data := "text", io.Reader(strings.NewReader(in.Body.Text))
	if in.Body.Address != "" {
		field = "address"
		got, err := feed.Get(ctx, s.Outbound, in.Body.Address, feed.Known{})
		if err != nil {
			return nil, api.Wrong(field, words.OfFeed(err).Text)
		}
		defer func() { _ = got.Body.Close() }()
		data = got.Body
	}
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	today := zone.DateAt(span.At(s.Now()))
	days, skipped, err := ics.ReadDays(data, today, today+importDays)
	if err != nil {
		return nil, api.Wrong(field, "This is not iCalendar data.")
	}
	out := Imported{Items: []api.Closure{}, Skipped: len(skipped)}
	for _, d := range days {
		out.Items = append(out.Items, api.Closure{Date: d.Date.String(), Name: plain.Clean(d.Name, source.MaxName)})
	}
	return api.Answer(out, nil)
}
