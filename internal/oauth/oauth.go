// Package oauth signs people in at a calendar host, in place of a password, by the
// authorisation code of OAuth 2 (RFC 6749) with a proof key (RFC 7636): the address to
// send them to, tokens for the code that they bring back, newer tokens for those that
// have ended, and their end (RFC 7009).
//
// It keeps nothing. Each answer can be told step by step, without what is secret in it.
package oauth

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"

	"golang.org/x/oauth2"

	"niche/internal/outbound"
)

// Host is a calendar host as this program is registered there.
type Host struct {
	Authorize   string   // the address at which people consent
	Token       string   // the address at which tokens are had
	Revoke      string   // the address at which they are given back; empty for none
	Issuer      string   // by which the host calls itself; empty where it has not said
	TellsIssuer bool     // it says with every answer who it is (RFC 9207)
	ClientID    string   //
	Secret      string   // empty for a client that can keep none
	Scopes      []string // that are asked for
	Redirect    string   // the one address to which people come back
}

// Tokens are what a host gives.
type Tokens struct {
	Access  string    `json:"access"`
	Refresh string    `json:"refresh,omitempty"`
	Ends    time.Time `json:"ends,omitzero"` // of the access token; zero where the host does not say
}

// Back is what people bring back from the host.
type Back struct {
	Code, State, Issuer, Error, Description string
}

// Fault is why a sign-in failed, by the name that the standards give to it, where they
// give one.
type Fault struct {
	Code string // as invalid_grant; or one of ours
	Said string // what the host said about it, of ours nothing
	Err  error  // the exchange that failed, if one did
}

// Faults of ours.
const (
	OtherIssuer = "other_issuer" // the answer is from another host than was asked
	NoRefresh   = "no_refresh"   // the host gives no means to get newer tokens
)

// Error says what the fault is.
func (f *Fault) Error() string { return strings.TrimSpace("signing in at the host: " + f.Code) }

// Unwrap returns the exchange that failed.
func (f *Fault) Unwrap() error { return f.Err }

// Step is one step of a sign-in, as it is told.
type Step struct {
	Doing string // what was done
	Good  bool
	Raw   string    // what came back, without secrets
	At    time.Time // by the host's own clock; zero where it did not say
}

func (h Host) config() *oauth2.Config {
	style := oauth2.AuthStyleAutoDetect
	if h.Secret == "" {
		style = oauth2.AuthStyleInParams
	}
	return &oauth2.Config{ClientID: h.ClientID, ClientSecret: h.Secret, RedirectURL: h.Redirect, Scopes: h.Scopes,
		Endpoint: oauth2.Endpoint{AuthURL: h.Authorize, TokenURL: h.Token, AuthStyle: style}}
}

// Verifier returns a new proof key.
func Verifier() string { return oauth2.GenerateVerifier() }

// Address returns where to send people, with the state that they bring back.
func (h Host) Address(state, verifier string) string {
	return h.config().AuthCodeURL(state, oauth2.S256ChallengeOption(verifier), oauth2.AccessTypeOffline)
}

// Check reports whether what people bring back is a consent of this very host, or why not.
func (h Host) Check(b Back) error {
	switch {
	case h.Issuer != "" && (b.Issuer != "" || h.TellsIssuer) && b.Issuer != h.Issuer:
		return &Fault{Code: OtherIssuer}
	case b.Error != "":
		return &Fault{Code: b.Error, Said: b.Description}
	case b.Code == "":
		return &Fault{Code: "invalid_request"}
	}
	return nil
}

// Exchange returns the tokens for a code, with what came back.
func (h Host) Exchange(ctx context.Context, hc *http.Client, code, verifier string, now time.Time) (Tokens, Step, error) {
	heard, ctx := listen(ctx, hc)
	t, err := h.config().Exchange(ctx, code, oauth2.VerifierOption(verifier))
	step := Step{Doing: "Tokens for the code", Good: err == nil, Raw: heard.text(), At: heard.at()}
	if err != nil {
		return Tokens{}, step, faultOf(ctx, "asking for tokens", err)
	}
	return tokensOf(t, now), step, nil
}

