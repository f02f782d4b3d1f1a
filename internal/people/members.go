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

// Invite asks a staff member to link a calendar, and returns the token of the address
// behind which they do. An address of before ends.
func (p *People) Invite(ctx context.Context, staff store.ID) (token string, err error) {
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
		return errors.Join(
			tx.SaveInvitation(store.Invitation{StaffID: staff, TokenHash: &hash, AskedAt: now, ExpiresAt: now + span.Instant(invitedFor/time.Second)}),
			tx.Note(now, "invited", "staff", staff, m.Name, nil, nil))
	})
	if err != nil {
		return "", fmt.Errorf("inviting staff %d: %w", staff, err)
	}
	return token, nil
}

// Withdraw ends an invitation that nobody has used yet.
func (p *People) Withdraw(ctx context.Context, staff store.ID) error {
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
		return errors.Join(tx.WithdrawInvitation(staff), tx.Note(p.now(), "withdrew the invitation of", "staff", staff, m.Name, nil, nil))
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
