package proof

import (
	"context"
	"errors"
	"fmt"

	"niche/core/offer"
	"niche/internal/booking"
	"niche/internal/store"
)

// noBooking says why no test booking is tried.
func noBooking(r *run) string {
	if r.link.Kind != store.AccountLink {
		return "What is published can only be read."
	}
	if len(r.of(gets)) == 0 && r.elsewhere != "" {
		return fmt.Sprintf("%s’s bookings are written to %s.", r.first(), r.elsewhere)
	}
	return ""
}

func (r *run) test() booking.Test {
	return booking.Test{Proof: r.proof.ID, Token: r.proof.Token, Service: r.service.ID, Staff: r.staff.ID, Start: r.start, Calendars: r.of(gets)}
}

// A test booking is taken, as any is.
var takeBooking = step{
	key: "booking", label: "booking taken", expected: "A test booking of the start is taken.", needless: noBooking,
	do: func(ctx context.Context, r *run, s *Step) error {
		if len(r.of(gets)) == 0 {
			return &fault{"None of " + r.first() + "’s calendars gets bookings.", "Nobody has chosen one: visits would be sold and appear nowhere.", r.there("Choose one")}
		}
		if r.start == 0 {
			if err := r.look(ctx); err != nil {
				return err
			}
			if err := r.choose(ctx); err != nil {
				return err
			}
		}
		s.Expected = "A test booking of " + r.clock() + " is taken."
		taken, err := r.Bookings.TakeTest(ctx, r.test())
		var no *booking.NotOffered
		switch {
		case errors.As(err, &no):
			return &fault{r.clock() + " is refused: " + offer.RuleOf(no.Reasons[0]).Brief + ".", "Somebody was faster, or something has come there meanwhile. Prove it once more.", nil}
		case err != nil:
			return err
		case !taken.AllRead:
			r.visit = taken.Visit
			if err := r.look(ctx); err != nil {
				return err
			}
			return &fault{"It was taken, but not every calendar could be read just before.", "Some calendar did not answer within 2.5 s.", r.there("Look at the link")}
		}
		r.visit = taken.Visit
		s.Seen = fmt.Sprintf("It was taken; the calendars were read once more just before, in %s.", seconds(taken.Look.Milliseconds()))
		return nil
	},
}
