package proof

import (
	"context"
	"fmt"
	"strings"

	"niche/core/ics"
	"niche/core/span"
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
