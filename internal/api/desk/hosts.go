package desk

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/source/caldav"
	"niche/internal/store"
	"niche/internal/words"
)

// CalendarHost is a calendar host that the business knows by a name.
type CalendarHost struct {
	api.NamedHost
	Version int64 `json:"version"`
}

func (s *Desk) registerHosts(a huma.API) {
	huma.Register(a, api.Get("/api/hosts", "listHosts", "The calendar hosts that are known by a name"), s.listHosts)
	huma.Register(a, api.Post("/api/hosts", "addHost", "Name a calendar host", http.StatusCreated), s.addHost)
	huma.Register(a, api.Put("/api/hosts/{id}", "changeHost", "Change a calendar host"), s.changeHost)
	huma.Register(a, api.Delete("/api/hosts/{id}", "removeHost", "Forget a calendar host; links to it stay"), s.removeHost)
}

// hosts renders calendar hosts with their versions.
func (s *Desk) hosts(tx store.Tx, rows []api.NamedHost) ([]CalendarHost, error) {
	things := make([]store.Thing, len(rows))
	for i, r := range rows {
		things[i] = store.HostDetails(r.ID)
	}
	versions, err := tx.Versions(things)
	out := make([]CalendarHost, len(rows))
	for i, r := range rows {
		out[i] = CalendarHost{r, versions[things[i]]}
	}
	return out, err
}

func (s *Desk) listHosts(ctx context.Context, _ *struct{}) (*api.Body[api.List[CalendarHost]], error) {
	out := api.List[CalendarHost]{}
	err := s.DB.View(ctx, func(tx store.Tx) error {
		rows, err := api.NamedHosts(tx)
		if err == nil {
			out.Items, err = s.hosts(tx, rows)
		}
		return err
	})
	return api.Answer(out, err)
}

func (s *Desk) host(ctx context.Context, id store.ID) (out CalendarHost, err error) {
	err = s.DB.View(ctx, func(tx store.Tx) error {
		h, err := tx.Host(id)
		if err != nil {
			return api.Found(err, "calendar host")
		}
		all, err := s.hosts(tx, []api.NamedHost{{ID: h.ID, HostFields: api.FieldsOfHost(h)}})
		out = all[0]
		return err
	})
	return out, err
}

func (s *Desk) addHost(ctx context.Context, in *struct{ Body api.HostFields }) (*api.Body[CalendarHost], error) {
	return s.saveHost(ctx, 0, nil, in.Body)
}

func (s *Desk) changeHost(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Body api.HostFields
}) (*api.Body[CalendarHost], error) {
	over, err := in.Expected(store.HostDetails(in.ID))
	if err != nil {
		return nil, err
	}
	return s.saveHost(ctx, in.ID, over, in.Body)
}

// readHost reads the fields into a record.
func readHost(f api.HostFields, row *store.Host) error {
	address, err := caldav.Address(f.Address)
	if err != nil {
		return api.Wrong("address", words.Of(err).Text)
	}
	row.Name, row.Address, row.Host, row.Domains = f.Name, link.Whole(f.Address), strings.ToLower(address.Host), []string{}
	for i, d := range f.Domains {
		d = strings.ToLower(strings.TrimPrefix(strings.TrimSpace(d), "@"))
		if !strings.Contains(strings.Trim(d, "."), ".") || strings.ContainsAny(d, " /@:") {
			return api.Wrong(fmt.Sprintf("domains[%d]", i), "This is not the domain of a mail address, as in castellane.example.")
		}
		if !slices.Contains(row.Domains, d) {
			row.Domains = append(row.Domains, d)
		}
	}
	return nil
}

func (s *Desk) saveHost(ctx context.Context, id store.ID, over *store.Expected, f api.HostFields) (*api.Body[CalendarHost], error) {
	now := span.At(s.Now())
	row := store.Host{CreatedAt: now}
	err := s.DB.Write(ctx, func(tx store.Tx) (err error) {
		var before any
		deed := "added"
		if id != 0 {
			if row, err = tx.Host(id); err != nil {
				return api.Found(err, "calendar host")
			}
			if _, err := tx.Meet(*over); err != nil {
				return err
			}
			before, deed = api.FieldsOfHost(row), "changed"
		}
		if err := readHost(f, &row); err != nil {
			return err
		}
		all, err := tx.Hosts()
		if err != nil {
			return err
		}
		if id == 0 && len(all) >= store.MaxHosts {
			return api.NewProblem(http.StatusConflict, "There are as many calendar hosts as there can be.")
		}
		for _, h := range all {
			switch {
			case h.ID == id:
			case strings.EqualFold(h.Name, row.Name):
				return api.Wrong("name", "Another calendar host has this name.")
			case h.Host == row.Host:
				return api.Wrong("address", fmt.Sprintf("“%s” is at this address already.", h.Name))
			}
			for i, d := range row.Domains {
				if h.ID != id && slices.Contains(h.Domains, d) {
					return api.Wrong(fmt.Sprintf("domains[%d]", i), fmt.Sprintf("“%s” serves these mail addresses already.", h.Name))
				}
			}
		}
		if err := tx.SaveHost(&row); err != nil {
			return err
		}
		return tx.Note(now, deed, "host", row.ID, row.Name, before, api.FieldsOfHost(row))
	})
	current := func() (CalendarHost, error) { return s.host(ctx, row.ID) }
	if err != nil {
		return nil, api.Stale(err, current, func(h CalendarHost) int64 { return h.Version })
	}
	s.Hub.Tell(live.Calendars)
	return api.Answer(current())
}

func (s *Desk) removeHost(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		row, err := tx.Host(in.ID)
		if err != nil {
			return api.Found(err, "calendar host")
		}
		if err := tx.DeleteHost(row.ID); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "removed", "host", row.ID, row.Name, api.FieldsOfHost(row), nil)
	})
	s.Hub.Tell(live.Calendars)
	return nil, err
}
