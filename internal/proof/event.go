package proof

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"

	"niche/core/ics"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/store"
)

// noEvent says why no busy event is tried.
func noEvent(r *run) string {
	switch {
	case len(r.of(blocks)) == 0:
		return "No calendar of this link blocks time."
	case len(r.canTry()) == 0:
		return "What blocks can only be read: it is proved by what it holds already."
	}
	return ""
}

// A busy event is written at a start that is offered, into each calendar that blocks time and can be written.
var writeEvent = step{
	key: "event", label: "busy event written", expected: "A marked event is taken at a start that is offered.", needless: noEvent,
	do: func(ctx context.Context, r *run, s *Step) error {
		if err := r.look(ctx); err != nil {
			return err
		}
		if err := r.choose(ctx); err != nil {
			return err
		}
		var names []string
		for i, c := range r.canTry() {
			w, err := r.Links.Writer(r.link, c)
			if err != nil {
				return r.refused(err, "Writing into “"+c.Name+"”")
			}
			uid := eventUID(r.proof.Token, i+1)
			e := written{c, uid, c.Address + uid + ".ics"}
			r.events = append(r.events, e) // also when the answer is lost
			if _, err := w.Put(ctx, e.address, "", r.event(uid).Encode()); err != nil {
				return r.refused(err, "Writing into “"+c.Name+"”")
			}
			names = append(names, "“"+c.Name+"”")
		}
		s.Seen = fmt.Sprintf("Written into %s, %s.", strings.Join(names, ", "), r.report.Start)
		return nil
	},
}

// eventUID is the UID of the nth event of a proof.
func eventUID(token string, n int) string { return fmt.Sprintf("%s%s-%d", store.ProofPrefix, token, n) }

// event is the busy event that is written.
func (r *run) event(uid string) ics.Booking {
	return ics.Booking{UID: uid, Stamp: span.At(r.Now()), Visit: r.stretch(), Zone: r.zone, Summary: "Niche proof",
		Description: "A trial. It goes by itself within a minute."}
}

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
