package preview

import (
	"cmp"
	"fmt"
	"slices"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/wall"
	"niche/internal/words"
)

// Why is what every rule says of one start of one person, and what else there is.
type Why struct {
	At       span.Instant  `json:"at" format:"date-time"`
	Words    string        `json:"words" doc:"The start in the business's zone, as Tuesday 24 November, 10:00–11:30."`
	Away     string        `json:"away" doc:"The same on the person's own clock, where that differs, or empty."`
	Staff    store.NamedID `json:"staff"`
	Service  store.NamedID `json:"service"`
	Page     string        `json:"page" doc:"The service's slug."`
	Venue    string        `json:"venue" enum:"ours,theirs,telephone,online" doc:"Where its visits are."`
	Offered  bool          `json:"offered"`
	Offset   string        `json:"offset" doc:"Why no visit begins at this time at all, or empty."`
	Performs bool          `json:"performs" doc:"Whether this person performs the service."`
	Paused   bool          `json:"paused"`
	Rules    []WhyRule     `json:"rules" doc:"Every rule, in the order in which they are charged."`
	Own      []NearStart   `json:"own" doc:"The nearest starts of this person that are offered."`
	Others   []NearStart   `json:"others" doc:"The nearest starts of others."`
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
	At    span.Instant  `json:"at" format:"date-time"`
	Words string        `json:"words"`
	Staff store.NamedID `json:"staff"`
}

// Question is a question why: by which rules, of whom, and when it is asked.
type Question struct {
	DB      store.Tx
	Text    words.In // the business's clock
	Service store.Service
	Staff   []store.Staff // who perform it
	Now     span.Instant
	Unsaved bool // the rules are being edited
}

// Explain says what each rule says of one start of one person.
func (e Question) Explain(at span.Instant, asked store.ID) (Why, error) {
	db, service, staff, text := e.DB, e.Service, e.Staff, e.Text
	at = at / 60 * 60
	member, err := db.Staff(asked)
	if err != nil {
		return Why{}, err
	}
	visit := span.For(at, service.Length)
	out := Why{At: at, Staff: store.NamedID{ID: member.ID, Name: member.Name}, Service: store.NamedID{ID: service.ID, Name: service.Name}, Page: service.Slug, Venue: string(service.Venue), Paused: service.Paused,
		Words: text.Local(at).Format("Monday 2 January, ") + text.Stretch(visit).Label, Rules: []WhyRule{}, Own: []NearStart{}, Others: []NearStart{}}
	if away := wall.Away(text, member, visit); away != "" {
		own, err := hours.LoadZone(member.Zone)
		if err != nil {
			return Why{}, err
		}
		out.Away = (words.In{Zone: own, Twelve: text.Twelve}).Stretch(visit).Label + " in " + words.City(own)
	}
	i := slices.IndexFunc(staff, func(m store.Staff) bool { return m.ID == member.ID })
	out.Performs = i >= 0
	if i < 0 {
		staff, i = append(staff, member), len(staff)
	}
	day := text.Zone.DateAt(at)
	q, err := schedule.Question(db, schedule.Asked{Now: e.Now, Service: service, From: day - 3, To: day + 11, Staff: staff})
	if err != nil {
		return Why{}, err
	}
	trail := q.Explain(at, i)
	out.Offset, out.Offered = trail.Offset, trail.Offered() && out.Performs && !service.Paused
	for _, v := range trail.Verdicts {
		r := WhyRule{Code: string(v.Code), Name: offer.RuleOf(v.Code).Name, Held: !v.Refused, Detail: v.Detail}
		switch v.Code {
		case offer.CodeHours:
			r.Sources = hoursSource(q.Staff[i].Schedule, member, at, q.Closures)
		case offer.CodeBusy:
			r.Sources, err = e.calendars(member)
		case offer.CodeBooked:
			r.Sources, err = e.bookings(member, visit, r.Held, text)
		case offer.CodeResource:
			r.Sources, err = e.rooms(visit, r.Held, text)
		default:
			r.Sources = e.rules(v.Code, member)
		}
		if err != nil {
			return Why{}, err
		}
		out.Rules = append(out.Rules, r)
	}
	if !service.Paused {
		nearest(&out, q.Answer(), staff, at, text)
	}
	return out, nil
}

