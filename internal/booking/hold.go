package booking

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"github.com/google/uuid"
	"golang.org/x/sync/errgroup"

	"niche/core/hours"
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
	staff   []store.Staff
	moving  bool         // it is to take the place of a confirmed booking
	now     span.Instant // when it was claimed: notice and window count from then
	done    func()       // to be called when the request is no longer busy with it
}

// secure holds what a request asks for, takes the last look, and settles it by
// a function that runs in the transaction of the confirmation and returns which
// booking was decided. A booking that is to be moved does not stand in its own way.
// Once it is settled, nothing turns that into an error.
func (b *Bookings) secure(ctx context.Context, r Request, moved, draft store.Booking,
	settle func(store.Tx, hold, store.BookingStatus) (store.ID, error)) (store.Booking, error) {
	looked := false
	for {
		h, reasons, err := b.hold(ctx, r, moved, draft)
		if err != nil {
			return store.Booking{}, err
		}
		if !looked && slices.Equal(reasons, []offer.Code{offer.CodeBusy}) {
			// What takes the time may have gone outside since it was read.
			if looked, err = b.lookAgain(ctx, r); err != nil {
				return store.Booking{}, err
			}
			if looked {
				continue
			}
		}
		if reasons != nil {
			return store.Booking{}, b.notOffered(ctx, r, moved, reasons)
		}
		if reasons, err = b.finish(ctx, &h, r, moved, settle); err != nil {
			return store.Booking{}, fmt.Errorf("booking %s: %w", r.Start, err)
		}
		b.changed()
		if reasons == nil {
			return h.booking, nil
		}
		if reasons[0] == CodeUnreached || r.Staff != 0 || h.service.Staffing == string(offer.AllOfThem) {
			return store.Booking{}, b.notOffered(ctx, r, moved, reasons)
		}
		looked = true
		// The last look found somebody busy, which is known now, so the next round
		// picks somebody else or finds nobody.
	}
}

// finish takes the last look and confirms a hold, or drops it.
func (b *Bookings) finish(ctx context.Context, h *hold, r Request, moved store.Booking,
	settle func(store.Tx, hold, store.BookingStatus) (store.ID, error)) (reasons []offer.Code, err error) {
	defer h.done()
	ids := make([]store.ID, len(h.staff))
	for i, s := range h.staff {
		ids[i] = s.ID
	}
	allRead, err := b.lastLook(ctx, ids)
	if err = cmp.Or(ctx.Err(), err); err == nil {
		reasons, err = b.confirm(ctx, h, r, moved, allRead, settle)
	}
	if err != nil || reasons != nil {
		err = errors.Join(err, b.drop(context.WithoutCancel(ctx), h.booking.ID))
	}
	return reasons, err
}

// lastLook reads the calendars that block the staff once more, all at the same
// time, and reports whether all could be read.
func (b *Bookings) lastLook(ctx context.Context, staff []store.ID) (allRead bool, err error) {
	var all errgroup.Group
	read := make([]bool, len(staff))
	for i, id := range staff {
		all.Go(func() (err error) {
			read[i], err = b.Look(ctx, lookFor, id)
			return err
		})
	}
	err = all.Wait()
	return !slices.Contains(read, false), err
}

// lookedAgain is of how many people at most the calendars are read again when a
// start is refused because they are busy.
const lookedAgain = 10

// lookAgain reads the calendars of those who could take a visit, where they are few.
func (b *Bookings) lookAgain(ctx context.Context, r Request) (bool, error) {
	ids := []store.ID{r.Staff}
	if r.Staff == 0 {
		staff, err := b.DB.Read(ctx).Performers(r.Service)
		if err != nil || len(staff) > lookedAgain {
			return false, err
		}
		ids = ids[:0]
		for _, s := range staff {
			ids = append(ids, s.ID)
		}
	}
	_, err := b.lastLook(ctx, ids)
	return true, err
}

