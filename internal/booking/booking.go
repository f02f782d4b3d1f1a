// Package booking takes, moves and cancels bookings.
//
// Taking one is a claim first: in one transaction the rules are checked and the
// time of everybody and everything that the visit needs is claimed, which the
// database refuses when another claim holds any of it. Then comes the last look
// into the calendars that block the staff, and only then the confirmation,
// together with the copies to be written. A program that dies in between leaves
// a held booking, which is swept away. It is the only package that changes the
// statuses of bookings.
package booking

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"sync"
	"time"

	"niche/core/offer"
	"niche/core/question"
	"niche/core/span"
	"niche/internal/clash"
	"niche/internal/live"
	"niche/internal/meeting"
	"niche/internal/message"
	"niche/internal/outbox"
	"niche/internal/secret"
	"niche/internal/store"
	"niche/internal/together"
	"niche/internal/work"
)

// lookFor is how long the last look may take.
const lookFor = 2500 * time.Millisecond

// Settings of the bookings.
type Settings struct {
	DB *store.DB
	// Look is the last look at somebody's calendars, which have some time to answer.
	Look      func(ctx context.Context, within time.Duration, staff store.ID) (allRead bool, err error)
	Hub       *live.Hub
	Now       func() time.Time
	Tell      func(tx store.Tx, n message.News) error                              // writes down what a client is told, in the transaction that makes the news
	Wake      func()                                                               // makes due work be looked for
	Charge    func(tx store.Tx, s store.Service, k store.Booking, r Request) error // writes down what the client of a hold has to pay
	Refund    func(tx store.Tx, k store.Booking, byClient bool) error              // writes down that what was paid goes back, if it does
	PayWithin span.Minutes
	Seal      func(purpose, text string) string // makes a token of a text, the same each time, that nobody else can make
}

// Bookings takes, moves and cancels bookings.
type Bookings struct {
	Settings
	offered *together.Runs[about, []offer.Offer]

	mu       sync.Mutex
	underway map[store.ID]int         // how many requests are busy with a held booking
	keys     map[string]chan struct{} // keys of requests that are being answered
}

// New returns the bookings in a database, which are answered for until the context ends.
func New(ctx context.Context, s Settings) *Bookings {
	return &Bookings{Settings: s, offered: together.New[about, []offer.Offer](ctx, rest), underway: map[store.ID]int{}, keys: map[string]chan struct{}{}}
}

// Wait waits until nothing is looked up any more. Nobody may ask.
func (b *Bookings) Wait() { b.offered.Wait() }

// Request asks for a booking.
type Request struct {
	Key         string // by which the same request is known again; empty for none
	Service     store.ID
	Start       span.Instant
	Length      span.Minutes // one of the service's; 0 for its first
	Places      int          // 0 counts as 1
	Staff       store.ID     // who is asked for, 0 for anyone
	ClientName  string
	ClientMail  string
	ClientZone  string
	ClientClock string // 24 or 12
	Phone       string // E.164, or empty
	PhoneDigits string // the ways in which its digits are typed
	Address     string // where the visit is, of one at the client's
	Answers     []question.Answer
	TokenHash   string                              `json:"-"` // of the client's own address; empty for a new one
	Paid        func(store.Tx, store.Booking) error `json:"-"` // keeps that it is paid, in the transaction that confirms it; nil for one that is not
	Origin      string                              // the network that asks
	Trial       bool                                // it tries a service, and is cleaned up
	MadeBy      string                              // who at the desk asks; empty for the client
	Anyway      string                              // why rules are overruled, all but claims; empty for keeping them
	MostAhead   int                                 // how many bookings ahead the mail address may have with this one; 0 for any number
}

// hash returns what is the same for two requests that ask for the same.
func (r Request) hash() string {
	return secret.Hash(fmt.Sprintf("%d %d %d %d %d\x00%s\x00%s\x00%s\x00%s\x00%s\x00%v", r.Service, r.Start, r.Length, r.Places, r.Staff, r.ClientName, r.ClientMail, r.ClientZone, r.Phone, r.Address, r.Answers))
}

// Taken is a booking that was taken, with the token that manages it. The token
// is told once and not kept; only the same request with the same key is told it again.
type Taken struct {
	Booking store.Booking
	Token   string
}

// NotOffered says that a start cannot be booked (any more), for which reasons,
// and which starts near it still can be.
type NotOffered struct {
	Reasons []offer.Code
	Nearest []offer.Offer
}

// Error names the reasons.
func (n *NotOffered) Error() string { return fmt.Sprintf("the start is not offered: %v", n.Reasons) }

// Reasons that are not rules of the core.
const (
	CodeUnreached offer.Code = "calendar-not-reached" // and the service wants no booking then
	CodePaused    offer.Code = "paused"
)

