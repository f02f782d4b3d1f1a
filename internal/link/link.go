// Package link keeps staff members' connections to outside calendar accounts:
// making one, its calendars and what each is for, and its secret.
//
// Reading and writing over a link is left to package sync.
package link

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"gorm.io/gorm"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/caldav"
	"niche/internal/clash"
	"niche/internal/feed"
	"niche/internal/outbound"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Links makes and keeps links.
type Links struct {
	db     *store.DB
	keeper Keeper
	http   *http.Client
	now    func() time.Time

	mu      sync.Mutex
	clients map[store.ID]client
}

// client is a client that is kept, because it has learned how its host wants
// requests to be signed, with the secret that it was made of.
type client struct {
	sealed []byte
	*caldav.Client
}

// New returns the links in a database. The HTTP client is the one for
// addresses that users give.
func New(db *store.DB, keeper Keeper, hc *http.Client, now func() time.Time) *Links {
	return &Links{db: db, keeper: keeper, http: hc, now: now, clients: map[store.ID]client{}}
}

// Add signs in at the address, finds the account's calendars, and keeps the
// link when that went well. No calendar blocks or gets anything yet. An account
// that is linked already is renewed in place: its choices stay.
func (l *Links) Add(ctx context.Context, staff store.ID, address, user, key string) (store.Link, error) {
	client, err := caldav.NewClient(l.http, address, caldav.Credentials{User: user, Password: key})
	if err != nil {
		return store.Link{}, err
	}
	account, err := client.Discover(ctx)
	if err != nil {
		return store.Link{}, fmt.Errorf("linking %s: %w", hostOf(address), err)
	}
	link := store.Link{StaffID: staff, Kind: store.AccountLink, Address: normal(address), Username: user, Principal: account.Principal,
		Home: account.Home, Mails: append([]string{}, account.Mails...), CreatedAt: span.At(l.now())}
	link.Secret = l.keeper.seal(key, owner(link))
	err = l.db.Write(ctx, func(tx *gorm.DB) error {
		var old store.Link
		err := tx.Where("staff_id = ? AND address = ? AND username = ?", staff, link.Address, user).Take(&old).Error
		if err == nil {
			link.ID, link.CreatedAt = old.ID, old.CreatedAt
		} else if err != store.ErrNotFound {
			return err
		}
		if err := tx.Save(&link).Error; err != nil {
			return err
		}
		return keepCalendars(tx, link.ID, account.Calendars)
	})
	if err != nil {
		err = fmt.Errorf("keeping the link to %s: %w", hostOf(address), err)
	}
	return link, err
}

// AddFeed looks at what is published under an address, and keeps the link when
// that is a calendar. As there is nothing else that a feed could be for, it
// blocks time from the beginning. A feed that is linked already is renewed.
func (l *Links) AddFeed(ctx context.Context, staff store.ID, address string) (store.Link, error) {
	target, err := feed.Address(address)
	if err != nil {
		return store.Link{}, err
	}
	link := store.Link{StaffID: staff, Kind: store.FeedLink, Address: target.Scheme + "://" + target.Host, Mails: []string{}, CreatedAt: span.At(l.now())}
	got, err := feed.Get(ctx, l.http, target.String(), feed.Known{})
	if err != nil {
		return link, fmt.Errorf("linking a feed of %s: %w", target.Host, err)
	}
	reading, err := ReadFeed(got.Body, ics.Scope{Window: span.For(link.CreatedAt, 60)})
	if err != nil {
		return link, fmt.Errorf("linking a feed of %s: %w", target.Host, err)
	}
	name := reading.Name
	if name == "" {
		name = target.Hostname()
	}
	link.Secret = l.keeper.seal(target.String(), owner(link))
	err = l.db.Write(ctx, func(tx *gorm.DB) error {
		var old []store.Link
		if err := tx.Where("staff_id = ? AND kind = ? AND address = ?", staff, store.FeedLink, link.Address).Find(&old).Error; err != nil {
			return err
		}
		for _, o := range old {
			if same, err := l.FeedAddress(o); err == nil && same == target.String() {
				link.ID, link.CreatedAt = o.ID, o.CreatedAt
			}
		}
		if err := tx.Save(&link).Error; err != nil {
			return err
		}
		c := store.Calendar{LinkID: link.ID, State: store.Waiting, Blocks: true}
		if err := tx.Where("link_id = ?", link.ID).Take(&c).Error; err != nil && err != store.ErrNotFound {
			return err
		}
		c.Name, c.NextAt, c.Failures = name, 0, 0
		return tx.Save(&c).Error
	})
	if err != nil {
		err = fmt.Errorf("keeping the link to a feed of %s: %w", target.Host, err)
	}
	return link, err
}

// ReadFeed reads busy time from the body of a feed, and closes it. What ends
// before its end is no calendar: the events that it does not name have not gone.
func ReadFeed(body io.ReadCloser, scope ics.Scope) (ics.Reading, error) {
	const doing = "reading the feed"
	reading, err := ics.ReadBusy(body, scope)
	_ = body.Close()
	switch {
	case errors.Is(err, ics.ErrNotCalendar):
		return reading, &outbound.Error{Kind: outbound.NotCalendar, Doing: doing, Err: err}
	case err != nil:
		return reading, outbound.Failed(doing, err)
	case reading.Truncated:
		return reading, &outbound.Error{Kind: outbound.NotCalendar, Doing: doing, Err: errors.New("it ends before the calendar does")}
	}
	return reading, nil
}

