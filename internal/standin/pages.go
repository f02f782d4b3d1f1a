package standin

import (
	"embed"
	"errors"
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"time"
)

//go:embed templates/*.html
var templateFiles embed.FS

var templates = template.Must(template.ParseFS(templateFiles, "templates/*.html"))

// The hours that a week page shows; what lies outside is drawn at its edge.
const (
	firstHour = 6
	lastHour  = 22
	shownMins = (lastHour - firstHour) * 60
)

// weekPage is what the page of one account's week shows.
type weekPage struct {
	Account    Account
	Week       string // its Monday
	Before     string
	After      string
	Title      string
	Hours      []string
	Days       []weekDay
	Edited     *shownEvent
	Fault      string
	Form       eventForm
	WriteInto  []Calendar
	PresentDay string
}

type weekDay struct {
	Title   string
	IsToday bool
	AllDay  []shownEvent
	Timed   []shownEvent
}

// shownEvent is one occurrence of an event.
type shownEvent struct {
	Title, Times, Calendar, Colour string
	Collection, Name               string // of the resource
	Top, Height, Left, Width       float64
	Start, End                     time.Time
	AllDay, ReadOnly, Weekly       bool
}

// eventForm is the form as it was filled in.
type eventForm struct {
	Calendar, Title, Date, From, To string
	AllDay, Weekly                  bool
}

func (c *Cloud) pages(mux *http.ServeMux) {
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
		render(w, http.StatusOK, "accounts.html", struct {
			Traits
			Accounts []Account
			Address  string
			Mood     Mood
			Moods    any
		}{c.traits, c.Accounts, "http://" + r.Host, c.behaves(), Moods})
	})
	mux.HandleFunc("GET /week/{user}", func(w http.ResponseWriter, r *http.Request) {
		c.week(w, r, http.StatusOK, "", eventForm{})
	})
	mux.HandleFunc("POST /week/{user}", c.change)
}

func render(w http.ResponseWriter, status int, name string, data any) {
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(status)
	_ = templates.ExecuteTemplate(w, name, data)
}

// week renders a week of an account, with a form that failed if there is one.
func (c *Cloud) week(w http.ResponseWriter, r *http.Request, status int, fault string, form eventForm) {
	account, ok := c.account(r.PathValue("user"))
	zone, err := time.LoadLocation(account.Zone)
	if !ok || err != nil {
		http.NotFound(w, r)
		return
	}
	today := c.now().In(zone)
	day, err := time.ParseInLocation(time.DateOnly, r.FormValue("week"), zone)
	if err != nil {
		day = today
	}
	monday := time.Date(day.Year(), day.Month(), day.Day()-(int(day.Weekday())+6)%7, 0, 0, 0, 0, zone)
	p := weekPage{Account: account, Week: monday.Format(time.DateOnly), Title: monday.Format("Week of Monday 2 January 2006"),
		Before: monday.AddDate(0, 0, -7).Format(time.DateOnly), After: monday.AddDate(0, 0, 7).Format(time.DateOnly),
		Fault: fault, Form: form, PresentDay: today.Format(time.DateOnly)}
	if p.Form.Date == "" {
		p.Form.Date = max(p.Week, min(p.PresentDay, monday.AddDate(0, 0, 6).Format(time.DateOnly)))
		p.Form.From, p.Form.To = "10:00", "11:00"
	}
	for h := firstHour; h < lastHour; h++ {
		p.Hours = append(p.Hours, fmt.Sprintf("%02d:00", h))
	}
	for _, cal := range account.Calendars {
		if !cal.ReadOnly {
			p.WriteInto = append(p.WriteInto, cal)
		}
	}
	shown := c.shown(account, monday, monday.AddDate(0, 0, 7), zone)
	for i := range 7 {
		date := monday.AddDate(0, 0, i)
		d := weekDay{Title: date.Format("Mon 2 Jan"), IsToday: date.Format(time.DateOnly) == p.PresentDay}
		for _, e := range shown {
			if e.Start.Before(date.AddDate(0, 0, 1)) && e.End.After(date) {
				if e.AllDay {
					d.AllDay = append(d.AllDay, e)
				} else {
					d.Timed = append(d.Timed, e.on(date))
				}
			}
			if want := r.FormValue("event"); want == e.Collection+"/"+e.Name && p.Edited == nil {
				p.Edited = &e
			}
		}
		beside(d.Timed)
		p.Days = append(p.Days, d)
	}
	render(w, status, "week.html", p)
}

// on places an event on a day's column, in percent of its height.
func (e shownEvent) on(date time.Time) shownEvent {
	minute := func(t time.Time) float64 {
		m := t.Sub(date).Minutes() - firstHour*60
		return 100 * min(max(m, 0), shownMins) / shownMins
	}
	e.Top = minute(e.Start)
	e.Height = max(minute(e.End)-e.Top, 2.2)
	e.Top = min(e.Top, 100-e.Height)
	return e
}

