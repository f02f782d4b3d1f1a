package caldav

import (
	"context"
	"encoding/xml"
	"errors"
	"net/http"
	"strings"

	"niche/internal/outbound"
)

// Known is what is remembered of a calendar from the last time it was read.
type Known struct {
	Token string // of sync-collection, if the host gave one
	Tag   string // the collection tag, if the host has one
	// ETags returns those of all events, by path. It is asked only when they are
	// listed; nil means that there are none.
	ETags func(context.Context) (map[string]string, error)
}

func (k Known) etags(ctx context.Context) (map[string]string, error) {
	if k.ETags == nil {
		return nil, nil
	}
	return k.ETags(ctx)
}

// Changes is what differs from what was known.
type Changes struct {
	Changed []string // paths of new and changed events
	Removed []string // paths of events that are gone
	Token   string
	Tag     string
}

// Changes asks what changed, with the cheapest question that the host
// understands: sync-collection (RFC 6578) with the known token; the collection
// tag; a listing of ETags, which always works. A token that the host has
// forgotten falls back by itself.
func (c *Client) Changes(ctx context.Context, calendar string, known Known) (Changes, error) {
	if known.Token != "" {
		ch, err := c.sync(ctx, calendar, known.Token)
		if err == nil {
			ch.Tag = known.Tag
			return ch, nil
		}
		if !asksForMore(err) || ctx.Err() != nil {
			return ch, err
		}
	}
	var now prop
	_, err := c.ask(ctx, query{"asking for the state of the calendar", "PROPFIND", calendar, "0",
		`<d:propfind ` + namespaces + `><d:prop><d:sync-token/><s:getctag/><d:resourcetype/></d:prop></d:propfind>`}, func(r response) {
		if p, ok := r.found(); ok {
			now = p
		}
	})
	if err != nil {
		return Changes{}, err
	}
	if now.CollectionTag != "" && now.CollectionTag == known.Tag {
		return Changes{Token: now.SyncToken, Tag: now.CollectionTag}, nil
	}
	etags, err := known.etags(ctx)
	if err != nil {
		return Changes{}, err
	}
	// The token is older than the listing, so nothing falls between the two.
	ch := Changes{Token: now.SyncToken, Tag: now.CollectionTag}
	there := map[string]bool{}
	_, err = c.ask(ctx, query{"listing the events", "PROPFIND", calendar, "1",
		`<d:propfind ` + namespaces + `><d:prop><d:getetag/><d:resourcetype/></d:prop></d:propfind>`}, func(r response) {
		p, ok := r.found()
		path := c.path(r.Href)
		if !ok || p.ResourceType.Collection != nil || path == c.path(calendar) {
			return
		}
		there[path] = true
		if etag, ok := etags[path]; !ok || etag != p.ETag || p.ETag == "" {
			ch.Changed = append(ch.Changed, path)
		}
	})
	if err != nil {
		return Changes{}, err
	}
	for path := range etags {
		if !there[path] {
			ch.Removed = append(ch.Removed, path)
		}
	}
	return ch, nil
}

// asksForMore reports whether a refused sync-collection leaves a listing to be
// tried. Hosts refuse a token that they have forgotten in many ways; a host that
// is silent, too busy or does not know us is not asked more.
func asksForMore(err error) bool {
	var e *outbound.Error
	if !errors.As(err, &e) {
		return false
	}
	switch e.Kind {
	case outbound.WrongKey, outbound.OwnNetwork, outbound.TooLarge:
		return false
	case outbound.NotReached:
		return e.Status == http.StatusInternalServerError || e.Status == http.StatusNotImplemented
	}
	return true
}

