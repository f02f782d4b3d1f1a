package desk

import (
	"cmp"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/fit"
	"niche/internal/live"
	"niche/internal/people"
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
	Linking   Linking  `json:"linking"`
	Blocking  []string `json:"blocking" doc:"Names of the calendars that block time."`
	Getting   []string `json:"getting" doc:"Names of the calendars that get bookings."`
	Troubled  int      `json:"troubled" doc:"Calendars that cannot be read at present."`
	Services  []string `json:"services" doc:"Names of the services performed."`
	Tells     string   `json:"tells" enum:"no,once,morning" doc:"When they hear of their visits by mail."`
	OwnHours  bool     `json:"ownHours" doc:"Whether they may change their own hours and days."`
	Archived  bool     `json:"archived"`
	Version   int64    `json:"version" doc:"Of the details."`
}

// StaffFields is what can be said of a staff member.
type StaffFields struct {
	Name      string `json:"name" minLength:"1" maxLength:"120"`
	Email     string `json:"email" maxLength:"254" doc:"Mail address, or empty."`
	Zone      string `json:"zone" doc:"IANA time zone."`
	CapPerDay *int   `json:"capPerDay,omitempty" minimum:"0" maximum:"1000" doc:"Visits a day over all services; left out for no cap."`
	Tells     string `json:"tells,omitempty" enum:"no,once,morning" doc:"When they hear of their visits by mail: not at all (the default), at once, or in one mail each morning."`
	OwnHours  bool   `json:"ownHours,omitempty" doc:"Whether they may change their own hours and days."`
}

func (s *Desk) registerStaff(a huma.API) {
	huma.Register(a, api.Get("/api/staff", "listStaff", "The team"), s.listStaff)
	huma.Register(a, api.Post("/api/staff", "addStaff", "Add a staff member", http.StatusCreated), s.addStaff)
	huma.Register(a, api.Get("/api/staff/{id}", "getStaff", "A staff member"), s.getStaff)
	huma.Register(a, api.Put("/api/staff/{id}", "changeStaff", "Change a staff member"), s.changeStaff)
	huma.Register(a, api.Get("/api/staff/{id}/hours", "getHours", "A staff member's hours"), s.getHours)
	huma.Register(a, api.Put("/api/staff/{id}/hours", "changeHours", "Change a staff member's hours"), s.changeHours)
	huma.Register(a, api.Get("/api/staff/{id}/days", "getDays", "A staff member's one-off days and absences"), s.getDays)
	huma.Register(a, api.Put("/api/staff/{id}/days", "changeDays", "Change a staff member's one-off days and absences"), s.changeDays)
}

func (s *Desk) listStaff(ctx context.Context, in *api.Listing) (*api.Body[api.List[StaffMember]], error) {
	rows, err := s.DB.Read(ctx).StaffPart(in.Part())
	if err != nil {
		return nil, err
	}
	members, err := s.members(ctx, rows)
	if err != nil {
		return nil, err
	}
	return api.Answer(api.Paged(members, in.Page, func(m StaffMember) StaffMember { return m }), nil)
}

// members adds to staff records what is known of their hours, links and services.
func (s *Desk) members(ctx context.Context, rows []store.Staff) ([]StaffMember, error) {
	db := s.DB.Read(ctx)
	ids := make([]store.ID, len(rows))
	things := make([]store.Thing, len(rows))
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
		ids[i], things[i] = r.ID, store.StaffDetails(r.ID)
		out[i] = StaffMember{ID: r.ID, Name: r.Name, Email: r.Email, Zone: r.Zone, CapPerDay: r.CapPerDay, Present: s.Now().In(sched.Zone.Location()).Format("15:04"), Today: sched.Zone.DateAt(span.At(s.Now())).String(),
			HasHours: len(sched.Patterns) > 0, Weekly: int(week.Minutes()), Blocking: []string{}, Getting: []string{}, Services: []string{}, OwnHours: r.OwnHours, Tells: string(r.TellVisits), Archived: r.ArchivedAt > 0}
		at[r.ID] = &out[i]
	}
	versions, err := db.Versions(things)
	if err != nil {
		return nil, err
	}
	for i := range out {
		out[i].Version = versions[things[i]]
	}
	calendars, err := db.CalendarUses(ids)
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
	linkings, err := db.Linkings(ids)
	if err != nil {
		return nil, err
	}
	home, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	for _, l := range linkings {
		at[l.StaffID].Linking = linkingOf(l, home, span.At(s.Now()))
	}
	services, err := db.ServicesOf(ids)
	for _, v := range services {
		at[v.StaffID].Services = append(at[v.StaffID].Services, v.Name)
	}
	return out, err
}

