package booking

import (
	"niche/core/span"
	"niche/internal/message"
	"niche/internal/store"
)

// holdForPayment keeps a held booking held while its client pays, in the transaction that would
// have confirmed it.
func (b *Bookings) holdForPayment(tx store.Tx, s store.Service, held store.Booking, r Request) (store.ID, error) {
	held.HoldUntil = span.At(b.Now()).Add(b.PayWithin)
	if err := tx.SaveBooking(held); err != nil {
		return 0, err
	}
	return held.ID, b.Charge(tx, s, held, r)
}

// Paid confirms a held booking that has been paid, or has it wait for a decision where its
// service wants one, of every booking or of one for which a calendar could not be read. It reports
// whether the booking still was there.
func (b *Bookings) Paid(tx store.Tx, held store.ID) (bool, error) {
	k, err := tx.Booking(held)
	if store.IsMissing(err) || err == nil && (k.Status != store.Held || k.HoldUntil == 0) {
		return false, nil
	}
	if err != nil {
		return false, err
	}
	v, err := tx.Visit(k.VisitID)
	if err != nil {
		return false, err
	}
	s, err := tx.Service(v.ServiceID)
	if err != nil {
		return false, err
	}
	now := span.At(b.Now())
	k.Status, k.HoldUntil = store.Confirmed, 0
	decided, err := tx.LastCase(k.ID)
	if err != nil {
		return false, err
	}
	if !decided.AllRead && s.Unreachable != store.TakeIt {
		k.Status = store.Pending
	}
	if s.ApproveWithin > 0 {
		k.Status, k.AnswerBy = store.Pending, max(now+60, min(now.Add(s.ApproveWithin), v.Start))
	}
	return true, b.stands(tx, v, k)
}

// stands keeps a booking as one that stands, or waits for a decision, and tells of it.
func (b *Bookings) stands(tx store.Tx, v store.Visit, k store.Booking) error {
	if err := tx.SaveBooking(k); err != nil {
		return err
	}
	if err := note(tx, span.At(b.Now()), "took", k, nil, says(v, k)); err != nil {
		return err
	}
	news := message.News{Kind: message.Confirmed, Booking: k}
	if k.Status == store.Pending {
		news.Kind = message.Received
	}
	if err := b.Tell(tx, news); err != nil {
		return err
	}
	return settled(tx, k.VisitID, span.At(b.Now()))
}

// LetGo takes a held booking back that nobody has paid in time.
func (b *Bookings) LetGo(tx store.Tx, held store.ID) error {
	k, err := tx.Booking(held)
	if store.IsMissing(err) || err == nil && k.Status != store.Held {
		return nil
	}
	if err != nil {
		return err
	}
	return dropHeld(tx, k, span.At(b.Now()))
}
