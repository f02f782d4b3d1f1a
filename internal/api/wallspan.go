package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

// WallWeek is the team's week, or one person's: a lane for each day.
type WallWeek struct {
	Title  string      `json:"title"`
	Zone   string      `json:"zone"`
	Now    string      `json:"now" format:"date-time"`
	Today  string      `json:"today" format:"date"`
	Notice string      `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Days   []WeekDay   `json:"days"`
	People []WeekLanes `json:"people"`
	Hours  []string    `json:"hours" doc:"Labels of full hours on the axis, the first at its beginning."`
}

// WeekDay is a day of the week, with the ends of its axis.
type WeekDay struct {
	Date  string `json:"date" format:"date"`
	Words string `json:"words" doc:"As Mon 23 Nov."`
	From  string `json:"from" format:"date-time"`
	To    string `json:"to" format:"date-time"`
}

// WeekLanes are one person's lanes, one for each day.
type WeekLanes struct {
	Staff NamedID    `json:"staff"`
	Days  []WallLane `json:"days"`
}

// WallMonth is a month of the team: people by days.
type WallMonth struct {
	Title  string       `json:"title"`
	Today  string       `json:"today" format:"date"`
	Days   []RibbonDay  `json:"days" doc:"Of the whole team."`
	People []MonthShare `json:"people"`
}

// MonthShare is how full one person's days are.
type MonthShare struct {
	Staff NamedID     `json:"staff"`
	Days  []RibbonDay `json:"days"`
}

func (s *server) registerWallSpans(a huma.API) {
	huma.Register(a, get("/api/wall/week", "getWallWeek", "The team's week"), s.getWallWeek)
	huma.Register(a, get("/api/wall/month", "getWallMonth", "The team's month"), s.getWallMonth)
}

// wallDate reads a date of the wall; today when it is empty.
func wallDate(text string, zone hours.Zone, now span.Instant) (hours.LocalDate, error) {
	if text == "" {
		return zone.DateAt(now), nil
	}
	d, err := hours.ParseDate(text)
	if err != nil {
		return 0, wrong("query.date", "This is not a date, as in 2026-03-02.")
	}
	return d, nil
}

func (s *server) getWallWeek(ctx context.Context, in *struct {
	Date    string   `query:"date" doc:"A date of the week, in the business's zone; today when empty."`
	Staff   store.ID `query:"staff" minimum:"0" doc:"One person, or 0 for the whole team."`
	Service store.ID `query:"service" minimum:"0" doc:"The service for the sill, or 0 for none."`
	Page    int      `query:"page" minimum:"1" maximum:"1000" default:"1"`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
}) (*body[WallWeek], error) {
	db := s.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	now := span.At(s.Now())
	date, err := wallDate(in.Date, zone, now)
	if err != nil {
		return nil, err
	}
	monday := date.Monday()
	text := texts{zone: zone, twelve: in.Clock == "12"}
	offsets := zone.Over(monday, monday+7)
	window := span.Between(offsets.Starting(monday, 0), offsets.Ending(monday+7, 0))
	var staff []store.Staff
	if in.Staff != 0 {
		err = db.Where("id = ?", in.Staff).Find(&staff).Error
	} else {
		staff, err = onWall(db, window, in.Page)
	}
	if err != nil {
		return nil, err
	}
	lanes, err := s.lanes(db, staff, monday, 7, window, text)
	if err != nil {
		return nil, err
	}
	starts, err := s.weekSill(db, in.Service, monday, now, staff)
	if err != nil {
		return nil, err
	}
	w := WallWeek{Title: weekTitle(monday), Zone: zone.String(), Now: now.String(), Today: zone.DateAt(now).String(), Notice: now.String(),
		Days: []WeekDay{}, People: []WeekLanes{}, Hours: []string{}}
	first, last := 24*60, 0
	day := func(d hours.LocalDate) span.Span { return span.Between(offsets.Starting(d, 0), offsets.Ending(d+1, 0)) }
	for _, l := range lanes {
		for d := monday; d < monday+7; d++ {
			if shown := reach(span.Span{}, l, day(d)); !shown.IsEmpty() {
				first = min(first, int(span.Between(day(d).Start(), shown.Start()).Minutes()))
				last = max(last, int(span.Between(day(d).Start(), shown.End()).Minutes()))
			}
		}
	}
	if first > last {
		first, last = 8*60, 18*60
	}
	first, last = max(0, (first-30)/60*60), min(24*60, (last+89)/60*60)
	for d := monday; d < monday+7; d++ {
		w.Days = append(w.Days, WeekDay{d.String(), d.Time().Format("Mon 2 Jan"), offsets.Starting(d, first).String(), offsets.Ending(d, last).String()})
	}
	for m := first; m <= last; m += 60 {
		w.Hours = append(w.Hours, text.hour(offsets.Starting(monday, m)))
	}
	for _, l := range lanes {
		p := WeekLanes{Staff: NamedID{l.staff.ID, l.staff.Name}}
		for d := monday; d < monday+7; d++ {
			p.Days = append(p.Days, text.lane(l, day(d), starts[d]))
		}
		w.People = append(w.People, p)
	}
	return answer(w, nil)
}

// weekSill returns the starts of a service in a week, by date and staff member.
func (s *server) weekSill(db *gorm.DB, service store.ID, monday hours.LocalDate, now span.Instant, staff []store.Staff) (map[hours.LocalDate]map[store.ID][]offer.Start, error) {
	out := map[hours.LocalDate]map[store.ID][]offer.Start{}
	if service == 0 {
		return out, nil
	}
	var row store.Service
	if err := db.Take(&row, service).Error; err != nil {
		return nil, found(err, "service")
	}
	for d := monday; d < monday+7; d++ {
		starts, err := s.sill(db, row, d, now)
		if err != nil {
			return nil, err
		}
		out[d] = starts
	}
	return out, nil
}

func weekTitle(monday hours.LocalDate) string {
	a, b := monday.Time(), (monday + 6).Time()
	if a.Month() == b.Month() {
		return a.Format("2") + "–" + b.Format("2 January 2006")
	}
	return a.Format("2 January") + " – " + b.Format("2 January 2006")
}

func (s *server) getWallMonth(ctx context.Context, in *struct {
	Date string `query:"date" doc:"A date of the month, in the business's zone; today when empty."`
	Page int    `query:"page" minimum:"1" maximum:"1000" default:"1"`
}) (*body[WallMonth], error) {
	db := s.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	now := span.At(s.Now())
	date, err := wallDate(in.Date, zone, now)
	if err != nil {
		return nil, err
	}
	year, month, _ := date.Time().Date()
	first, next := hours.DateOf(year, month, 1), hours.DateOf(year, month+1, 1)
	offsets := zone.Over(first, next)
	window := span.Between(offsets.Starting(first, 0), offsets.Ending(next, 0))
	staff, err := onWall(db, window, in.Page)
	if err != nil {
		return nil, err
	}
	lanes, err := s.lanes(db, staff, first, int(next-first), window, texts{zone: zone})
	if err != nil {
		return nil, err
	}
	m := WallMonth{Title: date.Time().Format("January 2006"), Today: zone.DateAt(now).String(), Days: ribbon(lanes, first, int(next-first), offsets), People: []MonthShare{}}
	for _, l := range lanes {
		m.People = append(m.People, MonthShare{NamedID{l.staff.ID, l.staff.Name}, ribbon([]lane{l}, first, int(next-first), offsets)})
	}
	return answer(m, nil)
}
