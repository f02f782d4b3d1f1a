package booking

import (
	"context"
	"errors"
	"fmt"

	"niche/core/span"
	"niche/internal/outbox"
	"niche/internal/store"
)

// Follow moves the booking of a visit to where its copy lies, with the same staff. It
// returns words that say why that cannot be, and then nothing has changed.
func (b *Bookings) Follow(ctx context.Context, visit store.ID, to span.Span) (refusal string, err error) {
	db := b.DB.Read(ctx)
	v, err := db.Visit(visit)
	if err != nil {
		return "", fmt.Errorf("following a copy: %w", err)
	}
	bookings, err := db.BookingsOn(visit)
	if err != nil {
		return "", fmt.Errorf("following a copy: %w", err)
	}
	staff, err := db.VisitStaff(visit)
	switch {
	case err != nil:
		return "", fmt.Errorf("following a copy: %w", err)
	case len(bookings) != 1:
		return "several clients share the visit.", nil
	case len(staff) != 1:
		return "several people are on the visit.", nil
	case to.Minutes() != v.During().Minutes():
		return "it lasts another time.", nil
	}
	_, err = b.Move(ctx, bookings[0].ID, to.Start(), staff[0])
	var refused *NotOffered
	switch {
	case errors.As(err, &refused):
		return "the rules do not offer that start.", nil
	case errors.Is(err, ErrNotMovable):
		return "the booking cannot be moved any more.", nil
	}
	return "", err
}

// ErrCannotFollow says that a booking cannot be where its copy lies, and why.
type ErrCannotFollow struct{ Why string }

// Error says why.
func (e ErrCannotFollow) Error() string { return "the booking cannot follow its copy: " + e.Why }

// Settling says what holds where a copy differs from its booking.
type Settling string

// The ways to settle it.
const (
	TheBooking  Settling = "booking"  // the copy is put right
	TheCalendar Settling = "calendar" // the booking moves to where its copy lies
	Neither     Settling = "neither"  // the copy stays as it is, and is looked after no more
)

// Settle decides what holds where somebody has made another of a copy. Who asks must be
// allowed to. The error is an ErrCannotFollow, or outbox.ErrSettled where there is
// nothing to settle any more.
func (b *Bookings) Settle(ctx context.Context, id store.ID, how Settling) error {
	c, err := b.DB.Read(ctx).Copy(id)
	if err != nil {
		return err
	}
	if how == TheCalendar {
		if c.Drift == "" || c.LiesStart == 0 || !c.Wanted {
			return outbox.ErrSettled
		}
		why, err := b.Follow(ctx, c.VisitID, span.Between(c.LiesStart, c.LiesEnd))
		if err == nil && why != "" {
			err = ErrCannotFollow{why}
		}
		return err
	}
	now := span.At(b.Now())
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		c, err := tx.Copy(id)
		if err != nil {
			return err
		}
		k, err := tx.BookingsOn(c.VisitID)
		if err != nil {
			return err
		}
		deed := "put back the copy of"
		if how == Neither {
			deed, err = "left the copy of", outbox.LeaveAlone(tx, c)
		} else {
			err = outbox.Again(tx, c, now)
		}
		for _, k := range k {
			err = errors.Join(err, note(tx, now, deed, k, nil, nil))
		}
		return err
	})
	if err == nil {
		b.changed()
	}
	return err
}

// WriteAgain has all copies of a visit written again and read back, also those of which
// it is believed that they are right.
func (b *Bookings) WriteAgain(ctx context.Context, visit store.ID) error {
	now := span.At(b.Now())
	err := b.DB.Write(ctx, func(tx store.Tx) error {
		if _, err := tx.Visit(visit); err != nil {
			return err
		}
		copies, err := tx.CopiesOf(visit)
		for _, c := range copies {
			if c.Wanted {
				err = errors.Join(err, outbox.Again(tx, c, now))
			}
		}
		return err
	})
	if err == nil {
		b.changed()
	}
	return err
}
