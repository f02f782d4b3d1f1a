package caldav

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"strings"

	"niche/internal/outbound"
	"niche/internal/plain"
	"niche/internal/source"
)

// wellKnown is where a host that is given by name alone says where its
// calendars are (RFC 6764, section 5).
const wellKnown = "/.well-known/caldav"

// maxMails is how many addresses of a user are kept.
const maxMails = 20

// Discover finds the user's principal (RFC 5397), calendar home and calendars
// (RFC 4791, sections 6.2.1 and 5.2) from the address: first from what the
// address names itself, then by the host's well-known address, then its root. The
// home may lie on another host, which the user's own names: it gets the same
// credentials, and nobody else does.
func (c *Client) Discover(ctx context.Context) (source.Account, error) {
	var a source.Account
	tries := []string{requestable(c.base.EscapedPath()), wellKnown, "/"}
	if c.base.Path == "/" {
		tries = tries[1:]
	}
	var first error
	for _, address := range tries {
		var err error
		if a.Principal, err = c.principal(ctx, address); err == nil {
			break
		}
		switch outbound.KindOf(err) {
		case outbound.NotThere, outbound.BadAnswer, outbound.BadAddress, outbound.Forbidden, outbound.NotServed:
		default:
			return a, err // a wrong key or a silent host is not mended by another path
		}
		first = cmp.Or(first, err)
	}
	if a.Principal == "" {
		kind := outbound.BadAddress
		switch {
		case outbound.KindOf(first) == outbound.NotServed:
			kind = outbound.NotServed
		case outbound.KindOf(first) == outbound.Forbidden && c.sign.Token != "":
			kind = outbound.Forbidden // the token is good, and not for calendars
		}
		return a, &outbound.Error{Kind: kind, Doing: "looking for a calendar account at " + c.base.Host, Err: first}
	}
	return c.Account(ctx, a.Principal)
}

// Account finds a user's calendar home, addresses and calendars from the principal.
func (c *Client) Account(ctx context.Context, principal string) (source.Account, error) {
	a := source.Account{Principal: principal}
	_, err := c.ask(ctx, query{"asking for the calendar home", "PROPFIND", a.Principal, "0",
		`<d:propfind ` + namespaces + `><d:prop><c:calendar-home-set/><c:calendar-user-address-set/></d:prop></d:propfind>`}, func(p part) {
		if len(p.prop.Home.Hrefs) > 0 && a.Home == "" {
			origin, address := locate(c.at(a.Principal), p.prop.Home.Hrefs[0])
			a.Home = cmp.Or(origin, originOf(c.base)) + address
		}
		for _, h := range p.prop.Addresses.Hrefs {
			if mail, ok := strings.CutPrefix(strings.ToLower(strings.TrimSpace(h)), "mailto:"); ok && len(a.Mails) < maxMails && len(mail) <= 254 {
				a.Mails = append(a.Mails, mail)
			}
		}
	})
	if err != nil {
		return a, err
	}
	if a.Home == "" {
		return a, &outbound.Error{Kind: outbound.BadAddress, Doing: "asking for the calendar home", Err: errors.New("the account has no calendars")}
	}
	homes, err := c.Elsewhere(a.Home)
	if err != nil {
		return a, err
	}
	a.Calendars, a.Unclear, a.More, err = homes.Calendars(ctx)
	return a, err
}

// Elsewhere returns a client for another address of the same account, with the
// same credentials. From https it does not lead to http.
func (c *Client) Elsewhere(address string) (*Client, error) {
	other, err := NewClient(c.http, address, c.sign.Credentials)
	if err != nil {
		return nil, err
	}
	if c.base.Scheme == "https" && other.base.Scheme != "https" {
		return nil, &outbound.Error{Kind: outbound.BadAddress, Doing: "asking for the calendars",
			Err: errors.New("they lie at an address that anybody on the way can read")}
	}
	return other, nil
}

