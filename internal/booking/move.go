package booking

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/message"
	"niche/internal/schedule"
	"niche/internal/secret"
	"niche/internal/store"
)

// ErrNotMovable says that a booking is cancelled or waits for a decision.
var ErrNotMovable = errors.New("only a confirmed booking can be moved")

// Move moves a booking to another start, with anyone or with the staff member
// who is asked for. Its old claim holds until the new one stands. A visit that
// belongs to the booking alone keeps its UID and copies, which are written anew; out of
// a shared visit, the booking goes to another one. The error is a *NotOffered
// when the start cannot be booked, and then nothing has changed.
func (b *Bookings) Move(ctx context.Context, id store.ID, start span.Instant, staff store.ID) (store.Booking, error) {
	return b.MoveAnyway(ctx, id, start, staff, "")
}

// MoveByClient is Move, and counts how often the client has done so.
func (b *Bookings) MoveByClient(ctx context.Context, id store.ID, start span.Instant, staff store.ID) (store.Booking, error) {
	return b.move(ctx, id, start, staff, "", true)
}

// MoveAnyway is Move, and overrules what rules say for a reason, if one is given: all but claims.
func (b *Bookings) MoveAnyway(ctx context.Context, id store.ID, start span.Instant, staff store.ID, anyway string) (store.Booking, error) {
	return b.move(ctx, id, start, staff, anyway, false)
}

func (b *Bookings) move(ctx context.Context, id store.ID, start span.Instant, staff store.ID, anyway string, byClient bool) (store.Booking, error) {
	tx := b.DB.Read(ctx)
	k, err := tx.Booking(id)
	if err != nil {
		return k, err
	}
	if k.Status != store.Confirmed {
		return k, ErrNotMovable
	}
	old, err := tx.Visit(k.VisitID)
	if err != nil {
		return k, err
	}
	r := Request{Service: old.ServiceID, Start: start, Length: old.During().Minutes(), Places: k.Places, Staff: staff,
		ClientName: k.ClientName, ClientMail: k.ClientMail, ClientZone: k.ClientZone, Anyway: anyway}
	was := message.Was{Start: old.Start, End: old.End}
	if was.Staff, err = tx.VisitStaff(old.ID); err != nil {
		return k, err
	}
	_, err = b.secure(ctx, r, k, store.Booking{TokenHash: secret.Hash(secret.New())}, func(tx store.Tx, h hold, _ store.BookingStatus) (store.ID, error) {
		if err := settleMove(tx, k, h, span.At(b.Now()), byClient); err != nil {
			return 0, err
		}
		if anyway != "" {
			if err := tx.SaveOverruled(k.ID, anyway); err != nil {
				return 0, err
			}
			k.Overruled = anyway
		}
		moved, err := tx.Booking(k.ID)
		if err != nil {
			return 0, err
		}
		if err := b.Tell(tx, message.News{Kind: message.Changed, Booking: moved, Was: was}); err != nil {
			return 0, err
		}
		return k.ID, note(tx, span.At(b.Now()), "moved", k, says(old, store.Booking{Places: k.Places, Status: k.Status}), says(h.visit, k))
	})
	if err == nil {
		k, err = b.DB.Read(context.WithoutCancel(ctx)).Booking(id)
	}
	if err != nil {
		return k, fmt.Errorf("moving booking %s: %w", k.Reference, err)
	}
	return k, nil
}

// Way is where a booking could move to: a start with somebody.
type Way struct {
	At    span.Instant
	Staff store.ID
}

// Ways returns where a booking could move to: the nearest starts with who has it now, and
// those of others, at its own time first.
func (b *Bookings) Ways(ctx context.Context, id store.ID, most int) (own, others []Way, err error) {
	tx := b.DB.Read(ctx)
	k, err := tx.Booking(id)
	if err != nil {
		return nil, nil, err
	}
	if k.Status != store.Confirmed {
		return nil, nil, ErrNotMovable
	}
	v, err := tx.Visit(k.VisitID)
	if err != nil {
		return nil, nil, err
	}
	now, err := tx.VisitStaff(v.ID)
	if err != nil {
		return nil, nil, err
	}
	answer, staff, err := b.around(tx, Request{Service: v.ServiceID, Start: v.Start, Length: v.During().Minutes(), Places: k.Places}, k)
	if err != nil {
		return nil, nil, err
	}
	for _, l := range answer.Lanes {
		who := staff[l.Staff].ID
		near, same := l.Near(v.Start, most)
		switch {
		case slices.Contains(now, who):
			for _, at := range near {
				// Who have it together move together.
				if !slices.ContainsFunc(own, func(w Way) bool { return w.At == at }) {
					own = append(own, Way{at, who})
				}
			}
		case same:
			others = append(others, Way{v.Start, who})
		case len(near) > 0:
			others = append(others, Way{near[0], who})
		}
	}
	away := func(w Way) span.Instant { return max(w.At-v.Start, v.Start-w.At) }
	nearer := func(a, b Way) int { return cmp.Compare(away(a), away(b)) }
	slices.SortStableFunc(own, nearer)
	slices.SortStableFunc(others, nearer)
	return own[:min(most, len(own))], others[:min(most, len(others))], nil
}

