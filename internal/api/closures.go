package api

import (
	"context"
	"fmt"
	"io"
	"net/http"
	"strings"
	"unicode/utf8"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/feed"
	"niche/internal/link"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Closure is a date on which the whole business is closed.
type Closure struct {
	Date string `json:"date" format:"date"`
	Name string `json:"name" maxLength:"200"`
}

// Closures are all of them.
type Closures struct {
	Items []Closure `json:"items" maxItems:"3000"`
}

// Import is a public calendar of whole days, as text or by its address.
type Import struct {
	Text    string `json:"text,omitempty" doc:"iCalendar data."`
	Address string `json:"address,omitempty" maxLength:"2000" doc:"An iCalendar address."`
}

// ClosuresNow are all closures, and the date.
type ClosuresNow struct {
	Closures
	Today string `json:"today" format:"date" doc:"In the business's zone."`
}

// Imported is what a public calendar says of the coming two years.
type Imported struct {
	Items   []Closure `json:"items" doc:"Not saved yet."`
	Skipped int       `json:"skipped" doc:"Events that could not be read."`
}

// importDays is how far ahead closures are read from a public calendar.
const importDays = 730

func (s *server) registerClosures(a huma.API) {
	huma.Register(a, get("/api/closures", "listClosures", "When the business is closed"), s.listClosures)
	huma.Register(a, put("/api/closures", "changeClosures", "Change when the business is closed"), s.changeClosures)
	huma.Register(a, post("/api/closures/import", "importClosures", "Read closures from a public calendar, without saving them", http.StatusOK), s.importClosures)
}

func (s *server) closures(ctx context.Context) (out ClosuresNow, err error) {
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return out, err
	}
	var rows []store.Closure
	err = s.DB.Read(ctx).Order("date").Find(&rows).Error
	out.Items, out.Today = make([]Closure, 0, len(rows)), zone.DateAt(span.At(s.Now())).String()
	for _, r := range rows {
		out.Items = append(out.Items, Closure(r))
	}
	return out, err
}

func (s *server) listClosures(ctx context.Context, _ *struct{}) (*body[ClosuresNow], error) {
	return answer(s.closures(ctx))
}

func (s *server) changeClosures(ctx context.Context, in *struct {
	Accepting
	Body Closures
}) (*body[ClosuresNow], error) {
	for i, c := range in.Body.Items {
		if _, err := hours.ParseDate(c.Date); err != nil {
			return nil, wrong(fmt.Sprintf("items[%d].date", i), "This is not a date, as in 2026-03-17.")
		}
	}
	err := s.change(ctx, in.Accepting, func(tx *gorm.DB) error {
		if err := tx.Where("1 = 1").Delete(&store.Closure{}).Error; err != nil {
			return err
		}
		for _, c := range in.Body.Items {
			row := store.Closure(c)
			if err := tx.Clauses(clause.OnConflict{UpdateAll: true}).Create(&row).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return answer(s.closures(ctx))
}

func (s *server) importClosures(ctx context.Context, in *struct{ Body Import }) (*body[Imported], error) {
	field, data := "text", io.Reader(strings.NewReader(in.Body.Text))
	if in.Body.Address != "" {
		field = "address"
		got, err := feed.Get(ctx, s.Outbound, in.Body.Address, feed.Known{})
		if err != nil {
			return nil, wrong(field, link.FeedWords(err).Text)
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
		return nil, wrong(field, "This is not iCalendar data.")
	}
	out := Imported{Items: []Closure{}, Skipped: len(skipped)}
	for _, d := range days {
		name := strings.ToValidUTF8(d.Name, "")
		for utf8.RuneCountInString(name) > 200 {
			name = name[:len(name)/2]
			name = strings.ToValidUTF8(name, "")
		}
		out.Items = append(out.Items, Closure{d.Date.String(), name})
	}
	return answer(out, nil)
}
