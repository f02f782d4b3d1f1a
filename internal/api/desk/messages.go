package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/merge"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/place"
	"niche/internal/store"
	"niche/internal/words"
)

// Messages says what clients of a service are told, and when.
type Messages struct {
	Reminders []int `json:"reminders" required:"false" maxItems:"6" doc:"Minutes before the visit, each once; by mail."`
	ByText    []int `json:"byText" required:"false" maxItems:"6" doc:"The same, as a text to the telephone of clients who have said one."`

	FollowUp int           `json:"followUp" required:"false" minimum:"0" maximum:"43200" doc:"Minutes after the visit; 0 for nothing."`
	NoInvite bool          `json:"noInvite" required:"false" doc:"No calendar invitation goes with the mail."`
	Texts    []MessageText `json:"texts" required:"false" maxItems:"20" doc:"Those that are not the usual ones."`
}

// MessageText is what a kind of message says, with fields in braces.
type MessageText struct {
	Kind    string `json:"kind" enum:"received,confirmed,changed,handed over,reminder,text reminder,room,cancelled,declined,follow-up"`
	Subject string `json:"subject" maxLength:"200"`
	Body    string `json:"body" maxLength:"5000"`
}

// mostBefore is how long before a visit a reminder goes out at most, in minutes.
const mostBefore = 60 * 24 * 60

func messagesOf(m store.ServiceMessages) Messages {
	out := Messages{Reminders: []int{}, ByText: []int{}, FollowUp: int(m.FollowUp), NoInvite: m.NoInvite, Texts: []MessageText{}}
	for _, r := range m.Reminders {
		out.Reminders = append(out.Reminders, int(r))
	}
	for _, r := range m.ByText {
		out.ByText = append(out.ByText, int(r))
	}
	for _, t := range message.Texts {
		if own, ok := m.Texts[t.Kind]; ok {
			out.Texts = append(out.Texts, MessageText{t.Kind, own.Subject, own.Body})
		}
	}
	return out
}

// read checks them, and reads them into what is kept.
func (m Messages) read() (store.ServiceMessages, error) {
	out := store.ServiceMessages{FollowUp: span.Minutes(m.FollowUp), NoInvite: m.NoInvite}
	for _, l := range []struct {
		field string
		given []int
		kept  *[]span.Minutes
	}{{"reminders", m.Reminders, &out.Reminders}, {"byText", m.ByText, &out.ByText}} {
		for i, r := range l.given {
			if r < 5 || r > mostBefore || slices.Contains(l.given[:i], r) {
				return out, api.Wrong(fmt.Sprintf("messages.%s[%d]", l.field, i), "Reminders go out from 5 minutes to 60 days before, each once.")
			}
			*l.kept = append(*l.kept, span.Minutes(r))
		}
		slices.Sort(*l.kept)
	}
	for i, t := range m.Texts {
		if _, twice := out.Texts[t.Kind]; twice {
			return out, api.Wrong(fmt.Sprintf("messages.texts[%d]", i), "This text is there twice.")
		}
		if err := t.check(fmt.Sprintf("messages.texts[%d].", i)); err != nil {
			return out, err
		}
		if out.Texts == nil {
			out.Texts = map[string]store.MessageText{}
		}
		out.Texts[t.Kind] = store.MessageText{Subject: t.Subject, Body: t.Body}
	}
	return out, nil
}

// check refuses an empty text, and a field that there is not, where it stands.
func (t MessageText) check(prefix string) error {
	for _, part := range [][2]string{{"subject", t.Subject}, {"body", t.Body}} {
		if part[0] == "subject" && t.Kind == message.TextReminder {
			continue // a text to a telephone has none
		}
		if strings.TrimSpace(part[1]) == "" {
			return api.Wrong(prefix+part[0], "Nothing would be said.")
		}
		if err := knownFields(prefix+part[0], part[1], message.Fields); err != nil {
			return err
		}
	}
	return nil
}

// knownFields refuses a field that there is not, where it stands in a text.
func knownFields(field, text string, known []merge.TextField) error {
	var unknown merge.Unknown
	if err := merge.Check(text, known); errors.As(err, &unknown) {
		return api.Wrong(field, fmt.Sprintf("There is no field {%s} (character %d).", unknown.Field, unknown.At+1))
	}
	return nil
}

