// Package link keeps staff members' connections to outside calendar accounts:
// making one, its calendars and what each is for, and its secret.
//
// Reading and writing over a link is left to package sync.
package link

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"time"

	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/caldav"
	"niche/internal/store"
)

// Links makes and keeps links.
type Links struct {
	db     *store.DB
	keeper Keeper
	http   *http.Client
	now    func() time.Time
}

// New returns the links in a database. The HTTP client is the one for
// addresses that users give.
func New(db *store.DB, keeper Keeper, hc *http.Client, now func() time.Time) *Links {
	return &Links{db, keeper, hc, now}
}

// Add signs in at the address, finds the account's calendars, and keeps the
// link when that went well. No calendar blocks or gets anything yet. An account
// that is linked already is renewed in place: its choices stay.
func (l *Links) Add(ctx context.Context, staff store.ID, address, user, key string) (store.Link, error) {
	client, err := caldav.NewClient(l.http, address, user, key)
	if err != nil {
		return store.Link{}, err
	}
	account, err := client.Discover(ctx)
	if err != nil {
		return store.Link{}, fmt.Errorf("linking %s: %w", hostOf(address), err)
	}
	link := store.Link{StaffID: staff, Address: normal(address), Username: user, Principal: account.Principal,
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
			c.State = store.Waiting
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

// Client returns a client for a link.
func (l *Links) Client(link store.Link) (*caldav.Client, error) {
	key, err := l.keeper.open(link.Secret, owner(link))
	if err != nil {
		return nil, err
	}
	return caldav.NewClient(l.http, link.Address, link.Username, key)
}

// ErrReadOnly says that a calendar cannot be written to.
var ErrReadOnly = fmt.Errorf("this calendar can only be read, so it cannot get bookings")

// Choose sets what a calendar is for. A calendar that begins to get bookings
// also gets the visits that lie ahead; one that ends keeps its copies, which
// are still removed when their visit is cancelled.
func (l *Links) Choose(ctx context.Context, calendar store.ID, blocks, getsBookings bool) (store.Calendar, error) {
	var c store.Calendar
	err := l.db.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Take(&c, calendar).Error; err != nil {
			return err
		}
		if getsBookings && !c.CanWrite {
			return ErrReadOnly
		}
		begins := getsBookings && !c.GetsBookings
		c.Blocks, c.GetsBookings = blocks, getsBookings
		if err := tx.Model(&c).Updates(map[string]any{"blocks": blocks, "gets_bookings": getsBookings, "next_at": 0}).Error; err != nil {
			return err
		}
		if !begins {
			return nil
		}
		now := span.At(l.now())
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
