package proof

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/ics"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/outbound"
	"niche/internal/outbox"
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

// Its copy is outside, and says what it should: it is fetched past what the outbox knows.
var readCopy = step{
	key: "copy", label: "copy read back", expected: "Its copy is outside, and says what it should.", needless: noBooking,
	do: func(ctx context.Context, r *run, s *Step) error {
		copies, wrong := r.await(ctx, func(c store.Copy) bool { return c.State == store.CopyReadBack })
		if wrong != nil && len(copies) == 0 {
			return wrong
		}
		var names []string
		for _, c := range copies {
			calendar := r.calendar(c.CalendarID)
			got, err := r.copied(ctx, c, calendar)
			if err != nil && wrong == nil {
				return err
			}
			if len(got.Fields) > 0 {
				s.Copies = append(s.Copies, got)
			}
			for _, f := range got.Fields {
				if !f.Same && wrong == nil {
					wrong = &fault{fmt.Sprintf("In “%s”, %s: %s.", calendar.Name, f.Name, f.Copy), "The host changes what is written there.", r.there("Look at the link")}
				}
			}
			names = append(names, "“"+calendar.Name+"”")
		}
		if wrong != nil {
			return wrong
		}
		s.Seen = fmt.Sprintf("It was fetched from %s and says what the booking says.", strings.Join(names, ", "))
		return nil
	},
}

func (r *run) calendar(id store.ID) store.Calendar {
	i := slices.IndexFunc(r.calendars, func(c store.Calendar) bool { return c.ID == id })
	if i < 0 {
		return store.Calendar{}
	}
	return r.calendars[i]
}

// await waits until all copies of the test booking are as they should be, or one of them has failed.
func (r *run) await(ctx context.Context, is func(store.Copy) bool) ([]store.Copy, error) {
	news, end := r.Hub.Listen()
	defer end()
	tick := time.NewTicker(250 * time.Millisecond)
	defer tick.Stop()
	for {
		copies, err := r.DB.Read(ctx).CopiesOf(r.visit.ID)
		if err != nil {
			return nil, err
		}
		done := true
		for _, c := range copies {
			if c.Error != "" {
				return copies, r.unwritten(c)
			}
			done = done && is(c)
		}
		if done {
			return copies, nil
		}
		select {
		case <-ctx.Done():
			return copies, ctx.Err()
		case _, open := <-news:
			if !open {
				news = nil
			}
		case <-tick.C:
		}
	}
}

// unwritten says why a copy could not be written, or removed.
func (r *run) unwritten(c store.Copy) error {
	calendar := r.calendar(c.CalendarID)
	f := &fault{fmt.Sprintf("“%s”: %s", calendar.Name, c.Error), "The host changes what is written there, or does not keep it.", r.there("Look at the link")}
	switch {
	case c.Etag == "" && c.State == store.CopyFailed && strings.Contains(c.Error, "not there"):
		f.cause = "The host says that it has stored the copy, and has not."
	case !calendar.CanWrite:
		f.cause = "This calendar can only be read: its owner, or whoever shares it, has to allow writing."
		f.mend = r.there("Choose another calendar")
	case strings.HasPrefix(c.Error, "It did not come back") || strings.HasPrefix(c.Error, "The host keeps it otherwise"):
	case strings.HasPrefix(c.Error, "The host says that it is removed"):
		f.cause = "The host says that it has removed the copy, and has not."
	default:
		f.seen, f.cause = fmt.Sprintf("“%s” has no copy.", calendar.Name), c.Error
	}
	return f
}

// copied fetches a copy and compares it, field by field.
func (r *run) copied(ctx context.Context, c store.Copy, calendar store.Calendar) (Copied, error) {
	out := Copied{Calendar: calendar.Name}
	w, err := r.Links.Writer(r.link, calendar)
	if err != nil {
		return out, r.refused(err, "Fetching the copy")
	}
	stored, err := w.Get(ctx, c.Address)
	if outbound.KindOf(err) == outbound.NotThere {
		return out, &fault{"It is not in “" + calendar.Name + "”.", "The host says that it has stored the copy, and has not.", r.there("Look at the link")}
	}
	if err != nil {
		return out, r.refused(err, "Fetching the copy")
	}
	want, err := outbox.Says(r.DB.Read(ctx), c, span.At(r.Now()))
	if err != nil {
		return out, err
	}
	got, err := ics.ReadCopy(bytes.NewReader(stored.Body), want.UID, r.link.Mails...)
	if err != nil {
		return out, &fault{"What the host holds cannot be read.", "The host made something else of the copy.", r.there("Look at the link")}
	}
	out.Fields = r.fields(want.Said(), got)
	return out, nil
}

// fields compares what a copy should say with what it says.
func (r *run) fields(want, got ics.Said) (list []Field) {
	own := r.text
	own.Zone = r.zone
	add := func(name, says, copy string, same bool) { list = append(list, Field{name, says, copy, same}) }
	w, g := want.During(), got.During()
	add("starts", own.Moment(w.Start()), own.Moment(g.Start()), w.Start() == g.Start())
	add("ends", own.Moment(w.End()), own.Moment(g.End()), w.End() == g.End())
	utc := func(at time.Time) string { return at.UTC().Format("2 Jan, 15:04") }
	add("in UTC", utc(w.Start().Time())+"–"+w.End().Time().UTC().Format("15:04"), utc(g.Start().Time())+"–"+g.End().Time().UTC().Format("15:04"), w == g)
	// A host may write the same instants by another clock: that is worth seeing, and no fault.
	add("by the clock of", want.Zone(), orNothing(got.Zone()), w == g)
	wantTitle, wantPlace, wantText := want.Words()
	title, place, text := got.Words()
	differs := want.Differs(got)
	add("title", orNothing(wantTitle), orNothing(title), wantTitle == title || differs != ics.OtherTitle && sameStart(wantTitle, title))
	add("place", orNothing(wantPlace), orNothing(place), wantPlace == place || differs != ics.OtherPlace && sameStart(wantPlace, place))
	add("text", orNothing(wantText), orNothing(text), wantText == text || differs != ics.OtherDescription && sameStart(wantText, text))
	add("time taken", "counts as busy", taken(got.Status()), got.Status() == want.Status())
	return list
}

// sameStart reports whether a host has cut words, and left a good part of them.
func sameStart(want, got string) bool { return got != "" && strings.HasPrefix(want, got) }

func orNothing(text string) string {
	if text == "" {
		return "nothing"
	}
	return text
}

func taken(status ics.Difference) string {
	if status == ics.Same {
		return "counts as busy"
	}
	return string(status)
}

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
