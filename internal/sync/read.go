package sync

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/caldav"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Read asks the host what changed in a calendar, and keeps the busy spans of
// what did. When the host cannot be asked, the last good state stays in force.
func (e *Engine) Read(ctx context.Context, id store.ID) error {
	release, err := e.alone(ctx, id)
	if err != nil {
		return err
	}
	defer release()
	var c store.Calendar
	if err := e.DB.Read(ctx).Take(&c, id).Error; err != nil {
		return fmt.Errorf("reading calendar %d: %w", id, err)
	}
	err = e.read(ctx, c)
	if err != nil && (ctx.Err() == nil || errors.Is(ctx.Err(), context.DeadlineExceeded)) {
		err = fmt.Errorf("reading calendar %d: %w", id, err)
		return errors.Join(err, e.noteFailure(context.WithoutCancel(ctx), c, err))
	}
	return err
}

// LastLook reads the calendars that block a staff member, at the same time and
// within the time that the context gives. The error says that not all could be
// read.
func (e *Engine) LastLook(ctx context.Context, staff store.ID) error {
	var ids []store.ID
	err := e.DB.Read(ctx).Raw(`SELECT c.id FROM calendars c JOIN links l ON l.id = c.link_id
		WHERE l.staff_id = ? AND c.blocks = 1`, staff).Scan(&ids).Error
	if err != nil {
		return fmt.Errorf("looking for calendars to read: %w", err)
	}
	var all errgroup.Group
	for _, id := range ids {
		all.Go(func() error { return e.Read(ctx, id) })
	}
	return all.Wait()
}

// owner is what must be known of the person whose calendar is read.
type owner struct {
	link store.Link
	zone hours.Zone
}

func (e *Engine) owner(ctx context.Context, c store.Calendar) (o owner, err error) {
	db := e.DB.Read(ctx)
	if err := db.Take(&o.link, c.LinkID).Error; err != nil {
		return o, err
	}
	var s store.Staff
	if err := db.Take(&s, o.link.StaffID).Error; err != nil {
		return o, err
	}
	o.zone, err = hours.LoadZone(s.Zone)
	return o, err
}

// horizon is the time whose events are kept: from yesterday to the furthest
// booking window and a month.
func (e *Engine) horizon(ctx context.Context) (span.Span, error) {
	var days int
	err := e.DB.Read(ctx).Raw("SELECT COALESCE(MAX(window_days), 60) FROM services").Scan(&days).Error
	const day = 24 * 60
	return span.For(span.At(e.Now()).Add(-day), span.Minutes(days+32)*day), err
}

func (e *Engine) read(ctx context.Context, c store.Calendar) error {
	o, err := e.owner(ctx, c)
	if err != nil {
		return err
	}
	horizon, err := e.horizon(ctx)
	if err != nil {
		return err
	}
	client, err := e.Links.Client(o.link)
	if err != nil {
		return err
	}
	etags, err := e.etags(ctx, c.ID)
	if err != nil {
		return err
	}
	known := caldav.Known{Token: c.Token, Tag: c.CollectionTag, ETags: etags}
	// The horizon moves with the days, and events are not kept: they are read
	// again to be expanded into it.
	expandedOn := fmt.Sprintf("%s/%s", hours.Zone{}.DateAt(horizon.Start()), hours.Zone{}.DateAt(horizon.End()))
	if c.ExpandedOn != expandedOn {
		known.Token, known.Tag = "", ""
		for path := range known.ETags {
			known.ETags[path] = ""
		}
	}
	changes, err := client.Changes(ctx, c.Href, known)
	if err != nil {
		return err
	}
	var fresh []object
	scope := ics.Scope{Window: horizon, Zone: o.zone, Owner: o.link.Mails}
	err = client.Fetch(ctx, c.Href, changes.Changed, func(got caldav.Object) error {
		if got.Body == nil {
			changes.Removed = append(changes.Removed, got.Path)
			return nil
		}
		fresh = append(fresh, expand(got, scope))
		return nil
	})
	if err != nil {
		return err
	}
	news := len(fresh)+len(changes.Removed) > 0 || c.State != store.Fresh
	err = e.DB.Write(ctx, func(tx *gorm.DB) error {
		if err := keep(tx, c.ID, fresh, changes.Removed); err != nil {
			return err
		}
		if len(fresh)+len(changes.Removed) > 0 {
			if err := schedule.PackBusy(tx, c.ID); err != nil {
				return err
			}
		}
		var skipped int
		if err := tx.Raw("SELECT COALESCE(SUM(skipped), 0) FROM objects WHERE calendar_id = ?", c.ID).Scan(&skipped).Error; err != nil {
			return err
		}
		now := e.Now()
		return tx.Model(&c).Updates(map[string]any{
			"token": changes.Token, "collection_tag": changes.Tag, "expanded_on": expandedOn, "skipped": skipped,
			"state": store.Fresh, "error": "", "failures": 0, "read_at": span.At(now), "next_at": span.At(now.Add(e.Poll)),
		}).Error
	})
	if err == nil && news {
		e.Hub.Tell(live.Calendars)
	}
	return err
}

