// Package outbox keeps the copies of bookings in outside calendars as they should
// be. It is the only one that changes the states of copies.
//
// What is wanted is wished in the transaction that makes it so (wish.go), and
// carried out afterwards, copy by copy: written, read back and compared, or removed.
// The rows are desired state and not a log: a copy has a sequence, and what an older
// try reports about a newer wish is ignored. So a kill at any moment loses nothing,
// and a write that went through without being noted meets its own condition.
//
// A host may carry out a write of which it said nothing, minutes later. Such a write
// is remembered, and the copy looked at again until it can no longer come.
package outbox

import (
	"bytes"
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Settings of an outbox.
type Settings struct {
	DB     *store.DB
	Writer func(store.Link, store.Calendar) (source.Writer, error)
	Hosts  *work.Hosts
	Hub    *live.Hub
	Log    *slog.Logger
	Now    func() time.Time
	// Follow moves the booking of a visit to where its copy lies, if the rules allow it, and
	// returns words that say why not.
	Follow func(ctx context.Context, visit store.ID, to span.Span) (refusal string, err error)
	// Tell says in the transaction that notes it that somebody has made another of a copy.
	Tell func(tx store.Tx, c store.Copy) error
	// Noted is told how each try went; nil for nobody.
	Noted func(host string, took time.Duration, err error)
}

// Outbox carries out what is wanted of copies.
type Outbox struct {
	Settings
	writes *prometheus.CounterVec
}

// New returns an outbox.
func New(s Settings) *Outbox {
	return &Outbox{s, prometheus.NewCounterVec(prometheus.CounterOpts{Name: "niche_writes_total",
		Help: "Tries to write or remove a copy, by what came of it: done or failed."}, []string{"result"})}
}

// Counters returns what the outbox counts.
func (o *Outbox) Counters() []prometheus.Collector { return []prometheus.Collector{o.writes} }

// Queue returns the copies as work.
func (o *Outbox) Queue() work.Queue {
	return work.Queue{Name: "copies", Store: store.CopyQueue, Do: o.do,
		Forward: func(tx store.Tx, host string, now span.Instant) error {
			return tx.CopiesForward(host, []store.CopyState{store.CopyFailed, store.CopyWritten, store.CopyDoubted}, now)
		}}
}

// Pauses between tries that fail for the copy's own reasons.
const (
	firstPause   = 5 * time.Second
	longestPause = 10 * time.Minute
)

// unsureFor is how long a host may take to carry out a write of which it said
// nothing, and firstDoubt how soon the copy is looked at again, the first time.
const (
	unsureFor  = time.Hour
	firstDoubt = 5 * time.Second
)

// maxRewrites is for how many writes in a row other words may come back, before the
// copy is left as the host wants it.
const maxRewrites = 5

// longestWait is how long a copy that is to go waits for the one that takes its
// place.
const longestWait span.Minutes = 15

// try is one try at a copy.
type try struct {
	*Outbox
	tx     store.Tx // for reading
	copy   store.Copy
	link   store.Link
	writer source.Writer
	now    span.Instant
	zone   hours.Zone // the owner's
}

// do brings one copy outside to what is wanted: there and right, or gone.
func (o *Outbox) do(ctx context.Context, id store.ID) error {
	t := try{Outbox: o, tx: o.DB.Read(ctx), now: span.At(o.Now())}
	var err error
	if t.copy, err = t.tx.Copy(id); err != nil {
		return fmt.Errorf("writing copy %d: %w", id, err)
	}
	if t.copy.NextAt >= store.Never {
		return nil
	}
	c, err := t.tx.Calendar(t.copy.CalendarID)
	if err == nil {
		t.link, err = t.tx.Link(c.LinkID)
	}
	if err != nil {
		return fmt.Errorf("writing copy %d: %w", id, err)
	}
	failedBefore := time.Time{}
	if t.copy.Error != "" {
		failedBefore = t.copy.TriedAt.Time()
	}
	begun := o.Now()
	if t.writer, err = o.Writer(t.link, c); err == nil {
		t.copy.TriedAt = t.now
		if t.copy.Wanted {
			err = t.place(ctx)
		} else {
			err = t.remove(ctx)
		}
	}
	if o.Noted != nil && ctx.Err() == nil {
		o.Noted(t.link.Host, o.Now().Sub(begun), err)
	}
	if err == nil {
		o.writes.WithLabelValues("done").Inc()
		return nil
	}
	if ctx.Err() != nil {
		return err // the program ends: what was sent is found out after its next start
	}
	o.writes.WithLabelValues("failed").Inc()
	err = fmt.Errorf("writing copy %d to %s: %w", id, t.link.Host, err)
	if _, told := errors.AsType[otherwise](err); told {
		return err // and it is noted how, and when it is tried again
	}
	pause := work.Pause(firstPause, t.copy.Attempts, longestPause)
	asked := outbound.RetryAfter(err)
	if outbound.IsSilence(err) && o.Hosts.Silent(t.link.Host, begun, failedBefore, asked) {
		pause = 0 // as soon as its host has rested
	} else {
		t.copy.Attempts++
	}
	if outbound.HasAnswered(err) {
		o.Hosts.Answered(t.link.Host)
	}
	if t.copy.State == store.CopyWaiting { // what was to be looked at still is
		t.copy.State = store.CopyFailed
	}
	t.copy.Error, t.copy.NextAt = words.Of(err).Text, span.NotBefore(o.Now().Add(max(pause, asked)))
	return errors.Join(err, t.note(ctx))
}

// note keeps what became of the copy, unless something else has been wanted
// meanwhile: then only what is known of its last write is worth keeping, and the copy
// stays due.
func (t *try) note(ctx context.Context) error { return t.noteAnd(ctx, nil) }

// noteAnd keeps it, and where it is kept does something more with it, if that is not nil.
func (t *try) noteAnd(ctx context.Context, also func(store.Tx, store.Copy) error) error {
	err := t.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		kept, err := tx.SaveCopy(t.copy)
		if err == nil && kept && also != nil {
			err = also(tx, t.copy)
		}
		if err == nil && !kept {
			err = tx.NoteWrite(t.copy)
		}
		if err == nil && !t.copy.Wanted && t.copy.NextAt >= store.Never {
			err = tx.ClosingForward(t.copy.CalendarID, span.At(t.Now()))
		}
		if err == nil && kept && t.copy.State == store.CopyReadBack {
			err = tx.KnowCopy(t.copy, t.now)
		}
		if err == nil && kept && t.copy.State == store.CopyRemoved {
			// If it comes again, in the version that a reading knows, that is news.
			err = tx.ForgetObjects(t.copy.CalendarID, []string{t.copy.Path})
		}
		return err
	})
	t.Hub.Tell(live.Bookings)
	return err
}

