package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"regexp"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/store"
)

// Service is a service with its rules.
type Service struct {
	ID       store.ID `json:"id"`
	Page     string   `json:"page" doc:"The path of its public page."`
	Archived bool     `json:"archived"`
	ServiceFields
}

// ServiceFields is what can be said of a service. Lengths are minutes.
type ServiceFields struct {
	Name               string     `json:"name" minLength:"1" maxLength:"120"`
	Slug               string     `json:"slug" maxLength:"80" doc:"The last part of the public page's address; made from the name when empty."`
	Place              string     `json:"place" maxLength:"200" doc:"Where it happens, as clients read it."`
	Hue                int        `json:"hue" minimum:"0" maximum:"7" doc:"One of eight colours."`
	Length             int        `json:"length" minimum:"5" maximum:"1440"`
	Lengths            []int      `json:"lengths" maxItems:"10" doc:"Further lengths that a client can choose."`
	Step               int        `json:"step" minimum:"5" maximum:"1440"`
	Anchor             string     `json:"anchor" enum:"clock,opening"`
	BufferBefore       int        `json:"bufferBefore" minimum:"0" maximum:"720"`
	BufferAfter        int        `json:"bufferAfter" minimum:"0" maximum:"720"`
	BuffersInsideHours bool       `json:"buffersInsideHours"`
	NoticeKind         string     `json:"noticeKind" enum:"none,minutes,day"`
	Notice             int        `json:"notice" minimum:"0" maximum:"43200" doc:"Minutes, for the kind minutes."`
	NoticeDays         int        `json:"noticeDays" minimum:"0" maximum:"60" doc:"Days before the visit, for the kind day."`
	NoticeBy           string     `json:"noticeBy" maxLength:"5" doc:"Time of day by which it must be booked, for the kind day."`
	WindowKind         string     `json:"windowKind" enum:"none,days,dates"`
	WindowDays         int        `json:"windowDays" minimum:"0" maximum:"730" doc:"For the kind days."`
	WindowFrom         string     `json:"windowFrom" maxLength:"10" doc:"First date, for the kind dates; empty for none."`
	WindowTo           string     `json:"windowTo" maxLength:"10" doc:"Last date, for the kind dates; empty for none."`
	CapPerDay          *int       `json:"capPerDay,omitempty" minimum:"0" maximum:"1000" doc:"Visits a day for each staff member; left out for no cap."`
	Places             int        `json:"places" minimum:"1" maximum:"1000" doc:"Places in one visit."`
	Needs              []string   `json:"needs" maxItems:"20" doc:"Kinds of rooms and equipment, one of each."`
	Staffing           string     `json:"staffing" enum:"any,all"`
	Pick               string     `json:"pick" enum:"order,fewest,turn,last" doc:"How one of several is picked."`
	Paused             bool       `json:"paused" doc:"Nothing can be booked for the time being."`
	Unreachable        string     `json:"unreachable" enum:"take,ask,refuse" doc:"What happens when a calendar cannot be read at the moment of booking."`
	Staff              []store.ID `json:"staff" maxItems:"200" doc:"Who performs it, in order of preference."`
}

func (s *server) registerServices(a huma.API) {
	huma.Register(a, get("/api/services", "listServices", "All services"), s.listServices)
	huma.Register(a, post("/api/services", "addService", "Define a service", http.StatusCreated), s.addService)
	huma.Register(a, get("/api/services/{id}", "getService", "A service"), s.getService)
	huma.Register(a, put("/api/services/{id}", "changeService", "Change a service"), s.changeService)
}

// PagePath returns the path of a service's public page.
func pagePath(slug string) string { return "/book/" + slug }

func renderService(r store.Service, staff []store.ID) Service {
	f := ServiceFields{
		Name: r.Name, Slug: r.Slug, Place: r.Place, Hue: r.Hue, Length: int(r.Length), Lengths: []int{}, Step: int(r.Step), Anchor: r.Anchor,
		BufferBefore: int(r.BufferBefore), BufferAfter: int(r.BufferAfter), BuffersInsideHours: r.BuffersInsideHours,
		NoticeKind: string(r.NoticeKind), Notice: int(r.NoticeMinutes), NoticeDays: r.NoticeDays, NoticeBy: r.NoticeBy,
		WindowKind: string(r.WindowKind), WindowDays: r.WindowDays, WindowFrom: r.WindowFrom, WindowTo: r.WindowTo,
		CapPerDay: r.CapPerDay, Places: r.Places, Needs: append([]string{}, r.Needs...), Staffing: r.Staffing, Pick: string(r.Pick), Paused: r.Paused,
		Unreachable: string(r.Unreachable), Staff: append([]store.ID{}, staff...)}
	for _, l := range r.Lengths {
		f.Lengths = append(f.Lengths, int(l))
	}
	return Service{r.ID, pagePath(r.Slug), r.ArchivedAt > 0, f}
}

