package api

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/live"
	"niche/internal/store"
)

// Resource is a room or a piece of equipment.
type Resource struct {
	ID store.ID `json:"id"`
	ResourceFields
	NeededBy []string `json:"neededBy" doc:"The services in use that need its kind."`
}

// ResourceFields is what can be said of it.
type ResourceFields struct {
	Name string `json:"name" minLength:"1" maxLength:"120"`
	Kind string `json:"kind" minLength:"1" maxLength:"60" doc:"What services ask for: a visit takes one of each kind that it needs."`
}

func (s *server) registerResources(a huma.API) {
	huma.Register(a, get("/api/resources", "listResources", "Rooms and equipment"), s.listResources)
	huma.Register(a, post("/api/resources", "addResource", "Add a room or a piece of equipment", http.StatusCreated), s.addResource)
	huma.Register(a, put("/api/resources/{id}", "changeResource", "Change a room or a piece of equipment"), s.changeResource)
}

// resources renders rooms and equipment with the services that need them.
func (s *server) resources(ctx context.Context, rows []store.Resource) ([]Resource, error) {
	var services []store.Service
	if err := s.DB.Read(ctx).Where("archived_at = 0").Order("name").Find(&services).Error; err != nil {
		return nil, err
	}
	out := make([]Resource, len(rows))
	for i, r := range rows {
		out[i] = Resource{r.ID, ResourceFields{r.Name, r.Kind}, []string{}}
		for _, v := range services {
			if slices.Contains(v.Needs, r.Kind) {
				out[i].NeededBy = append(out[i].NeededBy, v.Name)
			}
		}
	}
	return out, nil
}

func (s *server) listResources(ctx context.Context, in *listing) (*body[list[Resource]], error) {
	var rows []store.Resource
	err := s.DB.Read(ctx).Where(in.where()).Order("kind, name, id").Offset((in.Page - 1) * pageSize).Limit(pageSize + 1).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	all, err := s.resources(ctx, rows)
	return answer(paged(all, in.Page, func(r Resource) Resource { return r }), err)
}

func (s *server) addResource(ctx context.Context, in *struct{ Body ResourceFields }) (*body[Resource], error) {
	return s.saveResource(ctx, 0, in.Body)
}

func (s *server) changeResource(ctx context.Context, in *struct {
	IDPath
	Body ResourceFields
}) (*body[Resource], error) {
	return s.saveResource(ctx, in.ID, in.Body)
}

func (s *server) saveResource(ctx context.Context, id store.ID, f ResourceFields) (*body[Resource], error) {
	row := store.Resource{CreatedAt: span.At(s.Now())}
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		if id != 0 {
			if err := tx.Take(&row, id).Error; err != nil {
				return found(err, "room or piece of equipment")
			}
		}
		if err := toldApart(tx, &store.Resource{}, id, row.Name, f.Name); err != nil {
			return err
		}
		row.Name, row.Kind = f.Name, f.Kind
		return tx.Save(&row).Error
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	all, err := s.resources(ctx, []store.Resource{row})
	if err != nil {
		return nil, err
	}
	return answer(all[0], nil)
}
