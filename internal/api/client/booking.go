package client

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/question"
	"niche/core/span"
	"niche/internal/allow"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/people"
	"niche/internal/place"
	"niche/internal/schedule"
	"niche/internal/secret"
	"niche/internal/store"
	"niche/internal/telephone"
	"niche/internal/words"
)

// NewBooking asks for a booking.
type NewBooking struct {
	Start  span.Instant `json:"start" format:"date-time"`
	Staff  store.ID     `json:"staff" doc:"Who is asked for, or 0 for anyone." minimum:"0"`
	Length int          `json:"length,omitempty" minimum:"0" maximum:"1440" doc:"One of the service's lengths; the first when left out."`
	Places int          `json:"places,omitempty" minimum:"0" maximum:"1000" doc:"Places asked for; one when left out."`
	Name   string       `json:"name" maxLength:"120"`
	Email  string       `json:"email" maxLength:"254"`
	Zone   string       `json:"zone"`
	Clock  string       `json:"clock" enum:"12,24"`
	api.Asked
	Code    string `json:"code,omitempty" maxLength:"12" doc:"By which the mail address is proved, where the service wants that."`
	Form    string `json:"form,omitempty" maxLength:"100" doc:"What the page has given: it says when it was looked at."`
	Website string `json:"website,omitempty" maxLength:"200" doc:"Nobody sees this field, and who fills it is no client."`
	Trial   string `json:"trial,omitempty" maxLength:"600" doc:"Leave to try the service: what is booked is marked, and cleaned up."`
	Key     string `json:"key,omitempty" minLength:"16" maxLength:"100" doc:"Made at random by who asks, once for each booking that is wanted: the same request sent again with it gets the same booking."`
}

// Booked is a booking as its client sees it.
type Booked struct {
	Reference string            `json:"reference"`
	Status    string            `json:"status" enum:"held,pending,confirmed,cancelled,lapsed" doc:"lapsed: it was not paid in time."`
	Business  string            `json:"business"`
	Service   string            `json:"service"`
	Page      string            `json:"page"`
	When      string            `json:"when"`
	Zone      string            `json:"zone"`
	With      string            `json:"with"`
	Place     string            `json:"place"`
	Link      string            `json:"link" doc:"The address of the meeting room of a visit online; empty where there is none (yet)."`
	Soon      bool              `json:"soon" doc:"The meeting room is still being made."`
	Places    int               `json:"places"`
	Name      string            `json:"name"`
	Email     string            `json:"email"`
	Phone     string            `json:"phone"`
	Answers   []question.Answer `json:"answers"`
	Manage    string            `json:"manage" doc:"The path of the page on which the client can cancel."`
	CanCancel bool              `json:"canCancel"`
	CanMove   bool              `json:"canMove"`
	Limits    string            `json:"limits" doc:"Why it cannot be moved or cancelled here, and whom to call; or until when it can; or empty."`
	Done      string            `json:"done" doc:"The service's own heading of what is booked; empty for the usual."`
	Thanks    string            `json:"thanks" doc:"The service's own words; empty for the usual."`
	Bring     string            `json:"bring" doc:"What is to be brought or prepared; or empty."`
	LeadTo    string            `json:"leadTo" doc:"Where the client is led on to once it is booked; or empty."`
	Pay       *Pay              `json:"pay,omitempty" doc:"What has to be paid before it stands, or was."`
	AnswerBy  string            `json:"answerBy" doc:"Until when a request is answered, in words; or empty."`
}

