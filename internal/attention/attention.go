// Package attention finds what somebody has to look at, and remembers since when.
//
// What there is follows from the present state alone: an item is open as long as its cause
// is there, closes by itself when that goes, and is a new one when it comes again. What is
// remembered of it is since when it is there, that somebody has put it off, or has left it
// as it is. Each kind is one file of this package.
package attention

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"slices"

	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Kind is a kind of items.
type Kind string

// Item is something that somebody has to look at.
type Item struct {
	store.Item
	Words string       // what still holds, in a sentence or two
	Hurts span.Instant // when it hurts a client, if nobody does anything; store.Never for not by itself
	Staff store.NamedID
	// What it is about, as far as it is about such: 0 for none.
	Visit, Booking, Copy, Link store.ID
	Proof                      store.ID  // the last of the link
	Lies                       span.Span // where a copy lies that was moved
	Leave                      bool      // it can be left as it is
}

// kind finds the items of one kind.
type kind struct {
	name  Kind
	Label string // in a word or two, for a filter
	find  func(l look) ([]Item, error)
}

// kinds are all of them.
var kinds = []kind{clashes, drifts, unwritten, meetings, refunds, links, targets, pending, answers, unfit, unread, proofs, mails, hoursless}

// Labels returns how the kinds are called, in their order.
func Labels() (names []Kind, labels map[Kind]string) {
	labels = map[Kind]string{}
	for _, k := range kinds {
		names, labels[k.name] = append(names, k.name), k.Label
	}
	return names, labels
}

// look is one look at everything.
type look struct {
	tx   store.Tx
	now  span.Instant
	text words.In
}

// onDay says when a visit is: Thu 26 Nov, 13:30–15:00.
func (l look) onDay(v store.OnVisit) string {
	return l.text.Local(v.During).Format("Mon 2 Jan, ") + l.text.Stretch(span.Between(v.During, v.Until)).Label
}

// item begins an item about a visit.
func (l look) item(k Kind, v store.OnVisit) Item {
	return Item{Item: store.Item{Kind: string(k), Cause: fmt.Sprintf("%s:%d", k, v.ID), StaffID: &v.StaffID, FoundAt: v.At}, Hurts: v.During, Visit: v.VisitID, Staff: store.NamedID{ID: v.StaffID, Name: v.Staff}}
}

// find finds all items.
func find(tx store.Tx, now span.Instant) (list []Item, err error) {
	l := look{tx: tx, now: now}
	if l.text.Zone, err = schedule.Zone(tx); err != nil {
		return nil, err
	}
	for _, k := range kinds {
		some, err := k.find(l)
		if err != nil {
			return nil, fmt.Errorf("looking for what needs attention, %s: %w", k.name, err)
		}
		for i := range some {
			some[i].Kind = string(k.name)
		}
		list = append(list, some...)
	}
	return list, nil
}

// remembered is for how long closed items are kept.
const remembered = 90 * 24 * 60 // minutes

// Look returns what is open, what hurts soonest first, and remembers it. Nothing is written
// where nothing has changed.
func Look(ctx context.Context, db *store.DB, now span.Instant) ([]Item, error) {
	list, known, err := compare(db.Read(ctx), now)
	if err == nil && changes(list, known) {
		err = db.Write(ctx, func(tx store.Tx) error {
			if list, known, err = compare(tx, now); err != nil {
				return err
			}
			return remember(tx, list, known, now)
		})
	}
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(list, func(a, b Item) int {
		return cmp.Or(cmp.Compare(a.Hurts, b.Hurts), cmp.Compare(b.FoundAt, a.FoundAt), cmp.Compare(a.ID, b.ID))
	})
	return list, nil
}

// compare finds all items, and puts to each what is remembered of it; what is left over has
// no cause any more.
func compare(tx store.Tx, now span.Instant) (list []Item, over map[string]store.Item, err error) {
	if list, err = find(tx, now); err != nil {
		return nil, nil, err
	}
	open, err := tx.OpenItems()
	if err != nil {
		return nil, nil, err
	}
	over = map[string]store.Item{}
	for _, o := range open {
		over[o.Cause] = o
	}
	for i := range list {
		if o, ok := over[list[i].Cause]; ok {
			o.Title, o.StaffID = list[i].Title, list[i].StaffID
			list[i].Item = o
			delete(over, o.Cause)
		}
	}
	return list, over, nil
}

// changes reports whether there is something new to remember.
func changes(list []Item, over map[string]store.Item) bool {
	return len(over) > 0 || slices.ContainsFunc(list, func(i Item) bool { return i.ID == 0 })
}

func remember(tx store.Tx, list []Item, over map[string]store.Item, now span.Instant) error {
	for i := range list {
		if list[i].ID != 0 {
			continue
		}
		if list[i].FoundAt == 0 || list[i].FoundAt > now {
			list[i].FoundAt = now
		}
		if err := tx.SaveItem(&list[i].Item); err != nil {
			return err
		}
	}
	for _, o := range over {
		o.ClosedAt = now
		if err := tx.SaveItem(&o); err != nil {
			return err
		}
	}
	return errors.Join(tx.ForgetItems(now.Add(-remembered)), tx.ForgetMisfits(now))
}

// InSight reports whether an item is to be looked at now: nobody has left it as it is, or put
// it off until later.
func (i Item) InSight(now span.Instant) bool { return i.KeptAt == 0 && i.PutOff <= now }

func named(id store.ID, name string) (*store.ID, store.NamedID) {
	return &id, store.NamedID{ID: id, Name: name}
}
