package client

import (
	"context"
	"net/http"
	"slices"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/place"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Collected is what a client sees of a collection.
type Collected struct {
	Business string          `json:"business"`
	Title    string          `json:"title"`
	Intro    string          `json:"intro"`
	With     string          `json:"with" doc:"Whose services they are alone; or empty."`
	Zone     string          `json:"zone"`
	Parts    []CollectedPart `json:"parts"`
}

// CollectedPart is some services under a heading.
type CollectedPart struct {
	Heading  string             `json:"heading"`
	Services []CollectedService `json:"services"`
}

// CollectedService is a service of a collection.
type CollectedService struct {
	Name    string      `json:"name"`
	Page    string      `json:"page" doc:"The path of its page."`
	Length  string      `json:"length"`
	Place   string      `json:"place"`
	Price   string      `json:"price" doc:"What each place costs; or empty."`
	Soonest []api.Start `json:"soonest" doc:"The next starts."`
	Note    string      `json:"note" doc:"Why there is none, or empty."`
}

// soon is for how many days ahead the next starts of a collection's services are looked for first.
const soon = 14

// getCollection answers for all services of a collection at once.
func (s *Client) getCollection(ctx context.Context, in *collectionQuery) (*api.Body[Collected], error) {
	return api.Answer(s.collected(ctx, in))
}

// collectionQuery says which collection is wanted, and how times are told.
type collectionQuery struct {
	SlugPath
	Zone  string `query:"zone" doc:"The client's zone; the business's when empty."`
	Clock string `query:"clock" enum:"12,24" default:"24"`
}

// collected answers for all services of a collection; all share that who ask for it at the same moment.
func (s *Client) collected(ctx context.Context, in *collectionQuery) (Collected, error) {
	return s.collections.Do(ctx, *in, func(ctx context.Context) (Collected, error) { return s.collect(ctx, in) })
}

// collect reads what a collection shows.
func (s *Client) collect(ctx context.Context, in *collectionQuery) (Collected, error) {
	db := s.DB.Read(ctx)
	c, err := db.CollectionBySlug(in.Slug)
	if err == nil && c.ArchivedAt > 0 {
		err = store.ErrNotFound
	}
	if err != nil {
		return Collected{}, api.Found(err, "page")
	}
	business, err := db.Business()
	if err != nil {
		return Collected{}, err
	}
	home, err := hours.LoadZone(business.Zone)
	if err != nil {
		return Collected{}, err
	}
	zone := home
	if in.Zone != "" {
		if zone, err = hours.LoadZone(in.Zone); err != nil {
			return Collected{}, api.Wrong("query.zone", err.Error())
		}
	}
	out := Collected{Business: business.Name, Title: c.Title, Intro: c.Intro, Zone: zone.String(), Parts: []CollectedPart{}}
	if c.StaffID != 0 {
		m, err := db.Staff(c.StaffID)
		if err != nil {
			return Collected{}, err
		}
		out.With = m.Name
	}
	now := span.At(s.Now())
	today := home.DateAt(now)
	for _, p := range c.Parts {
		part := CollectedPart{p.Heading, []CollectedService{}}
		for _, id := range p.Services {
			service, err := db.Service(id)
			if store.IsMissing(err) || err == nil && service.ArchivedAt > 0 {
				continue
			}
			if err != nil {
				return Collected{}, err
			}
			shown := CollectedService{Name: service.Name, Page: api.PagePath(service.Slug), Length: words.Length(service.Length), Place: place.Usually(service), Soonest: []api.Start{}}
			if service.Prepaid > 0 {
				shown.Price = words.Money(service.Prepaid, business.Currency)
			}
			staff, err := db.Performers(id)
			if err != nil {
				return Collected{}, err
			}
			if c.StaffID != 0 && service.Staffing != string(offer.AllOfThem) {
				staff = slices.DeleteFunc(staff, func(m store.Staff) bool { return m.ID != c.StaffID })
			}
			last := schedule.Rules(service, today).Window.Last(today)
			until := min(last, today+soon)
			for len(shown.Soonest) == 0 && !service.Paused && len(staff) > 0 {
				q, err := schedule.Question(db, schedule.Asked{Now: now, Service: service, Length: service.Length, From: today - 1, To: until + 1, Staff: staff})
				if err != nil {
					return Collected{}, err
				}
				v := api.OfferView{In: words.In{Zone: zone, Twelve: in.Clock == "12"}, Today: zone.DateAt(now), Length: service.Length}
				for _, o := range q.Answer().OffersIn(always, 3) {
					shown.Soonest = append(shown.Soonest, v.Start(o))
				}
				if until >= last {
					break
				}
				until = last
			}
			switch {
			case service.Paused:
				shown.Note = "Not bookable at present"
			case len(shown.Soonest) == 0:
				shown.Note = "Nothing can be booked at present"
			}
			part.Services = append(part.Services, shown)
		}
		if len(part.Services) > 0 {
			out.Parts = append(out.Parts, part)
		}
	}
	return out, nil
}

// countStep counts that somebody came so far on a page. Nothing is kept of who it was.
func (s *Client) countStep(ctx context.Context, in *struct {
	SlugPath
	Body struct {
		Step string `json:"step" enum:"opened,chosen,details,booked"`
	}
}) (*struct{}, error) {
	db := s.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	of := store.PageCount{Date: zone.DateAt(span.At(s.Now())).String(), Step: store.Step(in.Body.Step)}
	service, err := s.bySlug(db, in.Slug)
	if err == nil {
		of.ServiceID = service.ID
	} else {
		c, missing := db.CollectionBySlug(in.Slug)
		if missing != nil {
			return nil, api.NewProblem(http.StatusNotFound, "There is no such page.")
		}
		of.CollectionID = c.ID
	}
	s.Footfall.Add(of)
	return nil, nil
}