// FeedAddress returns the address of a feed, which is kept as a secret.
func (l *Links) FeedAddress(link store.Link) (string, error) {
	return l.keeper.open(link.Secret, owner(link))
}

// Outside returns the HTTP client for addresses that users give.
func (l *Links) Outside() *http.Client { return l.http }

// keepCalendars brings the stored calendars of a link up to date, found again
// by their address.
func keepCalendars(tx *gorm.DB, link store.ID, found []caldav.Calendar) error {
	for _, f := range found {
		var c store.Calendar
		err := tx.Where("link_id = ? AND href = ?", link, f.Href).Take(&c).Error
		if err != nil && err != store.ErrNotFound {
			return err
		}
		if err == store.ErrNotFound {
			c.State = store.Waiting // nothing is chosen for it yet
		}
		c.LinkID, c.Href, c.Name, c.Colour, c.CanWrite = link, f.Href, f.Name, f.Colour, f.CanWrite
		c.GetsBookings = c.GetsBookings && c.CanWrite
		c.NextAt, c.Failures = 0, 0
		if err := tx.Save(&c).Error; err != nil {
			return err
		}
	}
	return nil
}

func normal(address string) string {
	address = strings.TrimSpace(address)
	if !strings.Contains(address, "://") {
		address = "https://" + address
	}
	return address
}

// hostOf returns the host of an address, the most of it that errors repeat.
func hostOf(address string) string {
	u, err := url.Parse(normal(address))
	if err != nil || u.Host == "" {
		return "the address"
	}
	return u.Host
}

// HostOf returns the host of a link's address, for people.
func HostOf(l store.Link) string { return hostOf(l.Address) }

// owner binds a secret to its account.
func owner(l store.Link) string { return l.Username + " " + l.Address }

// Client returns the client for an account. It stays the same as long as the
// link does.
func (l *Links) Client(link store.Link) (*caldav.Client, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if known, ok := l.clients[link.ID]; ok && bytes.Equal(known.sealed, link.Secret) {
		return known.Client, nil
	}
	key, err := l.keeper.open(link.Secret, owner(link))
	if err != nil {
		return nil, err
	}
	made, err := caldav.NewClient(l.http, link.Address, caldav.Credentials{User: link.Username, Password: key})
	if err == nil {
		l.clients[link.ID] = client{link.Secret, made}
	}
	return made, err
}

// ErrReadOnly says that a calendar cannot be written to.
var ErrReadOnly = fmt.Errorf("this calendar can only be read, so it cannot get bookings")

// Choice is what a calendar is for, and how its events count.
type Choice struct {
	Blocks, GetsBookings      bool
	PadBefore, PadAfter       span.Minutes // kept free around its events
	TentativeFree, AllDayFree bool         // such events take no time
}

// Choose sets what a calendar is for. A calendar that begins to get bookings
// also gets the visits that lie ahead; one that ends keeps its copies, which
// are still removed when their visit is cancelled.
func (l *Links) Choose(ctx context.Context, calendar store.ID, choice Choice) (store.Calendar, error) {
	var c store.Calendar
	now := span.At(l.now())
	err := l.db.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Take(&c, calendar).Error; err != nil {
			return err
		}
		if choice.GetsBookings && !c.CanWrite {
			return ErrReadOnly
		}
		begins := choice.GetsBookings && !c.GetsBookings
		c.Blocks, c.GetsBookings, c.PadBefore, c.PadAfter = choice.Blocks, choice.GetsBookings, choice.PadBefore, choice.PadAfter
		c.TentativeFree, c.AllDayFree, c.NextAt = choice.TentativeFree, choice.AllDayFree, 0
		if err := tx.Select("blocks", "gets_bookings", "pad_before", "pad_after", "tentative_free", "all_day_free", "next_at").Updates(&c).Error; err != nil {
			return err
		}
		if err := schedule.PackBusy(tx, c.ID); err != nil {
			return err
		}
		if _, err := clash.OfCalendar(tx, c.ID, now); err != nil || !begins {
			return err
		}
		return tx.Exec(`INSERT INTO copies (visit_id, calendar_id, href, wanted, state, next_at)
			SELECT v.id, ?, ? || v.uid || '.ics', 1, 'waiting', ? FROM visits v
			JOIN visit_staff vs ON vs.visit_id = v.id
			JOIN links l ON l.staff_id = vs.staff_id AND l.id = ?
			WHERE v."end" > ? AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status = 'confirmed')
			ON CONFLICT (visit_id, calendar_id) DO UPDATE SET wanted = 1, state = 'waiting', next_at = excluded.next_at,
				sequence = copies.sequence + 1 WHERE copies.wanted = 0`, c.ID, c.Href, now, c.LinkID, now).Error
	})
	return c, err
}
