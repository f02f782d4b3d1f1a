package store

import (
	"niche/core/offer"
	"niche/core/question"
	"niche/core/span"
)

// Service is what clients book, with its rules.
type Service struct {
	ID    ID
	Slug  string
	Name  string
	Place string
	Venue Venue  // where its visits take place
	Room  string // the kind of room of which clients are told which one it is; empty for none

	Hue                int
	Length             span.Minutes
	Step               span.Minutes
	Anchor             string
	BufferBefore       span.Minutes
	BufferAfter        span.Minutes
	BuffersInsideHours bool
	Lengths            []span.Minutes `gorm:"serializer:json"` // further lengths that a client can choose
	Notice             offer.Notice   `gorm:"serializer:json"`
	Window             offer.Window   `gorm:"serializer:json"`
	CapPerDay          *int           // visits of this service a day and staff member; nil for no cap
	Places             int
	Needs              []string `gorm:"serializer:json"` // kinds of resource
	Staffing           string
	Pick               Pick
	Paused             bool
	Unreachable        Unreachable
	Sites              []string            `gorm:"serializer:json"` // origins of sites that may show its page in a frame
	Questions          []question.Question `gorm:"serializer:json"`
	AskPhone           Asking              // whether clients are asked for a telephone number
	MoveUntil          span.Minutes        // before the visit, until when clients move it by themselves
	CancelUntil        span.Minutes        // the same of cancelling
	MoveTimes          int                 // how often a client moves it; 0 for any number, -1 for never
	ApproveWithin      span.Minutes        // within which a request is answered, or let go; 0 where nothing has to be approved
	Messages           ServiceMessages     `gorm:"serializer:json"`
	Afterwards         After               `gorm:"serializer:json"`
	Look               Look                `gorm:"serializer:json"`
	ProveMail          bool                // clients prove that their mail address is theirs
	CancelDeclined     bool                // a client who answers the invitation that they do not come is taken at their word
	Prepaid            int64               // what each place costs, in the smallest unit of the business's currency, where it is paid before it stands; 0 for nothing
	RefundUntil        span.Minutes        // before the visit, until when a client who cancels has the money back; -1 for never
	ArchivedAt         span.Instant        // 0 while in use
	CreatedAt          span.Instant        `gorm:"autoCreateTime:false"`
}

// Venue says where the visits of a service take place.
type Venue string

// The venues.
const (
	AtOurs      Venue = "ours"
	AtTheirs    Venue = "theirs" // at the client's address, which they are asked for
	ByTelephone Venue = "telephone"
	Online      Venue = "online" // in a room that a meeting host makes
)

// Asking says whether clients are asked for something.
type Asking string

// The ways.
const (
	NotAsked  Asking = "no"
	MayBeSaid Asking = "may"
	MustSay   Asking = "must"
)

// ServiceMessages says what is sent about bookings of a service, and when.
type ServiceMessages struct {
	Reminders []span.Minutes         `json:"reminders,omitempty"` // by mail before the visit, each once
	ByText    []span.Minutes         `json:"byText,omitempty"`    // the same as a text to the client's telephone
	FollowUp  span.Minutes           `json:"followUp,omitempty"`  // after the visit; 0 for none
	NoInvite  bool                   `json:"noInvite,omitempty"`  // no calendar invitation goes with them
	Texts     map[string]MessageText `json:"texts,omitempty"`     // by kind, of those that are not the usual ones
}

// MessageText is what a kind of message says, with fields in braces.
type MessageText struct {
	Subject string `json:"subject"`
	Body    string `json:"body"`
}

// Pick says how one of several staff members is picked for a visit.
type Pick string

// The ways of picking.
const (
	PickOrder  Pick = "order"  // the first in the service's order
	PickFewest Pick = "fewest" // who has the fewest visits that day
	PickTurn   Pick = "turn"   // whose last visit of the service was taken longest ago
	PickLast   Pick = "last"   // whom the client had last
	PickWeight Pick = "weight" // in proportion to what each takes
)

// Unreachable is a service's choice for a booking whose blocking calendars
// cannot all be read at the moment of taking it.
type Unreachable string

// The choices.
const (
	TakeIt   Unreachable = "take"   // the last good state counts
	AskFirst Unreachable = "ask"    // the booking waits for the administrator
	RefuseIt Unreachable = "refuse" //
)

