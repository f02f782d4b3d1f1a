// Package demo lays out the made-up business with which Niche is shown: people
// and services, hours, links and bookings around a given day.
//
// It goes through the same doors as a user. Personal events are put into the
// stand-in calendar host as their owners would put them there.
package demo

import (
	"context"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/standin"
	"niche/internal/standin/payments"
	"niche/internal/standin/rooms"
	"niche/internal/standin/texts"
	"niche/internal/store"
	"niche/internal/wall"
)

// The administrator of the demo.
const (
	Email    = "admin@quillon.example"
	Password = "a-quiet-piano"
	zone     = "Europe/Dublin"
)

// RegisteredClient is how Niche is registered at the calendar host; the return address comes with
// the running program.
var RegisteredClient = standin.Client{ID: "Niche at Quillon Piano Care", Secret: "secret-of-the-demo"}

// Morning returns the moment from which the demo is laid out: early on the
// Monday of the week before, so that bookings for the present day keep their
// notice.
func Morning(now time.Time) time.Time {
	z, err := hours.LoadZone(zone)
	if err != nil {
		return now
	}
	monday := z.DateAt(span.At(now)).Monday() - 7
	return z.Over(monday, monday).Starting(monday, 6*60).Time()
}

// Outside is what the demo lives with.
type Outside struct {
	Cloud    *standin.Cloud
	Cloudlet string // the address of the cloud
	Harbour  string // the address of another calendar host
	Site     string // the origin of a site that may show a page in a frame
	Post     string // host and port of the mail server
	Services string // http://host of a meeting host, a text gateway and a payment host, each below its name
}

