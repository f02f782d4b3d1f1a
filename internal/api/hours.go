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

// Hours are the patterns of a staff member.
type Hours struct {
	Patterns []casefile.Pattern `json:"patterns" maxItems:"100"`
}

// HoursNow are the patterns as they are saved.
type HoursNow struct {
	Hours
	Version int64 `json:"version"`
}

// ChangingHours asks for other hours.
type ChangingHours struct {
	Over
	Accepting
	Body Hours
}

// HoursOf returns the patterns of a staff member.
func (s Rules) HoursOf(ctx context.Context, staff store.ID) (out HoursNow, err error) {
	out.Hours, out.Version, err = ofStaff(ctx, s.DB, staff, store.StaffHours(staff), patternsOf)
	return out, err
}

// patternsOf reads a staff member's patterns.
func patternsOf(tx store.Tx, staff store.ID) (Hours, error) {
	out := Hours{Patterns: []casefile.Pattern{}}
	rows, err := tx.Patterns([]store.ID{staff})
	if err != nil {
		return out, err
	}
	for _, r := range rows {
		p, err := schedule.PatternShape(r)
		if err != nil {
			return out, err
		}
		out.Patterns = append(out.Patterns, p)
	}
	return out, nil
}

// ChangeHours changes the patterns of a staff member.
func (s Rules) ChangeHours(ctx context.Context, staff store.ID, in *ChangingHours) (now HoursNow, err error) {
	over, err := in.Expected(store.StaffHours(staff))
	if err != nil {
		return now, err
	}
	rows := make([]store.Pattern, len(in.Body.Patterns))
	patterns := make([]hours.Pattern, len(in.Body.Patterns))
	var faults []hours.Fault
	for i, p := range in.Body.Patterns {
		read, wrongs := p.Hours()
		patterns[i] = read
		for _, f := range wrongs {
			faults = append(faults, hours.Fault{Path: fmt.Sprintf("patterns[%d].%s", i, f.Path), What: f.What})
		}
		cycle, err := json.Marshal(p.Cycle)
		if err != nil {
			return now, err
		}
		rows[i] = store.Pattern{StaffID: staff, Position: i, FromDate: p.From, Cycle: string(cycle)}
		if p.Until != nil {
			rows[i].UntilDate = *p.Until
		}
	}
	if len(faults) > 0 {
		return now, WrongHours("", faults)
	}
	touched := &fit.Change{Staff: staff, Person: func(id store.ID, as *offer.Staff) {
		if id == staff {
			as.Schedule.Patterns = patterns
		}
	}}
	_, err = s.Change(ctx, in.Accepting, over, touched, func(tx store.Tx) error {
		member, err := tx.Staff(staff)
		if err != nil {
			return Found(err, "staff member")
		}
		before, err := patternsOf(tx, staff)
		if err != nil {
			return err
		}
		if err := tx.ReplacePatterns(staff, rows); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "hours", staff, member.Name, before, in.Body)
	})
	current := func() (HoursNow, error) { return s.HoursOf(ctx, staff) }
	if err != nil {
		return now, Stale(err, current, func(h HoursNow) int64 { return h.Version })
	}
	return current()
}
