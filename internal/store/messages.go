package store

import (
	"errors"

	"niche/core/span"
)

// MessageState is where a message stands.
type MessageState string

// The states of a message. They are changed by package message only.
const (
	MessageWaiting   MessageState = "waiting"   // to be sent
	MessageSent      MessageState = "sent"      // the mail server took it
	MessageRefused   MessageState = "refused"   // the mail server will never take it
	MessageOvertaken MessageState = "overtaken" // it was not wanted any more before it went out
	MessageHeldBack  MessageState = "held back" // somebody wants it not this time
)

// Channel is how a message goes.
type Channel string

// The channels.
const (
	ByMail Channel = "mail"
	ByText Channel = "text"
)

// Message is a mail to a staff member, or about a booking to its client.
type Message struct {
	ID              ID
	Kind            string
	Channel         Channel
	StaffID         ID // 0 for one to a client or an administrator
	AdministratorID ID
	Carrier         ID     // the message in which it goes; 0 for its own
	BookingID       ID     // 0 for one to a staff member that tells of something else
	About           string // of what it tells: the newer of two about the same takes the older's place
	Thing           ID     // the record of its kind that it tells of: a link or a visit; 0 for none
	MessageID       string // of the mail (RFC 5322, section 3.6.4)
	Recipient       string
	Subject         string // of a mail

	Text      []byte // sealed; nil once it is not wanted any more. Of one to a client it is the way to their booking alone: what it says is made when it goes out
	Was       string // where the visit was that it tells of, as its kind writes it
	State     MessageState
	Error     string // in plain words
	Attempts  int    // that failed, in a row
	MadeAt    span.Instant
	NotBefore span.Instant // it is kept until then; 0 for not
	Until     span.Instant // it is not worth sending after
	SettledAt span.Instant // when it was sent, refused or overtaken; 0 for not yet
	TriedAt   span.Instant
	NextAt    span.Instant
}

// AddMessage keeps a new message.
func (t Tx) AddMessage(m *Message) error { return t.db.Create(m).Error }

// Message returns a message.
func (t Tx) Message(id ID) (Message, error) { return one[Message](t.db.Where("id = ?", id)) }

// SaveMessage keeps what has become of a message, unless it was settled meanwhile.
func (t Tx) SaveMessage(m Message) error {
	return t.db.Model(&Message{}).Where("id = ? AND state = ?", m.ID, MessageWaiting).
		Select("text", "subject", "state", "error", "attempts", "settled_at", "tried_at", "next_at").Updates(&m).Error
}

// MessagesAbout returns the messages about something that were made after an instant,
// the newest first.
func (t Tx) MessagesAbout(about string, since span.Instant) ([]Message, error) {
	return rows[Message](t.db.Where("about = ? AND made_at > ?", about, since).Order("id DESC").Limit(PageSize))
}

// MessagesLately returns the newest messages, without those that are kept for later.
func (t Tx) MessagesLately(now span.Instant, most int) ([]Message, error) {
	return rows[Message](t.db.Where("settled_at > 0 OR not_before <= ?", now).Order("id DESC").Limit(most))
}

// MessagesForward makes all messages of a channel due that wait.
func (t Tx) MessagesForward(c Channel, now span.Instant) error {
	return t.db.Exec("UPDATE messages SET next_at = MIN(next_at, ?) WHERE channel = ? AND next_at < ? AND not_before <= ?", now, c, Never, now).Error
}

// MessagesOfBooking returns the messages about a booking, the newest first.
func (t Tx) MessagesOfBooking(booking ID) ([]Message, error) {
	return rows[Message](t.db.Where("booking_id = ?", booking).Order("id DESC").Limit(PageSize))
}

// HoldBack keeps a message that waits from being sent, or lets it go after all.
func (t Tx) HoldBack(m Message, back bool) error {
	from, to, next := MessageWaiting, MessageHeldBack, Never
	if !back {
		from, to, next = MessageHeldBack, MessageWaiting, m.NotBefore
	}
	return t.db.Model(&Message{}).Where("id = ? AND state = ?", m.ID, from).Updates(map[string]any{"state": to, "next_at": next}).Error
}

// Bounced notes of a message that was sent that it has not arrived.
func (t Tx) Bounced(id ID, why string, now span.Instant) error {
	return t.db.Model(&Message{}).Where("id = ? AND state = ?", id, MessageSent).Updates(map[string]any{"state": MessageRefused, "error": why, "settled_at": now}).Error
}

// Way is a further address that manages a booking, as it stands in a mail.
type Way struct {
	TokenHash string `gorm:"primaryKey"`
	BookingID ID
	MadeAt    span.Instant
}

// AddWay keeps a way to a booking.
func (t Tx) AddWay(w Way) error { return t.db.Create(&w).Error }

// ForgetMessages forgets the messages that were settled before an instant.
func (t Tx) ForgetMessages(before span.Instant) error {
	return t.db.Where("settled_at > 0 AND settled_at < ?", before).Delete(&Message{}).Error
}

// ForgetCodes forgets the codes for mail addresses that were settled before an instant.
func (t Tx) ForgetCodes(before span.Instant) error {
	return t.db.Where("kind = 'code' AND settled_at > 0 AND settled_at < ?", before).Delete(&Message{}).Error
}

// MessageCounts are the numbers of messages that need somebody.
type MessageCounts struct {
	Waiting int // whose last try failed, or that no mail server takes
	Refused int // lately
}