// Newer returns newer tokens for those that have ended. The host may give a new means to
// get the next ones, and then the one before is worth nothing.
func (h Host) Newer(ctx context.Context, hc *http.Client, old Tokens, now time.Time) (Tokens, error) {
	if old.Refresh == "" {
		return old, &Fault{Code: NoRefresh, Err: &outbound.Error{Kind: outbound.WrongKey, Doing: "asking for newer tokens", Err: errors.New("the host gave no means to get them")}}
	}
	_, ctx = listen(ctx, hc)
	t, err := h.config().TokenSource(ctx, &oauth2.Token{RefreshToken: old.Refresh}).Token()
	if err != nil {
		return old, faultOf(ctx, "asking for newer tokens", err)
	}
	fresh := tokensOf(t, now)
	if fresh.Refresh == "" {
		fresh.Refresh = old.Refresh
	}
	return fresh, nil
}

// GiveBack ends tokens at the host, where it can.
func (h Host) GiveBack(ctx context.Context, hc *http.Client, t Tokens) error {
	if h.Revoke == "" {
		return nil
	}
	form := url.Values{"token": {t.Refresh}, "token_type_hint": {"refresh_token"}}
	if t.Refresh == "" {
		form = url.Values{"token": {t.Access}, "token_type_hint": {"access_token"}}
	}
	if h.Secret == "" {
		form.Set("client_id", h.ClientID)
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodPost, h.Revoke, strings.NewReader(form.Encode()))
	if err != nil {
		return fmt.Errorf("giving tokens back: %w", err)
	}
	req.Header.Set("Content-Type", "application/x-www-form-urlencoded")
	if h.Secret != "" {
		req.SetBasicAuth(url.QueryEscape(h.ClientID), url.QueryEscape(h.Secret))
	}
	res, err := hc.Do(req)
	if err != nil {
		return outbound.Failed(ctx, "giving tokens back", err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return outbound.Refused("giving tokens back", res)
	}
	return nil
}

// maxMetadata is the largest description of a host that is read, in bytes.
const maxMetadata = 256 << 10

// Metadata returns what a host says of itself (RFC 8414): its addresses, and whether it
// tells who it is.
func Metadata(ctx context.Context, hc *http.Client, issuer string) (Host, error) {
	u, err := url.Parse(issuer)
	if err != nil || u.Host == "" || u.RawQuery != "" || u.Fragment != "" {
		return Host{}, &outbound.Error{Kind: outbound.BadAddress, Doing: "looking the host up", Err: errors.New("it is no issuer")}
	}
	at := *u
	at.Path = "/.well-known/oauth-authorization-server" + strings.TrimSuffix(u.Path, "/")
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, at.String(), nil)
	if err != nil {
		return Host{}, &outbound.Error{Kind: outbound.BadAddress, Doing: "looking the host up", Err: errors.New("it cannot be asked for")}
	}
	res, err := hc.Do(req)
	if err != nil {
		return Host{}, outbound.Failed(ctx, "looking the host up", err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return Host{}, outbound.Refused("looking the host up", res)
	}
	var said struct {
		Issuer    string   `json:"issuer"`
		Authorize string   `json:"authorization_endpoint"`
		Token     string   `json:"token_endpoint"`
		Revoke    string   `json:"revocation_endpoint"`
		Tells     bool     `json:"authorization_response_iss_parameter_supported"`
		Scopes    []string `json:"scopes_supported"`
		Proofs    []string `json:"code_challenge_methods_supported"`
	}
	if err := json.NewDecoder(io.LimitReader(res.Body, maxMetadata)).Decode(&said); err != nil {
		return Host{}, &outbound.Error{Kind: outbound.BadAnswer, Doing: "looking the host up", Status: res.StatusCode, Err: errors.New("it is no description")}
	}
	// Section 3.3: whoever describes itself as another is not believed.
	if said.Issuer != issuer || said.Authorize == "" || said.Token == "" {
		return Host{}, &outbound.Error{Kind: outbound.BadAnswer, Doing: "looking the host up", Status: res.StatusCode, Err: errors.New("the description is another host's, or lacks addresses")}
	}
	return Host{Issuer: said.Issuer, Authorize: said.Authorize, Token: said.Token, Revoke: said.Revoke, TellsIssuer: said.Tells, Scopes: said.Scopes}, nil
}

func tokensOf(t *oauth2.Token, now time.Time) Tokens {
	out := Tokens{Access: t.AccessToken, Refresh: t.RefreshToken}
	if t.ExpiresIn > 0 {
		out.Ends = now.Add(time.Duration(t.ExpiresIn) * time.Second)
	}
	return out
}

// faultOf tells a consent that is no more from a host that does not answer.
func faultOf(ctx context.Context, doing string, err error) error {
	var refused *oauth2.RetrieveError
	if !errors.As(err, &refused) {
		return outbound.Failed(ctx, doing, err)
	}
	e := &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Status: refused.Response.StatusCode, Err: errors.New(strings.Map(printable, refused.ErrorCode))}
	switch s := refused.Response.StatusCode; {
	case s == http.StatusTooManyRequests || s >= 500:
		return outbound.Refused(doing, refused.Response)
	case refused.ErrorCode == "invalid_grant":
		e.Kind = outbound.WrongKey
	case slices.Contains([]string{"invalid_client", "unauthorized_client"}, refused.ErrorCode):
		e.Kind = outbound.Forbidden
	}
	return &Fault{Code: refused.ErrorCode, Said: refused.ErrorDescription, Err: e}
}

