package desk

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"net/url"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/question"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/fit"
	"niche/internal/store"
	"niche/internal/words"
)

// Service is a service with its rules.
type Service struct {
	ID       store.ID `json:"id"`
	Page     string   `json:"page" doc:"The path of its public page."`
	Archived bool     `json:"archived"`
	Version  int64    `json:"version"`
	Former   []string `json:"former" doc:"Addresses that its page had: they lead to it."`
	ServiceFields
}

// ServiceFields is what can be said of a service. Lengths are minutes.
type ServiceFields struct {
	Name               string              `json:"name" minLength:"1" maxLength:"120"`
	Slug               string              `json:"slug" maxLength:"80" doc:"The last part of the public page's address; made from the name when empty."`
	Place              string              `json:"place" maxLength:"200" doc:"Where it happens, as clients read it."`
	Venue              string              `json:"venue,omitempty" enum:"ours,theirs,telephone,online" doc:"Where its visits take place: at ours (the default), at the client's address, by telephone, or online in a room of the meeting host."`
	Room               string              `json:"room,omitempty" maxLength:"60" doc:"Of one at ours: the kind of room, one of its needs, of which clients are told which one it is; empty for none."`
	Hue                int                 `json:"hue" minimum:"0" maximum:"7" doc:"One of eight colours."`
	Length             int                 `json:"length" minimum:"5" maximum:"1440"`
	Lengths            []int               `json:"lengths" maxItems:"10" doc:"Further lengths that a client can choose."`
	Step               int                 `json:"step" minimum:"5" maximum:"1440"`
	Anchor             string              `json:"anchor" enum:"clock,opening"`
	BufferBefore       int                 `json:"bufferBefore" minimum:"0" maximum:"720"`
	BufferAfter        int                 `json:"bufferAfter" minimum:"0" maximum:"720"`
	BuffersInsideHours bool                `json:"buffersInsideHours"`
	Notice             Notice              `json:"notice"`
	Window             Window              `json:"window"`
	CapPerDay          *int                `json:"capPerDay,omitempty" minimum:"0" maximum:"1000" doc:"Visits a day for each staff member; left out for no cap."`
	Places             int                 `json:"places" minimum:"1" maximum:"1000" doc:"Places in one visit."`
	Needs              []string            `json:"needs" maxItems:"20" doc:"Kinds of rooms and equipment, one of each."`
	Staffing           string              `json:"staffing" enum:"any,all"`
	Pick               string              `json:"pick" enum:"order,fewest,turn,last,weight" doc:"How one of several is picked."`
	Paused             bool                `json:"paused" doc:"Nothing can be booked for the time being."`
	Unreachable        string              `json:"unreachable" enum:"take,ask,refuse" doc:"What happens when a calendar cannot be read at the moment of booking."`
	Staff              []store.ID          `json:"staff" maxItems:"200" doc:"Who performs it, in order of preference."`
	Weights            []int               `json:"weights,omitempty" required:"false" maxItems:"200" doc:"What each of them takes in proportion, in the same order; one each when left out."`
	After              After               `json:"after,omitempty" doc:"What is said and done once a visit is booked."`
	Look               Look                `json:"look,omitempty" doc:"How its page looks, and what its buttons say."`
	ProveMail          bool                `json:"proveMail,omitempty" doc:"Clients prove by a code that their mail address is theirs."`
	CancelDeclined     bool                `json:"cancelDeclined,omitempty" doc:"A client who answers the invitation that they do not come is taken at their word, as long as they may cancel."`
	MoveUntil          int                 `json:"moveUntil,omitempty" minimum:"0" maximum:"525600" doc:"Minutes before the visit, until when clients move it by themselves."`
	CancelUntil        int                 `json:"cancelUntil,omitempty" minimum:"0" maximum:"525600" doc:"The same of cancelling."`
	MoveTimes          int                 `json:"moveTimes,omitempty" minimum:"-1" maximum:"100" doc:"How often a client moves it; 0 for any number, -1 for never."`
	ApproveWithin      int                 `json:"approveWithin,omitempty" minimum:"0" maximum:"43200" doc:"Minutes within which a request is answered, or let go; 0 where nothing has to be approved."`
	Prepaid            int64               `json:"prepaid,omitempty" minimum:"0" maximum:"100000000" doc:"What each place costs, in the smallest unit of the business's currency, where it is paid before the visit stands; 0 for nothing."`
	RefundUntil        int                 `json:"refundUntil,omitempty" minimum:"-1" maximum:"525600" doc:"Minutes before the visit, until when a client who cancels has the money back; -1 for never."`
	Sites              []string            `json:"sites,omitempty" required:"false" maxItems:"50" doc:"Origins of sites that may show the page in a frame, as https://workshop.example."`
	Phone              string              `json:"phone,omitempty" enum:"no,may,must" doc:"Whether clients are asked for a telephone number."`
	Questions          []question.Question `json:"questions,omitempty" required:"false" maxItems:"40"`
	Messages           Messages            `json:"messages,omitempty" doc:"What clients are told, and when; as usual when left out."`
}

