// Package link keeps staff members' connections to outside calendar accounts and
// feeds: making one, its calendars and what each is for, its secret, and its end.
//
// It is the one place that knows of which kind a link is: it opens a calendar's
// source to be read or written. What is done with that is left to packages reading
// and outbox.
package link

import (
	"bytes"
	"errors"
	"net"
	"net/http"
	"net/url"
	"strings"
	"sync"
	"time"

	"golang.org/x/sync/singleflight"

	"niche/core/span"
	"niche/internal/source"
	"niche/internal/source/caldav"
	"niche/internal/source/feed"
	"niche/internal/store"
	"niche/internal/work"
)

// Links makes and keeps links.
type Links struct {
	db     *store.DB
	keeper Keeper
	http   *http.Client
	hosts  *work.Hosts
	now    func() time.Time
	Names  caldav.Names // by whom the host of a mail address is found
	Home   string       // the address by which Niche is reached, to which people come back from a host; empty where nobody has said it

	mu      sync.Mutex
	clients map[store.ID]client

	renewing singleflight.Group // of tokens, by link
	renewals sync.WaitGroup
}

// client is a client that is kept, because it has learned how its host wants
// requests to be signed, with what it was made of.
type client struct {
	sealed []byte
	home   string
	*caldav.Client
}

// New returns the links in a database. The HTTP client is the one for
// addresses that users give.
func New(db *store.DB, keeper Keeper, hc *http.Client, hosts *work.Hosts, now func() time.Time) *Links {
	return &Links{db: db, keeper: keeper, http: hc, hosts: hosts, now: now, Names: net.DefaultResolver, clients: map[store.ID]client{}}
}

// ErrNoWriter says that nothing can be written over a link of its kind.
var ErrNoWriter = errors.New("a feed can only be read")

// Reader opens a calendar to be read.
func (l *Links) Reader(link store.Link, c store.Calendar) (source.Reader, error) {
	if link.Kind == store.FeedLink {
		address, err := l.keeper.Open(link.Secret, owner(link))
		return feed.New(l.http, address), err
	}
	client, err := l.client(link)
	if err != nil {
		return nil, err
	}
	return client.Calendar(c.Address), nil
}

// Writer opens a calendar to be written.
func (l *Links) Writer(link store.Link, c store.Calendar) (source.Writer, error) {
	if link.Kind == store.FeedLink {
		return nil, ErrNoWriter
	}
	client, err := l.client(link)
	if err != nil {
		return nil, err
	}
	return client.Calendar(c.Address), nil
}

// client returns the client for the calendars of an account. It stays the same as
// long as the link does.
func (l *Links) client(link store.Link) (*caldav.Client, error) {
	l.mu.Lock()
	defer l.mu.Unlock()
	if known, ok := l.clients[link.ID]; ok && (link.ByConsent || bytes.Equal(known.sealed, link.Secret)) && known.home == link.Home {
		return known.Client, nil
	}
	made, err := l.account(link)
	if err == nil {
		made, err = made.Elsewhere(link.Home)
	}
	if err == nil {
		l.clients[link.ID] = client{link.Secret, link.Home, made}
	}
	return made, err
}

// account returns a client for the address of an account.
func (l *Links) account(link store.Link) (*caldav.Client, error) {
	if link.ByConsent {
		return caldav.NewClient(l.http, link.Address, source.Credentials{Tokens: tokens{l, link.ID}})
	}
	key, err := l.keeper.Open(link.Secret, owner(link))
	if err != nil {
		return nil, err
	}
	return caldav.NewClient(l.http, link.Address, source.Credentials{User: link.Username, Password: key})
}

func (l *Links) forget(id store.ID) {
	l.mu.Lock()
	defer l.mu.Unlock()
	delete(l.clients, id)
}

// Whole returns an address as it is asked for: what is given without a scheme is
// tried by https.
func Whole(address string) string {
	address = strings.TrimSpace(address)
	if !strings.Contains(address, "://") {
		address = "https://" + address
	}
	return address
}

// note adds to the trail what was done to a link: at which host and as whom, and never
// by which key. It is a thing of whose link it is.
func note(tx store.Tx, now span.Instant, deed string, link store.Link) error {
	name, err := tx.HostNamed(link)
	if err != nil {
		return err
	}
	if link.Username != "" {
		name = link.Username + " at " + name
	}
	return tx.Note(now, deed, "link", link.StaffID, name, nil, nil)
}

// hostOf returns the host of an address, the most of it that errors repeat.
func hostOf(address string) string {
	u, err := url.Parse(Whole(address))
	if err != nil || u.Host == "" {
		return "the address"
	}
	return strings.ToLower(u.Host)
}

// owner binds a secret to its account.
func owner(l store.Link) string { return l.Username + " " + l.Address }

// same reports whether two addresses of calendar homes mean one account: whatever
// their scheme, and with or without a slash at the end.
func same(a, b string) bool {
	key := func(address string) string {
		u, err := url.Parse(address)
		if err != nil {
			return address
		}
		host := strings.ToLower(u.Host)
		for _, standard := range []string{":443", ":80"} {
			host = strings.TrimSuffix(host, standard)
		}
		return host + strings.TrimSuffix(caldav.Path(u.EscapedPath()), "/")
	}
	return key(a) == key(b)
}
