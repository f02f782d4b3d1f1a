package people

import (
	"context"
	"errors"
	"fmt"
	"time"

	"niche/core/span"
	"niche/internal/secret"
	"niche/internal/store"
)

// invitedFor is how long an invitation to link is open.
const invitedFor = 7 * 24 * time.Hour

// ErrArchived says that somebody is not in use, and so cannot be asked for anything.
var ErrArchived = errors.New("this person is not in use")

// member returns whose a session of a staff member is, if it has not ended.
func (p *People) member(db store.Tx, s store.Session, now span.Instant) (Principal, error) {
	if ended(s.SeenAt, memberIdleFor, now) {
		return Principal{}, store.ErrNotFound
	}
	m, err := db.Staff(*s.StaffID)
	if err == nil && m.ArchivedAt > 0 {
		err = store.ErrNotFound
	}
	return Principal{Role: RoleStaff, ID: m.ID, Name: m.Name, Mail: m.Email, Session: s.ID}, err
}

// Telling says somebody, in the transaction in which a token is made for them, where it
// leads and when it ends.
type Telling func(tx store.Tx, to store.Staff, token string, ends span.Instant) error

// Invite asks a staff member to link a calendar, and returns the token of the address
// behind which they do. An address of before ends. Tell can be nil.
func (p *People) Invite(ctx context.Context, staff store.ID, tell Telling) (token string, err error) {
	token = secret.New()
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		m, err := tx.Staff(staff)
		if err != nil {
			return err
		}
		if m.ArchivedAt > 0 {
			return ErrArchived
		}
		now, hash := p.now(), secret.Hash(token)
		ends := now + span.Instant(invitedFor/time.Second)
		if tell != nil {
			err = tell(tx, m, token, ends)
		}
		return errors.Join(err,
			tx.SaveInvitation(store.Invitation{StaffID: staff, TokenHash: &hash, AskedAt: now, ExpiresAt: ends}),
			tx.Note(now, "invited", "staff", staff, m.Name, nil, nil))
	})
	if err != nil {
		return "", fmt.Errorf("inviting staff %d: %w", staff, err)
	}
	return token, nil
}

// Withdraw ends an invitation that nobody has used yet. Also is done with it.
func (p *People) Withdraw(ctx context.Context, staff store.ID, also func(tx store.Tx) error) error {
	return p.DB.Write(ctx, func(tx store.Tx) error {
		i, err := tx.Invitation(staff)
		if err != nil {
			return err
		}
		m, err := tx.Staff(staff)
		if err != nil {
			return err
		}
		if i.TokenHash == nil {
			return ErrNoWayIn
		}
		return errors.Join(also(tx), tx.WithdrawInvitation(staff), tx.Note(p.now(), "withdrew the invitation of", "staff", staff, m.Name, nil, nil))
	})
}

// Invited is for whom an invitation is, and until when.
type Invited struct {
	Staff store.Staff
	Until span.Instant
}

// InvitedBy returns for whom the address with a token is. Nothing is used up by it.
func (p *People) InvitedBy(ctx context.Context, token string) (Invited, error) {
	m, i, err := p.invited(p.DB.Read(ctx), token)
	return Invited{m, i.ExpiresAt}, err
}

func (p *People) invited(tx store.Tx, token string) (store.Staff, store.Invitation, error) {
	i, err := tx.InvitationBehind(secret.Hash(token), p.now())
	if errors.Is(err, store.ErrNotFound) {
		return store.Staff{}, i, ErrNoWayIn
	}
	if err != nil {
		return store.Staff{}, i, err
	}
	m, err := tx.Staff(i.StaffID)
	if err == nil && m.ArchivedAt > 0 {
		err = ErrNoWayIn
	}
	return m, i, err
}

// Accept uses an invitation up: whoever shows its token is signed in as its staff member.
func (p *People) Accept(ctx context.Context, token string, from Browser) (in In, err error) {
	m, err := p.InvitedBy(ctx, token)
	if err != nil {
		return in, err
	}
	in.Principal = Principal{Role: RoleStaff, ID: m.Staff.ID, Name: m.Staff.Name, Mail: m.Staff.Email}
	err = p.DB.Write(store.By(ctx, doer(in.Principal, from)), func(tx store.Tx) error {
		m, i, err := p.invited(tx, token)
		if err != nil {
			return err
		}
		i.TokenHash, i.OpenedAt, i.DeclinedAt, i.Why = nil, p.now(), 0, ""
		if err := errors.Join(tx.SaveInvitation(i), tx.Note(p.now(), "came in", "staff", m.ID, m.Name, nil, nil)); err != nil {
			return err
		}
		in.Token, in.Session, err = p.session(tx, store.Owner{StaffID: m.ID}, from)
		return err
	})
	return in, err
}