// Place is a start to which a booking could move, or could not.
type Place struct {
	At      span.Instant
	Reasons []offer.Code // why it is refused; nil when it is offered
}

// Places returns every start on a date, in the business's zone, of everybody who performs a booking's service, as if the booking were
// not there.
func (b *Bookings) Places(ctx context.Context, id store.ID, date hours.LocalDate) (map[store.ID][]Place, error) {
	tx := b.DB.Read(ctx)
	k, err := tx.Booking(id)
	if err != nil {
		return nil, err
	}
	if k.Status != store.Confirmed {
		return nil, ErrNotMovable
	}
	v, err := tx.Visit(k.VisitID)
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return nil, err
	}
	whole := span.Between(zone.Over(date, date+1).Starting(date, 0), zone.Over(date, date+1).Starting(date+1, 0))
	answer, staff, err := b.around(tx, Request{Service: v.ServiceID, Start: whole.Start(), Length: v.During().Minutes(), Places: k.Places}, k)
	if err != nil {
		return nil, err
	}
	out := map[store.ID][]Place{}
	for _, l := range answer.Lanes {
		for _, s := range l.Starts {
			if whole.Contains(s.At) {
				out[staff[l.Staff].ID] = append(out[staff[l.Staff].ID], Place{s.At, s.Refused.Codes()})
			}
		}
	}
	return out, nil
}

// settleMove puts the booking where the hold is, in one transaction.
func settleMove(tx store.Tx, k store.Booking, h hold, now span.Instant, byClient bool) error {
	present, err := tx.Booking(k.ID)
	if err != nil {
		return err
	}
	if present.Status != store.Confirmed || present.VisitID != k.VisitID {
		return ErrNotMovable // cancelled or moved while the last look went on
	}
	others, err := othersOn(tx, k.VisitID, k.ID)
	if err != nil {
		return err
	}
	own, err := isFresh(tx, h)
	if err != nil {
		return err
	}
	if err := tx.DeleteBooking(h.booking.ID); err != nil {
		return err
	}
	present.Picked, present.Sequence = h.booking.Picked, present.Sequence+1
	if byClient {
		present.MovedByClient++
	}
	if others > 0 || !own {
		present.VisitID = h.visit.ID
		if err := tx.SaveBooking(present); err != nil {
			return err
		}
		if err := release(tx, k.VisitID, now); err != nil {
			return err
		}
		if err := tx.ForgetVisit(k.VisitID); err != nil {
			return err
		}
		if err := complete(tx, h.visit); err != nil {
			return err
		}
		return settled(tx, h.visit.ID, now)
	}
	// The visit is the booking's own: it takes over what the hold has gathered.
	if err := tx.SaveBooking(present); err != nil {
		return err
	}
	if err := tx.TakeOver(k.VisitID, h.visit.ID); err != nil {
		return err
	}
	moved := h.visit
	moved.ID = k.VisitID
	if err := complete(tx, moved); err != nil {
		return err
	}
	return settled(tx, k.VisitID, now)
}

// isFresh reports whether a hold's visit is its own: nobody else was ever on it, and
// nothing of it is outside.
func isFresh(tx store.Tx, h hold) (bool, error) {
	ever, err := tx.EverOn(h.visit.ID)
	if err != nil {
		return false, err
	}
	copies, err := tx.CopiesOf(h.visit.ID)
	return ever == 1 && len(copies) == 0, err
}

// complete makes a visit's claims whole, where some of its time was left to the
// visit that moved here.
func complete(tx store.Tx, v store.Visit) error {
	if err := tx.DropClaims(v.ID); err != nil {
		return err
	}
	staff, err := tx.VisitStaff(v.ID)
	if err != nil {
		return err
	}
	things, err := tx.VisitResources([]store.ID{v.ID})
	if err != nil {
		return err
	}
	var subjects []store.Subject
	for _, id := range staff {
		subjects = append(subjects, store.StaffSubject(id))
	}
	for _, r := range things {
		subjects = append(subjects, store.ResourceSubject(r.ResourceID))
	}
	return claim(tx, v, subjects, 0)
}