// ErrKeyUsed says that the key of a request was used for another one.
var ErrKeyUsed = errors.New("this key was used for another request")

// ErrManyAhead says that a mail address has as many bookings ahead as it may.
var ErrManyAhead = errors.New("this mail address has as many bookings ahead as it may")

// Answered reports whether a request with a key has been answered by a booking.
func (b *Bookings) Answered(ctx context.Context, key string) bool {
	if key == "" {
		return false
	}
	_, err := b.DB.Read(ctx).BookingByKey(keyHash(key))
	return err == nil
}

// keyHash returns what is kept of the key of a request.
func keyHash(key string) string { return secret.Hash("key " + key) }

// Take takes a booking. The error is a *NotOffered when the start cannot be
// booked. A request with a key that was answered before gets the same booking again.
func (b *Bookings) Take(ctx context.Context, r Request) (Taken, error) {
	t := Taken{Token: secret.New()}
	draft := store.Booking{RequestHash: r.hash(), MadeBy: r.MadeBy, Overruled: r.Anyway}
	if r.Key != "" {
		release, err := b.alone(ctx, r.Key)
		if err != nil {
			return t, err
		}
		defer release()
		t.Token, draft.KeyHash = b.Seal("booking", r.Key), keyHash(r.Key)
		known, err := b.DB.Read(ctx).BookingByKey(draft.KeyHash)
		switch {
		case err == nil && known.RequestHash != draft.RequestHash:
			return t, ErrKeyUsed
		case err == nil:
			t.Booking = known
			return t, nil
		case !store.IsMissing(err):
			return t, fmt.Errorf("looking for an earlier answer: %w", err)
		}
	}
	draft.TokenHash = cmp.Or(r.TokenHash, secret.Hash(t.Token))

	var err error
	t.Booking, err = b.secure(ctx, r, store.Booking{}, draft, func(tx store.Tx, h hold, status store.BookingStatus) (store.ID, error) {
		held, err := tx.Booking(h.booking.ID)
		if store.IsMissing(err) || err == nil && held.Status != store.Held {
			return 0, errors.New("the held booking was swept away")
		}
		if err != nil {
			return 0, err
		}
		switch {
		case r.Paid != nil:
			if err := r.Paid(tx, held); err != nil {
				return 0, err
			}
		case h.service.Prepaid > 0 && r.MadeBy == "":
			return b.holdForPayment(tx, h.service, held, r)
		}
		held.Status, held.AnswerBy = status, h.booking.AnswerBy
		return held.ID, b.stands(tx, h.visit, held)
	})
	if err == nil && t.Booking.ID != 0 {
		t.Booking, err = b.DB.Read(context.WithoutCancel(ctx)).Booking(t.Booking.ID)
	}
	return t, err
}

// alone waits until no other request with the same key is being answered.
func (b *Bookings) alone(ctx context.Context, key string) (release func(), err error) {
	for {
		b.mu.Lock()
		busy, ok := b.keys[key]
		if !ok {
			done := make(chan struct{})
			b.keys[key] = done
			b.mu.Unlock()
			return func() {
				b.mu.Lock()
				defer b.mu.Unlock()
				delete(b.keys, key)
				close(done)
			}, nil
		}
		b.mu.Unlock()
		select {
		case <-busy:
		case <-ctx.Done():
			return nil, ctx.Err()
		}
	}
}

// settled brings along what follows from a change of a visit's bookings: its copies, its
// room online, and what clashes with it.
func settled(tx store.Tx, visit store.ID, now span.Instant) error {
	if err := outbox.Want(tx, visit, now); err != nil {
		return err
	}
	if err := meeting.Want(tx, visit, now); err != nil {
		return err
	}
	return clash.OfVisit(tx, visit, now)
}

// release lets go of a visit that nobody is booked on any more: its time is free
// at once. What follows for one that somebody still is on is brought along.
func release(tx store.Tx, visit store.ID, now span.Instant) error {
	active, err := tx.BookingsOn(visit)
	if err != nil {
		return err
	}
	if len(active) == 0 {
		if err := tx.DropClaims(visit); err != nil {
			return err
		}
	}
	return settled(tx, visit, now)
}

// drop takes a held booking back, with its visit when nobody else is on it.
func (b *Bookings) drop(ctx context.Context, held store.ID) error {
	return b.DB.Write(ctx, func(tx store.Tx) error {
		k, err := tx.Booking(held)
		if store.IsMissing(err) || err == nil && k.Status != store.Held {
			return nil
		}
		if err != nil {
			return err
		}
		return dropHeld(tx, k, span.At(b.Now()))
	})
}

