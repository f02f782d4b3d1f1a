package desk

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/store"
)

// Resource is a room or a piece of equipment.
type Resource struct {
	ID store.ID `json:"id"`
	ResourceFields
	NeededBy []string `json:"neededBy" doc:"The services in use that need its kind."`
	Version  int64    `json:"version"`
}

// ResourceFields is what can be said of it.
type ResourceFields struct {
	Name string `json:"name" minLength:"1" maxLength:"120"`
	Kind string `json:"kind" minLength:"1" maxLength:"60" doc:"What services ask for: a visit takes one of each kind that it needs."`
}

func (s *Desk) registerResources(a huma.API) {
	huma.Register(a, api.Get("/api/resources", "listResources", "Rooms and equipment"), s.listResources)
	huma.Register(a, api.Post("/api/resources", "addResource", "Add a room or a piece of equipment", http.StatusCreated), s.addResource)
	huma.Register(a, api.Get("/api/resources/{id}", "getResource", "A room or a piece of equipment"), s.getResource)
	huma.Register(a, api.Put("/api/resources/{id}", "changeResource", "Change a room or a piece of equipment"), s.changeResource)
}

// resources renders rooms and equipment with the services that need them.
func (s *Desk) resources(ctx context.Context, rows []store.Resource) ([]Resource, error) {
	db := s.DB.Read(ctx)
	services, err := db.ServicesInUse()
	if err != nil {
		return nil, err
	}
	slices.SortStableFunc(services, func(a, b store.Service) int { return cmp.Compare(a.Name, b.Name) })
	things := make([]store.Thing, len(rows))
	for i, r := range rows {
		things[i] = store.ResourceDetails(r.ID)
	}
	versions, err := db.Versions(things)
	if err != nil {
		return nil, err
	}
	out := make([]Resource, len(rows))
	for i, r := range rows {
		out[i] = Resource{r.ID, ResourceFields{r.Name, r.Kind}, []string{}, versions[things[i]]}
		for _, v := range services {
			if slices.Contains(v.Needs, r.Kind) {
				out[i].NeededBy = append(out[i].NeededBy, v.Name)
			}
		}
	}
	return out, nil
}

func (s *Desk) listResources(ctx context.Context, in *api.Listing) (*api.Body[api.List[Resource]], error) {
	rows, err := s.DB.Read(ctx).ResourcePart(in.Part())
	if err != nil {
		return nil, err
	}
	all, err := s.resources(ctx, rows)
	return api.Answer(api.Paged(all, in.Page, func(r Resource) Resource { return r }), err)
}

func (s *Desk) resource(ctx context.Context, id store.ID) (Resource, error) {
	row, err := s.DB.Read(ctx).Resource(id)
	if err != nil {
		return Resource{}, api.Found(err, "room or piece of equipment")
	}
	all, err := s.resources(ctx, []store.Resource{row})
	if err != nil {
		return Resource{}, err
	}
	return all[0], nil
}

func (s *Desk) getResource(ctx context.Context, in *api.IDPath) (*api.Body[Resource], error) {
	return api.Answer(s.resource(ctx, in.ID))
}

func (s *Desk) addResource(ctx context.Context, in *struct{ Body ResourceFields }) (*api.Body[Resource], error) {
	return s.saveResource(ctx, 0, nil, in.Body)
}

func (s *Desk) changeResource(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Body ResourceFields
}) (*api.Body[Resource], error) {
	over, err := in.Expected(store.ResourceDetails(in.ID))
	if err != nil {
		return nil, err
	}
	return s.saveResource(ctx, in.ID, over, in.Body)
}

func (s *Desk) saveResource(ctx context.Context, id store.ID, over *store.Expected, f ResourceFields) (*api.Body[Resource], error) {
	row := store.Resource{CreatedAt: span.At(s.Now())}
	err := s.DB.Write(ctx, func(tx store.Tx) (err error) {
		if over != nil {
			if row, err = tx.Resource(id); err != nil {
				return api.Found(err, "room or piece of equipment")
			}
			if _, err := tx.Meet(*over); err != nil {
				return err
			}
		}
		if strings.TrimSpace(f.Kind) == "" {
			return api.Wrong("kind", "Say of which kind it is.")
		}
		if err := toldApart(tx, &store.Resource{}, id, row.Name, f.Name); err != nil {
			return err
		}
		var before any
		deed := "added"
		if id != 0 {
			before, deed = ResourceFields{row.Name, row.Kind}, "changed"
		}
		row.Name, row.Kind = f.Name, f.Kind
		if err := errors.Join(tx.SaveResource(&row), tx.RulesChanged()); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), deed, "resource", row.ID, row.Name, before, f)
	})
	current := func() (Resource, error) { return s.resource(ctx, row.ID) }
	if err != nil {
		return nil, api.Stale(err, current, func(r Resource) int64 { return r.Version })
	}
	s.Hub.Tell(live.Rules)
	return api.Answer(current())
}
