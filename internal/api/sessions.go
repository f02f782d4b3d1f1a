package api

import (
	"context"
	"errors"
	"net/http"

	"niche/core/span"
	"niche/internal/people"
	"niche/internal/store"
)

// OwnSession is one of somebody's own sessions.
type OwnSession struct {
	ID      store.ID     `json:"id"`
	Here    bool         `json:"here" doc:"It is the one that asks."`
	Device  string       `json:"device"`
	Network string       `json:"network"`
	Began   span.Instant `json:"began" format:"date-time"`
	Seen    span.Instant `json:"seen" format:"date-time"`
}

// OwnSessions returns the sessions of whoever asks.
func OwnSessions(ctx context.Context, tx store.Tx) ([]OwnSession, error) {
	who := Who(ctx)
	rows, err := tx.SessionsOf(who.Owner())
	out := []OwnSession{}
	for _, r := range rows {
		out = append(out, OwnSession{r.ID, r.ID == who.Session, r.Device, r.Origin, r.CreatedAt, r.SeenAt})
	}
	return out, err
}

// Unproven says why a password lets nobody in, or is not taken; other errors are passed
// on.
func Unproven(err error) error {
	var soon people.TooSoon
	var weak people.Weak
	switch {
	case errors.As(err, &soon):
		return Refusal(soon.Wait)
	case errors.As(err, &weak):
		return Wrong("password", weak.Why)
	case errors.Is(err, people.ErrWrong):
		return NewProblem(http.StatusUnauthorized, "This mail address and password do not belong together.")
	}
	return err
}
