package proof

import (
	"bytes"
	"context"
	"fmt"
	"slices"

	"niche/core/ics"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/outbound"
)

// The start is refused now, because each of those calendars is busy.
var startGone = step{
	key: "gone", label: "start gone", expected: "The start is refused, for being busy.", needless: noEvent,
	do: func(ctx context.Context, r *run, s *Step) error {
		s.Expected = r.clock() + " is refused, for being busy."
		if err := r.look(ctx); err != nil {
			return err
		}
		after, err := r.side(ctx)
		if err != nil {
			return err
		}
		lane := r.lane
		lane.Before, lane.After = r.before, after
		s.Lane = &lane
		for _, e := range r.events {
			if err := r.blocked(ctx, e); err != nil {
				return err
			}
		}
		codes, err := r.why(ctx)
		if err != nil {
			return err
		}
		if !slices.Contains(codes, offer.CodeBusy) {
			return &fault{r.clock() + " is still offered.", "The event was read, and takes no time by the choices of its calendar.", r.there("See the choices")}
		}
		s.Seen = r.clock() + " is refused, for being busy."
		return nil
	},
}

// blocked checks that an event has been read as time that is taken, and finds out why not.
func (r *run) blocked(ctx context.Context, e written) error {
	c, _, _, err := blocking.In(r.DB.Read(ctx), e.calendar.ID, r.stretch())
	if err != nil {
		return err
	}
	if _, blocks := c.Blocks(r.stretch()); blocks && slices.Contains(c.Spans, r.stretch()) {
		return nil
	}
	f := &fault{seen: fmt.Sprintf("%s is not blocked by “%s”.", r.clock(), e.calendar.Name), cause: "The host took the event, and does not hand it out when it is read.", mend: r.there("Look at the link")}
	w, err := r.Links.Writer(r.link, e.calendar)
	if err != nil {
		return err
	}
	stored, err := w.Get(ctx, e.address)
	switch {
	case outbound.KindOf(err) == outbound.NotThere:
		f.cause = "The host said that it had stored the event, and has not."
	case err != nil:
		return r.refused(err, "Fetching the event")
	default:
		got, err := ics.ReadCopy(bytes.NewReader(stored.Body), e.uid, r.link.Mails...)
		switch {
		case err != nil:
			f.cause = "The host made something of the event that cannot be read."
		case got.Status() == ics.MarkedFree:
			f.cause = "The host marks what is written there as free: nothing in this calendar can block."
			f.mend = r.there("Let another calendar block")
		case got.During() != r.stretch():
			f.cause = fmt.Sprintf("The host moved it: it now says %s (%s).", r.moment(got.During().Start()), zoneWords(got.Zone()))
		case got.Status() == ics.Tentative && e.calendar.TentativeFree:
			f.cause = "The host marks it as not certain, and such events take no time by the choice of the calendar."
		}
	}
	return f
}

// moment says an instant on the owner's clock.
func (r *run) moment(at span.Instant) string {
	own := r.text
	own.Zone = r.zone
	return own.Moment(at)
}

func zoneWords(zone string) string {
	if zone == "" {
		return "in no zone"
	}
	return "written by the clock of " + zone
}
