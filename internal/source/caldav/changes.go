package caldav

import (
	"context"
	"encoding/xml"
	"errors"
	"net/http"
	"strings"

	"niche/internal/outbound"
	"niche/internal/source"
)

// found is a resource that a listing or sync-collection names.
type found struct {
	address string
	etag    string // "" where the host does not say it
}

// changes are what a host says that differs.
type changes struct {
	changed map[string]found // by path
	gone    map[string]bool
	token   string
}

func (c changes) isNone() bool { return len(c.changed)+len(c.gone) == 0 }

// maxRounds is into how many parts a host may divide one answer, and maxChanges how
// many resources it may name in them.
const (
	maxRounds  = 100
	maxChanges = 200_000
)

// statusError is the failure that a status inside an answer stands for.
func statusError(doing string, status int) error {
	if status == 0 {
		return &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Err: errors.New("the host says nothing of what it was asked for")}
	}
	return outbound.Refused(doing, &http.Response{StatusCode: status, Header: http.Header{}, Body: http.NoBody})
}

// sync asks what changed in a calendar since a token was given (RFC 6578).
func (c *Calendar) sync(ctx context.Context, token string) (changes, error) {
	ch := changes{map[string]found{}, map[string]bool{}, token}
	const doing = "asking what changed"
	for range maxRounds { // a host may answer in parts (section 3.6)
		var b strings.Builder
		_ = xml.EscapeText(&b, []byte(ch.token))
		partial, own := false, 0
		next, err := c.ask(ctx, query{doing, "REPORT", c.address, "0",
			`<d:sync-collection ` + namespaces + `><d:sync-token>` + b.String() + `</d:sync-token><d:sync-level>1</d:sync-level>` +
				`<d:prop><d:getetag/></d:prop></d:sync-collection>`}, func(p part) {
			switch {
			case p.status == http.StatusInsufficientStorage:
				partial = true
			case sameCollection(p.path, c.path):
				own = p.status
			case p.isGone():
				ch.gone[p.path] = true
				delete(ch.changed, p.path)
			default:
				ch.changed[p.path] = found{p.address, p.prop.ETag}
				delete(ch.gone, p.path)
			}
		})
		switch {
		case err != nil:
			return ch, err
		case own != 0 && own != http.StatusOK:
			return ch, statusError(doing, own) // the calendar itself has gone, or is closed to us
		case next == "":
			return ch, &outbound.Error{Kind: outbound.StaleToken, Doing: doing, Err: errors.New("the host gave no new token")}
		case !partial:
			ch.token = next
			return ch, nil
		case next == ch.token || len(ch.changed)+len(ch.gone) > maxChanges:
			return ch, &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Err: errors.New("the answer has no end")}
		}
		ch.token = next
	}
	return ch, &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Err: errors.New("the answer has no end")}
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
	case outbound.WrongKey, outbound.OwnNetwork, outbound.TooLarge, outbound.NoSuchHost, outbound.CutOff, outbound.NotTrusted:
		return false
	case outbound.NotReached:
		return e.Status == http.StatusInternalServerError
	}
	return true
}

// state asks for what stands for all of a calendar: its token and its tag. The
// calendar must answer for itself, and be one.
func (c *Calendar) state(ctx context.Context) (prop, error) {
	const doing = "asking for the state of the calendar"
	var now prop
	own := 0
	_, err := c.ask(ctx, query{doing, "PROPFIND", c.address, "0",
		`<d:propfind ` + namespaces + `><d:prop><d:sync-token/><s:getctag/><d:resourcetype/></d:prop></d:propfind>`}, func(p part) {
		if sameCollection(p.path, c.path) {
			now, own = p.prop, p.status
		}
	})
	switch {
	case err != nil:
		return now, err
	case own != http.StatusOK:
		return now, statusError(doing, own)
	case now.ResourceType.Calendar == nil:
		return now, &outbound.Error{Kind: outbound.NotThere, Doing: doing, Err: errors.New("there is something else at its address")}
	}
	return now, nil
}

// list lists all resources of a calendar. One of which the host does not say the
// version is in it all the same: it is there.
func (c *Calendar) list(ctx context.Context) (map[string]found, error) {
	const doing = "listing the events"
	all := map[string]found{}
	own, cut := 0, false
	_, err := c.ask(ctx, query{doing, "PROPFIND", c.address, "1",
		`<d:propfind ` + namespaces + `><d:prop><d:getetag/><d:resourcetype/></d:prop></d:propfind>`}, func(p part) {
		switch {
		case p.status == http.StatusInsufficientStorage:
			cut = true // RFC 5323, section 2.3.1, and what RFC 6578 took from it
		case sameCollection(p.path, c.path):
			own = p.status
		case p.isGone(), p.prop.ResourceType.Collection != nil:
		default:
			all[p.path] = found{p.address, p.prop.ETag}
		}
	})
	switch {
	case err != nil:
		return nil, err
	case own != http.StatusOK:
		return nil, statusError(doing, own)
	case cut:
		return nil, &outbound.Error{Kind: outbound.InPart, Doing: doing, Err: errors.New("the host lists only some of the events")}
	}
	return all, nil
}

// wholly lists a calendar, a second time where more than half of what is known has
// gone at once: only what is missing twice counts as gone.
func (c *Calendar) wholly(ctx context.Context, known map[string]source.Object) (changes, error) {
	ch := changes{gone: map[string]bool{}}
	var err error
	if ch.changed, err = c.list(ctx); err != nil {
		return ch, err
	}
	missing := func() int {
		clear(ch.gone)
		for path := range known {
			if _, there := ch.changed[path]; !there {
				ch.gone[path] = true
			}
		}
		return len(ch.gone)
	}
	if missing()*2 <= len(known) {
		return ch, nil
	}
	again, err := c.list(ctx)
	if err != nil {
		return ch, err
	}
	for path, f := range ch.changed {
		if _, there := again[path]; !there {
			again[path] = f
		}
	}
	ch.changed = again
	missing()
	return ch, nil
}
