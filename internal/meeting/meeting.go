// Package meeting has a meeting host make a room online for each visit that is held there, and
// take down those that are not wanted any more. What is wanted is written down in the
// transaction that changes the visit; the queue carries it out. A room has a key of ours, so
// that one whose making was cut off is not made twice; a visit that is handed over gets
// another room, since whoever had the old one knows its address.
package meeting

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/url"
	"time"

	"github.com/google/uuid"

	"niche/core/span"
	"niche/internal/gateway"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/outbox"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Want wishes the room of a visit as it should be. It belongs into the transaction that
// changes the visit.
func Want(tx store.Tx, visit store.ID, now span.Instant) error {
	v, err := tx.Visit(visit)
	if store.IsMissing(err) {
		return unwant(tx, visit, now)
	}
	if err != nil {
		return err
	}
	s, err := tx.Service(v.ServiceID)
	if err != nil {
		return err
	}
	on, err := tx.BookingsOn(visit)
	if err != nil {
		return err
	}
	confirmed := false
	for _, k := range on {
		confirmed = confirmed || k.Status == store.Confirmed
	}
	if s.Venue != store.Online || !confirmed {
		return unwant(tx, visit, now)
	}
	staff, err := tx.VisitStaff(visit)
	if err != nil {
		return err
	}
	whose, err := json.Marshal(staff)
	if err != nil {
		return err
	}
	m, err := tx.MeetingOf(visit)
	if err != nil {
		return err
	}
	if m.ID != 0 && m.Staff != string(whose) {
		if err := unwant(tx, visit, now); err != nil {
			return err
		}
		m = store.Meeting{}
	}
	if m.ID == 0 {
		m = store.Meeting{VisitID: visit, Key: uuid.NewString(), Staff: string(whose), Wanted: true}
	}
	m.Made, m.AskedAt, m.NextAt, m.Error, m.Attempts, m.Sequence = false, now, now, "", 0, m.Sequence+1
	return tx.SaveMeeting(&m)
}

// unwant wishes that the room of a visit goes.
func unwant(tx store.Tx, visit store.ID, now span.Instant) error {
	m, err := tx.MeetingOf(visit)
	if err != nil || m.ID == 0 {
		return err
	}
	m.Wanted, m.AskedAt, m.NextAt, m.Error, m.Attempts, m.Sequence = false, now, now, "", 0, m.Sequence+1
	return tx.SaveMeeting(&m)
}

// Meetings makes rooms.
type Meetings struct {
	DB       *store.DB
	Gateways gateway.Gateways
	Hosts    *work.Hosts
	Hub      *live.Hub
	Log      *slog.Logger
	Now      func() time.Time
	Wake     func()
	Told     func(tx store.Tx, visit store.ID) error // has clients told who were told before the room was there
}

// host is what the meeting host is called among the hosts.
var host = store.GatewayHost(store.Rooms)

// Queue returns the rooms as work.
func (m *Meetings) Queue() work.Queue {
	return work.Queue{Name: "meetings", Store: store.MeetingQueue, Do: m.do, Forward: func(tx store.Tx, at string, now span.Instant) error {
		if at != host {
			return nil
		}
		return tx.MeetingsForward(now)
	}}
}

// Pauses between tries.
const (
	firstPause   = 10 * time.Second
	longestPause = 30 * time.Minute
	noHost       = time.Hour
)

// room is what a meeting host is asked for.
type room struct {
	Name  string `json:"name"`
	Start string `json:"start"` // RFC 3339
	End   string `json:"end"`
}

// made is what it answers.
type made struct {
	Address string `json:"address"`
}

// check refuses an answer that tells no address at which people can meet.
func (m made) check() error {
	if u, err := url.Parse(m.Address); err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || len(m.Address) > 500 {
		return &outbound.Error{Kind: outbound.BadAnswer, Doing: "reading the address of a room", Status: 200}
	}
	return nil
}

