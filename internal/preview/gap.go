package preview

import (
	"cmp"
	"slices"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Gap is what could be booked in a stretch of somebody's day.
type Gap struct {
	Words    string        `json:"words" doc:"The stretch in the business's zone, as Thursday 26 November, 10:00–11:30."`
	Staff    store.NamedID `json:"staff"`
	Visits   []GapVisit    `json:"visits" doc:"One for each service and length that this person performs: those that are offered first, and of these the one that is most like the stretch."`
	Services int           `json:"services" doc:"How many services this person performs."`
}

// GapVisit is a visit that begins in a gap, or could not.
type GapVisit struct {
	Service store.NamedID `json:"service"`
	Hue     int           `json:"hue"`
	Length  span.Minutes  `json:"length"`
	At      span.Instant  `json:"at" format:"date-time" doc:"Its start in the gap: of those that are offered the first, or else the first of all."`
	Words   string        `json:"words" doc:"As 10:00–11:30."`
	Offered bool          `json:"offered"`
	Reasons []string      `json:"reasons" doc:"Why it is refused, as codes."`
}

// GapOf says what could be booked in a stretch of somebody's day, by the same rules as for clients. A service that begins nowhere
// in it is left out.
func GapOf(db store.Tx, text words.In, now span.Instant, member store.Staff, gap span.Span) (Gap, error) {
	out := Gap{Words: text.Local(gap.Start()).Format("Monday 2 January, ") + text.Stretch(gap).Label, Staff: store.NamedID{ID: member.ID, Name: member.Name}, Visits: []GapVisit{}}
	services, err := db.PerformedBy(member.ID)
	if err != nil {
		return out, err
	}
	day := text.Zone.DateAt(gap.Start())
	for _, s := range services {
		if s.Paused {
			continue
		}
		out.Services++
		staff := []store.Staff{member}
		if s.Staffing == string(offer.AllOfThem) {
			if staff, err = db.Performers(s.ID); err != nil {
				return out, err
			}
		}
		for _, length := range append([]span.Minutes{s.Length}, s.Lengths...) {
			q, err := schedule.Question(db, schedule.Asked{Now: now, Service: s, Length: length, From: day, To: day, Staff: staff})
			if err != nil {
				return out, err
			}
			lane := q.Answer().Lanes[slices.IndexFunc(staff, func(m store.Staff) bool { return m.ID == member.ID })]
			inside := slices.DeleteFunc(slices.Clone(lane.Starts), func(t offer.Start) bool { return !gap.Contains(t.At) })
			if len(inside) == 0 {
				continue
			}
			best := inside[max(0, slices.IndexFunc(inside, func(t offer.Start) bool { return t.Refused == 0 }))]
			v := GapVisit{Service: store.NamedID{ID: s.ID, Name: s.Name}, Hue: s.Hue, Length: length, At: best.At, Words: text.Stretch(q.Service.Visit(best.At)).Label,
				Offered: best.Refused == 0, Reasons: []string{}}
			for _, c := range best.Refused.Codes() {
				v.Reasons = append(v.Reasons, string(c))
			}
			out.Visits = append(out.Visits, v)
		}
	}
	unlike := func(v GapVisit) span.Minutes { return max(v.Length-gap.Minutes(), gap.Minutes()-v.Length) }
	slices.SortStableFunc(out.Visits, func(a, b GapVisit) int {
		if a.Offered != b.Offered {
			return map[bool]int{true: -1, false: 1}[a.Offered]
		}
		return cmp.Compare(unlike(a), unlike(b))
	})
	return out, nil
}
