package sync

import (
	"bytes"
	"context"
	"slices"

	"niche/core/ics"
	"niche/internal/caldav"
)

// atOnce is how many events are expanded before they are kept. What has been
// kept is not fetched again when the rest fails.
const atOnce = 100

// readAccount reads what changed in a calendar of an account.
func (e *Engine) readAccount(ctx context.Context, s source) (changed bool, err error) {
	client, err := e.Links.Client(s.link)
	if err != nil {
		return false, err
	}
	known := caldav.Known{Token: s.Token, Tag: s.CollectionTag, ETags: func(ctx context.Context) (map[string]string, error) {
		etags, err := e.etags(ctx, s.ID)
		if s.all {
			for path := range etags {
				etags[path] = "" // to be fetched whatever the host says
			}
		}
		return etags, err
	}}
	if s.all {
		known.Token, known.Tag = "", ""
	}
	changes, err := client.Changes(ctx, s.Href, known)
	if err != nil {
		return false, err
	}
	if s.again {
		reaching, err := e.beyond(ctx, s.ID)
		if err != nil {
			return false, err
		}
		changes.Changed = slices.Compact(slices.Sorted(slices.Values(append(changes.Changed, reaching...))))
	}
	var fresh []object
	keep := func() error {
		err := e.keep(ctx, s, batch{fresh: fresh})
		fresh = fresh[:0]
		return err
	}
	err = client.Fetch(ctx, s.Href, changes.Changed, func(got caldav.Object) error {
		if got.Body == nil {
			changes.Removed = append(changes.Removed, got.Path)
			return nil
		}
		fresh = append(fresh, expand(got, s.scope))
		e.counts.objects.Inc()
		if len(fresh) < atOnce {
			return nil
		}
		return keep()
	})
	if err == nil && len(fresh) > 0 {
		err = keep()
	}
	if err != nil {
		return false, err
	}
	news := len(changes.Changed)+len(changes.Removed) > 0
	return news, e.keep(ctx, s, batch{removed: changes.Removed, last: true, news: news,
		values: map[string]any{"token": changes.Token, "collection_tag": changes.Tag}})
}

// expand reads the time out of an event and lets go of everything else.
func expand(got caldav.Object, scope ics.Scope) object {
	o := object{Path: got.Path, ETag: got.ETag}
	reading, err := ics.ReadBusy(bytes.NewReader(got.Body), scope)
	if err != nil {
		o.unread = []ics.Skipped{{Reason: "it is no iCalendar data"}}
		return o
	}
	o.beyond, o.unread = reading.Beyond, reading.Skipped
	for _, ev := range reading.Events {
		o.add(ev)
	}
	return o
}
