// Package people knows who may come in to the desk, and how: the first administrator
// by the set-up code, others by a one-time address, everybody by a password and, where
// wanted, a second factor; and for how long a browser stays signed in.
//
// It owns the records of administrators and sessions. What somebody who is in may do is
// declared by each operation of the API.
package people

import (
	"context"
	"crypto/hmac"
	"errors"
	"fmt"
	"net/mail"
	"strconv"
	"strings"
	"time"

	"niche/core/span"
	"niche/internal/allow"
	"niche/internal/secret"
	"niche/internal/store"
)

// Role is what somebody is to the business.
type Role string

// The roles.
const (
	RoleAdministrator Role = "administrator"
	RoleStaff         Role = "staff"
	RoleClient        Role = "client"
	RoleIntegrator    Role = "integrator"
	RoleOperator      Role = "operator" // whoever has the server's own shell
)

// Principal is who asks. The zero value is anyone.
type Principal struct {
	Role    Role
	ID      store.ID // of the administrator, or of the staff member
	Name    string
	Mail    string
	Session store.ID
}

// Owner is whose sessions are theirs.
func (p Principal) Owner() store.Owner {
	if p.Role == RoleStaff {
		return store.Owner{StaffID: p.ID}
	}
	return store.Owner{AdministratorID: p.ID}
}

// Browser is where somebody signs in from.
type Browser struct {
	Network string // as allow.Network tells them apart
	Device  string // what the browser says of itself, in a few words
	Known   string // what an earlier good sign-in left in it
	Asked   string // what asking for a one-time address left in it
}

// Vault seals secrets, and makes tokens that only it can make.
type Vault interface {
	Seal(secret, owner string) []byte
	Open(sealed []byte, owner string) (string, error)
	Derive(purpose, text string) string
}

// People lets people in.
type People struct {
	DB       *store.DB
	Vault    Vault
	Now      func() time.Time
	Folder   string // the data folder, in which the set-up code lies
	HashCost int    // the work of hashing a password, as a power of two; bcrypt's own when 0
	wrongs   *allow.Table
	hashing  *slots
	sessions func() // tells that some session has ended
}

// New returns the people in a database. Whenever a session ends before its time, ended
// is called.
func New(db *store.DB, vault Vault, folder string, now func() time.Time, ended func()) *People {
	return &People{DB: db, Vault: vault, Now: now, Folder: folder, wrongs: allow.New(20_000, now), hashing: newSlots(), sessions: ended}
}

// TooSoon says that after wrong tries, or while too many others try from the same
// network, the next try has to wait.
type TooSoon struct{ Wait time.Duration }

// Error says for how long.
func (t TooSoon) Error() string { return fmt.Sprintf("the next try is in %s", t.Wait) }

// The reasons for which somebody does not come in, or may not do something.
var (
	ErrWrong       = errors.New("mail address and password do not belong together")
	ErrNoCode      = errors.New("a one-time code is asked for")
	ErrWrongCode   = errors.New("the one-time code is not right")
	ErrSealed      = errors.New("one-time codes cannot be checked with this key")
	ErrSetUp       = errors.New("set up already")
	ErrSetUpCode   = errors.New("the set-up code is not right")
	ErrMailTaken   = errors.New("somebody has this mail address already")
	ErrLast        = errors.New("the last administrator who can sign in stays")
	ErrTooMany     = errors.New("there are as many administrators as there can be")
	ErrNoWayIn     = errors.New("this way in has been used, has ended, or never was one")
	ErrNoFactor    = errors.New("there is no second factor")
	ErrFactorThere = errors.New("there is a second factor already")
)

// Weak says why a password is not taken.
type Weak struct{ Why string }

// Error says why.
func (w Weak) Error() string { return w.Why }

// How long things last.
const (
	idleFor       = 12 * time.Hour       // a session of an administrator that nobody uses
	memberIdleFor = 30 * 24 * time.Hour  // one of a staff member
	sessionFor    = 30 * 24 * time.Hour  // any session of an administrator
	wayInFor      = 7 * 24 * time.Hour   // a one-time address
	knownFor      = 180 * 24 * time.Hour // what a good sign-in leaves in a browser
	seenEvery     = time.Minute          // how often it is noted that a session is used
)

