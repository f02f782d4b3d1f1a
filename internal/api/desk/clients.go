package desk

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/question"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/clientele"
	"niche/internal/live"
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/telephone"
	"niche/internal/words"
)

// ListedClient is a client in a list.
type ListedClient struct {
	ID     store.ID `json:"id"`
	Name   string   `json:"name"`
	Mails  []string `json:"mails"`
	Phone  string   `json:"phone" doc:"As people write it."`
	Visits int      `json:"visits" doc:"That were not cancelled."`
	Missed int      `json:"missed"`
	Last   string   `json:"last" doc:"The latest visit that is over; or empty."`
	Next   string   `json:"next" doc:"The next one; or empty."`
	Note   string   `json:"note"`
}

// ClientFields is what can be said of a client.
type ClientFields struct {
	Name  string `json:"name" minLength:"1" maxLength:"120"`
	Phone string `json:"phone" maxLength:"40" doc:"Typed any way; empty for none."`
	Zone  string `json:"zone" maxLength:"60" doc:"By whose clock they read."`
	Clock string `json:"clock" enum:"24,12"`
	Note  string `json:"note" maxLength:"4000" doc:"No client sees it."`
}

// ShownClient is a client with all that is shown of them.
type ShownClient struct {
	ID store.ID `json:"id"`
	ClientFields
	Version  int64             `json:"version"`
	Since    string            `json:"since"`
	Now      string            `json:"now" doc:"Their present local time."`
	Mails    []ShownMail       `json:"mails"`
	Merged   []MergedClient    `json:"merged" doc:"Who counts as the same since somebody said so."`
	Perhaps  []store.NamedID   `json:"perhaps" doc:"Others with the same name or telephone number."`
	Bookings []FoundBooking    `json:"bookings" doc:"The latest visit first."`
	More     bool              `json:"more" doc:"There are more bookings than are shown."`
	Answers  []question.Answer `json:"answers" doc:"What they said last to each question."`
	Messages []ShownMessage    `json:"messages" doc:"The newest first."`
	Payments []ShownPayment    `json:"payments"`
	Ahead    bool              `json:"ahead" doc:"They have visits ahead, so they cannot be erased."`
}

// ShownMail is a mail address of a client.
type ShownMail struct {
	Mail   string `json:"mail"`
	Used   bool   `json:"used" doc:"Something was booked by it."`
	Broken string `json:"broken" doc:"Why mail to it came back, with when; or empty."`
}

// MergedClient is one who counts as another.
type MergedClient struct {
	ID    store.ID `json:"id"`
	Name  string   `json:"name"`
	Mails []string `json:"mails"`
	Note  string   `json:"note"`
}

// ShownPayment is a payment for a booking.
type ShownPayment struct {
	Amount  string   `json:"amount"`
	State   string   `json:"state" enum:"open,lapsed,closed,paid,refund due,refunded"`
	Booking store.ID `json:"booking"`
	When    string   `json:"when"`
	Reason  string   `json:"reason" doc:"What is wrong, or empty."`
}

func (s *Desk) registerClients(a huma.API) {
	huma.Register(a, api.Get("/api/clients", "listClients", "The clients, by name or by words"), s.listClients)
	huma.Register(a, api.Get("/api/clients/{id}", "getClient", "A client"), s.getClient)
	huma.Register(a, api.Put("/api/clients/{id}", "changeClient", "Change what is known of a client"), s.changeClient)
	huma.Register(a, api.Post("/api/clients/{id}/mails", "addClientMail", "Give a client another mail address", http.StatusOK), s.addClientMail)
	huma.Register(a, api.Delete("/api/clients/{id}/mails/{mail}", "removeClientMail", "Take a mail address away by which nothing was booked"), s.removeClientMail)
	huma.Register(a, api.Post("/api/clients/{id}/merge", "mergeClient", "Say that another client is the same person", http.StatusOK), s.mergeClient)
	huma.Register(a, api.Post("/api/clients/{id}/part", "partClient", "Say that somebody who was merged is another person after all", http.StatusOK), s.partClient)
	huma.Register(a, api.Get("/api/clients/{id}/held", "holdOfClient", "All that is held of a client, as a file"), s.holdOfClient)
	huma.Register(a, api.Post("/api/clients/{id}/erase", "eraseClient", "Forget a client", http.StatusNoContent), s.eraseClient)
}

