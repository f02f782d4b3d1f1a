// Package wall lays out what the wall of the desk shows: people by hours, days or
// weeks, with their open time, what is busy, what is booked, and the starts of a
// service. Times are instants, with texts for people beside them.
package wall

import (
	"cmp"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/reading"
	"niche/internal/store"
	"niche/internal/words"
)

// Wall is the team's day. Times are instants; the words.In beside them are in the
// business's zone.
type Wall struct {
	Date     string          `json:"date" format:"date"`
	Title    string          `json:"title"`
	Zone     string          `json:"zone"`
	Now      span.Instant    `json:"now" format:"date-time"`
	Closed   string          `json:"closed" doc:"What the business is closed for on this date, or empty."`
	From     span.Instant    `json:"from" format:"date-time" doc:"Where the wall begins on the left."`
	To       span.Instant    `json:"to" format:"date-time"`
	Marks    []Mark          `json:"marks"`
	Service  store.ID        `json:"service" doc:"The service for the sill, or 0."`
	Services []store.NamedID `json:"services"`
	Notice   span.Instant    `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Last     span.Instant    `json:"last" format:"date-time" doc:"The end of the service's booking window."`
	Lanes    []WallLane      `json:"lanes"`
	Next     int             `json:"next" doc:"The page with further people, or 0 at the end."`
	Rooms    []WallRoom      `json:"rooms" doc:"Rooms and equipment with the visits that hold them that day."`
	Days     []RibbonDay     `json:"days" doc:"Of the whole team; without minutes where it stands on several pages, of which /api/wall/days tells."`
	Pulse    []Pulse         `json:"pulse"`
}

// Mark is an hour on the axis.
type Mark struct {
	At    span.Instant `json:"at" format:"date-time"`
	Label string       `json:"label"`
}

// WallLane is one person's day.
type WallLane struct {
	Staff   store.NamedID   `json:"staff"`
	Note    string          `json:"note" doc:"What the day holds, in a few words."`
	Away    string          `json:"away" doc:"How far this person's clock is from the business's, or empty."`
	Open    []words.Stretch `json:"open"`
	Busy    []WallBusy      `json:"busy"`
	Visits  []WallVisit     `json:"visits"`
	Starts  []WallStart     `json:"starts" doc:"Of the service for the sill; empty when this person does not perform it."`
	OnSill  bool            `json:"onSill" doc:"Whether this person performs the service for the sill."`
	From    span.Instant    `json:"from" format:"date-time" doc:"Where the lane begins on the left: the wall's own beginning, or the same time of day on this person's clock."`
	To      span.Instant    `json:"to" format:"date-time"`
	Clashes int             `json:"clashes" doc:"How many visits have busy time on top of them."`
	Nowhere bool            `json:"nowhere" doc:"Whether bookings are written to no calendar."`
}

// WallBusy is time that a personal event takes, with what is kept free around it; its
// label is of the event alone. Its title is not known here.
type WallBusy struct {
	words.Stretch
	Calendar string `json:"calendar"`
	Title    string `json:"title" doc:"What the event is called, where its owner has opened the calendar; else empty."`
	Foreign  bool   `json:"foreign" doc:"It is a visit that another desk has made: it blocks, and is no booking here."`
	Note     string `json:"note" doc:"What is kept free around it, or that the calendar has not been read so far, or empty."`
	Unread   bool   `json:"unread" doc:"It is no event: nobody knows what the calendar holds then."`
}

// WallVisit is a booking on the wall.
type WallVisit struct {
	words.Stretch
	ID       store.ID      `json:"id" doc:"Of the visit."`
	Occupied words.Stretch `json:"occupied" doc:"With the buffers."`
	Service  string        `json:"service"`
	Hue      int           `json:"hue"`
	Client   string        `json:"client" doc:"The client, or how many places of a shared visit are taken."`
	Clients  []WallClient  `json:"clients"`
	With     []string      `json:"with" doc:"Rooms, equipment and other people of the visit."`
	Picked   string        `json:"picked" doc:"How its staff were picked."`
	Status   string        `json:"status" enum:"held,pending,confirmed"`
	Copy     string        `json:"copy" enum:"none,waiting,written,read back,doubted,adrift,failed"`
	CopyNote string        `json:"copyNote"`
	Extra    string        `json:"extra" doc:"That another copy lies somewhere, which its owner has made; or empty."`
	Drifts   []Drift       `json:"drifts" doc:"Copies that somebody has made others outside, until it is settled what holds."`
	Clash    string        `json:"clash" doc:"The busy time that came on top of it, in a sentence, or empty."`
}

// Drift is a copy that somebody has made another outside.
type Drift struct {
	Copy     store.ID `json:"copy"`
	Calendar string   `json:"calendar"`
	Kind     string   `json:"kind" doc:"How it differs, in a word or two."`
	Words    string   `json:"words"`
	Lies     string   `json:"lies" doc:"Where it lies, if that is another time: the booking can follow it there."`
}

// WallClient is one booking of a visit.
type WallClient struct {
	ID     store.ID `json:"id" doc:"Of the booking."`
	Name   string   `json:"name"`
	Mail   string   `json:"mail"`
	Ref    string   `json:"reference"`
	Places int      `json:"places"`
	Status string   `json:"status" enum:"held,pending,confirmed"`
	Answer string   `json:"answer" doc:"What the client has answered to the invitation, in a word or two; empty for nothing yet."`
	Comes  bool     `json:"comes" doc:"The client has not said that they do not come."`
}

// WallStart is a start on the sill.
type WallStart struct {
	At      span.Instant `json:"at" format:"date-time"`
	Label   string       `json:"label"`
	Offered bool         `json:"offered"`
	Reasons []string     `json:"reasons"`
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
	Staff    store.NamedID `json:"staff"`
	Calendar string        `json:"calendar"`
	State    string        `json:"state"`
	Ago      int           `json:"ago" doc:"Seconds since it was read, or -1."`
	Error    string        `json:"error"`
}

// ribbonDays is how many days the ribbon over the wall shows.
const ribbonDays = 14

// Day returns the team's day, with the starts of a service on the sill: the first one
// in use when it is 0.
func Day(db store.Tx, a Asked, service store.ID) (Wall, error) {
	v, now, date := a.view(), a.Now, a.Date
	closures, err := db.Closures(store.Dates{From: date.String(), To: date.String()})
	if err != nil {
		return Wall{}, err
	}
	services, err := db.ServicesInUse()
	if err != nil {
		return Wall{}, err
	}
	w := Wall{Date: date.String(), Title: date.Time().Format("Monday 2 January 2006"), Zone: v.text.Zone.String(), Now: now,
		Services: []store.NamedID{}, Lanes: []WallLane{}, Notice: now}
	if len(closures) > 0 {
		w.Closed = cmp.Or(closures[0].Name, "the whole day")
	}
	var shown store.Service
	for _, each := range services {
		w.Services = append(w.Services, store.NamedID{ID: each.ID, Name: each.Name})
		if each.ID == service || shown.ID == 0 && service == 0 {
			shown = each
		}
	}
	v.first, v.days = date.Monday(), ribbonDays
	lanes, next, err := v.lanes(db, 0)
	if err != nil {
		return Wall{}, err
	}
	if w.Days = v.ribbon(lanes); v.page != 1 || next != 0 {
		w.Days = v.ribbon(nil) // of a team on several pages it is asked for by itself
	}
	starts := map[store.ID][]offer.Start{}
	if shown.ID != 0 {
		w.Service = shown.ID
		if starts, err = v.sill(db, shown, date, date, now); err != nil {
			return Wall{}, err
		}
		w.Notice, w.Last = v.bounds(shown, now)
	}
	getting := map[store.ID]bool{}
	if w.Pulse, err = pulse(db, now, getting); err != nil {
		return Wall{}, err
	}
	part := reach(lanes, date, 1)
	w.From, w.To = part.on(v.offsets(), date)
	w.Marks = part.marks(v.offsets(), date, v.text)
	for _, l := range lanes {
		drawn := l.on(date, part, starts)
		drawn.Nowhere = !getting[l.staff.ID]
		w.Lanes = append(w.Lanes, drawn)
	}
	w.Next = next
	w.Rooms, err = v.rooms(db, date)
	return w, err
}

// Ribbon says how full the days around a date are over the whole team.
func Ribbon(db store.Tx, a Asked) ([]RibbonDay, error) {
	v := a.view()
	v.first, v.days = a.Date.Monday(), ribbonDays
	return v.wholeRibbon(db)
}

// pulse returns the freshness of every calendar in use, and notes who has one
// that gets bookings.
func pulse(db store.Tx, now span.Instant, getting map[store.ID]bool) ([]Pulse, error) {
	rows, err := db.CalendarsInUse()
	out := []Pulse{}
	for _, r := range rows {
		getting[r.StaffID] = getting[r.StaffID] || r.GetsBookings
		p := Pulse{Staff: store.NamedID{ID: r.StaffID, Name: r.StaffName}, Calendar: r.Name, State: string(reading.StateOf(r.Calendar, now)), Ago: -1, Error: r.Error}
		if r.ReadAt != 0 {
			p.Ago = int(max(0, now-r.ReadAt))
		}
		out = append(out, p)
	}
	return out, err
}