// ask makes the question about the day of the requested start, of nobody yet. The rules
// are read anew, inside whatever transaction this is called in.
func ask(tx store.Tx, r Request, moved store.Booking, now span.Instant) (a schedule.Asked, zone hours.Zone, err error) {
	a = schedule.Asked{Now: now, Length: r.Length, Places: r.Places}
	if a.Service, err = tx.Service(r.Service); err != nil {
		return a, zone, fmt.Errorf("reading service %d: %w", r.Service, err)
	}
	if zone, err = schedule.Zone(tx); err != nil {
		return a, zone, err
	}
	a.From = zone.DateAt(r.Start)
	a.To = a.From
	if moved.ID != 0 {
		others, err := othersOn(tx, moved.VisitID, moved.ID)
		if err != nil {
			return a, zone, err
		}
		if others == 0 {
			a.Without.Visits = append(a.Without.Visits, moved.VisitID)
		}
	}
	return a, zone, nil
}

// performers returns who performs the service of a request, and is asked for.
func performers(tx store.Tx, r Request, service store.Service) ([]store.Staff, error) {
	staff, err := tx.Performers(r.Service)
	if r.Staff != 0 && service.Staffing != string(offer.AllOfThem) {
		staff = slices.DeleteFunc(staff, func(s store.Staff) bool { return s.ID != r.Staff })
	}
	return staff, err
}

// othersOn returns how many other bookings hold places of a visit.
func othersOn(tx store.Tx, visit, but store.ID) (n int, err error) {
	list, err := tx.BookingsOn(visit)
	for _, k := range list {
		if k.ID != but {
			n++
		}
	}
	return n, err
}

// hold checks the rules and claims everybody and everything that the visit
// needs, in one transaction. Reasons say why that cannot be had.
func (b *Bookings) hold(ctx context.Context, r Request, moved, draft store.Booking) (h hold, reasons []offer.Code, err error) {
	h.now = span.At(b.Now())
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		a, _, err := ask(tx, r, moved, h.now)
		if err != nil {
			return err
		}
		h.service, h.moving = a.Service, moved.ID != 0
		if r.MostAhead > 0 {
			ahead, err := tx.BookedAhead(r.ClientMail, h.now)
			if err != nil {
				return err
			}
			if ahead >= int64(r.MostAhead) {
				return ErrManyAhead
			}
		}
		if a.Service.Paused {
			reasons = []offer.Code{CodePaused}
			return nil
		}
		if a.Staff, err = performers(tx, r, a.Service); err != nil {
			return err
		}
		if moved.ID == 0 && r.Anyway == "" && b.DB.Waiting() >= rush {
			taken, err := allTaken(tx, a, r.Start)
			if err != nil {
				return fmt.Errorf("reading claims: %w", err)
			}
			if taken {
				reasons = []offer.Code{offer.CodeBooked}
				return nil
			}
		}
		parts, err := inTurn(tx, a, r)
		if err != nil {
			return err
		}
		var q offer.Question
		var able []int
		for n := 0; n < len(parts) && len(able) == 0; n++ {
			a.Staff = parts[n]
			if q, err = schedule.Question(tx, a); err != nil {
				return err
			}
			for i := range q.Staff {
				trail := q.Explain(r.Start, i)
				if trail.Offered() || r.overrules(trail) {
					able = append(able, i)
				} else {
					reasons = merge(reasons, trail)
				}
			}
		}
		joint := q.Service.Staffing == offer.AllOfThem
		if len(able) == 0 || joint && len(able) < len(q.Staff) {
			if reasons == nil {
				reasons = []offer.Code{offer.CodeHours}
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
			if picked, err = pick(tx, a.Service, candidates, len(parts) == 1, r, q); err != nil {
				return err
			}
		}
		h.staff = picked.staff
		without := store.ID(0)
		if len(a.Without.Visits) > 0 {
			without = a.Without.Visits[0]
		}
		if h.visit, err = place(tx, q, r, h.staff, without); err != nil {
			return err
		}
		h.booking = draft
		h.booking.VisitID, h.booking.Reference, h.booking.Status, h.booking.Places = h.visit.ID, newReference(), store.Held, max(1, r.Places)
		h.booking.ClientName, h.booking.ClientMail, h.booking.ClientZone, h.booking.ClientClock = r.ClientName, r.ClientMail, r.ClientZone, cmp.Or(r.ClientClock, "24")
		h.booking.ClientPhone, h.booking.PhoneDigits, h.booking.Answers, h.booking.ClientAddress = r.Phone, r.PhoneDigits, r.Answers, r.Address
		h.booking.Picked, h.booking.CreatedAt, h.booking.Origin = picked.why, h.now, r.Origin
		h.booking.Trial = r.Trial
		err = tx.AddBooking(&h.booking)
		h.done = b.busyWith(h.booking.ID)
		if err != nil {
			return err
		}
		var files []store.ID
		for _, a := range r.Answers {
			for _, f := range a.Files {
				files = append(files, store.ID(f.ID))
			}
		}
		return tx.AttachFiles(files, h.booking.ID)
	})
	if err != nil && h.done != nil {
		h.done()
	}
	if errors.Is(err, store.ErrOverlap) {
		return hold{}, []offer.Code{offer.CodeBooked}, nil
	}
	if err != nil {
		err = fmt.Errorf("claiming %s for service %d: %w", r.Start, r.Service, err)
	}
	return h, reasons, err
}