// Decline answers an invitation with no: its address ends. Why may be empty.
func (p *People) Decline(ctx context.Context, token, why string, from Browser) error {
	who, err := p.InvitedBy(ctx, token)
	if err != nil {
		return err
	}
	by := doer(Principal{Role: RoleStaff, ID: who.Staff.ID, Name: who.Staff.Name}, from)
	return p.DB.Write(store.By(ctx, by), func(tx store.Tx) error {
		m, i, err := p.invited(tx, token)
		if err != nil {
			return err
		}
		i.TokenHash, i.DeclinedAt, i.Why = nil, p.now(), why
		return errors.Join(tx.SaveInvitation(i), tx.Note(p.now(), "declined", "staff", m.ID, m.Name, nil, nil))
	})
}

// Limits on one-time addresses.
const (
	oneTimeFor  = 15 * time.Minute
	oneTimesFew = 3  // in that time, for one person
	oneTimesDay = 12 // in a day, until one of them was used
)

// day is a day in seconds.
const day span.Instant = 24 * 60 * 60

// AskedSeconds is how long a browser keeps what tells that it has asked.
const AskedSeconds = int(oneTimeFor / time.Second)

// AskIn makes one-time addresses for the staff members with a mail address, and returns
// what the browser keeps on which they were asked for: without it they are worth nothing.
// Whether anybody has the mail address cannot be told from the outside. Who has asked
// several times in a quarter of an hour, or often in a day, gets no more: nobody's mailbox
// is filled by it.
func (p *People) AskIn(ctx context.Context, mail string, tell Telling) (asked string, err error) {
	asked = secret.New()
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		staff, err := tx.StaffByMail(mail)
		if err != nil {
			return err
		}
		now := p.now()
		ends := now + span.Instant(oneTimeFor/time.Second)
		if err := tx.ForgetOneTimes(now - day); err != nil {
			return err
		}
		for _, m := range staff {
			lately, err := tx.OneTimesOf(m.ID, now-span.Instant(oneTimeFor/time.Second))
			if err != nil {
				return err
			}
			today, err := tx.OneTimesOf(m.ID, now-day)
			if err != nil {
				return err
			}
			if lately >= oneTimesFew || today >= oneTimesDay {
				continue
			}
			token := secret.New()
			if err := errors.Join(tx.AddOneTime(store.OneTime{TokenHash: secret.Hash(token), StaffID: m.ID, BrowserHash: secret.Hash(asked), MadeAt: now, ExpiresAt: ends}), tell(tx, m, token, ends)); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return "", fmt.Errorf("making a one-time address: %w", err)
	}
	return asked, nil
}

// ErrOtherBrowser says that a one-time address was asked for on another browser.
var ErrOtherBrowser = errors.New("this address was asked for on another browser")

// ComeInBy signs in by a one-time address, and uses it and all others of the same person
// up. Asked is what the browser keeps.
func (p *People) ComeInBy(ctx context.Context, token, asked string, from Browser) (in In, err error) {
	db := p.DB.Read(ctx)
	known, m, err := p.oneTime(db, token)
	if err != nil {
		return in, err
	}
	if secret.Hash(asked) != known.BrowserHash {
		return in, ErrOtherBrowser
	}
	in.Principal = Principal{Role: RoleStaff, ID: m.ID, Name: m.Name, Mail: m.Email}
	err = p.DB.Write(store.By(ctx, doer(in.Principal, from)), func(tx store.Tx) error {
		if _, _, err := p.oneTime(tx, token); err != nil {
			return err
		}
		if err := errors.Join(tx.EndOneTimes(m.ID), tx.Note(p.now(), "came in", "staff", m.ID, m.Name, nil, nil)); err != nil {
			return err
		}
		in.Token, in.Session, err = p.session(tx, store.Owner{StaffID: m.ID}, from)
		return err
	})
	return in, err
}

// oneTime returns a one-time address that is good, and whose it is.
func (p *People) oneTime(tx store.Tx, token string) (store.OneTime, store.Staff, error) {
	o, err := tx.OneTime(secret.Hash(token), p.now())
	if errors.Is(err, store.ErrNotFound) {
		return o, store.Staff{}, ErrNoWayIn
	}
	if err != nil {
		return o, store.Staff{}, err
	}
	m, err := tx.Staff(o.StaffID)
	if err == nil && m.ArchivedAt > 0 {
		err = ErrNoWayIn
	}
	return o, m, err
}
