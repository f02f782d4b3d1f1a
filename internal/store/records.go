package store

import (
	"fmt"

	"niche/core/span"
)

// ID numbers a record of one kind. The zero value is no record.
type ID int64

// Business is the one business whose desk this is.
type Business struct {
	ID   ID
	Name string
	Zone string
}

// Administrator can sign in to the desk.
type Administrator struct {
	ID           ID
	Email        string
	Name         string
	PasswordHash string
	CreatedAt    span.Instant `gorm:"autoCreateTime:false"`
}

// Session is a signed-in browser; the token itself is not kept.
type Session struct {
	TokenHash       string `gorm:"primaryKey"`
	AdministratorID ID
	CreatedAt       span.Instant `gorm:"autoCreateTime:false"`
	ExpiresAt       span.Instant
}

// Staff is a staff member.
type Staff struct {
	ID         ID
	Name       string
	Email      string
	Zone       string
	CapPerDay  *int         // visits a day over all services; nil for no cap
	ArchivedAt span.Instant // 0 while in use
	CreatedAt  span.Instant `gorm:"autoCreateTime:false"`
}

// TableName keeps the trade's word.
func (Staff) TableName() string { return "staff" }

// Pattern is a pattern of weekly hours; its cycle is JSON.
type Pattern struct {
	ID        ID
	StaffID   ID
	Position  int
	FromDate  string
	UntilDate string
	Cycle     string
}

// Service is what clients book, with its rules.
type Service struct {
	ID                 ID
	Slug               string
	Name               string
	Place              string
	Hue                int
	Length             span.Minutes
	Step               span.Minutes
	Anchor             string
	BufferBefore       span.Minutes
	BufferAfter        span.Minutes
	BuffersInsideHours bool
	Lengths            []span.Minutes `gorm:"serializer:json"` // further lengths that a client can choose
	NoticeKind         NoticeKind
	NoticeMinutes      span.Minutes
	NoticeDays         int
	NoticeBy           string
	WindowKind         WindowKind
	WindowDays         int
	WindowFrom         string
	WindowTo           string
	CapPerDay          *int // visits of this service a day and staff member; nil for no cap
	Places             int
	Needs              []string `gorm:"serializer:json"` // kinds of resource
	Staffing           string
	Pick               Pick
	Paused             bool
	Unreachable        Unreachable
	ArchivedAt         span.Instant // 0 while in use
	CreatedAt          span.Instant `gorm:"autoCreateTime:false"`
}

// NoticeKind says how a service's notice is given.
type NoticeKind string

// The kinds of notice.
const (
	NoNotice        NoticeKind = "none"
	NoticeByMinutes NoticeKind = "minutes"
	NoticeByDay     NoticeKind = "day" // by a time of day some days before
)

// WindowKind says how a service's booking window is given.
type WindowKind string

// The kinds of booking windows.
const (
	NoWindow      WindowKind = "none"
	WindowByDays  WindowKind = "days"
	WindowByDates WindowKind = "dates"
)

// Pick says how one of several staff members is picked for a visit.
type Pick string

// The ways of picking.
const (
	PickOrder  Pick = "order"  // the first in the service's order
	PickFewest Pick = "fewest" // who has the fewest visits that day
	PickTurn   Pick = "turn"   // whose last visit of the service was taken longest ago
	PickLast   Pick = "last"   // whom the client had last
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
}

// TableName keeps the trade's word.
func (ServiceStaff) TableName() string { return "service_staff" }

// OneOff replaces the hours of one day; its spans are JSON.
type OneOff struct {
	ID      ID
	StaffID ID
	Date    string
	Spans   string
	Note    string
}

// Absence is a range of dates on which a staff member is away.
type Absence struct {
	ID        ID
	StaffID   ID
	FromDate  string
	UntilDate string
	Note      string
}

// Closure is a date on which the whole business is closed.
type Closure struct {
	Date string `gorm:"primaryKey"`
	Name string
}

// Resource is a room or a piece of equipment.
type Resource struct {
	ID         ID
	Name       string
	Kind       string
	ArchivedAt span.Instant // 0 while in use
	CreatedAt  span.Instant `gorm:"autoCreateTime:false"`
}

// VisitResource says which rooms and equipment a visit has.
type VisitResource struct {
	VisitID    ID `gorm:"primaryKey"`
	ResourceID ID `gorm:"primaryKey"`
}

// LinkKind says what a link leads to.
type LinkKind string

// The kinds of links.
const (
	AccountLink LinkKind = "account" // a CalDAV account with its calendars
	FeedLink    LinkKind = "feed"    // one calendar that is published under an address
)

// Link is a staff member's connection to one outside account or feed.
type Link struct {
	ID        ID
	StaffID   ID
	Kind      LinkKind
	Address   string
	Username  string
	Secret    []byte // encrypted: the app password, or the address of a feed
	Principal string
	Home      string
	Mails     []string     `gorm:"serializer:json"`
	CreatedAt span.Instant `gorm:"autoCreateTime:false"`
}

// CalendarState says how well a calendar is known at present.
type CalendarState string

