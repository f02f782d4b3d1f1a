package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
)

// StaffMember is a staff member with what the team list says at a glance.
type StaffMember struct {
	ID        store.ID `json:"id"`
	Name      string   `json:"name"`
	Email     string   `json:"email"`
	Zone      string   `json:"zone"`
	CapPerDay *int     `json:"capPerDay,omitempty" doc:"Visits a day over all services; left out for no cap."`
	Present   string   `json:"present" doc:"The staff member's present local time, hh:mm."`
	Today     string   `json:"today" format:"date" doc:"The staff member's present local date."`
	HasHours  bool     `json:"hasHours" doc:"Whether there is any pattern of hours."`
	Weekly    int      `json:"weekly" doc:"Minutes of work in the present week by the pattern in force."`
	Links     int      `json:"links"`
	Blocking  []string `json:"blocking" doc:"Names of the calendars that block time."`
	Getting   []string `json:"getting" doc:"Names of the calendars that get bookings."`
	Troubled  int      `json:"troubled" doc:"Calendars that cannot be read at present."`
	Services  []string `json:"services" doc:"Names of the services performed."`
	Archived  bool     `json:"archived"`
}

// StaffFields is what can be said of a staff member.
type StaffFields struct {
	Name      string `json:"name" minLength:"1" maxLength:"120"`
	Email     string `json:"email" maxLength:"254" doc:"Mail address, or empty."`
	Zone      string `json:"zone" doc:"IANA time zone."`
	CapPerDay *int   `json:"capPerDay,omitempty" minimum:"0" maximum:"1000" doc:"Visits a day over all services; left out for no cap."`
}

// Hours are the patterns of a staff member.
type Hours struct {
	Patterns []casefile.Pattern `json:"patterns" maxItems:"100"`
}

func (s *server) registerStaff(a huma.API) {
	huma.Register(a, get("/api/staff", "listStaff", "The team"), s.listStaff)
	huma.Register(a, post("/api/staff", "addStaff", "Add a staff member", http.StatusCreated), s.addStaff)
	huma.Register(a, get("/api/staff/{id}", "getStaff", "A staff member"), s.getStaff)
	huma.Register(a, put("/api/staff/{id}", "changeStaff", "Change a staff member"), s.changeStaff)
	huma.Register(a, get("/api/staff/{id}/hours", "getHours", "A staff member's hours"), s.getHours)
	huma.Register(a, put("/api/staff/{id}/hours", "changeHours", "Change a staff member's hours"), s.changeHours)
}

func (s *server) listStaff(ctx context.Context, in *listing) (*body[list[StaffMember]], error) {
	var rows []store.Staff
	err := s.DB.Read(ctx).Where(in.where()).Order("name, id").Offset((in.Page - 1) * pageSize).Limit(pageSize + 1).Find(&rows).Error
	if err != nil {
		return nil, err
	}
	members, err := s.members(ctx, rows)
	if err != nil {
		return nil, err
	}
	return answer(paged(members, in.Page, func(m StaffMember) StaffMember { return m }), nil)
}

// members adds to staff records what is known of their hours, links and services.
func (s *server) members(ctx context.Context, rows []store.Staff) ([]StaffMember, error) {
	db := s.DB.Read(ctx)
	ids := make([]store.ID, len(rows))
	out := make([]StaffMember, len(rows))
	at := map[store.ID]*StaffMember{}
	today := hours.Zone{}.DateAt(span.At(s.Now()))
	schedules, err := schedule.Schedules(db, rows, today-8, today+8)
	if err != nil {
		return nil, err
	}
	closures, err := schedule.Closures(db, today-8, today+8)
	if err != nil {
		return nil, err
	}
	for i, r := range rows {
		sched := schedules[r.ID]
		monday := sched.Zone.DateAt(span.At(s.Now())).Monday()
		week := sched.Open(monday, monday+6, closures, sched.Zone.Over(monday, monday+7))
		ids[i] = r.ID
		out[i] = StaffMember{ID: r.ID, Name: r.Name, Email: r.Email, Zone: r.Zone, CapPerDay: r.CapPerDay, Present: s.Now().In(sched.Zone.Location()).Format("15:04"), Today: sched.Zone.DateAt(span.At(s.Now())).String(),
			HasHours: len(sched.Patterns) > 0, Weekly: int(week.Minutes()), Blocking: []string{}, Getting: []string{}, Services: []string{}, Archived: r.ArchivedAt > 0}
		at[r.ID] = &out[i]
	}
	var calendars []struct {
		StaffID      store.ID
		LinkID       store.ID
		Name         string
		Blocks       bool
		GetsBookings bool
		State        store.CalendarState
	}
	err = db.Raw(`SELECT l.staff_id, l.id AS link_id, c.name, c.blocks, c.gets_bookings, c.state FROM links l
		JOIN calendars c ON c.link_id = l.id WHERE l.staff_id IN ? ORDER BY l.id, c.name`, ids).Scan(&calendars).Error
	if err != nil {
		return nil, err
	}
	seen := map[store.ID]bool{}
	for _, c := range calendars {
		m := at[c.StaffID]
		if !seen[c.LinkID] {
			m.Links++
		}
		seen[c.LinkID] = true
		if c.Blocks {
			m.Blocking = append(m.Blocking, c.Name)
		}
		if c.GetsBookings {
			m.Getting = append(m.Getting, c.Name)
		}
		if (c.Blocks || c.GetsBookings) && c.State != store.Fresh && c.State != store.Waiting {
			m.Troubled++
		}
	}
	var services []struct {
		StaffID store.ID
		Name    string
	}
	err = db.Raw(`SELECT ss.staff_id, s.name FROM service_staff ss JOIN services s ON s.id = ss.service_id
		WHERE ss.staff_id IN ? ORDER BY s.name`, ids).Scan(&services).Error
	for _, v := range services {
		at[v.StaffID].Services = append(at[v.StaffID].Services, v.Name)
	}
	return out, err
}