func printable(r rune) rune {
	if r < ' ' || r > '~' {
		return -1
	}
	return r
}

// heard is what a host answered.
type heard struct {
	next   http.RoundTripper
	status string
	body   []byte
	date   string
}

// maxHeard is the most that is kept of an answer, in bytes.
const maxHeard = 64 << 10

// listen returns a context in which tokens are asked for by way of a client, and what is
// answered there.
func listen(ctx context.Context, hc *http.Client) (*heard, context.Context) {
	h := &heard{next: hc.Transport}
	client := *hc
	client.Transport = h
	return h, context.WithValue(ctx, oauth2.HTTPClient, &client)
}

// RoundTrip carries out a request and keeps the answer.
func (h *heard) RoundTrip(r *http.Request) (*http.Response, error) {
	next := h.next
	if next == nil {
		next = http.DefaultTransport
	}
	res, err := next.RoundTrip(r)
	if err != nil {
		return nil, err
	}
	body, err := io.ReadAll(io.LimitReader(res.Body, maxHeard))
	_ = res.Body.Close()
	if err != nil {
		return nil, err
	}
	h.status, h.body, h.date = res.Status, body, res.Header.Get("Date")
	res.Body = io.NopCloser(bytes.NewReader(body))
	return res, nil
}

// at returns when it was by the host's own clock.
func (h *heard) at() time.Time {
	at, _ := http.ParseTime(h.date)
	return at
}

// text returns what came back without what is secret in it.
func (h *heard) text() string {
	if h.status == "" {
		return ""
	}
	text := h.status
	if h.date != "" {
		text += "\nDate: " + h.date
	}
	var fields map[string]any
	if json.Unmarshal(h.body, &fields) != nil {
		return text + fmt.Sprintf("\n%d bytes that are no JSON", len(h.body))
	}
	for name, value := range fields {
		if _, told := value.(string); told && !slices.Contains([]string{"token_type", "scope", "error", "error_description", "error_uri"}, name) {
			fields[name] = "…"
		}
	}
	lines, err := json.MarshalIndent(fields, "", "  ")
	if err != nil {
		return text
	}
	return text + "\n" + string(lines)
}
