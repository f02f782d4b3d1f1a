package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Preview is what a service's rules do to the coming four weeks of the real team,
// as they are being edited and as they are saved.
type Preview struct {
	Words    string         `json:"words" doc:"Which days these are."`
	Possible int            `json:"possible" doc:"All possible starts of everybody who performs it."`
	Offered  int            `json:"offered"`
	Was      int            `json:"was" doc:"Offered with the rules as they are saved, or -1 for a service that is not."`
	Steps    []BudgetStep   `json:"steps" doc:"Where the others go, in the order of the rules; each is charged to its first reason."`
	Weeks    [][]PreviewDay `json:"weeks" doc:"Four weeks from Monday on."`
	Effect   string         `json:"effect" doc:"What the change wins or loses, in a sentence; empty when nothing changes."`
	Misfits  []Misfit       `json:"misfits" doc:"Bookings that would no longer fit, the first of them."`
	Count    int            `json:"misfitCount"`
	Day      *PreviewLanes  `json:"day,omitempty" doc:"The day that was asked for, person by person."`
}

// BudgetStep is how many starts one rule costs.
type BudgetStep struct {
	Code   string        `json:"code"`
	Name   string        `json:"name"`
	Lost   int           `json:"lost"`
	Was    int           `json:"was" doc:"With the rules as they are saved, or -1."`
	Starts []PreviewLoss `json:"starts" doc:"The first of them."`
}

// PreviewLoss is a start that a rule costs.
type PreviewLoss struct {
	At    string  `json:"at" format:"date-time"`
	Words string  `json:"words"`
	Staff NamedID `json:"staff"`
}

// PreviewDay is one day of the team.
type PreviewDay struct {
	Date    string   `json:"date" format:"date"`
	Words   string   `json:"words"`
	Day     int      `json:"day"`
	Offered int      `json:"offered" doc:"Different starts that a client would see."`
	Was     int      `json:"was" doc:"With the rules as they are saved, or -1."`
	Open    bool     `json:"open" doc:"Whether anybody has hours."`
	Ticks   []Tick   `json:"ticks"`
	Times   []string `json:"times" doc:"What a client would be offered."`
	Over    bool     `json:"over" doc:"Whether the day lies in the past."`
}

// Tick is a start on a day's sill.
type Tick struct {
	Minute  int  `json:"minute" doc:"Of the day."`
	Offered bool `json:"offered"`
}

// PreviewLanes is one day of those who perform the service, with its starts as the
// rules would have them.
type PreviewLanes struct {
	Date   string     `json:"date" format:"date"`
	From   string     `json:"from" format:"date-time"`
	To     string     `json:"to" format:"date-time"`
	Now    string     `json:"now" format:"date-time"`
	Notice string     `json:"notice" format:"date-time"`
	Last   string     `json:"last" format:"date-time"`
	Marks  []Mark     `json:"marks"`
	Lanes  []WallLane `json:"lanes"`
}

// previewWeeks is how far ahead a preview looks.
const previewWeeks = 4

// shownLosses is how many starts a step of the budget names.
const shownLosses = 60

func (s *server) registerPreview(a huma.API) {
	huma.Register(a, post("/api/services/preview", "previewService", "What a service's rules would do, without saving them", http.StatusOK), s.previewService)
}

func (s *server) previewService(ctx context.Context, in *struct {
	Service store.ID `query:"service" minimum:"0" doc:"The service that is being edited, or 0 for a new one."`
	Now     string   `query:"now" maxLength:"16" doc:"As if it were another moment: date and time on the business's clock, as 2026-03-02T08:00."`
	Day     string   `query:"day" maxLength:"10" doc:"A date of the four weeks that is wanted person by person, or empty."`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
	Body    ServiceFields
}) (*body[Preview], error) {
	db := s.DB.Read(ctx)
	row := store.Service{ID: in.Service}
	if err := in.Body.rules(&row); err != nil {
		return nil, err
	}
	staff, err := staffByIDs(db, in.Body.Staff)
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	now, err := s.asIf(db, in.Now)
	if err != nil {
		return nil, err
	}
	v := previewing{db: db, text: texts{zone: zone, twelve: in.Clock == "12"}, now: now}
	v.from = zone.DateAt(v.now).Monday()
	q, after, err := v.answer(row, staff)
	if err != nil {
		return nil, err
	}
	out := Preview{Was: -1, Misfits: []Misfit{}, Words: rangeWords(v.from, v.from+7*previewWeeks-1)}
	var before offer.Answer
	if in.Service != 0 {
		var saved store.Service
		if err := db.Take(&saved, in.Service).Error; err != nil {
			return nil, found(err, "service")
		}
		performers, err := schedule.Performers(db, in.Service)
		if err != nil {
			return nil, err
		}
		if _, before, err = v.answer(saved, performers); err != nil {
			return nil, err
		}
		out.Was = before.Budget().Offered
		changes, charged := offer.Compare(before, after)
		out.Effect = effectWords(changes, charged, append(slices.Clone(staff), performers...))
		fresh, err := booking.MisfitsOf(db, v.now, row, staff, saved, performers)
		if err != nil {
			return nil, err
		}
		out.Count = len(fresh)
		for _, m := range fresh[:min(5, len(fresh))] {
			out.Misfits = append(out.Misfits, renderMisfit(m, v.text))
		}
	}
	v.budget(&out, q, staff, after, before)
	v.days(&out, q, after, before)
	if in.Day != "" {
		out.Day, err = v.lanes(in.Day, row, staff, after)
	}
	return answer(out, err)
}

