package proof

import (
	"context"
	"fmt"

	"niche/core/offer"
)

// The same time cannot be sold a second time.
var secondSale = step{
	key: "second", label: "no second sale", expected: "A second booking of the start is refused.", needless: noBooking,
	do: func(ctx context.Context, r *run, s *Step) error {
		s.Expected = "A second booking of " + r.clock() + " is refused."
		reasons, refused, err := r.Bookings.SecondSale(ctx, r.test())
		if err != nil {
			return err
		}
		if len(reasons) == 0 {
			return &fault{"It was taken twice.", "This must never happen: tell whoever runs the server, with the log of this minute.", nil}
		}
		if !refused {
			return &fault{"The rules refuse it, and the database would not.", "This must never happen: tell whoever runs the server, with the log of this minute.", nil}
		}
		s.Seen = fmt.Sprintf("It is refused: %s. The database refuses a second claim of that time, too.", offer.RuleOf(reasons[0]).Brief)
		return nil
	},
}