// Fill puts the demo into an empty Niche, which has the set-up code and whose clock
// shows the morning, and the personal events into the calendar host, around the week of
// now.
func Fill(ctx context.Context, niche *Client, code string, out Outside, now time.Time) error {
	home, err := hours.LoadZone(zone)
	if err != nil {
		return err
	}
	host := out.Cloudlet
	f := filling{niche: niche, cloud: out.Cloud, host: host, monday: home.DateAt(span.At(now)).Monday()}
	f.offsets = home.Over(f.monday, f.monday+28)
	if home.DateAt(span.At(now)).Weekday() == time.Saturday || home.DateAt(span.At(now)).Weekday() == time.Sunday {
		f.monday += 7 // at a weekend the coming week is the one to look at
	}
	setUp := desk.SetUp{Code: code, Business: desk.Business{Name: "Quillon Piano Care", Zone: zone}, Name: "Mara Quillon", Email: Email, Password: Password}
	if err := niche.Post(ctx, "/api/setup", setUp, nil); err != nil {
		return fmt.Errorf("setting the demo up: %w", err)
	}
	cloudlet := desk.HostEntry{HostFields: api.HostFields{Name: hostName, Address: f.host, Domains: domains()}, ClientSecret: RegisteredClient.Secret,
		SignIn: desk.SignInFields{ClientID: RegisteredClient.ID, Issuer: host, TellsIssuer: true, Authorize: host + "/authorize", Token: host + "/token", Revoke: host + "/revoke", Scopes: []string{standin.Scope, standin.Offline}}}
	if err := niche.Post(ctx, "/api/hosts", cloudlet, nil); err != nil {
		return fmt.Errorf("naming the calendar host: %w", err)
	}
	harbour := desk.HostEntry{HostFields: api.HostFields{Name: harbourName, Address: out.Harbour, Domains: []string{"harbour.example"}}, SignIn: desk.SignInFields{Scopes: []string{}}}
	if err := niche.Post(ctx, "/api/hosts", harbour, nil); err != nil {
		return fmt.Errorf("naming the other calendar host: %w", err)
	}
	at, err := netip.ParseAddrPort(out.Post)
	if err != nil {
		return fmt.Errorf("naming the mail server: %w", err)
	}
	server := desk.MailEntry{MailFields: desk.MailFields{Host: at.Addr().String(), Port: int(at.Port()), Security: "none", Sender: "desk@quillon.example", SenderName: setUp.Business.Name, Answers: "answers@quillon.example"}}
	if err := niche.Change(ctx, "/api/mail", server, nil); err != nil {
		return fmt.Errorf("naming the mail server: %w", err)
	}
	for kind, entry := range map[string]desk.GatewayEntry{"rooms": {Key: rooms.Key}, "texts": {Key: texts.Key}, "payments": {Key: payments.Key, Notices: payments.NoticeKey}} {
		entry.Address = out.Services + "/" + kind
		if err := niche.Change(ctx, "/api/gateways/"+kind, entry, nil); err != nil {
			return fmt.Errorf("naming the host of %s: %w", kind, err)
		}
	}
	for i := range people {
		if err := f.person(ctx, i); err != nil {
			return fmt.Errorf("adding %s: %w", people[i].name, err)
		}
	}
	for _, r := range resources {
		if err := niche.Post(ctx, "/api/resources", r, nil); err != nil {
			return fmt.Errorf("adding %s: %w", r.Name, err)
		}
	}
	var closed desk.Closures
	for day, name := range closures {
		closed.Items = append(closed.Items, api.Closure{Date: (f.monday + hours.LocalDate(day)).String(), Name: name})
	}
	if err := niche.Change(ctx, "/api/closures", closed, nil); err != nil {
		return fmt.Errorf("adding closures: %w", err)
	}
	for _, s := range services {
		for _, n := range s.performers {
			s.Staff = append(s.Staff, f.ids[n])
		}
		s.Sites = []string{out.Site}
		if err := niche.Post(ctx, "/api/services", s.ServiceFields, nil); err != nil {
			return fmt.Errorf("adding %s: %w", s.Name, err)
		}
	}
	if err := f.settled(ctx, func(w wall.Wall) bool {
		return !slices.ContainsFunc(w.Pulse, func(p wall.Pulse) bool { return p.State == "waiting" })
	}); err != nil {
		return fmt.Errorf("waiting for calendars to be read: %w", err)
	}
	for _, v := range visits {
		if err := f.visit(ctx, v); err != nil {
			return fmt.Errorf("booking for %s: %w", v.client, err)
		}
	}
	if err := f.pages(ctx); err != nil {
		return err
	}
	if err := f.enter("ilse@varga.example", zone, late); err != nil {
		return fmt.Errorf("adding what comes late: %w", err)
	}
	clashes := false
	if err := f.settled(ctx, func(w wall.Wall) bool {
		for _, l := range w.Lanes {
			if slices.ContainsFunc(l.Visits, func(v wall.WallVisit) bool { return v.Copy == "waiting" || v.Copy == "written" }) {
				return false
			}
			clashes = clashes || slices.ContainsFunc(l.Visits, func(v wall.WallVisit) bool { return v.Clash != "" })
		}
		return clashes
	}); err != nil {
		return err
	}
	return proved(ctx, niche)
}

// pages puts services together on a page, and has one of them paid from now on.
func (f *filling) pages(ctx context.Context) error {
	id := func(name string) store.ID {
		return store.ID(slices.IndexFunc(services, func(s service) bool { return s.Name == name }) + 1)
	}
	page := desk.CollectionFields{Title: "All we do", Intro: "Choose what your piano needs. If you do not know, begin with an appraisal by video.", Sites: []string{}, Parts: []desk.CollectionPart{
		{Heading: "At your place", Services: []store.ID{id("Home tuning"), id("Piano moving")}}, {Heading: "From afar", Services: []store.ID{id("Video appraisal")}},
		{Heading: "At our workshop", Services: []store.ID{id("Grand regulation"), id("Care class")}}, {Heading: "For halls", Services: []store.ID{id("Concert tuning")}}}}
	if err := f.niche.Post(ctx, "/api/collections", page, nil); err != nil {
		return fmt.Errorf("putting services together: %w", err)
	}
	for _, of := range footfall {
		for step, n := range map[string]int{"opened": of.opened, "chosen": of.chosen, "details": of.details, "booked": of.booked} {
			for range n {
				if err := f.niche.Post(ctx, "/api/pages/"+of.slug+"/steps", map[string]string{"step": step}, nil); err != nil {
					return fmt.Errorf("counting who came: %w", err)
				}
			}
		}
	}
	path := fmt.Sprintf("/api/services/%d", id("Care class"))
	var class desk.Service
	if err := f.niche.Get(ctx, path, &class); err != nil {
		return fmt.Errorf("pricing the class: %w", err)
	}
	class.Prepaid, class.RefundUntil, class.After.Bring = 2500, 2*24*60, "Bring your tuning hammer, if you have one."
	if err := f.niche.Save(ctx, path, class.Version, class.ServiceFields, nil); err != nil {
		return fmt.Errorf("pricing the class: %w", err)
	}
	return nil
}

