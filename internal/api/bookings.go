package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/internal/schedule"
)

// Decision settles a pending booking.
type Decision struct {
	Accept bool `json:"accept"`
}

func (s *server) registerBookings(a huma.API) {
	huma.Register(a, post("/api/bookings/{id}/cancel", "cancelBooking", "Cancel a booking", http.StatusNoContent), s.cancelBooking)
	huma.Register(a, post("/api/bookings/{id}/move", "moveBooking", "Move a booking to another start", http.StatusNoContent), s.moveBooking)
	huma.Register(a, post("/api/bookings/{id}/decision", "decideBooking", "Confirm or decline a pending booking", http.StatusNoContent), s.decideBooking)
}

func (s *server) cancelBooking(ctx context.Context, in *IDPath) (*struct{}, error) {
	return nil, found(s.Bookings.Cancel(ctx, in.ID), "booking")
}

func (s *server) moveBooking(ctx context.Context, in *struct {
	IDPath
	Body Move
}) (*struct{}, error) {
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	_, err = s.move(ctx, in.ID, in.Body, texts{zone: zone})
	return nil, err
}

func (s *server) decideBooking(ctx context.Context, in *struct {
	IDPath
	Body Decision
}) (*struct{}, error) {
	return nil, found(s.Bookings.Decide(ctx, in.ID, in.Body.Accept), "booking that waits for a decision")
}
