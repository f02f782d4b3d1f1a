package desk

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/preview"
	"niche/internal/store"
)

func (s *Desk) registerPreview(a huma.API) {
	huma.Register(a, api.Post("/api/services/preview", "previewService", "What a service's rules would do, without saving them", http.StatusOK), s.previewService)
	huma.Register(a, api.Get("/api/why", "getWhy", "Why a start is offered or not"), s.getWhy)
	huma.Register(a, api.Get("/api/gap", "getGap", "What could be booked in a stretch of somebody's day"), s.getGap)
	huma.Register(a, api.Post("/api/services/why", "previewWhy", "Why a start would be offered or not by rules that are not saved", http.StatusOK), s.previewWhy)
}

func (s *Desk) previewService(ctx context.Context, in *struct {
	Service store.ID `query:"service" minimum:"0" doc:"The service that is being edited, or 0 for a new one."`
	Now     string   `query:"now" maxLength:"16" doc:"As if it were another moment: date and time on the business's clock, as 2026-03-02T08:00."`
	Day     string   `query:"day" maxLength:"10" doc:"A date of the four weeks that is wanted person by person, or empty."`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
	Body    ServiceFields
}) (*api.Body[preview.Preview], error) {
	db := s.DB.Read(ctx)
	a, err := s.edited(db, in.Service, in.Now, in.Clock, in.Body)
	if err != nil {
		return nil, err
	}
	if in.Day != "" {
		if a.Day, err = hours.ParseDate(in.Day); err != nil {
			return nil, api.Wrong("query.day", "This is not a date, as in 2026-03-02.")
		}
	}
	p, err := preview.Of(db, a)
	return api.Answer(p, api.Found(err, "service"))
}

// edited reads rules that are being edited.
func (s *Desk) edited(db store.Tx, service store.ID, now, clock string, f ServiceFields) (a preview.Asked, err error) {
	a.Service = store.Service{ID: service, Name: f.Name}
	if err = f.rules(&a.Service); err != nil {
		return a, err
	}
	a.Rules = func(saved store.Service) store.Service {
		_ = f.rules(&saved) // they were checked above
		return saved
	}
	if a.Staff, err = staffByIDs(db, f.Staff); err != nil {
		return a, err
	}
	if a.Text, err = inZone(db, clock); err != nil {
		return a, err
	}
	a.Now, err = s.asIf(a.Text.Zone, now)
	return a, err
}

// asIf reads a moment on the business's clock, as if it were now; now when it is
// empty.
func (s *Desk) asIf(zone hours.Zone, text string) (span.Instant, error) {
	if text == "" {
		return span.At(s.Now()), nil
	}
	day, clock, _ := strings.Cut(text, "T")
	d, err1 := hours.ParseDate(day)
	w, err2 := hours.ParseWall(clock)
	if err1 != nil || err2 != nil {
		return 0, api.Wrong("query.now", "This is not a date and a time, as in 2026-03-02T08:00.")
	}
	return zone.Over(d, d).Starting(d, int(w)), nil
}

// staffByIDs returns staff members in the order asked for.
func staffByIDs(db store.Tx, ids []store.ID) ([]store.Staff, error) {
	rows, err := db.StaffByIDs(ids)
	if err != nil {
		return nil, err
	}
	out := make([]store.Staff, 0, len(ids))
	for i, id := range ids {
		n := slices.IndexFunc(rows, func(m store.Staff) bool { return m.ID == id })
		if n < 0 {
			return nil, api.Wrong(fmt.Sprintf("staff[%d]", i), "There is no such staff member.")
		}
		out = append(out, rows[n])
	}
	return out, nil
}

// WhyQuery asks about one start of one person.
type WhyQuery struct {
	Staff store.ID `query:"staff" required:"true" minimum:"1"`
	At    string   `query:"at" required:"true" doc:"An instant; it need not be one at which visits begin."`
	Clock string   `query:"clock" enum:"24,12" default:"24"`
}

func (s *Desk) getWhy(ctx context.Context, in *struct {
	WhyQuery
	Service store.ID `query:"service" required:"true" minimum:"1"`
}) (*api.Body[preview.Why], error) {
	db := s.DB.Read(ctx)
	service, err := db.Service(in.Service)
	if err != nil {
		return nil, api.Found(err, "service")
	}
	q := preview.Question{DB: db, Service: service, Now: span.At(s.Now())}
	if q.Staff, err = db.Performers(service.ID); err != nil {
		return nil, err
	}
	if q.Text, err = inZone(db, in.Clock); err != nil {
		return nil, err
	}
	return explain(q, in.WhyQuery)
}

func (s *Desk) previewWhy(ctx context.Context, in *struct {
	WhyQuery
	Service store.ID `query:"service" minimum:"0" doc:"The service that is being edited, or 0 for a new one."`
	Now     string   `query:"now" maxLength:"16" doc:"As if it were another moment, as in a preview."`
	Body    ServiceFields
}) (*api.Body[preview.Why], error) {
	db := s.DB.Read(ctx)
	a, err := s.edited(db, in.Service, in.Now, in.Clock, in.Body)
	if err != nil {
		return nil, err
	}
	return explain(preview.Question{DB: db, Text: a.Text, Service: a.Service, Staff: a.Staff, Now: a.Now, Unsaved: true}, in.WhyQuery)
}

func explain(q preview.Question, asked WhyQuery) (*api.Body[preview.Why], error) {
	at, err := span.Parse(asked.At)
	if err != nil {
		return nil, api.Wrong("query.at", "This is not an instant, as in 2026-03-02T08:00:00Z.")
	}
	why, err := q.Explain(at, asked.Staff)
	return api.Answer(why, api.Found(err, "staff member"))
}

// longestGap is the longest stretch that is asked about.
const longestGap span.Minutes = 24 * 60

func (s *Desk) getGap(ctx context.Context, in *struct {
	Staff store.ID `query:"staff" required:"true" minimum:"1"`
	From  string   `query:"from" required:"true" doc:"An instant."`
	To    string   `query:"to" required:"true" doc:"A later one, at most a day after it."`
	Clock string   `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[preview.Gap], error) {
	from, err1 := span.Parse(in.From)
	to, err2 := span.Parse(in.To)
	if err1 != nil || err2 != nil || to <= from || to > from.Add(longestGap) {
		return nil, api.Wrong("query.to", "Give two instants, the second after the first and at most a day later.")
	}
	db := s.DB.Read(ctx)
	member, err := db.Staff(in.Staff)
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	return api.Answer(preview.GapOf(db, text, span.At(s.Now()), member, span.Between(from, to)))
}
