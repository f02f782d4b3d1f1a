package link

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/span"
	"niche/internal/outbound"
	"niche/internal/outbox"
	"niche/internal/source"
	"niche/internal/source/caldav"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Add signs in at the address, finds the account's calendars, and keeps the
// link when that went well. All its calendars block time from then on, which is the safe
// side, and none gets bookings before that is chosen. An account
// that is linked already, however its address was spelled, is renewed in place: its
// choices stay.
func (l *Links) Add(ctx context.Context, staff store.ID, address, user, key string) (store.Link, error) {
	client, err := caldav.NewClient(l.http, address, source.Credentials{User: user, Password: key})
	if err != nil {
		return store.Link{}, err
	}
	account, err := client.Discover(ctx)
	if err != nil {
		return store.Link{}, fmt.Errorf("linking %s: %w", hostOf(address), err)
	}
	link := store.Link{StaffID: staff, Address: Whole(address), Username: user}
	link.Secret = l.keeper.Seal(key, owner(link))
	return l.keep(ctx, link, account, 0)
}

// keep keeps the link to an account that was found. One that is linked already is
// renewed in place; it must be a certain one, unless that is 0.
func (l *Links) keep(ctx context.Context, link store.Link, account source.Account, certain store.ID) (store.Link, error) {
	now := span.At(l.now())
	link.Wishes = store.Wishes{Drift: outbox.Ask, Clients: store.ClientsNamed}
	link.Kind, link.Principal, link.Home, link.Host, link.Mails = store.AccountLink, account.Principal, account.Home, hostOf(account.Home), append([]string{}, account.Mails...)
	link.ListedAt, link.TriedAt, link.NextAt, link.CreatedAt, link.Error = now, now, l.listAgain(now), now, moreThanTaken(account)
	err := l.db.Write(ctx, func(tx store.Tx) error {
		links, err := tx.LinksOf(link.StaffID)
		if err != nil {
			return err
		}
		deed := "linked"
		for _, o := range links {
			if o.Kind == store.AccountLink && (same(o.Home, link.Home) || o.Address == link.Address && o.Username == link.Username) {
				link.ID, link.CreatedAt, deed = o.ID, o.CreatedAt, "renewed"
				link.Wishes = o.Wishes
				break
			}
		}
		if certain != 0 && link.ID != certain {
			return ErrOtherAccount
		}
		if err := tx.SaveLink(&link); err != nil {
			return err
		}
		if err := keepCalendars(tx, link, account, deed == "linked"); err != nil {
			return err
		}
		return errors.Join(tx.ReadAllSoon(link.StaffID), note(tx, now, deed, link))
	})
	if err != nil {
		return link, fmt.Errorf("keeping the link to %s: %w", link.Host, err)
	}
	l.forget(link.ID)
	l.hosts.Answered(link.Host)
	return link, nil
}

// ErrOtherAccount says that a host answered as another account than the link's.
var ErrOtherAccount = errors.New("this is another account")

// ErrByConsent says that a link has no password that could be given anew: its owner signs
// in at the host again.
var ErrByConsent = errors.New("this link was made by signing in at the host")

// Renew gives a link a new key: an account a new app password, a feed a new address,
// which can be at another host. Its calendars, what they are for and the copies in them
// stay.
func (l *Links) Renew(ctx context.Context, id store.ID, key string) (store.Link, error) {
	link, err := l.db.Read(ctx).Link(id)
	if err != nil {
		return link, err
	}
	if link.Closing {
		return link, store.ErrNotFound
	}
	if link.ByConsent {
		return link, ErrByConsent
	}
	if link.Kind == store.AccountLink {
		renewed, err := l.Add(ctx, link.StaffID, link.Address, link.Username, key)
		if err == nil && renewed.ID != id {
			err = ErrOtherAccount
		}
		return renewed, err
	}
	renewed, name, err := l.lookAtFeed(ctx, link.StaffID, key)
	if err != nil {
		return link, err
	}
	err = l.db.Write(ctx, func(tx store.Tx) error {
		if link, err = tx.Link(id); err != nil {
			return err
		}
		renewed.ID, renewed.CreatedAt = id, link.CreatedAt
		return keepFeed(tx, &renewed, name, "renewed", span.At(l.now()))
	})
	if err != nil {
		return link, fmt.Errorf("renewing the link to a feed of %s: %w", renewed.Host, err)
	}
	return renewed, nil
}

