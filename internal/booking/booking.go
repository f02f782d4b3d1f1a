// Package booking takes and cancels bookings.
//
// Taking one is a claim first: in one transaction the rules are checked and the
// time is claimed, which the database refuses when another claim holds any of
// it. Then comes the last look into the calendars that block the staff member,
// and only then the confirmation, together with the copies to be written. A
// program that dies in between leaves a held booking, which is swept away.
package booking

import (
	"cmp"
	"context"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/google/uuid"
	"gorm.io/gorm"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/sync"
)

// lookFor is how long the last look may take.
const lookFor = 2500 * time.Millisecond

// heldFor is how long a booking can be held before it counts as left behind by
// a program that died.
const heldFor span.Minutes = 1

// Bookings takes and cancels bookings.
type Bookings struct {
	DB     *store.DB
	Engine *sync.Engine
	Hub    *live.Hub
	Now    func() time.Time
}

// Request asks for a booking.
type Request struct {
	Service    store.Service
	Start      span.Instant
	Staff      store.ID // who is asked for, 0 for anyone
	ClientName string
	ClientMail string
	ClientZone string
}

// Taken is a booking that was taken, with the token that manages it. The token
// is told once and not kept.
type Taken struct {
	Booking store.Booking
	Visit   store.Visit
	Staff   store.Staff
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

// unreached is the reason when a calendar could not be read and the service
// wants no booking then.
const unreached offer.Code = "calendar-not-reached"

// Take takes a booking. The error is a *NotOffered when the start cannot be
// booked.
func (b *Bookings) Take(ctx context.Context, r Request) (Taken, error) {
	for {
		t, reasons, err := b.hold(ctx, r)
		if err != nil {
			return t, err
		}
		if reasons != nil {
			return t, b.notOffered(ctx, r, reasons)
		}
		looking, cancel := context.WithTimeout(ctx, lookFor)
		seen := b.Engine.LastLook(looking, t.Staff.ID)
		cancel()
		if ctx.Err() != nil {
			return t, errors.Join(ctx.Err(), b.drop(context.WithoutCancel(ctx), t.Booking))
		}
		reasons, err = b.settle(ctx, &t, r.Service, seen == nil)
		if err != nil {
			return t, errors.Join(err, b.drop(context.WithoutCancel(ctx), t.Booking))
		}
		b.Hub.Tell(live.Bookings)
		if reasons == nil {
			b.Engine.Wake()
			return t, nil
		}
		if reasons[0] == unreached || r.Staff != 0 {
			return t, b.notOffered(ctx, r, reasons)
		}
		// The last look found this staff member busy, which is known now, so the
		// next round picks somebody else or finds nobody.
	}
}

// hold checks the rules and claims the time of somebody who can take it, in one
// transaction. Reasons say why nobody can.
func (b *Bookings) hold(ctx context.Context, r Request) (t Taken, reasons []offer.Code, err error) {
	token := newToken()
	now := span.At(b.Now())
	err = b.DB.Write(ctx, func(tx *gorm.DB) error {
		staff, q, err := b.question(tx, r, now)
		if err != nil {
			return err
		}
		picked := -1
		for i := range q.Staff {
			trail := q.Explain(r.Start, i)
			if trail.Offered() {
				picked = i
				break
			}
			reasons = merge(reasons, trail)
		}
		if picked < 0 {
			if reasons == nil {
				reasons = []offer.Code{"outside-hours"}
			}
			return nil
		}
		reasons = nil
		s := r.Service
		during := q.Service.Visit(r.Start)
		t.Staff = staff[picked]
		t.Visit = store.Visit{ServiceID: s.ID, UID: uuid.NewString() + "@niche", Start: during.Start(), End: during.End(), BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter}
		if err := tx.Create(&t.Visit).Error; err != nil {
			return err
		}
		if err := tx.Create(&store.VisitStaff{VisitID: t.Visit.ID, StaffID: t.Staff.ID}).Error; err != nil {
			return err
		}
		occupied := t.Visit.Occupied()
		claim := store.Claim{VisitID: t.Visit.ID, Subject: store.StaffSubject(t.Staff.ID), Start: occupied.Start(), End: occupied.End()}
		if err := tx.Create(&claim).Error; err != nil {
			return err
		}
		t.Token = token
		t.Booking = store.Booking{VisitID: t.Visit.ID, Reference: newReference(), TokenHash: HashToken(token), Status: store.Held, Places: 1,
			ClientName: r.ClientName, ClientMail: r.ClientMail, ClientZone: r.ClientZone, CreatedAt: now}
		return tx.Create(&t.Booking).Error
	})
	if errors.Is(err, store.ErrOverlap) {
		return t, []offer.Code{"booked"}, nil
	}
	if err != nil {
		err = fmt.Errorf("claiming %s for service %d: %w", r.Start, r.Service.ID, err)
	}
	return t, reasons, err
}

// question asks about the day of the requested start.
func (b *Bookings) question(tx *gorm.DB, r Request, now span.Instant) ([]store.Staff, offer.Question, error) {
	staff, err := schedule.Performers(tx, r.Service.ID)
	if err != nil {
		return nil, offer.Question{}, err
	}
	if r.Staff != 0 {
		staff = slices.DeleteFunc(staff, func(s store.Staff) bool { return s.ID != r.Staff })
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return nil, offer.Question{}, err
	}
	day := zone.DateAt(r.Start)
	q, err := schedule.Question(tx, schedule.Asked{Now: now, Service: r.Service, From: day, To: day, Staff: staff})
	return staff, q, err
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

// settle turns a held booking into a confirmed one with its copies, or drops it
// for the reasons it returns.
func (b *Bookings) settle(ctx context.Context, t *Taken, s store.Service, allRead bool) (reasons []offer.Code, err error) {
	now := span.At(b.Now())
	err = b.DB.Write(ctx, func(tx *gorm.DB) error {
		busy, err := schedule.Busy(tx, []store.ID{t.Staff.ID}, t.Visit.Occupied())
		if err != nil {
			return err
		}
		status := store.Confirmed
		for _, span := range busy[t.Staff.ID] {
			if span.During.Overlaps(t.Visit.Occupied()) {
				reasons = []offer.Code{"busy"}
			}
		}
		if reasons == nil && !allRead {
			switch s.Unreachable {
			case store.RefuseIt:
				reasons = []offer.Code{unreached}
			case store.AskFirst:
				status = store.Pending
			}
		}
		if reasons != nil {
			return tx.Delete(&store.Visit{}, t.Visit.ID).Error
		}
		res := tx.Model(&store.Booking{}).Where("id = ? AND status = ?", t.Booking.ID, store.Held).Update("status", status)
		if res.Error != nil || res.RowsAffected == 0 {
			return cmp.Or(res.Error, errors.New("the held booking was swept away"))
		}
		t.Booking.Status = status
		if status == store.Pending {
			return nil
		}
		return queueCopies(tx, t.Visit, now)
	})
	if err != nil {
		err = fmt.Errorf("confirming booking %s: %w", t.Booking.Reference, err)
	}
	return reasons, err
}

// queueCopies puts a visit's copies into the outbox, one for each calendar that
// gets its staff's bookings.
func queueCopies(tx *gorm.DB, v store.Visit, now span.Instant) error {
	return tx.Exec(`INSERT INTO copies (visit_id, calendar_id, href, wanted, state, next_at)
		SELECT vs.visit_id, c.id, c.href || ? || '.ics', 1, 'waiting', ? FROM visit_staff vs
		JOIN links l ON l.staff_id = vs.staff_id JOIN calendars c ON c.link_id = l.id AND c.gets_bookings = 1
		WHERE vs.visit_id = ?`, v.UID, now, v.ID).Error
}

// drop takes a held booking back.
func (b *Bookings) drop(ctx context.Context, held store.Booking) error {
	return b.DB.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec(`DELETE FROM visits WHERE id IN (SELECT visit_id FROM bookings WHERE id = ? AND status = 'held')`, held.ID).Error
	})
}

