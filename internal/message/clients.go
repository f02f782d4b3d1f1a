package message

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"niche/core/span"
	"niche/internal/live"
	"niche/internal/secret"
	"niche/internal/store"
)

// The kinds of mail to clients.
const (
	Received  = "received" // a request, that waits for a decision
	Confirmed = "confirmed"
	Changed   = "changed" // moved, or handed over to somebody else
	Cancelled = "cancelled"
	Declined  = "declined"
	Reminder  = "reminder"
	FollowUp  = "follow-up"
	Room      = "room" // where a visit online is, told later than the visit itself

	TextReminder = "text reminder"
)

// News is what has become of a booking.
type News struct {
	Kind    string // Received, Confirmed, Changed, Cancelled or Declined
	Booking store.Booking
	Was     Was // of one that has changed
}

// Was is where a visit was, and with whom.
type Was struct {
	Start span.Instant `json:"start"`
	End   span.Instant `json:"end"`
	Staff []store.ID   `json:"staff"`
}

// together is how long a change waits for another one, so that both are told at once.
const together span.Minutes = 2

// Booked writes down what a client is told of the news of their booking, and plans what is
// to be said later. It belongs into the transaction that makes the news.
func (m *Messages) Booked(tx store.Tx, n News) error {
	if m.Home == "" {
		return nil // the settings say that no mail goes out
	}
	k := n.Booking
	a, err := accountOf(tx, k)
	if err != nil {
		return err
	}
	news := store.Message{Kind: n.Kind, About: fmt.Sprintf("news of booking %d", k.ID), Until: a.visit.Start}
	waits := func(kind string) (store.Message, bool) {
		i := slices.IndexFunc(a.messages, func(r store.Message) bool { return r.Kind == kind && r.State == store.MessageWaiting })
		if i < 0 {
			return store.Message{}, false
		}
		return a.messages[i], true
	}
	if n.Kind == Changed {
		if _, unsaid := waits(Confirmed); unsaid {
			// It says where the visit is when it goes out: there is nothing else to be told.
			return errors.Join(m.inform(tx, n, a.visit), m.plan(tx, a))
		}
		if earlier, ok := waits(Changed); ok {
			news.Was = earlier.Was // what the client was told last
		} else {
			was, err := json.Marshal(n.Was)
			if err != nil {
				return err
			}
			news.Was = string(was)
		}
		news.NotBefore = span.At(m.Now()).Add(together)
	}
	if n.Kind == Cancelled || n.Kind == Declined {
		news.Until = max(a.visit.Start, span.At(m.Now()).Add(day)) // also of one that has begun
	}
	if err := m.add(tx, k, news); err != nil {
		return err
	}
	return errors.Join(m.inform(tx, n, a.visit), m.plan(tx, a))
}

// add writes down a message to the client of a booking. An older one about the same that
// has not gone out is overtaken; one that was held back stays so.
func (m *Messages) add(tx store.Tx, k store.Booking, row store.Message) error {
	now := span.At(m.Now())
	older, err := tx.MessagesAbout(row.About, 0)
	if err != nil {
		return err
	}
	row.State = store.MessageWaiting
	for _, o := range older {
		if o.State == store.MessageHeldBack {
			row.State = store.MessageHeldBack
			if err := tx.HoldBack(o, false); err != nil {
				return err
			}
			o.State = store.MessageWaiting
		}
		if o.State == store.MessageWaiting {
			if err := tx.SaveMessage(settled(o, store.MessageOvertaken, now)); err != nil {
				return err
			}
		}
	}
	token := secret.New()
	if err := tx.AddWay(store.Way{TokenHash: secret.Hash(token), BookingID: k.ID, MadeAt: now}); err != nil {
		return err
	}
	if row.Channel == "" {
		row.Channel, row.Recipient = store.ByMail, k.ClientMail
	}
	row.BookingID, row.MessageID, row.MadeAt = k.ID, fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()), now
	row.Subject, row.NextAt = Title(row.Kind), max(now, row.NotBefore)
	if row.State == store.MessageHeldBack {
		row.NextAt = store.Never
	}
	row.Text = m.Vault.Seal(token, row.MessageID)
	return tx.AddMessage(&row)
}

