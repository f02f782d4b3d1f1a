package proof

import (
	"context"
	"fmt"
	"slices"

	"niche/core/offer"
	"niche/internal/blocking"
	"niche/internal/outbound"
	"niche/internal/source"
)

// The event is taken away, and the start is offered again.
var startBack = step{
	key: "back", label: "start back", expected: "Without the event, the start is offered again.", needless: noEvent,
	do: func(ctx context.Context, r *run, s *Step) error {
		s.Expected = "Without the event, " + r.clock() + " is offered again."
		if err := r.removeEvents(ctx); err != nil {
			return err
		}
		if err := r.look(ctx); err != nil {
			return err
		}
		for _, e := range r.events {
			c, _, _, err := blocking.In(r.DB.Read(ctx), e.calendar.ID, r.stretch())
			if err != nil {
				return err
			}
			if slices.Contains(c.Spans, r.stretch()) {
				return &fault{fmt.Sprintf("“%s” still blocks %s.", e.calendar.Name, r.clock()), "The host goes on handing out an event that it has removed.", r.there("Look at the link")}
			}
		}
		codes, err := r.why(ctx)
		if err != nil {
			return err
		}
		if len(codes) > 0 {
			return &fault{fmt.Sprintf("%s is refused: %s.", r.clock(), offer.RuleOf(codes[0]).Brief), "Something else has come there meanwhile. Prove it once more.", nil}
		}
		s.Seen = r.clock() + " is offered again."
		return nil
	},
}

// removeEvents removes the events that were written, and looks whether they have gone.
func (r *run) removeEvents(ctx context.Context) error {
	for _, e := range r.events {
		w, err := r.Links.Writer(r.link, e.calendar)
		if err != nil {
			return r.refused(err, "Removing the event")
		}
		if err := remove(ctx, w, e.address); err != nil {
			return r.refused(err, "Removing the event from “"+e.calendar.Name+"”")
		}
		if _, err := w.Get(ctx, e.address); outbound.KindOf(err) != outbound.NotThere {
			if err != nil {
				return r.refused(err, "Removing the event from “"+e.calendar.Name+"”")
			}
			return &fault{"The event is still in “" + e.calendar.Name + "”.", "The host says that it has removed it, and has not. Delete the event “Niche proof” there by hand.", r.there("Look at the link")}
		}
	}
	return nil
}

// remove removes an event that is a proof's, whatever version it is in.
func remove(ctx context.Context, w source.Writer, address string) error {
	err := w.Delete(ctx, address, "")
	if outbound.KindOf(err) == outbound.NotThere {
		return nil
	}
	return err
}
