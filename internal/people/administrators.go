package people

import (
	"context"
	"crypto/hmac"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"

	"niche/core/span"
	"niche/internal/secret"
	"niche/internal/store"
)

// codeFile is the name of the file with the set-up code.
const codeFile = "setup-code"

// SetUpCode returns the code that the first administrator has to give, and the file in
// the data folder, read by its owner alone, in which it lies. It is empty once there is
// an administrator; the file goes then.
func (p *People) SetUpCode(ctx context.Context) (code, file string, err error) {
	file = filepath.Join(p.Folder, codeFile)
	n, err := p.DB.Read(ctx).AdministratorCount()
	if err != nil {
		return "", file, fmt.Errorf("looking for an administrator: %w", err)
	}
	if n > 0 {
		if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return "", file, fmt.Errorf("removing the set-up code: %w", err)
		}
		return "", file, nil
	}
	text, err := os.ReadFile(file)
	if code = strings.TrimSpace(string(text)); err == nil && len(bare(code)) >= 12 {
		return code, file, os.Chmod(file, 0o600)
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", file, fmt.Errorf("reading the set-up code: %w", err)
	}
	c := secret.Code(12)
	code = c[:4] + "-" + c[4:8] + "-" + c[8:]
	if err := os.WriteFile(file, []byte(code+"\n"), 0o600); err != nil {
		return "", file, fmt.Errorf("keeping the set-up code: %w", err)
	}
	return code, file, os.Chmod(file, 0o600)
}

// SetUp makes the business and its first administrator, for who has the set-up code.
func (p *People) SetUp(ctx context.Context, code string, business store.Business, name, email, password string, from Browser) (In, error) {
	want, _, err := p.SetUpCode(ctx)
	if err != nil {
		return In{}, err
	}
	if want == "" {
		return In{}, ErrSetUp
	}
	key := "set-up " + from.Network
	if wait := p.wrongs.Try(key); wait > 0 {
		return In{}, TooSoon{wait}
	}
	if !hmac.Equal([]byte(bare(code)), []byte(bare(want))) {
		p.wrongs.Wrong(key)
		return In{}, ErrSetUpCode
	}
	a := store.Administrator{Name: name, Email: email, CreatedAt: p.now()}
	if a.PasswordHash, err = p.choose(ctx, password, from, business.Name, name, email); err != nil {
		return In{}, err
	}
	var in In
	err = p.DB.Write(store.By(ctx, doer(who(a, 0), from)), func(tx store.Tx) error {
		n, err := tx.AdministratorCount()
		if err == nil && n > 0 {
			err = ErrSetUp
		}
		if err != nil {
			return err
		}
		if err := tx.SaveBusiness(business); err != nil {
			return err
		}
		if err := tx.SaveAdministrator(&a); err != nil {
			return err
		}
		if err := tx.Note(p.now(), "set up", "settings", 0, business.Name, nil, nil); err != nil {
			return err
		}
		in, err = p.begin(tx, a, from)
		return err
	})
	if err == nil {
		_, _, err = p.SetUpCode(ctx) // which removes the file
	}
	return in, err
}

// choose returns the hash of a new password, if it is strong.
func (p *People) choose(ctx context.Context, password string, from Browser, words ...string) (string, error) {
	if err := strong(password, append(words, "niche")...); err != nil {
		return "", err
	}
	release, err := p.hashing.take(ctx, from.Network, true)
	if err != nil {
		return "", err
	}
	defer release()
	return hashed(password, p.HashCost)
}

// Listed is an administrator as the others see them.
type Listed struct {
	store.Administrator
	Invited span.Instant // until when their way in is open, or 0
	SeenAt  span.Instant // when they were last there, or 0
}

// List returns all administrators.
func (p *People) List(ctx context.Context) ([]Listed, error) {
	db := p.DB.Read(ctx)
	all, err := db.Administrators()
	if err != nil {
		return nil, err
	}
	ways, err := db.WaysIn(p.now())
	if err != nil {
		return nil, err
	}
	open := map[store.ID]span.Instant{}
	for _, w := range ways {
		open[w.AdministratorID] = w.ExpiresAt
	}
	out := make([]Listed, len(all))
	for i, a := range all {
		out[i] = Listed{Administrator: a, Invited: open[a.ID]}
		sessions, err := db.SessionsOf(store.Owner{AdministratorID: a.ID})
		if err != nil {
			return nil, err
		}
		if len(sessions) > 0 {
			out[i].SeenAt = sessions[0].SeenAt
		}
	}
	return out, nil
}

