package api

import (
	"context"
	"encoding/json"
	"fmt"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
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

// ChangingDays asks for other days.
type ChangingDays struct {
	Over
	Accepting
	Body Days
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

// Closure is a date on which the whole business is closed.
type Closure struct {
	Date string `json:"date" format:"date"`
	Name string `json:"name" maxLength:"200"`
}

// Closures returns when the business is closed.
func (s Rules) Closures(ctx context.Context) (List[Closure], error) {
	out := List[Closure]{Items: []Closure{}}
	rows, err := s.DB.Read(ctx).AllClosures()
	for _, r := range rows {
		out.Items = append(out.Items, Closure(r))
	}
	return out, err
}

// DaysOf returns the one-off days and absences of a staff member.
func (s Rules) DaysOf(ctx context.Context, staff store.ID) (out DaysNow, err error) {
	out.Days, out.Version, err = ofStaff(ctx, s.DB, staff, store.StaffDays(staff), daysOf)
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

// ChangeDays changes the one-off days and absences of a staff member.
func (s Rules) ChangeDays(ctx context.Context, staff store.ID, in *ChangingDays) (now DaysNow, err error) {
	over, err := in.Expected(store.StaffDays(staff))
	if err != nil {
		return now, err
	}
	days, absences, faults := in.Body.rows(staff)
	if len(faults) > 0 {
		return now, WrongHours("", faults)
	}
	today := hours.Zone{}.DateAt(span.At(s.Now()))
	own, err := schedule.OneOffs(absences, days, today-2, today+schedule.Furthest+2)
	if err != nil {
		return now, err
	}
	touched := &fit.Change{Staff: staff, Person: func(id store.ID, as *offer.Staff) {
		if id == staff {
			as.Schedule.OneOffs = own
		}
	}}
	_, err = s.Change(ctx, in.Accepting, over, touched, func(tx store.Tx) error {
		member, err := tx.Staff(staff)
		if err != nil {
			return Found(err, "staff member")
		}
		before, err := daysOf(tx, staff)
		if err != nil {
			return err
		}
		if err := tx.ReplaceDays(staff, days, absences); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "days", staff, member.Name, before, in.Body)
	})
	current := func() (DaysNow, error) { return s.DaysOf(ctx, staff) }
	if err != nil {
		return now, Stale(err, current, func(d DaysNow) int64 { return d.Version })
	}
	return current()
}
