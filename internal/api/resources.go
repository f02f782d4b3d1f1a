package api

import (
	"context"
	"net/http"

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

func renderResource(r store.Resource) Resource {
	return Resource{r.ID, ResourceFields{r.Name, r.Kind}}
}

func (s *server) listResources(ctx context.Context, in *listing) (*body[list[Resource]], error) {
	var rows []store.Resource
	err := s.DB.Read(ctx).Where(in.where()).Order("kind, name, id").Offset((in.Page - 1) * pageSize).Limit(pageSize + 1).Find(&rows).Error
	return answer(paged(rows, in.Page, renderResource), err)
}

func (s *server) addResource(ctx context.Context, in *struct{ Body ResourceFields }) (*body[Resource], error) {
	row := store.Resource{Name: in.Body.Name, Kind: in.Body.Kind, CreatedAt: span.At(s.Now())}
	if err := s.DB.Write(ctx, func(tx *gorm.DB) error { return tx.Create(&row).Error }); err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	return answer(renderResource(row), nil)
}

func (s *server) changeResource(ctx context.Context, in *struct {
	IDPath
	Body ResourceFields
}) (*body[Resource], error) {
	var row store.Resource
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		if err := tx.Take(&row, in.ID).Error; err != nil {
			return found(err, "room or piece of equipment")
		}
		row.Name, row.Kind = in.Body.Name, in.Body.Kind
		return tx.Save(&row).Error
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	return answer(renderResource(row), nil)
}