// said is what the trail keeps of an administrator.
type said struct {
	Name  string `json:"name"`
	Email string `json:"email"`
}

// Add adds an administrator, who comes in by the token of a one-time address.
func (p *People) Add(ctx context.Context, name, email string) (id store.ID, token string, err error) {
	a := store.Administrator{Name: name, Email: email, CreatedAt: p.now()}
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		n, err := tx.AdministratorCount()
		if err != nil {
			return err
		}
		if n >= store.MaxAdministrators {
			return ErrTooMany
		}
		if err := free(tx, email, 0); err != nil {
			return err
		}
		if err := tx.SaveAdministrator(&a); err != nil {
			return err
		}
		if token, err = p.open(tx, a.ID); err != nil {
			return err
		}
		return tx.Note(p.now(), "added", "administrator", a.ID, a.Name, nil, said{name, email})
	})
	return a.ID, token, err
}

// free checks that nobody else has a mail address.
func free(tx store.Tx, email string, but store.ID) error {
	other, err := tx.AdministratorByMail(email)
	switch {
	case store.IsMissing(err):
		return nil
	case err == nil && other.ID != but:
		return ErrMailTaken
	}
	return err
}

// Change changes an administrator's name and mail address, over a version of them.
func (p *People) Change(ctx context.Context, id store.ID, over store.Expected, name, email string) error {
	return p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(id)
		if err != nil {
			return err
		}
		if _, err := tx.Meet(over); err != nil {
			return err
		}
		if err := free(tx, email, id); err != nil {
			return err
		}
		before := said{a.Name, a.Email}
		a.Name, a.Email = name, email
		if err := tx.SaveAdministrator(&a); err != nil {
			return err
		}
		return tx.Note(p.now(), "changed", "administrator", id, a.Name, before, said{name, email})
	})
}

// open makes a one-time address, in place of any other of the same person.
func (p *People) open(tx store.Tx, id store.ID) (token string, err error) {
	token = secret.New()
	return token, tx.SaveWayIn(store.WayIn{TokenHash: secret.Hash(token), AdministratorID: id, CreatedAt: p.now(), ExpiresAt: p.now().Add(span.Minutes(wayInFor.Minutes()))})
}

// AskAgain makes a new one-time address for an administrator who has not come in yet.
// One who has gets a new password by the operator's hand only, or by their own.
func (p *People) AskAgain(ctx context.Context, id store.ID) (token string, err error) {
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(id)
		if err != nil {
			return err
		}
		if a.PasswordHash != "" {
			return ErrNoWayIn
		}
		if token, err = p.open(tx, id); err != nil {
			return err
		}
		return tx.Note(p.now(), "asked again", "administrator", id, a.Name, nil, nil)
	})
	return token, err
}

// Remove removes an administrator; the last one who can sign in stays.
func (p *People) Remove(ctx context.Context, id store.ID) error {
	err := p.DB.Write(ctx, func(tx store.Tx) error {
		all, err := tx.Administrators()
		if err != nil {
			return err
		}
		var gone store.Administrator
		others := 0
		for _, a := range all {
			if a.ID == id {
				gone = a
			} else if a.PasswordHash != "" {
				others++
			}
		}
		if gone.ID == 0 {
			return store.ErrNotFound
		}
		if others == 0 {
			return ErrLast
		}
		if err := tx.RemoveAdministrator(id); err != nil {
			return err
		}
		return tx.Note(p.now(), "removed", "administrator", id, gone.Name, said{gone.Name, gone.Email}, nil)
	})
	p.sessions()
	return err
}

// Behind returns for whom a one-time address is.
func (p *People) Behind(ctx context.Context, token string) (store.Administrator, error) {
	return behind(p.DB.Read(ctx), token, p.now())
}

