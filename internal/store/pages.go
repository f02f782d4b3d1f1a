package store

import (
	"slices"

	"gorm.io/gorm"
	"gorm.io/gorm/clause"

	"niche/core/span"
)

// Collection is a page of several services.
type Collection struct {
	ID         ID
	Slug       string
	Title      string
	Intro      string
	StaffID    ID               // whose services they are alone; 0 for everybody's
	Parts      []CollectionPart `gorm:"serializer:json"`
	Sites      []string         `gorm:"serializer:json"` // origins of sites that may show it in a frame
	ArchivedAt span.Instant     // 0 while in use
	CreatedAt  span.Instant     `gorm:"autoCreateTime:false"`
}

// CollectionPart is some services under a heading.
type CollectionPart struct {
	Heading  string `json:"heading"`
	Services []ID   `json:"services"`
}

// Holds reports whether a service is among those of the page.
func (c Collection) Holds(service ID) bool {
	return slices.ContainsFunc(c.Parts, func(p CollectionPart) bool { return slices.Contains(p.Services, service) })
}

// After is what is said and done once a visit is booked.
type After struct {
	Thanks string   `json:"thanks,omitempty"` // in place of the usual words
	Bring  string   `json:"bring,omitempty"`  // what clients are to bring or prepare
	LeadTo string   `json:"leadTo,omitempty"` // the address to which clients are led on; empty for none
	Tells  []string `json:"tells,omitempty"`  // what that address is told
}

// Look is how a page looks, and what its buttons say.
type Look struct {
	Accent string `json:"accent,omitempty"` // #rrggbb; empty for the usual
	Scheme string `json:"scheme,omitempty"` // light or dark; empty for as the client likes
	Intro  string `json:"intro,omitempty"`  // below the heading
	Next   string `json:"next,omitempty"`   // the button below a start that was chosen; empty for the usual
	Book   string `json:"book,omitempty"`   // the last button; empty for the usual
	// Headings: of the page, the service's name when empty; of the starts and of the form, which have none when
	// empty; of what is booked, the usual when empty.
	Title   string `json:"title,omitempty"`
	Choose  string `json:"choose,omitempty"`
	Details string `json:"details,omitempty"`
	Done    string `json:"done,omitempty"`
}

// Collection returns a collection.
func (t Tx) Collection(id ID) (Collection, error) { return one[Collection](t.db.Where("id = ?", id)) }

// CollectionBySlug returns the one with an address.
func (t Tx) CollectionBySlug(slug string) (Collection, error) {
	return one[Collection](t.db.Where("slug = ?", slug))
}

// Collections returns all of them by title, those out of use last.
func (t Tx) Collections() ([]Collection, error) {
	return rows[Collection](t.db.Order("archived_at > 0, title, id").Limit(1000))
}

// SaveCollection keeps a collection, a new one when it has no number.
func (t Tx) SaveCollection(c *Collection) error { return t.db.Save(c).Error }

// FormerSlugsOf returns the addresses that a collection had, the last first.
func (t Tx) FormerSlugsOf(collection ID) ([]FormerSlug, error) {
	return rows[FormerSlug](t.db.Where("collection_id = ?", collection).Order("since DESC, slug").Limit(PageSize))
}

// Step is how far somebody came on a page.
type Step string

// The steps.
const (
	StepOpened  Step = "opened"
	StepChosen  Step = "chosen"
	StepDetails Step = "details"
	StepBooked  Step = "booked"
)

// PageCount is how many came so far on a day.
type PageCount struct {
	ServiceID    ID
	CollectionID ID
	Date         string
	Step         Step
	N            int
}

// CountPages adds to what is counted of pages.
func (t Tx) CountPages(list []PageCount) error {
	for _, c := range list {
		err := t.db.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "service_id"}, {Name: "collection_id"}, {Name: "date"}, {Name: "step"}},
			DoUpdates: clause.Assignments(map[string]any{"n": gorm.Expr("n + ?", c.N)})}).Create(&c).Error
		if err != nil {
			return err
		}
	}
	return nil
}

// PageCounts returns what was counted since a date, of all pages together by step.
func (t Tx) PageCounts(since string) ([]PageCount, error) {
	return scan[[]PageCount](t.db.Raw("SELECT service_id, collection_id, step, SUM(n) AS n FROM page_counts WHERE date >= ? GROUP BY 1, 2, 3", since))
}

// LastBooked is when something was booked last of a service.
type LastBooked struct {
	ServiceID ID
	At        span.Instant
}

// LastBookings returns when each service was booked last.
func (t Tx) LastBookings() ([]LastBooked, error) {
	return scan[[]LastBooked](t.db.Raw(`SELECT s.id AS service_id, COALESCE((SELECT b.created_at FROM turns t JOIN bookings b ON b.id = t.booking_id WHERE t.service_id = s.id AND NOT b.trial ORDER BY t.booking_id DESC LIMIT 1), 0) AS at FROM services s`))
}

// MailCode is a code by which somebody proves that a mail address is theirs.
type MailCode struct {
	ID        ID
	MailHash  string
	CodeHash  string
	Tries     int
	MadeAt    span.Instant
	ExpiresAt span.Instant
}

// AddMailCode keeps a code; those that have ended go.
func (t Tx) AddMailCode(c MailCode, now span.Instant) error {
	if err := t.db.Delete(&MailCode{}, "expires_at <= ?", now).Error; err != nil {
		return err
	}
	return t.db.Create(&c).Error
}

// MailCodesOf returns the codes of an address that have not ended, the newest first.
func (t Tx) MailCodesOf(mailHash string, now span.Instant) ([]MailCode, error) {
	return rows[MailCode](t.db.Where("mail_hash = ? AND expires_at > ?", mailHash, now).Order("id DESC").Limit(PageSize))
}

// TryMailCode counts a try of a code.
func (t Tx) TryMailCode(id ID) error {
	return t.db.Exec("UPDATE mail_codes SET tries = tries + 1 WHERE id = ?", id).Error
}
