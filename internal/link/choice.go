package link

import (
	"context"
	"errors"
	"fmt"

	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/clash"
	"niche/internal/outbox"
	"niche/internal/store"
)

// ErrReadOnly says that a calendar cannot be written to.
var ErrReadOnly = errors.New("this calendar can only be read, so it cannot get bookings")

// CopiesAhead says that copies of visits ahead lie in a calendar that is to get no
// more bookings, and that nobody said what becomes of them.
type CopiesAhead struct{ Count int }

// Error says how many.
func (c CopiesAhead) Error() string {
	return fmt.Sprintf("%d copies of visits ahead lie in this calendar", c.Count)
}

// ErrNotOpened says that a calendar is opened by its owner alone.
var ErrNotOpened = errors.New("only its owner opens a calendar")

// Choice is what a calendar is for, and how its events count.
type Choice struct {
	Blocks, GetsBookings      bool
	PadBefore, PadAfter       span.Minutes // kept free around its events
	TentativeFree, AllDayFree bool         // such events take no time
	Titles                    bool         // what its events are called is kept and shown
	ForeignVisits             bool         // its events are visits that another desk has made; only of one whose titles are shown
	ByOwner                   bool         // its owner chooses: nobody else opens a calendar
}

// Choose sets what a calendar is for. A calendar that begins to get bookings also
// gets the visits that lie ahead. What becomes of the copies in one that ends is told
// by how; without that, it is asked by an error of type CopiesAhead.
func (l *Links) Choose(ctx context.Context, calendar store.ID, over store.Expected, choice Choice, how outbox.Ending) (store.Calendar, int64, error) {
	var c store.Calendar
	var version int64
	now := span.At(l.now())
	err := l.db.Write(ctx, func(tx store.Tx) error {
		var err error
		if c, err = tx.Calendar(calendar); err != nil {
			return err
		}
		if version, err = tx.Meet(over); err != nil {
			return err
		}
		if choice.GetsBookings && !c.CanWrite && !c.GetsBookings {
			return ErrReadOnly
		}
		if choice.Titles && !c.Titles && !choice.ByOwner {
			return ErrNotOpened
		}
		choice.ForeignVisits = choice.ForeignVisits && choice.Titles
		if c.Titles && !choice.Titles {
			if err := tx.ForgetTitles(calendar); err != nil {
				return err
			}
		}
		ahead, err := outbox.Ahead(tx, calendar, now)
		if err != nil {
			return err
		}
		before := choiceOf(c)
		begins, ends := choice.GetsBookings && !c.GetsBookings, !choice.GetsBookings && c.GetsBookings
		if ends && ahead > 0 && how == "" {
			return CopiesAhead{ahead}
		}
		c.Blocks, c.GetsBookings, c.PadBefore, c.PadAfter = choice.Blocks, choice.GetsBookings, choice.PadBefore, choice.PadAfter
		c.TentativeFree, c.AllDayFree, c.NextAt = choice.TentativeFree, choice.AllDayFree, 0
		c.Titles, c.ForeignVisits = choice.Titles, choice.ForeignVisits
		if err := tx.SaveChoice(c); err != nil {
			return err
		}
		if begins {
			err = outbox.Begins(tx, c.ID, now)
		} else if ends {
			err = outbox.Ends(tx, c.ID, how, now)
		}
		if err != nil {
			return err
		}
		link, err := tx.Link(c.LinkID)
		if err != nil {
			return err
		}
		if err := tx.Watching(link.StaffID, now); err != nil {
			return err
		}
		if err := blocking.Pack(tx, c.ID); err != nil {
			return err
		}
		if _, err = clash.OfCalendar(tx, c.ID, now); err != nil {
			return err
		}
		return tx.Note(now, "chose for", "calendar", link.StaffID, c.Name, before, choiceOf(c))
	})
	if err != nil {
		return c, version, fmt.Errorf("choosing for calendar %d: %w", calendar, err)
	}
	return c, version, nil
}

// choiceOf is what the trail keeps of a calendar.
func choiceOf(c store.Calendar) any {
	return map[string]any{"blocks": c.Blocks, "getsBookings": c.GetsBookings, "padBefore": c.PadBefore, "padAfter": c.PadAfter,
		"tentativeFree": c.TentativeFree, "allDayFree": c.AllDayFree, "titles": c.Titles, "foreignVisits": c.ForeignVisits}
}