// ErrNotLocated says that nobody knows where the calendars of a mail address are.
var ErrNotLocated = errors.New("its calendar host is not known")

// Elsewhere says that the host of a mail address is found in another domain than the
// address is: the DNS says so, which anybody on the way can have written, so that it is
// asked for before a password is sent there (RFC 6764, section 8).
type Elsewhere struct{ Host string }

// Error names the host.
func (e Elsewhere) Error() string { return "the mail address has its calendars at " + e.Host }

// Find links the account of a mail address whose host nobody has named: at the host that
// the business knows for its domain, or else where the DNS says. Agreed is a host in
// another domain that is right.
func (l *Links) Find(ctx context.Context, staff store.ID, mail, key, agreed string) (store.Link, error) {
	at := strings.LastIndex(mail, "@")
	domain := strings.ToLower(mail[at+1:])
	if at < 1 || !strings.Contains(strings.Trim(domain, "."), ".") || strings.ContainsAny(domain, "/:[] ") {
		return store.Link{}, ErrNotLocated
	}
	hosts, err := l.db.Read(ctx).Hosts()
	if err != nil {
		return store.Link{}, err
	}
	if i := slices.IndexFunc(hosts, func(h store.Host) bool { return slices.Contains(h.Domains, domain) }); i >= 0 {
		return l.addAs(ctx, staff, hosts[i].Address, mail, key)
	}
	looking, cancel := context.WithTimeout(ctx, locatedWithin)
	defer cancel()
	addresses, err := caldav.Locate(looking, l.Names, domain)
	if err != nil {
		return store.Link{}, errors.Join(ErrNotLocated, err)
	}
	var last error
	for _, address := range addresses {
		host := hostOf(address)
		if name, _, _ := strings.Cut(host, ":"); name != domain && !strings.HasSuffix(name, "."+domain) && host != agreed {
			return store.Link{}, Elsewhere{host}
		}
		link, err := l.addAs(ctx, staff, address, mail, key)
		switch outbound.KindOf(err) {
		case outbound.NotReached, outbound.NoSuchHost, outbound.BadAddress, outbound.NotServed, outbound.NotThere:
			last = err // the next one may do
		default:
			return link, err
		}
	}
	return store.Link{}, errors.Join(ErrNotLocated, last)
}

// addAs links the account of a mail address: as a user of that name, or else of the part
// before the @ (RFC 6764, section 6).
func (l *Links) addAs(ctx context.Context, staff store.ID, address, mail, key string) (store.Link, error) {
	link, err := l.Add(ctx, staff, address, mail, key)
	if outbound.KindOf(err) != outbound.WrongKey {
		return link, err
	}
	if link, other := l.Add(ctx, staff, address, mail[:strings.LastIndex(mail, "@")], key); other == nil {
		return link, nil
	}
	return link, err
}

// locatedWithin is how long it is looked for where the calendars of a mail address are.
const locatedWithin = 5 * time.Second

// keepCalendars brings the stored calendars of a link up to date, found again
// by their paths. One that the account has no more is forgotten when it was for
// nothing; otherwise it stays, and its next reading says that it has gone.
//
// Of a new link all block time: what is forgotten there sells nobody's busy hour.
func keepCalendars(tx store.Tx, link store.Link, found source.Account, fresh bool) error {
	known, err := tx.CalendarsOf(link.ID)
	if err != nil {
		return err
	}
	for _, f := range found.Calendars {
		i := slices.IndexFunc(known, func(c store.Calendar) bool { return caldav.Path(c.Href) == f.Path })
		if i < 0 {
			c := store.Calendar{Blocks: fresh, Watched: fresh, LinkID: link.ID, Href: f.Path, Address: f.Address, Name: f.Name, Colour: f.Colour, CanWrite: f.CanWrite, State: store.Waiting}
			if err := tx.SaveCalendar(&c); err != nil {
				return err
			}
			continue
		}
		c := known[i]
		known = slices.Delete(known, i, i+1)
		c.Href, c.Address, c.Name, c.Colour, c.CanWrite = f.Path, f.Address, f.Name, f.Colour, f.CanWrite
		if err := tx.SaveListed(c); err != nil {
			return err
		}
	}
	for _, c := range known {
		copies, err := tx.CopiesIn(c.ID, 0)
		if err != nil {
			return err
		}
		if c.Blocks || c.GetsBookings || len(copies) > 0 || slices.Contains(found.Unclear, caldav.Path(c.Href)) {
			continue
		}
		if err := tx.DeleteCalendar(c.ID); err != nil {
			return err
		}
	}
	return nil
}

