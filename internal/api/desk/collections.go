package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/colour"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/store"
	"niche/internal/words"
)

// After is what is said and done once a visit is booked.
type After struct {
	Thanks string   `json:"thanks,omitempty" required:"false" maxLength:"1000" doc:"In place of the usual words."`
	Bring  string   `json:"bring,omitempty" required:"false" maxLength:"1000" doc:"What clients are to bring or prepare."`
	LeadTo string   `json:"leadTo,omitempty" required:"false" maxLength:"500" doc:"The address, at a host that the business allows, to which clients are led on; empty for none."`
	Tells  []string `json:"tells,omitempty" required:"false" maxItems:"10" doc:"What that address is told beside the reference, in its query: service, start, status, name, mail, or answer. and the key of a question."`
}

func afterOf(a store.After) After {
	return After{a.Thanks, a.Bring, a.LeadTo, append([]string{}, a.Tells...)}
}

// tellable is what an address to which clients are led on can be told.
var tellable = []string{"service", "start", "status", "name", "mail"}

func (a After) read() (store.After, error) {
	out := store.After{Thanks: strings.TrimSpace(a.Thanks), Bring: strings.TrimSpace(a.Bring), LeadTo: strings.TrimSpace(a.LeadTo)}
	if out.LeadTo != "" {
		if u, err := url.Parse(out.LeadTo); err != nil || u.Host == "" || u.Scheme != "https" && !(u.Scheme == "http" && isOwn(u.Hostname())) || u.User != nil || u.Fragment != "" {
			return out, api.Wrong("after.leadTo", "This is not the address of a page, as https://workshop.example/thanks.")
		}
	}
	for i, t := range a.Tells {
		if !slices.Contains(tellable, t) && !strings.HasPrefix(t, "answer.") || slices.Contains(a.Tells[:i], t) {
			return out, api.Wrong(fmt.Sprintf("after.tells[%d]", i), "There is nothing of this name to tell.")
		}
		out.Tells = append(out.Tells, t)
	}
	return out, nil
}

func isOwn(host string) bool { return host == "localhost" || host == "127.0.0.1" || host == "::1" }

// mayLeadTo refuses an address at a host that the business does not allow.
func mayLeadTo(tx store.Tx, address string) error {
	b, err := tx.Business()
	if err != nil {
		return err
	}
	u, err := url.Parse(address)
	if err != nil || !slices.Contains(b.LeadsTo, strings.ToLower(u.Host)) {
		return api.Wrong("after.leadTo", "Clients may be led on only to hosts that stand in the settings of the business.")
	}
	return nil
}

// Look is how a page looks, and what its buttons say.
type Look struct {
	Accent string `json:"accent,omitempty" required:"false" maxLength:"7" doc:"#rrggbb; empty for the usual. One that could not be read is made darker or lighter."`
	Scheme string `json:"scheme,omitempty" required:"false" enum:"light,dark," doc:"Empty for as the client likes."`
	Intro  string `json:"intro,omitempty" required:"false" maxLength:"1000" doc:"Below the heading."`
	Next   string `json:"next,omitempty" required:"false" maxLength:"40" doc:"What the button says once a start is chosen; empty for the usual."`
	Book   string `json:"book,omitempty" required:"false" maxLength:"40" doc:"What the last button says; empty for the usual."`

	Title   string `json:"title,omitempty" required:"false" maxLength:"80" doc:"The heading of the page; empty for the name of the service."`
	Choose  string `json:"choose,omitempty" required:"false" maxLength:"80" doc:"A heading of the starts, or empty."`
	Details string `json:"details,omitempty" required:"false" maxLength:"80" doc:"A heading of the form, or empty."`
	Done    string `json:"done,omitempty" required:"false" maxLength:"80" doc:"The heading once it is booked; empty for the usual."`
}