func (s *Desk) registerServices(a huma.API) {
	huma.Register(a, api.Get("/api/services", "listServices", "All services"), s.listServices)
	huma.Register(a, api.Post("/api/services", "addService", "Define a service", http.StatusCreated), s.addService)
	huma.Register(a, api.Get("/api/services/{id}", "getService", "A service"), s.getService)
	huma.Register(a, api.Put("/api/services/{id}", "changeService", "Change a service"), s.changeService)
}

func renderService(r store.Service, performers []store.ServiceStaff, version int64) Service {
	staff, weights := []store.ID{}, []int{}
	for _, p := range performers {
		staff, weights = append(staff, p.StaffID), append(weights, p.Weight)
	}
	f := ServiceFields{
		Name: r.Name, Slug: r.Slug, Place: r.Place, Venue: string(r.Venue), Room: r.Room, Hue: r.Hue, Length: int(r.Length), Lengths: []int{}, Step: int(r.Step), Anchor: r.Anchor,
		BufferBefore: int(r.BufferBefore), BufferAfter: int(r.BufferAfter), BuffersInsideHours: r.BuffersInsideHours,
		Notice: Notice{Notice: r.Notice}, Window: Window{Window: r.Window},
		CapPerDay: r.CapPerDay, Places: r.Places, Needs: append([]string{}, r.Needs...), Staffing: r.Staffing, Pick: string(r.Pick), Paused: r.Paused,
		Unreachable: string(r.Unreachable), Staff: staff, Weights: weights, After: afterOf(r.Afterwards), Look: Look(r.Look), ProveMail: r.ProveMail, CancelDeclined: r.CancelDeclined, Messages: messagesOf(r.Messages),
		MoveUntil: int(r.MoveUntil), CancelUntil: int(r.CancelUntil), MoveTimes: r.MoveTimes, ApproveWithin: int(r.ApproveWithin), Prepaid: r.Prepaid, RefundUntil: int(r.RefundUntil),

		Sites: append([]string{}, r.Sites...), Phone: string(r.AskPhone), Questions: append([]question.Question{}, r.Questions...)}
	for _, l := range r.Lengths {
		f.Lengths = append(f.Lengths, int(l))
	}
	return Service{ID: r.ID, Page: api.PagePath(r.Slug), Archived: r.ArchivedAt > 0, Version: version, Former: []string{}, ServiceFields: f}
}

// told is a service as the trail tells of it: with words, and the names of who performs
// it.
type told struct {
	ServiceFields
	Notice string   `json:"notice"`
	Window string   `json:"window"`
	Staff  []string `json:"staff"`
}

func toldOf(tx store.Tx, f ServiceFields) (told, error) {
	staff, err := tx.StaffByIDs(f.Staff)
	t := told{f, words.OfNotice(f.Notice.Notice), words.OfWindow(f.Window.Window), []string{}}
	for _, id := range f.Staff {
		if i := slices.IndexFunc(staff, func(s store.Staff) bool { return s.ID == id }); i >= 0 {
			t.Staff = append(t.Staff, staff[i].Name)
		}
	}
	return t, err
}

