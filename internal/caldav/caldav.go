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
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"niche/internal/outbound"
)

// Kind says what a person can do about an error.
type Kind int

// The kinds of errors.
const (
	BadAddress    Kind = iota + 1 // the address is none, or leads to no calendar account
	WrongKey                      // the host refuses user or password
	Forbidden                     // signed in, but not allowed to do this
	NotReached                    // the host does not answer, or answers that it cannot now
	NotThere                      // the calendar or event does not exist
	Changed                       // the condition of a write failed: somebody else was there first
	StaleToken                    // the host no longer knows the sync token
	TooLarge                      // the answer is larger than is read
	BadAnswer                     // the host's answer makes no sense
	OwnNetwork                    // the address leads into the server's own network
	StorageIsFull                 // the account has no room
)

// Error is a failed exchange with a host.
type Error struct {
	Kind       Kind
	Doing      string // what was attempted
	Status     int    // of HTTP, 0 without an answer
	RetryAfter time.Duration
	Err        error
}

// Error says what was attempted, and how it failed. It holds no credentials.
func (e *Error) Error() string {
	text := e.Doing
	if e.Status != 0 {
		text += fmt.Sprintf(": the host answered %d", e.Status)
	}
	if e.Err != nil {
		text += ": " + e.Err.Error()
	}
	return text
}

// Unwrap returns the cause.
func (e *Error) Unwrap() error { return e.Err }

// KindOf returns the kind of an error of this package, or 0.
func KindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return 0
}

// maxAnswer is the largest answer that is read, in bytes.
const maxAnswer = 64 << 20

// maxRedirects is how many redirects in a row are followed.
const maxRedirects = 5

// Client talks to one host as one user.
type Client struct {
	http *http.Client
	user string
	key  string
	base *url.URL // credentials go to this origin only
}

// NewClient returns a client for the host of an address, which is a URL or a
// bare host name. Nothing is asked yet.
func NewClient(hc *http.Client, address, user, key string) (*Client, error) {
	address = strings.TrimSpace(address)
	if address != "" && !strings.Contains(address, "://") {
		address = "https://" + address
	}
	u, err := url.Parse(address)
	if err != nil || u.Host == "" || (u.Scheme != "https" && u.Scheme != "http") {
		return nil, &Error{Kind: BadAddress, Doing: "reading the address", Err: errors.New("it is not a web address")}
	}
	u.User, u.Fragment, u.RawQuery = nil, "", ""
	if u.Path == "" {
		u.Path = "/"
	}
	return &Client{http: hc, user: user, key: key, base: u}, nil
}

// request is one exchange.
type request struct {
	doing  string
	method string
	href   string // absolute, or relative to the address
	header map[string]string
	body   []byte
}

// do sends a request, follows redirects with the same method and body, and
// returns the answer whose status is one of ok, or an *Error.
func (c *Client) do(ctx context.Context, r request, ok ...int) (*http.Response, []byte, error) {
	target, err := c.base.Parse(r.href)
	if err != nil {
		return nil, nil, &Error{Kind: BadAnswer, Doing: r.doing, Err: err}
	}
	for range maxRedirects {
		if target.Scheme != c.base.Scheme || target.Host != c.base.Host {
			return nil, nil, &Error{Kind: BadAddress, Doing: r.doing,
				Err: fmt.Errorf("the host sends us on to %s://%s; link that address instead", target.Scheme, target.Host)}
		}
		req, err := http.NewRequestWithContext(ctx, r.method, target.String(), bytes.NewReader(r.body))
		if err != nil {
			return nil, nil, &Error{Kind: BadAddress, Doing: r.doing, Err: err}
		}
		for k, v := range r.header {
			req.Header.Set(k, v)
		}
		req.SetBasicAuth(c.user, c.key)
		req.Header.Set("User-Agent", "Niche")
		res, err := c.http.Do(req)
		if err != nil {
			return nil, nil, failed(r.doing, err)
		}
		body, err := io.ReadAll(io.LimitReader(res.Body, maxAnswer+1))
		_ = res.Body.Close()
		if err != nil {
			return nil, nil, failed(r.doing, err)
		}
		if len(body) > maxAnswer {
			return nil, nil, &Error{Kind: TooLarge, Doing: r.doing, Status: res.StatusCode, Err: errors.New("the answer is too large")}
		}
		for _, s := range ok {
			if res.StatusCode == s {
				return res, body, nil
			}
		}
		if res.StatusCode/100 == 3 && res.Header.Get("Location") != "" {
			if target, err = target.Parse(res.Header.Get("Location")); err != nil {
				return nil, nil, &Error{Kind: BadAnswer, Doing: r.doing, Err: err}
			}
			continue
		}
		return nil, nil, refused(r.doing, res, body)
	}
	return nil, nil, &Error{Kind: BadAnswer, Doing: r.doing, Err: errors.New("the host redirects in a circle")}
}

// failed turns an exchange without an answer into an error.
func failed(doing string, err error) error {
	e := &Error{Kind: NotReached, Doing: doing, Err: err}
	var u *url.Error
	if errors.As(err, &u) {
		e.Err = u.Err // without the address, which the caller names
	}
	var dns *net.DNSError
	switch {
	case errors.Is(err, outbound.ErrForbidden):
		e.Kind, e.Err = OwnNetwork, outbound.ErrForbidden
	case errors.As(err, &dns) && dns.IsNotFound:
		e.Err = errors.New("there is no host of this name")
	}
	return e
}

