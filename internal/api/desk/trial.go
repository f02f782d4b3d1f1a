package desk

import (
	"context"
	"fmt"
	"math"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

func (s *Desk) registerTrials(a huma.API) {
	huma.Register(a, api.Post("/api/services/{id}/trial", "tryService", "Book the next start of a service for a trial, to whoever tries: claimed, copied and told like any other, but neither paid nor asked about", http.StatusCreated), s.tryService)
	huma.Register(a, api.Get("/api/files/{id}", "getFile", "A file that a client has handed over"), s.getFile)
}

func (s *Desk) tryService(ctx context.Context, in *api.IDPath) (*api.Body[AtDesk], error) {
	db, now, who := s.DB.Read(ctx), span.At(s.Now()), api.Who(ctx)
	service, err := db.Service(in.ID)
	if err != nil {
		return nil, api.Found(err, "service")
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	staff, err := db.Performers(service.ID)
	if err != nil {
		return nil, err
	}
	today := zone.DateAt(now)
	q, err := schedule.Question(db, schedule.Asked{Now: now, Service: service, Length: service.Length, From: today, To: schedule.Rules(service, today).Window.Last(today), Staff: staff})
	if err != nil {
		return nil, err
	}
	offers := q.Answer().OffersIn(span.Between(math.MinInt64, math.MaxInt64), 1)
	if service.Paused || len(offers) == 0 {
		return nil, api.NewProblem(http.StatusConflict, "Nothing is offered, so nothing can be tried.")
	}
	taken, err := s.Bookings.Take(ctx, booking.Request{Service: service.ID, Start: offers[0].At, Length: service.Length, ClientName: "Trial of " + who.Name, ClientMail: who.Mail, ClientZone: zone.String(),
		MadeBy: who.Name, Trial: true})
	if err != nil {
		return nil, api.Refused(err, words.In{Zone: zone}, now, service.Length)
	}
	return api.Answer(AtDesk{taken.Booking.ID, taken.Booking.Reference, string(taken.Booking.Status), words.In{Zone: zone}.Moment(offers[0].At)}, nil)
}

func (s *Desk) getFile(ctx context.Context, in *api.IDPath) (*huma.StreamResponse, error) {
	row, err := s.DB.Read(ctx).File(in.ID)
	if err != nil {
		return nil, api.Found(err, "file")
	}
	if err := s.DB.Write(ctx, func(tx store.Tx) error {
		return tx.Note(span.At(s.Now()), "opened a file of", "booking", row.BookingID, fmt.Sprintf("file %d", row.ID), nil, nil)
	}); err != nil {
		return nil, err
	}
	return api.Attached(ctx, s.Files, row)
}