// rules reads the rules into a record, and checks what is more than a range.
func (f ServiceFields) rules(row *store.Service) error {
	row.Length, row.Step, row.Anchor = span.Minutes(f.Length), span.Minutes(f.Step), f.Anchor
	row.Lengths = []span.Minutes{}
	for i, l := range f.Lengths {
		if l < 5 || l > 1440 || l == f.Length || slices.Contains(f.Lengths[:i], l) {
			return api.Wrong(fmt.Sprintf("lengths[%d]", i), "Further lengths are from 5 to 1440 minutes, each once.")
		}
		row.Lengths = append(row.Lengths, span.Minutes(l))
	}
	row.BufferBefore, row.BufferAfter, row.BuffersInsideHours = span.Minutes(f.BufferBefore), span.Minutes(f.BufferAfter), f.BuffersInsideHours
	if err := cmp.Or(wrongShape("notice", f.Notice.fault), wrongShape("window", f.Window.fault)); err != nil {
		return err
	}
	row.Notice, row.Window = f.Notice.Notice, f.Window.Window
	row.CapPerDay, row.Places, row.Staffing, row.Pick, row.Paused = f.CapPerDay, f.Places, f.Staffing, store.Pick(f.Pick), f.Paused
	row.Needs = []string{}
	for i, kind := range f.Needs {
		if kind == "" || slices.Contains(f.Needs[:i], kind) {
			return api.Wrong(fmt.Sprintf("needs[%d]", i), "Kinds of rooms and equipment are named once each.")
		}
		row.Needs = append(row.Needs, kind)
	}
	row.Venue, row.Room = store.Venue(cmp.Or(f.Venue, string(store.AtOurs))), f.Room
	if row.Venue != store.AtOurs {
		row.Room = ""
	}
	if row.Room != "" && !slices.Contains(row.Needs, row.Room) {
		return api.Wrong("room", "The service does not need a room of this kind.")
	}
	for i, w := range f.Weights {
		if i < len(f.Staff) && (w < 1 || w > 100) {
			return api.Wrong(fmt.Sprintf("weights[%d]", i), "A share is a whole number from 1 to 100.")
		}
	}
	row.ProveMail, row.CancelDeclined = f.ProveMail, f.CancelDeclined
	var err error
	if row.Afterwards, err = f.After.read(); err != nil {
		return err
	}
	if row.Look, err = f.Look.read(); err != nil {
		return err
	}
	row.Unreachable = store.Unreachable(f.Unreachable)
	row.MoveUntil, row.CancelUntil, row.MoveTimes, row.ApproveWithin = span.Minutes(f.MoveUntil), span.Minutes(f.CancelUntil), f.MoveTimes, span.Minutes(f.ApproveWithin)
	row.Prepaid, row.RefundUntil = f.Prepaid, span.Minutes(f.RefundUntil)
	row.Sites = []string{}
	for i, site := range f.Sites {
		origin, wrong := originOf(site)
		if wrong != "" {
			return api.Wrong(fmt.Sprintf("sites[%d]", i), wrong)
		}
		if !slices.Contains(row.Sites, origin) {
			row.Sites = append(row.Sites, origin)
		}
	}
	row.AskPhone, row.Questions = store.Asking(cmp.Or(f.Phone, string(store.NotAsked))), append([]question.Question{}, f.Questions...)
	for _, fault := range question.Check(row.Questions) {
		return api.Wrong(fmt.Sprintf("questions[%d].%s", fault.At, fault.Field), fault.Words)
	}
	messages, err := f.Messages.read()
	row.Messages = messages
	return err
}

// originOf reads the address of a site as its origin (RFC 6454). One without https could be
// another on its way, but for this machine's own. Else it says what is wrong.
func originOf(site string) (origin, wrong string) {
	u, err := url.Parse(strings.TrimSpace(site))
	if err != nil || u.Host == "" || u.User != nil || strings.ContainsAny(u.Host, "*'; ,") || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.Fragment != "" {
		return "", "This is not the address of a site alone, as https://workshop.example."
	}
	own := u.Hostname() == "localhost" || u.Hostname() == "127.0.0.1" || u.Hostname() == "::1"
	if u.Scheme != "https" && (u.Scheme != "http" || !own) {
		return "", "The address of a site begins with https://."
	}
	return strings.ToLower(u.Scheme + "://" + u.Host), ""
}

// services renders services with who performs them.
func (s *Desk) services(ctx context.Context, rows []store.Service) ([]Service, error) {
	ids, things := make([]store.ID, len(rows)), make([]store.Thing, len(rows))
	for i, r := range rows {
		ids[i], things[i] = r.ID, store.ServiceRules(r.ID)
	}
	out := make([]Service, len(rows))
	err := s.DB.View(ctx, func(tx store.Tx) error {
		pairs, err := tx.PerformersOf(ids)
		if err != nil {
			return err
		}
		versions, err := tx.Versions(things)
		if err != nil {
			return err
		}
		staff := map[store.ID][]store.ServiceStaff{}
		for _, p := range pairs {
			staff[p.ServiceID] = append(staff[p.ServiceID], p)
		}
		for i, r := range rows {
			out[i] = renderService(r, staff[r.ID], versions[things[i]])
		}
		return nil
	})
	return out, err
}

func (s *Desk) listServices(ctx context.Context, in *api.Listing) (*api.Body[api.List[Service]], error) {
	rows, err := s.DB.Read(ctx).ServicePart(in.Part())
	if err != nil {
		return nil, err
	}
	all, err := s.services(ctx, rows)
	return api.Answer(api.Paged(all, in.Page, func(r Service) Service { return r }), err)
}

