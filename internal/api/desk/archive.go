package desk

import (
	"context"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/fit"
	"niche/internal/store"
)

// Archiving takes something out of use, or back into it. Nothing is deleted: what
// was booked stays booked, and what is past stays where it was.
type Archiving struct {
	Archived bool `json:"archived"`
}

// deed is what the trail calls it.
func (a Archiving) deed() string {
	if a.Archived {
		return "archived"
	}
	return "brought back"
}

type archiveRequest struct {
	api.IDPath
	api.Accepting
	Body Archiving
}

func (s *Desk) registerArchive(a huma.API) {
	huma.Register(a, api.Put("/api/staff/{id}/archive", "archiveStaff", "Archive a staff member, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) { return nil, s.archiveStaff(ctx, in) })
	// A service that comes back stays paused until somebody opens it.
	huma.Register(a, api.Put("/api/services/{id}/archive", "archiveService", "Archive a service, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) {
			return nil, s.archiveService(ctx, in)
		})
	huma.Register(a, api.Put("/api/resources/{id}/archive", "archiveResource", "Archive a room or a piece of equipment, or bring one back"),
		func(ctx context.Context, in *archiveRequest) (*struct{}, error) {
			return nil, s.archiveResource(ctx, in)
		})
}

func (s *Desk) archivedAt(a Archiving) span.Instant {
	if a.Archived {
		return span.At(s.Now())
	}
	return 0
}

// archiveStaff takes a person out of every service, and calendars are read no more.
// Bookings that no longer fit are named first, as with any change of rules.
func (s *Desk) archiveStaff(ctx context.Context, in *archiveRequest) error {
	out := func(saved store.Service, staff []store.Staff) (store.Service, []store.Staff) {
		return saved, slices.DeleteFunc(staff, func(m store.Staff) bool { return m.ID == in.ID })
	}
	c := &fit.Change{Staff: in.ID, Rules: out}
	if !in.Body.Archived {
		c = nil // who comes back leaves nothing outside the rules
	}
	_, err := s.rules.Change(ctx, in.Accepting, nil, c, func(tx store.Tx) error {
		row, err := tx.Staff(in.ID)
		if err != nil {
			return api.Found(err, "staff member")
		}
		if err := tx.Note(span.At(s.Now()), in.Body.deed(), "staff", row.ID, row.Name, nil, nil); err != nil {
			return err
		}
		if err := tx.Archive(&store.Staff{}, in.ID, s.archivedAt(in.Body)); err != nil {
			return err
		}
		if err := tx.Watching(in.ID, span.At(s.Now())); err != nil {
			return err
		}
		return tx.ReadAllSoon(in.ID)
	})
	return err
}

func (s *Desk) archiveService(ctx context.Context, in *archiveRequest) error {
	_, err := s.rules.Change(ctx, in.Accepting, nil, nil, func(tx store.Tx) error {
		row, err := tx.Service(in.ID)
		if err != nil {
			return api.Found(err, "service")
		}
		row.ArchivedAt, row.Paused = s.archivedAt(in.Body), true
		if err := tx.Note(span.At(s.Now()), in.Body.deed(), "service", row.ID, row.Name, nil, nil); err != nil {
			return err
		}
		return tx.SaveService(&row)
	})
	return err
}

func (s *Desk) archiveResource(ctx context.Context, in *archiveRequest) error {
	_, err := s.rules.Change(ctx, in.Accepting, nil, nil, func(tx store.Tx) error {
		row, err := tx.Resource(in.ID)
		if err != nil {
			return api.Found(err, "room or piece of equipment")
		}
		if err := tx.Note(span.At(s.Now()), in.Body.deed(), "resource", row.ID, row.Name, nil, nil); err != nil {
			return err
		}
		return tx.Archive(&store.Resource{}, in.ID, s.archivedAt(in.Body))
	})
	return err
}