// MessageKind is a kind of message, with what it usually says.
type MessageKind struct {
	MessageText
	Name string `json:"name"`
	When string `json:"when" doc:"When it goes out."`
}

// MessageExample is what a client would receive.
type MessageExample struct {
	Subject string            `json:"subject"`
	Body    string            `json:"body"`
	Invite  bool              `json:"invite" doc:"A calendar invitation goes with it."`
	Of      string            `json:"of" doc:"Of which booking; empty where there is none, and one is made up."`
	Kinds   []MessageKind     `json:"kinds"`
	Fields  []merge.TextField `json:"fields"`
}

// ShownMessage is a message about a booking, and how it stands.
type ShownMessage struct {
	ID      store.ID `json:"id"`
	Kind    string   `json:"kind"`
	Name    string   `json:"name" doc:"What it is, in a word."`
	Said    string   `json:"said" doc:"Its subject, once it was sent; else empty."`
	To      string   `json:"to"`
	State   string   `json:"state" enum:"waiting,sent,refused,overtaken,held back"`
	When    string   `json:"when" doc:"When it was sent or settled, or when it will go out."`
	Invited bool     `json:"invited" doc:"It asks for an answer whether the client comes."`
	Later   bool     `json:"later" doc:"It is kept for later, and can be held back."`
	Reason  string   `json:"reason" doc:"What is wrong, or empty."`
}

func (s *Desk) registerMessages(a huma.API) {
	huma.Register(a, api.Post("/api/services/{id}/message", "previewMessage", "What a client would receive, by texts that are not saved", http.StatusOK), s.previewMessage)
	huma.Register(a, api.Put("/api/bookings/{id}/messages/{message}", "holdMessage", "Not send a message this time, or after all"), s.holdMessage)
}

// whens says when each kind of message goes out.
var whens = map[string]string{
	message.Received: "when a request waits for a decision", message.Confirmed: "when a visit is booked or confirmed", message.Changed: "when it has another time",
	message.HandedOver: "when somebody else takes it, at the same time", message.Reminder: "before the visit", message.TextReminder: "before the visit, to the telephone",
	message.Room: "when the meeting room is made later than the confirmation went out", message.Cancelled: "when it is cancelled",
	message.Declined: "when a request is refused", message.FollowUp: "after the visit",
}

func (s *Desk) previewMessage(ctx context.Context, in *struct {
	api.IDPath
	Body struct {
		MessageText
		NoInvite bool `json:"noInvite" required:"false"`
	}
}) (*api.Body[MessageExample], error) {
	db := s.DB.Read(ctx)
	service, err := db.Service(in.ID)
	if err != nil {
		return nil, api.Found(err, "service")
	}
	if text := &in.Body.MessageText; text.Subject == "" && text.Body == "" {
		own := message.TextOf(service, text.Kind)
		text.Subject, text.Body = own.Subject, own.Body
	}
	if err := in.Body.check(""); err != nil {
		return nil, err
	}
	subject, of, err := s.example(db, service, in.Body.Kind)
	if err != nil {
		return nil, err
	}
	subject.Service.Messages = store.ServiceMessages{NoInvite: in.Body.NoInvite, Texts: map[string]store.MessageText{in.Body.Kind: {Subject: in.Body.Subject, Body: in.Body.Body}}}
	l, err := subject.Letter(in.Body.Kind)
	if err == nil {
		l, err = subject.Invite(l, in.Body.Kind, "desk@niche.invalid", span.At(s.Now()))
	}
	if in.Body.Kind == message.TextReminder {
		l.Body = message.Cut(l.Body)
	}
	out := MessageExample{Subject: l.Subject, Body: l.Body, Invite: l.Method != "", Of: of, Kinds: []MessageKind{}, Fields: message.Fields}
	for _, t := range message.Texts {
		out.Kinds = append(out.Kinds, MessageKind{MessageText{t.Kind, t.Usual.Subject, t.Usual.Body}, t.Name, whens[t.Kind]})
	}
	return api.Answer(out, err)
}

