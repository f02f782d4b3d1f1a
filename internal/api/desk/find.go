package desk

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/find"
)

func (s *Desk) registerFind(a huma.API) {
	huma.Register(a, api.Get("/api/find", "find", "What somebody types to get somewhere, or to do something"), s.find)
}

func (s *Desk) find(ctx context.Context, in *struct {
	Text  string `query:"text" maxLength:"200"`
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[api.List[find.Hit]], error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	b, err := db.Business()
	if err != nil {
		return nil, err
	}
	hits, err := find.Find(db, find.Asked{Text: in.Text, Now: span.At(s.Now()), In: text, Order: b.DateOrder})
	return api.Answer(api.List[find.Hit]{Items: hits}, err)
}