func (l Look) read() (store.Look, error) {
	if _, ok := colour.Parse(l.Accent); l.Accent != "" && !ok {
		return store.Look{}, api.Wrong("look.accent", "This is not a colour, as #0d5a63.")
	}
	l.Accent = strings.ToLower(l.Accent)
	for _, text := range []*string{&l.Intro, &l.Next, &l.Book, &l.Title, &l.Choose, &l.Details, &l.Done} {
		*text = strings.TrimSpace(*text)
	}
	return store.Look(l), nil
}

// weight returns what the one at a place takes in proportion.
func (f ServiceFields) weight(i int) int {
	if i < len(f.Weights) {
		return f.Weights[i]
	}
	return 1
}

// CollectionFields is what can be said of a collection.
type CollectionFields struct {
	Title string           `json:"title" minLength:"1" maxLength:"120"`
	Slug  string           `json:"slug" maxLength:"80" doc:"The last part of its address; made from the title when empty."`
	Intro string           `json:"intro" maxLength:"1000"`
	Staff store.ID         `json:"staff" minimum:"0" doc:"Whose services they are alone; 0 for everybody's."`
	Parts []CollectionPart `json:"parts" minItems:"1" maxItems:"30"`
	Sites []string         `json:"sites,omitempty" required:"false" maxItems:"50" doc:"Origins of sites that may show it in a frame."`
}

// CollectionPart is some services under a heading.
type CollectionPart struct {
	Heading  string     `json:"heading" maxLength:"120"`
	Services []store.ID `json:"services" minItems:"1" maxItems:"100"`
}

// Collection is a page of several services.
type Collection struct {
	ID       store.ID `json:"id"`
	Page     string   `json:"page" doc:"Its path."`
	Former   []string `json:"former" doc:"Addresses that it had: they lead to it."`
	Archived bool     `json:"archived"`
	Version  int64    `json:"version"`
	CollectionFields
}

// ListedPage is a page in the list of all.
type ListedPage struct {
	Kind       string   `json:"kind" enum:"service,collection"`
	ID         store.ID `json:"id"`
	Title      string   `json:"title"`
	Page       string   `json:"page"`
	State      string   `json:"state" enum:"open,paused,closed"`
	In         []string `json:"in" doc:"Titles of the collections in which it stands."`
	Opened     int      `json:"opened" doc:"In the last 30 days, as all that follows."`
	Chosen     int      `json:"chosen" doc:"How many chose a start."`
	Details    int      `json:"details" doc:"How many went on to their details."`
	Booked     int      `json:"booked"`
	LastBooked string   `json:"lastBooked" doc:"When something was booked last; or empty."`
}

func (s *Desk) registerCollections(a huma.API) {
	huma.Register(a, api.Get("/api/accent", "lookAtAccent", "An accent as pages would show it"), s.lookAtAccent)
	huma.Register(a, api.Get("/api/all-pages", "listPages", "All pages, with how far people come on them"), s.listPages)
	huma.Register(a, api.Post("/api/collections", "addCollection", "Make a page of several services", http.StatusCreated), s.addCollection)
	huma.Register(a, api.Get("/api/all-collections/{id}", "getOneCollection", "A page of several services"), s.getOneCollection)
	huma.Register(a, api.Put("/api/all-collections/{id}", "changeCollection", "Change a page of several services"), s.changeCollection)
	huma.Register(a, api.Put("/api/all-collections/{id}/archive", "archiveCollection", "Close a page of several services, or open it again"), s.archiveCollection)
}

// countedDays is over how many days people on pages are counted.
const countedDays = 30

