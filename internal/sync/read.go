package sync

import (
	"context"
	"errors"
	"fmt"
	"hash/fnv"
	"strings"
	"time"

	"golang.org/x/sync/errgroup"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/store"
)

// Read asks the host what changed in a calendar, and keeps the busy spans of
// what did. When the host cannot be asked, the last good state stays in force.
func (e *Engine) Read(ctx context.Context, id store.ID) error {
	release, err := e.alone(ctx, id)
	if err != nil {
		return err
	}
	defer release()
	begun := e.Now()
	s, err := e.source(ctx, id)
	if err != nil {
		return fmt.Errorf("reading calendar %d: %w", id, err)
	}
	changed := false
	if s.link.Kind == store.FeedLink {
		changed, err = e.readFeed(ctx, s)
	} else {
		changed, err = e.readAccount(ctx, s)
	}
	e.counts.lasted.Observe(e.Now().Sub(begun).Seconds())
	if err == nil {
		e.counts.reads.WithLabelValues(map[bool]string{true: "changed", false: "unchanged"}[changed]).Inc()
		e.hosts.note(link.HostOf(s.link), nil, 0, e.Now())
		if changed || s.State != store.Fresh {
			e.Hub.Tell(live.Calendars)
		}
		return nil
	}
	if ctx.Err() != nil && !errors.Is(ctx.Err(), context.DeadlineExceeded) {
		return err
	}
	e.counts.reads.WithLabelValues("failed").Inc()
	err = fmt.Errorf("reading calendar %d at %s: %w", id, link.HostOf(s.link), err)
	return errors.Join(err, e.noteFailure(context.WithoutCancel(ctx), s, err))
}

// LastLook reads the calendars that block a staff member, at the same time and
// within the time that the context gives. The error says that not all could be
// read.
func (e *Engine) LastLook(ctx context.Context, staff store.ID) error {
	var ids []store.ID
	err := e.DB.Read(ctx).Raw(`SELECT c.id FROM calendars c JOIN links l ON l.id = c.link_id
		WHERE l.staff_id = ? AND c.blocks = 1`, staff).Scan(&ids).Error
	if err != nil {
		return fmt.Errorf("looking for calendars to read: %w", err)
	}
	var all errgroup.Group
	for _, id := range ids {
		all.Go(func() error { return e.Read(ctx, id) })
	}
	return all.Wait()
}

// source is a calendar with all that must be known to read it.
type source struct {
	store.Calendar
	link  store.Link
	scope ics.Scope // its window is the horizon
	soon  bool      // a visit of its owner is near
	all   bool      // whatever is kept of it must be read again
	again bool      // what reaches beyond the horizon must be read again, for that has moved
	about string    // the horizon and the zone, to be kept
}

// soonIs how near a visit makes its owner's calendars be read more often.
const soonIs = 4 * 60

// source reads what is known of a calendar. The horizon reaches from yesterday to
// the furthest booking window and a month.
func (e *Engine) source(ctx context.Context, id store.ID) (s source, err error) {
	now := span.At(e.Now())
	db := e.DB.Read(ctx)
	if err := db.Take(&s.Calendar, id).Error; err != nil {
		return s, err
	}
	if err := db.Take(&s.link, s.LinkID).Error; err != nil {
		return s, err
	}
	var of struct {
		Zone, Email string
		Days        int
		Soon        bool
	}
	err = db.Raw(`SELECT s.zone, s.email, (SELECT COALESCE(MAX(window_days), 60) FROM services) AS days,
			EXISTS (SELECT 1 FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id WHERE vs.staff_id = s.id AND v.start > ? AND v.start < ?) AS soon
		FROM staff s WHERE s.id = ?`, now, now.Add(soonIs), s.link.StaffID).Scan(&of).Error
	if err != nil {
		return s, err
	}
	s.soon = of.Soon
	const day = 24 * 60
	s.scope = ics.Scope{Window: span.For(now.Add(-day), span.Minutes(of.Days+32)*day), Owner: append([]string{}, s.link.Mails...)}
	for _, mail := range []string{of.Email, s.link.Username} {
		if strings.Contains(mail, "@") {
			s.scope.Owner = append(s.scope.Owner, mail)
		}
	}
	s.scope.Zone, err = hours.LoadZone(of.Zone)
	if err == nil {
		s.expansion(now)
	}
	return s, err
}

// expansion finds out how far what is kept reaches. The horizon moves with the
// days, and events are not kept: those that reach beyond it are read again. It
// has a month to spare, so each calendar does that at its own time of the day.
func (s *source) expansion(now span.Instant) {
	utc := hours.Zone{}
	from, to := utc.DateAt(s.scope.Window.Start()), utc.DateAt(s.scope.Window.End())
	s.about = fmt.Sprintf("%s/%s/%s", from, to, s.scope.Zone)
	parts := strings.Split(s.ExpandedOn, "/")
	reached, err := hours.LocalDate(0), errors.New("never")
	if len(parts) > 2 {
		reached, err = hours.ParseDate(parts[1])
	}
	if err != nil || strings.Join(parts[2:], "/") != s.scope.Zone.String() {
		s.all = true
		return
	}
	part := float64(now%86400) / 86400
	s.again = to > reached+1 || to == reached+1 && part >= spread(s.ID, 0)
	if !s.again {
		s.about = s.ExpandedOn
	}
}

// spread returns a number from 0 to 1 that is always the same for a calendar and
// a salt, and differs between calendars.
func spread(id store.ID, salt span.Instant) float64 {
	h := fnv.New32a()
	_, _ = fmt.Fprint(h, id, "/", salt)
	return float64(h.Sum32()) / (1 << 32)
}

// longestRefresh is the most that a feed's own wish for fewer looks is granted.
const longestRefresh = 6 * time.Hour

// next returns when the calendar is to be read again: more often while a visit is
// near, as seldom as a feed wishes, and a little earlier or later so that not all
// come at once.
func (e *Engine) next(s source, refresh span.Minutes) span.Instant {
	now := e.Now()
	wait := max(e.Poll, min(time.Duration(refresh)*time.Minute, longestRefresh))
	if s.soon {
		wait = e.Poll / 2
	}
	return span.At(now.Add(wait + time.Duration((spread(s.ID, span.At(now))-0.5)*0.2*float64(wait))))
}

// noteFailure keeps why a calendar could not be read, and when to try again.
func (e *Engine) noteFailure(ctx context.Context, s source, cause error) error {
	state, words := store.NotReached, link.Words(cause)
	if s.link.Kind == store.FeedLink {
		words = link.FeedWords(cause)
	}
	var asked time.Duration
	var problem *outbound.Error
	if errors.As(cause, &problem) {
		asked = problem.RetryAfter
		switch problem.Kind {
		case outbound.WrongKey, outbound.Forbidden, outbound.NotPublic, outbound.SignInPage:
			state = store.Refused
		case outbound.NotThere:
			state = store.Gone
		}
	}
	e.hosts.note(link.HostOf(s.link), cause, asked, e.Now())
	wait := pause(e.Poll, s.Failures, asked)
	err := e.DB.Write(ctx, func(tx *gorm.DB) error {
		return tx.Model(&s.Calendar).Updates(map[string]any{"state": state, "error": words.Text,
			"failures": s.Failures + 1, "next_at": span.At(e.Now().Add(wait))}).Error
	})
	e.Hub.Tell(live.Calendars)
	return err
}
