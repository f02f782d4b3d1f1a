package api

import (
	"gorm.io/gorm"

	"niche/internal/store"
)

// WallRoom is the day of a room or a piece of equipment.
type WallRoom struct {
	ID     store.ID    `json:"id"`
	Name   string      `json:"name"`
	Kind   string      `json:"kind"`
	Visits []WallVisit `json:"visits"`
}

// rooms returns the rooms and equipment in use with the visits of some lanes that
// hold them, by the business's clock.
func rooms(db *gorm.DB, lanes []WallLane, text texts) ([]WallRoom, error) {
	out := []WallRoom{}
	var rows []store.Resource
	if err := db.Where("archived_at = 0").Order("kind, name, id").Limit(pageSize).Find(&rows).Error; err != nil || len(rows) == 0 {
		return out, err
	}
	visits := map[store.ID]WallVisit{}
	var ids []store.ID
	for _, l := range lanes {
		for _, v := range l.Visits {
			if _, known := visits[v.ID]; !known {
				ids = append(ids, v.ID)
			}
			visits[v.ID] = v
		}
	}
	var held []store.VisitResource
	if err := db.Where("visit_id IN ?", ids).Find(&held).Error; err != nil {
		return out, err
	}
	for _, r := range rows {
		room := WallRoom{r.ID, r.Name, r.Kind, []WallVisit{}}
		for _, h := range held {
			if h.ResourceID == r.ID {
				v := visits[h.VisitID]
				v.Clash = "" // it is the person's, not the room's
				v.Stretch, v.Occupied = text.stretch(v.span()), text.stretch(v.Occupied.span())
				room.Visits = append(room.Visits, v)
			}
		}
		out = append(out, room)
	}
	return out, nil
}
