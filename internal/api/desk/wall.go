package desk

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/wall"
	"niche/internal/words"
)

// WallQuery is what every view of the wall is asked for with.
type WallQuery struct {
	Date  string `query:"date" maxLength:"10" doc:"A date in the business's zone, for a week or a month any of its dates; today when empty."`
	Page  int    `query:"page" minimum:"1" maximum:"1000" default:"1"`
	Clock string `query:"clock" enum:"24,12" default:"24"`
	Zones string `query:"zones" enum:"business,person" default:"business" doc:"By whose clock a lane is read: the business's, or each person's own."`
}

func (s *Desk) registerWall(a huma.API) {
	huma.Register(a, api.Get("/api/wall", "getWall", "The team's day"), s.getWall)
	huma.Register(a, api.Get("/api/wall/days", "getWallDays", "How full the days around a date are, over the whole team"), s.getWallDays)
	huma.Register(a, api.Get("/api/wall/week", "getWallWeek", "The team's week"), s.getWallWeek)
	huma.Register(a, api.Get("/api/wall/month", "getWallMonth", "The team's month"), s.getWallMonth)
}

// asked reads what a view is asked for with.
func (s *Desk) asked(db store.Tx, q WallQuery) (a wall.Asked, err error) {
	a = wall.Asked{Now: span.At(s.Now()), Page: q.Page, Own: q.Zones == "person"}
	if a.Text, err = inZone(db, q.Clock); err != nil {
		return a, err
	}
	a.Date = a.Text.Zone.DateAt(a.Now)
	if q.Date != "" {
		if a.Date, err = hours.ParseDate(q.Date); err != nil {
			return a, api.Wrong("query.date", "This is not a date, as in 2026-03-02.")
		}
	}
	return a, nil
}

// inZone writes times by the business's clock, of 24 hours or of 12.
func inZone(db store.Tx, clock string) (words.In, error) {
	zone, err := schedule.Zone(db)
	return words.In{Zone: zone, Twelve: clock == "12"}, err
}

func (s *Desk) getWall(ctx context.Context, in *struct {
	WallQuery
	Service store.ID `query:"service" doc:"The service for the sill; the first when 0."`
}) (*api.Body[wall.Wall], error) {
	db := s.DB.Read(ctx)
	a, err := s.asked(db, in.WallQuery)
	if err != nil {
		return nil, err
	}
	return api.Answer(wall.Day(db, a, in.Service))
}

func (s *Desk) getWallDays(ctx context.Context, in *struct{ WallQuery }) (*api.Body[api.List[wall.RibbonDay]], error) {
	db := s.DB.Read(ctx)
	a, err := s.asked(db, in.WallQuery)
	if err != nil {
		return nil, err
	}
	days, err := wall.Ribbon(db, a)
	return api.Answer(api.List[wall.RibbonDay]{Items: days}, err)
}

func (s *Desk) getWallWeek(ctx context.Context, in *struct {
	WallQuery
	Staff   store.ID `query:"staff" minimum:"0" doc:"One person, or 0 for the whole team."`
	Service store.ID `query:"service" minimum:"0" doc:"The service for the sill, or 0 for none."`
}) (*api.Body[wall.WallWeek], error) {
	db := s.DB.Read(ctx)
	a, err := s.asked(db, in.WallQuery)
	if err != nil {
		return nil, err
	}
	w, err := wall.Week(db, a, in.Staff, in.Service)
	return api.Answer(w, api.Found(err, "service"))
}

func (s *Desk) getWallMonth(ctx context.Context, in *struct{ WallQuery }) (*api.Body[wall.WallMonth], error) {
	db := s.DB.Read(ctx)
	a, err := s.asked(db, in.WallQuery)
	if err != nil {
		return nil, err
	}
	return api.Answer(wall.Month(db, a))
}
