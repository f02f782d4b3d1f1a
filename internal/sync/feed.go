package sync

import (
	"context"
	"encoding/binary"
	"time"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/feed"
	"niche/internal/link"
	"niche/internal/store"
)

// readFeed reads a feed, if it has changed.
func (e *Engine) readFeed(ctx context.Context, s source) (changed bool, err error) {
	address, err := e.Links.FeedAddress(s.link)
	if err != nil {
		return false, err
	}
	known := feed.Known{ETag: s.CollectionTag, Modified: s.Modified}
	if s.all || s.again {
		known = feed.Known{} // nothing of it is kept that could be expanded further
	}
	got, err := feed.Get(ctx, e.Links.Outside(), address, known)
	if err != nil {
		return false, err
	}
	if got.Body == nil {
		return false, e.keep(ctx, s, batch{last: true, refresh: s.Refresh})
	}
	reading, err := link.ReadFeed(got.Body, s.scope)
	if err != nil {
		return false, err
	}
	fresh, removed, err := e.compare(ctx, s, reading)
	if err != nil {
		return false, err
	}
	e.counts.objects.Add(float64(len(fresh)))
	refresh := max(reading.Refresh, span.Minutes(got.MaxAge/time.Minute))
	news := len(fresh)+len(removed) > 0
	return news, e.keep(ctx, s, batch{fresh: fresh, removed: removed, last: true, news: news, refresh: refresh,
		values: map[string]any{"collection_tag": got.Known.ETag, "modified": got.Known.Modified, "refresh": refresh}})
}

// compare tells which events of a feed take other time than what is kept of
// them, and which have gone. Events are known by their UID, hashed.
func (e *Engine) compare(ctx context.Context, s source, reading ics.Reading) (fresh []object, removed []string, err error) {
	etags, err := e.etags(ctx, s.ID)
	if err != nil {
		return nil, nil, err
	}
	now := map[string]*object{}
	for _, ev := range reading.Events {
		path := hashed(ev.UID)
		if now[path] == nil {
			now[path] = &object{Path: path}
		}
		now[path].add(ev)
	}
	if len(reading.Skipped) > 0 {
		now[store.UnreadHref] = &object{Path: store.UnreadHref, unread: reading.Skipped}
	}
	for path, o := range now {
		if o.ETag = o.digest(); etags[path] != o.ETag {
			fresh = append(fresh, *o)
		}
	}
	for path := range etags {
		if now[path] == nil {
			removed = append(removed, path)
		}
	}
	return fresh, removed, nil
}

// digest returns what differs when the object's time does.
func (o object) digest() string {
	var b []byte
	for _, uid := range o.uids {
		for _, oc := range o.spans[uid] {
			b = binary.LittleEndian.AppendUint64(b, uint64(oc.During.Start()))
			b = binary.LittleEndian.AppendUint64(b, uint64(oc.During.End()))
			flags := byte(0)
			if oc.AllDay {
				flags |= 1
			}
			if oc.Tentative {
				flags |= 2
			}
			b = append(b, flags)
		}
	}
	for _, s := range o.unread {
		b = append(append(b, s.Date.String()...), s.Reason...)
	}
	return hashed(string(b))[:32]
}