func (s *Desk) listPages(ctx context.Context, in *struct {
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[api.List[ListedPage]], error) {
	if err := s.Footfall.Keep(ctx, s.DB); err != nil {
		return nil, err // what was counted a moment ago is told too
	}
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	services, err := db.ServicesInUse()
	if err != nil {
		return nil, err
	}
	collections, err := db.Collections()
	if err != nil {
		return nil, err
	}
	counts, err := db.PageCounts((text.Zone.DateAt(span.At(s.Now())) - countedDays).String())
	if err != nil {
		return nil, err
	}
	last, err := db.LastBookings()
	if err != nil {
		return nil, err
	}
	type key struct{ service, collection store.ID }
	counted := map[key]map[store.Step]int{}
	for _, c := range counts {
		k := key{c.ServiceID, c.CollectionID}
		if counted[k] == nil {
			counted[k] = map[store.Step]int{}
		}
		counted[k][c.Step] = c.N
	}
	lastly := map[store.ID]span.Instant{}
	for _, l := range last {
		lastly[l.ServiceID] = l.At
	}
	out := api.List[ListedPage]{Items: []ListedPage{}}
	add := func(p ListedPage, k key, last span.Instant) {
		n := counted[k]
		p.Opened, p.Chosen, p.Details, p.Booked = n[store.StepOpened], n[store.StepChosen], n[store.StepDetails], n[store.StepBooked]
		if last > 0 {
			p.LastBooked = text.Moment(last)
		}
		out.Items = append(out.Items, p)
	}
	for _, c := range collections {
		p := ListedPage{Kind: "collection", ID: c.ID, Title: c.Title, Page: CollectionPath(c.Slug), State: "open", In: []string{}}
		if c.ArchivedAt > 0 {
			p.State = "closed"
		}
		newest := span.Instant(0)
		for _, part := range c.Parts {
			for _, id := range part.Services {
				newest = max(newest, lastly[id])
			}
		}
		add(p, key{0, c.ID}, newest)
	}
	for _, v := range services {
		p := ListedPage{Kind: "service", ID: v.ID, Title: v.Name, Page: api.PagePath(v.Slug), State: "open", In: []string{}}
		if v.Paused {
			p.State = "paused"
		}
		for _, c := range collections {
			if c.ArchivedAt == 0 && slices.ContainsFunc(c.Parts, func(part store.CollectionPart) bool { return slices.Contains(part.Services, v.ID) }) {
				p.In = append(p.In, c.Title)
			}
		}
		add(p, key{v.ID, 0}, lastly[v.ID])
	}
	return api.Answer(out, nil)
}

// CollectionPath returns the path of a collection's page.
func CollectionPath(slug string) string { return "/choose/" + slug }

func (s *Desk) collection(ctx context.Context, id store.ID) (out Collection, err error) {
	err = s.DB.View(ctx, func(tx store.Tx) error {
		c, err := tx.Collection(id)
		if err != nil {
			return api.Found(err, "page")
		}
		out = Collection{ID: c.ID, Page: CollectionPath(c.Slug), Former: []string{}, Archived: c.ArchivedAt > 0, CollectionFields: collectionFields(c)}
		former, err := tx.FormerSlugsOf(id)
		if err != nil {
			return err
		}
		for _, f := range former {
			out.Former = append(out.Former, CollectionPath(f.Slug))
		}
		out.Version, err = tx.Version(store.CollectionDetails(id))
		return err
	})
	return out, err
}

func collectionFields(c store.Collection) CollectionFields {
	f := CollectionFields{Title: c.Title, Slug: c.Slug, Intro: c.Intro, Staff: c.StaffID, Parts: []CollectionPart{}, Sites: append([]string{}, c.Sites...)}
	for _, p := range c.Parts {
		f.Parts = append(f.Parts, CollectionPart(p))
	}
	return f
}

func (s *Desk) getOneCollection(ctx context.Context, in *api.IDPath) (*api.Body[Collection], error) {
	return api.Answer(s.collection(ctx, in.ID))
}

func (s *Desk) addCollection(ctx context.Context, in *struct{ Body CollectionFields }) (*api.Body[Collection], error) {
	return s.saveCollection(ctx, 0, nil, in.Body)
}

func (s *Desk) changeCollection(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Body CollectionFields
}) (*api.Body[Collection], error) {
	over, err := in.Expected(store.CollectionDetails(in.ID))
	if err != nil {
		return nil, err
	}
	return s.saveCollection(ctx, in.ID, over, in.Body)
}