// refused turns an answer into an error.
func refused(doing string, res *http.Response, body []byte) error {
	e := &Error{Kind: BadAnswer, Doing: doing, Status: res.StatusCode}
	switch s := res.StatusCode; {
	case bytes.Contains(body, []byte("valid-sync-token")):
		e.Kind = StaleToken
	case s == http.StatusUnauthorized:
		e.Kind = WrongKey
	case s == http.StatusForbidden:
		e.Kind = Forbidden
	case s == http.StatusNotFound || s == http.StatusGone:
		e.Kind = NotThere
	case s == http.StatusPreconditionFailed || s == http.StatusConflict:
		e.Kind = Changed
	case s == http.StatusInsufficientStorage:
		e.Kind = StorageIsFull
	case s == http.StatusMethodNotAllowed:
		e.Kind = BadAddress
	case s == http.StatusTooManyRequests || s >= 500:
		e.Kind = NotReached
	}
	if after, err := strconv.Atoi(res.Header.Get("Retry-After")); err == nil {
		e.RetryAfter = time.Duration(min(max(after, 0), 86400)) * time.Second
	} else if at, err := http.ParseTime(res.Header.Get("Retry-After")); err == nil {
		if now, err := http.ParseTime(res.Header.Get("Date")); err == nil {
			e.RetryAfter = min(max(at.Sub(now), 0), 24*time.Hour)
		}
	}
	return e
}

// multistatus is the answer to PROPFIND and REPORT (RFC 4918, section 14.16).
type multistatus struct {
	XMLName   xml.Name   `xml:"DAV: multistatus"`
	Responses []response `xml:"DAV: response"`
	SyncToken string     `xml:"DAV: sync-token"`
}

type response struct {
	Href     string     `xml:"DAV: href"`
	Status   string     `xml:"DAV: status"`
	Propstat []propstat `xml:"DAV: propstat"`
}

type propstat struct {
	Status string `xml:"DAV: status"`
	Prop   prop   `xml:"DAV: prop"`
}

type hrefs struct {
	Hrefs []string `xml:"DAV: href"`
}

type prop struct {
	ETag         string `xml:"DAV: getetag"`
	DisplayName  string `xml:"DAV: displayname"`
	SyncToken    string `xml:"DAV: sync-token"`
	ResourceType struct {
		Calendar   *struct{} `xml:"urn:ietf:params:xml:ns:caldav calendar"`
		Collection *struct{} `xml:"DAV: collection"`
	} `xml:"DAV: resourcetype"`
	Principal  hrefs `xml:"DAV: current-user-principal"`
	Home       hrefs `xml:"urn:ietf:params:xml:ns:caldav calendar-home-set"`
	Addresses  hrefs `xml:"urn:ietf:params:xml:ns:caldav calendar-user-address-set"`
	Privileges *struct {
		List []struct {
			All          *struct{} `xml:"DAV: all"`
			Write        *struct{} `xml:"DAV: write"`
			WriteContent *struct{} `xml:"DAV: write-content"`
			Bind         *struct{} `xml:"DAV: bind"`
		} `xml:"DAV: privilege"`
	} `xml:"DAV: current-user-privilege-set"`
	Components struct {
		List []struct {
			Name string `xml:"name,attr"`
		} `xml:"urn:ietf:params:xml:ns:caldav comp"`
	} `xml:"urn:ietf:params:xml:ns:caldav supported-calendar-component-set"`
	Colour        string `xml:"http://apple.com/ns/ical/ calendar-color"`
	CollectionTag string `xml:"http://calendarserver.org/ns/ getctag"`
	Data          string `xml:"urn:ietf:params:xml:ns:caldav calendar-data"`
}

// found returns the properties that the host gave with 200.
func (r response) found() (prop, bool) {
	for _, p := range r.Propstat {
		if statusCode(p.Status) == 200 {
			return p.Prop, true
		}
	}
	return prop{}, false
}

func statusCode(line string) int {
	fields := strings.Fields(line)
	if len(fields) < 2 {
		return 0
	}
	n, _ := strconv.Atoi(fields[1])
	return n
}

const namespaces = `xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav" xmlns:s="http://calendarserver.org/ns/" xmlns:a="http://apple.com/ns/ical/"`

// ask sends a PROPFIND or REPORT and reads the multistatus.
func (c *Client) ask(ctx context.Context, doing, method, href, depth, body string) (multistatus, error) {
	res, data, err := c.do(ctx, request{doing: doing, method: method, href: href,
		header: map[string]string{"Content-Type": "application/xml; charset=utf-8", "Depth": depth},
		body:   []byte(`<?xml version="1.0" encoding="utf-8"?>` + body)}, http.StatusMultiStatus)
	if err != nil {
		return multistatus{}, err
	}
	var m multistatus
	if err := xml.Unmarshal(data, &m); err != nil {
		return m, &Error{Kind: BadAnswer, Doing: doing, Status: res.StatusCode, Err: fmt.Errorf("the answer cannot be read: %w", err)}
	}
	return m, nil
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
