package booking

import (
	"cmp"
	"context"
	"slices"
	"time"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// nearby is how many starts are named when one cannot be booked.
const nearby = 4

// rest is between two looks at what is offered near the same starts.
const rest = 10 * time.Millisecond

// about is what many ask of at the same moment: the starts some days around a date, in the
// business's zone.
type about struct {
	service store.ID
	length  span.Minutes
	places  int
	staff   store.ID
	date    hours.LocalDate
}

// near returns the starts that are offered some days around the one that is asked for. All who ask for
// a new booking about the same at the same moment share them.
func (b *Bookings) near(ctx context.Context, r Request, moved store.Booking) ([]offer.Offer, error) {
	look := func(ctx context.Context) ([]offer.Offer, error) {
		a, _, err := b.around(b.DB.Read(ctx), r, moved)
		return a.Offers(), err
	}
	if moved.ID != 0 {
		return look(ctx)
	}
	zone, err := schedule.Zone(b.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	return b.offered.Do(ctx, about{r.Service, r.Length, r.Places, r.Staff, zone.DateAt(r.Start)}, look)
}

// nearest returns those of some offers, which are in order, that are nearest to an instant.
func nearest(all []offer.Offer, at span.Instant) []offer.Offer {
	n, _ := slices.BinarySearchFunc(all, at, func(o offer.Offer, t span.Instant) int { return cmp.Compare(o.At, t) })
	offers := slices.Clone(all[max(0, n-nearby):min(n+nearby, len(all))])
	away := func(o offer.Offer) span.Instant { return max(o.At-at, at-o.At) }
	slices.SortStableFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(away(a), away(b)) })
	offers = offers[:min(nearby, len(offers))]
	slices.SortFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(a.At, b.At) })
	return offers
}

// notOffered finds the nearest starts that are still offered.
func (b *Bookings) notOffered(ctx context.Context, r Request, moved store.Booking, reasons []offer.Code) error {
	if reasons[0] == CodePaused {
		return &NotOffered{Reasons: reasons}
	}
	all, err := b.near(ctx, r, moved)
	if err != nil {
		return err
	}
	return &NotOffered{reasons, nearest(all, r.Start)}
}

// around answers what is offered some days around the start that is asked for, by the staff
// in the order of the lanes.
func (b *Bookings) around(tx store.Tx, r Request, moved store.Booking) (offer.Answer, []store.Staff, error) {
	a, zone, err := ask(tx, r, moved, span.At(b.Now()))
	if err != nil {
		return offer.Answer{}, nil, err
	}
	if a.Staff, err = performers(tx, r, a.Service); err != nil {
		return offer.Answer{}, nil, err
	}
	day := zone.DateAt(r.Start)
	a.From, a.To = day-3, day+10
	q, err := schedule.Question(tx, a)
	if err != nil {
		return offer.Answer{}, nil, err
	}
	return q.Answer(), a.Staff, nil
}
