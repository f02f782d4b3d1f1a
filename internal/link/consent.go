package link

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"time"

	"golang.org/x/sync/singleflight"

	"niche/core/span"
	"niche/internal/oauth"
	"niche/internal/outbound"
	"niche/internal/secret"
	"niche/internal/source"
	"niche/internal/source/caldav"
	"niche/internal/store"
)

// The reasons for which nobody can sign in at a host.
var (
	ErrNoHome    = errors.New("the address of this Niche is not known, so that nobody could come back to it")
	ErrNoSignIn  = errors.New("nobody can sign in at this host")
	ErrNoConsent = errors.New("nobody is on the way from a host with this state")
)

// consentFor is how long somebody may take at the host.
const consentFor = 10 * time.Minute

// ReturnAddress is the one address to which people come back from a host, which has to be
// registered there; empty where the program's own is not known.
func (l *Links) ReturnAddress() string {
	if l.Home == "" {
		return ""
	}
	return l.Home + "/signed-in"
}

// registered is a host as this program is registered there.
func (l *Links) registered(h store.Host) (oauth.Host, error) {
	if !h.LetsSignIn() {
		return oauth.Host{}, ErrNoSignIn
	}
	if l.Home == "" {
		return oauth.Host{}, ErrNoHome
	}
	out := oauth.Host{Authorize: h.AuthorizeAddress, Token: h.TokenAddress, Revoke: h.RevokeAddress, Issuer: h.Issuer, TellsIssuer: h.TellsIssuer,
		ClientID: h.ClientID, Scopes: h.Scopes, Redirect: l.ReturnAddress()}
	if len(h.ClientSecret) == 0 {
		return out, nil
	}
	var err error
	out.Secret, err = l.keeper.Open(h.ClientSecret, ownerOfHost(h))
	return out, err
}

// ownerOfHost binds the secret of a client to the host that gave it.
func ownerOfHost(h store.Host) string { return "client " + h.ClientID + " at " + h.TokenAddress }

// WithClientSecret returns a host with the secret that it has given.
func (l *Links) WithClientSecret(h store.Host, text string) store.Host {
	h.ClientSecret = l.keeper.Seal(text, ownerOfHost(h))
	return h
}

// Metadata looks up what a host says of itself.
func (l *Links) Metadata(ctx context.Context, issuer string) (oauth.Host, error) {
	return oauth.Metadata(ctx, l.http, issuer)
}

// BeginConsent returns the address at a host where whoever is signed in by a session
// consents. Link is one that is renewed, or 0.
func (l *Links) BeginConsent(ctx context.Context, session, host, link store.ID) (string, error) {
	h, err := l.db.Read(ctx).Host(host)
	if err != nil {
		return "", err
	}
	at, err := l.registered(h)
	if err != nil {
		return "", err
	}
	state, verifier := secret.New(), oauth.Verifier()
	err = l.db.Write(ctx, func(tx store.Tx) error {
		now := span.At(l.now())
		return tx.AddConsent(store.Consent{StateHash: secret.Hash(state), SessionID: session, HostID: host, LinkID: link,
			Verifier: l.keeper.Seal(verifier, state), ExpiresAt: now + span.Instant(consentFor/time.Second)}, now)
	})
	if err != nil {
		return "", fmt.Errorf("sending somebody to a host: %w", err)
	}
	return at.Address(state, verifier), nil
}

// Came is what came of it when somebody came back from a host.
type Came struct {
	Host    store.Host
	Link    store.Link     // that was made or renewed; none where it was only tried
	Account source.Account // that was found
	Asked   []string       // the scopes that were asked for
	Steps   []oauth.Step
}

// EndConsent makes the link of somebody who comes back from a host, in the session in
// which they went; of nobody, where staff is 0: then it is only tried. What was done
// comes along with an error too.
func (l *Links) EndConsent(ctx context.Context, session, staff store.ID, back oauth.Back) (came Came, err error) {
	var c store.Consent
	err = l.db.Write(ctx, func(tx store.Tx) error {
		var err error
		c, err = tx.TakeConsent(secret.Hash(back.State), session, span.At(l.now()))
		if errors.Is(err, store.ErrNotFound) {
			return ErrNoConsent
		}
		if err == nil {
			came.Host, err = tx.Host(c.HostID)
		}
		return err
	})
	if err != nil {
		return came, err
	}
	verifier, err := l.keeper.Open(c.Verifier, back.State)
	if err != nil {
		return came, err
	}
	at, err := l.registered(came.Host)
	if err != nil {
		return came, err
	}
	came.Asked = at.Scopes
	err = at.Check(back)
	came.Steps = append(came.Steps, oauth.Step{Doing: "Consent at the host", Good: err == nil, Raw: told(back)})
	if err != nil {
		return came, err
	}
	got, step, err := at.Exchange(ctx, l.http, back.Code, verifier, l.now())
	came.Steps = append(came.Steps, step)
	if err != nil {
		return came, err
	}
	client, err := caldav.NewClient(l.http, came.Host.Address, source.Credentials{Token: got.Access})
	if err == nil {
		came.Account, err = client.Discover(ctx)
	}
	came.Steps = append(came.Steps, oauth.Step{Doing: "Calendars of the account", Good: err == nil, Raw: saidOf(came.Account, err)})
	if err != nil {
		return came, fmt.Errorf("linking %s: %w", came.Host.Host, err)
	}
	if staff == 0 {
		// It was only tried: what was given is given back, and that it could not be harms nobody.
		failed := at.GiveBack(ctx, l.http, got)
		came.Steps = append(came.Steps, oauth.Step{Doing: "Giving the tokens back", Good: failed == nil, Raw: errorText(failed)})
		return came, nil
	}
	if got.Refresh == "" && !got.Ends.IsZero() {
		return came, &oauth.Fault{Code: oauth.NoRefresh}
	}
	host := came.Host.ID
	link := store.Link{StaffID: staff, Address: came.Host.Address, Username: nameOf(came.Account), ByConsent: true, HostID: &host}
	if link.Secret, err = l.sealTokens(link, got); err == nil {
		came.Link, err = l.keep(ctx, link, came.Account, c.LinkID)
	}
	return came, err
}