// SessionSeconds is how long a browser keeps a session's cookie.
const SessionSeconds = int(sessionFor / time.Second)

// KnownSeconds is how long a browser keeps what tells that it is known.
const KnownSeconds = int(knownFor / time.Second)

func (p *People) now() span.Instant { return span.At(p.Now()) }

// In is who came in, with what their browser keeps of it.
type In struct {
	Principal
	Token string // of the session; told once and not kept
	Known string
}

// who renders an administrator who is signed in.
func who(a store.Administrator, session store.ID) Principal {
	return Principal{Role: RoleAdministrator, ID: a.ID, Name: a.Name, Mail: a.Email, Session: session}
}

// Of returns who is signed in by a session's token, and notes that the session is used.
// A token that is none, or whose session has ended, is nobody's.
func (p *People) Of(ctx context.Context, token string) (Principal, bool) {
	if token == "" {
		return Principal{}, false
	}
	db := p.DB.Read(ctx)
	s, err := db.SessionOf(secret.Hash(token))
	if err != nil {
		return Principal{}, false
	}
	now := p.now()
	var principal Principal
	if s.StaffID != nil {
		principal, err = p.member(db, s, now)
	} else {
		principal, err = p.administrator(db, s, now)
	}
	if err != nil {
		return Principal{}, false
	}
	if now >= s.SeenAt+span.Instant(seenEvery/time.Second) {
		// It is used, whether or not that can be noted just now.
		_ = p.DB.Single(context.WithoutCancel(ctx), func(tx store.Tx) error { return tx.SeeSession(s.ID, now) })
	}
	return principal, true
}

// administrator returns whose a session is, if it has not ended.
func (p *People) administrator(db store.Tx, s store.Session, now span.Instant) (Principal, error) {
	if ended(s.SeenAt, idleFor, now) || ended(s.CreatedAt, sessionFor, now) {
		return Principal{}, store.ErrNotFound
	}
	a, err := db.Administrator(*s.AdministratorID)
	return who(a, s.ID), err
}

// ended reports whether something that lasts for a time is over.
func ended(since span.Instant, lasts time.Duration, now span.Instant) bool {
	return now >= since+span.Instant(lasts/time.Second)
}

// begin starts a session within a transaction.
func (p *People) begin(tx store.Tx, a store.Administrator, from Browser) (In, error) {
	token, s, err := p.session(tx, store.Owner{AdministratorID: a.ID}, from)
	return In{Principal: who(a, s), Token: token, Known: p.known(accountOf(a))}, err
}

// session starts a session of somebody's, and lets go of those that have ended.
func (p *People) session(tx store.Tx, owner store.Owner, from Browser) (token string, id store.ID, err error) {
	now := p.now()
	ago := func(d time.Duration) span.Instant { return now - span.Instant(d/time.Second) }
	if err := tx.ForgetSessions(ago(sessionFor), ago(idleFor), ago(memberIdleFor)); err != nil {
		return "", 0, err
	}
	token = secret.New()
	s := owner.Begin(store.Session{TokenHash: secret.Hash(token), CreatedAt: now, SeenAt: now, Device: from.Device, Origin: from.Network})
	err = tx.AddSession(&s)
	return token, s.ID, err
}

// account is what a password belongs to.
type account struct {
	name string // tells it from every other
	hash string // empty where there is no password
}

func accountOf(a store.Administrator) account {
	if a.ID == 0 {
		return account{}
	}
	return account{fmt.Sprint(a.ID), a.PasswordHash}
}

// known returns what a browser is known again by: for whom, and since when. It ends with
// the password.
func (p *People) known(a account) string {
	text := fmt.Sprintf("%s.%d", a.name, p.now())
	return text + "." + p.Vault.Derive("browser", text+" "+secret.Hash(a.hash))
}