func (c *Client) principal(ctx context.Context, address string) (string, error) {
	found, foreign := "", ""
	_, err := c.ask(ctx, query{"looking for the account at " + address, "PROPFIND", address, "0",
		`<d:propfind ` + namespaces + `><d:prop><d:current-user-principal/></d:prop></d:propfind>`}, func(p part) {
		if len(p.prop.Principal.Hrefs) > 0 && found == "" {
			foreign, found = locate(c.at(p.address), p.prop.Principal.Hrefs[0])
		}
	})
	switch {
	case err != nil:
		return "", err
	case foreign != "":
		return "", &outbound.Error{Kind: outbound.BadAddress, Doing: "looking for the account at " + address, Err: fmt.Errorf("it is kept at %s; link that address instead", foreign)}
	case found == "":
		return "", &outbound.Error{Kind: outbound.BadAnswer, Doing: "looking for the account at " + address, Err: errors.New("the host names no account there")}
	}
	return found, nil
}

// Calendars lists the calendars that can hold events below the client's address,
// which is a calendar home. The home itself must answer, so that what is in neither
// list is not there; unclear are the paths of which the host does not say what they
// are, and more is how many calendars there are beside those that are listed.
func (c *Client) Calendars(ctx context.Context) (list []source.Calendar, unclear []string, more int, err error) {
	const doing = "listing the calendars"
	home := requestable(c.base.EscapedPath())
	answered, refused := false, 0
	_, err = c.ask(ctx, query{doing, "PROPFIND", home, "1",
		`<d:propfind ` + namespaces + `><d:prop><d:resourcetype/><d:displayname/><d:current-user-privilege-set/>` +
			`<c:supported-calendar-component-set/><a:calendar-color/></d:prop></d:propfind>`}, func(p part) {
		if p.origin == "" && sameCollection(p.path, Path(home)) {
			answered, refused = p.status == 200, p.status
		} else if p.status != 200 && !p.isGone() && len(unclear) < source.MaxCalendars {
			unclear = append(unclear, p.path)
		}
		if p.origin != "" || !p.prop.isCalendar() {
			return
		}
		if len(list) == source.MaxCalendars {
			more++
			return
		}
		cal := source.Calendar{Path: p.path, Address: p.address, Name: plain.Clean(p.prop.DisplayName, source.MaxName), Colour: colour(p.prop.Colour), CanWrite: p.prop.canWrite()}
		if cal.Name == "" {
			parts := strings.Split(strings.Trim(cal.Path, "/"), "/")
			cal.Name = plain.Clean(parts[len(parts)-1], source.MaxName)
		}
		list = append(list, cal)
	})
	if err == nil && !answered {
		err = statusError(doing, refused)
	}
	return list, unclear, more, err
}

// isCalendar reports whether the collection is a calendar of its owner's that takes
// events. Without a stated set of components it takes everything (RFC 4791, section
// 5.2.3).
func (p prop) isCalendar() bool {
	t := p.ResourceType
	if t.Calendar == nil || t.Inbox != nil || t.Subscribed != nil {
		return false
	}
	for _, comp := range p.Components.List {
		if strings.EqualFold(comp.Name, "VEVENT") {
			return true
		}
	}
	return len(p.Components.List) == 0
}

// canWrite reports whether events can be put there. A host that states no
// privileges is taken to allow it; a write that fails will tell.
func (p prop) canWrite() bool {
	if p.Privileges == nil {
		return true
	}
	content, bind := false, false
	for _, v := range p.Privileges.List {
		if v.All != nil || v.Write != nil {
			return true
		}
		content, bind = content || v.WriteContent != nil, bind || v.Bind != nil
	}
	return content && bind
}

// colour returns the rgb part of a colour as hosts state it, #rrggbb or #rrggbbaa.
func colour(text string) string {
	text = strings.ToLower(strings.TrimSpace(text))
	var rgb uint32
	if len(text) < 7 {
		return ""
	}
	if _, err := fmt.Sscanf(text[:7], "#%06x", &rgb); err != nil {
		return ""
	}
	return fmt.Sprintf("#%06x", rgb)
}
