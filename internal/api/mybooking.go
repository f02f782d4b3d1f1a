package api

import (
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/store"
)

// NewBooking asks for a booking.
type NewBooking struct {
	Start  string   `json:"start" format:"date-time"`
	Staff  store.ID `json:"staff" doc:"Who is asked for, or 0 for anyone." minimum:"0"`
	Length int      `json:"length,omitempty" minimum:"0" maximum:"1440" doc:"One of the service's lengths; the first when left out."`
	Places int      `json:"places,omitempty" minimum:"0" maximum:"1000" doc:"Places asked for; one when left out."`
	Name   string   `json:"name" minLength:"1" maxLength:"120"`
	Email  string   `json:"email" minLength:"1" maxLength:"254"`
	Zone   string   `json:"zone"`
	Clock  string   `json:"clock" enum:"12,24"`
}

// Move asks for another start.
type Move struct {
	Start string   `json:"start" format:"date-time"`
	Staff store.ID `json:"staff" minimum:"0" doc:"Who is asked for, or 0 for anyone."`
}

// Booked is a booking as its client sees it.
type Booked struct {
	Reference string `json:"reference"`
	Status    string `json:"status" enum:"held,pending,confirmed,cancelled"`
	Business  string `json:"business"`
	Service   string `json:"service"`
	Page      string `json:"page"`
	When      string `json:"when"`
	Zone      string `json:"zone"`
	With      string `json:"with"`
	Place     string `json:"place"`
	Places    int    `json:"places"`
	Name      string `json:"name"`
	Email     string `json:"email"`
	Manage    string `json:"manage" doc:"The path of the page on which the client can cancel."`
	CanCancel bool   `json:"canCancel"`
}

func (s *server) registerMyBooking(a huma.API) {
	huma.Register(a, opened(post("/api/pages/{slug}/bookings", "book", "Book a start", http.StatusCreated)), s.book)
	huma.Register(a, opened(get("/api/my-bookings/{token}", "getMyBooking", "A client's own booking")), s.getMyBooking)
	huma.Register(a, opened(post("/api/my-bookings/{token}/move", "moveMyBooking", "Move an own booking", http.StatusOK)), s.moveMyBooking)
	huma.Register(a, opened(post("/api/my-bookings/{token}/cancel", "cancelMyBooking", "Cancel an own booking", http.StatusOK)), s.cancelMyBooking)
}

func (s *server) book(ctx context.Context, in *struct {
	SlugPath
	Body NewBooking
}) (*body[Booked], error) {
	db := s.DB.Read(ctx)
	service, err := s.bySlug(db, in.Slug)
	if err != nil {
		return nil, err
	}
	start, err := span.Parse(in.Body.Start)
	if err != nil {
		return nil, wrong("start", err.Error())
	}
	email, ok := mailAddress(in.Body.Email)
	if !ok {
		return nil, wrong("email", "This is not a mail address.")
	}
	zone, err := hours.LoadZone(in.Body.Zone)
	if err != nil {
		return nil, wrong("zone", err.Error())
	}
	length, err := lengthOf(service, in.Body.Length, "length")
	if err != nil {
		return nil, err
	}
	taken, err := s.Bookings.Take(ctx, booking.Request{Service: service.ID, Start: start, Length: length, Places: in.Body.Places, Staff: in.Body.Staff,
		ClientName: in.Body.Name, ClientMail: email, ClientZone: zone.String()})
	text := texts{zone: zone, twelve: in.Body.Clock == "12"}
	if err != nil {
		return nil, s.refused(err, text, length)
	}
	out, err := s.booked(ctx, taken.Booking, text)
	out.Manage = "/booking/" + taken.Token
	return answer(out, err)
}

// lengthOf returns the chosen length of a service's visit.
func lengthOf(service store.Service, minutes int, field string) (span.Minutes, error) {
	if minutes == 0 || minutes == int(service.Length) {
		return service.Length, nil
	}
	if !slices.Contains(service.Lengths, span.Minutes(minutes)) {
		return 0, wrong(field, "This service has no visits of this length.")
	}
	return span.Minutes(minutes), nil
}

// move moves a booking.
func (s *server) move(ctx context.Context, id store.ID, to Move, text texts) (store.Booking, error) {
	start, err := span.Parse(to.Start)
	if err != nil {
		return store.Booking{}, wrong("start", err.Error())
	}
	k, err := s.Bookings.Move(ctx, id, start, to.Staff)
	if errors.Is(err, booking.ErrNotMovable) {
		return k, newProblem(http.StatusConflict, "Only a confirmed booking can be moved.")
	}
	if err != nil {
		var v store.Visit
		if err := s.DB.Read(ctx).Joins("JOIN bookings b ON b.visit_id = visits.id").Where("b.id = ?", id).Take(&v).Error; err != nil {
			return k, found(err, "booking")
		}
		return k, s.refused(err, text, v.During().Minutes())
	}
	return k, nil
}

