package api

import (
	"context"
	"errors"
	"net/http"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/store"
	"niche/internal/words"
)

// Start is an offered start away from its day.
type Start struct {
	At    span.Instant `json:"at" format:"date-time"`
	Label string       `json:"label" doc:"The day and the time: Tomorrow 11:30."`
	Full  string       `json:"full" doc:"The whole visit: Friday 27 November, 14:00–15:30."`
	Staff []store.ID   `json:"staff"`
}

// Move asks for another start.
type Move struct {
	Start span.Instant `json:"start" format:"date-time"`
	Staff store.ID     `json:"staff" minimum:"0" doc:"Who is asked for, or 0 for anyone."`
}

// OfferView writes offers for people, around a day.
type OfferView struct {
	words.In
	Today  hours.LocalDate
	Length span.Minutes
}

// Start writes an offer.
func (v OfferView) Start(o offer.Offer) Start {
	return Start{At: o.At, Label: v.DayName(v.Zone.DateAt(o.At)) + " " + v.Clock(o.At), Full: v.Full(o.At), Staff: IDs(o.Staff)}
}

// Full writes a whole visit.
func (v OfferView) Full(at span.Instant) string {
	return v.Local(at).Format("Monday 2 January, ") + v.Stretch(span.For(at, v.Length)).Label
}

// DayName is how a person calls a day soon to come.
func (v OfferView) DayName(d hours.LocalDate) string {
	switch d - v.Today {
	case 0:
		return "Today"
	case 1:
		return "Tomorrow"
	case 2, 3, 4, 5, 6:
		return d.Weekday().String()[:3]
	}
	return d.Time().Format("Mon 2 Jan")
}

// IDs returns the records that the core calls by names.
func IDs(texts []string) []store.ID {
	ids := make([]store.ID, 0, len(texts))
	for _, t := range texts {
		ids = append(ids, store.Named(t))
	}
	return ids
}

// MoveBooking moves a booking, for whoever may.
func MoveBooking(ctx context.Context, db *store.DB, bookings *booking.Bookings, id store.ID, to Move, anyway string, text words.In) error {
	return moveBooking(ctx, db, bookings, id, to, text, func() error {
		_, err := bookings.MoveAnyway(ctx, id, to.Start, to.Staff, anyway)
		return err
	})
}

// MoveOwn moves a booking for its client.
func MoveOwn(ctx context.Context, db *store.DB, bookings *booking.Bookings, id store.ID, to Move, text words.In) error {
	return moveBooking(ctx, db, bookings, id, to, text, func() error {
		_, err := bookings.MoveByClient(ctx, id, to.Start, to.Staff)
		return err
	})
}

func moveBooking(ctx context.Context, db *store.DB, bookings *booking.Bookings, id store.ID, to Move, text words.In, move func() error) error {
	err := move()
	if errors.Is(err, booking.ErrNotMovable) {
		return NewProblem(http.StatusConflict, "Only a confirmed booking can be moved.")
	}
	if err != nil {
		kept, missing := db.Read(ctx).Booking(id)
		if missing != nil {
			return Found(missing, "booking")
		}
		v, missing := db.Read(ctx).Visit(kept.VisitID)
		if missing != nil {
			return Found(missing, "booking")
		}
		return Refused(err, text, span.At(bookings.Now()), v.During().Minutes())
	}
	return nil
}

// Refused turns what taking and moving say into an answer.
func Refused(err error, text words.In, now span.Instant, length span.Minutes) error {
	var no *booking.NotOffered
	if errors.As(err, &no) {
		return notOffered(no, OfferView{text, text.Zone.DateAt(now), length})
	}
	return err
}

func notOffered(no *booking.NotOffered, v OfferView) error {
	told := offer.RuleOf(no.Reasons[0]).Told
	switch no.Reasons[0] {
	case booking.CodeUnreached:
		told = "This time cannot be confirmed at the moment."
	case booking.CodePaused:
		told = "This cannot be booked at present."
	}
	p := NewProblem(http.StatusConflict, told)
	for _, r := range no.Reasons {
		p.Reasons = append(p.Reasons, string(r))
	}
	for _, o := range no.Nearest {
		p.Nearest = append(p.Nearest, v.Start(o))
	}
	return p
}
