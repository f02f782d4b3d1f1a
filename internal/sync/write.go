package sync

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"strings"
	"time"

	"gorm.io/gorm"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/caldav"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/store"
)

// retry is how long the engine waits before it tries a failed write again, the
// first time.
const retry = 5 * time.Second

// write brings one copy outside to what is wanted: there and right, or gone.
func (e *Engine) write(ctx context.Context, id store.ID) error {
	db := e.DB.Read(ctx)
	var c store.Copy
	if err := db.Take(&c, id).Error; err != nil {
		return fmt.Errorf("writing copy %d: %w", id, err)
	}
	if c.State == store.CopyReadBack || c.State == store.CopyRemoved {
		return nil
	}
	var l store.Link
	if err := db.Joins("JOIN calendars c ON c.link_id = links.id").Where("c.id = ?", c.CalendarID).Take(&l).Error; err != nil {
		return fmt.Errorf("writing copy %d: %w", id, err)
	}
	client, err := e.Links.Client(l)
	if err == nil && c.Wanted {
		err = e.place(ctx, client, c)
	} else if err == nil {
		err = e.remove(ctx, client, c)
	}
	if err == nil {
		e.counts.writes.WithLabelValues("done").Inc()
		e.hosts.note(link.HostOf(l), nil, 0, e.Now())
	} else if ctx.Err() == nil {
		e.counts.writes.WithLabelValues("failed").Inc()
		err = fmt.Errorf("writing copy %d to %s: %w", id, link.HostOf(l), err)
		var problem *outbound.Error
		var asked time.Duration
		if errors.As(err, &problem) {
			asked = problem.RetryAfter
		}
		e.hosts.note(link.HostOf(l), err, asked, e.Now())
		wait := pause(retry, c.Attempts, asked)
		return errors.Join(err, e.note(ctx, c, map[string]any{"state": store.CopyFailed, "error": link.Words(err).Text,
			"attempts": c.Attempts + 1, "next_at": span.At(e.Now().Add(wait))}))
	}
	return err
}

// note keeps what became of a copy, unless something else has been wanted
// meanwhile: then only the etag is worth keeping, and the copy stays due.
func (e *Engine) note(ctx context.Context, c store.Copy, values map[string]any) error {
	err := e.DB.Write(ctx, func(tx *gorm.DB) error {
		res := tx.Model(&store.Copy{}).Where("id = ? AND sequence = ?", c.ID, c.Sequence).Updates(values)
		if res.Error != nil || res.RowsAffected > 0 {
			return res.Error
		}
		if etag, ok := values["etag"]; ok {
			return tx.Model(&store.Copy{}).Where("id = ?", c.ID).Update("etag", etag).Error
		}
		return nil
	})
	e.Hub.Tell(live.Bookings)
	return err
}

// place writes the copy, and then reads it back and compares.
func (e *Engine) place(ctx context.Context, client *caldav.Client, c store.Copy) error {
	want, err := e.says(ctx, c)
	if err != nil {
		return err
	}
	if c.State != store.CopyWritten {
		etag, err := client.Put(ctx, c.Href, c.Etag, want.Encode())
		if outbound.KindOf(err) == outbound.Changed || outbound.KindOf(err) == outbound.NotThere && c.Etag != "" {
			etag, err = e.settle(ctx, client, c, want)
		}
		if err != nil {
			return err
		}
		if err := e.note(ctx, c, map[string]any{"state": store.CopyWritten, "etag": etag, "error": "", "attempts": 0}); err != nil {
			return err
		}
	}
	stored, err := client.Get(ctx, c.Href)
	if outbound.KindOf(err) == outbound.NotThere {
		// Gone again before it was read back: the next try writes it anew.
		return errors.Join(err, e.note(ctx, c, map[string]any{"etag": ""}))
	}
	if err != nil {
		return err
	}
	if differs := want.Differs(bytes.NewReader(stored.Body)); differs != "" {
		if err := e.note(ctx, c, map[string]any{"state": store.CopyWaiting, "etag": stored.ETag}); err != nil {
			return err
		}
		return fmt.Errorf("reading the copy back: %s", differs)
	}
	return e.note(ctx, c, map[string]any{"state": store.CopyReadBack, "etag": stored.ETag, "error": "", "attempts": 0})
}

// settle handles a write whose condition failed: an earlier try got through
// without being noted, or somebody changed the copy. What is there is kept when
// it says the right thing, and put right otherwise.
func (e *Engine) settle(ctx context.Context, client *caldav.Client, c store.Copy, want ics.Booking) (string, error) {
	stored, err := client.Get(ctx, c.Href)
	if outbound.KindOf(err) == outbound.NotThere {
		return client.Put(ctx, c.Href, "", want.Encode())
	}
	if err != nil || want.Differs(bytes.NewReader(stored.Body)) == "" {
		return stored.ETag, err
	}
	return client.Put(ctx, c.Href, stored.ETag, want.Encode())
}

// remove takes the copy away. That it is gone already is success. The version
// is asked for first where none was noted, as an earlier write may have got
// through without being noted.
func (e *Engine) remove(ctx context.Context, client *caldav.Client, c store.Copy) error {
	var err error
	for try := range 3 {
		if c.Etag == "" || try > 0 {
			var stored caldav.Object
			if stored, err = client.Get(ctx, c.Href); err == nil {
				c.Etag = stored.ETag
			}
		}
		if err == nil {
			err = client.Delete(ctx, c.Href, c.Etag)
		}
		if outbound.KindOf(err) != outbound.Changed {
			break
		}
	}
	if err != nil && outbound.KindOf(err) != outbound.NotThere {
		return err
	}
	return e.note(ctx, c, map[string]any{"state": store.CopyRemoved, "etag": "", "error": "", "attempts": 0})
}

// says returns what the copy should say.
func (e *Engine) says(ctx context.Context, c store.Copy) (ics.Booking, error) {
	db := e.DB.Read(ctx)
	var v store.Visit
	if err := db.Take(&v, c.VisitID).Error; err != nil {
		return ics.Booking{}, err
	}
	var s store.Service
	if err := db.Take(&s, v.ServiceID).Error; err != nil {
		return ics.Booking{}, err
	}
	var bookings []store.Booking
	if err := db.Where("visit_id = ? AND status = ?", v.ID, store.Confirmed).Order("id").Find(&bookings).Error; err != nil {
		return ics.Booking{}, err
	}
	b := ics.Booking{UID: v.UID, Stamp: span.At(e.Now()), Sequence: c.Sequence, Visit: v.During(), Summary: s.Name, Location: s.Place}
	var lines []string
	for _, k := range bookings {
		lines = append(lines, fmt.Sprintf("%s, %s (%s)", k.ClientName, k.ClientMail, k.Reference))
	}
	if len(bookings) == 1 {
		b.Summary += " · " + bookings[0].ClientName
	}
	b.Description = strings.Join(lines, "\n")
	return b, nil
}