func (s *Desk) saveCollection(ctx context.Context, id store.ID, over *store.Expected, f CollectionFields) (*api.Body[Collection], error) {
	f.Title = strings.TrimSpace(f.Title)
	sites := []string{}
	for i, site := range f.Sites {
		origin, wrong := originOf(site)
		if wrong != "" {
			return nil, api.Wrong(fmt.Sprintf("sites[%d]", i), wrong)
		}
		sites = append(sites, origin)
	}
	now := span.At(s.Now())
	row := store.Collection{CreatedAt: now}
	err := s.DB.Write(ctx, func(tx store.Tx) (err error) {
		var before any
		deed := "added"
		if id != 0 {
			if row, err = tx.Collection(id); err != nil {
				return api.Found(err, "page")
			}
			if _, err := tx.Meet(*over); err != nil {
				return err
			}
			before, deed = collectionFields(row), "changed"
		}
		if f.Slug, err = takeSlug(tx, f.Slug, f.Title, store.FormerSlug{Slug: row.Slug, CollectionID: id, Since: now}); err != nil {
			return err
		}
		if f.Staff != 0 {
			if _, err := tx.Staff(f.Staff); err != nil {
				return api.Wrong("staff", "There is no such staff member.")
			}
		}
		row.Parts = nil
		seen := map[store.ID]bool{}
		for i, p := range f.Parts {
			for n, service := range p.Services {
				field := fmt.Sprintf("parts[%d].services[%d]", i, n)
				if _, err := tx.Service(service); err != nil {
					return api.Wrong(field, "There is no such service.")
				}
				if seen[service] {
					return api.Wrong(field, "This service stands on the page already.")
				}
				seen[service] = true
			}
			row.Parts = append(row.Parts, store.CollectionPart{Heading: strings.TrimSpace(p.Heading), Services: p.Services})
		}
		row.Slug, row.Title, row.Intro, row.StaffID, row.Sites = f.Slug, f.Title, strings.TrimSpace(f.Intro), f.Staff, sites
		if err := tx.SaveCollection(&row); err != nil {
			return err
		}
		return tx.Note(now, deed, "page", row.ID, row.Title, before, collectionFields(row))
	})
	current := func() (Collection, error) { return s.collection(ctx, row.ID) }
	if err != nil {
		if row.ID == 0 {
			row.ID = id
		}
		return nil, api.Stale(err, current, func(c Collection) int64 { return c.Version })
	}
	s.Hub.Tell(live.Rules)
	return api.Answer(current())
}

func (s *Desk) archiveCollection(ctx context.Context, in *struct {
	api.IDPath
	Body Archiving
}) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		c, err := tx.Collection(in.ID)
		if err != nil {
			return api.Found(err, "page")
		}
		c.ArchivedAt = s.archivedAt(in.Body)
		return errors.Join(tx.SaveCollection(&c), tx.Note(span.At(s.Now()), in.Body.deed(), "page", c.ID, c.Title, nil, nil))
	})
	s.Hub.Tell(live.Rules)
	return nil, err
}

// ShownAccent is an accent as pages show it.
type ShownAccent struct {
	words.Accent
	Words string `json:"words" doc:"What was done to it, or empty."`
}

func (s *Desk) lookAtAccent(_ context.Context, in *struct {
	Colour string `query:"colour" maxLength:"7" required:"true"`
}) (*api.Body[ShownAccent], error) {
	c, ok := colour.Parse(in.Colour)
	if !ok {
		return nil, api.Wrong("query.colour", "This is not a colour, as #0d5a63.")
	}
	a := words.AccentOf(c)
	out := ShownAccent{Accent: a}
	switch light, dark := a.Light != c.String(), a.Dark != c.String(); {
	case light && dark:
		out.Words = fmt.Sprintf("It could not be read: %s is used by day, and %s in dark.", a.Light, a.Dark)
	case light:
		out.Words = fmt.Sprintf("It is too light to be read on a light page: %s is used there.", a.Light)
	case dark:
		out.Words = fmt.Sprintf("It is too dark to be read on a dark page: %s is used there.", a.Dark)
	}
	return api.Answer(out, nil)
}
