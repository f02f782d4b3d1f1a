// Package message sends mail to staff members and clients: that something is to be said is
// written down in the transaction that makes the news, and sent after it, as one of the
// queues. What a client is told of a booking is what is so when it goes out: news that were
// overtaken are not sent, and two changes within two minutes are told once.
//
// A mail keeps its identity (RFC 5322, Message-ID) however often it is tried: when the
// connection breaks while the server takes it, the second one is known to be the same. What
// was overtaken before it went out is not sent. The text is sealed, since it can hold an
// address that signs somebody in, and forgotten once it is not wanted any more.
package message

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/url"
	"time"

	"github.com/google/uuid"

	"niche/core/span"
	"niche/internal/gateway"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/store"
	"niche/internal/work"
)

// Vault seals what may not be read in the database.
type Vault interface {
	Seal(secret, owner string) []byte
	Open(sealed []byte, owner string) (string, error)
}

// Settings of the messages.
type Settings struct {
	DB       *store.DB
	Vault    Vault
	Sign     Deriver // of the addresses to which answers go
	Hosts    *work.Hosts
	Hub      *live.Hub
	Dial     outbound.Dial // that reaches only what addresses given by users may
	Gateways gateway.Gateways
	Home     string                                            // the address by which Niche is reached, without a slash at the end; empty where nobody has said it
	Needs    func(ctx context.Context) ([]Need, error)         // what needs somebody now
	Declined func(ctx context.Context, booking store.ID) error // does what follows when a client does not come
	Hears    bool                                              // mail that comes back is brought here
	Log      *slog.Logger
	Now      func() time.Time
}

// Messages sends mail.
type Messages struct{ Settings }

// New returns the messages of a database.
func New(s Settings) *Messages { return &Messages{s} }

// ErrNoHome says that nobody has told the program by which address it is reached, so that
// no mail can lead to it.
var ErrNoHome = errors.New("the address of this Niche is not known")

// Mail is one mail to a staff member.
type Mail struct {
	Kind  string
	Staff store.Staff
	About string       // of what it tells
	Thing store.ID     // the link or the visit whose state it tells, which may change before it goes out; 0 for none
	Until span.Instant // it is not worth sending after
	Text  Text
	Daily bool // it is told once a day, and what was told of before stays
}

// Put writes down that a mail is to be sent. Whoever has no mail address gets none. An
// older one about the same that has not gone out is overtaken.
func (m *Messages) Put(tx store.Tx, mail Mail) error {
	if m.Home == "" {
		return ErrNoHome
	}
	if mail.Staff.Email == "" {
		return nil
	}
	now := span.At(m.Now())
	if mail.Daily {
		told, err := tx.MessagesAbout(mail.About, now.Add(-day))
		if err != nil || len(told) > 0 {
			return err
		}
	}
	if err := m.Overtake(tx, mail.About); err != nil {
		return err
	}
	row := store.Message{Kind: mail.Kind, Channel: store.ByMail, StaffID: mail.Staff.ID, About: mail.About, Thing: mail.Thing, MessageID: fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()), Recipient: mail.Staff.Email,
		Subject: mail.Text.Subject, State: store.MessageWaiting, MadeAt: now, Until: mail.Until, NextAt: now}
	row.Text = m.Vault.Seal(mail.Text.Body, row.MessageID)
	if err := tx.AddMessage(&row); err != nil {
		return fmt.Errorf("writing down a mail: %w", err)
	}
	return nil
}

const day span.Minutes = 24 * 60

// domain is what the program's own mails are named after.
func (m *Messages) domain() string {
	u, err := url.Parse(m.Home)
	if err != nil || u.Hostname() == "" {
		return "niche.invalid"
	}
	return u.Hostname()
}

// Overtake takes back what was to be said about something and has not gone out.
func (m *Messages) Overtake(tx store.Tx, about string) error {
	now := span.At(m.Now())
	list, err := tx.MessagesAbout(about, 0)
	for _, row := range list {
		if row.State == store.MessageWaiting {
			err = errors.Join(err, tx.SaveMessage(settled(row, store.MessageOvertaken, now)))
		}
	}
	if err != nil {
		return fmt.Errorf("taking mail back: %w", err)
	}
	return nil
}

// settled is a message that is done with: its text is forgotten.
func settled(row store.Message, state store.MessageState, now span.Instant) store.Message {
	row.State, row.SettledAt, row.NextAt, row.Text = state, now, store.Never, nil
	if state != store.MessageRefused {
		row.Error = ""
	}
	return row
}

// Code is a mail with a code, by which somebody proves that an address is theirs.
const Code = "code"

// PutCode writes down that a code is to be sent to an address.
func (m *Messages) PutCode(tx store.Tx, business, mail, code string, ends span.Instant) error {
	now := span.At(m.Now())
	row := store.Message{Kind: Code, Channel: store.ByMail, About: "code for " + mail, MessageID: fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()), Recipient: mail,
		Subject: "Your code: " + business, State: store.MessageWaiting, MadeAt: now, Until: ends, NextAt: now}
	if err := m.Overtake(tx, row.About); err != nil {
		return err
	}
	row.Text = m.Vault.Seal(fmt.Sprintf("Hello,\n\nsomebody wants to book a visit at %s with this mail address. If that is you, type this code there:\n\n%s\n\nIt works for a quarter of an hour. If it was not you, leave this mail alone.\n", business, code), row.MessageID)
	return tx.AddMessage(&row)
}

// Queues returns the messages as work: mails, and texts to telephones.
func (m *Messages) Queues() []work.Queue {
	queue := func(name string, rows store.Queue, c store.Channel, at string) work.Queue {
		return work.Queue{Name: name, Store: rows, Do: m.do, Forward: func(tx store.Tx, host string, now span.Instant) error {
			if host != at {
				return nil
			}
			return tx.MessagesForward(c, now)
		}}
	}
	return []work.Queue{queue("messages", store.MessageQueue, store.ByMail, store.MailHost), queue("texts", store.TextQueue, store.ByText, textHost)}
}