// ServiceStaff says who performs a service.
type ServiceStaff struct {
	ServiceID ID `gorm:"primaryKey"`
	StaffID   ID `gorm:"primaryKey"`
	Position  int
	Weight    int // how many visits they take in proportion, where they are picked so
}

// TableName keeps the trade's word.
func (ServiceStaff) TableName() string { return "service_staff" }

// Service returns a service.
func (t Tx) Service(id ID) (Service, error) { return one[Service](t.db.Where("id = ?", id)) }

// ServiceBySlug returns the service whose page has an address.
func (t Tx) ServiceBySlug(slug string) (Service, error) {
	return one[Service](t.db.Where("slug = ?", slug))
}

// FormerSlug is an address that a page had.
type FormerSlug struct {
	Slug         string `gorm:"primaryKey"`
	ServiceID    ID     // 0 for one of a collection
	CollectionID ID
	Since        span.Instant
}

// FormerSlug returns the address that a page had; ErrNotFound for one that none had.
func (t Tx) FormerSlug(slug string) (FormerSlug, error) {
	return one[FormerSlug](t.db.Where("slug = ?", slug))
}

// FormerSlugs returns the addresses that a service's page had, the last first.
func (t Tx) FormerSlugs(service ID) ([]FormerSlug, error) {
	return rows[FormerSlug](t.db.Where("service_id = ?", service).Order("since DESC, slug").Limit(PageSize))
}

// KeepSlug keeps an address that a page had.
func (t Tx) KeepSlug(f FormerSlug) error { return t.db.Save(&f).Error }

// TakeSlug takes an address back into use.
func (t Tx) TakeSlug(slug string) error { return t.db.Delete(&FormerSlug{}, "slug = ?", slug).Error }

// ServicePart returns a part of all services, one more than a page where there are
// more.
func (t Tx) ServicePart(l Listing) ([]Service, error) { return part[Service](t, l, "name, id") }

// ServicesInUse returns the services in use, by age.
func (t Tx) ServicesInUse() ([]Service, error) {
	return rows[Service](t.db.Where("archived_at = 0").Order("id").Limit(1000))
}

// Windows returns the different booking windows of the services in use.
func (t Tx) Windows() ([]offer.Window, error) {
	services, err := rows[Service](t.db.Select("window").Where("archived_at = 0").Distinct())
	windows := make([]offer.Window, len(services))
	for i, s := range services {
		windows[i] = s.Window
	}
	return windows, err
}

// SaveService keeps a service, a new one when it has no number.
func (t Tx) SaveService(s *Service) error { return t.db.Save(s).Error }

// PerformersOf returns who performs services, in their order, whether or not they
// are in use.
func (t Tx) PerformersOf(services []ID) ([]ServiceStaff, error) {
	return rows[ServiceStaff](t.db.Where("service_id IN ?", services).Order("service_id, position"))
}

// ReplacePerformers keeps who performs a service, in their order.
func (t Tx) ReplacePerformers(service ID, staff []ID, weight func(i int) int) error {
	if err := t.db.Where("service_id = ?", service).Delete(&ServiceStaff{}).Error; err != nil {
		return err
	}
	list := make([]ServiceStaff, len(staff))
	for i, id := range staff {
		list[i] = ServiceStaff{service, id, i, weight(i)}
	}
	return create(t, list)
}

// Shares returns what each who performs a service takes in proportion, and how many of its visits that begin after an instant
// each has.
func (t Tx) Shares(service ID, since span.Instant) (weights, taken map[ID]int, err error) {
	weights, taken = map[ID]int{}, map[ID]int{}
	q := t.db.Raw(`SELECT ss.staff_id, ss.weight, (SELECT COUNT(*) FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id WHERE vs.staff_id = ss.staff_id AND vs.start > ? AND v.service_id = ss.service_id
		AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled')) FROM service_staff ss WHERE ss.service_id = ?`, since, service)
	err = each(q, func(scan func(...any) error) error {
		var staff ID
		var weight, n int
		err := scan(&staff, &weight, &n)
		weights[staff], taken[staff] = max(1, weight), n
		return err
	})
	return weights, taken, err
}