// example is a booking of a service to tell of: the newest, or one that is made up. What is made up too is where one was
// that is told to be somewhere else.
func (s *Desk) example(db store.Tx, service store.Service, kind string) (subject message.Subject, of string, err error) {
	list, err := db.FindBookings(store.BookingsOf{Service: service.ID, Status: store.Confirmed, Order: store.ByMade, Most: 1})
	if err != nil {
		return subject, "", err
	}
	if len(list) > 0 {
		of = list[0].Reference
		if subject, err = message.SubjectOf(db, list[0].ID, ""); err != nil {
			return subject, of, err
		}
	} else {
		if subject.Business, err = db.Business(); err != nil {
			return subject, "", err
		}
		start := span.At(s.Now()).Add(2*24*60) / 3600 * 3600
		subject.Service, subject.Visit = service, store.Visit{Start: start, End: start.Add(service.Length)}
		subject.Booking = store.Booking{Reference: "ABC-2345", ClientName: "Ida Holm", ClientMail: "ida@clients.example", ClientZone: subject.Business.Zone, ClientClock: subject.Business.Clock, Places: 1}
		if subject.Where, err = place.Of(db, service, subject.Visit, subject.Booking); err != nil {
			return subject, "", err
		}
		staff, err := db.Performers(service.ID)
		if err != nil {
			return subject, "", err
		}
		for _, m := range staff[:min(1, len(staff))] {
			subject.With = append(subject.With, m.Name)
		}
	}
	v := subject.Visit
	switch kind {
	case message.Changed:
		subject.Was, subject.WasWith = &message.Was{Start: v.Start.Add(-24 * 60), End: v.End.Add(-24 * 60)}, subject.With
	case message.HandedOver:
		subject.Was, subject.WasWith = &message.Was{Start: v.Start, End: v.End}, []string{"Ansel Okoro"}
	}
	subject.Manage = s.Messages.Home + "/booking/…"
	return subject, of, nil
}

// shownMessages are the messages about a booking, the newest first.
func shownMessages(db store.Tx, booking store.ID, text words.In) ([]ShownMessage, error) {
	rows, err := db.MessagesOfBooking(booking)
	return renderMessages(rows, text), err
}

func renderMessages(rows []store.Message, text words.In) []ShownMessage {
	out := []ShownMessage{}
	for _, r := range rows {
		m := ShownMessage{ID: r.ID, Kind: r.Kind, Name: message.Title(r.Kind), To: r.Recipient, State: string(r.State), Reason: r.Error, Invited: r.Kind == message.Confirmed || r.Kind == message.Changed, When: text.Moment(r.MadeAt)}
		later := r.Kind == message.Reminder || r.Kind == message.TextReminder || r.Kind == message.FollowUp
		switch {
		case r.SettledAt > 0:
			m.When = text.Moment(r.SettledAt)
			if r.State == store.MessageSent {
				m.Said = r.Subject
			}
		case r.NotBefore > 0:
			m.When, m.Later = text.Moment(r.NotBefore), later
		}
		out = append(out, m)
	}
	return out
}

func (s *Desk) holdMessage(ctx context.Context, in *struct {
	api.IDPath
	Message store.ID `path:"message" minimum:"1"`
	Body    struct {
		HeldBack bool `json:"heldBack"`
	}
}) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		m, err := tx.Message(in.Message)
		if err == nil && (m.BookingID != in.ID || m.Kind != message.Reminder && m.Kind != message.TextReminder && m.Kind != message.FollowUp) {
			err = store.ErrNotFound
		}
		if err != nil {
			return err
		}
		k, err := tx.Booking(in.ID)
		if err != nil {
			return err
		}
		deed := "held back the " + m.Kind + " of"
		if !in.Body.HeldBack {
			deed = "let go out the " + m.Kind + " of"
		}
		return errors.Join(s.Messages.HoldBack(tx, m, in.Body.HeldBack), tx.Note(span.At(s.Now()), deed, "booking", k.ID, k.Reference, nil, nil))
	})
	if errors.Is(err, message.ErrSettled) {
		return nil, api.NewProblem(http.StatusConflict, "This message has gone out or is not wanted any more.")
	}
	if err != nil {
		return nil, api.Found(err, "message")
	}
	s.Hub.Tell(live.Messages)
	s.Runner.Wake()
	return nil, nil
}
