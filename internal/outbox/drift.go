package outbox

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/outbound"
	"niche/internal/store"
)

// doubt looks at a copy that was right, because something happened to it outside or
// because an old write may have arrived. An own old write is put right. What somebody
// else did is left alone and told.
func (t *try) doubt(ctx context.Context, want ics.Booking) error {
	stored, err := t.get(ctx)
	there := outbound.KindOf(err) != outbound.NotThere
	if err != nil && there {
		return err
	}
	t.Hosts.Answered(t.link.Host)
	t.copy.Etag = stored.ETag
	got, err := ics.ReadCopy(bytes.NewReader(stored.Body), want.UID, t.link.Mails...)
	differs := want.Said().Differs(got)
	switch {
	case there && err == nil && differs == ics.Same:
		return t.right(ctx)
	case there && err == nil && t.mayCome(got.Digest()), !there && t.mayCome(gone):
		t.copy.State = store.CopyWaiting
		if err := t.put(ctx, want); err != nil {
			return err
		}
		return t.readBack(ctx, want)
	case !there:
		return t.removedOutside(ctx, want)
	case err != nil:
		return t.strayed(ctx, want, Unreadable, "It was changed outside, so that it can no longer be read.")
	}
	t.copy.LiesStart, t.copy.LiesEnd = 0, 0
	if lies := got.During(); differs == ics.OtherTime && !lies.IsEmpty() && t.copy.Part == store.VisitItself {
		t.copy.LiesStart, t.copy.LiesEnd = lies.Start(), lies.End()
	}
	return t.strayed(ctx, want, Drift(differs), "It was changed outside: "+t.words(differs, got)+".")
}

// Drift says how a copy differs that somebody has made another: by what is first in which
// it differs, or one of these.
type Drift string

// The drifts of whole copies.
const (
	Deleted    Drift = "removed"
	Elsewhere  Drift = "in another calendar"
	Unreadable Drift = "unreadable"
)

// What becomes of copies that are changed outside.
const (
	Ask     = "ask"
	PutBack = "put back"
	Follows = "follow"
)

// removedOutside notes that somebody has removed the copy, or put it into another of
// their calendars.
func (t *try) removedOutside(ctx context.Context, want ics.Booking) error {
	t.copy.LiesStart, t.copy.LiesEnd = 0, 0
	other, err := t.tx.ElsewhereIn(t.copy)
	if err != nil {
		return err
	}
	if other != "" {
		return t.strayed(ctx, want, Elsewhere, "It was taken out of this calendar outside; another one lies in “"+other+"”.")
	}
	return t.strayed(ctx, want, Deleted, "It was removed outside.")
}

// Limits on putting back: whoever changes a copy again and again means it.
const (
	putBacks      = 3
	putBackWithin = 24 * 60 // minutes
)

// strayed does with a copy that somebody has made another what its link says.
func (t *try) strayed(ctx context.Context, want ics.Booking, d Drift, words string) error {
	fresh := t.copy.Drift != string(d)
	t.copy.Drift = string(d)
	how := t.link.Wishes.Drift
	if t.copy.Part != store.VisitItself {
		how, words = PutBack, "The time "+string(t.copy.Part)+" it: "+strings.ToLower(words[:1])+words[1:] // it follows the visit, and nothing follows it
	}
	switch how {
	case PutBack:
		if t.now > t.copy.PutBackAt.Add(putBackWithin) {
			t.copy.PutBacks = 0
		}
		if t.copy.PutBacks >= putBacks {
			words += fmt.Sprintf(" It was put back %d times already.", putBacks)
			break
		}
		t.copy.PutBacks, t.copy.PutBackAt, t.copy.State = t.copy.PutBacks+1, t.now, store.CopyWaiting
		if err := t.put(ctx, want); err != nil {
			return err
		}
		return t.readBack(ctx, want)
	case Follows:
		if d != Drift(ics.OtherTime) || t.Follow == nil {
			break
		}
		// Noted first: until it is settled both times are held.
		if err := t.adrift(ctx, words, fresh); err != nil {
			return err
		}
		refusal, err := t.Follow(ctx, t.copy.VisitID, span.Between(t.copy.LiesStart, t.copy.LiesEnd))
		if refusal == "" {
			return err
		}
		return errors.Join(err, t.adrift(ctx, words+" The booking cannot follow: "+refusal, false))
	}
	return t.adrift(ctx, words, fresh)
}

// words says how a copy differs.
func (t *try) words(d ics.Difference, got ics.Said) string {
	switch d {
	case ics.Same:
		return ""
	case ics.OtherTime:
		from, to := got.During().Start().Time().In(t.zone.Location()), got.During().End().Time().In(t.zone.Location())
		return "it lies at " + from.Format("15:04") + "–" + to.Format("15:04 on Mon 2 Jan")
	case ics.AllDay:
		return "it takes all day"
	case ics.Repeated:
		return "it repeats"
	case ics.MarkedFree:
		return "it is marked as free"
	case ics.Cancelled:
		return "it is cancelled"
	case ics.Declined:
		return "it is declined"
	case ics.Tentative:
		return "it is tentative"
	case ics.Confirmed:
		return "it is confirmed, which here it is not yet"
	}
	return "its " + string(d) + " is another"
}

// adrift notes that a copy is left as somebody has made it, until it is settled; its owner
// is told of what is new.
func (t *try) adrift(ctx context.Context, words string, fresh bool) error {
	t.copy.State, t.copy.Error, t.copy.Attempts, t.copy.NextAt = store.CopyAdrift, words, 0, t.again()
	if !fresh {
		return t.note(ctx)
	}
	return t.noteAnd(ctx, t.Tell)
}
