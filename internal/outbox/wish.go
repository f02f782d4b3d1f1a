package outbox

import (
	"errors"
	"fmt"
	"slices"

	"niche/core/span"
	"niche/internal/source"
	"niche/internal/store"
)

// The functions of this file run in the transactions of others. They say what is
// wanted outside; that is carried out later.

// Want wishes the copies of a visit as they should be: where somebody has a confirmed
// booking on it, or one that is asked for where that is wished too, one in each calendar
// that gets the bookings of its staff, saying what it says now, and nowhere else; with the
// time before and after where that is wished. A copy in a calendar of theirs that no longer
// gets bookings stays as long as it is wanted there, and says the same.
func Want(tx store.Tx, visit store.ID, now span.Instant) error {
	bookings, err := tx.BookingsOn(visit)
	if err != nil {
		return fmt.Errorf("wishing copies: %w", err)
	}
	confirmed, asked := false, false
	for _, b := range bookings {
		confirmed, asked = confirmed || b.Status == store.Confirmed, asked || b.Status == store.Pending
	}
	copies, err := tx.CopiesOf(visit)
	if err != nil {
		return fmt.Errorf("wishing copies: %w", err)
	}
	v, err := tx.Visit(visit)
	if err != nil {
		return fmt.Errorf("wishing copies: %w", err)
	}
	targets, err := tx.CopyTargets(visit)
	if err != nil {
		return fmt.Errorf("wishing copies: %w", err)
	}
	type place struct {
		calendar store.ID
		part     store.Part
	}
	belongs := map[place]store.CopyTarget{}
	for _, t := range targets {
		if !confirmed && !(asked && t.Pending) {
			continue
		}
		belongs[place{t.ID, store.VisitItself}] = t
		if t.Buffers && v.BufferBefore > 0 {
			belongs[place{t.ID, store.TimeBefore}] = t
		}
		if t.Buffers && v.BufferAfter > 0 {
			belongs[place{t.ID, store.TimeAfter}] = t
		}
	}
	for _, c := range copies {
		at := place{c.CalendarID, c.Part}
		t, ours := belongs[at]
		wanted := ours && (t.Gets || c.Wanted && c.State != store.CopyLeft)
		if c.Wanted || wanted {
			if err := wish(tx, c, wanted, now); err != nil {
				return err
			}
		}
		delete(belongs, at)
	}
	for _, t := range targets {
		for _, p := range []store.Part{store.VisitItself, store.TimeBefore, store.TimeAfter} {
			if _, missing := belongs[place{t.ID, p}]; !missing || !t.Gets {
				continue
			}
			name := p.UID(v.UID) + ".ics"
			c := store.Copy{VisitID: visit, CalendarID: t.ID, Part: p, Path: t.Href + name, Address: t.Address + name, Wanted: true, State: store.CopyWaiting, WishedAt: now, NextAt: now}
			if err := tx.AddCopy(&c); err != nil {
				return fmt.Errorf("wishing a copy: %w", err)
			}
		}
	}
	return nil
}

// WantTest wishes copies of a proof's test booking, in the calendars of one link that get bookings.
func WantTest(tx store.Tx, v store.Visit, calendars []store.Calendar, now span.Instant) error {
	for _, c := range calendars {
		name := v.UID + ".ics"
		k := store.Copy{VisitID: v.ID, CalendarID: c.ID, Path: c.Href + name, Address: c.Address + name, Wanted: true, State: store.CopyWaiting, WishedAt: now, NextAt: now}
		if err := tx.AddCopy(&k); err != nil {
			return fmt.Errorf("wishing the copy of a test booking: %w", err)
		}
	}
	return nil
}

// Unwant wishes that all copies of a visit go.
func Unwant(tx store.Tx, visit store.ID, now span.Instant) error {
	copies, err := tx.CopiesOf(visit)
	for _, c := range copies {
		if c.Wanted {
			err = errors.Join(err, wish(tx, c, false, now))
		}
	}
	return err
}

// wish changes what is wanted of a copy. One that is wanted anew is written anew.
func wish(tx store.Tx, c store.Copy, wanted bool, now span.Instant) error {
	c.Wanted, c.State, c.Sequence = wanted, store.CopyWaiting, c.Sequence+1
	c.Error, c.Attempts, c.Rewrites, c.WishedAt, c.NextAt = "", 0, 0, now, now
	c.Drift, c.LiesStart, c.LiesEnd = "", 0, 0
	if err := tx.SaveWish(c); err != nil {
		return fmt.Errorf("wishing a copy: %w", err)
	}
	return nil
}

// Ending says what becomes of the copies in a calendar that no longer gets bookings,
// or whose link is taken away.
type Ending string

// The endings.
const (
	Keep   Ending = "keep"   // they stay, and go on saying what their visits say
	Remove Ending = "remove" // they are taken away
	Leave  Ending = "leave"  // they stay as they are, and are looked after no more
)

// Begins wishes copies of all visits that lie ahead in a calendar that begins to get
// bookings: new ones, and those anew that there are.
func Begins(tx store.Tx, calendar store.ID, now span.Instant) error {
	visits, err := tx.VisitsToCopy(calendar, now)
	if err != nil {
		return fmt.Errorf("wishing copies in a calendar: %w", err)
	}
	for _, v := range visits {
		if err := Want(tx, v, now); err != nil {
			return err
		}
	}
	return nil
}