// asIf reads a moment on the business's clock, as if it were now; now when it is
// empty.
func (s *server) asIf(db *gorm.DB, text string) (span.Instant, error) {
	if text == "" {
		return span.At(s.Now()), nil
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return 0, err
	}
	day, clock, _ := strings.Cut(text, "T")
	d, err1 := hours.ParseDate(day)
	w, err2 := hours.ParseWall(clock)
	if err1 != nil || err2 != nil {
		return 0, wrong("query.now", "This is not a date and a time, as in 2026-03-02T08:00.")
	}
	return zone.Over(d, d).Starting(d, int(w)), nil
}

// previewing is one preview.
type previewing struct {
	db   *gorm.DB
	text texts
	now  span.Instant
	from hours.LocalDate
}

func (v previewing) answer(row store.Service, staff []store.Staff) (offer.Question, offer.Answer, error) {
	q, err := schedule.Question(v.db, schedule.Asked{Now: v.now, Service: row, From: v.from, To: v.from + 7*previewWeeks - 1, Staff: staff})
	if err != nil {
		return q, offer.Answer{}, err
	}
	return q, q.Answer(), nil
}

// effectWords says what changes do: "It loses 22 starts, 18 of them to booked, and
// wins 3. Bryn has none left on Tue 24 Nov."
func effectWords(changes []offer.Change, charged map[offer.Code]int, staff []store.Staff) string {
	won, lost := 0, 0
	var empty []string
	for _, c := range changes {
		won, lost = won+c.Won, lost+c.Lost
		if c.Left == 0 {
			i := slices.IndexFunc(staff, func(m store.Staff) bool { return fmt.Sprint(m.ID) == c.Staff })
			empty = append(empty, strings.Fields(staff[i].Name)[0]+" on "+c.Date.Time().Format("Mon 2 Jan"))
		}
	}
	if won+lost == 0 {
		return ""
	}
	most, cause := 0, ""
	columns := offer.Columns()
	for _, code := range offer.Codes() {
		if charged[code] > most {
			most, cause = charged[code], columns[code]
		}
	}
	var text string
	switch {
	case lost == 0:
		text = fmt.Sprintf("This change wins %s", counted(won, "start"))
	case won == 0:
		text = fmt.Sprintf("This change loses %s", counted(lost, "start"))
	default:
		text = fmt.Sprintf("This change loses %s and wins %d", counted(lost, "start"), won)
	}
	if most*2 > lost && lost > 0 {
		text += fmt.Sprintf(", most of what is lost to “%s”", cause)
	}
	text += "."
	switch n := len(empty); {
	case n == 0:
	case n <= 3:
		text += " None left: " + strings.Join(empty, ", ") + "."
	default:
		text += fmt.Sprintf(" None left: %s and %d more.", strings.Join(empty[:2], ", "), n-2)
	}
	return text
}

