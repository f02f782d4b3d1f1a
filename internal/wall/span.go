package wall

import (
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// WallWeek is the team's week, or one person's: a lane for each day.
type WallWeek struct {
	Title  string       `json:"title"`
	Zone   string       `json:"zone"`
	Now    span.Instant `json:"now" format:"date-time"`
	Today  string       `json:"today" format:"date"`
	Notice span.Instant `json:"notice" format:"date-time" doc:"No start before it keeps the service's notice."`
	Last   span.Instant `json:"last" format:"date-time" doc:"The end of the service's booking window."`
	Days   []WeekDay    `json:"days"`
	People []WeekLanes  `json:"people"`
	Next   int          `json:"next" doc:"The page with further people, or 0 at the end."`
	Hours  []string     `json:"hours" doc:"Labels of full hours on the axis, the first at its beginning."`
}

// WeekDay is a day of the week.
type WeekDay struct {
	Date  string `json:"date" format:"date"`
	Words string `json:"words" doc:"As Mon 23 Nov."`
}

// WeekLanes are one person's lanes, one for each day.
type WeekLanes struct {
	Staff store.NamedID `json:"staff"`
	Days  []WallLane    `json:"days"`
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
	Staff store.NamedID `json:"staff"`
	Days  []RibbonDay   `json:"days"`
}

// Week returns the team's week, or one person's, with the starts of a service on the
// sill; none when it is 0.
func Week(db store.Tx, a Asked, staff, service store.ID) (WallWeek, error) {
	v, now := a.view(), a.Now
	v.first, v.days = a.Date.Monday(), 7
	lanes, next, err := v.lanes(db, staff)
	if err != nil {
		return WallWeek{}, err
	}
	w := WallWeek{Title: weekTitle(v.first), Zone: v.text.Zone.String(), Now: now, Today: v.text.Zone.DateAt(now).String(), Notice: now, Last: v.window().End(),
		Days: []WeekDay{}, People: []WeekLanes{}, Hours: []string{}}
	var starts map[store.ID][]offer.Start
	if service != 0 {
		shown, err := db.Service(service)
		if err != nil {
			return WallWeek{}, err
		}
		if starts, err = v.sill(db, shown, v.first, v.first+v.days-1, now); err != nil {
			return WallWeek{}, err
		}
		w.Notice, w.Last = v.bounds(shown, now)
	}
	shown := reach(lanes, v.first, v.days)
	for d := v.first; d < v.first+v.days; d++ {
		w.Days = append(w.Days, WeekDay{d.String(), d.Time().Format("Mon 2 Jan")})
	}
	for m := shown.first; m <= shown.last; m += 60 {
		w.Hours = append(w.Hours, v.text.Hour(v.offsets().Starting(v.first, m)))
	}
	for _, l := range lanes {
		p := WeekLanes{Staff: store.NamedID{ID: l.staff.ID, Name: l.staff.Name}}
		for d := v.first; d < v.first+v.days; d++ {
			p.Days = append(p.Days, l.on(d, shown, starts))
		}
		w.People = append(w.People, p)
	}
	w.Next = next
	return w, nil
}

func weekTitle(monday hours.LocalDate) string {
	a, b := monday.Time(), (monday + 6).Time()
	if a.Month() == b.Month() {
		return a.Format("2") + "–" + b.Format("2 January 2006")
	}
	return a.Format("2 January") + " – " + b.Format("2 January 2006")
}

// Month returns a month of the team.
func Month(db store.Tx, a Asked) (WallMonth, error) {
	v, date, now := a.view(), a.Date, a.Now
	year, month, _ := date.Time().Date()
	v.first = hours.DateOf(year, month, 1)
	v.days = hours.DateOf(year, month+1, 1) - v.first
	lanes, next, err := v.lanes(db, 0)
	if err != nil {
		return WallMonth{}, err
	}
	m := WallMonth{Title: date.Time().Format("January 2006"), Today: v.text.Zone.DateAt(now).String(), People: []MonthShare{}, Next: next}
	if m.Days, err = v.teamRibbon(db, lanes, next); err != nil {
		return WallMonth{}, err
	}
	for _, l := range lanes {
		m.People = append(m.People, MonthShare{store.NamedID{ID: l.staff.ID, Name: l.staff.Name}, v.ribbon([]lane{l})})
	}
	return m, nil
}
