package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strconv"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/store"
	"niche/internal/words"
)

// Relief is a plan by which others take over the visits of somebody who is away. Nothing of
// it is done.
type Relief struct {
	Words  string        `json:"words" doc:"What the plan comes to, in a sentence."`
	Visits []ReliefVisit `json:"visits"`
}

// ReliefVisit is a visit in it.
type ReliefVisit struct {
	Visit    store.ID        `json:"visit"`
	Bookings []ReliefBooking `json:"bookings"`
	Service  string          `json:"service"`
	Hue      int             `json:"hue"`
	Start    span.Instant    `json:"start" format:"date-time"`
	Words    string          `json:"words" doc:"When it is, as Thu 26 Nov, 10:00–11:30."`
	To       span.Instant    `json:"to" format:"date-time" doc:"When it would be; only of one that something was found for."`
	Staff    store.NamedID   `json:"staff" doc:"Who would take it; nobody where all who perform it take part."`
	Found    bool            `json:"found"`
	Goes     string          `json:"goes" doc:"Where it would go, or why it stays, in words."`
	Same     bool            `json:"same" doc:"At its own time."`
}

// ReliefBooking is a booking of such a visit.
type ReliefBooking struct {
	ID        store.ID `json:"id"`
	Client    string   `json:"client"`
	Reference string   `json:"reference"`
}

// Relieving says where a visit goes by a plan.
type Relieving struct {
	Visit store.ID     `json:"visit" minimum:"1"`
	Start span.Instant `json:"start" format:"date-time"`
	Staff store.ID     `json:"staff" minimum:"0" doc:"Who takes it; 0 where all who perform it take part."`
}

func (s *Desk) registerRelief(a huma.API) {
	huma.Register(a, api.Get("/api/staff/{id}/relief", "planRelief", "Who could take over somebody's visits of some days"), s.planRelief)
	huma.Register(a, api.Post("/api/staff/{id}/relief", "relieve", "Hand one visit over, as a plan says", http.StatusNoContent), s.relieve)
}

func (s *Desk) planRelief(ctx context.Context, in *struct {
	api.IDPath
	From  string `query:"from" required:"true" format:"date" doc:"A date on the person's own clock."`
	Until string `query:"until" required:"true" format:"date" doc:"The last date, at most two weeks later."`
	Reach string `query:"reach" enum:"time,day,week" default:"day" doc:"How far a visit may go: to somebody else at its time; to another time of its day; or to another day within a week."`
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[Relief], error) {
	from, err := hours.ParseDate(in.From)
	if err != nil {
		return nil, api.Wrong("query.from", "This is not a date, as in 2026-03-02.")
	}
	until, err := hours.ParseDate(in.Until)
	if err != nil || until < from || until > from+14 {
		return nil, api.Wrong("query.until", "Give a date from the first on, at most two weeks later.")
	}
	plan, err := s.Bookings.PlanRelief(ctx, in.ID, from, until, booking.Reach(in.Reach))
	if errors.Is(err, booking.ErrManyVisits) {
		return nil, api.Wrong("query.until", "These days hold more than 60 visits. Hand over fewer days at once.")
	}
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	names, err := db.StaffNames()
	out, found, moved := Relief{Visits: []ReliefVisit{}}, 0, 0
	for _, r := range plan.Visits {
		v := ReliefVisit{Visit: r.Visit.ID, Service: r.Service.Name, Hue: r.Service.Hue, Start: r.Visit.Start, Bookings: []ReliefBooking{},
			Words: text.Local(r.Visit.Start).Format("Mon 2 Jan, ") + text.Stretch(r.Visit.During()).Label}
		for _, k := range r.Bookings {
			v.Bookings = append(v.Bookings, ReliefBooking{k.ID, k.ClientName, k.Reference})
		}
		switch {
		case r.Waits:
			v.Goes = "It waits for a decision: confirm or decline it first."
		case r.Service.Paused:
			v.Goes = r.Service.Name + " is paused, so nothing of it can move."
		case r.To.At == 0 && r.Service.Staffing == "all":
			v.Goes = "All who perform it take part, so nobody can stand in."
		case r.To.At == 0:
			v.Goes = "Nobody was found who could take it."
		default:
			found++
			v.Found, v.To, v.Same = true, r.To.At, r.To.At == r.Visit.Start
			who := "The same people"
			if r.To.Staff != 0 {
				v.Staff = store.NamedID{ID: r.To.Staff, Name: names[r.To.Staff]}
				who = v.Staff.Name
			}
			v.Goes = who + ", " + text.Moment(r.To.At)
			if v.Same {
				v.Goes = who + ", at the same time"
			} else {
				moved++
			}
		}
		out.Visits = append(out.Visits, v)
	}
	out.Words = reliefWords(len(plan.Visits), found, moved, plan.Best)
	return api.Answer(out, err)
}

// reliefWords says what a plan comes to.
func reliefWords(visits, found, moved int, best bool) string {
	if visits == 0 {
		return "No visit lies ahead on these days."
	}
	text := strconv.Itoa(found) + " of " + words.Counted(visits, "visit")
	if found == visits {
		text = map[int]string{1: "The one visit", 2: "Both visits"}[visits]
		if text == "" {
			text = "All " + words.Counted(visits, "visit")
		}
	}
	if found == 0 {
		return "Nobody was found for any of the visits."
	}
	text += " can go to somebody"
	switch moved {
	case 0:
		text += ", at the same times"
	case found:
		text += ", at other times"
	default:
		text += ", " + strconv.Itoa(moved) + " of them at another time"
	}
	if !best && found < visits {
		text += "; another way may place more"
	}
	return text + "."
}

func (s *Desk) relieve(ctx context.Context, in *struct {
	api.IDPath
	Body Relieving
}) (*struct{}, error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, "24")
	if err != nil {
		return nil, err
	}
	on, err := db.VisitStaff(in.Body.Visit)
	if err != nil {
		return nil, err
	}
	if !slices.Contains(on, in.ID) {
		return nil, api.Wrong("visit", "This visit is not one of theirs any more.")
	}
	bookings, err := db.BookingsOn(in.Body.Visit)
	if err != nil {
		return nil, err
	}
	for n, k := range bookings {
		err := api.MoveBooking(ctx, s.DB, s.Bookings, k.ID, api.Move{Start: in.Body.Start, Staff: in.Body.Staff}, "", text)
		var refused *api.Problem
		if n > 0 && errors.As(err, &refused) {
			refused.Detail = fmt.Sprintf("%d of %d clients have gone there, %s could not: %s", n, len(bookings), k.ClientName, refused.Detail)
		}
		if err != nil {
			return nil, err
		}
	}
	return nil, nil
}
