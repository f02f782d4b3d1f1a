package api

import (
	"niche/core/hours"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// StripDay is a day of the week ahead, as a calendar has it.
type StripDay struct {
	Label string   `json:"label" doc:"The first letter of the weekday."`
	Words string   `json:"words" doc:"The date, and how much of it is taken."`
	Busy  [][2]int `json:"busy" doc:"What events take, in minutes of the day on the owner's clock."`
	Taken [][2]int `json:"taken" doc:"What copies of visits take."`
}

// weekAhead is how many days a strip has.
const weekAhead = 7

// weeks puts to each calendar that is read what lies in the days ahead.
func weeks(tx store.Tx, links []Link, staff store.ID, ids []store.ID, now span.Instant) error {
	m, err := tx.Staff(staff)
	if err != nil {
		return err
	}
	zone, err := hours.LoadZone(m.Zone)
	if err != nil {
		return err
	}
	today := zone.DateAt(now)
	o := zone.Over(today, today+weekAhead)
	taken, err := tx.TakenIn(ids, span.Between(o.Starting(today, 0), o.Starting(today+weekAhead, 0)))
	if err != nil {
		return err
	}
	for i := range links {
		for n := range links[i].Calendars {
			c := &links[i].Calendars[n]
			if c.Week = []StripDay{}; c.ReadAgo < 0 {
				continue
			}
			for d := today; d < today+weekAhead; d++ {
				c.Week = append(c.Week, stripDay(o, d, c.ID, taken))
			}
		}
	}
	return nil
}

// stripDay is a day of a calendar.
func stripDay(o hours.Offsets, d hours.LocalDate, calendar store.ID, taken []store.Taken) StripDay {
	whole := span.Between(o.Starting(d, 0), o.Starting(d+1, 0))
	out := StripDay{Label: d.Time().Format("Mon")[:1], Busy: [][2]int{}, Taken: [][2]int{}}
	for _, t := range taken {
		p := span.Between(t.Start, max(t.Start, t.End)).Clip(whole)
		if t.CalendarID != calendar || p.IsEmpty() {
			continue
		}
		_, from := o.Wall(p.Start())
		to := 24 * 60
		if p.End() < whole.End() {
			_, to = o.Wall(p.End())
		}
		if t.Copy {
			out.Taken = append(out.Taken, [2]int{from, to})
		} else {
			out.Busy = append(out.Busy, [2]int{from, to})
		}
	}
	out.Words = d.Time().Format("Mon 2 Jan") + ": " + words.Count(len(out.Busy), "event")
	if n := len(out.Taken); n > 0 {
		out.Words += ", " + words.Count(n, "visit")
	}
	return out
}

// lastProofs puts to each link its last proof.
func lastProofs(tx store.Tx, links []Link, at map[store.ID]int, ids []store.ID) error {
	list, err := tx.LastProofs(ids)
	if err != nil || len(list) == 0 {
		return err
	}
	zone, err := schedule.Zone(tx)
	for _, p := range list {
		links[at[p.LinkID]].Proof = &LastProof{p.ID, p.State == store.ProofHeld, p.Words, words.In{Zone: zone}.Moment(p.EndedAt)}
	}
	return err
}
