package attention

import (
	"fmt"
	"slices"
	"strings"

	"niche/core/span"
	"niche/internal/store"
	"niche/internal/words"
)

// late is how long a calendar may not have been read before somebody looks at it.
const late = 15 // minutes

// A link whose calendars cannot be read, or not written to. A host that does not answer is
// one item, however many links it has.
var links = kind{"link", "link", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllTroubled(l.now, late)
	if err != nil {
		return nil, err
	}
	groups, order := map[string][]store.Troubled{}, []string{}
	for _, c := range rows {
		cause := ""
		switch {
		case c.State == store.NotReached:
			cause = "host:" + c.Host
		case c.State == store.Refused || c.State == store.Gone:
			cause = fmt.Sprintf("link:%d:%s", c.LinkID, c.State)
		case c.GetsBookings && !c.CanWrite:
			cause = fmt.Sprintf("read-only:%d", c.ID)
		default:
			continue
		}
		if groups[cause] == nil {
			order = append(order, cause)
		}
		groups[cause] = append(groups[cause], c)
	}
	for _, cause := range order {
		i, err := l.linkItem(cause, groups[cause])
		if err != nil {
			return nil, err
		}
		list = append(list, i)
	}
	return list, nil
}}

// linkItem says what is wrong with calendars for one cause.
func (l look) linkItem(cause string, group []store.Troubled) (Item, error) {
	c := group[0]
	host, err := l.tx.HostNamed(store.Link{Host: c.Host, Address: c.Account})
	if err != nil {
		return Item{}, err
	}
	who := words.FirstName(c.Staff)
	i := Item{Item: store.Item{Cause: cause}, Link: c.LinkID, Hurts: store.Never}
	i.StaffID, i.Staff = named(c.StaffID, c.Staff)
	var names, people []string
	copies, oldest := 0, c.ReadAt
	for _, o := range group {
		names, copies, oldest = append(names, o.Name), copies+o.Copies, min(oldest, o.ReadAt)
		if !slices.Contains(people, words.FirstName(o.Staff)) {
			people = append(people, words.FirstName(o.Staff))
		}
		if o.Blocks {
			i.Hurts = l.now // what comes there is sold from now on
		} else if o.Soonest != 0 {
			i.Hurts = min(i.Hurts, o.Soonest)
		}
	}
	i.FoundAt = oldest
	switch {
	case strings.HasPrefix(cause, "host:"):
		i.Title = fmt.Sprintf("%s does not answer", host)
		i.Words = fmt.Sprintf("%s of %s cannot be read: %s It is tried again by itself.", words.Capital(words.Counted(len(group), "calendar")), words.List(people, "and"), c.Error)
		if len(people) > 1 {
			i.StaffID, i.Staff = nil, store.NamedID{}
		}
	case strings.HasPrefix(cause, "read-only:"):
		i.Title = fmt.Sprintf("%s’s calendar “%s” can only be read now", who, c.Name)
		i.Words, i.FoundAt = "It gets bookings, and none can be written there any more. Let its owner give the right to write back, or choose another calendar.", 0
		if c.Soonest != 0 {
			i.Hurts = c.Soonest
		}
		return i, nil
	case c.State == store.Gone:
		i.Title = fmt.Sprintf("%s’s calendar “%s” is not there any more", who, c.Name)
		i.Words = fmt.Sprintf("%s does not know it. Choose another one, or link it anew.", host)
	default:
		i.Title = fmt.Sprintf("%s refuses %s’s link", host, who)
		i.Words = fmt.Sprintf("%s cannot be read: %s", words.List(names, "and"), c.Error)
		if c.Mail != "" {
			i.Words += fmt.Sprintf(" %s is asked by mail to sign in again.", who)
		}
	}
	if oldest > 0 {
		i.Words += fmt.Sprintf(" What was read %s still blocks time.", l.text.Moment(oldest))
	} else {
		i.Words += " Nothing has been read yet, so no start is offered over it."
	}
	if copies > 0 {
		i.Words += fmt.Sprintf(" %s to be written.", waits(copies))
	}
	return i, nil
}

func waits(copies int) string {
	if copies == 1 {
		return "One copy waits"
	}
	return fmt.Sprintf("%d copies wait", copies)
}

// soonest is when something hurts that has to do with the next visit of somebody.
func soonest(at span.Instant) span.Instant {
	if at == 0 {
		return store.Never
	}
	return at
}