// Sweep drops the held bookings that a program that died left behind. Called at
// the start, before any request, it drops all.
func (b *Bookings) Sweep(ctx context.Context, all bool) error {
	before := span.At(b.Now()).Add(-heldFor)
	if all {
		before = span.At(b.Now()).Add(heldFor)
	}
	err := b.DB.Write(ctx, func(tx *gorm.DB) error {
		return tx.Exec(`DELETE FROM visits WHERE id IN (SELECT visit_id FROM bookings WHERE status = 'held' AND created_at < ?)`, before).Error
	})
	if err != nil {
		return fmt.Errorf("sweeping held bookings: %w", err)
	}
	return nil
}

// Decide settles a pending booking: it is confirmed, or cancelled.
func (b *Bookings) Decide(ctx context.Context, id store.ID, accept bool) error {
	if !accept {
		return b.Cancel(ctx, id)
	}
	err := b.DB.Write(ctx, func(tx *gorm.DB) error {
		var k store.Booking
		if err := tx.Where("id = ? AND status = ?", id, store.Pending).Take(&k).Error; err != nil {
			return err
		}
		var v store.Visit
		if err := tx.Take(&v, k.VisitID).Error; err != nil {
			return err
		}
		if err := tx.Model(&k).Update("status", store.Confirmed).Error; err != nil {
			return err
		}
		return queueCopies(tx, v, span.At(b.Now()))
	})
	if err != nil {
		return fmt.Errorf("confirming booking %d: %w", id, err)
	}
	b.Engine.Wake()
	b.Hub.Tell(live.Bookings)
	return nil
}

