package api

import (
	"cmp"
	"context"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// Wall is the team's day. Times are instants; the texts beside them are in the
// business's zone.
type Wall struct {
	Date     string      `json:"date" format:"date"`
	Title    string      `json:"title"`
	Zone     string      `json:"zone"`
	Now      string      `json:"now" format:"date-time"`
	Closed   string      `json:"closed" doc:"What the business is closed for on this date, or empty."`
	From     string      `json:"from" format:"date-time" doc:"Where the wall begins on the left."`
	To       string      `json:"to" format:"date-time"`
	Marks    []Mark      `json:"marks"`
	Service  store.ID    `json:"service" doc:"The service for the sill, or 0."`
	Services []NamedID   `json:"services"`
	Notice   string      `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Last     string      `json:"last" format:"date-time" doc:"The end of the service's booking window."`
	Lanes    []WallLane  `json:"lanes"`
	Next     int         `json:"next" doc:"The page with further people, or 0 at the end."`
	Rooms    []WallRoom  `json:"rooms" doc:"Rooms and equipment with the visits that hold them that day."`
	Days     []RibbonDay `json:"days"`
	Pulse    []Pulse     `json:"pulse"`
}

// Mark is an hour on the axis.
type Mark struct {
	At    string `json:"at" format:"date-time"`
	Label string `json:"label"`
}

// NamedID is a record by name.
type NamedID struct {
	ID   store.ID `json:"id"`
	Name string   `json:"name"`
}

// Stretch is a span of time.
type Stretch struct {
	Start string `json:"start" format:"date-time"`
	End   string `json:"end" format:"date-time"`
	Label string `json:"label" doc:"Both times, as 09:00–10:30."`
}

// WallLane is one person's day.
type WallLane struct {
	Staff   NamedID     `json:"staff"`
	Note    string      `json:"note" doc:"What the day holds, in a few words."`
	Away    string      `json:"away" doc:"How far this person's clock is from the business's, or empty."`
	Open    []Stretch   `json:"open"`
	Busy    []WallBusy  `json:"busy"`
	Visits  []WallVisit `json:"visits"`
	Starts  []WallStart `json:"starts" doc:"Of the service for the sill; empty when this person does not perform it."`
	OnSill  bool        `json:"onSill" doc:"Whether this person performs the service for the sill."`
	From    string      `json:"from" format:"date-time" doc:"Where the lane begins on the left: the wall's own beginning, or the same time of day on this person's clock."`
	To      string      `json:"to" format:"date-time"`
	Clashes int         `json:"clashes" doc:"How many visits have busy time on top of them."`
	Nowhere bool        `json:"nowhere" doc:"Whether bookings are written to no calendar."`
}

// WallBusy is time taken by a personal event. Its title is not known here.
type WallBusy struct {
	Stretch
	Calendar string `json:"calendar"`
}

// WallVisit is a booking on the wall.
type WallVisit struct {
	Stretch
	ID       store.ID     `json:"id" doc:"Of the visit."`
	Occupied Stretch      `json:"occupied" doc:"With the buffers."`
	Service  string       `json:"service"`
	Hue      int          `json:"hue"`
	Client   string       `json:"client" doc:"The client, or how many places of a shared visit are taken."`
	Clients  []WallClient `json:"clients"`
	With     []string     `json:"with" doc:"Rooms, equipment and other people of the visit."`
	Picked   string       `json:"picked" doc:"How its staff were picked."`
	Status   string       `json:"status" enum:"held,pending,confirmed"`
	Copy     string       `json:"copy" enum:"none,waiting,written,read back,failed"`
	CopyNote string       `json:"copyNote"`
	Clash    string       `json:"clash" doc:"The busy time that came on top of it, in a sentence, or empty."`
}

// WallClient is one booking of a visit.
type WallClient struct {
	ID     store.ID `json:"id" doc:"Of the booking."`
	Name   string   `json:"name"`
	Mail   string   `json:"mail"`
	Ref    string   `json:"reference"`
	Places int      `json:"places"`
	Status string   `json:"status" enum:"held,pending,confirmed"`
}

// WallStart is a start on the sill.
type WallStart struct {
	At      string   `json:"at" format:"date-time"`
	Label   string   `json:"label"`
	Offered bool     `json:"offered"`
	Reasons []string `json:"reasons"`
}

// RibbonDay says how full a day is over the whole team.
type RibbonDay struct {
	Date    string `json:"date" format:"date"`
	Weekday string `json:"weekday"`
	Day     int    `json:"day"`
	Open    int    `json:"open" doc:"Minutes of hours."`
	Booked  int    `json:"booked" doc:"Minutes of them that bookings take."`
	Busy    int    `json:"busy" doc:"Minutes of them that personal events take."`
}

// Pulse is the freshness of one calendar.
type Pulse struct {
	Staff    NamedID `json:"staff"`
	Calendar string  `json:"calendar"`
	State    string  `json:"state"`
	Ago      int     `json:"ago" doc:"Seconds since it was read, or -1."`
	Error    string  `json:"error"`
}

func (s *server) registerWall(a huma.API) {
	huma.Register(a, get("/api/wall", "getWall", "The team's day"), s.getWall)
}

// ribbonDays is how many days the ribbon over the wall shows.
const ribbonDays = 14

func (s *server) getWall(ctx context.Context, in *struct {
	WallQuery
	Service store.ID `query:"service" doc:"The service for the sill; the first when 0."`
}) (*body[Wall], error) {
	db := s.DB.Read(ctx)
	now := span.At(s.Now())
	v, date, err := in.read(db, now)
	if err != nil {
		return nil, err
	}
	zone, text := v.text.zone, v.text
	var closures []store.Closure
	if err := db.Where("date = ?", date.String()).Find(&closures).Error; err != nil {
		return nil, err
	}
	var services []store.Service
	if err := db.Where("archived_at = 0").Order("id").Limit(1000).Find(&services).Error; err != nil {
		return nil, err
	}
	w := Wall{Date: date.String(), Title: date.Time().Format("Monday 2 January 2006"), Zone: zone.String(), Now: now.String(),
		Services: []NamedID{}, Lanes: []WallLane{}, Notice: now.String()}
	if len(closures) > 0 {
		w.Closed = cmp.Or(closures[0].Name, "the whole day")
	}
	var shown store.Service
	for _, v := range services {
		w.Services = append(w.Services, NamedID{v.ID, v.Name})
		if v.ID == in.Service || shown.ID == 0 && in.Service == 0 {
			shown = v
		}
	}
	v.first, v.days = date.Monday(), ribbonDays
	lanes, next, err := v.lanes(db, 0)
	if err != nil {
		return nil, err
	}
	w.Days = v.ribbon(lanes)
	starts := map[store.ID][]offer.Start{}
	if shown.ID != 0 {
		w.Service = shown.ID
		if starts, err = v.sill(db, shown, date, date, now); err != nil {
			return nil, err
		}
		if w.Notice, w.Last, err = v.bounds(shown, now); err != nil {
			return nil, err
		}
	}
	getting := map[store.ID]bool{}
	if w.Pulse, err = s.pulse(db, now, getting); err != nil {
		return nil, err
	}
	part := reach(lanes, date, 1)
	w.From, w.To = part.on(v.offsets(), date)
	w.Marks = part.marks(v.offsets(), date, text)
	for _, l := range lanes {
		drawn := l.on(date, part, starts)
		drawn.Nowhere = !getting[l.staff.ID]
		w.Lanes = append(w.Lanes, drawn)
	}
	w.Next = next
	w.Rooms, err = rooms(db, w.Lanes, text)
	return answer(w, err)
}

// pulse returns the freshness of every calendar in use, and notes who has one
// that gets bookings.
func (s *server) pulse(db *gorm.DB, now span.Instant, getting map[store.ID]bool) ([]Pulse, error) {
	var rows []struct {
		store.Calendar
		StaffID   store.ID
		StaffName string
	}
	err := db.Raw(`SELECT c.*, st.id AS staff_id, st.name AS staff_name FROM calendars c JOIN links l ON l.id = c.link_id
		JOIN staff st ON st.id = l.staff_id WHERE c.blocks OR c.gets_bookings ORDER BY st.id, c.name LIMIT 1000`).Scan(&rows).Error
	out := []Pulse{}
	for _, r := range rows {
		getting[r.StaffID] = getting[r.StaffID] || r.GetsBookings
		c := renderCalendar(r.Calendar, now)
		out = append(out, Pulse{Staff: NamedID{r.StaffID, r.StaffName}, Calendar: r.Name, State: c.State, Ago: c.ReadAgo, Error: r.Error})
	}
	return out, err
}