// listEvery is how often an account's calendars are listed, to see new ones and
// those that were renamed or deleted.
const listEvery span.Minutes = 60

func (l *Links) listAgain(now span.Instant) span.Instant { return now.Add(listEvery) }

// Pauses between tries that fail for the account's own reasons.
const (
	firstPause   = time.Minute
	longestPause = time.Hour
)

// Queue returns the accounts as work: each is listed again from time to time, and one
// that is closing is forgotten once nothing of it is outside any more.
func (l *Links) Queue(changed func()) work.Queue {
	return work.Queue{Name: "accounts", Store: store.AccountQueue,
		Do: func(ctx context.Context, id store.ID) error {
			err := l.list(ctx, id)
			changed()
			return err
		},
		Forward: func(tx store.Tx, host string, now span.Instant) error { return tx.AccountsForward(host, now) }}
}

// moreThanTaken says that an account has more calendars than are taken; empty where it has
// not.
func moreThanTaken(a source.Account) string {
	if a.More == 0 {
		return ""
	}
	return fmt.Sprintf("This account has %d calendars, of which %d are taken: what is in the others blocks no time.", len(a.Calendars)+a.More, len(a.Calendars))
}

// Account asks the host of an account what it has, without keeping that.
func (l *Links) Account(ctx context.Context, link store.Link) (source.Account, error) {
	client, err := l.account(link)
	if err != nil {
		return source.Account{}, err
	}
	account, err := client.Account(ctx, link.Principal)
	if err == nil {
		l.hosts.Answered(link.Host)
	}
	return account, err
}

func (l *Links) list(ctx context.Context, id store.ID) error {
	link, err := l.db.Read(ctx).Link(id)
	if err != nil {
		return fmt.Errorf("listing the calendars of link %d: %w", id, err)
	}
	if link.Closing {
		return l.close(ctx, link)
	}
	began, failedBefore := l.now(), time.Time{}
	if link.Failures > 0 {
		failedBefore = link.TriedAt.Time()
	}
	account, err := l.Account(ctx, link)
	if ctx.Err() != nil {
		return ctx.Err()
	}
	now := span.At(l.now())
	link.TriedAt = now
	if err == nil {
		link.Mails, link.Home, link.Host = append([]string{}, account.Mails...), account.Home, hostOf(account.Home)
		link.ListedAt, link.NextAt, link.Failures, link.Error = now, l.listAgain(now), 0, moreThanTaken(account)
		return l.db.Write(ctx, func(tx store.Tx) error {
			return errors.Join(tx.NoteListing(link), keepCalendars(tx, link, account, false))
		})
	}
	err = fmt.Errorf("listing the calendars of link %d at %s: %w", id, link.Host, err)
	pause := max(work.Pause(firstPause, link.Failures, longestPause), outbound.RetryAfter(err))
	if outbound.IsSilence(err) && l.hosts.Silent(link.Host, began, failedBefore, outbound.RetryAfter(err)) {
		pause = 0
	}
	if outbound.HasAnswered(err) {
		l.hosts.Answered(link.Host)
	}
	link.Failures, link.Error, link.NextAt = link.Failures+1, words.Of(err).Text+" New calendars of this account would not be seen.", span.NotBefore(l.now().Add(pause))
	return errors.Join(err, l.db.Write(ctx, func(tx store.Tx) error { return tx.NoteListing(link) }))
}
