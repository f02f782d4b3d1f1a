package desk

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/words"
)

// MailFields is what can be said of the mail server, but for its password.
type MailFields struct {
	Host       string `json:"host" maxLength:"253" doc:"As mail.example; empty for none: then no mail goes out."`
	Port       int    `json:"port" minimum:"1" maximum:"65535"`
	Security   string `json:"security" enum:"starttls,tls,none" doc:"starttls: begins in the open and must change to TLS; tls: from the first byte (RFC 8314); none: in the open."`
	Username   string `json:"username" maxLength:"254" doc:"Empty where the server asks for nobody."`
	Sender     string `json:"sender" maxLength:"254" doc:"The mail address from which mail comes."`
	SenderName string `json:"senderName" maxLength:"120"`
	Answers    string `json:"answers,omitempty" maxLength:"200" doc:"The address at which answers to invitations arrive, with a tag behind a plus sign; empty where none do."`
}

// MailEntry is a mail server with a password that is given anew, or not.
type MailEntry struct {
	MailFields
	Password string `json:"password,omitempty" maxLength:"500" doc:"Empty to keep the present one."`
}

// MailNow is how mail goes out.
type MailNow struct {
	MailFields
	Version     int64  `json:"version"`
	HasPassword bool   `json:"hasPassword"`
	Home        string `json:"home" doc:"The address by which Niche is reached, to which mails lead; empty where it was not told, and then none goes out."`
	Hears       bool   `json:"hears" doc:"Somebody has told the program where mail that comes back is brought to it (--answers-listen)."`
	Waiting     int    `json:"waiting" doc:"How many messages could not go out yet."`
	Refused     int    `json:"refused" doc:"How many were refused in the last week."`
	Lately      []Sent `json:"lately" doc:"The newest messages."`
}

// Sent is a message.
type Sent struct {
	ID      store.ID `json:"id"`
	To      string   `json:"to"`
	Subject string   `json:"subject"`
	State   string   `json:"state" enum:"waiting,sent,refused,overtaken,held back"`
	When    string   `json:"when" doc:"Since when, on the business's clock."`
	Error   string   `json:"error" doc:"Why it has not gone out, or empty."`
}

// MailTrial is what came of a trial message.
type MailTrial struct {
	Sent  bool           `json:"sent"`
	To    string         `json:"to"`
	Fault string         `json:"fault" doc:"Why it was not sent, or empty."`
	Lines []message.Line `json:"lines" doc:"What was said between Niche and the mail server, without passwords."`
}

func (s *Desk) registerMail(a huma.API) {
	huma.Register(a, api.Get("/api/mail", "getMail", "How mail goes out, and what went out lately"), s.getMail)
	huma.Register(a, api.Put("/api/mail", "changeMail", "Change how mail goes out"), s.changeMail)
	huma.Register(a, api.Post("/api/mail/trial", "tryMail", "Send a trial message to the administrator who asks, over a mail server that is not saved yet", http.StatusOK), s.tryMail)
}

// Limits on what is told of messages.
const (
	sentLately = 30
	refusedFor = 7 * 24 * 60 // minutes
)

func (s *Desk) getMail(ctx context.Context, _ *struct{}) (*api.Body[MailNow], error) {
	return api.Answer(s.mail(ctx))
}

func (s *Desk) mail(ctx context.Context) (out MailNow, err error) {
	out = MailNow{MailFields: MailFields{Port: 587, Security: "starttls"}, Home: s.Messages.Home, Hears: s.Messages.Hears, Lately: []Sent{}}
	err = s.DB.View(ctx, func(tx store.Tx) error {
		server, err := tx.MailServer()
		if err == nil {
			out.MailFields, out.HasPassword = fieldsOfMail(server), len(server.Password) > 0
		} else if !store.IsMissing(err) {
			return err
		}
		if out.Version, err = tx.Version(store.Mailing); err != nil {
			return err
		}
		counts, err := tx.CountMessages(span.At(s.Now()).Add(-refusedFor))
		if err != nil {
			return err
		}
		out.Waiting, out.Refused = counts.Waiting, counts.Refused
		b, err := tx.Business()
		if err != nil {
			return err
		}
		zone, err := hours.LoadZone(b.Zone)
		if err != nil {
			return err
		}
		list, err := tx.MessagesLately(span.At(s.Now()), sentLately)
		for _, m := range list {
			since := m.MadeAt
			if m.SettledAt > 0 {
				since = m.SettledAt
			}
			out.Lately = append(out.Lately, Sent{m.ID, m.Recipient, m.Subject, string(m.State), words.In{Zone: zone, Twelve: b.Clock == "12"}.Moment(since), m.Error})
		}
		return err
	})
	return out, err
}