// proved has all links proved, and waits until that is done.
func proved(ctx context.Context, niche *Client) error {
	if err := niche.Post(ctx, "/api/proofs", desk.WhichLinks{Links: []store.ID{}}, nil); err != nil {
		return fmt.Errorf("proving the links: %w", err)
	}
	return niche.Until(ctx, func() (bool, error) {
		var p desk.Proofs
		err := niche.Get(ctx, "/api/proofs", &p)
		return p.Open == 0, err
	})
}

// filling is a demo that is being laid out.
type filling struct {
	niche   *Client
	cloud   *standin.Cloud
	host    string
	monday  hours.LocalDate
	offsets hours.Offsets
	ids     []store.ID
}

// person adds a staff member with hours, personal events and a link.
func (f *filling) person(ctx context.Context, i int) error {
	p := people[i]
	var member desk.StaffMember
	if err := f.niche.Post(ctx, "/api/staff", desk.StaffFields{Name: p.name, Email: p.user, Zone: p.zone, CapPerDay: p.cap, OwnHours: p.ownHours, Tells: p.tells}, &member); err != nil {
		return err
	}
	f.ids = append(f.ids, member.ID)
	if err := f.hours(ctx, p, member.ID); err != nil {
		return err
	}
	if p.unlinked {
		return nil
	}
	if err := f.enter(p.user, p.zone, p.events); err != nil {
		return err
	}
	if p.feed {
		if err := f.enter(hall, zone, concerts); err != nil {
			return err
		}
		feed := api.NewLink{Kind: "feed", Address: f.host + "/public/" + hall + "/concerts.ics"}
		if err := f.niche.Post(ctx, fmt.Sprintf("/api/staff/%d/links", member.ID), feed, nil); err != nil {
			return err
		}
	}
	return f.link(ctx, member.ID, Accounts()[i], "Work")
}

// hours gives a person the patterns, and what wins over them.
func (f *filling) hours(ctx context.Context, p person, id store.ID) error {
	date := func(day int) string { return (f.monday + hours.LocalDate(day)).String() }
	from := -28
	if p.from > 0 {
		from = p.from
	}
	usual := casefile.Pattern{From: date(from), Cycle: []map[string]casefile.Day{p.week}}
	if p.other != nil {
		usual.Cycle = append(usual.Cycle, p.other)
	}
	patterns := []casefile.Pattern{usual}
	if p.later.week != nil {
		until := date(p.later.until)
		patterns = append(patterns, casefile.Pattern{From: date(p.later.from), Until: &until, Cycle: []map[string]casefile.Day{p.later.week}})
	}
	if err := f.niche.Change(ctx, fmt.Sprintf("/api/staff/%d/hours", id), api.Hours{Patterns: patterns}, nil); err != nil {
		return err
	}
	own := api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{}}
	if p.away.note != "" {
		own.Absences = append(own.Absences, api.Absence{From: date(p.away.from), Until: date(p.away.until), Note: p.away.note})
	}
	if p.extra.note != "" {
		own.OneOffs = append(own.OneOffs, api.OneOff{OneOff: casefile.OneOff{Date: date(p.extra.day), Spans: wallSpans(p.extra.spans)}, Note: p.extra.note})
	}
	return f.niche.Change(ctx, fmt.Sprintf("/api/staff/%d/days", id), own, nil)
}