// rush is how many must wait to write for claims to be asked before the rules are.
const rush = 4

// allTaken reports whether claims alone refuse a start, whoever is picked. While many wait, whoever comes too late
// so costs them less of their time: other reasons may hold besides, and are not looked for.
func allTaken(tx store.Tx, a schedule.Asked, start span.Instant) (bool, error) {
	if a.Service.Places > 1 || len(a.Staff) == 0 {
		return false, nil
	}
	rules := schedule.Rules(a.Service, 0)
	rules.Length = cmp.Or(a.Length, rules.Length)
	subjects := make([]store.Subject, len(a.Staff))
	for i, s := range a.Staff {
		subjects[i] = store.StaffSubject(s.ID)
	}
	claims, err := tx.ClaimsOn(subjects, rules.Occupied(start), nil)
	taken := map[store.Subject]bool{}
	for _, c := range claims {
		taken[c.Subject] = true
	}
	if rules.Staffing == offer.AllOfThem {
		return len(taken) > 0, err
	}
	return len(taken) == len(subjects), err
}

// confirm settles a hold, unless the rules refuse it by what is known now. How it
// was decided is kept as a case.
func (b *Bookings) confirm(ctx context.Context, h *hold, r Request, moved store.Booking, allRead bool,
	settle func(store.Tx, hold, store.BookingStatus) (store.ID, error)) (reasons []offer.Code, err error) {
	err = b.DB.Write(ctx, func(tx store.Tx) error {
		q, err := b.question(tx, *h, r, moved)
		if err != nil {
			return err
		}
		for i := range q.Staff {
			if trail := q.Explain(r.Start, i); !trail.Offered() && !r.overrules(trail) {
				reasons = merge(reasons, trail)
			}
		}
		if reasons != nil {
			return nil
		}
		status := store.Confirmed
		if !allRead && r.Anyway == "" && h.service.Unreachable != store.TakeIt {
			// What is confirmed does not become a question by being moved.
			if h.service.Unreachable == store.RefuseIt || h.moving {
				reasons = []offer.Code{CodeUnreached}
				return nil
			}
			status = store.Pending
		}
		if within := h.service.ApproveWithin; within > 0 && !h.moving && h.booking.MadeBy == "" {
			status, h.booking.AnswerBy = store.Pending, min(h.now.Add(within), r.Start)
		}
		h.booking.Status = status
		decided, err := settle(tx, *h, status)
		if err != nil {
			return err
		}
		return keepCase(tx, decided, h.now, r.Start, allRead, q)
	})
	if errors.Is(err, store.ErrOverlap) {
		// Somebody joined the visit that was to be moved away, so its time is not free.
		return []offer.Code{offer.CodeBooked}, nil
	}
	return reasons, err
}

