package desk

import (
	"context"
	"net/http"
	"net/url"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/store"
)

func (s *Desk) registerTrials(a huma.API) {
	huma.Register(a, api.Post("/api/services/{id}/trial", "tryService", "Leave to try a service by its page, as a client who is whoever asks", http.StatusOK), s.tryService)
	huma.Register(a, api.Get("/api/services/{id}/trial", "getTrial", "The last booking by which whoever asks has tried a service lately"), s.getTrial)
}

// TrialPage is where a service is tried.
type TrialPage struct {
	Address string `json:"address" doc:"The path of the service's page, with leave to try it for half an hour."`
}

// shownTrial is for how long what came of a trial is shown, in minutes: while it stands, and some time after.
const shownTrial = 60

// Trial is a booking that tries a service.
type Trial struct {
	Booking store.ID `json:"booking" doc:"0 where there is none."`
	Held    bool     `json:"held" doc:"It is held, and waits for its payment on the page."`
}

func (s *Desk) tryService(ctx context.Context, in *api.IDPath) (*api.Body[TrialPage], error) {
	service, err := s.DB.Read(ctx).Service(in.ID)
	if err != nil {
		return nil, api.Found(err, "service")
	}
	who := api.Who(ctx)
	known := url.Values{"name": {"Trial of " + who.Name}, "mail": {who.Mail}, "trial": {s.Bookings.LetTry(booking.Leave{Service: service.ID, Mail: who.Mail})}}
	return api.Answer(TrialPage{api.PagePath(service.Slug) + "?" + known.Encode()}, nil)
}

func (s *Desk) getTrial(ctx context.Context, in *api.IDPath) (*api.Body[Trial], error) {
	last, err := s.DB.Read(ctx).LastTrial(in.ID, api.Who(ctx).Mail, span.At(s.Now()).Add(-shownTrial))
	if err == nil && last.Status == store.Held {
		return api.Answer(Trial{Held: true}, nil)
	}
	return api.Answer(Trial{Booking: last.ID}, err)
}
