package api

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Wall is the team's day. Times are instants; the texts beside them are in the
// business's zone.
type Wall struct {
	Date     string      `json:"date" format:"date"`
	Title    string      `json:"title"`
	Zone     string      `json:"zone"`
	Now      string      `json:"now" format:"date-time"`
	From     string      `json:"from" format:"date-time" doc:"Where the wall begins on the left."`
	To       string      `json:"to" format:"date-time"`
	Marks    []Mark      `json:"marks"`
	Service  store.ID    `json:"service" doc:"The service for the sill, or 0."`
	Services []NamedID   `json:"services"`
	Notice   string      `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Last     string      `json:"last" format:"date" doc:"The last date of the service's booking window, or empty."`
	Lanes    []WallLane  `json:"lanes"`
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

// lane is what is known of one person over the days of the ribbon.
type lane struct {
	staff store.Staff
	open  span.Set
	busy  []schedule.BusyCalendar
	taken []WallVisit
}

func (s *server) getWall(ctx context.Context, in *struct {
	Date    string   `query:"date" doc:"A date in the business's zone; today when empty."`
	Service store.ID `query:"service" doc:"The service for the sill; the first when 0."`
	Page    int      `query:"page" minimum:"1" maximum:"1000" default:"1"`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
}) (*body[Wall], error) {
	db := s.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	now := span.At(s.Now())
	today := zone.DateAt(now)
	date, err := wallDate(in.Date, zone, now)
	if err != nil {
		return nil, err
	}
	var services []store.Service
	if err := db.Where("archived_at = 0").Order("id").Limit(1000).Find(&services).Error; err != nil {
		return nil, err
	}
	w := Wall{Date: date.String(), Title: date.Time().Format("Monday 2 January 2006"), Zone: zone.String(), Now: now.String(),
		Services: []NamedID{}, Lanes: []WallLane{}, Notice: now.String()}
	var shown store.Service
	for _, v := range services {
		w.Services = append(w.Services, NamedID{v.ID, v.Name})
		if v.ID == in.Service || shown.ID == 0 && in.Service == 0 {
			shown = v
		}
	}
	monday := date.Monday()
	offsets := zone.Over(monday, monday+ribbonDays)
	window := span.Between(offsets.Starting(monday, 0), offsets.Ending(monday+ribbonDays, 0))
	text := texts{zone: zone, twelve: in.Clock == "12"}
	staff, err := onWall(db, window, in.Page)
	if err != nil {
		return nil, err
	}
	lanes, err := s.lanes(db, staff, monday, ribbonDays, window, text)
	if err != nil {
		return nil, err
	}
	day := span.Between(offsets.Starting(date, 0), offsets.Ending(date+1, 0))
	w.Days = ribbon(lanes, monday, ribbonDays, offsets)
	starts := map[store.ID][]offer.Start{}
	if shown.ID != 0 {
		w.Service = shown.ID
		if starts, err = s.sill(db, shown, date, now); err != nil {
			return nil, err
		}
		rules, err := schedule.Rules(shown)
		if err != nil {
			return nil, err
		}
		soonest := now.Add(rules.Notice.Minutes)
		if first := rules.Notice.FirstDate(now, zone); !first.IsZero() {
			soonest = zone.Over(first, first).Starting(first, 0)
		}
		w.Notice = soonest.String()
		w.Last = schedule.Last(rules, today).String()
	}
	getting := map[store.ID]bool{}
	if w.Pulse, err = s.pulse(db, now, getting); err != nil {
		return nil, err
	}
	axis := span.Span{}
	for _, l := range lanes {
		v := text.lane(l, day, starts)
		v.Nowhere = !getting[l.staff.ID]
		w.Lanes = append(w.Lanes, v)
		axis = reach(axis, l, day)
	}
	w.axis(axis, day, text)
	w.Rooms, err = rooms(db, w.Lanes)
	return answer(w, err)
}

// onWall returns who stands on the wall in a window: everybody who is not
// archived, and who had a visit then.
func onWall(db *gorm.DB, window span.Span, page int) (staff []store.Staff, err error) {
	err = db.Where(`archived_at = 0 OR EXISTS (SELECT 1 FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id
			JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled' WHERE vs.staff_id = staff.id AND v.start >= ? AND v.start < ?)`, window.Start(), window.End()).
		Order("id").Offset((page - 1) * pageSize).Limit(pageSize).Find(&staff).Error
	return staff, err
}

// lanes reads hours, busy spans and bookings of staff members over some days,
// which the window covers.
func (s *server) lanes(db *gorm.DB, staff []store.Staff, first hours.LocalDate, days int, window span.Span, text texts) ([]lane, error) {
	end := first + hours.LocalDate(days)
	ids := make([]store.ID, len(staff))
	for i, m := range staff {
		ids[i] = m.ID
	}
	busy, err := schedule.Busy(db, ids, window)
	if err != nil {
		return nil, err
	}
	visits, err := wallVisits(db, ids, window, text)
	if err != nil {
		return nil, err
	}
	schedules, err := schedule.Schedules(db, staff, first-3, end+3)
	if err != nil {
		return nil, err
	}
	closures, err := schedule.Closures(db, first-3, end+3)
	if err != nil {
		return nil, err
	}
	out := make([]lane, len(staff))
	for i, m := range staff {
		sched := schedules[m.ID]
		open := sched.Open(first-2, end+1, closures, sched.Zone.Over(first-2, end+2)).Clip(window)
		out[i] = lane{m, open, busy[m.ID], visits[m.ID]}
	}
	return out, nil
}

// wallVisits reads the bookings that hold time in the window.
func wallVisits(db *gorm.DB, staff []store.ID, window span.Span, text texts) (map[store.ID][]WallVisit, error) {
	var rows []struct {
		StaffID store.ID
		store.Visit
		BookingID  store.ID
		Reference  string
		Status     string
		ClientName string
		ClientMail string
		Booked     int
		Picked     string
		Service    string
		Places     int
		Hue        int
		With       string
		Copy       string
		CopyError  string
	}
	err := db.Raw(`SELECT vs.staff_id, v.*, b.id AS booking_id, b.reference, b.status, b.client_name, b.client_mail, b.places AS booked, b.picked,
			s.name AS service, s.places, s.hue,
			COALESCE((SELECT GROUP_CONCAT(name, '|') FROM (SELECT st.name FROM visit_staff o JOIN staff st ON st.id = o.staff_id
				WHERE o.visit_id = v.id AND o.staff_id <> vs.staff_id UNION ALL SELECT r.name FROM visit_resources o JOIN resources r ON r.id = o.resource_id WHERE o.visit_id = v.id)), '') AS "with",
			COALESCE((SELECT c.state FROM copies c JOIN calendars k ON k.id = c.calendar_id JOIN links l ON l.id = k.link_id WHERE c.visit_id = v.id AND c.wanted = 1 AND l.staff_id = vs.staff_id
				ORDER BY c.state = 'read back', c.state = 'written', c.state = 'waiting' LIMIT 1), 'none') AS copy,
			COALESCE((SELECT error FROM copies c WHERE c.visit_id = v.id AND c.wanted = 1 AND error <> '' LIMIT 1), '') AS copy_error
		FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id JOIN services s ON s.id = v.service_id
		JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE v.start >= ? AND v.start < ? AND vs.staff_id IN ? ORDER BY v.start, v.id, b.id`, window.Start().Add(-1440), window.End(), staff).Scan(&rows).Error
	out := map[store.ID][]WallVisit{}
	for _, r := range rows {
		list := out[r.StaffID]
		if n := len(list) - 1; n < 0 || list[n].ID != r.ID {
			v := WallVisit{Stretch: text.stretch(r.During()), ID: r.ID, Occupied: text.stretch(r.Occupied()), Service: r.Service, Hue: r.Hue, Client: r.ClientName,
				Clients: []WallClient{}, With: []string{}, Picked: r.Picked, Status: r.Status, Copy: r.Copy, CopyNote: r.CopyError}
			if r.With != "" {
				v.With = strings.Split(r.With, "|")
			}
			list = append(list, v)
		}
		v := &list[len(list)-1]
		v.Clients = append(v.Clients, WallClient{r.BookingID, r.ClientName, r.ClientMail, r.Reference, r.Booked, r.Status})
		if r.Places > 1 {
			taken := 0
			for _, c := range v.Clients {
				taken += c.Places
			}
			v.Client = fmt.Sprintf("%d of %d places", taken, r.Places)
		}
		if r.Status != string(store.Confirmed) {
			v.Status = r.Status
		}
		out[r.StaffID] = list
	}
	if err != nil {
		return nil, err
	}
	return out, markClashes(db, out, window, text)
}

// markClashes notes on visits what busy time came on top of them.
func markClashes(db *gorm.DB, visits map[store.ID][]WallVisit, window span.Span, text texts) error {
	var rows []struct {
		StaffID, VisitID store.ID
		Name             string
		Start, End       span.Instant
	}
	err := db.Raw(`SELECT l.staff_id, x.visit_id, c.name, x.start, x."end" FROM clashes x JOIN calendars c ON c.id = x.calendar_id
		JOIN links l ON l.id = c.link_id JOIN visits v ON v.id = x.visit_id
		WHERE x.closed_at = 0 AND v.start >= ? AND v.start < ? ORDER BY x.start DESC`, window.Start().Add(-1440), window.End()).Scan(&rows).Error
	for _, r := range rows {
		for i, v := range visits[r.StaffID] {
			if v.ID == r.VisitID {
				visits[r.StaffID][i].Clash = fmt.Sprintf("Busy %s in “%s” came on top of it.", text.stretch(span.Between(r.Start, r.End)).Label, r.Name)
			}
		}
	}
	return err
}

// sill returns the starts of a service on a date, by staff member.
func (s *server) sill(db *gorm.DB, service store.Service, date hours.LocalDate, now span.Instant) (map[store.ID][]offer.Start, error) {
	performers, err := schedule.Performers(db, service.ID)
	if err != nil || service.Paused {
		return nil, err
	}
	q, err := schedule.Question(db, schedule.Asked{Now: now, Service: service, From: date, To: date, Staff: performers})
	if err != nil {
		return nil, err
	}
	out := map[store.ID][]offer.Start{}
	for i, l := range q.Answer().Lanes {
		out[performers[i].ID] = append([]offer.Start{}, l.Starts...)
	}
	return out, nil
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

// taken returns the minutes of open time that spans take.
func takenOf(open span.Set, spans []span.Span) int {
	return int(open.Minutes() - open.Subtract(span.Of(spans)).Minutes())
}

func ribbon(lanes []lane, first hours.LocalDate, days int, o hours.Offsets) []RibbonDay {
	out := make([]RibbonDay, 0, days)
	for d := first; d < first+hours.LocalDate(days); d++ {
		day := span.Between(o.Starting(d, 0), o.Ending(d+1, 0))
		r := RibbonDay{Date: d.String(), Weekday: d.Weekday().String()[:3], Day: d.Time().Day()}
		for _, l := range lanes {
			open := l.open.Clip(day)
			r.Open += int(open.Minutes())
			r.Booked += takenOf(open, l.occupied())
			r.Busy += takenOf(open, l.busySpans())
		}
		out = append(out, r)
	}
	return out
}

func (l lane) busySpans() []span.Span {
	var out []span.Span
	for _, c := range l.busy {
		out = append(out, c.Spans...)
	}
	return out
}

func (l lane) occupied() []span.Span {
	out := make([]span.Span, 0, len(l.taken))
	for _, v := range l.taken {
		out = append(out, v.Occupied.span())
	}
	return out
}

// span reads a stretch that this package has written.
func (s Stretch) span() span.Span {
	start, _ := span.Parse(s.Start)
	end, _ := span.Parse(s.End)
	return span.Between(start, end)
}

// reach widens the axis so that it shows what a lane holds on the day.
func reach(axis span.Span, l lane, day span.Span) span.Span {
	all := append(l.occupied(), l.open.Spans()...)
	for _, p := range all {
		if p = p.Clip(day); p.IsEmpty() {
			continue
		}
		if axis.IsEmpty() {
			axis = p
		}
		axis = span.Between(min(axis.Start(), p.Start()), max(axis.End(), p.End()))
	}
	return axis
}

// axis sets the wall's ends, an hour around what it shows, and its marks.
func (w *Wall) axis(shown, day span.Span, text texts) {
	if shown.IsEmpty() {
		shown = span.Between(day.Start().Add(8*60), day.Start().Add(18*60))
	}
	const hour = 3600
	from := max(day.Start(), (shown.Start()-hour/2)/hour*hour)
	to := min(day.End(), (shown.End()+hour+hour/2-1)/hour*hour)
	w.From, w.To = from.String(), to.String()
	w.Marks = []Mark{}
	for t := (from + hour - 1) / hour * hour; t < to; t += hour {
		w.Marks = append(w.Marks, Mark{t.String(), text.hour(t)})
	}
}

func (x texts) lane(l lane, day span.Span, starts map[store.ID][]offer.Start) WallLane {
	open := l.open.Clip(day)
	v := WallLane{Staff: NamedID{l.staff.ID, l.staff.Name}, Open: []Stretch{}, Busy: []WallBusy{}, Visits: []WallVisit{}, Starts: []WallStart{}}
	for _, p := range open.Spans() {
		v.Open = append(v.Open, x.stretch(p))
	}
	for _, c := range l.busy {
		for _, event := range c.Spans {
			if event.Overlaps(day) {
				v.Busy = append(v.Busy, WallBusy{x.stretch(event), c.Name})
			}
		}
	}
	for _, t := range l.taken {
		if t.Occupied.span().Overlaps(day) {
			v.Visits = append(v.Visits, t)
			if t.Clash != "" {
				v.Clashes++
			}
		}
	}
	list, performs := starts[l.staff.ID]
	v.OnSill = performs
	for _, t := range list {
		reasons := []string{}
		for _, c := range t.Refused.Codes() {
			reasons = append(reasons, string(c))
		}
		v.Starts = append(v.Starts, WallStart{t.At.String(), x.clock(t.At), t.Refused == 0, reasons})
	}
	v.Note, v.Away = x.note(l, v, open), x.away(l.staff, day)
	return v
}

// note says what a day holds: "2 booked · 3 h 10 open".
func (x texts) note(l lane, v WallLane, open span.Set) string {
	var parts []string
	if len(v.Visits) > 0 {
		parts = append(parts, strconv.Itoa(len(v.Visits))+" booked")
	}
	switch free := open.Subtract(span.Of(append(l.busySpans(), l.occupied()...))).Minutes(); {
	case open.IsEmpty():
		parts = append(parts, "no hours")
	case free == 0:
		parts = append(parts, "nothing open")
	default:
		parts = append(parts, offer.Duration(free)+" open")
	}
	return strings.Join(parts, " · ")
}

// away says how far a person's clock is from the one of the wall: St Johns −3 h 30.
func (x texts) away(staff store.Staff, day span.Span) string {
	zone, err := hours.LoadZone(staff.Zone)
	if err != nil {
		return ""
	}
	_, here := x.local(day.Start()).Zone()
	_, there := day.Start().Time().In(zone.Location()).Zone()
	if here == there {
		return ""
	}
	return city(zone) + " " + shift(there-here)
}