// Wish keeps what is wished of the copies in a link. Those of visits ahead are written
// anew where they are to say something else, and those about which it was asked what
// holds are looked at again.
func (l *Links) Wish(ctx context.Context, id store.ID, w store.Wishes) error {
	now := span.At(l.now())
	return l.db.Write(ctx, func(tx store.Tx) error {
		link, err := tx.Link(id)
		if err != nil {
			return err
		}
		before := link.Wishes
		if before == w {
			return nil
		}
		link.Wishes = w
		if err := tx.SaveWishes(link); err != nil {
			return err
		}
		if before.Drift != w.Drift {
			err = outbox.LookAgain(tx, id, now)
		}
		same := before
		same.Drift, same.Pending, same.Buffers = w.Drift, w.Pending, w.Buffers
		if same != w {
			err = errors.Join(err, outbox.Rewrite(tx, id, now))
		}
		if before.Pending != w.Pending || before.Buffers != w.Buffers {
			err = errors.Join(err, beginAgain(tx, id, now))
		}
		return errors.Join(err, tx.Note(now, "chose about copies for", "link", link.StaffID, link.Username, before, w))
	})
}

// beginAgain wishes the copies in the calendars of a link as they should be.
func beginAgain(tx store.Tx, link store.ID, now span.Instant) error {
	calendars, err := tx.CalendarsOf(link)
	for _, c := range calendars {
		if c.GetsBookings {
			err = errors.Join(err, outbox.Begins(tx, c.ID, now))
		}
	}
	return err
}

// Remove takes a link away: its calendars block and get nothing from then on, and its
// secret is forgotten. Copies that are to be removed first keep it closing until they
// are gone; removed again with outbox.Leave, it goes at once.
func (l *Links) Remove(ctx context.Context, id store.ID, how outbox.Ending) error {
	now := span.At(l.now())
	giveBack := func() {}
	err := l.db.Write(ctx, func(tx store.Tx) error {
		link, err := tx.Link(id)
		if err != nil {
			return err
		}
		calendars, err := tx.CalendarsOf(id)
		if err != nil {
			return err
		}
		if !link.Closing {
			if err := note(tx, now, "unlinked", link); err != nil {
				return err
			}
		}
		left := 0
		for _, c := range calendars {
			ahead, err := outbox.Ahead(tx, c.ID, now)
			if err != nil {
				return err
			}
			left += ahead
		}
		if left > 0 && how != outbox.Remove && how != outbox.Leave {
			return CopiesAhead{left}
		}
		for _, c := range calendars {
			if err := outbox.Ends(tx, c.ID, how, now); err != nil {
				return err
			}
			c.Blocks, c.GetsBookings, c.Watched = false, false, false
			if err := tx.SaveChoice(c); err != nil {
				return err
			}
			if _, err := clash.OfCalendar(tx, c.ID, now); err != nil {
				return err
			}
		}
		if left > 0 && how == outbox.Remove {
			link.Closing, link.NextAt = true, now
			return tx.SaveLink(&link)
		}
		giveBack = l.giveBack(ctx, link)
		return forgetLink(tx, link, calendars, now)
	})
	if err != nil {
		return fmt.Errorf("removing link %d: %w", id, err)
	}
	giveBack()
	l.forget(id)
	return nil
}

// forgetLink forgets a link with all that is known of its calendars. What a proof could not remove there is out of reach from
// then on, so the trail says it.
func forgetLink(tx store.Tx, link store.Link, calendars []store.Calendar, now span.Instant) error {
	left, err := tx.LeavesProof(link.ID)
	if err == nil && left {
		err = note(tx, now, "left a proof in", link)
	}
	if err != nil {
		return err
	}
	for _, c := range calendars {
		if err := errors.Join(tx.DeleteCopies(c.ID), tx.DeleteCalendar(c.ID)); err != nil {
			return err
		}
	}
	return tx.DeleteLink(link.ID)
}

// closingLook is how often it is looked whether the copies of a closing link are
// gone, in minutes.
const closingLook span.Minutes = 1

// close forgets a link that is closing once its copies are gone.
func (l *Links) close(ctx context.Context, link store.Link) error {
	now := span.At(l.now())
	giveBack := func() {}
	err := l.db.Write(ctx, func(tx store.Tx) error {
		calendars, err := tx.CalendarsOf(link.ID)
		if err != nil {
			return err
		}
		for _, c := range calendars {
			copies, err := tx.CopiesIn(c.ID, 0)
			if err != nil {
				return err
			}
			for _, k := range copies {
				if k.NextAt < store.Never {
					link.TriedAt, link.NextAt = now, now.Add(closingLook)
					return tx.NoteListing(link)
				}
			}
		}
		giveBack = l.giveBack(ctx, link)
		return forgetLink(tx, link, calendars, now)
	})
	if err == nil {
		giveBack()
		l.forget(link.ID)
	}
	return err
}