// Cancel cancels a booking: its time is free at once, and its copies are queued
// for removal. Cancelling twice does it once.
func (b *Bookings) Cancel(ctx context.Context, id store.ID) error {
	now := span.At(b.Now())
	err := b.DB.Write(ctx, func(tx *gorm.DB) error {
		var k store.Booking
		if err := tx.Take(&k, id).Error; err != nil {
			return err
		}
		if k.Status == store.Cancelled {
			return nil
		}
		if err := tx.Model(&k).Updates(map[string]any{"status": store.Cancelled, "cancelled_at": now}).Error; err != nil {
			return err
		}
		if err := tx.Exec("DELETE FROM claims WHERE visit_id = ?", k.VisitID).Error; err != nil {
			return err
		}
		return tx.Exec(`UPDATE copies SET wanted = 0, state = 'waiting', error = '', attempts = 0, next_at = ?, sequence = sequence + 1
			WHERE visit_id = ?`, now, k.VisitID).Error
	})
	if err != nil {
		return fmt.Errorf("cancelling booking %d: %w", id, err)
	}
	b.Engine.Wake()
	b.Hub.Tell(live.Bookings)
	return nil
}

// nearby is how many starts are named when one cannot be booked.
const nearby = 4

// notOffered finds the nearest starts that are still offered.
func (b *Bookings) notOffered(ctx context.Context, r Request, reasons []offer.Code) error {
	db := b.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return err
	}
	staff, err := schedule.Performers(db, r.Service.ID)
	if err != nil {
		return err
	}
	if r.Staff != 0 {
		staff = slices.DeleteFunc(staff, func(s store.Staff) bool { return s.ID != r.Staff })
	}
	day := zone.DateAt(r.Start)
	q, err := schedule.Question(db, schedule.Asked{Now: span.At(b.Now()), Service: r.Service, From: day - 3, To: day + 10, Staff: staff})
	if err != nil {
		return err
	}
	offers := q.Answer().Offers()
	away := func(o offer.Offer) span.Instant { return max(o.At-r.Start, r.Start-o.At) }
	slices.SortStableFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(away(a), away(b)) })
	offers = offers[:min(nearby, len(offers))]
	slices.SortFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(a.At, b.At) })
	return &NotOffered{reasons, offers}
}

// HashToken returns what is stored of a token.
func HashToken(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

func newToken() string {
	var b [24]byte
	_, _ = rand.Read(b[:]) // never fails
	return base64.RawURLEncoding.EncodeToString(b[:])
}

// newReference returns a reference to be read out on the telephone: no letter or
// digit in it is mistaken for another.
func newReference() string {
	const letters = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
	var b [7]byte
	_, _ = rand.Read(b[:])
	for i := range b {
		b[i] = letters[int(b[i])%len(letters)]
	}
	return string(b[:3]) + "-" + string(b[3:])
}
