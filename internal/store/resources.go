package store

import (
	"niche/core/span"
)

// Resource is a room or a piece of equipment.
type Resource struct {
	ID         ID
	Name       string
	Kind       string
	ArchivedAt span.Instant // 0 while in use
	CreatedAt  span.Instant `gorm:"autoCreateTime:false"`
}

// Resource returns a room or a piece of equipment.
func (t Tx) Resource(id ID) (Resource, error) { return one[Resource](t.db.Where("id = ?", id)) }

// ResourcePart returns a part of all rooms and equipment, one more than a page
// where there are more.
func (t Tx) ResourcePart(l Listing) ([]Resource, error) {
	return part[Resource](t, l, "kind, name, id")
}

// ResourcesOfKinds returns the rooms and equipment in use of some kinds, by number.
func (t Tx) ResourcesOfKinds(kinds []string) ([]Resource, error) {
	return rows[Resource](t.db.Where("kind IN ? AND archived_at = 0", kinds).Order("id"))
}

// SaveResource keeps a room or a piece of equipment, a new one when it has no
// number.
func (t Tx) SaveResource(r *Resource) error { return t.db.Save(r).Error }