// Try has a meeting host make a room, and take it down again.
func Try(ctx context.Context, gateways gateway.Gateways, g store.Gateway, key, name string, during span.Span) error {
	var got made
	err := gateways.Ask(ctx, g, "PUT", "/rooms/"+key, room{name, during.Start().String(), during.End().String()}, &got)
	if err == nil {
		err = got.check()
	}
	return errors.Join(err, gateways.Ask(ctx, g, "DELETE", "/rooms/"+key, nil, nil))
}

func (m *Meetings) do(ctx context.Context, id store.ID) error {
	db := m.DB.Read(ctx)
	row, err := db.Meeting(id)
	if store.IsMissing(err) {
		return nil
	}
	if err != nil {
		return fmt.Errorf("making room %d: %w", id, err)
	}
	began := m.Now()
	failedBefore := time.Time{}
	if row.Error != "" {
		failedBefore = row.TriedAt.Time()
	}
	never := row.TriedAt == 0
	row.TriedAt = span.At(began)
	g, err := db.Gateway(store.Rooms)
	if store.IsMissing(err) {
		if !row.Wanted && never {
			return m.forget(ctx, row) // nobody was ever asked for it
		}
		row.Error, row.NextAt = "No meeting host is set up.", span.NotBefore(began.Add(noHost))
		return m.note(ctx, row)
	}
	if err != nil {
		return fmt.Errorf("making room %d: %w", id, err)
	}
	if !row.Wanted {
		if err = m.Gateways.Ask(ctx, g, "DELETE", "/rooms/"+url.PathEscape(row.Key), nil, nil); err == nil || outbound.KindOf(err) == outbound.NotThere {
			m.Hosts.Answered(host)
			return m.forget(ctx, row)
		}
		return m.failed(ctx, row, err, began, failedBefore)
	}
	v, err := db.Visit(row.VisitID)
	if err != nil {
		return fmt.Errorf("making room %d: %w", id, err)
	}
	s, err := db.Service(v.ServiceID)
	if err != nil {
		return fmt.Errorf("making room %d: %w", id, err)
	}
	var got made
	if err = m.Gateways.Ask(ctx, g, "PUT", "/rooms/"+url.PathEscape(row.Key), room{s.Name, v.Start.String(), v.End.String()}, &got); err == nil {
		err = got.check()
	}
	if err != nil {
		return m.failed(ctx, row, err, began, failedBefore)
	}
	m.Hosts.Answered(host)
	news := row.Address != got.Address
	row.Address, row.Made, row.Error, row.Attempts, row.NextAt = got.Address, true, "", 0, store.Never
	err = m.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		noted, err := tx.NoteMeeting(row)
		if err != nil || !noted || !news {
			return err
		}
		// Copies say the address from now on, and so do clients' mails that wait for it.
		return errors.Join(outbox.Want(tx, row.VisitID, span.At(m.Now())), m.Told(tx, row.VisitID))
	})
	m.Hub.Tell(live.Bookings)
	m.Wake()
	return err
}

// failed notes that a try has failed, and when the next is.
func (m *Meetings) failed(ctx context.Context, row store.Meeting, err error, began, failedBefore time.Time) error {
	if ctx.Err() != nil {
		return ctx.Err()
	}
	row.Error = words.OfGateway(err)
	pause := work.Pause(firstPause, row.Attempts, longestPause)
	if outbound.IsSilence(err) && m.Hosts.Silent(host, began, failedBefore, outbound.RetryAfter(err)) {
		pause = 0
	} else {
		row.Attempts++
	}
	if outbound.HasAnswered(err) {
		m.Hosts.Answered(host)
	}
	row.NextAt = span.NotBefore(m.Now().Add(pause))
	return errors.Join(fmt.Errorf("making room %d: %w", row.ID, err), m.note(ctx, row))
}

func (m *Meetings) note(ctx context.Context, row store.Meeting) error {
	err := m.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		_, err := tx.NoteMeeting(row)
		return err
	})
	m.Hub.Tell(live.Bookings)
	return err
}

func (m *Meetings) forget(ctx context.Context, row store.Meeting) error {
	return m.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error { return tx.ForgetMeeting(row.ID) })
}