func behind(tx store.Tx, token string, now span.Instant) (store.Administrator, error) {
	w, err := tx.WayIn(secret.Hash(token), now)
	if store.IsMissing(err) {
		return store.Administrator{}, ErrNoWayIn
	}
	if err != nil {
		return store.Administrator{}, err
	}
	return tx.Administrator(w.AdministratorID)
}

// ComeIn uses a one-time address up: its owner chooses a password, and is signed in.
// Whoever was signed in as them is no more.
func (p *People) ComeIn(ctx context.Context, token, password string, from Browser) (In, error) {
	a, err := p.Behind(ctx, token)
	if err != nil {
		return In{}, err
	}
	business, err := p.DB.Read(ctx).Business()
	if err != nil {
		return In{}, err
	}
	chosen, err := p.choose(ctx, password, from, business.Name, a.Name, a.Email)
	if err != nil {
		return In{}, err
	}
	var in In
	err = p.DB.Write(store.By(ctx, doer(who(a, 0), from)), func(tx store.Tx) error {
		if a, err = behind(tx, token, p.now()); err != nil { // it may have been used meanwhile
			return err
		}
		a.PasswordHash = chosen
		if err := errors.Join(tx.SaveAdministrator(&a), tx.EndWayIn(a.ID), tx.EndSessions(store.Owner{AdministratorID: a.ID}), tx.Note(p.now(), "came in", "administrator", a.ID, a.Name, nil, nil)); err != nil {
			return err
		}
		in, err = p.begin(tx, a, from)
		return err
	})
	p.sessions()
	return in, err
}

// doer is whom the trail names for somebody.
func doer(who Principal, from Browser) store.Doer {
	return store.Doer{Role: string(who.Role), ID: who.ID, Name: who.Name, Origin: from.Network}
}

// Repass changes somebody's own password. All their sessions end, and a new one begins
// here.
func (p *People) Repass(ctx context.Context, me Principal, password string, from Browser) (In, error) {
	business, err := p.DB.Read(ctx).Business()
	if err != nil {
		return In{}, err
	}
	chosen, err := p.choose(ctx, password, from, business.Name, me.Name, me.Mail)
	if err != nil {
		return In{}, err
	}
	var in In
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(me.ID)
		if err != nil {
			return err
		}
		a.PasswordHash = chosen
		if err := errors.Join(tx.SaveAdministrator(&a), tx.EndSessions(store.Owner{AdministratorID: a.ID}), tx.Note(p.now(), "changed the password", "administrator", a.ID, a.Name, nil, nil)); err != nil {
			return err
		}
		in, err = p.begin(tx, a, from)
		return err
	})
	p.sessions()
	return in, err
}

// endOthers ends all of somebody's sessions but the one they are in.
func endOthers(tx store.Tx, me Principal) error {
	all, err := tx.SessionsOf(me.Owner())
	if err != nil {
		return err
	}
	for _, s := range all {
		if s.ID != me.Session {
			if err := tx.EndSession(me.Owner(), s.ID); err != nil {
				return err
			}
		}
	}
	return nil
}

// EndOthers ends all of somebody's sessions but the one they are in.
func (p *People) EndOthers(ctx context.Context, me Principal) error {
	err := p.DB.Write(ctx, func(tx store.Tx) error { return endOthers(tx, me) })
	p.sessions()
	return err
}

// Reset makes a one-time address for an administrator who cannot get in any more: the
// password, the second factor and all sessions end.
func (p *People) Reset(ctx context.Context, email string) (token string, err error) {
	err = p.DB.Write(store.By(ctx, store.Doer{Role: string(RoleOperator), Name: "the operator"}), func(tx store.Tx) error {
		a, err := tx.AdministratorByMail(strings.ToLower(strings.TrimSpace(email)))
		if err != nil {
			return err
		}
		if err := p.dropFactor(tx, a); err != nil {
			return err
		}
		a.PasswordHash, a.SecondFactor, a.LastStep = "", nil, 0
		if err := errors.Join(tx.SaveAdministrator(&a), tx.EndSessions(store.Owner{AdministratorID: a.ID}), tx.Note(p.now(), "reset", "administrator", a.ID, a.Name, nil, nil)); err != nil {
			return err
		}
		token, err = p.open(tx, a.ID)
		return err
	})
	return token, err
}
