package preview

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Costs is what somebody's calendars that block time cost them: how many of the starts of
// the services that they perform are not offered for it.
type Costs struct {
	Words     string         `json:"words" doc:"The same in a sentence or two; empty where there is nothing to lose."`
	Possible  int            `json:"possible" doc:"Starts in the coming two weeks, if no calendar blocked time."`
	Left      int            `json:"left" doc:"Starts that there are."`
	Calendars []CalendarCost `json:"calendars" doc:"The costliest first."`
}

// CalendarCost is what one calendar costs by itself.
type CalendarCost struct {
	Name  string `json:"name"`
	Alone int    `json:"alone" doc:"Starts lost if it alone blocked time."`
	Most  string `json:"most" doc:"The weekday on which most of them are, or empty."`
}

// costDays is over how many days costs are counted.
const costDays = 14

// CostsOf counts what somebody's calendars cost, from today on by their own clock. Starts
// of several services at the same time count each.
func CostsOf(tx store.Tx, staff store.Staff, now span.Instant) (Costs, error) {
	out := Costs{Calendars: []CalendarCost{}}
	zone, err := hours.LoadZone(staff.Zone)
	if err != nil {
		return out, err
	}
	services, err := tx.PerformedBy(staff.ID)
	if err != nil {
		return out, err
	}
	today := zone.DateAt(now)
	// Once for all services: wider than any visit with its buffers reaches.
	const reach = 3 * 24 * 60
	busy, err := blocking.Of(tx, []store.ID{staff.ID}, span.Between(now, now.Add(costDays*24*60)).Widen(reach, reach))
	if err != nil {
		return out, err
	}
	// What a copy takes that was moved is no choice of a calendar.
	chosen := slices.DeleteFunc(busy[staff.ID], func(c blocking.Calendar) bool { return c.Copy != 0 })
	all := make([]offer.Calendar, len(chosen))
	days := make([]map[time.Weekday]int, len(all))
	costs := make([]CalendarCost, len(all))
	for i, c := range chosen {
		all[i], costs[i], days[i] = c.Calendar, CalendarCost{Name: c.Name}, map[time.Weekday]int{}
	}
	for _, service := range services {
		q, err := schedule.Question(tx, schedule.Asked{Service: service, Staff: []store.Staff{staff}, From: today, To: today + costDays - 1, Now: now})
		if err != nil {
			return out, err
		}
		q.Service.Staffing = offer.AnyOne // it is about this one
		offered := func(calendars ...offer.Calendar) map[span.Instant]bool {
			q.Staff[0].Busy = calendars
			starts := map[span.Instant]bool{}
			for _, o := range q.Answer().Offers() {
				starts[o.At] = true
			}
			return starts
		}
		free := offered()
		out.Possible += len(free)
		out.Left += len(offered(all...))
		for i, c := range all {
			if c.Unread {
				continue
			}
			alone := offered(c)
			for start := range free {
				if !alone[start] {
					costs[i].Alone++
					days[i][zone.DateAt(start).Weekday()]++
				}
			}
		}
	}
	for i, c := range costs {
		for day, lost := range days[i] {
			if 2*lost > c.Alone {
				c.Most = day.String()
			}
		}
		if !all[i].Unread {
			out.Calendars = append(out.Calendars, c)
		}
	}
	slices.SortStableFunc(out.Calendars, func(a, b CalendarCost) int { return b.Alone - a.Alone })
	out.Words = costWords(out)
	return out, nil
}

// costWords says what calendars cost: In the coming two weeks this leaves 87 of 126
// starts. Family alone costs 22, most on Fridays.
func costWords(c Costs) string {
	switch {
	case c.Possible == 0:
		return ""
	case c.Left == c.Possible:
		return fmt.Sprintf("In the coming two weeks this leaves all %s.", words.Count(c.Possible, "start"))
	}
	text := fmt.Sprintf("In the coming two weeks this leaves %d of %s.", c.Left, words.Count(c.Possible, "start"))
	var each []string
	for _, k := range c.Calendars {
		if k.Alone == 0 {
			continue
		}
		part := fmt.Sprintf("%s alone costs %d", k.Name, k.Alone)
		if k.Most != "" {
			part += fmt.Sprintf(", most on %ss", k.Most)
		}
		each = append(each, part)
	}
	if len(each) > 0 {
		text += " " + strings.Join(each, "; ") + "."
	}
	return text
}