// beside puts events that overlap next to each other.
func beside(events []shownEvent) {
	for i := range events {
		column, columns := 0, 1
		for k, o := range events {
			if k != i && o.Start.Before(events[i].End) && events[i].Start.Before(o.End) {
				columns++
				if k < i {
					column++
				}
			}
		}
		events[i].Width = 100 / float64(columns)
		events[i].Left = float64(column) * events[i].Width
	}
}

// shown returns the occurrences of an account's events between two days.
func (c *Cloud) shown(a Account, from, to time.Time, zone *time.Location) (list []shownEvent) {
	for _, cal := range a.Calendars {
		objects, _ := c.since(a.collection(cal), 0)
		for _, o := range objects {
			if o.Gone {
				continue
			}
			e, err := decode(o.Data)
			if err != nil {
				continue
			}
			start, err1 := e.DateTimeStart(zone)
			end, err2 := e.DateTimeEnd(zone)
			if err1 != nil || err2 != nil {
				continue
			}
			v := shownEvent{Calendar: cal.Name, Colour: cal.Colour, Collection: cal.ID, Name: o.Name, ReadOnly: cal.ReadOnly}
			v.AllDay = e.Props.Get("DTSTART").ValueType() == "DATE"
			v.Title, _ = e.Props.Text("SUMMARY")
			v.Weekly = e.Props.Get("RRULE") != nil
			starts := []time.Time{start}
			if set, err := e.RecurrenceSet(zone); err == nil && set != nil {
				starts = set.Between(from.AddDate(0, 0, -8), to, true)
			}
			for _, s := range starts {
				v.Start, v.End = s.In(zone), s.Add(end.Sub(start)).In(zone)
				v.Times = v.Start.Format("15:04") + "–" + v.End.Format("15:04")
				if v.AllDay {
					v.Times = "all day"
				}
				if v.Start.Before(to) && v.End.After(from) {
					list = append(list, v)
				}
			}
		}
	}
	slices.SortFunc(list, func(a, b shownEvent) int { return a.Start.Compare(b.Start) })
	return list
}

// change adds, moves or removes an event, as its owner would.
func (c *Cloud) change(w http.ResponseWriter, r *http.Request) {
	r.Body = http.MaxBytesReader(w, r.Body, 64<<10)
	account, ok := c.account(r.PathValue("user"))
	if !ok {
		http.NotFound(w, r)
		return
	}
	form := eventForm{Calendar: r.PostFormValue("calendar"), Title: strings.TrimSpace(r.PostFormValue("title")), Date: r.PostFormValue("date"),
		From: r.PostFormValue("from"), To: r.PostFormValue("to"), AllDay: r.PostFormValue("allDay") != "", Weekly: r.PostFormValue("weekly") != ""}
	err := c.apply(account, r.PostFormValue("do"), r.PostFormValue("event"), form)
	if err != nil {
		c.week(w, r, http.StatusUnprocessableEntity, err.Error(), form)
		return
	}
	http.Redirect(w, r, "/week/"+url.PathEscape(account.User)+"?week="+url.QueryEscape(r.FormValue("week")), http.StatusSeeOther)
}

func (c *Cloud) apply(a Account, do, event string, form eventForm) error {
	id, name, _ := strings.Cut(event, "/")
	cal, ok := a.calendar(id)
	if do == "add" {
		cal, ok = a.calendar(form.Calendar)
	}
	if !ok {
		return errors.New("there is no such calendar")
	}
	if cal.ReadOnly {
		return errReadOnly
	}
	collection := a.collection(cal)
	if do == "remove" {
		return c.remove(collection, name, condition{})
	}
	e, err := form.read(a.Zone)
	if err != nil {
		return err
	}
	if do == "add" {
		_, err = c.Add(a.User, cal.ID, e)
		return err
	}
	old, there := c.get(collection, name)
	if !there {
		return errMissing
	}
	was, err := decode(old.Data)
	if err != nil {
		return err
	}
	uid, err := was.Props.Text("UID")
	if err != nil {
		return err
	}
	_, _, err = c.put(collection, name, e.encode(uid, c.now()), condition{match: old.ETag})
	return err
}

func (f eventForm) read(zone string) (Event, error) {
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return Event{}, err
	}
	e := Event{Title: f.Title, AllDay: f.AllDay, Weekly: f.Weekly}
	if e.Title == "" {
		return e, errors.New("give the event a title")
	}
	if e.Start, err = time.ParseInLocation(time.DateOnly, f.Date, loc); err != nil {
		return e, errors.New("give a date, as in 2026-11-26")
	}
	if f.AllDay {
		e.End = e.Start.AddDate(0, 0, 1)
		return e, nil
	}
	var err1, err2 error
	e.Start, err1 = time.ParseInLocation("2006-01-02 15:04", f.Date+" "+f.From, loc)
	e.End, err2 = time.ParseInLocation("2006-01-02 15:04", f.Date+" "+f.To, loc)
	if err1 != nil || err2 != nil || !e.Start.Before(e.End) {
		return e, errors.New("give a time from and a later time to, as in 10:00 and 11:30")
	}
	return e, nil
}
