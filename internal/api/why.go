package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Why is what every rule says of one start of one person, and what else there is.
type Why struct {
	At       string      `json:"at" format:"date-time"`
	Words    string      `json:"words" doc:"The start in the business's zone, as Tuesday 24 November, 10:00–11:30."`
	Away     string      `json:"away" doc:"The same on the person's own clock, where that differs, or empty."`
	Staff    NamedID     `json:"staff"`
	Service  NamedID     `json:"service"`
	Page     string      `json:"page" doc:"The service's slug."`
	Offered  bool        `json:"offered"`
	Offset   string      `json:"offset" doc:"Why no visit begins at this time at all, or empty."`
	Performs bool        `json:"performs" doc:"Whether this person performs the service."`
	Paused   bool        `json:"paused"`
	Rules    []WhyRule   `json:"rules" doc:"Every rule, in the order in which they are charged."`
	Own      []NearStart `json:"own" doc:"The nearest starts of this person that are offered."`
	Others   []NearStart `json:"others" doc:"The nearest starts of others."`
}

// WhyRule is one rule's verdict, with where its values come from.
type WhyRule struct {
	Code   string `json:"code"`
	Name   string `json:"name"`
	Held   bool   `json:"held"`
	Detail string `json:"detail"`
	Source string `json:"source" doc:"Where the values come from, in words."`
	Path   string `json:"path" doc:"Where they are changed, or empty."`
}

// NearStart is an offered start nearby.
type NearStart struct {
	At    string  `json:"at" format:"date-time"`
	Words string  `json:"words"`
	Staff NamedID `json:"staff"`
}

// ruleNames are what the rules are called as questions to a start.
var ruleNames = map[offer.Code]string{"past": "Ahead", "notice": "Notice", "window": "Booking window", "outside-hours": "Hours", "busy": "Personal time",
	"booked": "Other bookings", "places": "Places", "cap": "Cap", "resource": "Rooms and equipment"}

func (s *server) registerWhy(a huma.API) {
	huma.Register(a, get("/api/why", "getWhy", "Why a start is offered or not"), s.getWhy)
	huma.Register(a, post("/api/services/why", "previewWhy", "Why a start would be offered or not by rules that are not saved", http.StatusOK), s.previewWhy)
}

// WhyQuery asks about one start of one person.
type WhyQuery struct {
	Staff store.ID `query:"staff" required:"true" minimum:"1"`
	At    string   `query:"at" required:"true" doc:"An instant; it need not be one at which visits begin."`
	Clock string   `query:"clock" enum:"24,12" default:"24"`
}

func (s *server) getWhy(ctx context.Context, in *struct {
	WhyQuery
	Service store.ID `query:"service" required:"true" minimum:"1"`
}) (*body[Why], error) {
	db := s.DB.Read(ctx)
	var service store.Service
	if err := db.Take(&service, in.Service).Error; err != nil {
		return nil, found(err, "service")
	}
	staff, err := schedule.Performers(db, service.ID)
	if err != nil {
		return nil, err
	}
	return explaining{db, service, staff, span.At(s.Now()), false}.explain(in.WhyQuery)
}

func (s *server) previewWhy(ctx context.Context, in *struct {
	WhyQuery
	Service store.ID `query:"service" minimum:"0" doc:"The service that is being edited, or 0 for a new one."`
	Now     string   `query:"now" maxLength:"16" doc:"As if it were another moment, as in a preview."`
	Body    ServiceFields
}) (*body[Why], error) {
	db := s.DB.Read(ctx)
	now, err := s.asIf(db, in.Now)
	if err != nil {
		return nil, err
	}
	service := store.Service{ID: in.Service, Name: in.Body.Name}
	if err := in.Body.rules(&service); err != nil {
		return nil, err
	}
	staff, err := staffByIDs(db, in.Body.Staff)
	if err != nil {
		return nil, err
	}
	return explaining{db, service, staff, now, true}.explain(in.WhyQuery)
}

// explaining is a question why: by which rules, of whom, and when it is asked.
type explaining struct {
	db      *gorm.DB
	service store.Service
	staff   []store.Staff // who perform it
	now     span.Instant
	unsaved bool // the rules are being edited
}

