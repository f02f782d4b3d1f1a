package sync

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"slices"

	"gorm.io/gorm"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/clash"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
)

// object is an event resource, or an event of a feed, as it is kept.
type object struct {
	Path, ETag string
	beyond     bool
	uids       []string
	spans      map[string][]ics.Occurrence // by UID
	unread     []ics.Skipped
}

func (o *object) add(ev ics.Event) {
	if o.spans == nil {
		o.spans = map[string][]ics.Occurrence{}
	}
	if _, known := o.spans[ev.UID]; !known {
		o.uids = append(o.uids, ev.UID)
	}
	o.spans[ev.UID] = append(o.spans[ev.UID], ev.Occurrences...)
}

// batch is what is kept of a calendar in one transaction.
type batch struct {
	fresh   []object
	removed []string
	last    bool           // nothing more follows: the calendar is as the host has it
	news    bool           // something has changed since it was read before
	values  map[string]any // of the calendar, to find out more cheaply next time
	refresh span.Minutes   // how seldom the host wishes to be asked
}

// maxUnread is how many events that could not be read are kept of one resource.
const maxUnread = 50

// hashed returns what is kept of a UID.
func hashed(uid string) string {
	sum := sha256.Sum256([]byte(uid))
	return hex.EncodeToString(sum[:])
}

func (e *Engine) etags(ctx context.Context, calendar store.ID) (map[string]string, error) {
	var rows []store.Object
	err := e.DB.Read(ctx).Select("href", "etag").Where("calendar_id = ?", calendar).Find(&rows).Error
	etags := make(map[string]string, len(rows))
	for _, r := range rows {
		etags[r.Href] = r.Etag
	}
	return etags, err
}

// beyond returns the paths of the events that reach beyond the horizon.
func (e *Engine) beyond(ctx context.Context, calendar store.ID) (paths []string, err error) {
	err = e.DB.Read(ctx).Model(&store.Object{}).Where("calendar_id = ? AND beyond = 1", calendar).Pluck("href", &paths).Error
	return paths, err
}

// keep stores a batch, and with the last one that the calendar has been read.
func (e *Engine) keep(ctx context.Context, s source, b batch) error {
	clashes := int64(0)
	err := e.DB.Write(ctx, func(tx *gorm.DB) error {
		changed := len(b.fresh)+len(b.removed) > 0
		if err := replace(tx, s.ID, b.fresh, b.removed); err != nil {
			return err
		}
		if b.last && (s.all || s.again) {
			changed = true
			if err := tx.Exec(`DELETE FROM busy_spans WHERE calendar_id = ? AND "end" <= ?`, s.ID, s.scope.Window.Start()).Error; err != nil {
				return err
			}
		}
		now := span.At(e.Now())
		if changed {
			if err := schedule.PackBusy(tx, s.ID); err != nil {
				return err
			}
			var err error
			if clashes, err = clash.OfCalendar(tx, s.ID, now); err != nil {
				return err
			}
		}
		if !b.last {
			return nil
		}
		values := map[string]any{"state": store.Fresh, "error": "", "failures": 0, "read_at": now, "next_at": e.next(s, b.refresh), "expanded_on": s.about}
		for name, v := range b.values {
			values[name] = v
		}
		if changed || b.news {
			values["skipped"] = gorm.Expr("(SELECT COALESCE(SUM(skipped), 0) FROM objects WHERE calendar_id = ?)", s.ID)
		}
		return tx.Model(&store.Calendar{ID: s.ID}).Updates(values).Error
	})
	if err == nil && clashes > 0 {
		e.Hub.Tell(live.Bookings)
	}
	return err
}

// replace replaces what is stored of changed events. Own copies, known by their
// UID wherever they turn up, are never busy time.
func replace(tx *gorm.DB, calendar store.ID, fresh []object, removed []string) error {
	gone := removed
	var uids []string
	for _, o := range fresh {
		gone = append(gone, o.Path)
		uids = append(uids, o.uids...)
	}
	for paths := range slices.Chunk(gone, 500) {
		if err := tx.Exec("DELETE FROM objects WHERE calendar_id = ? AND href IN ?", calendar, paths).Error; err != nil {
			return err
		}
	}
	own := map[string]bool{}
	for part := range slices.Chunk(uids, 500) {
		var found []string
		if err := tx.Model(&store.Visit{}).Where("uid IN ?", part).Pluck("uid", &found).Error; err != nil {
			return err
		}
		for _, uid := range found {
			own[uid] = true
		}
	}
	var objects []store.Object
	var spans []store.BusySpan
	var unread []store.Unread
	for _, o := range fresh {
		row := store.Object{CalendarID: calendar, Href: o.Path, Etag: o.ETag, Skipped: len(o.unread), Beyond: o.beyond}
		if len(o.uids) > 0 {
			row.UIDHash = hashed(o.uids[0])
		}
		objects = append(objects, row)
		for _, uid := range o.uids {
			if own[uid] {
				continue
			}
			for _, oc := range o.spans[uid] {
				spans = append(spans, store.BusySpan{CalendarID: calendar, Href: o.Path, Start: oc.During.Start(), End: oc.During.End(), AllDay: oc.AllDay, Tentative: oc.Tentative})
			}
		}
		for _, u := range o.unread[:min(len(o.unread), maxUnread)] {
			unread = append(unread, store.Unread{CalendarID: calendar, Href: o.Path, Date: u.Date.String(), Reason: u.Reason})
		}
	}
	const rows = 1000
	if len(objects) > 0 {
		if err := tx.CreateInBatches(objects, rows).Error; err != nil {
			return err
		}
	}
	if len(spans) > 0 {
		if err := tx.CreateInBatches(spans, rows).Error; err != nil {
			return err
		}
	}
	if len(unread) > 0 {
		return tx.CreateInBatches(unread, rows).Error
	}
	return nil
}