// Pauses between tries.
const (
	firstPause   = 30 * time.Second
	longestPause = time.Hour
	noServer     = time.Hour
	kept         = 90 * 24 * time.Hour // that a message was sent
	keptCodes    = 24 * time.Hour      // the same of a code: whoever asked for it may never have become a client
)

// do tries to send one message.
func (m *Messages) do(ctx context.Context, id store.ID) error {
	db := m.DB.Read(ctx)
	row, err := db.Message(id)
	if err != nil {
		return fmt.Errorf("sending message %d: %w", id, err)
	}
	if row.State != store.MessageWaiting {
		return nil
	}
	began, now := m.Now(), span.At(m.Now())
	if now < row.NotBefore {
		row.NextAt = row.NotBefore
		return m.note(ctx, row)
	}
	failedBefore := time.Time{}
	if row.Error != "" {
		failedBefore = row.TriedAt.Time()
	}
	row.TriedAt = now
	if row.Kind == VisitNews {
		carries, err := m.gather(ctx, row, now)
		if err != nil || !carries {
			return err
		}
	}
	holds, err := stillHolds(db, row, now)
	if err != nil {
		return fmt.Errorf("sending message %d: %w", id, err)
	}
	if now >= row.Until || !holds {
		return errors.Join(m.note(ctx, settled(row, store.MessageOvertaken, now)), m.planned(ctx, row))
	}
	if row.BookingID != 0 {
		wait, err := m.waitForRoom(ctx, row, now)
		if err != nil {
			return fmt.Errorf("sending message %d: %w", id, err)
		}
		if wait {
			return nil
		}
	}
	host, send := store.MailHost, m.byMail
	if row.Channel == store.ByText {
		host, send = textHost, m.byText
	}
	letter, err := send(ctx, db, &row)
	if ctx.Err() != nil {
		return ctx.Err() // the program ends
	}
	now = span.At(m.Now())
	var fault Fault
	switch {
	case err == nil:
		m.Hosts.Answered(host)
		return errors.Join(m.note(ctx, settled(row, store.MessageSent, now), letter.told...), m.planned(ctx, row))
	case errors.Is(err, errNothing):
		return errors.Join(m.note(ctx, settled(row, store.MessageOvertaken, now)), m.planned(ctx, row))
	case errors.Is(err, errNoWay):
		row.NextAt = span.NotBefore(m.Now().Add(noServer))
		return m.note(ctx, row)
	case row.Channel == store.ByText:
		fault = textFault(err)
	default:
		fault = faultOf(err)
	}
	row.Error = fault.Words
	err = fmt.Errorf("sending message %d: %w", id, err)
	if fault.Never {
		m.Hosts.Answered(host)
		return errors.Join(err, m.note(ctx, settled(row, store.MessageRefused, now)))
	}
	pause := work.Pause(firstPause, row.Attempts, longestPause)
	if fault.Silent && m.Hosts.Silent(host, began, failedBefore, 0) {
		pause = 0 // as soon as the server has rested
	} else {
		row.Attempts++
	}
	if !fault.Silent {
		m.Hosts.Answered(host)
	}
	row.NextAt = span.NotBefore(m.Now().Add(pause))
	return errors.Join(err, m.note(ctx, row))
}

// errNoWay says that there is no service over which a message could go; its row says so in words.
var errNoWay = errors.New("nobody takes messages of this kind")

// byMail sends a message over the mail server.
func (m *Messages) byMail(ctx context.Context, db store.Tx, row *store.Message) (Letter, error) {
	server, err := db.MailServer()
	if errors.Is(err, store.ErrNotFound) {
		row.Error = "No mail server is set up."
		return Letter{}, errNoWay
	}
	if err != nil {
		return Letter{}, err
	}
	letter, err := m.letter(ctx, db, server, *row)
	if err != nil {
		return letter, err
	}
	row.Subject = letter.Subject
	return letter, m.send(ctx, server, *row, letter)
}

// letter is what a message says. Of a booking it is what is so now.
func (m *Messages) letter(ctx context.Context, tx store.Tx, server store.MailServer, row store.Message) (Letter, error) {
	switch row.Kind {
	case VisitNews:
		return m.visitLetter(tx, row)
	case Mornings:
		return m.needsLetter(ctx, tx, row)
	}
	text, err := m.Vault.Open(row.Text, row.MessageID)
	if err != nil || row.BookingID == 0 {
		return Letter{Subject: row.Subject, Body: text}, err
	}
	s, err := SubjectOf(tx, row.BookingID, row.Was)
	if err != nil {
		return Letter{}, err
	}
	s.Manage = m.Home + "/booking/" + url.PathEscape(text)
	l, err := s.Letter(row.Kind)
	if err != nil {
		return l, err
	}
	return s.Invite(l, row.Kind, m.tagged(server, row.BookingID), span.At(m.Now()))
}

// note keeps what has become of a message, and lets go of old ones.
func (m *Messages) note(ctx context.Context, row store.Message, told ...telling) error {
	err := m.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		return errors.Join(tx.SaveMessage(row), m.overtook(tx, told), tx.ForgetMessages(span.At(m.Now().Add(-kept))), tx.ForgetCodes(span.At(m.Now().Add(-keptCodes))))
	})
	m.Hub.Tell(live.Messages)
	return err
}

// isSilence reports whether a server could not be spoken with at all.
func isSilence(err error) bool {
	var fault net.Error
	return errors.As(err, &fault) || errors.Is(err, context.DeadlineExceeded)
}
