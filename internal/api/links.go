package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Link is a staff member's connection to one outside account or feed.
type Link struct {
	ID        store.ID   `json:"id"`
	Kind      string     `json:"kind" enum:"account,feed"`
	Host      string     `json:"host"`
	Username  string     `json:"username" doc:"Empty for a feed."`
	CreatedAt string     `json:"createdAt" format:"date-time"`
	Calendars []Calendar `json:"calendars"`
}

// Calendar is one calendar inside a link.
type Calendar struct {
	Choice
	ID       store.ID `json:"id"`
	Name     string   `json:"name"`
	Colour   string   `json:"colour" doc:"As the host states it, #rrggbb, or empty."`
	CanWrite bool     `json:"canWrite"`
	State    string   `json:"state" enum:"waiting,fresh,late,unreachable,refused,gone"`
	Error    string   `json:"error" doc:"In plain words, or empty."`
	ReadAgo  int      `json:"readAgo" doc:"Seconds since it was last read, or -1."`
	NextIn   int      `json:"nextIn" doc:"Seconds until it is read again."`
	Events   int      `json:"events" doc:"Events that are known of."`
	Ahead    int      `json:"ahead" doc:"Busy spans that lie ahead."`
	Skipped  int      `json:"skipped" doc:"Events that could not be read."`
	Unread   []Unread `json:"unread" doc:"The first of them, by date."`
}

// Unread is an event that could not be read. Its title is not known here.
type Unread struct {
	Date   string `json:"date" doc:"Of its start, or empty where that could not be read either."`
	Reason string `json:"reason"`
}

// NewLink is a CalDAV account or a feed to be linked.
type NewLink struct {
	Kind     string `json:"kind,omitempty" enum:"account,feed" default:"account"`
	Address  string `json:"address" minLength:"1" maxLength:"2000" doc:"The host or CalDAV address, or the iCalendar address of a feed."`
	Username string `json:"username,omitempty" maxLength:"254" doc:"Of an account."`
	Password string `json:"password,omitempty" maxLength:"500" doc:"The app password of an account."`
}

// Choice is what a calendar is for, and how its events count.
type Choice struct {
	Blocks        bool `json:"blocks"`
	GetsBookings  bool `json:"getsBookings"`
	PadBefore     int  `json:"padBefore" required:"false" minimum:"0" maximum:"1440" doc:"Minutes kept free before its events."`
	PadAfter      int  `json:"padAfter" required:"false" minimum:"0" maximum:"1440" doc:"Minutes kept free after its events."`
	TentativeFree bool `json:"tentativeFree" required:"false" doc:"Its tentative events take no time."`
	AllDayFree    bool `json:"allDayFree" required:"false" doc:"Its all-day events take no time."`
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
		out[i] = Link{ID: r.ID, Kind: string(r.Kind), Host: link.HostOf(r), Username: r.Username, CreatedAt: r.CreatedAt.String(), Calendars: []Calendar{}}
		ids[i], at[r.ID] = r.ID, &out[i]
	}
	var calendars []struct {
		store.Calendar
		Events, Ahead int
	}
	err := db.Raw(`SELECT c.*, (SELECT COUNT(*) FROM objects o WHERE o.calendar_id = c.id AND o.href <> ?) AS events,
			(SELECT COUNT(*) FROM busy_spans s WHERE s.calendar_id = c.id AND s."end" > ? AND `+schedule.Counts+`) AS ahead
		FROM calendars c WHERE c.link_id IN ? ORDER BY c.can_write DESC, c.name, c.id`, store.UnreadHref, now, ids).Scan(&calendars).Error
	if err != nil {
		return nil, err
	}
	for _, c := range calendars {
		v := renderCalendar(c.Calendar, now)
		v.Events, v.Ahead = c.Events, c.Ahead
		if c.Skipped > 0 {
			var unread []store.Unread
			if err := db.Where("calendar_id = ?", c.ID).Order("date DESC, reason").Limit(maxUnread).Find(&unread).Error; err != nil {
				return nil, err
			}
			for _, u := range unread {
				v.Unread = append(v.Unread, Unread{u.Date, u.Reason})
			}
		}
		at[c.LinkID].Calendars = append(at[c.LinkID].Calendars, v)
	}
	return out, nil
}

// maxUnread is how many events that could not be read are told of one by one.
const maxUnread = 20

// lateAfter is how old what is known of a calendar may be, in seconds, beyond
// what its host asks for.
const lateAfter = 30 * 60

func renderCalendar(c store.Calendar, now span.Instant) Calendar {
	ago, state := -1, c.State
	if c.ReadAt != 0 {
		ago = int(max(0, now-c.ReadAt))
		if state == store.Fresh && ago > lateAfter+60*int(c.Refresh) {
			state = store.Late
		}
	}
	return Calendar{ID: c.ID, Name: c.Name, Colour: c.Colour, CanWrite: c.CanWrite, State: string(state), Error: c.Error, ReadAgo: ago,
		NextIn: int(max(0, c.NextAt-now)), Skipped: c.Skipped, Unread: []Unread{},
		Choice: Choice{Blocks: c.Blocks, GetsBookings: c.GetsBookings, PadBefore: int(c.PadBefore), PadAfter: int(c.PadAfter),
			TentativeFree: c.TentativeFree, AllDayFree: c.AllDayFree}}
}

func (s *server) addLink(ctx context.Context, in *struct {
	IDPath
	Body NewLink
}) (*body[Link], error) {
	if _, err := s.member(ctx, in.ID); err != nil {
		return nil, err
	}
	row, f, err := s.makeLink(ctx, in.ID, in.Body)
	if err != nil {
		if _, told := errors.AsType[*Problem](err); told {
			return nil, err
		}
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

// makeLink makes the link that was asked for, or says what keeps it from being
// made.
func (s *server) makeLink(ctx context.Context, staff store.ID, l NewLink) (store.Link, link.Fault, error) {
	if l.Kind == string(store.FeedLink) {
		row, err := s.Links.AddFeed(ctx, staff, l.Address)
		return row, link.FeedWords(err), err
	}
	p := newProblem(http.StatusUnprocessableEntity, "Something is missing.")
	if l.Username == "" {
		p.Errors = append(p.Errors, FieldError{"username", "Give the user name of the account."})
	}
	if l.Password == "" {
		p.Errors = append(p.Errors, FieldError{"password", "Give an app password for the account."})
	}
	if len(p.Errors) > 0 {
		return store.Link{}, link.Fault{}, p
	}
	row, err := s.Links.Add(ctx, staff, l.Address, l.Username, l.Password)
	return row, link.Words(err), err
}

func (s *server) chooseCalendar(ctx context.Context, in *struct {
	IDPath
	Body Choice
}) (*body[Calendar], error) {
	c, err := s.Links.Choose(ctx, in.ID, link.Choice{Blocks: in.Body.Blocks, GetsBookings: in.Body.GetsBookings,
		PadBefore: span.Minutes(in.Body.PadBefore), PadAfter: span.Minutes(in.Body.PadAfter), TentativeFree: in.Body.TentativeFree, AllDayFree: in.Body.AllDayFree})
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
