package caldav

import (
	"context"
	"errors"
	"fmt"
	"strings"

	"niche/internal/outbound"
)

// Account is what discovery finds out about a user.
type Account struct {
	Principal string
	Home      string
	Mails     []string // the user's addresses, without mailto:
	Calendars []Calendar
}

// Calendar is a calendar collection that can hold events.
type Calendar struct {
	Href     string // path on the host
	Name     string
	Colour   string // #rrggbb, or empty
	CanWrite bool
}

// wellKnown is where a host that is given by name alone says where its
// calendars are (RFC 6764, section 5).
const wellKnown = "/.well-known/caldav"

// Discover finds the user's principal (RFC 5397), calendar home and calendars
// (RFC 4791, sections 6.2.1 and 5.2) from the address: first from what the
// address names itself, then by the host's well-known address, then its root.
func (c *Client) Discover(ctx context.Context) (Account, error) {
	var a Account
	tries := []string{c.base.Path, wellKnown, "/"}
	if c.base.Path == "/" {
		tries = tries[1:]
	}
	var first error
	for _, href := range tries {
		var err error
		if a.Principal, err = c.principal(ctx, href); err == nil {
			break
		}
		if k := outbound.KindOf(err); k != outbound.NotThere && k != outbound.BadAnswer && k != outbound.BadAddress && k != outbound.Forbidden {
			return a, err // a wrong key or a silent host is not mended by another path
		}
		if first == nil {
			first = err
		}
	}
	if a.Principal == "" {
		return a, &outbound.Error{Kind: outbound.BadAddress, Doing: "looking for a calendar account at " + c.base.Host, Err: first}
	}
	_, err := c.ask(ctx, query{"asking for the calendar home", "PROPFIND", a.Principal, "0",
		`<d:propfind ` + namespaces + `><d:prop><c:calendar-home-set/><c:calendar-user-address-set/></d:prop></d:propfind>`}, func(r response) {
		p, _ := r.found()
		if len(p.Home.Hrefs) > 0 {
			a.Home = c.path(p.Home.Hrefs[0])
		}
		for _, h := range p.Addresses.Hrefs {
			if mail, ok := strings.CutPrefix(strings.ToLower(strings.TrimSpace(h)), "mailto:"); ok {
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
	a.Calendars, err = c.Calendars(ctx, a.Home)
	return a, err
}

func (c *Client) principal(ctx context.Context, href string) (string, error) {
	found := ""
	_, err := c.ask(ctx, query{"looking for the account at " + href, "PROPFIND", href, "0",
		`<d:propfind ` + namespaces + `><d:prop><d:current-user-principal/></d:prop></d:propfind>`}, func(r response) {
		if p, ok := r.found(); ok && len(p.Principal.Hrefs) > 0 && found == "" {
			found = c.path(p.Principal.Hrefs[0])
		}
	})
	if err != nil || found != "" {
		return found, err
	}
	return "", &outbound.Error{Kind: outbound.BadAnswer, Doing: "looking for the account at " + href, Err: errors.New("the host names no account there")}
}

// Calendars lists the calendars of a home that can hold events.
func (c *Client) Calendars(ctx context.Context, home string) ([]Calendar, error) {
	var list []Calendar
	_, err := c.ask(ctx, query{"listing the calendars", "PROPFIND", home, "1",
		`<d:propfind ` + namespaces + `><d:prop><d:resourcetype/><d:displayname/><d:current-user-privilege-set/>` +
			`<c:supported-calendar-component-set/><a:calendar-color/></d:prop></d:propfind>`}, func(r response) {
		p, ok := r.found()
		if !ok || p.ResourceType.Calendar == nil || !p.holdsEvents() {
			return
		}
		cal := Calendar{Href: c.path(r.Href), Name: strings.TrimSpace(p.DisplayName), Colour: colour(p.Colour), CanWrite: p.canWrite()}
		if cal.Name == "" {
			parts := strings.Split(strings.Trim(cal.Href, "/"), "/")
			cal.Name = parts[len(parts)-1]
		}
		list = append(list, cal)
	})
	return list, err
}

// holdsEvents reports whether the collection takes VEVENT. Without a stated set
// it takes everything (RFC 4791, section 5.2.3).
func (p prop) holdsEvents() bool {
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