// Title is what a kind of message to a client is called.
func Title(kind string) string {
	for _, t := range Texts {
		if t.Kind == kind {
			return t.Name
		}
	}
	return kind
}

// Plan writes down anew what is to be said of a booking later, by what its service says now.
func (m *Messages) Plan(tx store.Tx, k store.Booking) error {
	if m.Home == "" {
		return nil
	}
	a, err := accountOf(tx, k)
	if err != nil {
		return err
	}
	return m.plan(tx, a)
}

// account is a booking with what its client was told and will be.
type account struct {
	booking  store.Booking
	visit    store.Visit
	service  store.Service
	messages []store.Message // the newest first
}

func accountOf(tx store.Tx, k store.Booking) (a account, err error) {
	a.booking = k
	if a.visit, err = tx.Visit(k.VisitID); err != nil {
		return a, err
	}
	if a.service, err = tx.Service(a.visit.ServiceID); err != nil {
		return a, err
	}
	a.messages, err = tx.MessagesOfBooking(k.ID)
	return a, err
}

// plan writes down what is to be said later, and takes back what is not any more.
func (m *Messages) plan(tx store.Tx, a account) error {
	now, k, v := span.At(m.Now()), a.booking, a.visit
	var wanted []store.Message
	if k.Status == store.Confirmed {
		for _, before := range a.service.Messages.Reminders {
			// Who books later than that is not reminded of what they have just done.
			if at := v.Start.Add(-before); at > now {
				wanted = append(wanted, store.Message{Kind: Reminder, About: fmt.Sprintf("%d min before booking %d", before, k.ID), NotBefore: at, Until: v.Start})
			}
		}
		for _, before := range a.service.Messages.ByText {
			if at := v.Start.Add(-before); at > now && k.ClientPhone != "" {
				wanted = append(wanted, store.Message{Kind: TextReminder, Channel: store.ByText, Recipient: k.ClientPhone, About: fmt.Sprintf("text %d min before booking %d", before, k.ID), NotBefore: at, Until: v.Start})
			}
		}
		if after := a.service.Messages.FollowUp; after > 0 && v.End.Add(after) > now {
			wanted = append(wanted, store.Message{Kind: FollowUp, About: fmt.Sprintf("after booking %d", k.ID), NotBefore: v.End.Add(after), Until: v.End.Add(after + 3*day)})
		}
	}
	for _, row := range a.messages {
		if row.Kind != Reminder && row.Kind != TextReminder && row.Kind != FollowUp || row.State != store.MessageWaiting && row.State != store.MessageHeldBack {
			continue
		}
		if i := slices.IndexFunc(wanted, func(w store.Message) bool { return w.About == row.About }); i >= 0 {
			if wanted[i].NotBefore == row.NotBefore {
				wanted = slices.Delete(wanted, i, i+1) // it stands as it should
			}
			continue // it is overtaken by the new one
		}
		if err := errors.Join(tx.HoldBack(row, false), tx.SaveMessage(settled(row, store.MessageOvertaken, now))); err != nil {
			return err
		}
	}
	for _, w := range wanted {
		if err := m.add(tx, k, w); err != nil {
			return err
		}
	}
	return nil
}

// aboutBooking reports whether what a message tells of a booking is still so.
func aboutBooking(tx store.Tx, row store.Message, now span.Instant) (bool, error) {
	k, err := tx.Booking(row.BookingID)
	if err != nil {
		return false, err
	}
	v, err := tx.Visit(k.VisitID)
	if err != nil {
		return false, err
	}
	switch row.Kind {
	case Received:
		return k.Status == store.Pending, nil
	case Confirmed:
		return k.Status == store.Confirmed, nil
	case Changed:
		var was Was
		if err := json.Unmarshal([]byte(row.Was), &was); err != nil {
			return false, fmt.Errorf("reading where a visit was: %w", err)
		}
		staff, err := tx.VisitStaff(v.ID)
		slices.Sort(staff)
		slices.Sort(was.Staff)
		return k.Status == store.Confirmed && (was.Start != v.Start || was.End != v.End || !slices.Equal(staff, was.Staff)), err
	case Room:
		return k.Status == store.Confirmed && now < v.End, nil
	case Reminder, TextReminder:
		return k.Status == store.Confirmed && now < v.Start, nil
	case FollowUp:
		return k.Status == store.Confirmed && k.MissedAt == 0 && v.End <= now, nil
	}
	return k.Status == store.Cancelled, nil
}

