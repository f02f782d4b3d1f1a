package desk

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/preview"
	"niche/internal/store"
)

func (s *Desk) registerLinks(a huma.API) {
	huma.Register(a, api.Get("/api/staff/{id}/links", "listLinks", "A staff member's links"), s.listLinks)
	huma.Register(a, api.Get("/api/staff/{id}/costs", "getCosts", "What somebody's calendars cost"), s.getCosts)
	huma.Register(a, api.Post("/api/staff/{id}/links", "addLink", "Link a published calendar; an account is linked by whose it is", http.StatusCreated), s.addLink)
	huma.Register(a, api.Post("/api/links/{id}/key", "renewLink", "Give a link to a published calendar a new address", http.StatusOK), s.renewLink)
	huma.Register(a, api.Put("/api/links/{id}/wishes", "wishOfLink", "Choose what copies in the calendars of a link are like"), s.wish)
	huma.Register(a, api.Post("/api/copies/{id}/settle", "settleCopy", "Say what holds where a copy differs from its booking", http.StatusNoContent), s.settle)
	huma.Register(a, api.Post("/api/visits/{id}/copies", "writeAgain", "Write the copies of a visit again", http.StatusNoContent), s.writeAgain)
	huma.Register(a, api.Delete("/api/links/{id}", "removeLink", "Take a link away"), s.removeLink)
	huma.Register(a, api.Get("/api/calendars/{id}", "getCalendar", "A calendar"), s.getCalendar)
	huma.Register(a, api.Put("/api/calendars/{id}", "chooseCalendar", "Choose what a calendar is for"), s.chooseCalendar)
}

func (s *Desk) listLinks(ctx context.Context, in *api.IDPath) (*api.Body[api.List[api.Link]], error) {
	if _, err := s.member(ctx, in.ID); err != nil {
		return nil, err
	}
	links, err := s.Links.Of(ctx, in.ID)
	return api.Answer(api.List[api.Link]{Items: links}, err)
}

func (s *Desk) getCosts(ctx context.Context, in *api.IDPath) (*api.Body[preview.Costs], error) {
	db := s.DB.Read(ctx)
	m, err := db.Staff(in.ID)
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	return api.Answer(preview.CostsOf(db, m, span.At(s.Now())))
}

func (s *Desk) addLink(ctx context.Context, in *struct {
	api.IDPath
	Body api.NewLink
}) (*api.Body[api.Link], error) {
	m, err := s.member(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	if in.Body.Kind != string(store.FeedLink) {
		return nil, api.NewProblem(http.StatusForbidden, m.Name+" alone links an account of theirs, on their own pages: ask them to. Nobody else is to know its password.")
	}
	return api.Answer(s.Links.Add(ctx, in.ID, in.Body))
}

func (s *Desk) wish(ctx context.Context, in *api.Wishing) (*struct{}, error) {
	return nil, s.Links.Wish(ctx, in.ID, in.Body)
}

func (s *Desk) settle(ctx context.Context, in *api.Settling) (*struct{}, error) {
	return nil, api.Settled(s.Bookings.Settle(ctx, in.ID, booking.Settling(in.Body.Holds)))
}

func (s *Desk) writeAgain(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	return nil, api.Found(s.Bookings.WriteAgain(ctx, in.ID), "visit")
}

func (s *Desk) chooseCalendar(ctx context.Context, in *api.Choosing) (*api.Body[api.Calendar], error) {
	return api.Answer(s.Links.Choose(ctx, in.ID, in.Over, in.Copies, in.Body))
}

func (s *Desk) getCalendar(ctx context.Context, in *api.IDPath) (*api.Body[api.Calendar], error) {
	c, err := s.Links.Calendar(ctx, in.ID)
	return api.Answer(c, api.Found(err, "calendar"))
}

func (s *Desk) removeLink(ctx context.Context, in *api.Unlinking) (*struct{}, error) {
	return nil, s.Links.Remove(ctx, in.ID, in.Copies)
}

func (s *Desk) renewLink(ctx context.Context, in *api.Renewing) (*api.Body[api.Link], error) {
	l, err := s.DB.Read(ctx).Link(in.ID)
	if err != nil {
		return nil, api.Found(err, "link")
	}
	if l.Kind != store.FeedLink {
		return nil, api.NewProblem(http.StatusForbidden, "Whose account it is renews it, on their own pages: ask them to. Nobody else is to know its password.")
	}
	return api.Answer(s.Links.Renew(ctx, in.ID, in.Body))
}
