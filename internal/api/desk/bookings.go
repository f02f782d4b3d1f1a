package desk

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/preview"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Decision settles a pending booking.
type Decision struct {
	Accept bool `json:"accept"`
}

func (s *Desk) registerBookings(a huma.API) {
	huma.Register(a, api.Get("/api/bookings", "listBookings", "Bookings as they were made, the last first"), s.listBookings)
	huma.Register(a, api.Post("/api/bookings/cancel", "cancelBookings", "Cancel several bookings", http.StatusNoContent), s.cancelBookings)
	huma.Register(a, api.Post("/api/bookings/{id}/cancel", "cancelBooking", "Cancel a booking", http.StatusNoContent), s.cancelBooking)
	huma.Register(a, api.Post("/api/bookings/{id}/move", "moveBooking", "Move a booking to another start", http.StatusNoContent), s.moveBooking)
	huma.Register(a, api.Get("/api/bookings/{id}/ways", "listWays", "Where a booking could move to"), s.listWays)
	huma.Register(a, api.Post("/api/bookings/{id}/decision", "decideBooking", "Confirm or decline a pending booking", http.StatusNoContent), s.decideBooking)
	huma.Register(a, api.Get("/api/bookings/{id}/case", "getBookingCase", "Why a booking was taken: what every rule said when it was decided"), s.bookingDecision)
}

// Decided is how a booking was decided.
type Decided struct {
	At    span.Instant    `json:"at" format:"date-time" doc:"When it was decided."`
	Words string          `json:"words" doc:"When, and how the last look went, in sentences."`
	Staff []DecidedPerson `json:"staff" doc:"Who was picked, with what every rule said."`
}

// DecidedPerson is what every rule said of a start of one person.
type DecidedPerson struct {
	Staff store.NamedID     `json:"staff"`
	Words string            `json:"words" doc:"The start, as Tuesday 24 November, 10:00–11:30."`
	Rules []preview.WhyRule `json:"rules"`
}

func (s *Desk) bookingDecision(ctx context.Context, in *api.IDPath) (*api.Body[Decided], error) {
	db := s.DB.Read(ctx)
	d, err := booking.DecisionOf(db, in.ID)
	if store.IsMissing(err) {
		return nil, api.NewProblem(http.StatusNotFound, "How this booking was decided is not known: it was taken before that was kept.")
	}
	if err != nil {
		return nil, err
	}
	names, err := db.StaffNames()
	if err != nil {
		return nil, err
	}
	text := words.In{Zone: d.Question.Zone}
	out := Decided{At: d.At, Words: "Decided on " + text.Local(d.At).Format("Monday 2 January 2006 at 15:04") + ". " + d.LookWords(), Staff: []DecidedPerson{}}
	visit := d.Question.Service.Visit(d.Start)
	for i, m := range d.Question.Staff {
		id := store.Named(m.ID)
		p := DecidedPerson{Staff: store.NamedID{ID: id, Name: names[id]}, Words: text.Local(d.Start).Format("Monday 2 January, ") + text.Stretch(visit).Label, Rules: []preview.WhyRule{}}
		for _, v := range d.Question.Explain(d.Start, i).Verdicts {
			p.Rules = append(p.Rules, preview.WhyRule{Code: string(v.Code), Name: offer.RuleOf(v.Code).Name, Held: !v.Refused, Detail: v.Detail, Sources: []preview.WhySource{}})
		}
		out.Staff = append(out.Staff, p)
	}
	return api.Answer(out, nil)
}

func (s *Desk) cancelBooking(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	return nil, api.Found(s.Bookings.Cancel(ctx, in.ID), "booking")
}

func (s *Desk) moveBooking(ctx context.Context, in *struct {
	api.IDPath
	Body api.Move
}) (*struct{}, error) {
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	return nil, api.MoveBooking(ctx, s.DB, s.Bookings, in.ID, in.Body, words.In{Zone: zone})
}

// Way is where a booking could move to.
type Way struct {
	Start span.Instant  `json:"start" format:"date-time"`
	Staff store.NamedID `json:"staff"`
	Words string        `json:"words" doc:"What it is, as Move it to Thu 26 Nov, 10:30 with Bryn."`
	About string        `json:"about" doc:"What it does."`
}

// nearWays is how many ways are named with somebody.
const nearWays = 2

