package proof

import (
	"bytes"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/outbound"
	"niche/internal/outbox"
	"niche/internal/store"
)

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
