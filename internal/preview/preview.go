// Package preview says what rules do before they are saved: to the coming weeks of the
// real team, and to one start.
package preview

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/fit"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/wall"
	"niche/internal/words"
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
	Misfits  []fit.Misfit   `json:"misfits" doc:"Bookings that would no longer fit, the first of them."`
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
	At    span.Instant  `json:"at" format:"date-time"`
	Words string        `json:"words"`
	Staff store.NamedID `json:"staff"`
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
	Date   string          `json:"date" format:"date"`
	From   span.Instant    `json:"from" format:"date-time"`
	To     span.Instant    `json:"to" format:"date-time"`
	Now    span.Instant    `json:"now" format:"date-time"`
	Notice span.Instant    `json:"notice" format:"date-time"`
	Last   span.Instant    `json:"last" format:"date-time"`
	Marks  []wall.Mark     `json:"marks"`
	Lanes  []wall.WallLane `json:"lanes"`
}

// previewWeeks is how far ahead a preview looks.
const previewWeeks = 4

// shownLosses is how many starts a step of the budget names.
const shownLosses = 60

// Asked is what a preview is asked for with: the rules as they are being edited.
type Asked struct {
	Text    words.In // the business's clock
	Now     span.Instant
	Service store.Service                     // with the number of the one that is being edited, or 0 for a new one
	Staff   []store.Staff                     // who would perform it
	Rules   func(store.Service) store.Service // the same on top of what is saved
	Day     hours.LocalDate                   // is wanted person by person; 0 for none
}

// Of says what rules do to the coming weeks, as they are being edited and as they are
// saved.
func Of(db store.Tx, a Asked) (Preview, error) {
	v := previewing{db: db, text: a.Text, now: a.Now}
	v.from = v.text.Zone.DateAt(v.now).Monday()
	q, after, err := v.answer(a.Service, a.Staff)
	if err != nil {
		return Preview{}, err
	}
	out := Preview{Was: -1, Misfits: []fit.Misfit{}, Words: words.Range(v.from, v.from+7*previewWeeks-1)}
	var before offer.Answer
	if a.Service.ID != 0 {
		saved, err := db.Service(a.Service.ID)
		if err != nil {
			return Preview{}, err
		}
		performers, err := db.Performers(saved.ID)
		if err != nil {
			return Preview{}, err
		}
		if _, before, err = v.answer(saved, performers); err != nil {
			return Preview{}, err
		}
		out.Was = before.Budget().Offered
		changes, charged := offer.Compare(before, after)
		out.Effect = effectWords(changes, charged, append(slices.Clone(a.Staff), performers...))
		judged, err := fit.Judge(db, v.now, fit.Change{Service: saved.ID, Rules: func(saved store.Service, _ []store.Staff) (store.Service, []store.Staff) {
			return a.Rules(saved), a.Staff
		}})
		if err != nil {
			return Preview{}, err
		}
		out.Count = len(judged.Misfits)
		for _, m := range judged.Misfits[:min(5, out.Count)] {
			out.Misfits = append(out.Misfits, m.Words(v.text))
		}
	}
	v.budget(&out, q, a.Staff, after, before)
	v.days(&out, q, after, before)
	if !a.Day.IsZero() {
		out.Day, err = v.lanes(a.Day, a.Service, a.Staff, after)
	}
	return out, err
}

// previewing is one preview.
type previewing struct {
	db   store.Tx
	text words.In
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
			i := slices.IndexFunc(staff, func(m store.Staff) bool { return m.ID.Name() == c.Staff })
			empty = append(empty, words.FirstName(staff[i].Name)+" on "+c.Date.Time().Format("Mon 2 Jan"))
		}
	}
	if won+lost == 0 {
		return ""
	}
	most, cause := 0, ""
	for _, code := range offer.Codes() {
		if charged[code] > most {
			most, cause = charged[code], offer.RuleOf(code).Column
		}
	}
	var text string
	switch {
	case lost == 0:
		text = fmt.Sprintf("This change wins %s", words.Counted(won, "start"))
	case won == 0:
		text = fmt.Sprintf("This change loses %s", words.Counted(lost, "start"))
	default:
		text = fmt.Sprintf("This change loses %s and wins %d", words.Counted(lost, "start"), won)
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
	for _, code := range offer.Codes() {
		step := BudgetStep{Code: string(code), Name: offer.RuleOf(code).Column, Lost: b.Lost[code], Was: -1, Starts: []PreviewLoss{}}
		if out.Was >= 0 {
			step.Was = was.Lost[code]
		}
		out.Steps = append(out.Steps, step)
	}
	for i, l := range after.Lanes {
		for _, s := range l.Starts {
			n := slices.Index(offer.Codes(), s.Refused.First())
			if n >= 0 && len(out.Steps[n].Starts) < shownLosses {
				out.Steps[n].Starts = append(out.Steps[n].Starts, PreviewLoss{s.At, v.text.Moment(s.At), store.NamedID{ID: staff[i].ID, Name: staff[i].Name}})
			}
		}
	}
	for _, step := range out.Steps {
		slices.SortStableFunc(step.Starts, func(a, b PreviewLoss) int { return cmp.Compare(a.At, b.At) })
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
	today := v.text.Zone.DateAt(v.now)
	o := v.text.Zone.Over(v.from, v.from+7*previewWeeks)
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
					day.Times = append(day.Times, v.text.Clock(o.Starting(d, t.Minute)))
				}
			}
			week = append(week, day)
		}
		out.Weeks = append(out.Weeks, week)
	}
}

// lanes draws a day of those who perform the service.
func (v previewing) lanes(day hours.LocalDate, row store.Service, staff []store.Staff, after offer.Answer) (*PreviewLanes, error) {
	starts := map[store.ID][]offer.Start{}
	for i, l := range after.Lanes {
		starts[staff[i].ID] = append([]offer.Start{}, l.Starts...)
	}
	drawn, err := wall.LanesOf(v.db, v.text, v.now, day, staff, row, starts)
	return &PreviewLanes{Date: day.String(), From: drawn.From, To: drawn.To, Now: v.now, Notice: drawn.Notice, Last: drawn.Last,
		Marks: drawn.Marks, Lanes: drawn.Lanes}, err
}
