package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/store"
)

// Link is a staff member's connection to one outside account.
type Link struct {
	ID        store.ID   `json:"id"`
	Host      string     `json:"host"`
	Username  string     `json:"username"`
	CreatedAt string     `json:"createdAt" format:"date-time"`
	Calendars []Calendar `json:"calendars"`
}

// Calendar is one calendar inside a link.
type Calendar struct {
	ID           store.ID `json:"id"`
	Name         string   `json:"name"`
	Colour       string   `json:"colour" doc:"As the host states it, #rrggbb, or empty."`
	CanWrite     bool     `json:"canWrite"`
	Blocks       bool     `json:"blocks"`
	GetsBookings bool     `json:"getsBookings"`
	State        string   `json:"state" enum:"waiting,fresh,unreachable,refused,gone"`
	Error        string   `json:"error" doc:"In plain words, or empty."`
	ReadAgo      int      `json:"readAgo" doc:"Seconds since it was last read, or -1."`
	Ahead        int      `json:"ahead" doc:"Busy spans that lie ahead."`
	Skipped      int      `json:"skipped" doc:"Events that could not be read."`
}

// NewLink is a CalDAV account to be linked.
type NewLink struct {
	Address  string `json:"address" minLength:"1" maxLength:"1000" doc:"The host or CalDAV address."`
	Username string `json:"username" minLength:"1" maxLength:"254"`
	Password string `json:"password" minLength:"1" maxLength:"500" doc:"The app password."`
}

// Choice is what a calendar is for.
type Choice struct {
	Blocks       bool `json:"blocks"`
	GetsBookings bool `json:"getsBookings"`
}

func (s *server) registerLinks(a huma.API) {
	huma.Register(a, get("/api/staff/{id}/links", "listLinks", "A staff member's links"), s.listLinks)
	huma.Register(a, post("/api/staff/{id}/links", "addLink", "Link a calendar account", http.StatusCreated), s.addLink)
	huma.Register(a, put("/api/calendars/{id}", "chooseCalendar", "Choose what a calendar is for"), s.chooseCalendar)
}

func (s *server) listLinks(ctx context.Context, in *IDPath) (*body[list[Link]], error) {
	if _, err := s.member(ctx, in.ID); err != nil {
		return nil, err
	}
	links, err := s.linksOf(ctx, in.ID)
	return answer(list[Link]{Items: links}, err)
}

// linksOf returns the links of a staff member; nobody has so many that the list
// must be cut.
func (s *server) linksOf(ctx context.Context, staff store.ID) ([]Link, error) {
	db := s.DB.Read(ctx)
	var rows []store.Link
	if err := db.Where("staff_id = ?", staff).Order("id").Limit(pageSize).Find(&rows).Error; err != nil {
		return nil, err
	}
	now := span.At(s.Now())
	out := make([]Link, len(rows))
	at := make(map[store.ID]*Link, len(rows))
	ids := make([]store.ID, len(rows))
	for i, r := range rows {
		out[i] = Link{ID: r.ID, Host: link.HostOf(r), Username: r.Username, CreatedAt: r.CreatedAt.String(), Calendars: []Calendar{}}
		ids[i], at[r.ID] = r.ID, &out[i]
	}
	var calendars []struct {
		store.Calendar
		Ahead int
	}
	err := db.Raw(`SELECT c.*, (SELECT COUNT(*) FROM busy_spans s WHERE s.calendar_id = c.id AND s."end" > ?) AS ahead
		FROM calendars c WHERE c.link_id IN ? ORDER BY c.can_write DESC, c.name, c.id`, now, ids).Scan(&calendars).Error
	for _, c := range calendars {
		v := renderCalendar(c.Calendar, now)
		v.Ahead = c.Ahead
		at[c.LinkID].Calendars = append(at[c.LinkID].Calendars, v)
	}
	return out, err
}

func renderCalendar(c store.Calendar, now span.Instant) Calendar {
	ago := -1
	if c.ReadAt != 0 {
		ago = int(max(0, now-c.ReadAt))
	}
	return Calendar{ID: c.ID, Name: c.Name, Colour: c.Colour, CanWrite: c.CanWrite, Blocks: c.Blocks, GetsBookings: c.GetsBookings,
		State: string(c.State), Error: c.Error, ReadAgo: ago, Skipped: c.Skipped}
}

func (s *server) addLink(ctx context.Context, in *struct {
	IDPath
	Body NewLink
}) (*body[Link], error) {
	if _, err := s.member(ctx, in.ID); err != nil {
		return nil, err
	}
	row, err := s.Links.Add(ctx, in.ID, in.Body.Address, in.Body.Username, in.Body.Password)
	if err != nil {
		f := link.Words(err)
		s.Log.Info("linking an account", "staff", in.ID, "error", err)
		if f.Field == "" {
			return nil, newProblem(http.StatusBadGateway, f.Text)
		}
		return nil, wrong(f.Field, f.Text)
	}
	s.Engine.Wake()
	s.Hub.Tell(live.Calendars)
	links, err := s.linksOf(ctx, in.ID)
	if err != nil {
		return nil, err
	}
	for _, l := range links {
		if l.ID == row.ID {
			return answer(l, nil)
		}
	}
	return nil, errors.New("the new link is not there")
}

func (s *server) chooseCalendar(ctx context.Context, in *struct {
	IDPath
	Body Choice
}) (*body[Calendar], error) {
	c, err := s.Links.Choose(ctx, in.ID, in.Body.Blocks, in.Body.GetsBookings)
	if errors.Is(err, link.ErrReadOnly) {
		return nil, wrong("getsBookings", "This calendar can only be read, so it cannot get bookings.")
	}
	if err != nil {
		return nil, found(err, "calendar")
	}
	s.Engine.Wake()
	s.Hub.Tell(live.Calendars)
	return answer(renderCalendar(c, span.At(s.Now())), nil)
}