func (s *Desk) listClients(ctx context.Context, in *struct {
	Text  string `query:"text" maxLength:"120" doc:"Beginnings of words of names, mail addresses, notes, or a telephone number."`
	Page  int    `query:"page" minimum:"1" maximum:"100000" default:"1"`
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[api.List[ListedClient]], error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	rows, err := db.FindClients(strings.TrimSpace(in.Text), in.Page, span.At(s.Now()))
	if err != nil {
		return nil, err
	}
	country := telephone.CountryOf(text.Zone.String())
	return api.Answer(api.Paged(rows, in.Page, func(r store.ListedClient) ListedClient {
		l := ListedClient{ID: r.ID, Name: r.Name, Mails: append([]string{}, strings.Fields(r.Mails)...), Phone: telephone.Words(r.Phone, country), Visits: r.Visits, Missed: r.Missed, Note: r.Note}
		if r.Last > 0 {
			l.Last = text.Moment(r.Last)
		}
		if r.Next > 0 {
			l.Next = text.Moment(r.Next)
		}
		return l
	}), nil)
}

// shownBookings is how many bookings of a client are shown.
const shownBookings = 50

func (s *Desk) client(ctx context.Context, id store.ID, clock string) (out ShownClient, err error) {
	db, now := s.DB.Read(ctx), span.At(s.Now())
	text, err := inZone(db, clock)
	if err != nil {
		return out, err
	}
	row, err := db.Client(id)
	if err != nil {
		return out, api.Found(err, "client")
	}
	if row.Root != id {
		// Whoever has kept an address of somebody who was merged finds them.
		return s.client(ctx, row.Root, clock)
	}
	country := telephone.CountryOf(text.Zone.String())
	out = ShownClient{ID: id, ClientFields: ClientFields{row.Name, telephone.Words(row.Phone, country), row.Zone, row.Clock, row.Note}, Since: text.Moment(row.CreatedAt),
		Mails: []ShownMail{}, Merged: []MergedClient{}, Perhaps: []store.NamedID{}, Bookings: []FoundBooking{}, Answers: []question.Answer{}, Messages: []ShownMessage{}, Payments: []ShownPayment{}}
	if out.Version, err = db.Version(store.ClientDetails(id)); err != nil {
		return out, err
	}
	if zone, err := hours.LoadZone(row.Zone); err == nil {
		out.Now = words.In{Zone: zone, Twelve: clock == "12"}.Clock(now)
	}
	bookings, err := db.BookingsOfClient(id, shownBookings+1)
	if err != nil {
		return out, err
	}
	used := map[string]bool{}
	for _, k := range bookings {
		used[k.ClientMail] = true
		for _, a := range k.Answers {
			if !slices.ContainsFunc(out.Answers, func(o question.Answer) bool { return o.Key == a.Key && o.Label == a.Label }) && len(out.Answers) < shownBookings {
				out.Answers = append(out.Answers, a)
			}
		}

		out.Ahead = out.Ahead || k.Status != store.Cancelled && k.End > now
		if len(out.Bookings) < shownBookings {
			out.Bookings = append(out.Bookings, renderFound(k, text, now))
		}
	}
	out.More = len(bookings) > shownBookings
	mails, err := db.MailsOf(id)
	if err != nil {
		return out, err
	}
	of := map[store.ID][]string{}
	for _, m := range mails {
		of[m.ClientID] = append(of[m.ClientID], m.Mail)
		shown := ShownMail{Mail: m.Mail, Used: used[m.Mail]}
		if m.BrokenAt > 0 {
			shown.Broken = "Mail came back on " + text.Moment(m.BrokenAt) + ": " + m.Broken
		}
		out.Mails = append(out.Mails, shown)
	}
	family, err := db.ClientFamily(id)
	if err != nil {
		return out, err
	}
	for _, c := range family[1:] {
		out.Merged = append(out.Merged, MergedClient{c.ID, c.Name, append([]string{}, of[c.ID]...), c.Note})
	}
	perhaps, err := db.PerhapsSame(row)
	if err != nil {
		return out, err
	}
	for _, c := range perhaps {
		out.Perhaps = append(out.Perhaps, store.NamedID{ID: c.ID, Name: c.Name})
	}
	messages, err := db.MessagesOfClient(id, shownBookings)
	if err != nil {
		return out, err
	}
	out.Messages = renderMessages(messages, text)
	payments, err := db.PaymentsOfClient(id, shownBookings)
	for _, p := range payments {
		out.Payments = append(out.Payments, ShownPayment{words.Money(p.Amount, p.Currency), string(p.State), p.BookingID, text.Moment(p.MadeAt), p.Error})
	}
	return out, err
}

// ClientPath names a client, and by which clock times are told.
type ClientPath struct {
	api.IDPath
	Clock string `query:"clock" enum:"24,12" default:"24"`
}

func (s *Desk) getClient(ctx context.Context, in *ClientPath) (*api.Body[ShownClient], error) {
	return api.Answer(s.client(ctx, in.ID, in.Clock))
}

// onClient changes something about a client, notes it without saying what is known of them, and returns them.
func (s *Desk) onClient(ctx context.Context, in ClientPath, deed string, change func(tx store.Tx, c store.Client) error) (*api.Body[ShownClient], error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		c, err := tx.Client(in.ID)
		if err != nil {
			return api.Found(err, "client")
		}
		if err := change(tx, c); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), deed, "client", c.ID, fmt.Sprintf("client %d", c.ID), nil, nil)
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Bookings)
	return api.Answer(s.client(ctx, in.ID, in.Clock))
}

