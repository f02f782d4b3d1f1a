// Package caldav is a client for calendars on a CalDAV server (RFC 4791): it
// finds an account's calendars, asks what changed in one, fetches events, and
// writes and removes single events under conditions.
//
// It takes any conforming server. It knows nothing of bookings, and reads no
// iCalendar data: bodies are bytes here.
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
func NewClient(hc *http.Client, address string, who Credentials) (*Client, error) {
	address = strings.TrimSpace(address)
	if address != "" && !strings.Contains(address, "://") {
		address = "https://" + address
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || (u.Scheme != "https" && u.Scheme != "http") {
		return nil, &outbound.Error{Kind: outbound.BadAddress, Doing: "reading the address", Err: errors.New("it is not a web address")}
	}
	u.User, u.Fragment, u.RawQuery = nil, "", ""
	if u.Path == "" {
		u.Path = "/"
	}
	return &Client{http: hc, base: u, sign: signer{Credentials: who}}, nil
}

// request is one exchange.
type request struct {
	doing  string
	method string
	href   string // absolute, or relative to the address
	header map[string]string
	body   []byte
}

// exchange sends a request, follows redirects with the same method and body, and
// returns the answer whose status is one of ok, or an *outbound.Error. The body
// must be closed.
func (c *Client) exchange(ctx context.Context, r request, ok ...int) (*http.Response, error) {
	if err := c.askForWays(ctx, r.doing); err != nil {
		return nil, err
	}
	target, err := c.base.Parse(r.href)
	if err != nil {
		return nil, &outbound.Error{Kind: outbound.BadAnswer, Doing: r.doing, Err: errors.New("the host names an address that is none")}
	}
	for range maxRedirects {
		if target.Scheme != c.base.Scheme || target.Host != c.base.Host {
			return nil, &outbound.Error{Kind: outbound.BadAddress, Doing: r.doing,
				Err: fmt.Errorf("the host sends us on to %s://%s; link that address instead", target.Scheme, target.Host)}
		}
		res, err := c.signed(ctx, r, target)
		if err != nil {
			return nil, err
		}
		if slices.Contains(ok, res.StatusCode) {
			return res, nil
		}
		location := res.Header.Get("Location")
		if res.StatusCode/100 != 3 || location == "" {
			err := outbound.Refused(r.doing, res)
			_ = res.Body.Close()
			return nil, err
		}
		_ = res.Body.Close()
		if target, err = target.Parse(location); err != nil {
			return nil, &outbound.Error{Kind: outbound.BadAnswer, Doing: r.doing, Err: errors.New("the host redirects to an address that is none")}
		}
	}
	return nil, &outbound.Error{Kind: outbound.BadAnswer, Doing: r.doing, Err: errors.New("the host redirects in a circle")}
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
		if err != nil {
			return nil, &outbound.Error{Kind: outbound.WrongKey, Doing: r.doing, Err: err}
		}
		req.Header.Set("Authorization", sent)
		res, err := c.send(r.doing, req)
		if err != nil || res.StatusCode != http.StatusUnauthorized || again || !c.sign.learn(res, sent) {
			return res, err
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
	return req, nil
}

// send sends a request. The body of the answer is limited.
func (c *Client) send(doing string, req *http.Request) (*http.Response, error) {
	res, err := c.http.Do(req)
	if err != nil {
		return nil, outbound.Failed(doing, err)
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
	res, err := c.send(doing, req)
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
	res, err := c.exchange(ctx, r, ok...)
	if err != nil {
		return nil, nil, err
	}
	body, err := io.ReadAll(res.Body)
	_ = res.Body.Close()
	if err != nil {
		return nil, nil, outbound.Failed(r.doing, err)
	}
	return res, body, nil
}

// path returns the path of an href as the host writes it in answers, so that
// hrefs given absolute and relative compare equal.
func (c *Client) path(href string) string {
	u, err := c.base.Parse(strings.TrimSpace(href))
	if err != nil {
		return href
	}
	return u.EscapedPath()
}