// isKnown reports whether an earlier good sign-in of the same person left this.
func (p *People) isKnown(known string, a account) bool {
	text, mac, ok := cutLast(known, ".")
	name, since, dated := cutLast(text, ".")
	at, err := strconv.ParseInt(since, 10, 64)
	if !ok || !dated || err != nil || a.name == "" || name != a.name {
		return false
	}
	age := p.now() - span.Instant(at)
	return age < span.Instant(knownFor/time.Second) && hmac.Equal([]byte(mac), []byte(p.Vault.Derive("browser", text+" "+secret.Hash(a.hash))))
}

func cutLast(s, sep string) (before, after string, ok bool) {
	i := strings.LastIndex(s, sep)
	if i < 0 {
		return s, "", false
	}
	return s[:i], s[i+len(sep):], true
}

// SignIn lets somebody in by mail address and password, and by a one-time or recovery
// code where there is a second factor. Wrong tries are slowed by network and account
// together, so that nobody is kept out by what others try; a browser that is known has
// tries of its own.
func (p *People) SignIn(ctx context.Context, email, password, code string, from Browser) (In, error) {
	email = strings.ToLower(strings.TrimSpace(email))
	a, err := p.DB.Read(ctx).AdministratorByMail(email)
	if err != nil && !errors.Is(err, store.ErrNotFound) {
		return In{}, err
	}
	key, err := p.knows(ctx, email, password, from, accountOf(a))
	if err != nil {
		return In{}, err
	}
	var in In
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		if err := p.secondFactor(tx, a, code); err != nil {
			return err
		}
		in, err = p.begin(tx, a, from)
		return err
	})
	if errors.Is(err, ErrWrongCode) || errors.Is(err, ErrSealed) {
		p.wrongs.Wrong(key)
	}
	if err == nil {
		p.wrongs.Right(key)
	}
	return in, err
}

// knows checks a mail address and a password, and returns by what tries of them are
// counted.
func (p *People) knows(ctx context.Context, email, password string, from Browser, a account) (key string, err error) {
	key, known := from.Network+" "+email, p.isKnown(from.Known, a)
	if known {
		key = "browser " + from.Known
	}
	return key, p.proves(ctx, key, a, password, from.Network, known)
}

// proves checks a password, one at a time for a network.
func (p *People) proves(ctx context.Context, key string, a account, password, network string, known bool) error {
	if wait := p.wrongs.Try(key); wait > 0 {
		return TooSoon{wait}
	}
	release, err := p.hashing.take(ctx, network, known)
	if err != nil {
		return err
	}
	defer release()
	if wait := p.wrongs.Try(key); wait > 0 { // others have tried meanwhile
		return TooSoon{wait}
	}
	if !matches(a.hash, password) {
		p.wrongs.Wrong(key)
		return ErrWrong
	}
	return nil
}

// Again checks the password of somebody who is signed in, before something that only
// they may do.
func (p *People) Again(ctx context.Context, who Principal, password string, from Browser) error {
	a, err := p.DB.Read(ctx).Administrator(who.ID)
	if err != nil {
		return err
	}
	key := fmt.Sprintf("session %d", who.Session)
	if err := p.proves(ctx, key, accountOf(a), password, from.Network, true); err != nil {
		return err
	}
	p.wrongs.Right(key)
	return nil
}

// SignOut ends a session.
func (p *People) SignOut(ctx context.Context, who Principal) error {
	return p.EndSession(ctx, who, who.Session)
}

// EndSession ends one of somebody's own sessions.
func (p *People) EndSession(ctx context.Context, who Principal, session store.ID) error {
	err := p.DB.Write(ctx, func(tx store.Tx) error { return tx.EndSession(who.Owner(), session) })
	p.sessions()
	return err
}

// MailAddress reads a bare mail address (RFC 5322, addr-spec), and returns it in small
// letters. The domain must have a dot.
func MailAddress(text string) (string, bool) {
	text = strings.TrimSpace(text)
	a, err := mail.ParseAddress(text)
	if err != nil || a.Address != text || strings.ContainsFunc(text, func(r rune) bool { return r <= ' ' || r >= 0x7f && r < 0xa0 }) {
		return "", false
	}
	_, domain, _ := cutLast(text, "@")
	if !strings.Contains(strings.Trim(domain, "."), ".") {
		return "", false
	}
	return strings.ToLower(a.Address), true
}