func (s *Client) book(ctx context.Context, in *struct {
	SlugPath
	Body NewBooking
}) (*api.Body[Booked], error) {
	db := s.DB.Read(ctx)
	service, err := s.bySlug(db, in.Slug)
	if err != nil {
		return nil, err
	}
	var wrong []api.FieldError
	name := strings.TrimSpace(in.Body.Name)
	if name == "" {
		wrong = append(wrong, api.FieldError{Field: "name", Message: "Say your name."})
	}
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		wrong = append(wrong, api.FieldError{Field: "email", Message: "This is not a mail address."})
	}
	zone, err := hours.LoadZone(in.Body.Zone)
	if err != nil {
		return nil, api.Wrong("zone", err.Error())
	}
	length, err := lengthOf(service, in.Body.Length, "length")
	if err != nil {
		return nil, err
	}
	business, err := db.Business()
	if err != nil {
		return nil, err
	}
	heard, err := in.Body.Asked.Read(db, s.Files, service, business.Zone, false, wrong...)
	if err != nil {
		return nil, err
	}
	if !s.Bookings.Answered(ctx, in.Body.Key) {
		if err := s.tries(in.Body, service, email); err != nil {
			return nil, err
		}
		if err := s.byPerson(in.Body); err != nil {
			return nil, err
		}
		if service.ProveMail {
			if err := s.prove(ctx, business, email, in.Body.Code); err != nil {
				return nil, err
			}
		}
		if wait := s.taken.TakeAll(map[string]allow.Rate{"mail " + email: s.Limits.Mail, "page " + service.Slug: s.Limits.Page}); wait > 0 {
			return nil, api.Refusal(wait)
		}
	}
	request := booking.Request{Key: in.Body.Key, Service: service.ID, Start: in.Body.Start, Length: length, Places: in.Body.Places, Staff: in.Body.Staff,
		ClientName: name, ClientMail: email, ClientZone: zone.String(), ClientClock: in.Body.Clock, Phone: heard.Phone, PhoneDigits: heard.Digits, Address: heard.Address, Answers: heard.Answers, Origin: api.From(ctx).Network, Trial: in.Body.Trial != ""}
	if s.Limits.Ahead {
		request.MostAhead = business.AheadPerMail
	}
	taken, err := s.Bookings.Take(ctx, request)
	text := words.In{Zone: zone, Twelve: in.Body.Clock == "12"}
	if errors.Is(err, booking.ErrKeyUsed) {
		return nil, api.Wrong("key", "This key was used for another booking.")
	}
	if errors.Is(err, booking.ErrManyAhead) {
		return nil, api.Wrong("email", fmt.Sprintf("There are %d bookings ahead with this mail address, and no more can be made online. Cancel one of them, or ask %s.", business.AheadPerMail, business.Name))
	}
	if err != nil {
		return nil, api.Refused(err, text, span.At(s.Now()), length)
	}
	if err := s.open(ctx, taken.Booking, service, taken.Token); err != nil {
		return nil, err
	}
	// It is booked, whatever fails from here on, and whether or not anybody waits.
	out, err := s.booked(context.WithoutCancel(ctx), taken.Booking, text)
	if err != nil {
		s.Log.Error("telling a booking", "booking", taken.Booking.ID, "error", err)
		out = Booked{Reference: taken.Booking.Reference, Status: string(taken.Booking.Status), Service: service.Name, Page: api.PagePath(service.Slug), Place: place.Usually(service),
			When: text.Local(in.Body.Start).Format("Monday 2 January 2006, ") + text.Stretch(span.For(in.Body.Start, length)).Label, Zone: zone.String(), Places: taken.Booking.Places,
			Name: taken.Booking.ClientName, Email: taken.Booking.ClientMail, Phone: taken.Booking.ClientPhone, Answers: append([]question.Answer{}, taken.Booking.Answers...)}
	}
	out.Manage = "/booking/" + taken.Token
	return api.Answer(out, nil)
}

// tries refuses a trial by whoever has no leave to try the service.
func (s *Client) tries(b NewBooking, service store.Service, mail string) error {
	if b.Trial == "" {
		return nil
	}
	leave, err := s.Bookings.Tries(b.Trial)
	if err != nil || leave.Service != service.ID {
		return api.NewProblem(http.StatusConflict, "This trial has ended. Begin another where the service is set up.")
	}
	if mail != leave.Mail {
		return api.Wrong("email", "A trial is told to whoever tries: "+leave.Mail+".")
	}
	return nil
}

// lengthOf returns the chosen length of a service's visit.
func lengthOf(service store.Service, minutes int, field string) (span.Minutes, error) {
	if minutes == 0 || minutes == int(service.Length) {
		return service.Length, nil
	}
	if !slices.Contains(service.Lengths, span.Minutes(minutes)) {
		return 0, api.Wrong(field, "This service has no visits of this length.")
	}
	return span.Minutes(minutes), nil
}

// booked renders a booking for its client.
func (s *Client) booked(ctx context.Context, k store.Booking, text words.In) (Booked, error) {
	db := s.DB.Read(ctx)
	v, err := db.Visit(k.VisitID)
	if err != nil {
		return Booked{}, err
	}
	service, err := db.Service(v.ServiceID)
	if err != nil {
		return Booked{}, err
	}
	business, err := db.Business()
	if err != nil {
		return Booked{}, err
	}
	names, err := db.VisitStaffNames(v.ID)
	if err != nil {
		return Booked{}, err
	}
	at, err := place.Of(db, service, v, k)
	if err != nil {
		return Booked{}, err
	}
	out := Booked{Reference: k.Reference, Status: string(k.Status), Business: business.Name, Service: service.Name, Page: api.PagePath(service.Slug),
		When: text.Local(v.Start).Format("Monday 2 January 2006, ") + text.Stretch(v.During()).Label, Zone: text.Zone.String(),
		With: strings.Join(names, " and "), Place: at.Words, Link: at.Link, Places: k.Places, Name: k.ClientName, Email: k.ClientMail,
		Phone: telephone.Words(k.ClientPhone, telephone.CountryOf(business.Zone)), Answers: append([]question.Answer{}, k.Answers...),
	}
	out.Soon = service.Venue == store.Online && at.Link == "" && k.Status == store.Confirmed && v.End > span.At(s.Now())
	may := allowed(k, v, service, business, text, span.At(s.Now()))
	out.CanCancel, out.CanMove, out.Limits = may.cancel, may.move, may.words
	if k.Status == store.Confirmed || k.Status == store.Pending {
		out.Done = service.Look.Done
		out.Thanks, out.Bring, out.LeadTo = service.Afterwards.Thanks, service.Afterwards.Bring, leadTo(service, k, v)
	}
	if out.Pay, err = s.pay(db, k, v, service, text); err != nil {
		return Booked{}, err
	}
	if k.Status == store.Pending && k.AnswerBy > 0 {
		out.AnswerBy = text.Moment(k.AnswerBy)
	}
	return out, nil
}