func (s *server) member(ctx context.Context, id store.ID) (StaffMember, error) {
	var row store.Staff
	if err := s.DB.Read(ctx).Take(&row, id).Error; err != nil {
		return StaffMember{}, found(err, "staff member")
	}
	m, err := s.members(ctx, []store.Staff{row})
	if err != nil {
		return StaffMember{}, err
	}
	return m[0], nil
}

func (s *server) getStaff(ctx context.Context, in *IDPath) (*body[StaffMember], error) {
	return answer(s.member(ctx, in.ID))
}

// check reads the fields into a record.
func (f StaffFields) check(row *store.Staff) error {
	row.Name, row.Zone, row.Email, row.CapPerDay = f.Name, f.Zone, "", f.CapPerDay
	if f.Email != "" {
		email, ok := mailAddress(f.Email)
		if !ok {
			return wrong("email", "This is not a mail address.")
		}
		row.Email = email
	}
	if _, err := hours.LoadZone(f.Zone); err != nil {
		return wrong("zone", "This is not a time zone that is known here, as in Europe/Dublin.")
	}
	return nil
}

func (s *server) addStaff(ctx context.Context, in *struct{ Body StaffFields }) (*body[StaffMember], error) {
	row := store.Staff{CreatedAt: span.At(s.Now())}
	if err := in.Body.check(&row); err != nil {
		return nil, err
	}
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		if err := toldApart(tx, &store.Staff{}, 0, "", row.Name); err != nil {
			return err
		}
		return tx.Create(&row).Error
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	return answer(s.member(ctx, row.ID))
}

func (s *server) changeStaff(ctx context.Context, in *struct {
	IDPath
	Accepting
	Body StaffFields
}) (*body[StaffMember], error) {
	err := s.change(ctx, in.Accepting, func(tx *gorm.DB) error {
		var row store.Staff
		if err := tx.Take(&row, in.ID).Error; err != nil {
			return found(err, "staff member")
		}
		if err := toldApart(tx, &store.Staff{}, in.ID, row.Name, in.Body.Name); err != nil {
			return err
		}
		if err := in.Body.check(&row); err != nil {
			return err
		}
		return tx.Save(&row).Error
	})
	if err != nil {
		return nil, err
	}
	return answer(s.member(ctx, in.ID))
}

func (s *server) getHours(ctx context.Context, in *IDPath) (*body[Hours], error) {
	if _, err := s.member(ctx, in.ID); err != nil {
		return nil, err
	}
	var rows []store.Pattern
	if err := s.DB.Read(ctx).Where("staff_id = ?", in.ID).Order("position").Find(&rows).Error; err != nil {
		return nil, err
	}
	out := Hours{Patterns: []casefile.Pattern{}}
	for _, r := range rows {
		p, err := schedule.PatternShape(r)
		if err != nil {
			return nil, err
		}
		out.Patterns = append(out.Patterns, p)
	}
	return answer(out, nil)
}

func (s *server) changeHours(ctx context.Context, in *struct {
	IDPath
	Accepting
	Body Hours
}) (*body[Hours], error) {
	rows := make([]store.Pattern, len(in.Body.Patterns))
	var faults []hours.Fault
	for i, p := range in.Body.Patterns {
		_, wrongs := p.Hours()
		for _, f := range wrongs {
			faults = append(faults, hours.Fault{Path: fmt.Sprintf("patterns[%d].%s", i, f.Path), What: f.What})
		}
		cycle, err := json.Marshal(p.Cycle)
		if err != nil {
			return nil, err
		}
		rows[i] = store.Pattern{StaffID: in.ID, Position: i, FromDate: p.From, Cycle: string(cycle)}
		if p.Until != nil {
			rows[i].UntilDate = *p.Until
		}
	}
	if len(faults) > 0 {
		return nil, wrongHours("", faults)
	}
	err := s.change(ctx, in.Accepting, func(tx *gorm.DB) error {
		if err := tx.Take(&store.Staff{}, in.ID).Error; err != nil {
			return found(err, "staff member")
		}
		if err := tx.Where("staff_id = ?", in.ID).Delete(&store.Pattern{}).Error; err != nil {
			return err
		}
		for i := range rows {
			if err := tx.Create(&rows[i]).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return answer(in.Body, nil)
}