func (s *Desk) member(ctx context.Context, id store.ID) (StaffMember, error) {
	row, err := s.DB.Read(ctx).Staff(id)
	if err != nil {
		return StaffMember{}, api.Found(err, "staff member")
	}
	m, err := s.members(ctx, []store.Staff{row})
	if err != nil {
		return StaffMember{}, err
	}
	return m[0], nil
}

func (s *Desk) getStaff(ctx context.Context, in *api.IDPath) (*api.Body[StaffMember], error) {
	return api.Answer(s.member(ctx, in.ID))
}

// check reads the fields into a record.
func (f StaffFields) check(row *store.Staff) error {
	row.Name, row.Zone, row.Email, row.CapPerDay, row.OwnHours = f.Name, f.Zone, "", f.CapPerDay, f.OwnHours
	row.TellVisits = store.Telling(cmp.Or(f.Tells, string(store.NotTold)))
	if f.Email != "" {
		email, ok := people.MailAddress(f.Email)
		if !ok {
			return api.Wrong("email", "This is not a mail address.")
		}
		row.Email = email
	}
	if _, err := hours.LoadZone(f.Zone); err != nil {
		return api.Wrong("zone", "This is not a time zone that is known here, as in Europe/Dublin.")
	}
	return nil
}

func (s *Desk) addStaff(ctx context.Context, in *struct{ Body StaffFields }) (*api.Body[StaffMember], error) {
	row := store.Staff{CreatedAt: span.At(s.Now())}
	if err := in.Body.check(&row); err != nil {
		return nil, err
	}
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		if err := toldApart(tx, &store.Staff{}, 0, "", row.Name); err != nil {
			return err
		}
		if err := tx.SaveStaff(&row); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "added", "staff", row.ID, row.Name, nil, in.Body)
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	return api.Answer(s.member(ctx, row.ID))
}

func (s *Desk) changeStaff(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	api.Accepting
	Body StaffFields
}) (*api.Body[StaffMember], error) {
	over, err := in.Expected(store.StaffDetails(in.ID))
	if err != nil {
		return nil, err
	}
	saved, err := s.DB.Read(ctx).Staff(in.ID)
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	var next store.Staff
	if err := in.Body.check(&next); err != nil {
		return nil, err
	}
	_, err = s.rules.Change(ctx, in.Accepting, over, personChange(saved, next), func(tx store.Tx) error {
		row, err := tx.Staff(in.ID)
		if err != nil {
			return api.Found(err, "staff member")
		}
		if err := toldApart(tx, &store.Staff{}, in.ID, row.Name, in.Body.Name); err != nil {
			return err
		}
		before := StaffFields{row.Name, row.Email, row.Zone, row.CapPerDay, string(row.TellVisits), row.OwnHours}
		if err := in.Body.check(&row); err != nil {
			return err
		}
		if row.Zone != saved.Zone || row.Email != saved.Email {
			// Events that are read already may mean another time, or be declined.
			if err := tx.ReadAllSoon(in.ID); err != nil {
				return err
			}
		}
		if err := tx.SaveStaff(&row); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "staff", row.ID, row.Name, before, in.Body)
	})
	current := func() (StaffMember, error) { return s.member(ctx, in.ID) }
	if err != nil {
		return nil, api.Stale(err, current, func(m StaffMember) int64 { return m.Version })
	}
	return api.Answer(current())
}

// personChange says which bookings a change of a person's details touches: none,
// unless the zone of the hours or the cap is another one.
func personChange(saved, next store.Staff) *fit.Change {
	same := func(a, b *int) bool { return a == nil && b == nil || a != nil && b != nil && *a == *b }
	if saved.Zone == next.Zone && same(saved.CapPerDay, next.CapPerDay) {
		return nil
	}
	return &fit.Change{Staff: saved.ID, Person: func(id store.ID, as *offer.Staff) {
		if id != saved.ID {
			return
		}
		as.Schedule.Zone, _ = hours.LoadZone(next.Zone) // it was loaded when it was checked
		as.CapPerDay = schedule.CapOf(next.CapPerDay)
	}}
}

func (s *Desk) getHours(ctx context.Context, in *api.IDPath) (*api.Body[api.HoursNow], error) {
	return api.Answer(s.rules.HoursOf(ctx, in.ID))
}

func (s *Desk) changeHours(ctx context.Context, in *struct {
	api.IDPath
	api.ChangingHours
}) (*api.Body[api.HoursNow], error) {
	return api.Answer(s.rules.ChangeHours(ctx, in.ID, &in.ChangingHours))
}

func (s *Desk) getDays(ctx context.Context, in *api.IDPath) (*api.Body[api.DaysNow], error) {
	return api.Answer(s.rules.DaysOf(ctx, in.ID))
}

func (s *Desk) changeDays(ctx context.Context, in *struct {
	api.IDPath
	api.ChangingDays
}) (*api.Body[api.DaysNow], error) {
	return api.Answer(s.rules.ChangeDays(ctx, in.ID, &in.ChangingDays))
}
