package link

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/outbox"
	"niche/internal/plain"
	"niche/internal/source"
	"niche/internal/source/feed"
	"niche/internal/store"
)

// lookAtFeed looks at what is published under an address, and returns the link to it,
// sealed, and what it calls itself.
func (l *Links) lookAtFeed(ctx context.Context, staff store.ID, address string) (link store.Link, name string, err error) {
	target, err := feed.Address(address)
	if err != nil {
		return store.Link{}, "", err
	}
	now := span.At(l.now())
	link = store.Link{StaffID: staff, Kind: store.FeedLink, Wishes: store.Wishes{Drift: outbox.Ask, Clients: store.ClientsNamed}, Address: target.Scheme + "://" + target.Host, Host: strings.ToLower(target.Host), Mails: []string{}, CreatedAt: now}
	got, err := feed.Get(ctx, l.http, target.String(), feed.Known{})
	if err != nil {
		return link, "", fmt.Errorf("linking a feed of %s: %w", target.Host, err)
	}
	reading, err := source.ReadWhole(ctx, got.Body, ics.Scope{Window: span.For(now, 60)})
	_ = got.Body.Close()
	if err != nil {
		return link, "", fmt.Errorf("linking a feed of %s: %w", target.Host, err)
	}
	if name = plain.Clean(reading.Name, source.MaxName); name == "" {
		name = target.Hostname()
	}
	link.Secret = l.keeper.Seal(target.String(), owner(link))
	l.hosts.Answered(link.Host)
	return link, name, nil
}

// AddFeed looks at what is published under an address, and keeps the link when
// that is a calendar. As there is nothing else that a feed could be for, it
// blocks time from the beginning. A feed that is linked already is renewed.
func (l *Links) AddFeed(ctx context.Context, staff store.ID, address string) (store.Link, error) {
	link, name, err := l.lookAtFeed(ctx, staff, address)
	if err != nil {
		return link, err
	}
	err = l.db.Write(ctx, func(tx store.Tx) error {
		links, err := tx.LinksOf(staff)
		if err != nil {
			return err
		}
		same := func(o store.Link) bool {
			known, err := l.keeper.Open(o.Secret, owner(o))
			now, _ := l.keeper.Open(link.Secret, owner(link))
			return err == nil && known == now
		}
		for _, o := range links {
			if o.Kind == store.FeedLink && o.Address == link.Address && same(o) {
				link.ID, link.CreatedAt = o.ID, o.CreatedAt
			}
		}
		return keepFeed(tx, &link, name, "linked", span.At(l.now()))
	})
	if err != nil {
		return link, fmt.Errorf("keeping the link to a feed of %s: %w", link.Host, err)
	}
	return link, nil
}

// keepFeed keeps the link to a feed, with its one calendar, which is read at once.
func keepFeed(tx store.Tx, link *store.Link, name, deed string, now span.Instant) error {
	if err := tx.SaveLink(link); err != nil {
		return err
	}
	c := store.Calendar{LinkID: link.ID, State: store.Waiting, Blocks: true, Watched: true}
	calendars, err := tx.CalendarsOf(link.ID)
	if err != nil {
		return err
	}
	if len(calendars) > 0 {
		c = calendars[0]
	}
	c.Name, c.NextAt, c.Failures = name, 0, 0
	if deed == "renewed" {
		c.Mark, c.KnownTo = "", 0 // what is remembered is of another address
	}
	return errors.Join(tx.SaveCalendar(&c), note(tx, now, deed, *link))
}