// nameOf is what the user of an account is called: their mail address, if the host tells
// it.
func nameOf(a source.Account) string {
	if len(a.Mails) > 0 {
		return a.Mails[0]
	}
	return a.Principal
}

func errorText(err error) string {
	if err == nil {
		return ""
	}
	return err.Error()
}

func saidOf(a source.Account, err error) string {
	if err != nil {
		return err.Error()
	}
	text := "Account " + nameOf(a) + " at " + a.Home
	for _, c := range a.Calendars {
		text += "\n" + c.Name
		if !c.CanWrite {
			text += " (read-only)"
		}
	}
	return text
}

// told is what somebody brought back, without what is secret in it.
func told(b oauth.Back) string {
	text := ""
	for _, p := range [][2]string{{"code", b.Code}, {"error", b.Error}, {"error_description", b.Description}, {"iss", b.Issuer}} {
		if p[1] == "" {
			continue
		}
		if p[0] == "code" {
			p[1] = "…"
		}
		text += p[0] + "=" + p[1] + "\n"
	}
	return text
}

func (l *Links) sealTokens(link store.Link, t oauth.Tokens) ([]byte, error) {
	text, err := json.Marshal(t)
	if err != nil {
		return nil, err
	}
	return l.keeper.Seal(string(text), owner(link)), nil
}

// tokens are those of one link.
type tokens struct {
	*Links
	id store.ID
}

// early is how long before its end a token is no longer used, and renewTime how long a
// host may take to give another.
const (
	early     = 30 * time.Second
	renewTime = 15 * time.Second
)

// Token returns a token that is good at present; refused is one that is not. One renewal
// goes on at a time, for all who want it. Whoever cannot wait does not end it: the host
// may have given what takes the old one's place.
func (t tokens) Token(ctx context.Context, refused string) (string, error) {
	_, have, err := t.kept(ctx)
	if err != nil || t.isGood(have, refused) {
		return have.Access, err
	}
	t.renewals.Add(1)
	got := t.renewing.DoChan(fmt.Sprint(t.id), func() (any, error) {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), renewTime)
		defer cancel()
		return t.renew(ctx, refused)
	})
	result := make(chan singleflight.Result, 1)
	go func() {
		defer t.renewals.Done()
		result <- <-got
	}()
	select {
	case r := <-result:
		access, _ := r.Val.(string)
		return access, r.Err
	case <-ctx.Done():
		return "", fmt.Errorf("waiting for newer tokens: %w", context.Cause(ctx))
	}
}

func (t tokens) isGood(have oauth.Tokens, refused string) bool {
	return have.Access != "" && have.Access != refused && (have.Ends.IsZero() || t.now().Before(have.Ends.Add(-early)))
}

// renew gets newer tokens, and keeps them before they are used: the ones of before may be
// worth nothing from then on.
func (t tokens) renew(ctx context.Context, refused string) (string, error) {
	link, have, err := t.kept(ctx)
	if err != nil || t.isGood(have, refused) {
		return have.Access, err
	}
	if link.HostID == nil {
		return "", &outbound.Error{Kind: outbound.WrongKey, Doing: "asking for newer tokens", Err: errors.New("the host is no longer registered here")}
	}
	h, err := t.db.Read(ctx).Host(*link.HostID)
	if err != nil {
		return "", err
	}
	at, err := t.registered(h)
	if err != nil {
		return "", err
	}
	fresh, err := at.Newer(ctx, t.http, have, t.now())
	if err != nil {
		return "", err
	}
	sealed, err := t.sealTokens(link, fresh)
	if err != nil {
		return "", err
	}
	err = t.db.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		_, err := tx.SaveSecret(t.id, link.Secret, sealed) // unless the link was renewed meanwhile
		return err
	})
	return fresh.Access, err
}

// Wait waits for renewals of tokens that go on, so that none is lost.
func (l *Links) Wait() { l.renewals.Wait() }

// kept returns the link and its tokens as they are kept.
func (t tokens) kept(ctx context.Context) (store.Link, oauth.Tokens, error) {
	var have oauth.Tokens
	link, err := t.db.Read(ctx).Link(t.id)
	if err != nil {
		return link, have, err
	}
	text, err := t.keeper.Open(link.Secret, owner(link))
	if err == nil {
		err = json.Unmarshal([]byte(text), &have)
	}
	return link, have, err
}

// giveBackTime is how long a host may take to end tokens that are not wanted any more.
const giveBackTime = 10 * time.Second

// giveBack ends the tokens of a link that is taken away, where its host can. It returns
// what is to be done once the link is forgotten, which no fault of the host hinders.
func (l *Links) giveBack(ctx context.Context, link store.Link) func() {
	if !link.ByConsent || link.HostID == nil {
		return func() {}
	}
	text, err := l.keeper.Open(link.Secret, owner(link))
	var have oauth.Tokens
	if err == nil {
		err = json.Unmarshal([]byte(text), &have)
	}
	h, err2 := l.db.Read(ctx).Host(*link.HostID)
	at, err3 := l.registered(h)
	if errors.Join(err, err2, err3) != nil {
		return func() {}
	}
	return func() {
		ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), giveBackTime)
		defer cancel()
		_ = at.GiveBack(ctx, l.http, have) // they end by themselves
	}
}
