// Package feed is the source for calendars that are published under one address:
// iCalendar data over HTTP (RFC 9110, RFC 9111), which can only be read.
package feed

import (
	"bufio"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
	"time"

	"niche/internal/outbound"
)

// maxSize is the largest feed that is read, in bytes, unpacked.
const maxSize = 256 << 20

// maxRedirects is how many redirects in a row are followed.
const maxRedirects = 6

// Known is what is remembered of a feed from the last time.
type Known struct {
	ETag     string `json:"etag,omitempty"`
	Modified string `json:"modified,omitempty"` // Last-Modified, as the host wrote it
}

// Answer is what is at an address.
type Answer struct {
	Body   io.ReadCloser // nil when nothing has changed
	Known  Known
	MaxAge time.Duration // how long the host says that it stays as it is
}

const doing = "fetching the feed"

func fault(kind outbound.Kind, text string) error {
	return &outbound.Error{Kind: kind, Doing: doing, Err: errors.New(text)}
}

// Address reads an address that a person gives. webcal: stands for https:.
func Address(text string) (*url.URL, error) {
	text = strings.TrimSpace(text)
	for _, scheme := range []string{"webcal:", "webcals:"} {
		if len(text) > len(scheme) && strings.EqualFold(text[:len(scheme)], scheme) {
			text = "https:" + text[len(scheme):]
		}
	}
	u, err := url.Parse(text)
	if err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return nil, fault(outbound.BadAddress, "it is not a web address")
	}
	u.Fragment = ""
	return u, nil
}

// Get asks for what is at an address, if it has changed since it was known.
// Redirects are followed, but not from https to http. The body, which the caller
// closes, is what looks like iCalendar data and no web page.
func Get(ctx context.Context, hc *http.Client, address string, known Known) (Answer, error) {
	target, err := Address(address)
	if err != nil {
		return Answer{}, err
	}
	for range maxRedirects {
		res, err := get(ctx, hc, target, known)
		if err != nil {
			return Answer{}, err
		}
		location := res.Header.Get("Location")
		if res.StatusCode/100 != 3 || res.StatusCode == http.StatusNotModified || location == "" {
			return answer(ctx, res, known)
		}
		_ = res.Body.Close()
		next, err := target.Parse(location)
		switch {
		case err != nil:
			return Answer{}, fault(outbound.BadAnswer, "it redirects to something that is no address")
		case target.Scheme == "https" && next.Scheme != "https":
			return Answer{}, fault(outbound.BadAnswer, "it redirects to an address that anybody on the way can read")
		}
		target = next
	}
	return Answer{}, fault(outbound.BadAnswer, "it redirects in a circle")
}

func get(ctx context.Context, hc *http.Client, target *url.URL, known Known) (*http.Response, error) {
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, target.String(), nil)
	if err != nil {
		return nil, fault(outbound.BadAddress, "it is not a web address")
	}
	req.Header.Set("Accept", "text/calendar, */*;q=0.1")
	req.Header.Set("User-Agent", "Niche")
	if known.ETag != "" {
		req.Header.Set("If-None-Match", known.ETag)
	}
	if known.Modified != "" {
		req.Header.Set("If-Modified-Since", known.Modified)
	}
	res, err := hc.Do(req)
	if err != nil {
		return nil, outbound.Failed(ctx, doing, err)
	}
	return res, nil
}

func answer(ctx context.Context, res *http.Response, known Known) (Answer, error) {
	age := maxAge(res.Header)
	switch res.StatusCode {
	case http.StatusNotModified:
		_ = res.Body.Close()
		return Answer{Known: known, MaxAge: age}, nil
	case http.StatusOK:
	case http.StatusUnauthorized, http.StatusForbidden:
		_ = res.Body.Close()
		return Answer{}, &outbound.Error{Kind: outbound.NotPublic, Doing: doing, Status: res.StatusCode}
	default:
		err := outbound.Refused(doing, res)
		_ = res.Body.Close()
		return Answer{}, err
	}
	body, err := unpacked(res.Body)
	if err == nil {
		err = body.look()
	}
	if err != nil {
		_ = res.Body.Close()
		return Answer{}, outbound.Failed(ctx, doing, err)
	}
	return Answer{Body: outbound.Limit(body, maxSize), MaxAge: age, Known: Known{ETag: res.Header.Get("ETag"), Modified: res.Header.Get("Last-Modified")}}, nil
}

// maxAge reads how long an answer stays fresh (RFC 9111, section 5.2.2.1), at
// most a day.
func maxAge(h http.Header) time.Duration {
	for part := range strings.SplitSeq(h.Get("Cache-Control"), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		if n, err := strconv.Atoi(value); err == nil && strings.EqualFold(name, "max-age") {
			return min(time.Duration(min(max(n, 0), 1<<30))*time.Second, MaxRefresh)
		}
	}
	return 0
}

// content is a body that can be looked at before it is read.
type content struct {
	*bufio.Reader
	io.Closer
}

// unpacked returns a body, unpacked where it is a packed file. What the host
// packed for the way only, the HTTP client has unpacked already.
func unpacked(body io.ReadCloser) (content, error) {
	r := bufio.NewReader(body)
	if first, _ := r.Peek(2); string(first) == "\x1f\x8b" {
		z, err := gzip.NewReader(r)
		if err != nil {
			return content{}, fault(outbound.BadAnswer, "it cannot be unpacked")
		}
		r = bufio.NewReader(z)
	}
	return content{r, body}, nil
}

// look refuses a web page.
func (c content) look() error {
	first, err := c.Peek(512)
	if err != nil && err != io.EOF {
		return err
	}
	if bytes.HasPrefix(bytes.TrimLeft(first, "\ufeff \t\r\n"), []byte("<")) {
		return fault(outbound.SignInPage, "it is a web page")
	}
	return nil
}
