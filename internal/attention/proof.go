package attention

import (
	"fmt"

	"niche/core/span"
	"niche/internal/proof"
	"niche/internal/store"
	"niche/internal/words"
)

// missedBy is how long after its time a proof of the schedule is overdue: all others may have come before it.
const missedBy span.Minutes = 3 * 60

// The last proof of a link failed, or the one of the schedule has not been.
var proofs = kind{"proof", "proof", func(l look) (list []Item, err error) {
	rows, err := l.tx.Provables()
	if err != nil {
		return nil, err
	}
	b, err := l.tx.Business()
	if err != nil {
		return nil, err
	}
	due := proof.DueSince(b, l.text.Zone, l.now)
	for _, r := range rows {
		i := Item{Hurts: store.Never, Link: r.LinkID, Proof: r.ProofID, Leave: true}
		i.StaffID, i.Staff = named(r.StaffID, r.Staff)
		who := words.FirstName(r.Staff)
		switch {
		case r.State == store.ProofFailed:
			i.Cause, i.FoundAt = fmt.Sprintf("proof:%d", r.LinkID), r.EndedAt
			i.Title = fmt.Sprintf("The proof of %s’s link failed", who)
			i.Words = r.Words
		case due > 0 && b.ProofSince <= due && r.CreatedAt < due && r.EndedAt < due && l.now > due.Add(missedBy):
			i.Cause, i.FoundAt = fmt.Sprintf("unproved:%d", r.LinkID), due
			i.Title = fmt.Sprintf("%s’s link was not proved when it should", who)
			i.Words = fmt.Sprintf("It was due %s. Nothing says that it does not hold; nothing says that it does.", l.text.Moment(due))
		default:
			continue
		}
		list = append(list, i)
	}
	return list, nil
}}
