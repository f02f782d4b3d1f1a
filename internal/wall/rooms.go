package wall

import (
	"slices"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/store"
)

// WallRoom is the day of a room or a piece of equipment.
type WallRoom struct {
	ID     store.ID    `json:"id"`
	Name   string      `json:"name"`
	Kind   string      `json:"kind"`
	Visits []WallVisit `json:"visits"`
}

// rooms returns the rooms and equipment in use with the visits that hold them on a
// date, whoever has them, by the business's clock.
func (v viewing) rooms(db store.Tx, date hours.LocalDate) ([]WallRoom, error) {
	out := []WallRoom{}
	things, err := db.Rooms()
	if err != nil || len(things) == 0 {
		return out, err
	}
	o := v.text.Zone.Over(date, date)
	day := span.Between(o.Starting(date, 0), o.Ending(date, 24*60))
	rows, err := db.VisitsInRooms(day.Widen(2*24*60, 24*60))
	if err != nil {
		return out, err
	}
	visits := map[store.ID]WallVisit{}
	var ids []store.ID
	for _, r := range rows {
		list := []WallVisit{}
		if known, ok := visits[r.ID]; ok {
			if slices.ContainsFunc(known.Clients, func(c WallClient) bool { return c.ID == r.BookingID }) {
				continue // the same booking with another of its staff
			}
			list = append(list, known)
		} else {
			ids = append(ids, r.ID)
		}
		if list, err = addToWall(list, r, v.text); err != nil {
			return out, err
		}
		visits[r.ID] = list[0]
	}
	held, err := db.VisitResources(ids)
	if err != nil {
		return out, err
	}
	for _, t := range things {
		room := WallRoom{t.ID, t.Name, t.Kind, []WallVisit{}}
		for _, h := range held {
			if visit := visits[h.VisitID]; h.ResourceID == t.ID && visit.Occupied.Span().Overlaps(day) {
				room.Visits = append(room.Visits, visit)
			}
		}
		slices.SortFunc(room.Visits, func(a, b WallVisit) int { return int(a.Span().Start() - b.Span().Start()) })
		out = append(out, room)
	}
	return out, nil
}
