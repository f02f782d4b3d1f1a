package client

import (
	"context"
	"net/url"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/message"
	"niche/internal/secret"
	"niche/internal/store"
)

// past is for how long visits that are over stay in a client's calendar, in minutes.
const past = 90 * 24 * 60

func (s *Client) getMyVisit(ctx context.Context, in *TokenPath) (*huma.StreamResponse, error) {
	db := s.DB.Read(ctx)
	k, err := db.BookingByToken(secret.Hash(in.Token))
	if err != nil {
		return nil, api.Found(err, "booking")
	}
	return s.calendar(db, []store.Booking{k}, k.ID, in.Token)
}

// getMyVisits tells of all visits of a mail address only where the address for it came by
// mail: whoever books with another's mail address learns nothing by it.
func (s *Client) getMyVisits(ctx context.Context, in *TokenPath) (*huma.StreamResponse, error) {
	db := s.DB.Read(ctx)
	k, err := db.WayTo(secret.Hash(in.Token))
	if err != nil {
		return nil, api.Found(err, "calendar")
	}
	list, err := db.OfMail(k.ClientMail, span.At(s.Now()).Add(-past))
	if err != nil {
		return nil, err
	}
	return s.calendar(db, list, k.ID, in.Token)
}

func (s *Client) calendar(db store.Tx, list []store.Booking, managed store.ID, token string) (*huma.StreamResponse, error) {
	manage := ""
	if home := s.Home(); home != "" {
		manage = home + "/booking/" + url.PathEscape(token)
	}
	data, err := message.Calendar(db, list, managed, manage, span.At(s.Now()))
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Type", "text/calendar; charset=utf-8")
		ctx.SetHeader("Content-Disposition", `attachment; filename="visit.ics"`)
		ctx.SetHeader("Cache-Control", "no-cache")
		_, _ = ctx.BodyWriter().Write(data)
	}}, nil
}