func (c *Client) sync(ctx context.Context, calendar, token string) (Changes, error) {
	ch := Changes{Token: token}
	const doing = "asking what changed"
	for range 1000 { // a host may answer in parts (RFC 6578, section 3.6)
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(ch.Token))
		partial := false
		next, err := c.ask(ctx, query{doing, "REPORT", calendar, "0",
			`<d:sync-collection ` + namespaces + `><d:sync-token>` + b.String() + `</d:sync-token><d:sync-level>1</d:sync-level>` +
				`<d:prop><d:getetag/></d:prop></d:sync-collection>`}, func(r response) {
			path := c.path(r.Href)
			switch status := statusCode(r.Status); {
			case status == http.StatusInsufficientStorage:
				partial = true
			case path == c.path(calendar):
			case status == http.StatusNotFound:
				ch.Removed = append(ch.Removed, path)
			default:
				ch.Changed = append(ch.Changed, path)
			}
		})
		if err != nil {
			return ch, err
		}
		if next == "" {
			return ch, &outbound.Error{Kind: outbound.StaleToken, Doing: doing, Err: errors.New("the host gave no new token")}
		}
		done := !partial || next == ch.Token
		ch.Token = next
		if done {
			return ch, nil
		}
	}
	return ch, &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Err: errors.New("the answer has no end")}
}

// Object is an event resource.
type Object struct {
	Path string
	ETag string
	Body []byte
}

// batch is how many events are fetched with one request.
const batch = 100

// Fetch fetches events by calendar-multiget (RFC 4791, section 7.9), in batches,
// and hands each to take. An event that has gone meanwhile is handed over
// without a body.
func (c *Client) Fetch(ctx context.Context, calendar string, paths []string, take func(Object) error) error {
	for len(paths) > 0 {
		n := min(batch, len(paths))
		var b strings.Builder
		for _, p := range paths[:n] {
			b.WriteString("<d:href>")
			_ = xml.EscapeText(&b, []byte(p))
			b.WriteString("</d:href>")
		}
		got := map[string]Object{}
		_, err := c.ask(ctx, query{"fetching events", "REPORT", calendar, "1",
			`<c:calendar-multiget ` + namespaces + `><d:prop><d:getetag/><c:calendar-data/></d:prop>` + b.String() + `</c:calendar-multiget>`}, func(r response) {
			o := Object{Path: c.path(r.Href)}
			if p, ok := r.found(); ok {
				o.ETag, o.Body = p.ETag, []byte(p.Data)
			}
			got[o.Path] = o
		})
		if err != nil {
			return err
		}
		for _, p := range paths[:n] {
			o, ok := got[c.path(p)]
			if !ok {
				o.Path = p
			}
			if err := take(o); err != nil {
				return err
			}
		}
		paths = paths[n:]
	}
	return nil
}

// Get fetches one event.
func (c *Client) Get(ctx context.Context, path string) (Object, error) {
	res, body, err := c.whole(ctx, request{doing: "reading the copy back", method: http.MethodGet, href: path}, http.StatusOK)
	if err != nil {
		return Object{}, err
	}
	return Object{Path: path, ETag: res.Header.Get("ETag"), Body: body}, nil
}

// Put writes an event: a new one when etag is empty, and otherwise the version
// that has this etag. It returns the new etag, which hosts that rewrite what
// they store leave out. The kind Changed says that the condition failed.
func (c *Client) Put(ctx context.Context, path, etag string, body []byte) (string, error) {
	header := map[string]string{"Content-Type": "text/calendar; charset=utf-8", "If-None-Match": "*"}
	if etag != "" {
		delete(header, "If-None-Match")
		header["If-Match"] = etag
	}
	res, _, err := c.whole(ctx, request{doing: "writing the copy", method: http.MethodPut, href: path, header: header, body: body},
		http.StatusCreated, http.StatusNoContent, http.StatusOK)
	if err != nil {
		return "", err
	}
	return res.Header.Get("ETag"), nil
}

// Delete removes the version of an event that has this etag. The kind NotThere
// says that it had gone already.
func (c *Client) Delete(ctx context.Context, path, etag string) error {
	header := map[string]string{}
	if etag != "" {
		header["If-Match"] = etag
	}
	_, _, err := c.whole(ctx, request{doing: "removing the copy", method: http.MethodDelete, href: path, header: header},
		http.StatusNoContent, http.StatusOK, http.StatusAccepted)
	return err
}
