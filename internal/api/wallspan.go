package api

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// WallWeek is the team's week, or one person's: a lane for each day.
type WallWeek struct {
	Title  string      `json:"title"`
	Zone   string      `json:"zone"`
	Now    string      `json:"now" format:"date-time"`
	Today  string      `json:"today" format:"date"`
	Notice string      `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Last   string      `json:"last" format:"date-time" doc:"The end of the service's booking window."`
	Days   []WeekDay   `json:"days"`
	People []WeekLanes `json:"people"`
	Next   int         `json:"next" doc:"The page with further people, or 0 at the end."`
	Hours  []string    `json:"hours" doc:"Labels of full hours on the axis, the first at its beginning."`
}

// WeekDay is a day of the week.
type WeekDay struct {
	Date  string `json:"date" format:"date"`
	Words string `json:"words" doc:"As Mon 23 Nov."`
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
	Next   int          `json:"next" doc:"The page with further people, or 0 at the end."`
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

func (s *server) getWallWeek(ctx context.Context, in *struct {
	WallQuery
	Staff   store.ID `query:"staff" minimum:"0" doc:"One person, or 0 for the whole team."`
	Service store.ID `query:"service" minimum:"0" doc:"The service for the sill, or 0 for none."`
}) (*body[WallWeek], error) {
	db := s.DB.Read(ctx)
	now := span.At(s.Now())
	v, date, err := in.read(db, now)
	if err != nil {
		return nil, err
	}
	v.first, v.days = date.Monday(), 7
	lanes, next, err := v.lanes(db, in.Staff)
	if err != nil {
		return nil, err
	}
	w := WallWeek{Title: weekTitle(v.first), Zone: v.text.zone.String(), Now: now.String(), Today: v.text.zone.DateAt(now).String(), Notice: now.String(), Last: v.window().End().String(),
		Days: []WeekDay{}, People: []WeekLanes{}, Hours: []string{}}
	var starts map[store.ID][]offer.Start
	if in.Service != 0 {
		var service store.Service
		if err := db.Take(&service, in.Service).Error; err != nil {
			return nil, found(err, "service")
		}
		if starts, err = v.sill(db, service, v.first, v.first+v.days-1, now); err != nil {
			return nil, err
		}
		if w.Notice, w.Last, err = v.bounds(service, now); err != nil {
			return nil, err
		}
	}
	shown := reach(lanes, v.first, v.days)
	for d := v.first; d < v.first+v.days; d++ {
		w.Days = append(w.Days, WeekDay{d.String(), d.Time().Format("Mon 2 Jan")})
	}
	for m := shown.first; m <= shown.last; m += 60 {
		w.Hours = append(w.Hours, v.text.hour(v.offsets().Starting(v.first, m)))
	}
	for _, l := range lanes {
		p := WeekLanes{Staff: NamedID{l.staff.ID, l.staff.Name}}
		for d := v.first; d < v.first+v.days; d++ {
			p.Days = append(p.Days, l.on(d, shown, starts))
		}
		w.People = append(w.People, p)
	}
	w.Next = next
	return answer(w, nil)
}

func weekTitle(monday hours.LocalDate) string {
	a, b := monday.Time(), (monday + 6).Time()
	if a.Month() == b.Month() {
		return a.Format("2") + "–" + b.Format("2 January 2006")
	}
	return a.Format("2 January") + " – " + b.Format("2 January 2006")
}

func (s *server) getWallMonth(ctx context.Context, in *struct{ WallQuery }) (*body[WallMonth], error) {
	db := s.DB.Read(ctx)
	now := span.At(s.Now())
	v, date, err := in.read(db, now)
	if err != nil {
		return nil, err
	}
	year, month, _ := date.Time().Date()
	v.first = hours.DateOf(year, month, 1)
	v.days = hours.DateOf(year, month+1, 1) - v.first
	lanes, next, err := v.lanes(db, 0)
	if err != nil {
		return nil, err
	}
	m := WallMonth{Title: date.Time().Format("January 2006"), Today: v.text.zone.DateAt(now).String(), Days: v.ribbon(lanes), People: []MonthShare{}, Next: next}
	for _, l := range lanes {
		m.People = append(m.People, MonthShare{NamedID{l.staff.ID, l.staff.Name}, v.ribbon([]lane{l})})
	}
	return answer(m, nil)
}
