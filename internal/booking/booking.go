// Package booking takes, moves and cancels bookings.
//
// Taking one is a claim first: in one transaction the rules are checked and the
// time of everybody and everything that the visit needs is claimed, which the
// database refuses when another claim holds any of it. Then comes the last look
// into the calendars that block the staff, and only then the confirmation,
// together with the copies to be written. A program that dies in between leaves
// a held booking, which is swept away.
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

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/clash"
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

// Bookings takes, moves and cancels bookings.
type Bookings struct {
	DB     *store.DB
	Engine *sync.Engine
	Hub    *live.Hub
	Now    func() time.Time
}

// Request asks for a booking.
type Request struct {
	Service    store.ID
	Start      span.Instant
	Length     span.Minutes // one of the service's; 0 for its first
	Places     int          // 0 counts as 1
	Staff      store.ID     // who is asked for, 0 for anyone
	ClientName string
	ClientMail string
	ClientZone string
}

// Taken is a booking that was taken, with the token that manages it. The token
// is told once and not kept.
type Taken struct {
	Booking store.Booking
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

// Reasons that are not rules of the core.
const (
	unreached offer.Code = "calendar-not-reached" // and the service wants no booking then
	paused    offer.Code = "paused"
)

// Take takes a booking. The error is a *NotOffered when the start cannot be
// booked.
func (b *Bookings) Take(ctx context.Context, r Request) (Taken, error) {
	t := Taken{Token: newToken()}
	held, err := b.secure(ctx, r, store.Booking{}, HashToken(t.Token), func(tx *gorm.DB, h hold, status store.BookingStatus) error {
		res := tx.Model(&store.Booking{}).Where("id = ? AND status = ?", h.booking.ID, store.Held).Update("status", status)
		if res.Error != nil || res.RowsAffected == 0 {
			return cmp.Or(res.Error, errors.New("the held booking was swept away"))
		}
		if status == store.Pending {
			return nil
		}
		return queueCopies(tx, h.visit.ID, span.At(b.Now()))
	})
	t.Booking = held
	return t, err
}

// secure holds what a request asks for, takes the last look, and settles it by
// a function that runs in the transaction of the confirmation. A booking that is
// to be moved does not stand in its own way.
func (b *Bookings) secure(ctx context.Context, r Request, moved store.Booking, tokenHash string,
	settle func(*gorm.DB, hold, store.BookingStatus) error) (store.Booking, error) {
	for {
		h, reasons, err := b.hold(ctx, r, moved, tokenHash)
		if err != nil {
			return store.Booking{}, err
		}
		if reasons != nil {
			return store.Booking{}, b.notOffered(ctx, r, moved, reasons)
		}
		allRead := b.lastLook(ctx, h.staff)
		if ctx.Err() == nil {
			reasons, err = b.confirm(ctx, &h, allRead, settle)
		}
		if err = cmp.Or(ctx.Err(), err); err != nil || reasons != nil {
			err = errors.Join(err, b.drop(context.WithoutCancel(ctx), h.booking.ID))
		}
		if err != nil {
			return store.Booking{}, fmt.Errorf("booking %s: %w", r.Start, err)
		}
		b.Hub.Tell(live.Bookings)
		if reasons == nil {
			b.Engine.Wake()
			return h.booking, nil
		}
		if reasons[0] == unreached || r.Staff != 0 || h.service.Staffing == string(offer.AllOfThem) {
			return store.Booking{}, b.notOffered(ctx, r, moved, reasons)
		}
		// The last look found somebody busy, which is known now, so the next round
		// picks somebody else or finds nobody.
	}
}

// lastLook reads the calendars that block the staff once more, all at the same
// time, and reports whether all could be read.
func (b *Bookings) lastLook(ctx context.Context, staff []store.ID) bool {
	ctx, cancel := context.WithTimeout(ctx, lookFor)
	defer cancel()
	var all errgroup.Group
	for _, id := range staff {
		all.Go(func() error { return b.Engine.LastLook(ctx, id) })
	}
	return all.Wait() == nil
}

// confirm settles a hold, unless the last look gave reasons not to.
func (b *Bookings) confirm(ctx context.Context, h *hold, allRead bool, settle func(*gorm.DB, hold, store.BookingStatus) error) (reasons []offer.Code, err error) {
	err = b.DB.Write(ctx, func(tx *gorm.DB) error {
		occupied := h.visit.Occupied()
		busy, err := schedule.Busy(tx, h.staff, occupied)
		if err != nil {
			return err
		}
		for _, calendars := range busy {
			for _, c := range calendars {
				if c.Blocks(occupied) {
					reasons = []offer.Code{"busy"}
					return nil
				}
			}
		}
		status := store.Confirmed
		if !allRead && h.service.Unreachable != store.TakeIt {
			// What is confirmed does not become a question by being moved.
			if h.service.Unreachable == store.RefuseIt || h.moving {
				reasons = []offer.Code{unreached}
				return nil
			}
			status = store.Pending
		}
		h.booking.Status = status
		return settle(tx, *h, status)
	})
	if errors.Is(err, store.ErrOverlap) {
		// Somebody joined the visit that was to be moved away, so its time is not free.
		return []offer.Code{"booked"}, nil
	}
	return reasons, err
}

// queueCopies puts a visit's copies into the outbox: one for each calendar that
// gets its staff's bookings, written anew where there is one already. Copies in
// other calendars are to go.
func queueCopies(tx *gorm.DB, visit store.ID, now span.Instant) error {
	err := tx.Exec(`UPDATE copies SET wanted = 0, state = 'waiting', error = '', attempts = 0, next_at = ?, sequence = sequence + 1
		WHERE visit_id = ? AND wanted = 1 AND calendar_id NOT IN (SELECT c.id FROM visit_staff vs
			JOIN links l ON l.staff_id = vs.staff_id JOIN calendars c ON c.link_id = l.id WHERE vs.visit_id = copies.visit_id)`, now, visit).Error
	if err != nil {
		return err
	}
	err = tx.Exec(`INSERT INTO copies (visit_id, calendar_id, href, wanted, state, next_at)
		SELECT v.id, c.id, c.href || v.uid || '.ics', 1, 'waiting', ? FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id
		JOIN links l ON l.staff_id = vs.staff_id JOIN calendars c ON c.link_id = l.id AND c.gets_bookings = 1
		WHERE v.id = ?
		ON CONFLICT (visit_id, calendar_id) DO UPDATE SET wanted = 1, state = 'waiting', error = '', attempts = 0,
			next_at = excluded.next_at, sequence = copies.sequence + 1`, now, visit).Error
	if err != nil {
		return err
	}
	return clash.OfVisit(tx, visit, now)
}

// release lets go of a visit that nobody is booked on any more: its time is free
// at once, and its copies are to go. A visit that somebody still is on has its
// copies written anew.
func release(tx *gorm.DB, visit store.ID, now span.Instant) error {
	var active, confirmed int64
	on := tx.Model(&store.Booking{}).Where("visit_id = ? AND status <> ?", visit, store.Cancelled)
	if err := on.Count(&active).Error; err != nil {
		return err
	}
	if err := tx.Model(&store.Booking{}).Where("visit_id = ? AND status = ?", visit, store.Confirmed).Count(&confirmed).Error; err != nil {
		return err
	}
	if confirmed > 0 {
		return queueCopies(tx, visit, now)
	}
	if active == 0 {
		if err := tx.Exec("DELETE FROM claims WHERE visit_id = ?", visit).Error; err != nil {
			return err
		}
	}
	err := tx.Exec(`UPDATE copies SET wanted = 0, state = 'waiting', error = '', attempts = 0, next_at = ?, sequence = sequence + 1
		WHERE visit_id = ? AND wanted = 1`, now, visit).Error
	if err != nil {
		return err
	}
	return clash.OfVisit(tx, visit, now)
}

// drop takes a held booking back, with its visit when nobody else is on it.
func (b *Bookings) drop(ctx context.Context, held store.ID) error {
	return b.DB.Write(ctx, func(tx *gorm.DB) error { return dropHeld(tx, "id = ?", held) })
}

// dropHeld takes the held bookings back for which a condition holds.
func dropHeld(tx *gorm.DB, condition string, value any) error {
	var visits []store.ID
	held := tx.Model(&store.Booking{}).Where("status = ?", store.Held).Where(condition, value)
	if err := held.Pluck("visit_id", &visits).Error; err != nil {
		return err
	}
	if err := tx.Where("status = ?", store.Held).Where(condition, value).Delete(&store.Booking{}).Error; err != nil {
		return err
	}
	for _, v := range visits {
		err := tx.Exec("DELETE FROM visits WHERE id = ? AND NOT EXISTS (SELECT 1 FROM bookings WHERE visit_id = visits.id)", v).Error
		if err != nil {
			return err
		}
		err = tx.Exec("DELETE FROM claims WHERE visit_id = ? AND NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = claims.visit_id AND b.status <> 'cancelled')", v).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// Sweep drops the held bookings that a program that died left behind. Called at
// the start, before any request, it drops all.
func (b *Bookings) Sweep(ctx context.Context, all bool) error {
	before := span.At(b.Now()).Add(-heldFor)
	if all {
		before = span.At(b.Now()).Add(heldFor)
	}
	err := b.DB.Write(ctx, func(tx *gorm.DB) error { return dropHeld(tx, "created_at < ?", before) })
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
		if err := tx.Model(&k).Update("status", store.Confirmed).Error; err != nil {
			return err
		}
		return queueCopies(tx, k.VisitID, span.At(b.Now()))
	})
	if err != nil {
		return fmt.Errorf("confirming booking %d: %w", id, err)
	}
	b.Engine.Wake()
	b.Hub.Tell(live.Bookings)
	return nil
}

// Cancel cancels a booking. Cancelling twice does it once.
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
		return release(tx, k.VisitID, now)
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
func (b *Bookings) notOffered(ctx context.Context, r Request, moved store.Booking, reasons []offer.Code) error {
	no := &NotOffered{Reasons: reasons}
	if reasons[0] == paused {
		return no
	}
	db := b.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return err
	}
	day := zone.DateAt(r.Start)
	a, err := ask(db, r, moved, span.At(b.Now()))
	if err != nil {
		return err
	}
	a.From, a.To = day-3, day+10
	q, err := schedule.Question(db, a)
	if err != nil {
		return err
	}
	offers := q.Answer().Offers()
	away := func(o offer.Offer) span.Instant { return max(o.At-r.Start, r.Start-o.At) }
	slices.SortStableFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(away(a), away(b)) })
	offers = offers[:min(nearby, len(offers))]
	slices.SortFunc(offers, func(a, b offer.Offer) int { return cmp.Compare(a.At, b.At) })
	no.Nearest = offers
	return no
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