func (s *Desk) changeClient(ctx context.Context, in *struct {
	ClientPath
	api.Over
	Body ClientFields
}) (*api.Body[ShownClient], error) {
	over, err := in.Expected(store.ClientDetails(in.ID))
	if err != nil {
		return nil, err
	}
	f := in.Body
	f.Name = strings.TrimSpace(f.Name)
	if f.Name == "" {
		return nil, api.Wrong("name", "Say how they are called.")
	}
	if _, err := hours.LoadZone(f.Zone); err != nil {
		return nil, api.Wrong("zone", "This is not a time zone that is known here, as in Europe/Dublin.")
	}
	out, err := s.onClient(ctx, in.ClientPath, "changed", func(tx store.Tx, c store.Client) error {
		b, err := tx.Business()
		if err != nil {
			return err
		}
		if c.Phone, c.PhoneDigits = "", ""; f.Phone != "" {
			var ok bool
			if c.Phone, ok = telephone.Read(f.Phone, telephone.CountryOf(b.Zone)); !ok {
				return api.Wrong("phone", "This is not a telephone number. Begin with + and the country’s number if it is abroad.")
			}
			c.PhoneDigits = telephone.Digits(c.Phone)
		}
		if _, err := tx.Meet(*over); err != nil {
			return err
		}
		c.Name, c.Zone, c.Clock, c.Note, c.Fixed = f.Name, f.Zone, f.Clock, strings.TrimSpace(f.Note), c.Fixed || c.Name != f.Name
		return tx.SaveClient(&c)
	})
	if err != nil {
		return nil, api.Stale(err, func() (ShownClient, error) { return s.client(ctx, in.ID, in.Clock) }, func(c ShownClient) int64 { return c.Version })
	}
	return out, nil
}

func (s *Desk) addClientMail(ctx context.Context, in *struct {
	ClientPath
	Body struct {
		Mail string `json:"mail" maxLength:"254"`
	}
}) (*api.Body[ShownClient], error) {
	mail, ok := people.MailAddress(in.Body.Mail)
	if !ok {
		return nil, api.Wrong("mail", "This is not a mail address.")
	}
	return s.onClient(ctx, in.ClientPath, "added a mail address of", func(tx store.Tx, c store.Client) error {
		whose, err := tx.ClientByMail(mail)
		if err == nil {
			if whose.ID == c.Root {
				return api.Wrong("mail", "They have this address already.")
			}
			return api.Wrong("mail", fmt.Sprintf("This is an address of %s. If that is the same person, merge the two.", whose.Name))
		}
		if !store.IsMissing(err) {
			return err
		}
		return tx.AddClientMail(store.ClientMail{Mail: mail, ClientID: c.ID, Since: span.At(s.Now())})
	})
}

