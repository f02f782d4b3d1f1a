package booking

import (
	"context"
	"errors"
	"fmt"

	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/store"
)

// ErrNotMovable says that a booking is cancelled or waits for a decision.
var ErrNotMovable = errors.New("only a confirmed booking can be moved")

// Move moves a booking to another start, with anyone or with the staff member
// who is asked for. Its old claim holds until the new one stands. A visit that
// belongs to the booking alone keeps its UID and copies, which are written anew; out of
// a shared visit, the booking goes to another one. The error is a *NotOffered
// when the start cannot be booked, and then nothing has changed.
func (b *Bookings) Move(ctx context.Context, id store.ID, start span.Instant, staff store.ID) (store.Booking, error) {
	db := b.DB.Read(ctx)
	var k store.Booking
	if err := db.Take(&k, id).Error; err != nil {
		return k, err
	}
	if k.Status != store.Confirmed {
		return k, ErrNotMovable
	}
	var old store.Visit
	if err := db.Take(&old, k.VisitID).Error; err != nil {
		return k, err
	}
	r := Request{Service: old.ServiceID, Start: start, Length: old.During().Minutes(), Places: k.Places, Staff: staff,
		ClientName: k.ClientName, ClientMail: k.ClientMail, ClientZone: k.ClientZone}
	_, err := b.secure(ctx, r, k, HashToken(newToken()), func(tx *gorm.DB, h hold, _ store.BookingStatus) error {
		return settleMove(tx, k, h, span.At(b.Now()))
	})
	if err == nil {
		err = b.DB.Read(ctx).Take(&k, id).Error
	}
	if err != nil {
		return k, fmt.Errorf("moving booking %s: %w", k.Reference, err)
	}
	return k, nil
}

// settleMove puts the booking where the hold is, in one transaction.
func settleMove(tx *gorm.DB, k store.Booking, h hold, now span.Instant) error {
	var present store.Booking
	if err := tx.Take(&present, k.ID).Error; err != nil {
		return err
	}
	if present.Status != store.Confirmed || present.VisitID != k.VisitID {
		return ErrNotMovable // cancelled or moved while the last look went on
	}
	others, err := othersOn(tx, k)
	if err != nil {
		return err
	}
	var onNew int64
	if err := tx.Model(&store.Booking{}).Where("visit_id = ? AND id <> ?", h.visit.ID, h.booking.ID).Count(&onNew).Error; err != nil {
		return err
	}
	if err := tx.Delete(&store.Booking{}, h.booking.ID).Error; err != nil {
		return err
	}
	change := map[string]any{"picked": h.booking.Picked}
	if others > 0 || onNew > 0 {
		change["visit_id"] = h.visit.ID
		if err := tx.Model(&present).Updates(change).Error; err != nil {
			return err
		}
		if err := release(tx, k.VisitID, now); err != nil {
			return err
		}
		// A visit that nobody was ever on but this booking is nothing any more, unless
		// copies of it are still to be taken away.
		err := tx.Exec(`DELETE FROM visits WHERE id = ? AND NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = visits.id)
			AND NOT EXISTS (SELECT 1 FROM copies c WHERE c.visit_id = visits.id)`, k.VisitID).Error
		if err != nil {
			return err
		}
		if err := complete(tx, h.visit); err != nil {
			return err
		}
		return queueCopies(tx, h.visit.ID, now)
	}
	// The visit is the booking's own: it takes over what the hold has gathered.
	if err := tx.Model(&present).Updates(change).Error; err != nil {
		return err
	}
	for _, step := range []string{
		"DELETE FROM claims WHERE visit_id IN (@old, @new)",
		"DELETE FROM visit_staff WHERE visit_id = @old",
		"DELETE FROM visit_resources WHERE visit_id = @old",
		"UPDATE visit_staff SET visit_id = @old WHERE visit_id = @new",
		"UPDATE visit_resources SET visit_id = @old WHERE visit_id = @new",
		`UPDATE visits SET (start, "end", buffer_before, buffer_after) = (SELECT start, "end", buffer_before, buffer_after FROM visits WHERE id = @new) WHERE id = @old`,
		"DELETE FROM visits WHERE id = @new",
	} {
		if err := tx.Exec(step, map[string]any{"old": k.VisitID, "new": h.visit.ID}).Error; err != nil {
			return err
		}
	}
	moved := h.visit
	moved.ID = k.VisitID
	if err := complete(tx, moved); err != nil {
		return err
	}
	return queueCopies(tx, k.VisitID, now)
}

// complete makes a visit's claims whole, where some of its time was left to the
// visit that moved here.
func complete(tx *gorm.DB, v store.Visit) error {
	if err := tx.Where("visit_id = ?", v.ID).Delete(&store.Claim{}).Error; err != nil {
		return err
	}
	var subjects []store.Subject
	var staff []store.VisitStaff
	var resources []store.VisitResource
	if err := errors.Join(tx.Where("visit_id = ?", v.ID).Find(&staff).Error, tx.Where("visit_id = ?", v.ID).Find(&resources).Error); err != nil {
		return err
	}
	for _, s := range staff {
		subjects = append(subjects, store.StaffSubject(s.StaffID))
	}
	for _, r := range resources {
		subjects = append(subjects, store.ResourceSubject(r.ResourceID))
	}
	return claim(tx, v, subjects, 0)
}
