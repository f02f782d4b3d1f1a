package api

import (
	"context"
	"encoding/json"
	"fmt"

	"github.com/danielgtaylor/huma/v2"
	"gorm.io/gorm"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/internal/store"
)

// Days are a staff member's one-off days and absences.
type Days struct {
	OneOffs  []OneOff  `json:"oneOffs" maxItems:"1000"`
	Absences []Absence `json:"absences" maxItems:"1000"`
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

func (s *server) registerDays(a huma.API) {
	huma.Register(a, get("/api/staff/{id}/days", "getDays", "A staff member's one-off days and absences"), s.getDays)
	huma.Register(a, put("/api/staff/{id}/days", "changeDays", "Change a staff member's one-off days and absences"), s.changeDays)
}

func (s *server) days(ctx context.Context, staff store.ID) (Days, error) {
	db := s.DB.Read(ctx)
	out := Days{OneOffs: []OneOff{}, Absences: []Absence{}}
	if err := db.Take(&store.Staff{}, staff).Error; err != nil {
		return out, found(err, "staff member")
	}
	var days []store.OneOff
	var absences []store.Absence
	if err := db.Where("staff_id = ?", staff).Order("date").Find(&days).Error; err != nil {
		return out, err
	}
	if err := db.Where("staff_id = ?", staff).Order("from_date, until_date").Find(&absences).Error; err != nil {
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

func (s *server) getDays(ctx context.Context, in *IDPath) (*body[Days], error) {
	return answer(s.days(ctx, in.ID))
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

func (s *server) changeDays(ctx context.Context, in *struct {
	IDPath
	Accepting
	Body Days
}) (*body[Days], error) {
	days, absences, faults := in.Body.rows(in.ID)
	if len(faults) > 0 {
		return nil, wrongHours("", faults)
	}
	err := s.change(ctx, in.Accepting, func(tx *gorm.DB) error {
		if err := tx.Take(&store.Staff{}, in.ID).Error; err != nil {
			return found(err, "staff member")
		}
		for _, old := range []any{&store.OneOff{}, &store.Absence{}} {
			if err := tx.Where("staff_id = ?", in.ID).Delete(old).Error; err != nil {
				return err
			}
		}
		for i := range days {
			if err := tx.Create(&days[i]).Error; err != nil {
				return err
			}
		}
		for i := range absences {
			if err := tx.Create(&absences[i]).Error; err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return nil, err
	}
	return answer(s.days(ctx, in.ID))
}