// CountMessages counts the messages that wait, and those that were refused since an
// instant.
func (t Tx) CountMessages(since span.Instant) (MessageCounts, error) {
	return scan[MessageCounts](t.db.Raw(`SELECT (SELECT COUNT(*) FROM messages WHERE next_at < 9000000000000000000 AND error <> '') AS waiting,
		(SELECT COUNT(*) FROM messages WHERE settled_at > ? AND state = ?) AS refused`, since, MessageRefused))
}

// MailServer is that over which mail goes out.
type MailServer struct {
	ID         ID
	Host       string
	Port       int
	Security   string // starttls, tls or none
	Username   string // empty where it asks for nobody
	Password   []byte // sealed
	Sender     string // the address from which mail comes
	SenderName string
	Answers    string // the address at which answers arrive; empty where none do
}

// MailServer returns the mail server; ErrNotFound where there is none.
func (t Tx) MailServer() (MailServer, error) { return one[MailServer](t.db.Where("id = 1")) }

// SaveMailServer keeps the mail server.
func (t Tx) SaveMailServer(m MailServer) error {
	m.ID = 1
	return t.db.Save(&m).Error
}

// RemoveMailServer forgets the mail server.
func (t Tx) RemoveMailServer() error { return t.db.Delete(&MailServer{}, 1).Error }

// HasMailServer reports whether mail can go out.
func (t Tx) HasMailServer() (bool, error) {
	_, err := t.MailServer()
	if errors.Is(err, ErrNotFound) {
		return false, nil
	}
	return err == nil, err
}

// OneTime is a one-time address by which a staff member signs in.
type OneTime struct {
	TokenHash   string `gorm:"primaryKey"`
	StaffID     ID
	BrowserHash string // of what the browser keeps on which it was asked for
	MadeAt      span.Instant
	ExpiresAt   span.Instant
}

// AddOneTime keeps a one-time address.
func (t Tx) AddOneTime(o OneTime) error { return t.db.Create(&o).Error }

// OneTime returns a one-time address that has not ended.
func (t Tx) OneTime(tokenHash string, now span.Instant) (OneTime, error) {
	return one[OneTime](t.db.Where("token_hash = ? AND expires_at > ?", tokenHash, now))
}

// OneTimesOf counts the one-time addresses of somebody that were made after an instant.
func (t Tx) OneTimesOf(staff ID, since span.Instant) (n int64, err error) {
	err = t.db.Model(&OneTime{}).Where("staff_id = ? AND made_at > ?", staff, since).Count(&n).Error
	return n, err
}

// EndOneTimes ends all one-time addresses of somebody.
func (t Tx) EndOneTimes(staff ID) error {
	return t.db.Where("staff_id = ?", staff).Delete(&OneTime{}).Error
}

// ForgetOneTimes lets go of one-time addresses that were made before an instant.
func (t Tx) ForgetOneTimes(before span.Instant) error {
	return t.db.Where("made_at <= ?", before).Delete(&OneTime{}).Error
}

// StaffByMail returns who is in use and has a mail address, whatever the case of its
// letters.
func (t Tx) StaffByMail(mail string) ([]Staff, error) {
	return rows[Staff](t.db.Where("archived_at = 0 AND email <> '' AND LOWER(email) = LOWER(?)", mail).Order("id").Limit(PageSize))
}

// ConfirmedAhead returns the confirmed bookings of a service whose visits are not over.
func (t Tx) ConfirmedAhead(service ID, now span.Instant) ([]ID, error) {
	return scan[[]ID](t.db.Raw("SELECT b.id FROM visits v JOIN bookings b ON b.visit_id = v.id WHERE v.service_id = ? AND v.\"end\" > ? AND b.status = ? ORDER BY v.start", service, now, Confirmed))
}

// MessageDue makes a message that waits due at an instant.
func (t Tx) MessageDue(id ID, at span.Instant) error {
	return t.db.Exec("UPDATE messages SET next_at = ? WHERE id = ? AND state = ?", at, id, MessageWaiting).Error
}

// Telling says when somebody hears of visits.
type Telling string

// The ways.
const (
	NotTold     Telling = "no"
	AtOnce      Telling = "once"
	EachMorning Telling = "morning"
)

// NewsFor returns what waits to be told of visits to somebody and is due, the oldest first.
func (t Tx) NewsFor(staff, administrator ID, now span.Instant) ([]Message, error) {
	return rows[Message](t.db.Where("kind = 'visit' AND state = ? AND staff_id = ? AND administrator_id = ? AND not_before <= ?", MessageWaiting, staff, administrator, now).Order("id"))
}

// Carried notes that a message goes in another.
func (t Tx) Carried(m Message, now span.Instant) error {
	return t.db.Model(&Message{}).Where("id = ?", m.ID).Updates(map[string]any{"carrier": m.Carrier, "state": MessageOvertaken, "settled_at": now, "next_at": Never}).Error
}

// CarriedBy returns the messages that go in another.
func (t Tx) CarriedBy(id ID) ([]Message, error) {
	return rows[Message](t.db.Where("carrier = ?", id).Order("id"))
}

// MorningsMissing reports whether an administrator who wants a summary each morning has none ahead.
func (t Tx) MorningsMissing(now span.Instant) (bool, error) {
	return scan[bool](t.db.Raw(`SELECT EXISTS (SELECT 1 FROM administrators a WHERE a.tell_attention AND NOT EXISTS (SELECT 1 FROM messages m WHERE m.about = 'mornings of administrator ' || a.id AND m.state = 'waiting' AND m.until > ?))`, now))
}
