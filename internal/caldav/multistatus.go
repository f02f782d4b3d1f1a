package caldav

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"net/http"
	"strconv"
	"strings"

	"niche/internal/outbound"
)

// response is one part of the answer to PROPFIND and REPORT (RFC 4918, section
// 14.24).
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

// query is a PROPFIND or REPORT.
type query struct {
	doing, method, href, depth, body string
}

// ask sends a query and hands over the parts of the answer as they come, so that
// a listing of any size takes little memory. An answer that ends before its end
// is an error, whatever was handed over before. The token is that of
// sync-collection, if the answer has one.
func (c *Client) ask(ctx context.Context, q query, each func(response)) (token string, err error) {
	res, err := c.exchange(ctx, request{doing: q.doing, method: q.method, href: q.href,
		header: map[string]string{"Content-Type": "application/xml; charset=utf-8", "Depth": q.depth},
		body:   []byte(`<?xml version="1.0" encoding="utf-8"?>` + q.body)}, http.StatusMultiStatus)
	if err != nil {
		return "", err
	}
	defer func() { _ = res.Body.Close() }()
	unread := func(err error) error {
		var broken *xml.SyntaxError
		if errors.As(err, &broken) {
			err = fmt.Errorf("the answer cannot be read at line %d", broken.Line) // its words may be the owner's
		} else {
			return outbound.Failed(q.doing, err)
		}
		return &outbound.Error{Kind: outbound.BadAnswer, Doing: q.doing, Status: res.StatusCode, Err: err}
	}
	d := xml.NewDecoder(res.Body)
	inside := false
	for {
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
				return "", &outbound.Error{Kind: outbound.BadAnswer, Doing: q.doing, Status: res.StatusCode, Err: errors.New("the answer is no multistatus")}
			case t.Name.Space == "DAV:" && t.Name.Local == "response":
				var r response
				if err := d.DecodeElement(&r, &t); err != nil {
					return "", unread(err)
				}
				each(r)
			case t.Name.Space == "DAV:" && t.Name.Local == "sync-token":
				if err := d.DecodeElement(&token, &t); err != nil {
					return "", unread(err)
				}
			default:
				if err := d.Skip(); err != nil {
					return "", unread(err)
				}
			}
		}
	}
}
