package desk

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/fit"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Days are a staff member's one-off days and absences.
type Days struct {
	OneOffs  []OneOff  `json:"oneOffs" maxItems:"1000"`
	Absences []Absence `json:"absences" maxItems:"1000"`
}

// DaysNow are the days as they are saved.
type DaysNow struct {
	Days
	Version int64 `json:"version"`
}

// OneOff is a day whose hours replace all others; without spans, the person is away.
type OneOff struct {
	casefile.OneOff
	Note string `json:"note" maxLength:"200"`
}

// Absence is a range of dates, both included, on which the person is away.
type Absence struct {
	From  string `json:"from" format:"date"`
	Until string `json:"until" format:"date"`
	Note  string `json:"note" maxLength:"200"`
}

func (s *Desk) registerDays(a huma.API) {
	huma.Register(a, api.Get("/api/staff/{id}/days", "getDays", "A staff member's one-off days and absences"), s.getDays)
	huma.Register(a, api.Put("/api/staff/{id}/days", "changeDays", "Change a staff member's one-off days and absences"), s.changeDays)
}

func (s *Desk) days(ctx context.Context, staff store.ID) (DaysNow, error) {
	var out DaysNow
	err := s.DB.View(ctx, func(tx store.Tx) (err error) {
		if _, err := tx.Staff(staff); err != nil {
			return api.Found(err, "staff member")
		}
		if out.Days, err = daysOf(tx, staff); err != nil {
			return err
		}
		out.Version, err = tx.Version(store.StaffDays(staff))
		return err
	})
	return out, err
}

// daysOf reads a staff member's one-off days and absences.
func daysOf(tx store.Tx, staff store.ID) (Days, error) {
	out := Days{OneOffs: []OneOff{}, Absences: []Absence{}}
	days, absences, err := tx.AllDays(staff)
	if err != nil {
		return out, err
	}
	for _, d := range days {
		o := OneOff{OneOff: casefile.OneOff{Date: d.Date}, Note: d.Note}
		if err := json.Unmarshal([]byte(d.Spans), &o.Spans); err != nil {
			return out, err
		}
		out.OneOffs = append(out.OneOffs, o)
	}
	for _, a := range absences {
		out.Absences = append(out.Absences, Absence{a.FromDate, a.UntilDate, a.Note})
	}
	return out, nil
}

func (s *Desk) getDays(ctx context.Context, in *api.IDPath) (*api.Body[DaysNow], error) {
	return api.Answer(s.days(ctx, in.ID))
}

// rows reads the days into records, and returns what contradicts itself.
func (d Days) rows(staff store.ID) (days []store.OneOff, absences []store.Absence, faults []hours.Fault) {
	fault := func(path, what string) { faults = append(faults, hours.Fault{Path: path, What: what}) }
	seen := map[string]bool{}
	for i, o := range d.OneOffs {
		_, wrongs := o.Hours()
		for _, f := range wrongs {
			fault(fmt.Sprintf("oneOffs[%d].%s", i, f.Path), f.What)
		}
		if seen[o.Date] {
			fault(fmt.Sprintf("oneOffs[%d].date", i), "this date is there twice")
		}
		seen[o.Date] = true
		spans, _ := json.Marshal(append([]casefile.WallSpan{}, o.Spans...)) // texts always can be written
		days = append(days, store.OneOff{StaffID: staff, Date: o.Date, Spans: string(spans), Note: o.Note})
	}
	for i, a := range d.Absences {
		first, err1 := hours.ParseDate(a.From)
		last, err2 := hours.ParseDate(a.Until)
		switch {
		case err1 != nil:
			fault(fmt.Sprintf("absences[%d].from", i), err1.Error())
		case err2 != nil:
			fault(fmt.Sprintf("absences[%d].until", i), err2.Error())
		case last < first:
			fault(fmt.Sprintf("absences[%d].until", i), "the absence ends before it starts")
		}
		absences = append(absences, store.Absence{StaffID: staff, FromDate: a.From, UntilDate: a.Until, Note: a.Note})
	}
	return days, absences, faults
}

func (s *Desk) changeDays(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Accepting
	Body Days
}) (*api.Body[DaysNow], error) {
	over, err := in.Expected(store.StaffDays(in.ID))
	if err != nil {
		return nil, err
	}
	days, absences, faults := in.Body.rows(in.ID)
	if len(faults) > 0 {
		return nil, api.WrongHours("", faults)
	}
	today := hours.Zone{}.DateAt(span.At(s.Now()))
	own, err := schedule.OneOffs(absences, days, today-2, today+schedule.Furthest+2)
	if err != nil {
		return nil, err
	}
	touched := &fit.Change{Staff: in.ID, Person: func(id store.ID, as *offer.Staff) {
		if id == in.ID {
			as.Schedule.OneOffs = own
		}
	}}
	_, err = s.change(ctx, in.Accepting, over, touched, func(tx store.Tx) error {
		member, err := tx.Staff(in.ID)
		if err != nil {
			return api.Found(err, "staff member")
		}
		before, err := daysOf(tx, in.ID)
		if err != nil {
			return err
		}
		if err := tx.ReplaceDays(in.ID, days, absences); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "days", in.ID, member.Name, before, in.Body)
	})
	current := func() (DaysNow, error) { return s.days(ctx, in.ID) }
	if err != nil {
		return nil, api.Stale(err, current, func(d DaysNow) int64 { return d.Version })
	}
	return api.Answer(current())
}