// rules reads the rules into a record, and checks what is more than a range.
func (f ServiceFields) rules(row *store.Service) error {
	row.Length, row.Step, row.Anchor = span.Minutes(f.Length), span.Minutes(f.Step), f.Anchor
	row.Lengths = []span.Minutes{}
	for i, l := range f.Lengths {
		if l < 5 || l > 1440 || l == f.Length || slices.Contains(f.Lengths[:i], l) {
			return wrong(fmt.Sprintf("lengths[%d]", i), "Further lengths are from 5 to 1440 minutes, each once.")
		}
		row.Lengths = append(row.Lengths, span.Minutes(l))
	}
	row.BufferBefore, row.BufferAfter, row.BuffersInsideHours = span.Minutes(f.BufferBefore), span.Minutes(f.BufferAfter), f.BuffersInsideHours
	row.NoticeKind, row.NoticeMinutes = store.NoticeKind(f.NoticeKind), span.Minutes(f.Notice)
	row.NoticeDays, row.NoticeBy = f.NoticeDays, f.NoticeBy
	if _, err := hours.ParseWall(f.NoticeBy); err != nil && row.NoticeKind == store.NoticeByDay {
		return wrong("noticeBy", "This is not a time of day, as in 18:00.")
	}
	row.WindowKind, row.WindowDays, row.WindowFrom, row.WindowTo = store.WindowKind(f.WindowKind), f.WindowDays, f.WindowFrom, f.WindowTo
	if row.WindowKind == store.WindowByDates {
		for field, text := range map[string]string{"windowFrom": f.WindowFrom, "windowTo": f.WindowTo} {
			if _, err := hours.ParseDate(text); err != nil && text != "" {
				return wrong(field, "This is not a date, as in 2026-03-02.")
			}
		}
		if f.WindowTo != "" && f.WindowTo < f.WindowFrom {
			return wrong("windowTo", "The booking window ends before it starts.")
		}
	}
	row.CapPerDay, row.Places, row.Staffing, row.Pick, row.Paused = f.CapPerDay, f.Places, f.Staffing, store.Pick(f.Pick), f.Paused
	row.Needs = []string{}
	for i, kind := range f.Needs {
		if kind == "" || slices.Contains(f.Needs[:i], kind) {
			return wrong(fmt.Sprintf("needs[%d]", i), "Kinds of rooms and equipment are named once each.")
		}
		row.Needs = append(row.Needs, kind)
	}
	row.Unreachable = store.Unreachable(f.Unreachable)
	return nil
}

func (s *server) staffOf(ctx context.Context, rows []store.Service) (map[store.ID][]store.ID, error) {
	ids := make([]store.ID, len(rows))
	for i, r := range rows {
		ids[i] = r.ID
	}
	var pairs []store.ServiceStaff
	err := s.DB.Read(ctx).Where("service_id IN ?", ids).Order("position").Find(&pairs).Error
	out := map[store.ID][]store.ID{}
	for _, p := range pairs {
		out[p.ServiceID] = append(out[p.ServiceID], p.StaffID)
	}
	return out, err
}

func (s *server) listServices(ctx context.Context, in *listing) (*body[list[Service]], error) {
	var rows []store.Service
	err := s.DB.Read(ctx).Where(in.where()).Order("name, id").Offset((in.Page - 1) * pageSize).Limit(pageSize + 1).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	staff, err := s.staffOf(ctx, rows)
	return answer(paged(rows, in.Page, func(r store.Service) Service { return renderService(r, staff[r.ID]) }), err)
}

func (s *server) service(ctx context.Context, id store.ID) (Service, error) {
	var row store.Service
	if err := s.DB.Read(ctx).Take(&row, id).Error; err != nil {
		return Service{}, found(err, "service")
	}
	staff, err := s.staffOf(ctx, []store.Service{row})
	return renderService(row, staff[id]), err
}

func (s *server) getService(ctx context.Context, in *IDPath) (*body[Service], error) {
	return answer(s.service(ctx, in.ID))
}

func (s *server) addService(ctx context.Context, in *struct{ Body ServiceFields }) (*body[Service], error) {
	return s.saveService(ctx, 0, Accepting{}, in.Body)
}

func (s *server) changeService(ctx context.Context, in *struct {
	IDPath
	Accepting
	Body ServiceFields
}) (*body[Service], error) {
	return s.saveService(ctx, in.ID, in.Accepting, in.Body)
}

var slugShape = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// slugOf makes the last part of an address from a name.
func slugOf(name string) string {
	parts := strings.FieldsFunc(strings.ToLower(name), func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
	return strings.Join(parts, "-")
}

func (s *server) saveService(ctx context.Context, id store.ID, accepting Accepting, f ServiceFields) (*body[Service], error) {
	if f.Slug == "" {
		f.Slug = slugOf(f.Name)
	}
	if !slugShape.MatchString(f.Slug) {
		return nil, wrong("slug", "An address is made of small letters, digits and single hyphens.")
	}
	row := store.Service{CreatedAt: span.At(s.Now())}
	err := s.change(ctx, accepting, func(tx *gorm.DB) error {
		if id != 0 {
			if err := tx.Take(&row, id).Error; err != nil {
				return found(err, "service")
			}
		}
		if err := toldApart(tx, &store.Service{}, id, row.Name, f.Name); err != nil {
			return err
		}
		var same store.Service
		err := tx.Where("slug = ? AND id <> ?", f.Slug, id).Take(&same).Error
		if err == nil {
			return wrong("slug", fmt.Sprintf("The page of “%s” has this address already.", same.Name))
		}
		if !errors.Is(err, store.ErrNotFound) {
			return err
		}
		row.Name, row.Slug, row.Place, row.Hue = f.Name, f.Slug, f.Place, f.Hue
		if err := f.rules(&row); err != nil {
			return err
		}
		if err := tx.Save(&row).Error; err != nil {
			return err
		}
		if err := tx.Where("service_id = ?", row.ID).Delete(&store.ServiceStaff{}).Error; err != nil {
			return err
		}
		for i, member := range f.Staff {
			if slices.Contains(f.Staff[:i], member) {
				return wrong(fmt.Sprintf("staff[%d]", i), "This staff member is named twice.")
			}
			if err := tx.Take(&store.Staff{}, member).Error; errors.Is(err, store.ErrNotFound) {
				return wrong(fmt.Sprintf("staff[%d]", i), "There is no such staff member.")
			} else if err != nil {
				return err
			}
			if err := tx.Create(&store.ServiceStaff{ServiceID: row.ID, StaffID: member, Position: i}).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return answer(s.service(ctx, row.ID))
}
