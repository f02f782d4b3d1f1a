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
	Code    string      `json:"code"`
	Name    string      `json:"name"`
	Held    bool        `json:"held"`
	Detail  string      `json:"detail"`
	Sources []WhySource `json:"sources" doc:"Where the values come from: which pattern, which calendars, which bookings."`
}

// WhySource is where values of a rule come from.
type WhySource struct {
	Words string `json:"words"`
	Path  string `json:"path" doc:"Where they are changed, or empty."`
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
		switch v.Code {
		case "outside-hours":
			r.Sources = hoursSource(q.Staff[i].Schedule, member, at, q.Closures)
		case "busy":
			r.Sources, err = e.calendars(member)
		case "booked":
			r.Sources, err = e.bookings(member, visit, r.Held, text)
		case "resource":
			r.Sources, err = e.rooms(visit, r.Held, text)
		default:
			r.Sources = e.rules(v.Code, member)
		}
		if err != nil {
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

// hoursSource says which pattern, one-off day or closure gives a person's hours.
func hoursSource(sched hours.Schedule, member store.Staff, at span.Instant, closures []hours.LocalDate) []WhySource {
	date := sched.Zone.DateAt(at)
	on := date.Time().Format("2 January")
	out := WhySource{"No pattern is in force on " + on, fmt.Sprintf("/team/%d", member.ID)}
	switch _, from := sched.Day(date, closures); from {
	case hours.FromOneOff:
		out.Words = "One-off day or absence on " + on
	case hours.FromClosure:
		out = WhySource{"Closure of the business on " + on, "/house"}
	case hours.FromPattern:
		p, _ := sched.InForce(date)
		out.Words = "Pattern from " + p.From.Time().Format("2 January 2006")
	}
	return []WhySource{out}
}

// calendars says which calendars block a person's time, and when they were read.
func (e explaining) calendars(member store.Staff) ([]WhySource, error) {
	var calendars []store.Calendar
	err := e.db.Joins("JOIN links l ON l.id = calendars.link_id").Where("l.staff_id = ? AND blocks = 1", member.ID).Order("name").Find(&calendars).Error
	path := fmt.Sprintf("/team/%d/calendars", member.ID)
	out := []WhySource{}
	for _, c := range calendars {
		read := "not read yet"
		if c.ReadAt != 0 {
			read = "read " + ago(e.now-c.ReadAt) + " ago"
		}
		out = append(out, WhySource{c.Name + ", " + read, path})
	}
	if len(out) == 0 {
		out = append(out, WhySource{"No calendar blocks time", path})
	}
	return out, err
}

// bookings says which bookings of a person are in the way of a visit.
func (e explaining) bookings(member store.Staff, visit span.Span, held bool, text texts) ([]WhySource, error) {
	if held {
		return []WhySource{{"Bookings of " + member.Name, ""}}, nil
	}
	return e.holders(store.StaffSubject(member.ID), visit, text)
}

// rooms says which rooms and equipment a visit needs, and who holds them.
func (e explaining) rooms(visit span.Span, held bool, text texts) ([]WhySource, error) {
	out := []WhySource{{"Rooms and equipment", "/house"}}
	if held {
		return out, nil
	}
	var rows []store.Resource
	if err := e.db.Where("kind IN ? AND archived_at = 0", e.service.Needs).Order("kind, name").Find(&rows).Error; err != nil {
		return nil, err
	}
	for _, r := range rows {
		who, err := e.holders(store.ResourceSubject(r.ID), visit, text)
		if err != nil {
			return nil, err
		}
		for _, w := range who {
			out = append(out, WhySource{r.Name + ": " + w.Words, w.Path})
		}
	}
	return out, nil
}

// holders names the visits that hold a subject while a visit with its buffers
// would need it, with the way to each on the wall.
func (e explaining) holders(subject store.Subject, visit span.Span, text texts) ([]WhySource, error) {
	need := visit.Widen(e.service.BufferBefore, e.service.BufferAfter)
	var rows []struct {
		store.Visit
		Service string
		Client  string
		Clients int
	}
	err := e.db.Raw(`SELECT v.*, s.name AS service, MIN(b.client_name) AS client, COUNT(*) AS clients FROM claims c JOIN visits v ON v.id = c.visit_id
		JOIN services s ON s.id = v.service_id JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE c.subject = ? AND c."end" > ? AND c.start < ? GROUP BY v.id ORDER BY v.start`, subject, need.Start(), need.End()).Scan(&rows).Error
	out := []WhySource{}
	for _, r := range rows {
		who := r.Client
		if r.Clients > 1 {
			who = counted(r.Clients, "booking")
		}
		path := fmt.Sprintf("/?date=%s&visit=%d", text.local(r.Start).Format("2006-01-02"), r.ID)
		out = append(out, WhySource{fmt.Sprintf("%s, %s %s", who, r.Service, text.stretch(r.During()).Label), path})
	}
	return out, err
}

// rules says whose rules count: the service's as they are saved, or the values
// that are being edited.
func (e explaining) rules(code offer.Code, member store.Staff) []WhySource {
	if code == "past" {
		return []WhySource{{"The clock", ""}}
	}
	out := []WhySource{{"Rules of " + e.service.Name, fmt.Sprintf("/services/%d", e.service.ID)}}
	if e.unsaved {
		out[0] = WhySource{"The values in the form", ""}
	}
	if code == "cap" && member.CapPerDay != nil {
		out = append(out, WhySource{"Cap of " + member.Name, fmt.Sprintf("/team/%d/details", member.ID)})
	}
	return out
}