func (s *Desk) listWays(ctx context.Context, in *api.IDPath) (*api.Body[api.List[Way]], error) {
	own, others, err := s.Bookings.Ways(ctx, in.ID, nearWays)
	if errors.Is(err, booking.ErrNotMovable) {
		return api.Answer(api.List[Way]{Items: []Way{}}, nil)
	}
	if err != nil {
		return nil, api.Found(err, "booking")
	}
	db := s.DB.Read(ctx)
	k, err := db.Booking(in.ID)
	if err != nil {
		return nil, err
	}
	v, err := db.Visit(k.VisitID)
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	names, err := db.StaffNames()
	text, out := words.In{Zone: zone}, []Way{}
	for _, w := range own {
		out = append(out, Way{w.At, store.NamedID{ID: w.Staff, Name: names[w.Staff]}, "Move it to " + text.Moment(w.At), "a nearby start with " + words.FirstName(names[w.Staff])})
	}
	for _, w := range others {
		way := Way{w.At, store.NamedID{ID: w.Staff, Name: names[w.Staff]}, "Give it to " + words.FirstName(names[w.Staff]) + ", " + text.Moment(w.At), "the nearest start of " + words.FirstName(names[w.Staff])}
		if w.At == v.Start {
			way.Words, way.About = "Give it to "+words.FirstName(names[w.Staff])+" at the same time", words.FirstName(names[w.Staff])+" is free then"
		}
		out = append(out, way)
	}
	return api.Answer(api.List[Way]{Items: out}, err)
}

func (s *Desk) decideBooking(ctx context.Context, in *struct {
	api.IDPath
	Body Decision
}) (*struct{}, error) {
	return nil, api.Found(s.Bookings.Decide(ctx, in.ID, in.Body.Accept), "booking that waits for a decision")
}

// MadeBooking is a booking as it was made.
type MadeBooking struct {
	ID        store.ID `json:"id"`
	Visit     store.ID `json:"visit"`
	Reference string   `json:"reference"`
	Service   string   `json:"service"`
	When      string   `json:"when" doc:"The visit, on the business's clock."`
	Date      string   `json:"date" format:"date" doc:"Of the visit, on the business's clock."`
	Staff     string   `json:"staff"`
	Client    string   `json:"client"`
	Email     string   `json:"email"`
	Status    string   `json:"status" enum:"pending,confirmed,cancelled"`
	Made      string   `json:"made" doc:"When it was made, on the business's clock."`
	Network   string   `json:"network" doc:"Where it was made from; empty where that was not kept."`
	Ahead     bool     `json:"ahead" doc:"The visit has not begun."`
}

func (s *Desk) listBookings(ctx context.Context, in *struct {
	Text    string   `query:"text" maxLength:"120" doc:"The beginning of a mail address or reference, or a part of a name."`
	Network string   `query:"network" maxLength:"60" doc:"Only those made from one network."`
	Status  string   `query:"status" enum:"pending,confirmed,cancelled"`
	Ahead   bool     `query:"ahead" doc:"Only of visits that have not begun."`
	Before  store.ID `query:"before" minimum:"0" doc:"Made before this one; 0 for the last."`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[api.List[MadeBooking]], error) {
	db, now := s.DB.Read(ctx), span.At(s.Now())
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	rows, err := db.BookingsMade(store.MadeOf{Text: strings.TrimSpace(in.Text), Origin: in.Network, Status: store.BookingStatus(in.Status), Ahead: in.Ahead, Now: now, Before: in.Before, Most: store.PageSize + 1})
	out := api.List[MadeBooking]{Items: []MadeBooking{}}
	if len(rows) > store.PageSize {
		rows = rows[:store.PageSize]
		out.Next = int(rows[len(rows)-1].ID)
	}
	for _, r := range rows {
		out.Items = append(out.Items, MadeBooking{ID: r.ID, Visit: r.VisitID, Reference: r.Reference, Service: r.Service, Staff: r.Staff, Client: r.ClientName, Email: r.ClientMail,
			When: text.Local(r.Start).Format("Mon 2 Jan 2006, ") + text.Stretch(span.Between(r.Start, r.End)).Label, Date: text.Local(r.Start).Format("2006-01-02"),
			Status: string(r.Status), Made: text.Moment(r.CreatedAt), Network: r.Origin, Ahead: r.Start > now})
	}
	return api.Answer(out, err)
}

// Cancelling names bookings that are to be cancelled.
type Cancelling struct {
	IDs []store.ID `json:"ids" minItems:"1" maxItems:"200"`
}

func (s *Desk) cancelBookings(ctx context.Context, in *struct{ Body Cancelling }) (*struct{}, error) {
	return nil, api.Found(s.Bookings.CancelAll(ctx, in.Body.IDs), "booking")
}