// may is what a client may do with a booking by themselves, and why not more.
type may struct {
	move, cancel bool
	words        string
}

// allowed says what a client may do by the limits of a service.
func allowed(k store.Booking, v store.Visit, service store.Service, b store.Business, text words.In, now span.Instant) may {
	if k.Status == store.Cancelled || k.Status == store.Held || v.Start <= now {
		return may{}
	}
	call := "ask " + b.Name + "."
	if b.Phone != "" {
		call = "call " + b.Name + " at " + telephone.Words(b.Phone, telephone.CountryOf(b.Zone)) + "."
	}
	m := may{cancel: now < v.Start.Add(-service.CancelUntil), move: k.Status == store.Confirmed && now < v.Start.Add(-service.MoveUntil)}
	often := service.MoveTimes < 0 || service.MoveTimes > 0 && k.MovedByClient >= service.MoveTimes
	switch {
	case !m.cancel && !m.move:
		m.words = "It is too late to move or cancel this visit here: " + call
	case !m.cancel:
		m.words = "It is too late to cancel this visit here: " + call
	case !m.move && k.Status == store.Confirmed:
		m.words = "It is too late to move this visit here: " + call
	case often && k.Status == store.Confirmed:
		m.words = "This visit cannot be moved here: " + call
		if service.MoveTimes > 0 {
			m.words = "This visit was moved as often as it can be here: " + call
		}
	case service.MoveUntil > 0 || service.CancelUntil > 0:
		m.words = "It can be moved until " + text.Moment(v.Start.Add(-service.MoveUntil)) + ", and cancelled until " + text.Moment(v.Start.Add(-service.CancelUntil)) + "."
	}
	m.move = m.move && !often
	return m
}

// TokenPath is the token of an own booking.
type TokenPath struct {
	Token string `path:"token" maxLength:"100"`
	Clock string `query:"clock" enum:"12,24" default:"24"`
}

func (s *Client) byToken(ctx context.Context, in *TokenPath) (store.Booking, Booked, error) {
	db := s.DB.Read(ctx)
	k, err := db.BookingByToken(secret.Hash(in.Token))
	if store.IsMissing(err) {
		home, err := schedule.Zone(db)
		if err != nil {
			return k, Booked{}, err
		}
		out, err := s.lapsed(db, in.Token, words.In{Zone: home, Twelve: in.Clock == "12"})
		return k, out, err
	}
	if err != nil {
		return k, Booked{}, err
	}
	zone, err := hours.LoadZone(k.ClientZone)
	if err != nil {
		return k, Booked{}, err
	}
	out, err := s.booked(ctx, k, words.In{Zone: zone, Twelve: in.Clock == "12"})
	out.Manage = "/booking/" + in.Token
	return k, out, err
}

func (s *Client) getMyBooking(ctx context.Context, in *TokenPath) (*api.Body[Booked], error) {
	_, out, err := s.byToken(ctx, in)
	return api.Answer(out, err)
}

func (s *Client) cancelMyBooking(ctx context.Context, in *TokenPath) (*api.Body[Booked], error) {
	k, out, err := s.byToken(ctx, in)
	if err != nil {
		return nil, err
	}
	if k.Status == store.Held {
		if err := s.Payments.Abandon(ctx, k.ID); err != nil {
			return nil, err
		}
		return api.Answer(out, nil)
	}
	if !out.CanCancel && k.Status != store.Cancelled {
		return nil, api.NewProblem(http.StatusConflict, cmp.Or(out.Limits, "This visit has begun, so it cannot be cancelled here any more."))
	}
	if err := s.Bookings.CancelByClient(ctx, k.ID); err != nil {
		return nil, err
	}
	_, out, err = s.byToken(ctx, in)
	return api.Answer(out, err)
}

func (s *Client) moveMyBooking(ctx context.Context, in *struct {
	TokenPath
	Body api.Move
}) (*api.Body[Booked], error) {
	k, out, err := s.byToken(ctx, &in.TokenPath)
	if err != nil {
		return nil, err
	}
	if !out.CanMove {
		return nil, api.NewProblem(http.StatusConflict, cmp.Or(out.Limits, "This visit has begun or is cancelled, so it cannot be moved here any more."))
	}
	if wait := s.taken.Take(fmt.Sprint("move ", k.ID), s.Limits.Move); wait > 0 {
		return nil, api.Refusal(wait)
	}
	zone, err := hours.LoadZone(k.ClientZone)
	if err != nil {
		return nil, err
	}
	if err := api.MoveOwn(ctx, s.DB, s.Bookings, k.ID, in.Body, words.In{Zone: zone, Twelve: in.Clock == "12"}); err != nil {
		return nil, err
	}
	_, out, err = s.byToken(ctx, &in.TokenPath)
	return api.Answer(out, err)
}