// Ends settles the copies in a calendar that no longer gets bookings, of the visits
// that lie ahead. Those of what is over stay where they are.
func Ends(tx store.Tx, calendar store.ID, how Ending, now span.Instant) error {
	if how == Keep {
		return nil
	}
	copies, err := tx.CopiesIn(calendar, now)
	if err != nil {
		return fmt.Errorf("settling the copies in a calendar: %w", err)
	}
	for _, c := range copies {
		switch {
		case !c.Wanted:
		case how == Remove:
			err = wish(tx, c, false, now)
		case how == Leave:
			c.Wanted, c.State, c.Sequence, c.NextAt, c.Error = false, store.CopyLeft, c.Sequence+1, store.Never, ""
			err = tx.SaveWish(c)
		}
		if err != nil {
			return fmt.Errorf("settling a copy: %w", err)
		}
	}
	return nil
}

// Ahead counts the copies in a calendar of visits that lie ahead.
func Ahead(tx store.Tx, calendar store.ID, now span.Instant) (n int, err error) {
	copies, err := tx.CopiesIn(calendar, now)
	for _, c := range copies {
		if c.Wanted && c.Part == store.VisitItself {
			n++
		}
	}
	return n, err
}

// ErrSettled says that a copy is no longer one about which there is something to settle.
var ErrSettled = errors.New("nothing is to be settled about this copy")

// LookAgain has the copies of a link looked at again that somebody has made others.
func LookAgain(tx store.Tx, link store.ID, now span.Instant) error {
	copies, err := tx.AdriftUnder(link)
	for _, c := range copies {
		c.State = store.CopyDoubted
		err = errors.Join(err, anew(tx, c, now))
	}
	return err
}

// Rewrite wishes the copies of visits ahead anew that are right outside, under a link, or
// under all where it is 0: what they say has changed. Those that somebody has made others
// wait until that is settled.
func Rewrite(tx store.Tx, link store.ID, now span.Instant) error {
	copies, err := tx.CopiesAhead(link, now)
	for _, c := range copies {
		if c.Drift == "" {
			err = errors.Join(err, wish(tx, c, true, now))
		}
	}
	return err
}

// Again wishes a copy anew: what is outside is put right, whatever it has become.
func Again(tx store.Tx, c store.Copy, now span.Instant) error {
	if !c.Wanted {
		return ErrSettled
	}
	c.PutBacks = 0
	return wish(tx, c, true, now)
}

// LeaveAlone lets go of a copy that somebody has made another: it stays as it is, and is
// looked after no more.
func LeaveAlone(tx store.Tx, c store.Copy) error {
	if !c.Wanted || c.Drift == "" {
		return ErrSettled
	}
	c.Wanted, c.State, c.Sequence, c.NextAt, c.Error = false, store.CopyLeft, c.Sequence+1, store.Never, ""
	c.Drift, c.LiesStart, c.LiesEnd = "", 0, 0
	return tx.SaveWish(c)
}

// Seen notes what a reading of a calendar has seen of a visit's copy: at a path, in a
// version. What is not as it was left is looked at again, and a copy that should be
// gone, because a host carried out an old write late, is removed again. It reports
// whether there is something to do.
func Seen(tx store.Tx, calendar, visit store.ID, path, etag string, now span.Instant) (bool, error) {
	copies, err := tx.CopiesOfIn(calendar, visit)
	if err != nil {
		return false, fmt.Errorf("looking for a copy: %w", err)
	}
	if len(copies) == 0 {
		return turnedUp(tx, visit, now) // in a calendar that never got it
	}
	c, known := at(copies, path)
	if !known {
		return false, nil // somebody made another one
	}
	switch same := source.SameETag(etag, c.Etag); {
	case c.Wanted && (c.State == store.CopyReadBack || c.State == store.CopyAdrift) && !same:
		c.State = store.CopyDoubted
	case c.Wanted && (c.State == store.CopyWritten || c.State == store.CopyDoubted) && !same:
		// It is being looked at, and may have been looked at before this.
	case !c.Wanted && (c.State == store.CopyRemoved || c.State == store.CopyWaiting):
		c.State, c.Etag = store.CopyWaiting, ""
	default:
		return false, nil
	}
	return true, anew(tx, c, now)
}

// at returns the copy with a path.
func at(copies []store.Copy, path string) (store.Copy, bool) {
	i := slices.IndexFunc(copies, func(c store.Copy) bool { return c.Path == path })
	if i < 0 {
		return store.Copy{}, false
	}
	return copies[i], true
}

// turnedUp has copies looked at again that seemed to have been removed, when one turns up
// that nobody here has written: it may be that one, in another calendar.
func turnedUp(tx store.Tx, visit store.ID, now span.Instant) (again bool, err error) {
	copies, err := tx.CopiesOf(visit)
	for _, c := range copies {
		if c.Wanted && c.Drift == string(Deleted) && c.State == store.CopyAdrift {
			c.State, again = store.CopyDoubted, true
			err = errors.Join(err, anew(tx, c, now))
		}
	}
	return again, err
}

// anew has a copy looked at again, whatever comes of a try that is under way.
func anew(tx store.Tx, c store.Copy, now span.Instant) error {
	c.Sequence, c.NextAt = c.Sequence+1, now
	return tx.SaveWish(c)
}

// Missed notes that a reading no longer finds a visit's copy at a path.
func Missed(tx store.Tx, calendar, visit store.ID, path string, now span.Instant) (bool, error) {
	copies, err := tx.CopiesOfIn(calendar, visit)
	if err != nil {
		return false, fmt.Errorf("looking for a copy: %w", err)
	}
	c, known := at(copies, path)
	if !known || !c.Wanted || c.State != store.CopyReadBack && c.State != store.CopyWritten && c.State != store.CopyDoubted {
		return false, nil
	}
	if c.State == store.CopyReadBack {
		c.State = store.CopyDoubted
	}
	return true, anew(tx, c, now)
}