func (v previewing) budget(out *Preview, q offer.Question, staff []store.Staff, after, before offer.Answer) {
	b, was := after.Budget(), before.Budget()
	out.Possible, out.Offered = b.Candidates, b.Offered
	columns := offer.Columns()
	for _, code := range offer.Codes() {
		step := BudgetStep{Code: string(code), Name: columns[code], Lost: b.Lost[code], Was: -1, Starts: []PreviewLoss{}}
		if out.Was >= 0 {
			step.Was = was.Lost[code]
		}
		out.Steps = append(out.Steps, step)
	}
	for i, l := range after.Lanes {
		for _, s := range l.Starts {
			n := slices.Index(offer.Codes(), s.Refused.First())
			if n >= 0 && len(out.Steps[n].Starts) < shownLosses {
				out.Steps[n].Starts = append(out.Steps[n].Starts, PreviewLoss{s.At.String(), v.text.moment(s.At), NamedID{staff[i].ID, staff[i].Name}})
			}
		}
	}
	for _, step := range out.Steps {
		slices.SortStableFunc(step.Starts, func(a, b PreviewLoss) int { return strings.Compare(a.At, b.At) })
	}
}

func (v previewing) days(out *Preview, q offer.Question, after, before offer.Answer) {
	per := func(a offer.Answer) map[hours.LocalDate]map[span.Instant]bool {
		days := map[hours.LocalDate]map[span.Instant]bool{}
		for _, l := range a.Lanes {
			for _, s := range l.Starts {
				if days[s.Date()] == nil {
					days[s.Date()] = map[span.Instant]bool{}
				}
				days[s.Date()][s.At] = days[s.Date()][s.At] || s.Refused == 0
			}
		}
		return days
	}
	count := func(starts map[span.Instant]bool) (n int) {
		for _, offered := range starts {
			if offered {
				n++
			}
		}
		return n
	}
	now, was := per(after), per(before)
	today := v.text.zone.DateAt(v.now)
	o := v.text.zone.Over(v.from, v.from+7*previewWeeks)
	for w := range hours.LocalDate(previewWeeks) {
		week := make([]PreviewDay, 0, 7)
		for d := v.from + 7*w; d < v.from+7*w+7; d++ {
			day := PreviewDay{Date: d.String(), Words: d.Time().Format("Monday 2 January"), Day: d.Time().Day(), Offered: count(now[d]), Was: -1,
				Open: len(now[d]) > 0, Ticks: []Tick{}, Times: []string{}, Over: d < today}
			if out.Was >= 0 {
				day.Was = count(was[d])
			}
			for at, offered := range now[d] {
				_, minute := o.Wall(at)
				day.Ticks = append(day.Ticks, Tick{minute, offered})
			}
			slices.SortFunc(day.Ticks, func(a, b Tick) int { return a.Minute - b.Minute })
			for _, t := range day.Ticks {
				if t.Offered {
					day.Times = append(day.Times, v.text.clock(o.Starting(d, t.Minute)))
				}
			}
			week = append(week, day)
		}
		out.Weeks = append(out.Weeks, week)
	}
}

// lanes draws a day of those who perform the service.
func (v previewing) lanes(date string, row store.Service, staff []store.Staff, after offer.Answer) (*PreviewLanes, error) {
	day, err := hours.ParseDate(date)
	if err != nil {
		return nil, wrong("query.day", "This is not a date, as in 2026-03-02.")
	}
	look := viewing{text: v.text, first: day, days: 1}
	lanes, err := look.lanesOf(v.db, staff)
	if err != nil {
		return nil, err
	}
	starts := map[store.ID][]offer.Start{}
	for i, l := range after.Lanes {
		starts[staff[i].ID] = append([]offer.Start{}, l.Starts...)
	}
	shown := reach(lanes, day, 1)
	out := PreviewLanes{Date: date, Now: v.now.String(), Marks: shown.marks(look.offsets(), day, v.text), Lanes: []WallLane{}}
	out.From, out.To = shown.on(look.offsets(), day)
	if out.Notice, out.Last, err = look.bounds(row, v.now); err != nil {
		return nil, err
	}
	for _, l := range lanes {
		out.Lanes = append(out.Lanes, l.on(day, shown, starts))
	}
	return &out, nil
}

// staffByIDs returns staff members in the order asked for.
func staffByIDs(db *gorm.DB, ids []store.ID) ([]store.Staff, error) {
	var rows []store.Staff
	if err := db.Where("id IN ?", ids).Find(&rows).Error; err != nil {
		return nil, err
	}
	out := make([]store.Staff, 0, len(ids))
	for i, id := range ids {
		n := slices.IndexFunc(rows, func(m store.Staff) bool { return m.ID == id })
		if n < 0 {
			return nil, wrong(fmt.Sprintf("staff[%d]", i), "There is no such staff member.")
		}
		out = append(out, rows[n])
	}
	return out, nil
}