func fieldsOfMail(m store.MailServer) MailFields {
	return MailFields{m.Host, m.Port, m.Security, m.Username, m.Sender, m.SenderName, m.Answers}
}

// readMail reads an entry into a record. Without a password the one before is kept, as
// long as it is for the same user at the same server.
func (s *Desk) readMail(e MailEntry, before store.MailServer) (store.MailServer, error) {
	f := e.MailFields
	p := api.NewProblem(http.StatusUnprocessableEntity, "Something is missing or wrong.")
	wrong := func(field, text string) { p.Errors = append(p.Errors, api.FieldError{Field: field, Message: text}) }
	if f.Host == "" || strings.ContainsAny(f.Host, " /@:") {
		wrong("host", "This is not the name of a mail server, as in mail.example.")
	}
	sender, ok := people.MailAddress(f.Sender)
	if !ok {
		wrong("sender", "This is not a mail address.")
	}
	row := store.MailServer{Host: strings.ToLower(f.Host), Port: f.Port, Security: f.Security, Username: f.Username, Sender: sender, SenderName: f.SenderName}
	if f.Answers != "" {
		answers, ok := people.MailAddress(f.Answers)
		if !ok || strings.Contains(answers, "+") {
			wrong("answers", "This is not a mail address without a plus sign.")
		}
		row.Answers = answers
	}
	same := before.Host == row.Host && before.Port == row.Port && before.Username == row.Username
	switch {
	case f.Username == "":
	case f.Security == "none":
		wrong("security", "Without TLS the password could be read on its way. Use STARTTLS or TLS, or leave the user name empty.")
	case e.Password != "":
		row = s.Messages.WithPassword(row, e.Password)
	case same && len(before.Password) > 0:
		row.Password = before.Password
	default:
		wrong("password", "Give the password of this user at this server.")
	}
	if len(p.Errors) > 0 {
		return row, p
	}
	return row, nil
}

func (s *Desk) changeMail(ctx context.Context, in *struct {
	api.Over
	Body MailEntry
}) (*api.Body[MailNow], error) {
	over, err := in.Expected(store.Mailing)
	if err != nil {
		return nil, err
	}
	err = s.DB.Write(ctx, func(tx store.Tx) error {
		before, err := tx.MailServer()
		if err != nil && !store.IsMissing(err) {
			return err
		}
		var was any
		if err == nil {
			was = fieldsOfMail(before)
		}
		if _, err := tx.Meet(*over); err != nil {
			return err
		}
		now := span.At(s.Now())
		if in.Body.Host == "" {
			return errors.Join(tx.RemoveMailServer(), tx.Note(now, "removed", "mail", 0, before.Host, was, nil))
		}
		row, err := s.readMail(in.Body, before)
		if err != nil {
			return err
		}
		return errors.Join(tx.SaveMailServer(row), tx.MessagesForward(store.ByMail, now), tx.Note(now, "changed", "mail", 0, row.Host, was, fieldsOfMail(row)))
	})
	current := func() (MailNow, error) { return s.mail(ctx) }
	if err != nil {
		return nil, api.Stale(err, current, func(n MailNow) int64 { return n.Version })
	}
	s.Hub.Tell(live.Messages)
	s.Runner.Wake()
	return api.Answer(current())
}

func (s *Desk) tryMail(ctx context.Context, in *struct{ Body MailEntry }) (*api.Body[MailTrial], error) {
	before, err := s.DB.Read(ctx).MailServer()
	if err != nil && !store.IsMissing(err) {
		return nil, err
	}
	row, err := s.readMail(in.Body, before)
	if err != nil {
		return nil, err
	}
	to := api.Who(ctx).Mail
	t := s.Messages.Trial(ctx, row, to)
	return api.Answer(MailTrial{t.Sent, to, t.Fault, t.Lines}, nil)
}