// says returns what the copy should say.
func (t *try) says() (ics.Booking, error) {
	b, err := Says(t.tx, t.copy, t.now)
	t.zone = b.Zone
	return b, err
}

// place writes the copy where that is to be done, and then reads it back.
func (t *try) place(ctx context.Context) error {
	want, err := t.says()
	if err != nil {
		return err
	}
	switch t.copy.State {
	case store.CopyReadBack, store.CopyDoubted, store.CopyAdrift:
		return t.doubt(ctx, want)
	case store.CopyWritten:
	default:
		if err := t.put(ctx, want); err != nil {
			return err
		}
	}
	return t.readBack(ctx, want)
}

// put writes the copy, and notes that the host took it.
func (t *try) put(ctx context.Context, want ics.Booking) error {
	if t.copy.Etag != "" {
		if err := t.over(ctx, want); err != nil {
			return err
		}
		return t.taken(ctx)
	}
	err := t.send(ctx, want, "", want.Encode())
	if outbound.KindOf(err) == outbound.Changed {
		// An earlier try got through without being noted.
		err = t.over(ctx, want)
	}
	if err != nil {
		return err
	}
	return t.taken(ctx)
}

// over writes the copy over what is there, of which what its owner added is kept;
// it is left as it is when it says the right thing already.
func (t *try) over(ctx context.Context, want ics.Booking) error {
	var err error
	for range 3 {
		var stored source.Stored
		stored, err = t.get(ctx)
		switch {
		case outbound.KindOf(err) == outbound.NotThere:
			err = t.send(ctx, want, "", want.Encode())
		case err != nil:
			return err
		case t.agrees(want, stored) && want.Carries(stored.Body):
			t.copy.Etag = stored.ETag
			return nil
		default:
			err = t.send(ctx, want, cmp.Or(stored.ETag, "*"), want.Over(stored.Body))
			if outbound.KindOf(err) == outbound.Changed && source.IsWeak(stored.ETag) {
				// The host can hold no condition with such a version: whoever packs its answers has made it so.
				err = t.send(ctx, want, "*", want.Over(stored.Body))
			}
		}
		if k := outbound.KindOf(err); k != outbound.Changed && k != outbound.NotThere {
			return err
		}
	}
	return err
}