// uid is that of a booking's invitation, the same for ever. It is no copy's: whoever keeps
// the invitation in a calendar that blocks their own time is busy then.
func uid(k store.Booking) string {
	return fmt.Sprintf("%s-%d@invitation.niche", strings.ToLower(k.Reference), k.CreatedAt)
}

// ErrSettled says that a message was sent, or is not wanted any more.
var ErrSettled = errors.New("the message is settled")

// HoldBack keeps a message that is kept for later from being sent, or lets it go out after all.
func (m *Messages) HoldBack(tx store.Tx, row store.Message, back bool) error {
	if back && row.State == store.MessageHeldBack || !back && row.State == store.MessageWaiting {
		return nil
	}
	if row.State != store.MessageWaiting && row.State != store.MessageHeldBack {
		return ErrSettled
	}
	return tx.HoldBack(row, back)
}

// PlanAhead writes down anew what is to be said later of all bookings ahead of a service.
func (m *Messages) PlanAhead(tx store.Tx, service store.ID) error {
	if m.Home == "" {
		return nil
	}
	ids, err := tx.ConfirmedAhead(service, span.At(m.Now()))
	for _, id := range ids {
		k, err := tx.Booking(id)
		if err == nil {
			err = m.Plan(tx, k)
		}
		if err != nil {
			return fmt.Errorf("planning messages of booking %d: %w", id, err)
		}
	}
	return err
}

// roomWithin is how long a mail waits for the room online that it tells of.
const roomWithin span.Minutes = 3

// waitsForRoom reports whether a message about a booking is better kept for a moment: the room
// online, of which it tells, is still being made.
func waitsForRoom(tx store.Tx, row store.Message, now span.Instant) (bool, error) {
	if row.Kind != Confirmed && row.Kind != Changed || now >= max(row.MadeAt, row.NotBefore).Add(roomWithin) {
		return false, nil
	}
	k, err := tx.Booking(row.BookingID)
	if err != nil {
		return false, err
	}
	at, err := tx.MeetingOf(k.VisitID)
	return at.ID != 0 && at.Address == "", err
}

// waitForRoom keeps a message for a moment where it is better kept, and reports whether it did. That is seen in the
// transaction that notes it: what has just been made brings the messages forward that wait by then.
func (m *Messages) waitForRoom(ctx context.Context, row store.Message, now span.Instant) (wait bool, err error) {
	if wait, err = waitsForRoom(m.DB.Read(ctx), row, now); err != nil || !wait {
		return wait, err
	}
	err = m.DB.Write(ctx, func(tx store.Tx) error {
		if wait, err = waitsForRoom(tx, row, now); err != nil || !wait {
			return err
		}
		row.NextAt = now.Add(1)
		return tx.SaveMessage(row)
	})
	m.Hub.Tell(live.Messages)
	return wait, err
}

// RoomMade tells the clients of a visit where it is online, who were told of it before that was
// known; mails that have waited for it go out.
func (m *Messages) RoomMade(tx store.Tx, visit store.ID) error {
	if m.Home == "" {
		return nil
	}
	on, err := tx.BookingsOn(visit)
	if err != nil {
		return err
	}
	v, err := tx.Visit(visit)
	if err != nil {
		return err
	}
	now := span.At(m.Now())
	for _, k := range on {
		list, err := tx.MessagesOfBooking(k.ID)
		if err != nil {
			return err
		}
		i := slices.IndexFunc(list, func(r store.Message) bool {
			return (r.Kind == Confirmed || r.Kind == Changed) && (r.State == store.MessageWaiting || r.State == store.MessageSent)
		})
		if i < 0 || k.Status != store.Confirmed {
			continue
		}
		if list[i].State == store.MessageWaiting {
			err = tx.MessageDue(list[i].ID, max(now, list[i].NotBefore))
		} else {
			err = m.add(tx, k, store.Message{Kind: Room, About: fmt.Sprintf("room of booking %d", k.ID), Until: v.End})
		}
		if err != nil {
			return err
		}
	}
	return nil
}
