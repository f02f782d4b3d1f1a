package reading

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/schedule"
	"niche/internal/source"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// unnotedPolls is for how many polls in a row readings that find nothing new are not
// written down.
const unnotedPolls = 5

// unnoted is for how many seconds that is.
func unnoted(poll time.Duration) span.Instant { return span.Instant(unnotedPolls * poll / time.Second) }

// atOnce is how many events are expanded before they are kept. What has been
// kept is not fetched again when the rest fails.
const atOnce = 100

// soonIs how near a visit makes its owner's calendars be read more often.
const soonIs span.Minutes = 4 * 60

// lateAfter is how old what is known of a calendar may be, in seconds, beyond what
// its host asks for.
const lateAfter = 30 * 60

// StateOf returns how well a calendar is known at a moment. What was read long ago,
// or at a moment that is still to come by the present clock, is not fresh.
func StateOf(c store.Calendar, now span.Instant) store.CalendarState {
	old := now-c.ReadAt > lateAfter+60*span.Instant(c.Refresh)
	if c.State == store.Fresh && (old || c.ReadAt > now+60) {
		return store.Late
	}
	return c.State
}

// subject is a calendar with all that must be known to read it.
type subject struct {
	store.ToRead
	scope   ics.Scope    // its window is the horizon
	readFor string       // whose clock and mail addresses it is read by
	now     span.Instant // when the reading begins
	all     bool         // whatever is kept of it must be read again
	again   bool         // what reaches beyond the horizon must be read again, for that has moved
}

// subject reads what is known of a calendar. The horizon reaches from yesterday as
// far as any service can be booked, and some time further.
func (r *Readings) subject(ctx context.Context, id store.ID) (s subject, err error) {
	s.now = span.At(r.Now())
	tx := r.DB.Read(ctx)
	if s.ToRead, err = tx.CalendarToRead(id, s.now, soonIs); err != nil {
		return s, err
	}
	horizon, err := schedule.Horizon(tx, s.now)
	if err != nil {
		return s, err
	}
	const day = 24 * 60
	s.scope = ics.Scope{Window: span.Between(s.now.Add(-day), horizon), Owner: append([]string{}, s.Link.Mails...)}
	for _, mail := range []string{s.Email, s.Link.Username} {
		if strings.Contains(mail, "@") {
			s.scope.Owner = append(s.scope.Owner, strings.ToLower(mail))
		}
	}
	slices.Sort(s.scope.Owner)
	s.scope.Owner = slices.Compact(s.scope.Owner)
	if s.scope.Zone, err = hours.LoadZone(s.Zone); err != nil {
		return s, err
	}
	c := s.Calendar
	s.scope.Titles = c.Titles
	s.readFor = hashed(s.Zone + "\x00" + strings.Join(s.scope.Owner, "\x00"))[:16]
	if c.Titles {
		s.readFor += "+"
	}
	s.all = c.KnownTo == 0 || c.KnownFor != s.readFor
	// The horizon moves with the days, and events are not kept: those that reach beyond
	// it are read again. It has a month to spare, so each calendar does that at its own
	// time of the day.
	part := float64(s.now%86400) / 86400
	s.again = !s.all && (horizon > c.KnownTo+2*86400 || horizon > c.KnownTo && part >= spread(c.ID, 0))
	return s, nil
}

// read asks a calendar's source what changed, and keeps the busy spans of what
// did. When the host cannot be asked, the last good state stays in force.
func (r *Readings) read(ctx context.Context, id store.ID, polled bool) error {
	s, err := r.subject(ctx, id)
	if err == nil && polled && !s.Calendar.Watched {
		r.DB.Pulses.Drop(id)
		return nil
	}
	if err != nil {
		r.DB.Pulses.Drop(id)
		return fmt.Errorf("reading calendar %d: %w", id, err)
	}
	began, state := r.Now(), s.Calendar.State
	changed, err := r.readSubject(ctx, &s)
	r.counts.lasted.Observe(r.Now().Sub(began).Seconds())
	if r.Noted != nil && ctx.Err() == nil {
		r.Noted(id, s.Link.Host, r.Now().Sub(began), err)
	}
	if err == nil {
		r.counts.reads.WithLabelValues(map[bool]string{true: "changed", false: "unchanged"}[changed]).Inc()
		r.Hosts.Answered(s.Link.Host)
		if changed || state != store.Fresh {
			r.Hub.Tell(live.Calendars)
		}
		return nil
	}
	if ctx.Err() != nil {
		r.DB.Pulses.Drop(id)
		return err
	}
	r.counts.reads.WithLabelValues("failed").Inc()
	err = fmt.Errorf("reading calendar %d at %s: %w", id, s.Link.Host, err)
	return errors.Join(err, r.failed(ctx, s, began, polled, err))
}

