package booking

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// hold is a booking that is claimed and not yet confirmed.
type hold struct {
	booking store.Booking
	visit   store.Visit
	service store.Service
	staff   []store.ID
	moving  bool // it is to take the place of a confirmed booking
}

// ask makes the question about the day of the requested start. The rules are
// read anew, inside whatever transaction this is called in.
func ask(tx *gorm.DB, r Request, moved store.Booking, now span.Instant) (a schedule.Asked, err error) {
	a = schedule.Asked{Now: now, Length: r.Length, Places: r.Places}
	if err := tx.Take(&a.Service, r.Service).Error; err != nil {
		return a, fmt.Errorf("reading service %d: %w", r.Service, err)
	}
	if a.Staff, err = schedule.Performers(tx, r.Service); err != nil {
		return a, err
	}
	if r.Staff != 0 && a.Service.Staffing != string(offer.AllOfThem) {
		a.Staff = slices.DeleteFunc(a.Staff, func(s store.Staff) bool { return s.ID != r.Staff })
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return a, err
	}
	a.From = zone.DateAt(r.Start)
	a.To = a.From
	if moved.ID != 0 {
		others, err := othersOn(tx, moved)
		if err != nil {
			return a, err
		}
		if others == 0 {
			a.Without = moved.VisitID
		}
	}
	return a, nil
}

// othersOn returns how many other bookings hold places of a booking's visit.
func othersOn(tx *gorm.DB, b store.Booking) (n int64, err error) {
	err = tx.Model(&store.Booking{}).Where("visit_id = ? AND id <> ? AND status <> ?", b.VisitID, b.ID, store.Cancelled).Count(&n).Error
	return n, err
}

// hold checks the rules and claims everybody and everything that the visit
// needs, in one transaction. Reasons say why that cannot be had.
func (b *Bookings) hold(ctx context.Context, r Request, moved store.Booking, tokenHash string) (h hold, reasons []offer.Code, err error) {
	now := span.At(b.Now())
	err = b.DB.Write(ctx, func(tx *gorm.DB) error {
		a, err := ask(tx, r, moved, now)
		if err != nil {
			return err
		}
		h.service, h.moving = a.Service, moved.ID != 0
		if a.Service.Paused {
			reasons = []offer.Code{paused}
			return nil
		}
		q, err := schedule.Question(tx, a)
		if err != nil {
			return err
		}
		var able []int
		for i := range q.Staff {
			trail := q.Explain(r.Start, i)
			if trail.Offered() {
				able = append(able, i)
			} else {
				reasons = merge(reasons, trail)
			}
		}
		joint := q.Service.Staffing == offer.AllOfThem
		if len(able) == 0 || joint && len(able) < len(q.Staff) {
			if reasons == nil {
				reasons = []offer.Code{"outside-hours"}
			}
			return nil
		}
		reasons = nil
		picked := choice{staff: a.Staff, why: "All who are named take part."}
		if !joint {
			candidates := make([]store.Staff, len(able))
			for i, n := range able {
				candidates[i] = a.Staff[n]
			}
			if picked, err = pick(tx, a.Service, candidates, r, q); err != nil {
				return err
			}
		}
		for _, s := range picked.staff {
			h.staff = append(h.staff, s.ID)
		}
		if h.visit, err = place(tx, q, r, h.staff, moved, a.Without); err != nil {
			return err
		}
		h.booking = store.Booking{VisitID: h.visit.ID, Reference: newReference(), TokenHash: tokenHash, Status: store.Held, Places: max(1, r.Places),
			ClientName: r.ClientName, ClientMail: r.ClientMail, ClientZone: r.ClientZone, Picked: picked.why, CreatedAt: now}
		return tx.Create(&h.booking).Error
	})
	if errors.Is(err, store.ErrOverlap) {
		return hold{}, []offer.Code{"booked"}, nil
	}
	if err != nil {
		err = fmt.Errorf("claiming %s for service %d: %w", r.Start, r.Service, err)
	}
	return h, reasons, err
}