func (s *Desk) service(ctx context.Context, id store.ID) (Service, error) {
	row, err := s.DB.Read(ctx).Service(id)
	if err != nil {
		return Service{}, api.Found(err, "service")
	}
	all, err := s.services(ctx, []store.Service{row})
	if err != nil {
		return Service{}, err
	}
	former, err := s.DB.Read(ctx).FormerSlugs(id)
	for _, f := range former {
		all[0].Former = append(all[0].Former, api.PagePath(f.Slug))
	}
	return all[0], err
}

func (s *Desk) getService(ctx context.Context, in *api.IDPath) (*api.Body[Service], error) {
	return api.Answer(s.service(ctx, in.ID))
}

func (s *Desk) addService(ctx context.Context, in *struct{ Body ServiceFields }) (*api.Body[Service], error) {
	return s.saveService(ctx, 0, nil, api.Accepting{}, in.Body)
}

func (s *Desk) changeService(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	api.Accepting
	Body ServiceFields
}) (*api.Body[Service], error) {
	over, err := in.Expected(store.ServiceRules(in.ID))
	if err != nil {
		return nil, err
	}
	return s.saveService(ctx, in.ID, over, in.Accepting, in.Body)
}

func (s *Desk) saveService(ctx context.Context, id store.ID, over *store.Expected, accepting api.Accepting, f ServiceFields) (*api.Body[Service], error) {
	var next store.Service
	if err := f.rules(&next); err != nil {
		return nil, err
	}
	var touched *fit.Change
	if id != 0 {
		touched = &fit.Change{Service: id, Rules: func(saved store.Service, _ []store.Staff) (store.Service, []store.Staff) {
			_ = f.rules(&saved) // they were checked above
			performing := make([]store.Staff, len(f.Staff))
			for i, id := range f.Staff {
				performing[i].ID = id
			}
			return saved, performing
		}}
	}
	row := store.Service{CreatedAt: span.At(s.Now())}
	_, err := s.rules.Change(ctx, accepting, over, touched, func(tx store.Tx) (err error) {
		if id != 0 {
			if row, err = tx.Service(id); err != nil {
				return api.Found(err, "service")
			}
		}
		if err := toldApart(tx, &store.Service{}, id, row.Name, f.Name); err != nil {
			return err
		}
		if f.Slug, err = takeSlug(tx, f.Slug, f.Name, store.FormerSlug{Slug: row.Slug, ServiceID: id, Since: span.At(s.Now())}); err != nil {
			return err
		}
		if f.After.LeadTo != "" {
			if err := mayLeadTo(tx, f.After.LeadTo); err != nil {
				return err
			}
		}
		var before any
		deed := "added"
		if id != 0 {
			performers, err := tx.PerformersOf([]store.ID{id})
			if err != nil {
				return err
			}
			if before, err = toldOf(tx, renderService(row, performers, 0).ServiceFields); err != nil {
				return err
			}
			deed = "changed"
		}
		was, stood := row.Messages, [3]string{row.Place, string(row.Venue), row.Room}

		row.Name, row.Slug, row.Place, row.Hue = f.Name, f.Slug, f.Place, f.Hue
		if err := f.rules(&row); err != nil {
			return err
		}
		if err := tx.SaveService(&row); err != nil {
			return err
		}
		for i, member := range f.Staff {
			if slices.Contains(f.Staff[:i], member) {
				return api.Wrong(fmt.Sprintf("staff[%d]", i), "This staff member is named twice.")
			}
			if _, err := tx.Staff(member); store.IsMissing(err) {
				return api.Wrong(fmt.Sprintf("staff[%d]", i), "There is no such staff member.")
			} else if err != nil {
				return err
			}
		}
		if err := tx.ReplacePerformers(row.ID, f.Staff, f.weight); err != nil {
			return err
		}
		if id != 0 && !reflect.DeepEqual(was, row.Messages) {
			if err := s.Messages.PlanAhead(tx, row.ID); err != nil {
				return err
			}
		}
		if id != 0 && stood != [3]string{row.Place, string(row.Venue), row.Room} {
			if err := booking.ServiceMoved(tx, row.ID, span.At(s.Now())); err != nil {
				return err
			}
		}
		after, err := toldOf(tx, f)
		if err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), deed, "service", row.ID, row.Name, before, after)
	})
	current := func() (Service, error) { return s.service(ctx, row.ID) }
	if err != nil {
		if row.ID == 0 {
			row.ID = id
		}
		return nil, api.Stale(err, current, func(v Service) int64 { return v.Version })
	}
	return api.Answer(current())
}