// nearStarts is how many starts nearby are named of one person, and of the others.
const nearStarts = 4

// nearest finds offered starts nearby: of this person, and of each other one the
// nearest.
func nearest(out *Why, a offer.Answer, staff []store.Staff, at span.Instant, text words.In) {
	for _, l := range a.Lanes {
		m := staff[l.Staff]
		start := func(at span.Instant) NearStart {
			return NearStart{at, text.Moment(at), store.NamedID{ID: m.ID, Name: m.Name}}
		}
		near, same := l.Near(at, nearStarts)
		switch {
		case m.ID == out.Staff.ID:
			slices.Sort(near)
			for _, n := range near {
				if out.Performs {
					out.Own = append(out.Own, start(n))
				}
			}
		case same: // at the same time with somebody else is nearer than any other time
			out.Others = append(out.Others, start(at))
		case len(near) > 0:
			out.Others = append(out.Others, start(near[0]))
		}
	}
	slices.SortStableFunc(out.Others, func(a, b NearStart) int { return cmp.Compare(a.At, b.At) })
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
func (e Question) calendars(member store.Staff) ([]WhySource, error) {
	calendars, err := e.DB.CalendarsOfStaff(member.ID)
	path := fmt.Sprintf("/team/%d/calendars", member.ID)
	out := []WhySource{}
	for _, c := range calendars {
		if !c.Blocks {
			continue
		}
		read := "not read yet"
		if c.ReadAt != 0 {
			read = "read " + words.Ago(e.Now-c.ReadAt) + " ago"
		}
		out = append(out, WhySource{c.Name + ", " + read, path})
	}
	if len(out) == 0 {
		out = append(out, WhySource{"No calendar blocks time", path})
	}
	return out, err
}

// bookings says which bookings of a person are in the way of a visit.
func (e Question) bookings(member store.Staff, visit span.Span, held bool, text words.In) ([]WhySource, error) {
	if held {
		return []WhySource{{"Bookings of " + member.Name, ""}}, nil
	}
	return e.holders(store.StaffSubject(member.ID), visit, text)
}

// rooms says which rooms and equipment a visit needs, and who holds them.
func (e Question) rooms(visit span.Span, held bool, text words.In) ([]WhySource, error) {
	out := []WhySource{{"Rooms and equipment", "/house"}}
	if held {
		return out, nil
	}
	rows, err := e.DB.ResourcesOfKinds(e.Service.Needs)
	if err != nil {
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
func (e Question) holders(subject store.Subject, visit span.Span, text words.In) ([]WhySource, error) {
	need := visit.Widen(e.Service.BufferBefore, e.Service.BufferAfter)
	rows, err := e.DB.Holders(subject, need)
	out := []WhySource{}
	for _, r := range rows {
		who := r.Client
		if r.Clients > 1 {
			who = words.Counted(r.Clients, "booking")
		}
		path := fmt.Sprintf("/?date=%s&visit=%d", text.Local(r.Start).Format("2006-01-02"), r.ID)
		out = append(out, WhySource{fmt.Sprintf("%s, %s %s", who, r.Service, text.Stretch(r.During()).Label), path})
	}
	return out, err
}

// rules says whose rules count: the service's as they are saved, or the values
// that are being edited.
func (e Question) rules(code offer.Code, member store.Staff) []WhySource {
	if code == offer.CodePast {
		return []WhySource{{"The clock", ""}}
	}
	out := []WhySource{{"Rules of " + e.Service.Name, fmt.Sprintf("/services/%d", e.Service.ID)}}
	if e.Unsaved {
		out[0] = WhySource{"The values in the form", ""}
	}
	if code == offer.CodeCap && member.CapPerDay != nil {
		out = append(out, WhySource{"Cap of " + member.Name, fmt.Sprintf("/team/%d/details", member.ID)})
	}
	return out
}