// enter puts events into calendars of an account, as its owner would.
func (f *filling) enter(user, zone string, events []event) error {
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return err
	}
	for _, e := range events {
		date := (f.monday + hours.LocalDate(e.day)).String()
		ev := standin.Event{Title: e.title, AllDay: e.from == "", Weekly: e.weekly}
		if ev.AllDay {
			ev.Start, err = time.ParseInLocation(time.DateOnly, date, loc)
			ev.End = ev.Start.AddDate(0, 0, 1)
		} else {
			ev.Start, err = time.ParseInLocation("2006-01-02 15:04", date+" "+e.from, loc)
			end, endErr := time.ParseInLocation("2006-01-02 15:04", date+" "+e.to, loc)
			if ev.End = end; endErr != nil {
				return endErr
			}
		}
		if err != nil {
			return err
		}
		if _, err := f.cloud.Add(user, e.calendar, ev); err != nil {
			return err
		}
	}
	return nil
}

// link has somebody link their account; the calendar of a name gets bookings, and everything
// except birthdays blocks time.
func (f *filling) link(ctx context.Context, staff store.ID, a standin.Account, gets string) error {
	me, err := Own(ctx, f.niche, staff)
	if err != nil {
		return err
	}
	var l api.Link
	if err := me.Post(ctx, "/api/my/links", api.NewLink{Address: f.host, Username: a.User, Password: a.Password}, &l); err != nil {
		return err
	}
	for _, c := range l.Calendars {
		choice := api.Choice{Blocks: c.Name != "Birthdays", GetsBookings: c.Name == gets, Titles: c.Name == rota, ForeignVisits: c.Name == rota}
		if err := me.Save(ctx, fmt.Sprintf("/api/my/calendars/%d", c.ID), c.Version, choice, nil); err != nil {
			return err
		}
	}
	return me.Do(ctx, http.MethodDelete, "/api/my/session", nil, nil)
}

// said is what clients say to the questions of services, by the numbers of these.
var said = map[int]api.Asked{
	0: {Address: "12 Elm Row\nDublin 4", Answers: map[string][]string{"piano": {"Upright"}, "since": {"two years ago"}}},
	5: {Phone: "+353 1 555 0142", Answers: map[string][]string{"from": {"4 Strand Road\nSandymount"}, "to": {"Priory School\nHowth"}, "stairs": {"14"}}},
}

func (f *filling) visit(ctx context.Context, v visit) error {
	at, err := hours.ParseWall(v.at)
	if err != nil {
		return err
	}
	name := services[v.service].Name
	start := f.offsets.Starting(f.monday+hours.LocalDate(v.day), int(at))
	var mail []rune
	for _, r := range v.client {
		if r >= 'A' && r <= 'Z' {
			r += 'a' - 'A'
		}
		if r == ' ' {
			r = '.'
		}
		mail = append(mail, r)
	}
	slug := strings.ReplaceAll(strings.ToLower(name), " ", "-")
	person := store.ID(0)
	if v.person >= 0 {
		person = f.ids[v.person]
	}
	return f.niche.Post(ctx, "/api/pages/"+slug+"/bookings", client.NewBooking{Start: start, Staff: person, Name: v.client,
		Email: string(mail) + "@clients.example", Zone: zone, Clock: "24", Asked: said[v.service]}, nil)
}

// settled waits until the wall of every day that the demo fills shows what is
// asked for.
func (f *filling) settled(ctx context.Context, ok func(wall.Wall) bool) error {
	return f.niche.Until(ctx, func() (bool, error) {
		for day := range hours.LocalDate(12) {
			var w wall.Wall
			if err := f.niche.Get(ctx, "/api/wall?date="+(f.monday+day).String(), &w); err != nil || !ok(w) {
				return false, err
			}
		}
		return true, nil
	})
}
