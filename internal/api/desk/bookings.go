package desk

import (
	"context"
	"errors"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
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
	huma.Register(a, api.Get("/api/bookings", "findBookings", "Bookings, found and in order"), s.findBookings)
	huma.Register(a, api.Get("/api/bookings/export", "exportBookings", "The same as a file"), s.exportBookings)
	huma.Register(a, api.Post("/api/bookings", "bookAtDesk", "Book for a client", http.StatusCreated), s.bookAtDesk)
	huma.Register(a, api.Get("/api/bookings/{id}", "getBooking", "A booking with all that is known of it"), s.getBooking)
	huma.Register(a, api.Put("/api/bookings/{id}/note", "noteBooking", "Note something of a booking, or that nobody came"), s.noteBooking)
	huma.Register(a, api.Post("/api/bookings/cancel", "cancelBookings", "Cancel several bookings", http.StatusNoContent), s.cancelBookings)
	huma.Register(a, api.Post("/api/bookings/{id}/cancel", "cancelBooking", "Cancel a booking", http.StatusNoContent), s.cancelBooking)
	huma.Register(a, api.Post("/api/bookings/{id}/move", "moveBooking", "Move a booking to another start", http.StatusNoContent), s.moveBooking)
	huma.Register(a, api.Get("/api/bookings/{id}/ways", "listWays", "Where a booking could move to"), s.listWays)
	huma.Register(a, api.Get("/api/bookings/{id}/places", "listPlaces", "Every start of a date to which a booking could move, or could not"), s.listPlaces)
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

// DeskStart is a start as the desk gives it: an instant, or what the business's clock shows then.
type DeskStart struct {
	Start span.Instant `json:"start,omitempty" format:"date-time"`
	Wall  string       `json:"wall,omitempty" pattern:"^[0-9]{4}-[0-9]{2}-[0-9]{2} [0-9]{1,2}:[0-9]{2}$" doc:"Instead of it: 2026-11-26 10:00 on the business's clock."`
}

// at returns the instant.
func (d DeskStart) at(zone hours.Zone) (span.Instant, error) {
	if d.Wall == "" && d.Start == 0 {
		return 0, api.Wrong("start", "Say when.")
	}
	if d.Wall == "" {
		return d.Start, nil
	}
	day, clock, _ := strings.Cut(d.Wall, " ")
	if len(clock) == 4 {
		clock = "0" + clock
	}
	date, err1 := hours.ParseDate(day)
	minute, err2 := hours.ParseWall(clock)
	if err1 != nil || err2 != nil {
		return 0, api.Wrong("wall", "This is not a date with a time of day.")
	}
	return zone.Over(date, date+1).Starting(date, int(minute)), nil
}

// DeskMove says where a booking goes.
type DeskMove struct {
	DeskStart
	Staff  store.ID `json:"staff" minimum:"0" doc:"With whom, or 0 for anyone."`
	Anyway string   `json:"anyway,omitempty" maxLength:"300" doc:"Why rules are overruled: all but another booking of the same time. Left out for keeping them."`
}

func (s *Desk) moveBooking(ctx context.Context, in *struct {
	api.IDPath
	Body DeskMove
}) (*struct{}, error) {
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	start, err := in.Body.at(zone)
	if err != nil {
		return nil, err
	}
	anyway := strings.TrimSpace(in.Body.Anyway)
	if anyway != "" && in.Body.Staff == 0 {
		return nil, api.Wrong("staff", "Say with whom: rules are overruled for somebody.")
	}
	return nil, api.MoveBooking(ctx, s.DB, s.Bookings, in.ID, api.Move{Start: start, Staff: in.Body.Staff}, anyway, words.In{Zone: zone})
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

// Cancelling names bookings that are to be cancelled.
type Cancelling struct {
	IDs []store.ID `json:"ids" minItems:"1" maxItems:"200"`
}

func (s *Desk) cancelBookings(ctx context.Context, in *struct{ Body Cancelling }) (*struct{}, error) {
	return nil, api.Found(s.Bookings.CancelAll(ctx, in.Body.IDs), "booking")
}