// dropHeld takes a held booking back. A visit that somebody was on stays, and so does
// one of which something is outside.
func dropHeld(tx store.Tx, held store.Booking, now span.Instant) error {
	if err := tx.DeleteBooking(held.ID); err != nil {
		return err
	}
	if err := release(tx, held.VisitID, now); err != nil {
		return err
	}
	return tx.ForgetVisit(held.VisitID)
}

// Sweep drops the held bookings that no request is busy with: those that a program
// that died left behind, and those of requests that failed.
func (b *Bookings) Sweep(ctx context.Context) error {
	err := b.DB.Write(ctx, func(tx store.Tx) error {
		held, err := tx.BookingsWith(store.Held)
		if err != nil {
			return err
		}
		b.mu.Lock()
		defer b.mu.Unlock()
		for _, k := range held {
			if b.underway[k.ID] > 0 || k.HoldUntil > 0 {
				continue // the hold of one that is being paid ends with its payment
			}
			if err := dropHeld(tx, k, span.At(b.Now())); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("sweeping held bookings: %w", err)
	}
	over, err := b.DB.Read(ctx).TrialsBefore(span.At(b.Now()).Add(-trialFor))
	if err != nil || len(over) == 0 {
		return err
	}
	return b.CancelAll(ctx, over)
}

// Queue returns the requests that nobody has answered in time, as work: each is declined, its
// time is free, and its client is told.
func (b *Bookings) Queue() work.Queue {
	return work.Queue{Name: "requests", Store: store.RequestQueue, Do: func(ctx context.Context, id store.ID) error {
		return b.cancelIf(ctx, []store.ID{id}, false, "let go", message.Declined, func(k store.Booking) bool {
			return k.Status == store.Pending && k.AnswerBy > 0 && k.AnswerBy <= span.At(b.Now())
		})
	}, Forward: func(store.Tx, string, span.Instant) error { return nil }}
}

// busyWith notes that a request is busy with a held booking, until done is called. The
// number of one that was dropped may be given to the next before its request has
// ended, so requests are counted.
func (b *Bookings) busyWith(held store.ID) (done func()) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.underway[held]++
	return func() {
		b.mu.Lock()
		defer b.mu.Unlock()
		if b.underway[held]--; b.underway[held] == 0 {
			delete(b.underway, held)
		}
	}
}

// changed tells of a change, and has what follows done.
func (b *Bookings) changed() {
	b.Hub.Tell(live.Bookings)
	b.Wake()
}

// Decide settles a pending booking: it is confirmed, or cancelled.
func (b *Bookings) Decide(ctx context.Context, id store.ID, accept bool) error {
	if !accept {
		waits := false
		err := b.cancelIf(ctx, []store.ID{id}, false, "cancelled", message.Declined, func(k store.Booking) bool {
			waits = k.Status == store.Pending
			return waits
		})
		if err == nil && !waits {
			err = store.ErrNotFound // it was answered before
		}
		return err
	}
	err := b.DB.Write(ctx, func(tx store.Tx) error {
		k, err := tx.Booking(id)
		if err != nil {
			return err
		}
		if k.Status != store.Pending {
			return store.ErrNotFound
		}
		k.Status = store.Confirmed
		if err := tx.SaveBooking(k); err != nil {
			return err
		}
		if err := note(tx, span.At(b.Now()), "confirmed", k, nil, nil); err != nil {
			return err
		}
		if err := b.Tell(tx, message.News{Kind: message.Confirmed, Booking: k}); err != nil {
			return err
		}
		return settled(tx, k.VisitID, span.At(b.Now()))
	})
	if err != nil {
		return fmt.Errorf("confirming booking %d: %w", id, err)
	}
	b.changed()
	return nil
}

// Cancel cancels a booking. Cancelling twice does it once.
func (b *Bookings) Cancel(ctx context.Context, id store.ID) error {
	return b.CancelAll(ctx, []store.ID{id})
}

// CancelByClient is Cancel, by the client: what they have paid goes back as the service says.
func (b *Bookings) CancelByClient(ctx context.Context, id store.ID) error {
	return b.cancelIf(ctx, []store.ID{id}, true, "cancelled", message.Cancelled, func(store.Booking) bool { return true })
}

// CancelAll cancels several bookings, or when that fails none.
func (b *Bookings) CancelAll(ctx context.Context, ids []store.ID) error {
	return b.cancelAll(ctx, ids, message.Cancelled)
}

// cancelAll cancels bookings, and tells their clients by a kind of news.
func (b *Bookings) cancelAll(ctx context.Context, ids []store.ID, kind string) error {
	return b.cancelIf(ctx, ids, false, "cancelled", kind, func(store.Booking) bool { return true })
}

// cancelIf cancels those of some bookings of which something is still so; the trail calls it by
// a deed, and clients are told by a kind of news.
func (b *Bookings) cancelIf(ctx context.Context, ids []store.ID, byClient bool, deed, kind string, still func(store.Booking) bool) error {
	now := span.At(b.Now())
	err := b.DB.Write(ctx, func(tx store.Tx) error {
		for _, id := range ids {
			k, err := tx.Booking(id)
			if err != nil {
				return err
			}
			if k.Status == store.Cancelled || k.Status == store.Held || !still(k) {
				continue
			}
			was := k.Status
			k.Status, k.CancelledAt, k.Sequence = store.Cancelled, now, k.Sequence+1
			if err := tx.SaveBooking(k); err != nil {
				return err
			}
			if err := note(tx, now, deed, k, map[string]any{"status": was}, map[string]any{"status": k.Status}); err != nil {
				return err
			}
			if err := b.Refund(tx, k, byClient); err != nil {
				return err
			}
			if err := b.Tell(tx, message.News{Kind: kind, Booking: k}); err != nil {
				return err
			}
			if err := release(tx, k.VisitID, now); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("cancelling bookings %d: %w", ids, err)
	}
	b.changed()
	return nil
}

// Note keeps what the desk notes of a booking, and whether its client did not come. It returns ErrNotOver for a visit that has
// not begun.
func (b *Bookings) Note(ctx context.Context, id store.ID, text string, missed bool) error {
	now := span.At(b.Now())
	err := b.DB.Write(ctx, func(tx store.Tx) error {
		k, err := tx.Booking(id)
		if err != nil {
			return err
		}
		v, err := tx.Visit(k.VisitID)
		if err != nil {
			return err
		}
		before := k
		k.Note = text
		switch {
		case missed && k.MissedAt == 0 && (v.Start > now || k.Status != store.Confirmed):
			return ErrNotOver
		case missed && k.MissedAt == 0:
			k.MissedAt = now
		case !missed:
			k.MissedAt = 0
		}
		if err := tx.NoteBooking(k); err != nil {
			return err
		}
		if before.Note != k.Note {
			// What a note says is the desk's, and stays in one place.
			if err := note(tx, now, "noted something on", k, nil, nil); err != nil {
				return err
			}
		}
		if (before.MissedAt > 0) != (k.MissedAt > 0) {
			return note(tx, now, map[bool]string{true: "marked as missed", false: "took back that somebody missed"}[k.MissedAt > 0], k, nil, nil)
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("noting on booking %d: %w", id, err)
	}
	b.Hub.Tell(live.Bookings)
	return nil
}

// ErrNotOver says that a visit cannot have been missed, because it has not begun or was cancelled.
var ErrNotOver = errors.New("the visit has not begun")

// note adds to the trail what was done to a booking.
func note(tx store.Tx, now span.Instant, deed string, k store.Booking, before, after any) error {
	return tx.Note(now, deed, "booking", k.ID, k.Reference, before, after)
}

// says is what the trail keeps of a booking: when it is, and for how many.
func says(v store.Visit, k store.Booking) any {
	return struct {
		Start  string              `json:"start"`
		End    string              `json:"end"`
		Places int                 `json:"places"`
		Status store.BookingStatus `json:"status"`
		Anyway string              `json:"anyway,omitempty"`
	}{v.Start.String(), v.End.String(), k.Places, k.Status, k.Overruled}
}

// newReference returns a reference to be read out on the telephone.
func newReference() string {
	c := secret.Code(7)
	return c[:3] + "-" + c[3:]
}

// ServiceMoved brings along what follows when the visits of a service take place elsewhere: their
// copies say so, and their rooms online are made or go.
func ServiceMoved(tx store.Tx, service store.ID, now span.Instant) error {
	ids, err := tx.VisitsOf(service, now)
	for _, id := range ids {
		if err := settled(tx, id, now); err != nil {
			return err
		}
	}
	return err
}

// Declined cancels a booking whose client has answered that they do not come, where its service takes them at their
// word and they may still cancel. Otherwise it stays, for somebody to look at.
func (b *Bookings) Declined(ctx context.Context, id store.ID) error {
	tx := b.DB.Read(ctx)
	k, err := tx.Booking(id)
	if err != nil {
		return err
	}
	v, err := tx.Visit(k.VisitID)
	if err != nil {
		return err
	}
	s, err := tx.Service(v.ServiceID)
	if err != nil || !s.CancelDeclined || k.Status != store.Confirmed || span.At(b.Now()) >= v.Start.Add(-s.CancelUntil) {
		return err
	}
	return b.cancelIf(ctx, []store.ID{id}, true, "cancelled", message.Cancelled, func(k store.Booking) bool {
		return k.Status == store.Confirmed && k.Answer() == "DECLINED"
	})
}
