package people

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/span"
	"niche/internal/store"
)

// freshFor is how long after coming in by an address somebody chooses a password without
// giving the one before, which they may have forgotten.
const freshFor = 15 * time.Minute

// ErrNoMail says that somebody has no mail address to sign in with.
var ErrNoMail = errors.New("there is no mail address to sign in with")

func staffAccount(m store.Staff) account {
	return account{fmt.Sprintf("staff %d", m.ID), m.PasswordHash}
}

// SignInOwn lets a staff member in to their own pages by mail address and password.
// Several people can have one mail address: whose password it is comes in.
func (p *People) SignInOwn(ctx context.Context, email, password string, from Browser) (in In, err error) {
	email = strings.ToLower(strings.TrimSpace(email))
	team, err := p.DB.Read(ctx).StaffByMail(email)
	if err != nil {
		return in, err
	}
	team = slices.DeleteFunc(team, func(m store.Staff) bool { return m.PasswordHash == "" })
	if len(team) == 0 {
		_, err := p.knows(ctx, email, password, from, account{}) // nobody's takes as long
		return in, err
	}
	var m store.Staff
	var key string
	for _, m = range team {
		if key, err = p.knows(ctx, email, password, from, staffAccount(m)); !errors.Is(err, ErrWrong) {
			break
		}
	}
	if err != nil {
		return in, err
	}
	in.Principal = Principal{Role: RoleStaff, ID: m.ID, Name: m.Name, Mail: m.Email}
	err = p.DB.Write(store.By(ctx, doer(in.Principal, from)), func(tx store.Tx) error {
		now, err := tx.Staff(m.ID)
		if err != nil {
			return err
		}
		if now.PasswordHash != m.PasswordHash || now.ArchivedAt > 0 { // meanwhile
			return ErrWrong
		}
		in.Token, in.Session, err = p.session(tx, store.Owner{StaffID: m.ID}, from)
		return errors.Join(err, tx.Note(p.now(), "came in", "staff", m.ID, m.Name, nil, nil))
	})
	in.Known = p.known(staffAccount(m))
	p.wrongs.Right(key)
	return in, err
}

// RepassOwn gives a staff member a password, another one, or with an empty one none any
// more. The one before is asked for, unless they have just come in by an address. All
// their sessions end, and a new one begins here.
func (p *People) RepassOwn(ctx context.Context, me Principal, before, password string, from Browser) (in In, err error) {
	db := p.DB.Read(ctx)
	m, err := db.Staff(me.ID)
	if err != nil {
		return in, err
	}
	if m.Email == "" && password != "" {
		return in, ErrNoMail
	}
	fresh, err := p.isFresh(db, me)
	if err != nil {
		return in, err
	}
	if m.PasswordHash != "" && !fresh {
		key := fmt.Sprintf("session %d", me.Session)
		if err := p.proves(ctx, key, staffAccount(m), before, from.Network, true); err != nil {
			return in, err
		}
		p.wrongs.Right(key)
	}
	chosen := ""
	if password != "" {
		business, err := db.Business()
		if err != nil {
			return in, err
		}
		if chosen, err = p.choose(ctx, password, from, business.Name, m.Name, m.Email); err != nil {
			return in, err
		}
	}
	what := "changed the password"
	if chosen == "" {
		what = "gave up the password"
	}
	in.Principal = me
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		if m, err = tx.Staff(me.ID); err != nil {
			return err
		}
		m.PasswordHash = chosen
		owner := me.Owner()
		if err := errors.Join(tx.SaveStaff(&m), tx.EndSessions(owner), tx.Note(p.now(), what, "staff", m.ID, m.Name, nil, nil)); err != nil {
			return err
		}
		in.Token, in.Session, err = p.session(tx, owner, from)
		return err
	})
	in.Known = p.known(staffAccount(m))
	p.sessions()
	return in, err
}

// isFresh reports whether somebody has just come in by an address, and so has shown
// already that they are who they are.
func (p *People) isFresh(db store.Tx, me Principal) (bool, error) {
	list, err := db.SessionsOf(me.Owner())
	for _, s := range list {
		if s.ID == me.Session {
			return p.now() < s.CreatedAt+span.Instant(freshFor/time.Second), err
		}
	}
	return false, err
}
