// Package clientele knows a business's clients as people: what is held of one, all of it, and
// how a client is forgotten. Nothing of a personal calendar is ever among it: nobody here knows
// what stands there.
package clientele

import (
	"errors"
	"fmt"

	"niche/core/question"
	"niche/core/span"
	"niche/internal/message"
	"niche/internal/outbox"
	"niche/internal/store"
	"niche/internal/words"
)

// Account is all that is held of a client.
type Account struct {
	Client   Person    `json:"client"`
	Others   []Person  `json:"others,omitempty" doc:"Who counts as the same."`
	Mails    []Mail    `json:"mails"`
	Bookings []Booking `json:"bookings"`
	Messages []Message `json:"messages"`
	Payments []Payment `json:"payments"`
}

// Person is who a client is.
type Person struct {
	Name  string `json:"name"`
	Zone  string `json:"zone"`
	Clock string `json:"clock"`
	Phone string `json:"phone"`
	Note  string `json:"note"`
	Since string `json:"since"`
}

// Mail is a mail address.
type Mail struct {
	Mail   string `json:"mail"`
	Since  string `json:"since"`
	Broken string `json:"broken,omitempty"`
}

// Booking is a booking of theirs.
type Booking struct {
	Reference string            `json:"reference"`
	Service   string            `json:"service"`
	With      string            `json:"with"`
	Start     string            `json:"start"`
	End       string            `json:"end"`
	Status    string            `json:"status"`
	Made      string            `json:"made"`
	From      string            `json:"from,omitempty" doc:"The network from which it was made."`
	Name      string            `json:"name"`
	Mail      string            `json:"mail"`
	Phone     string            `json:"phone,omitempty"`
	Address   string            `json:"address,omitempty"`
	Answers   []question.Answer `json:"answers,omitempty"`
	Note      string            `json:"note,omitempty"`
	Missed    bool              `json:"missed,omitempty"`
	Coming    string            `json:"coming,omitempty" doc:"What was answered to the invitation."`
	Comment   string            `json:"comment,omitempty"`
}

// Message is one that was sent to them, or will be.
type Message struct {
	Kind    string `json:"kind"`
	To      string `json:"to"`
	Subject string `json:"subject,omitempty"`
	State   string `json:"state"`
	Made    string `json:"made"`
}

// Payment is one of theirs.
type Payment struct {
	Amount string `json:"amount"`
	State  string `json:"state"`
	Made   string `json:"made"`
}

// longest is how many records of a kind an account holds at most; whoever has more is no person.
const longest = 10_000

// ErrTooMuch says that a client has more than an account holds.
var ErrTooMuch = errors.New("there is more of this client than one file holds")

// Of returns all that is held of a client.
func Of(tx store.Tx, root store.ID) (a Account, err error) {
	family, err := tx.ClientFamily(root)
	if err != nil {
		return a, err
	}
	if len(family) == 0 {
		return a, store.ErrNotFound
	}
	for i, c := range family {
		p := Person{c.Name, c.Zone, c.Clock, c.Phone, c.Note, c.CreatedAt.String()}
		if i == 0 {
			a.Client = p
		} else {
			a.Others = append(a.Others, p)
		}
	}
	mails, err := tx.MailsOf(root)
	if err != nil {
		return a, err
	}
	for _, m := range mails {
		a.Mails = append(a.Mails, Mail{m.Mail, m.Since.String(), m.Broken})
	}
	bookings, err := tx.BookingsOfClient(root, longest+1)
	if err != nil {
		return a, err
	}
	for _, k := range bookings {
		a.Bookings = append(a.Bookings, Booking{k.Reference, k.Service, k.Staff, k.Start.String(), k.End.String(), string(k.Status), k.CreatedAt.String(), k.Origin, k.ClientName, k.ClientMail, k.ClientPhone,
			k.ClientAddress, k.Answers, k.Note, k.MissedAt > 0, words.OfAnswer(k.PartStat), k.AnswerComment})
	}
	messages, err := tx.MessagesOfClient(root, longest+1)
	if err != nil {
		return a, err
	}
	for _, m := range messages {
		a.Messages = append(a.Messages, Message{message.Title(m.Kind), m.Recipient, m.Subject, string(m.State), m.MadeAt.String()})
	}
	payments, err := tx.PaymentsOfClient(root, longest)
	if err != nil {
		return a, err
	}
	for _, p := range payments {
		a.Payments = append(a.Payments, Payment{words.Money(p.Amount, p.Currency), string(p.State), p.MadeAt.String()})
	}
	if len(bookings) > longest || len(messages) > longest {
		return a, ErrTooMuch
	}
	return a, nil
}

// Erased is what a client is called of whom nothing else is known any more.
const Erased = "Erased client"

// ErrAhead says that a client still has visits ahead.
var ErrAhead = errors.New("the client still has visits ahead")

// Erase forgets a client. That there were visits stays, for what the business did; who came does not, here or in the
// copies in calendars outside.
func Erase(tx store.Tx, root store.ID, now span.Instant) error {
	bookings, err := tx.BookingsOfClient(root, longest)
	if err != nil {
		return err
	}
	for _, k := range bookings {
		if k.Status != store.Cancelled && k.End > now {
			return ErrAhead
		}
	}
	visits, err := tx.EraseClient(root, Erased)
	if err != nil {
		return err
	}
	for _, v := range visits {
		if err := outbox.Want(tx, v, now); err != nil {
			return fmt.Errorf("erasing a client: %w", err)
		}
	}
	return nil
}