// merge adds a trail's reasons to those of others. A time that is no start at
// all is told as lying outside what is open.
func merge(reasons []offer.Code, t offer.Trail) []offer.Code {
	add := func(c offer.Code) {
		if !slices.Contains(reasons, c) {
			reasons = append(reasons, c)
		}
	}
	if t.Offset != "" {
		add("outside-hours")
	}
	for _, v := range t.Reasons() {
		add(v.Code)
	}
	order := offer.Codes()
	slices.SortFunc(reasons, func(a, b offer.Code) int { return cmp.Compare(slices.Index(order, a), slices.Index(order, b)) })
	return reasons
}

// place finds the shared visit that the booking joins, or makes a new one with
// its claims.
func place(tx *gorm.DB, q offer.Question, r Request, staff []store.ID, moved store.Booking, without store.ID) (store.Visit, error) {
	service := q.Service
	if service.Places > 1 {
		var v store.Visit
		err := tx.Raw(`SELECT v.* FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id AND vs.staff_id = ?
			WHERE v.service_id = ? AND v.start = ? AND v.id <> ? AND EXISTS (SELECT 1 FROM claims c WHERE c.visit_id = v.id)
			AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled') LIMIT 1`,
			staff[0], r.Service, r.Start, without).Scan(&v).Error
		if err != nil || v.ID != 0 {
			return v, err
		}
	}
	during := service.Visit(r.Start)
	v := store.Visit{ServiceID: r.Service, UID: uuid.NewString() + "@niche", Start: during.Start(), End: during.End(),
		BufferBefore: service.BufferBefore, BufferAfter: service.BufferAfter}
	if err := tx.Create(&v).Error; err != nil {
		return v, err
	}
	var subjects []store.Subject
	for _, id := range staff {
		if err := tx.Create(&store.VisitStaff{VisitID: v.ID, StaffID: id}).Error; err != nil {
			return v, err
		}
		subjects = append(subjects, store.StaffSubject(id))
	}
	for _, id := range freeResources(q, v.Occupied()) {
		if err := tx.Create(&store.VisitResource{VisitID: v.ID, ResourceID: id}).Error; err != nil {
			return v, err
		}
		subjects = append(subjects, store.ResourceSubject(id))
	}
	return v, claim(tx, v, subjects, without)
}

// claim makes a visit's claims. Of the time that another visit, which is to be
// moved here, still holds of the same subject, the rest is claimed: until the
// move stands, both are held.
func claim(tx *gorm.DB, v store.Visit, subjects []store.Subject, moved store.ID) error {
	for _, s := range subjects {
		var held []store.Claim
		if err := tx.Where("visit_id = ? AND subject = ?", moved, s).Find(&held).Error; err != nil {
			return err
		}
		var taken []span.Span
		for _, c := range held {
			taken = append(taken, span.Between(c.Start, c.End))
		}
		for _, p := range span.Of([]span.Span{v.Occupied()}).Subtract(span.Of(taken)).Spans() {
			if err := tx.Create(&store.Claim{VisitID: v.ID, Subject: s, Start: p.Start(), End: p.End()}).Error; err != nil {
				return err
			}
		}
	}
	return nil
}

// freeResources returns the first resource of each kind needed that is free.
func freeResources(q offer.Question, occupied span.Span) (ids []store.ID) {
	for _, kind := range q.Service.Needs {
		for _, r := range q.Resources {
			if r.Kind == kind && !span.Of(slices.Clone(r.Taken)).Overlaps(occupied) {
				ids = append(ids, number(r.ID))
				break
			}
		}
	}
	return ids
}

// number reads an ID out of a question.
func number(id string) store.ID {
	n, _ := strconv.ParseInt(id, 10, 64) // the question's IDs were made from numbers
	return store.ID(n)
}
