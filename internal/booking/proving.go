package booking

import (
	"context"
	"errors"
	"fmt"
	"time"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/outbox"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Test is a test booking of a proof: a visit that holds its time as any does, and on which nobody is
// booked. So nobody is written to, no list has it, and no cap counts it.
type Test struct {
	Proof     store.ID
	Token     string
	Service   store.ID
	Staff     store.ID
	Start     span.Instant
	Calendars []store.Calendar // in which it is to be written
}

// TestTaken is how a test booking went.
type TestTaken struct {
	Visit   store.Visit
	Look    time.Duration // how long the last look took
	AllRead bool          // whether it could read every calendar
}

// TakeTest takes a test booking as any is taken: the claim, the last look, the rules once more, and its copies. The
// error is a *NotOffered when the start cannot be booked.
func (b *Bookings) TakeTest(ctx context.Context, t Test) (out TestTaken, err error) {
	var reasons []offer.Code
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		q, err := b.testQuestion(tx, t, 0)
		if err != nil {
			return err
		}
		if reasons = refused(q, t.Start); reasons != nil {
			return nil
		}
		during := q.Service.Visit(t.Start)
		v := store.Visit{ServiceID: t.Service, UID: store.ProofPrefix + t.Token + store.UIDSuffix, Start: during.Start(), End: during.End(),
			BufferBefore: q.Service.BufferBefore, BufferAfter: q.Service.BufferAfter, ProofID: t.Proof}
		if err := tx.AddVisit(&v, []store.ID{t.Staff}, nil); err != nil {
			return err
		}
		out.Visit = v
		return claim(tx, v, []store.Subject{store.StaffSubject(t.Staff)}, 0)
	})
	if errors.Is(err, store.ErrOverlap) {
		reasons, err = []offer.Code{offer.CodeBooked}, nil
	}
	if err != nil || reasons != nil {
		return out, outcome(err, reasons)
	}
	began := b.Now()
	if out.AllRead, err = b.lastLook(ctx, []store.ID{t.Staff}); err == nil {
		err = ctx.Err()
	}
	out.Look = b.Now().Sub(began)
	if err == nil {
		err = b.DB.Write(ctx, func(tx store.Tx) error {
			q, err := b.testQuestion(tx, t, out.Visit.ID)
			if err != nil {
				return err
			}
			if reasons = refused(q, t.Start); reasons != nil {
				return nil
			}
			return outbox.WantTest(tx, out.Visit, t.Calendars, span.At(b.Now()))
		})
	}
	b.changed()
	return out, outcome(err, reasons)
}

// outcome is the error of a test booking that failed, or was refused.
func outcome(err error, reasons []offer.Code) error {
	if err != nil {
		return fmt.Errorf("taking a test booking: %w", err)
	}
	if reasons != nil {
		return &NotOffered{Reasons: reasons}
	}
	return nil
}

// testQuestion asks which starts of the service the person of a test booking has that day, whoever else performs it.
func (b *Bookings) testQuestion(tx store.Tx, t Test, without store.ID) (offer.Question, error) {
	a, _, err := ask(tx, Request{Service: t.Service, Start: t.Start}, store.Booking{}, span.At(b.Now()))
	if err != nil {
		return offer.Question{}, err
	}
	m, err := tx.Staff(t.Staff)
	if err != nil {
		return offer.Question{}, err
	}
	a.Staff = []store.Staff{m}
	if without != 0 {
		a.Without.Visits = []store.ID{without}
	}
	q, err := schedule.Question(tx, a)
	q.Service.Staffing = offer.AnyOne // it is about this one
	return q, err
}

// refused returns why a start of the one person of a question cannot be booked; nil when it can.
func refused(q offer.Question, start span.Instant) []offer.Code {
	if trail := q.Explain(start, 0); !trail.Offered() {
		return merge(nil, trail)
	}
	return nil
}

// SecondSale tries to sell the time of a test booking again, as the pages would and past the rules: it returns for which reasons
// that was refused, and whether the database refuses the claim alone. Nothing stays of it.
func (b *Bookings) SecondSale(ctx context.Context, t Test) (reasons []offer.Code, claims bool, err error) {
	draft := store.Booking{RequestHash: t.Token, TokenHash: t.Token}
	h, reasons, err := b.hold(ctx, Request{Service: t.Service, Start: t.Start, Staff: t.Staff}, store.Booking{}, draft)
	if err != nil {
		return nil, false, err
	}
	if reasons == nil {
		h.done()
		if err := b.drop(context.WithoutCancel(ctx), h.booking.ID); err != nil {
			return nil, false, err
		}
	}
	undone := errors.New("taken back")
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		v := store.Visit{ServiceID: t.Service, UID: store.ProofPrefix + t.Token + "-again" + store.UIDSuffix, Start: t.Start, End: t.Start.Add(1)}
		if err := tx.AddVisit(&v, []store.ID{t.Staff}, nil); err != nil {
			return err
		}
		return errors.Join(claim(tx, v, []store.Subject{store.StaffSubject(t.Staff)}, 0), undone)
	})
	switch {
	case errors.Is(err, store.ErrOverlap):
		return reasons, true, nil
	case errors.Is(err, undone):
		return reasons, false, nil
	}
	return reasons, false, fmt.Errorf("claiming the time of a test booking again: %w", err)
}

// DropTest lets go of the time of a proof's test booking, and has its copies removed. It is forgotten once nothing
// of it is outside: left says that something may still be.
func (b *Bookings) DropTest(ctx context.Context, proof store.ID) (left bool, err error) {
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		left = false
		visits, err := tx.ProofVisits(proof)
		for _, v := range visits {
			err = errors.Join(err, tx.DropClaims(v.ID), outbox.Unwant(tx, v.ID, span.At(b.Now())))
			if err != nil {
				return err
			}
			gone, err := tx.ForgetProofVisit(v)
			if err != nil {
				return err
			}
			left = left || !gone
		}
		return err
	})
	b.Hub.Tell(live.Bookings)
	b.Wake()
	if err != nil {
		return true, fmt.Errorf("dropping a test booking: %w", err)
	}
	return left, nil
}
