package caldav

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"niche/internal/outbound"
)

// response is one part of the answer to PROPFIND and REPORT (RFC 4918, section
// 14.24), as it stands.
type response struct {
	Hrefs    []string   `xml:"DAV: href"`
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
		Inbox      *struct{} `xml:"urn:ietf:params:xml:ns:caldav schedule-inbox"`
		Subscribed *struct{} `xml:"http://calendarserver.org/ns/ subscribed"`
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

// part is what an answer says of one resource.
type part struct {
	origin  string // where that is not the host that was asked
	address string // as the host spells its path
	path    string // in one spelling
	prop    prop   // the properties that were given with 200
	status  int    // 200 when there are any; else what the host says instead, 0 for nothing
}

// isGone reports whether the host says that the resource is not there.
func (p part) isGone() bool { return p.status == http.StatusNotFound || p.status == http.StatusGone }

// parts returns what a response says of the resources that it names.
func (r response) parts(target *url.URL) []part {
	p := part{status: statusCode(r.Status)}
	for _, s := range r.Propstat {
		switch code := statusCode(s.Status); {
		case code == http.StatusOK || code == 0 && len(r.Propstat) == 1: // one without a status means well
			p.prop, p.status = s.Prop, http.StatusOK
		case p.status == 0 && code != http.StatusNotFound: // of a property that there is not: the resource is there
			p.status = code
		}
	}
	list := make([]part, 0, len(r.Hrefs))
	for _, href := range r.Hrefs {
		p.origin, p.address = locate(target, href)
		p.path = Path(p.address)
		list = append(list, p)
	}
	return list
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

// query is a PROPFIND or REPORT.
type query struct {
	doing, method, address, depth, body string
}

// Limits on what is believed to be an answer. They are far above what any host
// needs, and keep one that means harm from taking memory.
const (
	maxDepth    = 24
	maxElements = 4_000   // in one part
	maxPart     = 8 << 20 // bytes of one part
	maxParts    = 200_000
	maxHref     = 2_000 // bytes of an address, a version or a token
)

// inParts fails when one part of an answer is larger than is believed.
type inParts struct {
	from io.Reader
	left int
}

// Read reads from the answer.
func (p *inParts) Read(b []byte) (int, error) {
	if p.left <= 0 {
		return 0, errTooMuch
	}
	n, err := p.from.Read(b[:min(len(b), p.left)])
	p.left -= n
	return n, err
}

// limited passes tokens on as long as they keep the limits.
type limited struct {
	from            *xml.Decoder
	depth, elements int
}

var errTooMuch = errors.New("the answer is nested too deeply, or a part of it is too large")

// Token returns the next token.
func (l *limited) Token() (xml.Token, error) {
	t, err := l.from.RawToken()
	switch t.(type) {
	case xml.StartElement:
		l.depth++
		l.elements++
		if l.depth > maxDepth || l.elements > maxElements {
			return nil, errTooMuch
		}
	case xml.EndElement:
		l.depth--
	}
	return t, err
}

// ask sends a query and hands over what the answer says, resource by resource as
// it comes, so that a listing of any size takes little memory. An answer that ends
// before its end is an error, whatever was handed over before. The token is that of
// sync-collection, if the answer has one.
func (c *Client) ask(ctx context.Context, q query, each func(part)) (token string, err error) {
	res, target, err := c.exchange(ctx, request{doing: q.doing, method: q.method, address: q.address,
		header: map[string]string{"Content-Type": "application/xml; charset=utf-8", "Depth": q.depth},
		body:   []byte(`<?xml version="1.0" encoding="utf-8"?>` + q.body)}, http.StatusMultiStatus)
	if err != nil {
		return "", err
	}
	defer func() { _ = res.Body.Close() }()
	bad := func(err error) error {
		return &outbound.Error{Kind: outbound.BadAnswer, Doing: q.doing, Status: res.StatusCode, Err: err}
	}
	unread := func(err error) error {
		var broken *xml.SyntaxError
		switch {
		case errors.Is(err, errTooMuch):
			return bad(errTooMuch)
		case errors.As(err, &broken) && broken.Msg != "unexpected EOF":
			return bad(fmt.Errorf("the answer cannot be read at line %d", broken.Line)) // its words may be the owner's
		case errors.As(err, &broken):
			return outbound.Failed(ctx, q.doing, io.ErrUnexpectedEOF)
		}
		return outbound.Failed(ctx, q.doing, err)
	}
	parts := &inParts{from: res.Body}
	limits := &limited{from: xml.NewDecoder(parts)}
	d := xml.NewTokenDecoder(limits)
	inside, count := false, 0
	for {
		limits.elements, parts.left = 0, maxPart
		t, err := d.Token()
		if err != nil {
			return "", unread(err)
		}
		switch t := t.(type) {
		case xml.EndElement:
			return token, nil // of the multistatus: everything in it is read whole
		case xml.StartElement:
			switch {
			case t.Name.Space == "DAV:" && t.Name.Local == "multistatus" && !inside:
				inside = true
			case !inside:
				return "", bad(errors.New("the answer is no multistatus"))
			case t.Name.Space == "DAV:" && t.Name.Local == "response":
				var r response
				if err := d.DecodeElement(&r, &t); err != nil {
					return "", unread(err)
				}
				for _, p := range r.parts(target) {
					if count++; count > maxParts || len(p.address) > maxHref || len(p.prop.ETag) > maxHref || len(p.prop.SyncToken) > maxHref || len(p.prop.CollectionTag) > maxHref {
						return "", bad(errTooMuch)
					}
					each(p)
				}
			case t.Name.Space == "DAV:" && t.Name.Local == "sync-token":
				if err := d.DecodeElement(&token, &t); err != nil {
					return "", unread(err)
				}
				if len(token) > maxHref {
					return "", bad(errTooMuch)
				}
			default:
				if err := d.Skip(); err != nil {
					return "", unread(err)
				}
			}
		}
	}
}