func (s *Desk) removeClientMail(ctx context.Context, in *struct {
	ClientPath
	Mail string `path:"mail" maxLength:"254"`
}) (*api.Body[ShownClient], error) {
	return s.onClient(ctx, in.ClientPath, "removed a mail address of", func(tx store.Tx, c store.Client) error {
		whose, err := tx.ClientByMail(in.Mail)
		if err != nil || whose.ID != c.Root {
			return api.Found(store.ErrNotFound, "mail address")
		}
		gone, err := tx.RemoveClientMail(in.Mail)
		if err == nil && !gone {
			return api.NewProblem(http.StatusConflict, "Something was booked by this address, so it stays. Erase the client to have it forgotten.")
		}
		return err
	})
}

func (s *Desk) mergeClient(ctx context.Context, in *struct {
	ClientPath
	Body struct {
		Other store.ID `json:"other" minimum:"1" doc:"Who counts as the one in the address from now on."`
	}
}) (*api.Body[ShownClient], error) {
	return s.onClient(ctx, in.ClientPath, "merged another into", func(tx store.Tx, c store.Client) error {
		other, err := tx.Client(in.Body.Other)
		if err != nil {
			return api.Found(err, "client")
		}
		if other.Root == c.Root {
			return api.NewProblem(http.StatusConflict, "They are one already.")
		}
		return tx.MergeClients(other.Root, c.Root)
	})
}

func (s *Desk) partClient(ctx context.Context, in *struct {
	ClientPath
	Body struct {
		Other store.ID `json:"other" minimum:"1" doc:"Who was merged into the one in the address."`
	}
}) (*api.Body[ShownClient], error) {
	return s.onClient(ctx, in.ClientPath, "parted another from", func(tx store.Tx, c store.Client) error {
		other, err := tx.Client(in.Body.Other)
		if err != nil {
			return api.Found(err, "client")
		}
		if other.Root != c.Root || other.MergedInto == 0 {
			return api.NewProblem(http.StatusConflict, "They are not merged (any more).")
		}
		return tx.PartClients(other.ID)
	})
}

func (s *Desk) holdOfClient(ctx context.Context, in *api.IDPath) (*huma.StreamResponse, error) {
	var a clientele.Account
	err := s.DB.Write(ctx, func(tx store.Tx) (err error) {
		c, err := tx.Client(in.ID)
		if err != nil {
			return err
		}
		if a, err = clientele.Of(tx, c.Root); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "wrote down all that is held of", "client", c.Root, fmt.Sprintf("client %d", c.Root), nil, nil)
	})
	if errors.Is(err, clientele.ErrTooMuch) {
		return nil, api.NewProblem(http.StatusConflict, "There is more of this client than one file holds.")
	}
	if err != nil {
		return nil, api.Found(err, "client")
	}
	data, err := json.MarshalIndent(a, "", "  ")
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Type", "application/json; charset=utf-8")
		ctx.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="client-%d.json"`, in.ID))
		_, _ = ctx.BodyWriter().Write(data)
	}}, nil
}

func (s *Desk) eraseClient(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	now := span.At(s.Now())
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		c, err := tx.Client(in.ID)
		if err != nil {
			return err
		}
		return errors.Join(clientele.Erase(tx, c.Root, now), tx.Note(now, "erased", "client", c.Root, fmt.Sprintf("client %d", c.Root), nil, nil))
	})
	if errors.Is(err, clientele.ErrAhead) {
		return nil, api.NewProblem(http.StatusConflict, "They still have visits ahead. Cancel those first, so that nobody waits for somebody who is not known any more.")
	}
	if err != nil {
		return nil, api.Found(err, "client")
	}
	s.Hub.Tell(live.Bookings)
	s.Runner.Wake()
	return nil, s.Files.Sweep(context.WithoutCancel(ctx))
}
