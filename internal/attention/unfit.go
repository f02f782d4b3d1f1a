package attention

import (
	"fmt"
	"slices"

	"niche/core/offer"
	"niche/internal/fit"
	"niche/internal/store"
	"niche/internal/words"
)

// Rules were changed, and a booking ahead that was kept does not fit them.
var unfit = kind{"unfit", "no longer fits", func(l look) (list []Item, err error) {
	rows, err := l.tx.Misfits(l.now)
	if err != nil || len(rows) == 0 {
		return nil, err
	}
	ahead := make([]store.Ahead, len(rows))
	for i, r := range rows {
		ahead[i] = r.Ahead
	}
	found, err := fit.Outside(l.tx, l.now, ahead)
	if err != nil {
		return nil, err
	}
	for _, u := range found {
		r := rows[slices.IndexFunc(rows, func(r store.Misfit) bool { return r.BookingID == u.Booking.ID })]
		why := offer.RuleOf(u.Reasons[0]).Brief
		if u.Reasons[0] == fit.NotPerformed {
			why = words.FirstName(u.Staff) + " does not perform it any more"
		}
		i := Item{Item: store.Item{Cause: fmt.Sprintf("unfit:%d", r.BookingID), FoundAt: r.FoundAt, Title: fmt.Sprintf("A visit of %s’s does not fit the rules any more", words.FirstName(u.Staff))},
			Hurts: u.Visit.Start, Visit: u.Visit.ID, Booking: r.BookingID, Leave: true}
		i.StaffID, i.Staff = named(r.StaffID, u.Staff)
		i.Words = fmt.Sprintf("%s of %s, %s: %s. It is kept as it is.", u.Service, r.Client, l.text.Local(u.Visit.Start).Format("Mon 2 Jan, ")+l.text.Stretch(u.Visit.During()).Label, why)
		list = append(list, i)
	}
	return list, nil
}}
