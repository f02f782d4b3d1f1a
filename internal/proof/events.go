package proof

import (
	"context"
	"fmt"
	"strings"
	"time"

	"niche/core/ics"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// stale is how old a feed may say that it is, in minutes.
const stale = 30

// What the calendars that block time hold does block: they are read all anew, past what is kept of
// them, and no start that is offered meets anything that is in them.
var eventsBlock = step{
	time: 2 * time.Minute, // a calendar may be large
	key:  "events", label: "events block", expected: "No start is offered over an event that takes time.",
	needless: func(r *run) string {
		if len(r.of(blocks)) == 0 {
			return "No calendar of this link blocks time."
		}
		return ""
	},
	do: func(ctx context.Context, r *run, s *Step) error {
		now := span.At(r.Now())
		window := span.Between(now, now.Add(28*24*60))
		var parts []string
		var busy []offer.Calendar
		for _, c := range r.of(blocks) {
			found, err := r.Readings.Anew(ctx, c.ID, window)
			if err != nil {
				return r.refused(err, "Reading “"+c.Name+"”")
			}
			switch {
			case found.Skipped > 0:
				return &fault{fmt.Sprintf("%s of “%s” cannot be read.", words.Count(found.Skipped, "event"), c.Name), "The host hands out events that are broken, or does not hand them out: nobody knows what time they take.", r.there("See which")}
			case found.Events == 0 && found.Free > 0:
				return &fault{fmt.Sprintf("None of the %s in “%s” takes time.", words.Count(found.Free, "event"), c.Name), "All of them are marked free, so the calendar blocks nothing.", r.there("Let another calendar block, or ask " + r.first() + " to mark events busy")}
			case r.link.Kind == store.FeedLink && found.Refresh > stale:
				return &fault{fmt.Sprintf("“%s” says that it is made anew only every %s.", c.Name, offer.Duration(found.Refresh)), "What it says may be that old: an event that came meanwhile is not in it.", r.there("Link the calendar by its account, or ask its host for a shorter time")}
			}
			busy = append(busy, choices(c, found.Busy))
			parts = append(parts, fmt.Sprintf("“%s” %d", c.Name, found.Events))
		}
		starts, met, err := r.offeredOver(ctx, busy, now)
		if err != nil {
			return err
		}
		if met != "" {
			return &fault{met, "What Niche keeps of the calendar is not what the calendar holds.", r.there("Look at the link")}
		}
		s.Seen = fmt.Sprintf("Events in the coming four weeks, read anew: %s. None of the %s offered meets one.", strings.Join(parts, ", "), words.Count(starts, "start"))
		return nil
	},
}

// choices leaves out what takes no time by a calendar's choices.
func choices(c store.Calendar, found []ics.Occurrence) offer.Calendar {
	out := offer.Calendar{Name: c.Name, PadBefore: c.PadBefore, PadAfter: c.PadAfter}
	for _, o := range found {
		if o.AllDay && c.AllDayFree || o.Tentative && c.TentativeFree {
			continue
		}
		out.Spans = append(out.Spans, o.During)
	}
	return out
}

// offeredOver counts the starts that the person's services offer in the coming four weeks, and says which of them meets an
// event; empty when none does.
func (r *run) offeredOver(ctx context.Context, busy []offer.Calendar, now span.Instant) (n int, met string, err error) {
	tx := r.DB.Read(ctx)
	services, err := tx.PerformedBy(r.staff.ID)
	if err != nil {
		return 0, "", err
	}
	today := r.text.Zone.DateAt(now)
	for _, service := range services {
		q, err := schedule.Question(tx, schedule.Asked{Now: now, Service: service, From: today, To: today + 27, Staff: []store.Staff{r.staff}})
		if err != nil {
			return 0, "", err
		}
		q.Service.Staffing = offer.AnyOne
		for _, o := range q.Answer().Offers() {
			n++
			for _, c := range busy {
				if event, over := c.Blocks(q.Service.Occupied(o.At)); over {
					return n, fmt.Sprintf("%s at %s is offered, over an event of “%s” (%s).", service.Name, r.text.Moment(o.At), c.Name, r.text.Stretch(event).Label), nil
				}
			}
		}
	}
	return n, "", nil
}
