package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/store"
)

// Archiving takes something out of use, or back into it. Nothing is deleted: what
// was booked stays booked, and what is past stays where it was.
type Archiving struct {
	Archived bool `json:"archived"`
}

// listing asks for a part of a list of what is in use, or of what is archived.
type listing struct {
	Page     int  `query:"page" minimum:"1" maximum:"100000" default:"1" doc:"The part of the list, from 1."`
	Archived bool `query:"archived" doc:"What has been archived, instead of what is in use."`
}

// where returns the condition of SQL.
func (l listing) where() string {
	if l.Archived {
		return "archived_at > 0"
	}
	return "archived_at = 0"
}

type archiveRequest struct {
	IDPath
	Accepting
	Body Archiving
}

func (s *server) registerArchive(a huma.API) {
	huma.Register(a, put("/api/staff/{id}/archive", "archiveStaff", "Archive a staff member, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) {
			return nil, s.archive(ctx, in, &store.Staff{}, "staff member", nil)
		})
	// A service that comes back stays paused until somebody opens it.
	huma.Register(a, put("/api/services/{id}/archive", "archiveService", "Archive a service, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) {
			return nil, s.archive(ctx, in, &store.Service{}, "service", map[string]any{"paused": true})
		})
	huma.Register(a, put("/api/resources/{id}/archive", "archiveResource", "Archive a room or a piece of equipment, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) {
			return nil, s.archive(ctx, in, &store.Resource{}, "room or piece of equipment", nil)
		})
}

// archive sets when a record was archived, with other values that follow. Bookings
// that no longer fit are named first, as with any change of rules.
func (s *server) archive(ctx context.Context, in *archiveRequest, record any, what string, also map[string]any) error {
	at := span.Instant(0)
	if in.Body.Archived {
		at = span.At(s.Now())
	}
	return s.change(ctx, in.Accepting, func(tx *gorm.DB) error {
		if err := tx.Take(record, in.ID).Error; err != nil {
			return found(err, what)
		}
		values := map[string]any{"archived_at": at}
		for name, v := range also {
			values[name] = v
		}
		return tx.Model(record).Updates(values).Error
	})
}