// The states of a calendar.
const (
	Waiting    CalendarState = "waiting"     // not read yet
	Fresh      CalendarState = "fresh"       // read when it was due
	Late       CalendarState = "late"        // read, but longer ago than it should; never stored
	NotReached CalendarState = "unreachable" // its host does not answer
	Refused    CalendarState = "refused"     // its host no longer takes the key
	Gone       CalendarState = "gone"        // its host does not know it any more
)

// Calendar is one calendar inside a link.
type Calendar struct {
	ID            ID
	LinkID        ID
	Href          string
	Name          string
	Colour        string
	CanWrite      bool
	Blocks        bool
	GetsBookings  bool
	PadBefore     span.Minutes // kept free around its events
	PadAfter      span.Minutes
	TentativeFree bool         // its tentative events take no time
	AllDayFree    bool         // its all-day events take no time
	Token         string       // of sync-collection
	CollectionTag string       // or the ETag of a feed
	Modified      string       // Last-Modified of a feed
	Refresh       span.Minutes // how often its host says that it is worth looking at
	ExpandedOn    string       // the first and last date into which its events were expanded
	State         CalendarState
	Error         string // in plain words
	Skipped       int    // events that could not be read
	ReadAt        span.Instant
	NextAt        span.Instant
	Failures      int // in a row
}

// Object is an event resource of a calendar.
type Object struct {
	CalendarID ID     `gorm:"primaryKey"`
	Href       string `gorm:"primaryKey"`
	Etag       string
	UIDHash    string
	Skipped    int
	Beyond     bool // it has, or may have, time after the horizon
}

// UnreadHref stands, among the events of a feed, for all that could not be read.
const UnreadHref = "unread"

// Unread is an event that could not be read. Nothing but its date is kept of it.
type Unread struct {
	CalendarID ID
	Href       string
	Date       string // of its start, or empty
	Reason     string
}

// TableName is the word itself.
func (Unread) TableName() string { return "unread" }

// Clash is a busy span that arrived on top of a visit.
type Clash struct {
	ID         ID
	VisitID    ID
	CalendarID ID
	Start      span.Instant // of the busy time
	End        span.Instant
	FoundAt    span.Instant
	ClosedAt   span.Instant // 0 while it is open
}

// BusySpan is a stretch of time that an event takes.
type BusySpan struct {
	CalendarID ID
	Href       string
	Start      span.Instant
	End        span.Instant
	AllDay     bool
	Tentative  bool
}

// Visit is the time with clients.
type Visit struct {
	ID           ID
	ServiceID    ID
	UID          string
	Start        span.Instant
	End          span.Instant
	BufferBefore span.Minutes
	BufferAfter  span.Minutes
}

// During returns the visit without its buffers.
func (v Visit) During() span.Span { return span.Between(v.Start, v.End) }

// Occupied returns the visit with its buffers.
func (v Visit) Occupied() span.Span { return v.During().Widen(v.BufferBefore, v.BufferAfter) }

// VisitStaff says whose visit it is. It outlives the claim.
type VisitStaff struct {
	VisitID ID `gorm:"primaryKey"`
	StaffID ID `gorm:"primaryKey"`
}

// TableName keeps the trade's word.
func (VisitStaff) TableName() string { return "visit_staff" }

// Subject is what a claim is made on.
type Subject string

// StaffSubject returns the subject of a staff member's time.
func StaffSubject(id ID) Subject { return Subject(fmt.Sprintf("staff:%d", id)) }

// ResourceSubject returns the subject of a room's or a piece of equipment's time.
func ResourceSubject(id ID) Subject { return Subject(fmt.Sprintf("resource:%d", id)) }

// Claim is the exclusive right of a visit to a subject's time.
type Claim struct {
	ID      ID
	VisitID ID
	Subject Subject
	Start   span.Instant
	End     span.Instant
}

// BookingStatus is where a booking stands.
type BookingStatus string

// The statuses of a booking. All but Cancelled hold their time.
const (
	Held      BookingStatus = "held"      // claimed, and the last look is under way
	Pending   BookingStatus = "pending"   // waits for the administrator
	Confirmed BookingStatus = "confirmed" //
	Cancelled BookingStatus = "cancelled" //
)

// Booking is a client's booking of places in a visit.
type Booking struct {
	ID          ID
	VisitID     ID
	Reference   string
	TokenHash   string
	Status      BookingStatus
	Places      int
	ClientName  string
	ClientMail  string
	ClientZone  string
	Picked      string       // how its staff were picked, in a sentence
	CreatedAt   span.Instant `gorm:"autoCreateTime:false"`
	CancelledAt span.Instant
}

// CopyState is where a copy stands.
type CopyState string

// The states of a copy.
const (
	CopyWaiting  CopyState = "waiting"   // to be written or removed
	CopyWritten  CopyState = "written"   // the host took it; to be read back
	CopyReadBack CopyState = "read back" // read back, and it says what the booking says
	CopyFailed   CopyState = "failed"    // the last try failed; another follows
	CopyRemoved  CopyState = "removed"   // gone outside, as wanted
)

// Copy is a visit as written into one outside calendar.
type Copy struct {
	ID         ID
	VisitID    ID
	CalendarID ID
	Href       string
	Etag       string
	Wanted     bool // whether it should be there
	Sequence   int
	State      CopyState
	Error      string
	Attempts   int
	NextAt     span.Instant
}