func (e *Engine) etags(ctx context.Context, calendar store.ID) (map[string]string, error) {
	rows, err := e.DB.Read(ctx).Raw("SELECT href, etag FROM objects WHERE calendar_id = ?", calendar).Rows()
	if err != nil {
		return nil, err
	}
	defer func() { _ = rows.Close() }()
	etags := map[string]string{}
	for rows.Next() {
		var href, etag string
		if err := rows.Scan(&href, &etag); err != nil {
			return nil, err
		}
		etags[href] = etag
	}
	return etags, rows.Err()
}

// object is an event resource as it is kept.
type object struct {
	path, etag string
	uids       []string
	spans      map[string][]ics.Occurrence // by UID
	skipped    int
}

// expand reads the time out of an event and lets go of everything else.
func expand(got caldav.Object, scope ics.Scope) object {
	o := object{path: got.Path, etag: got.ETag, spans: map[string][]ics.Occurrence{}}
	reading, err := ics.ReadBusy(bytes.NewReader(got.Body), scope)
	if err != nil {
		o.skipped = 1
		return o
	}
	o.skipped = len(reading.Skipped)
	for _, ev := range reading.Events {
		o.uids = append(o.uids, ev.UID)
		o.spans[ev.UID] = ev.Occurrences
	}
	return o
}

// keep replaces what is stored of changed events. Own copies, known by their
// UID wherever they turn up, are never busy time.
func keep(tx *gorm.DB, calendar store.ID, fresh []object, removed []string) error {
	for _, path := range removed {
		if err := tx.Exec("DELETE FROM objects WHERE calendar_id = ? AND href = ?", calendar, path).Error; err != nil {
			return err
		}
	}
	for _, o := range fresh {
		if err := tx.Exec("DELETE FROM objects WHERE calendar_id = ? AND href = ?", calendar, o.path).Error; err != nil {
			return err
		}
		row := store.Object{CalendarID: calendar, Href: o.path, Etag: o.etag, Skipped: o.skipped}
		if len(o.uids) > 0 {
			sum := sha256.Sum256([]byte(o.uids[0]))
			row.UIDHash = hex.EncodeToString(sum[:])
		}
		if err := tx.Create(&row).Error; err != nil {
			return err
		}
		for _, uid := range o.uids {
			var own int64
			if err := tx.Model(&store.Visit{}).Where("uid = ?", uid).Count(&own).Error; err != nil {
				return err
			}
			if own > 0 {
				continue
			}
			for _, oc := range o.spans[uid] {
				b := store.BusySpan{CalendarID: calendar, Href: o.path, Start: oc.During.Start(), End: oc.During.End(), AllDay: oc.AllDay, Tentative: oc.Tentative}
				if err := tx.Create(&b).Error; err != nil {
					return err
				}
			}
		}
	}
	return nil
}

// noteFailure keeps why a calendar could not be read, and when to try again.
func (e *Engine) noteFailure(ctx context.Context, c store.Calendar, cause error) error {
	state := store.NotReached
	var asked time.Duration
	var problem *caldav.Error
	if errors.As(cause, &problem) {
		asked = problem.RetryAfter
		switch problem.Kind {
		case caldav.WrongKey, caldav.Forbidden:
			state = store.Refused
		case caldav.NotThere:
			state = store.Gone
		}
	}
	wait := pause(e.Poll, c.Failures, asked)
	err := e.DB.Write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&c).Updates(map[string]any{"state": state, "error": link.Words(cause).Text,
			"failures": c.Failures + 1, "next_at": span.At(e.Now().Add(wait))}).Error
	})
	e.Hub.Tell(live.Calendars)
	return err
}