// readSubject hands what the source says to be kept.
func (r *Readings) readSubject(ctx context.Context, s *subject) (changed bool, err error) {
	reader, err := r.Links.Reader(s.Link, s.Calendar)
	if err != nil {
		return false, err
	}
	k := r.keeping(s)
	known := source.Known{Mark: s.Calendar.Mark, Now: s.now.Time(), All: s.all, Objects: func(ctx context.Context) (map[string]source.Object, error) {
		list, err := r.DB.Read(ctx).Objects(s.Calendar.ID)
		out := make(map[string]source.Object, len(list))
		for _, o := range list {
			out[o.Href] = source.Object{Address: o.Address, ETag: o.Etag, ReadAt: o.ReadAt.Time(), Owed: o.Owed}
		}
		return out, err
	}}
	tx := r.DB.Read(ctx)
	if s.Owed {
		known.Again, err = tx.OwedPaths(s.Calendar.ID)
	}
	if err == nil && s.again {
		var reaching []string
		reaching, err = tx.BeyondPaths(s.Calendar.ID)
		known.Again = append(known.Again, reaching...)
	}
	if err != nil {
		return false, err
	}
	news, err := reader.Read(ctx, known, func(p source.Part) error { return k.take(ctx, p) })
	if err == nil {
		err = k.end(ctx, news)
	}
	return k.changed, err
}

// longestRefresh is the most that a host's own wish for fewer looks is granted.
const longestRefresh = 6 * time.Hour

// next returns when the calendar is to be read again: more often while a visit is
// near, as seldom as its host wishes, and a little earlier or later so that not all
// come at once.
func (r *Readings) next(s *subject, refresh span.Minutes) span.Instant {
	now := r.Now()
	wait := max(r.Poll, min(time.Duration(refresh)*time.Minute, longestRefresh))
	if s.Soon {
		wait = r.Poll / 2
	}
	return span.NotBefore(now.Add(wait + time.Duration((spread(s.Calendar.ID, span.At(now))-0.5)*0.2*float64(wait))))
}

// Pauses between tries that fail for the calendar's own reasons.
const (
	firstPause   = 5 * time.Second
	longestPause = 10 * time.Minute
)

// failed keeps why a calendar could not be read, and when to try again. A look at
// the moment of booking counts for nothing but the state: the calendar is due at
// once, and its poll finds out what is wrong with its host.
func (r *Readings) failed(ctx context.Context, s subject, began time.Time, polled bool, cause error) error {
	c := s.Calendar
	state, told := store.NotReached, words.Of(cause)
	if s.Link.Kind == store.FeedLink {
		told = words.OfFeed(cause)
	}
	switch outbound.KindOf(cause) {
	case outbound.WrongKey, outbound.Forbidden, outbound.NotPublic, outbound.SignInPage:
		state = store.Refused
	case outbound.NotThere:
		state = store.Gone
	}
	if errors.Is(cause, words.ErrOtherKey) {
		state = store.Refused
	}
	failedBefore := time.Time{}
	if c.State == state && c.Error != "" {
		failedBefore = c.TriedAt.Time()
	}
	asked := outbound.RetryAfter(cause)
	pause := work.Pause(firstPause, c.Failures, longestPause)
	switch {
	case !polled:
		pause = 0
	case outbound.IsSilence(cause) && r.Hosts.Silent(s.Link.Host, began, failedBefore, asked):
		pause = 0 // as soon as its host has rested
	default:
		c.Failures++
	}
	if outbound.HasAnswered(cause) {
		r.Hosts.Answered(s.Link.Host)
	}
	err := r.DB.Write(ctx, func(tx store.Tx) error {
		now, failures := r.Now(), c.Failures
		c, err := tx.Calendar(c.ID) // some of it may have been read before
		if err != nil {
			return err
		}
		c.State, c.Error, c.Failures, c.TriedAt, c.NextAt = state, told.Text, failures, span.At(now), span.NotBefore(now.Add(max(pause, asked)))
		if err := tx.NoteReading(c); err != nil || state != store.Refused || r.Refused == nil || !c.Blocks && !c.GetsBookings {
			return err
		}
		return r.Refused(tx, s.Link)
	})
	r.DB.Pulses.Drop(s.Calendar.ID)
	r.Hub.Tell(live.Calendars)
	if !polled {
		r.Wake()
	}
	return err
}