// taken notes that the host took the copy.
func (t *try) taken(ctx context.Context) error {
	t.Hosts.Answered(t.link.Host)
	t.copy.State, t.copy.Error, t.copy.Attempts, t.copy.NextAt = store.CopyWritten, "", 0, t.now
	return t.note(ctx)
}

// send writes to the host. That it does is noted before, so that also after a kill it
// is known that the host may have taken it. What the host says of this write says
// nothing of an earlier one with the same words: that one may still arrive.
func (t *try) send(ctx context.Context, want ics.Booking, etag string, body []byte) error {
	digest := want.Said().Digest()
	earlier := t.mayCome(digest)
	t.unsure(digest)
	if err := t.note(ctx); err != nil {
		return err
	}
	got, err := t.writer.Put(ctx, t.copy.Address, etag, body)
	if !outbound.MayHaveHappened(err) && !earlier {
		t.sure(digest)
	}
	if err == nil {
		t.copy.Etag = got
	}
	return err
}

// unsure remembers a write that the host may carry out, or, by the word gone, a
// removal.
func (t *try) unsure(digest string) {
	list := slices.DeleteFunc(strings.Fields(t.copy.Unsure), func(d string) bool { return d == digest })
	list = append(list, digest)
	t.copy.Unsure, t.copy.UnsureUntil = strings.Join(list[max(0, len(list)-5):], " "), span.NotBefore(t.Now().Add(unsureFor))
}

// sure forgets it, since the host has said what it did.
func (t *try) sure(digest string) {
	list := slices.DeleteFunc(strings.Fields(t.copy.Unsure), func(d string) bool { return d == digest })
	t.copy.Unsure = strings.Join(list, " ")
}

func (t *try) mayCome(digest string) bool {
	return slices.Contains(strings.Fields(t.copy.Unsure), digest)
}

// gone is the digest of what has been removed.
const gone = "gone"

// again returns when a copy that is as it should be is to be looked at again: never,
// unless a write may still arrive.
func (t *try) again() span.Instant {
	if t.now >= t.copy.UnsureUntil {
		t.copy.Unsure, t.copy.UnsureUntil = "", 0
	}
	if t.copy.Unsure == "" || t.copy.Unsure == gone && !t.copy.Wanted {
		return store.Never
	}
	// Sooner at first, later and later on.
	since := unsureFor - time.Duration(t.copy.UnsureUntil-t.now)*time.Second
	return min(span.NotBefore(t.Now().Add(max(firstDoubt, since))), t.copy.UnsureUntil)
}

func (t *try) get(ctx context.Context) (source.Stored, error) {
	return t.writer.Get(ctx, t.copy.Address)
}

// agrees reports whether what is stored says what it should.
func (t *try) agrees(want ics.Booking, stored source.Stored) bool {
	got, err := ics.ReadCopy(bytes.NewReader(stored.Body), want.UID, t.link.Mails...)
	return err == nil && want.Said().Differs(got) == ""
}

// readBack reads a copy back that was just written, and compares.
func (t *try) readBack(ctx context.Context, want ics.Booking) error {
	stored, err := t.get(ctx)
	if outbound.KindOf(err) == outbound.NotThere {
		// Gone again before it was read back, or never stored: the next try writes it anew.
		t.copy.Etag, t.copy.Rewrites = "", t.copy.Rewrites+1
		return t.differs(ctx, "it was not there when it was read back", err)
	}
	if err != nil {
		return err
	}
	t.Hosts.Answered(t.link.Host)
	t.copy.Etag = stored.ETag
	got, err := ics.ReadCopy(bytes.NewReader(stored.Body), want.UID, t.link.Mails...)
	how := t.words(want.Said().Differs(got), got)
	if err != nil {
		how = "it cannot be read"
	}
	if how != "" {
		t.copy.Rewrites++
		return t.differs(ctx, how, nil)
	}
	return t.right(ctx)
}

// right notes that the copy says what it should.
func (t *try) right(ctx context.Context) error {
	t.copy.State, t.copy.Error, t.copy.Attempts, t.copy.Rewrites = store.CopyReadBack, "", 0, 0
	t.copy.Drift, t.copy.LiesStart, t.copy.LiesEnd = "", 0, 0
	t.copy.NextAt = t.again()
	return t.note(ctx)
}

