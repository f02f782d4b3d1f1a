package proof

import (
	"context"
	"errors"
	"slices"

	"niche/internal/reading"
	"niche/internal/store"
)

// Nothing of the proof stays: neither outside nor in the books. It is done whatever came before.
var cleanUp = step{
	key: "clean", label: "cleaned up", expected: "Nothing of the proof is left, here or outside.",
	do: func(ctx context.Context, r *run, s *Step) error {
		left, err := r.clean(ctx, r.proof, r.link)
		if err == nil && left == 0 && r.visit.ID != 0 && !r.ending {
			// The outbox takes the copies away; nothing is left only when they have gone.
			if _, err = r.await(ctx, isRemoved); err == nil {
				r.proof.LeftOver, err = r.Bookings.DropTest(ctx, r.proof.ID)
			} else {
				r.proof.LeftOver = true
			}
		} else {
			r.proof.LeftOver = left > 0 || err != nil || r.visit.ID != 0
		}
		var f *fault
		if errors.As(err, &f) {
			return f
		}
		if err != nil && !isOutside(err) {
			return err
		}
		if err != nil {
			errors.As(r.refused(err, "Removing what the proof wrote"), &f)
			f.cause += " It is tried again every minute; what is left is called “Niche proof”."
			return f
		}
		if left > 0 {
			return &fault{"Something of it is still outside.", "The host has not removed it yet. It is tried again every minute; what is left is called “Niche proof”.", r.there("Look at the link")}
		}
		s.Seen = "Nothing is left."
		return nil
	},
}

// isRemoved reports whether a copy has gone. A write that the host never confirmed may still arrive, so the outbox looks for
// such a one for longer: it was looked for already when its next time lies after the wish. When it was last tried says nothing,
// as that may be a write which began in the second of the wish and is still on its way.
func isRemoved(c store.Copy) bool {
	return !c.Wanted && (c.State == store.CopyRemoved || c.State == store.CopyWaiting && c.Etag == "" && c.NextAt > c.WishedAt)
}

// clean removes all that a proof has written under a link, and whatever earlier ones have left there: known by its address,
// or found by what a reading of the calendars lists. It returns how much is still there.
func (p *Proofs) clean(ctx context.Context, proof store.Proof, l store.Link) (left int, err error) {
	visits, err := p.DB.Read(ctx).ProofVisits(proof.ID)
	if err != nil {
		return 1, err
	}
	still, err := p.Bookings.DropTest(context.WithoutCancel(ctx), proof.ID)
	if err != nil {
		return 1, err
	}
	if still && proof.State != store.ProofRunning {
		for _, v := range visits {
			copies, err := p.DB.Read(ctx).CopiesOf(v.ID)
			if err != nil || slices.ContainsFunc(copies, func(c store.Copy) bool { return !isRemoved(c) }) {
				return 1, err // the outbox takes it away
			}
		}
	}
	if l.Kind != store.AccountLink {
		return left, nil
	}
	tx := p.DB.Read(ctx)
	calendars, err := tx.CalendarsOf(l.ID)
	if err != nil {
		return left, err
	}
	// What a host took without saying so is listed by a reading at the latest.
	if _, err := p.Readings.Look(ctx, stepTime, l.StaffID); err != nil {
		return left, err
	}
	var uids []string
	for i := range calendars {
		uids = append(uids, reading.Hashed(eventUID(proof.Token, i+1)))
	}
	found, err := tx.ProofEvents(l.ID, uids)
	if err != nil {
		return left, err
	}
	var failed error
	for _, c := range calendars {
		if !c.CanWrite {
			continue
		}
		w, err := p.Links.Writer(l, c)
		if err != nil {
			return left, err
		}
		addresses := map[string]bool{}
		if c.Blocks && proof.BegunAt > 0 && proof.State != store.ProofHeld {
			for i := range calendars {
				addresses[c.Address+eventUID(proof.Token, i+1)+".ics"] = true
			}
		}
		for _, o := range found {
			if o.CalendarID == c.ID {
				addresses[o.Address] = true
			}
		}
		for address := range addresses {
			if err := remove(ctx, w, address); err != nil {
				left, failed = left+1, errors.Join(failed, err)
			}
		}
	}
	if len(found) > 0 {
		if _, err := p.Readings.Look(ctx, stepTime, l.StaffID); err != nil {
			return left, err
		}
	}
	return left, failed
}

// sweep tries again to remove what proofs have left.
func (p *Proofs) sweep(ctx context.Context) error {
	tx := p.DB.Read(ctx)
	// A link that was taken away takes its proofs with it, and not the time that one of them holds.
	orphans, err := tx.OrphanTests()
	for _, id := range orphans {
		_, dropped := p.Bookings.DropTest(ctx, id)
		err = errors.Join(err, dropped)
	}
	list, failed := tx.ProofsLeftOver()
	if err = errors.Join(err, failed); err != nil {
		return err
	}
	for _, o := range list {
		l, err := tx.Link(o.LinkID)
		if store.IsMissing(err) || p.isBusy(l.Host) {
			continue
		}
		if err != nil {
			return err
		}
		within, cancel := context.WithTimeout(ctx, stepTime)
		left, err := p.clean(within, o, l)
		cancel()
		if ctx.Err() != nil {
			return nil
		}
		if err != nil || left > 0 {
			p.Log.Warn("something of a proof is still outside", "link", o.LinkID, "error", err)
			continue
		}
		visits, err := tx.ProofVisits(o.ID)
		if err != nil {
			return err
		}
		if len(visits) > 0 {
			continue // a write may still arrive that the host never confirmed
		}
		o.LeftOver = false
		if err := p.DB.Write(ctx, func(tx store.Tx) error { return tx.SaveProof(o) }); err != nil {
			return err
		}
		p.Wake()
	}
	return nil
}