// question asks about a held start once more: of those who were picked, as if the
// hold were not there.
func (b *Bookings) question(tx store.Tx, h hold, r Request, moved store.Booking) (offer.Question, error) {
	a, _, err := ask(tx, r, moved, h.now)
	if err != nil {
		return offer.Question{}, err
	}
	others, err := othersOn(tx, h.visit.ID, h.booking.ID)
	if err != nil {
		return offer.Question{}, err
	}
	if others == 0 {
		a.Without.Visits = append(a.Without.Visits, h.visit.ID)
	} else {
		a.Without.Booking = h.booking.ID
	}
	a.Staff = h.staff
	q, err := schedule.Question(tx, a)
	q.Service.Staffing = offer.AllOfThem // whoever was picked has to be able to
	return q, err
}

// overrules reports whether a request is to be carried out though rules refuse its start: whatever they are, but for a claim
// that somebody else has on the same time.
func (r Request) overrules(t offer.Trail) bool {
	return r.Anyway != "" && !slices.ContainsFunc(t.Reasons(), func(v offer.Verdict) bool { return v.Code == offer.CodeBooked || v.Code == offer.CodeResource })
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
		add(offer.CodeHours)
	}
	for _, v := range t.Reasons() {
		add(v.Code)
	}
	order := offer.Codes()
	slices.SortFunc(reasons, func(a, b offer.Code) int { return cmp.Compare(slices.Index(order, a), slices.Index(order, b)) })
	return reasons
}

// place finds the shared visit that the booking joins, which has the same length, or
// makes a new one with its claims.
func place(tx store.Tx, q offer.Question, r Request, staff []store.Staff, without store.ID) (store.Visit, error) {
	service := q.Service
	during := service.Visit(r.Start)
	if service.Places > 1 {
		v, err := tx.VisitToJoin(r.Service, staff[0].ID, during, without)
		if err != nil || v.ID != 0 {
			return v, err
		}
	}
	v := store.Visit{ServiceID: r.Service, UID: uuid.NewString() + store.UIDSuffix, Start: during.Start(), End: during.End(),
		BufferBefore: service.BufferBefore, BufferAfter: service.BufferAfter}
	ids := make([]store.ID, len(staff))
	var subjects []store.Subject
	for i, s := range staff {
		ids[i] = s.ID
		subjects = append(subjects, store.StaffSubject(s.ID))
	}
	things := freeResources(q, v.Occupied())
	for _, id := range things {
		subjects = append(subjects, store.ResourceSubject(id))
	}
	if err := tx.AddVisit(&v, ids, things); err != nil {
		return v, err
	}
	return v, claim(tx, v, subjects, without)
}

// claim makes a visit's claims. Of the time that another visit, which is to be
// moved here, still holds of the same subject, the rest is claimed: until the
// move stands, both are held.
func claim(tx store.Tx, v store.Visit, subjects []store.Subject, moved store.ID) error {
	for _, s := range subjects {
		held, err := tx.ClaimsOf(moved, s)
		if err != nil {
			return err
		}
		var taken []span.Span
		for _, c := range held {
			taken = append(taken, span.Between(c.Start, c.End))
		}
		for _, p := range span.Of([]span.Span{v.Occupied()}).Subtract(span.Of(taken)).Spans() {
			if err := tx.AddClaim(store.Claim{VisitID: v.ID, Subject: s, Start: p.Start(), End: p.End()}); err != nil {
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
				ids = append(ids, store.Named(r.ID))
				break
			}
		}
	}
	return ids
}