// explain says what each rule says of one start of one person.
func (e explaining) explain(asked WhyQuery) (*body[Why], error) {
	db, service, staff := e.db, e.service, e.staff
	at, err := span.Parse(asked.At)
	if err != nil {
		return nil, wrong("query.at", "This is not an instant, as in 2026-03-02T08:00:00Z.")
	}
	at = at / 60 * 60
	member := store.Staff{}
	if err := db.Take(&member, asked.Staff).Error; err != nil {
		return nil, found(err, "staff member")
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	text := texts{zone: zone, twelve: asked.Clock == "12"}
	visit := span.For(at, service.Length)
	out := Why{At: at.String(), Staff: NamedID{member.ID, member.Name}, Service: NamedID{service.ID, service.Name}, Page: service.Slug, Paused: service.Paused,
		Words: text.local(at).Format("Monday 2 January, ") + text.stretch(visit).Label, Rules: []WhyRule{}, Own: []NearStart{}, Others: []NearStart{}}
	if away := text.away(member, visit); away != "" {
		own, err := hours.LoadZone(member.Zone)
		if err != nil {
			return nil, err
		}
		out.Away = (texts{zone: own, twelve: text.twelve}).stretch(visit).Label + " in " + city(own)
	}
	i := slices.IndexFunc(staff, func(m store.Staff) bool { return m.ID == member.ID })
	out.Performs = i >= 0
	if i < 0 {
		staff, i = append(staff, member), len(staff)
	}
	day := zone.DateAt(at)
	q, err := schedule.Question(db, schedule.Asked{Now: e.now, Service: service, From: day - 3, To: day + 11, Staff: staff})
	if err != nil {
		return nil, err
	}
	trail := q.Explain(at, i)
	out.Offset, out.Offered = trail.Offset, trail.Offered() && out.Performs && !service.Paused
	for _, v := range trail.Verdicts {
		r := WhyRule{Code: string(v.Code), Name: ruleNames[v.Code], Held: !v.Refused, Detail: v.Detail}
		if err := e.source(&r, q.Staff[i].Schedule, member, at, q.Closures); err != nil {
			return nil, err
		}
		out.Rules = append(out.Rules, r)
	}
	if !service.Paused {
		nearest(&out, q.Answer(), staff, at, text)
	}
	return answer(out, nil)
}

// nearStarts is how many starts nearby are named of one person, and of the others.
const nearStarts = 4

// nearest finds offered starts nearby: of this person, and of each other one the
// nearest.
func nearest(out *Why, a offer.Answer, staff []store.Staff, at span.Instant, text texts) {
	near := func(lane offer.Lane, most int) []NearStart {
		var open []span.Instant
		for _, start := range lane.Starts {
			if start.Refused == 0 && start.At != at {
				open = append(open, start.At)
			}
		}
		slices.SortStableFunc(open, func(a, b span.Instant) int { return int(max(a-at, at-a) - max(b-at, at-b)) })
		open = open[:min(most, len(open))]
		slices.Sort(open)
		m := staff[lane.Staff]
		var list []NearStart
		for _, o := range open {
			list = append(list, NearStart{o.String(), text.moment(o), NamedID{m.ID, m.Name}})
		}
		return list
	}
	for _, l := range a.Lanes {
		if staff[l.Staff].ID == out.Staff.ID {
			if out.Performs {
				out.Own = append(out.Own, near(l, nearStarts)...)
			}
			continue
		}
		// At the same time with somebody else is nearer than any other time.
		if slices.ContainsFunc(l.Starts, func(x offer.Start) bool { return x.At == at && x.Refused == 0 }) {
			m := staff[l.Staff]
			out.Others = append(out.Others, NearStart{at.String(), text.moment(at), NamedID{m.ID, m.Name}})
		} else {
			out.Others = append(out.Others, near(l, 1)...)
		}
	}
	slices.SortStableFunc(out.Others, func(a, b NearStart) int { return strings.Compare(a.At, b.At) })
	out.Others = out.Others[:min(nearStarts+2, len(out.Others))]
}

// source says where the values of a rule come from, and where they are changed.
func (e explaining) source(r *WhyRule, sched hours.Schedule, member store.Staff, at span.Instant, closures []hours.LocalDate) error {
	person := fmt.Sprintf("/team/%d", member.ID)
	rules, path := "Rules of "+e.service.Name, fmt.Sprintf("/services/%d", e.service.ID)
	if e.unsaved {
		rules, path = "The values in the form", ""
	}
	switch offer.Code(r.Code) {
	case "past":
		r.Source = "The clock"
	case "outside-hours":
		r.Path = person
		date := sched.Zone.DateAt(at)
		switch _, from := sched.Day(date, closures); from {
		case hours.FromOneOff:
			r.Source = "One-off day or absence on " + date.Time().Format("2 January")
		case hours.FromClosure:
			r.Source, r.Path = "Closure of the business on "+date.Time().Format("2 January"), "/house"
		case hours.FromPattern:
			p, _ := sched.InForce(date)
			r.Source = "Pattern from " + p.From.Time().Format("2 January 2006")
		default:
			r.Source = "No pattern is in force on " + date.Time().Format("2 January")
		}
	case "busy":
		r.Path = person + "/calendars"
		var calendars []store.Calendar
		if err := e.db.Joins("JOIN links l ON l.id = calendars.link_id").Where("l.staff_id = ? AND blocks = 1", member.ID).Order("name").Find(&calendars).Error; err != nil {
			return err
		}
		var parts []string
		for _, c := range calendars {
			if c.ReadAt == 0 {
				parts = append(parts, c.Name+", not read yet")
			} else {
				parts = append(parts, c.Name+", read "+ago(e.now-c.ReadAt)+" ago")
			}
		}
		if r.Source = strings.Join(parts, "; "); r.Source == "" {
			r.Source = "No calendar blocks time"
		}
	case "booked":
		r.Source = "Bookings of " + member.Name
	case "resource":
		r.Source, r.Path = "Rooms and equipment", "/house"
	case "cap":
		r.Source, r.Path = rules, path
		if member.CapPerDay != nil {
			r.Source += ", and cap of " + member.Name
		}
	default:
		r.Source, r.Path = rules, path
	}
	return nil
}
