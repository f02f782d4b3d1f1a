package proof

import (
	"context"
	"slices"

	"niche/core/offer"
	"niche/internal/outbound"
)

// The booking is cancelled: its copy goes, and the start is offered again.
var cancelIt = step{
	key: "cancelled", label: "cancelled, copy gone", expected: "With the booking, its copy goes.", needless: noBooking,
	do: func(ctx context.Context, r *run, s *Step) error {
		copies, err := r.DB.Read(ctx).CopiesOf(r.visit.ID)
		if err != nil {
			return err
		}
		if _, err := r.Bookings.DropTest(ctx, r.proof.ID); err != nil {
			return err
		}
		if _, err := r.await(ctx, isRemoved); err != nil {
			return err
		}
		for _, c := range copies {
			calendar := r.calendar(c.CalendarID)
			w, err := r.Links.Writer(r.link, calendar)
			if err != nil {
				return err
			}
			if _, err := w.Get(ctx, c.Address); outbound.KindOf(err) != outbound.NotThere {
				if err != nil {
					return r.refused(err, "Looking for the copy")
				}
				return &fault{"The copy is still in “" + calendar.Name + "”.", "The host says that it has removed the copy, and has not.", r.there("Look at the link")}
			}
		}
		codes, err := r.why(ctx)
		if err != nil {
			return err
		}
		if slices.Contains(codes, offer.CodeBooked) {
			return &fault{r.clock() + " is still booked.", "The claim was not let go. This must never happen: tell whoever runs the server.", nil}
		}
		s.Seen = "The host has it no more, and " + r.clock() + " can be booked again."
		return nil
	},
}
