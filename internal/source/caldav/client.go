// Package caldav is the source for calendars on a CalDAV server (RFC 4791): it
// finds an account's calendars, asks what changed in one, fetches events, and
// writes and removes single events under conditions.
//
// It takes any conforming server, and expects each to be rude: to answer in part,
// to spell addresses its own way, to forget what it promised. It knows nothing of
// bookings, and reads no iCalendar data: bodies are bytes here.
package caldav

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"niche/internal/outbound"
	"niche/internal/source"
)

// maxAnswer is the largest answer that is read, in bytes.
const maxAnswer = 64 << 20

// maxRedirects is how many redirects in a row are followed.
const maxRedirects = 5

// Client talks to one host as one user. It can be used by many at once, and
// remembers how the host wants requests to be signed.
type Client struct {
	http *http.Client
	base *url.URL // credentials go to this origin only
	sign signer
}

// NewClient returns a client for the host of an address, which is a URL or a
// bare host name. Nothing is asked yet.
func NewClient(hc *http.Client, address string, who source.Credentials) (*Client, error) {
	u, err := Address(address)
	if err != nil {
		return nil, err
	}
	return &Client{http: hc, base: u, sign: signer{Credentials: who}}, nil
}

// Address reads the address of an account as people give it: what has no scheme is meant
// by https. One that holds a user, a password or a query is refused, since addresses are
// told and logged.
func Address(text string) (*url.URL, error) {
	text = strings.TrimSpace(text)
	if text != "" && !strings.Contains(text, "://") {
		text = "https://" + text
	}
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || (u.Scheme != "https" && u.Scheme != "http") {
		return nil, &outbound.Error{Kind: outbound.BadAddress, Doing: "reading the address", Err: errors.New("it is not a web address")}
	}
	if u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return nil, &outbound.Error{Kind: outbound.TooOpen, Doing: "reading the address", Err: errors.New("it holds a user, a password or a query")}
	}
	if u.Path == "" {
		u.Path = "/"
	}
	return u, nil
}

// request is one exchange.
type request struct {
	doing   string
	method  string
	address string // the path as the host spells it
	header  map[string]string
	body    []byte
}

// exchange sends a request, follows redirects with the same method and body, and
// returns the answer whose status is one of ok with the address that gave it, or an
// error. The body must be closed.
func (c *Client) exchange(ctx context.Context, r request, ok ...int) (*http.Response, *url.URL, error) {
	if err := c.askForWays(ctx, r.doing); err != nil {
		return nil, nil, err
	}
	target := c.at(r.address)
	for range maxRedirects {
		if originOf(target) != originOf(c.base) {
			return nil, nil, &outbound.Error{Kind: outbound.BadAddress, Doing: r.doing,
				Err: fmt.Errorf("the host sends us on to %s; link that address instead", originOf(target))}
		}
		res, err := c.signed(ctx, r, target)
		if err != nil {
			return nil, nil, err
		}
		if slices.Contains(ok, res.StatusCode) {
			return res, target, nil
		}
		location := res.Header.Get("Location")
		if res.StatusCode/100 != 3 || location == "" {
			err := outbound.Refused(r.doing, res)
			_ = res.Body.Close()
			return nil, nil, err
		}
		_ = res.Body.Close()
		if target, err = target.Parse(location); err != nil {
			return nil, nil, &outbound.Error{Kind: outbound.BadAnswer, Doing: r.doing, Err: errors.New("the host redirects to an address that is none")}
		}
	}
	return nil, nil, &outbound.Error{Kind: outbound.BadAnswer, Doing: r.doing, Err: errors.New("the host redirects in a circle")}
}

// signed sends a request with credentials, a second time when the host asks for
// them in another way.
func (c *Client) signed(ctx context.Context, r request, target *url.URL) (*http.Response, error) {
	for again := false; ; again = true {
		req, err := r.build(ctx, target)
		if err != nil {
			return nil, err
		}
		sent, err := c.sign.sign(req)
		if err != nil && c.sign.Tokens != nil {
			return nil, fmt.Errorf("%s: %w", r.doing, err) // which says whether the host is to blame
		}
		if err != nil {
			return nil, &outbound.Error{Kind: outbound.WrongKey, Doing: r.doing, Err: err}
		}
		req.Header.Set("Authorization", sent)
		res, err := c.send(ctx, r.doing, req)
		if err != nil || res.StatusCode != http.StatusUnauthorized || again {
			return res, err
		}
		if c.sign.Tokens == nil && !c.sign.learn(res, sent) {
			return res, nil
		}
		if c.sign.Tokens != nil {
			renewed, err := c.sign.renew(ctx, sent)
			if err != nil {
				_ = res.Body.Close()
				return nil, fmt.Errorf("%s: %w", r.doing, err)
			}
			if !renewed {
				return res, nil
			}
		}
		_ = res.Body.Close()
	}
}

func (r request) build(ctx context.Context, target *url.URL) (*http.Request, error) {
	req, err := http.NewRequestWithContext(ctx, r.method, target.String(), bytes.NewReader(r.body))
	if err != nil {
		return nil, &outbound.Error{Kind: outbound.BadAddress, Doing: r.doing, Err: errors.New("it cannot be asked for")}
	}
	for k, v := range r.header {
		req.Header.Set(k, v)
	}
	req.Header.Set("User-Agent", "Niche")
	if r.method == "PROPFIND" || r.method == "REPORT" {
		// What is safe may be asked again by itself when a kept connection turns out to
		// have been closed by the host (RFC 9110, section 9.2.2). The transport knows such
		// methods only when told so; the empty list is sent as nothing.
		req.Header["Idempotency-Key"] = []string{}
	}
	return req, nil
}

// send sends a request. The body of the answer is limited.
func (c *Client) send(ctx context.Context, doing string, req *http.Request) (*http.Response, error) {
	res, err := c.http.Do(req)
	if err != nil {
		return nil, outbound.Failed(ctx, doing, err)
	}
	res.Body = outbound.Limit(res.Body, maxAnswer)
	return res, nil
}

// askForWays sends a request without credentials, once, to be told which are
// wanted. As long as the host cannot say, it gets none.
func (c *Client) askForWays(ctx context.Context, doing string) error {
	if !c.sign.unasked(c.base.Scheme) {
		return nil
	}
	req, err := request{doing: doing, method: "PROPFIND", header: map[string]string{"Depth": "0"}}.build(ctx, c.base)
	if err != nil {
		return err
	}
	res, err := c.send(ctx, doing, req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	switch {
	case res.StatusCode == http.StatusUnauthorized:
		c.sign.learn(res, "")
	case res.StatusCode == http.StatusTooManyRequests || res.StatusCode >= 500:
		return outbound.Refused(doing, res)
	default:
		c.sign.wantsNothing()
	}
	return nil
}

// whole sends a request and reads the answer to its end.
func (c *Client) whole(ctx context.Context, r request, ok ...int) (*http.Response, []byte, error) {
	res, _, err := c.exchange(ctx, r, ok...)
	if err != nil {
		return nil, nil, err
	}
	body, err := io.ReadAll(res.Body)
	_ = res.Body.Close()
	if err != nil {
		return nil, nil, outbound.Failed(ctx, r.doing, err)
	}
	return res, body, nil
}