// differs notes that the host made something else of what was written. It is written
// again some times, and then left as it is and told.
func (t *try) differs(ctx context.Context, how string, cause error) error {
	if t.copy.Rewrites >= maxRewrites {
		t.copy.State, t.copy.Error, t.copy.NextAt = store.CopyAdrift, "The host keeps it otherwise each time it is written: "+how+".", store.Never
		return t.note(ctx)
	}
	// Kept as failed, so that it is written and not only read.
	t.copy.State, t.copy.NextAt = store.CopyFailed, span.NotBefore(t.Now().Add(work.Pause(firstPause, t.copy.Rewrites-1, longestPause)))
	t.copy.Error = "It did not come back as it was written: " + how + "."
	return errors.Join(otherwise{how}, cause, t.note(ctx))
}

// otherwise says how a copy came back otherwise than it was written.
type otherwise struct{ how string }

// Error says how.
func (o otherwise) Error() string { return "looking at the copy: " + o.how }

// remove takes the copy away. That it is gone already is success, unless a write may
// still arrive: then it is looked for again. A copy that is to go waits until the
// one that takes its place has been written.
func (t *try) remove(ctx context.Context) error {
	others, err := t.tx.CopiesOf(t.copy.VisitID)
	if err != nil {
		return err
	}
	waits := slices.ContainsFunc(others, func(c store.Copy) bool {
		return c.ID != t.copy.ID && c.Wanted && (c.State == store.CopyWaiting || c.State == store.CopyFailed)
	})
	if waits && t.now < t.copy.WishedAt.Add(longestWait) {
		t.copy.NextAt = span.NotBefore(t.Now().Add(firstPause))
		return t.note(ctx)
	}
	same, err := t.tx.SameCopies(t.copy)
	if err != nil {
		return err
	}
	if slices.ContainsFunc(same, func(c store.Copy) bool { return c.Wanted }) {
		return t.removed(ctx) // what is there belongs to another link of the same calendar
	}
	switch err := t.delete(ctx); {
	case outbound.MayHaveHappened(err):
		t.unsure(gone)
		return err
	case err != nil && outbound.KindOf(err) != outbound.NotThere:
		return err
	}
	if err := t.isGone(ctx); err != nil {
		return err
	}
	t.Hosts.Answered(t.link.Host)
	// In a calendar that is linked in two ways, this may have taken another one away.
	for _, c := range others {
		if c.ID != t.copy.ID && c.Wanted && c.State == store.CopyReadBack {
			c.State, c.NextAt = store.CopyWritten, t.now
			err := t.DB.Write(ctx, func(tx store.Tx) error { _, err := tx.SaveCopy(c); return err })
			if err != nil {
				return err
			}
		}
	}
	return t.removed(ctx)
}

// isGone looks whether a copy has gone that a host says it has removed, or never had.
func (t *try) isGone(ctx context.Context) error {
	stored, err := t.get(ctx)
	switch {
	case outbound.KindOf(err) == outbound.NotThere:
		return nil
	case err != nil:
		return err
	}
	t.copy.Etag, t.copy.Rewrites = stored.ETag, t.copy.Rewrites+1
	t.copy.State, t.copy.NextAt = store.CopyFailed, span.NotBefore(t.Now().Add(work.Pause(firstPause, t.copy.Rewrites-1, longestPause)))
	t.copy.Error = "The host says that it is removed, but it is still there."
	return errors.Join(otherwise{"it is still there"}, t.note(ctx))
}

// removed notes that the copy is not there.
func (t *try) removed(ctx context.Context) error {
	t.copy.Etag, t.copy.Error, t.copy.Attempts, t.copy.Rewrites = "", "", 0, 0
	t.copy.State = store.CopyRemoved
	if t.copy.NextAt = t.again(); t.copy.NextAt < store.Never {
		t.copy.State = store.CopyWaiting
	}
	return t.note(ctx)
}

// delete removes the copy in the version that is there.
func (t *try) delete(ctx context.Context) error {
	var err error
	for n := range 3 {
		if t.copy.Etag == "" || n > 0 {
			var stored source.Stored
			if stored, err = t.get(ctx); err != nil {
				return err
			}
			t.copy.Etag = stored.ETag
		}
		etag := t.copy.Etag
		if n > 0 && source.IsWeak(etag) {
			etag = "" // the host can hold no condition with it
		}
		if err = t.writer.Delete(ctx, t.copy.Address, etag); outbound.KindOf(err) != outbound.Changed {
			return err
		}
	}
	return err
}