// refused turns what Take and Move say into an answer.
func (s *server) refused(err error, text texts, length span.Minutes) error {
	var no *booking.NotOffered
	if errors.As(err, &no) {
		return notOffered(no, pageView{texts: text, today: text.zone.DateAt(span.At(s.Now())), length: length})
	}
	return err
}

func notOffered(no *booking.NotOffered, v pageView) error {
	p := newProblem(http.StatusConflict, "This time has just been taken.")
	switch no.Reasons[0] {
	case "calendar-not-reached":
		p.Detail = "This time cannot be confirmed at the moment."
	case "paused":
		p.Detail = "This cannot be booked at present."
	case "past", "notice":
		p.Detail = "It is too late to book this time."
	case "window", "outside-hours":
		p.Detail = "This time is not offered."
	case "places":
		p.Detail = "There are not so many places left."
	}
	for _, r := range no.Reasons {
		p.Reasons = append(p.Reasons, string(r))
	}
	for _, o := range no.Nearest {
		p.Nearest = append(p.Nearest, v.start(o))
	}
	return p
}

// booked renders a booking for its client.
func (s *server) booked(ctx context.Context, k store.Booking, text texts) (Booked, error) {
	db := s.DB.Read(ctx)
	var v store.Visit
	var service store.Service
	var business store.Business
	var names []string
	if err := db.Take(&v, k.VisitID).Error; err != nil {
		return Booked{}, err
	}
	if err := db.Take(&service, v.ServiceID).Error; err != nil {
		return Booked{}, err
	}
	if err := db.Take(&business).Error; err != nil {
		return Booked{}, err
	}
	err := db.Model(&store.Staff{}).Joins("JOIN visit_staff vs ON vs.staff_id = staff.id").Where("vs.visit_id = ?", v.ID).Order("staff.name").Pluck("name", &names).Error
	if err != nil {
		return Booked{}, err
	}
	return Booked{Reference: k.Reference, Status: string(k.Status), Business: business.Name, Service: service.Name, Page: pagePath(service.Slug),
		When: text.local(v.Start).Format("Monday 2 January 2006, ") + text.stretch(v.During()).Label, Zone: text.zone.String(),
		With: strings.Join(names, " and "), Place: service.Place, Places: k.Places, Name: k.ClientName, Email: k.ClientMail,
		CanCancel: k.Status != store.Cancelled && v.Start > span.At(s.Now())}, nil
}

type TokenPath struct {
	Token string `path:"token" maxLength:"100"`
	Clock string `query:"clock" enum:"12,24" default:"24"`
}

func (s *server) byToken(ctx context.Context, in *TokenPath) (store.Booking, Booked, error) {
	var k store.Booking
	if err := s.DB.Read(ctx).Where("token_hash = ?", booking.HashToken(in.Token)).Take(&k).Error; err != nil {
		return k, Booked{}, found(err, "booking")
	}
	zone, err := hours.LoadZone(k.ClientZone)
	if err != nil {
		return k, Booked{}, err
	}
	out, err := s.booked(ctx, k, texts{zone: zone, twelve: in.Clock == "12"})
	out.Manage = "/booking/" + in.Token
	return k, out, err
}

func (s *server) getMyBooking(ctx context.Context, in *TokenPath) (*body[Booked], error) {
	_, out, err := s.byToken(ctx, in)
	return answer(out, err)
}

func (s *server) cancelMyBooking(ctx context.Context, in *TokenPath) (*body[Booked], error) {
	k, out, err := s.byToken(ctx, in)
	if err != nil {
		return nil, err
	}
	if !out.CanCancel && k.Status != store.Cancelled {
		return nil, newProblem(http.StatusConflict, "This visit has begun, so it cannot be cancelled here any more.")
	}
	if err := s.Bookings.Cancel(ctx, k.ID); err != nil {
		return nil, err
	}
	_, out, err = s.byToken(ctx, in)
	return answer(out, err)
}

func (s *server) moveMyBooking(ctx context.Context, in *struct {
	TokenPath
	Body Move
}) (*body[Booked], error) {
	k, out, err := s.byToken(ctx, &in.TokenPath)
	if err != nil {
		return nil, err
	}
	if !out.CanCancel {
		return nil, newProblem(http.StatusConflict, "This visit has begun or is cancelled, so it cannot be moved here any more.")
	}
	zone, err := hours.LoadZone(k.ClientZone)
	if err != nil {
		return nil, err
	}
	if _, err := s.move(ctx, k.ID, in.Body, texts{zone: zone, twelve: in.Clock == "12"}); err != nil {
		return nil, err
	}
	_, out, err = s.byToken(ctx, &in.TokenPath)
	return answer(out, err)
}
