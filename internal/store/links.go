package store

import (
	"niche/core/span"
)

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
	Address   string // as it was given; of a feed its origin only
	Host      string // where exchanges go, as host or host:port
	Username  string
	Secret    []byte // encrypted: the app password, the tokens, or the address of a feed
	ByConsent bool   // its owner signed in at the host, so that it has tokens and no password
	HostID    *ID    // the host that is registered, at which they did; nil once that is forgotten
	Principal string
	Home      string       // the address under which the calendars lie
	Mails     []string     `gorm:"serializer:json"`
	ListedAt  span.Instant // when its calendars were listed
	TriedAt   span.Instant // when that was last tried
	NextAt    span.Instant
	Failures  int          // in a row
	Error     string       // why it could not be listed, in plain words
	Wishes    Wishes       `gorm:"embedded"`
	Closing   bool         // it goes once its copies are gone
	CreatedAt span.Instant `gorm:"autoCreateTime:false"`
}

// Wishes are what the owner of a link wishes of the copies in it.
type Wishes struct {
	Drift   string  `gorm:"default:ask" json:"drift"`     // what becomes of those that are changed outside: ask, put back or follow
	Alarm   int     `json:"alarm"`                        // how many minutes before a visit its copy reminds; 0 for not
	Private bool    `json:"private"`                      // they are marked as private
	Clients Clients `gorm:"default:named" json:"clients"` // how they name clients
	Pending bool    `json:"pending"`                      // visits that are only asked for are written too
	Buffers bool    `json:"buffers"`                      // the time before and after a visit is written too, as events of their own
}

// Clients says how copies name clients.
type Clients string

// The ways to name clients.
const (
	ClientsNamed    Clients = "named"   // in words
	ClientsAsGuests Clients = "guests"  // as attendees too
	ClientsUnnamed  Clients = "unnamed" // by references of bookings alone
)

// CalendarState says how well a calendar is known at present.
type CalendarState string

// The states of a calendar. They are changed by package reading only.
const (
	Waiting    CalendarState = "waiting"     // not read yet
	Fresh      CalendarState = "fresh"       // read when it was due
	Late       CalendarState = "late"        // read, but longer ago than it should; never stored
	NotReached CalendarState = "unreachable" // its host does not answer, or not wholly
	Refused    CalendarState = "refused"     // its host no longer takes the key
	Gone       CalendarState = "gone"        // its host does not know it any more
)

// Calendar is one calendar inside a link.
type Calendar struct {
	ID            ID
	LinkID        ID
	Href          string // its path, in one spelling
	Address       string // the same as its host spells it
	Name          string
	Colour        string
	CanWrite      bool
	Blocks        bool
	GetsBookings  bool
	PadBefore     span.Minutes // kept free around its events
	PadAfter      span.Minutes
	TentativeFree bool         // its tentative events take no time
	AllDayFree    bool         // its all-day events take no time
	Titles        bool         // its owner has opened it: what its events are called is kept, and shown at the desk
	ForeignVisits bool         // and they are visits that another desk has made: they stand on the wall as such, and block all the same
	Refresh       span.Minutes // how often its host says that it is worth looking at
	Mark          string       // what its source remembers of the last reading
	KnownTo       span.Instant // up to when its events are kept; 0 while nothing is
	KnownFor      string       // the clock and the mail addresses by which they were read
	Watched       bool         // it is read from time to time
	State         CalendarState
	Error         string // in plain words
	Skipped       int    // events that could not be read
	ReadAt        span.Instant
	TriedAt       span.Instant // when it was last tried to read it
	NextAt        span.Instant
	Failures      int // in a row, of its own
}

// Never is when something is due that is not.
const Never span.Instant = 9_000_000_000_000_000_000

// Link returns a link.
func (t Tx) Link(id ID) (Link, error) { return one[Link](t.db.Where("id = ?", id)) }

// LinksOf returns the links of a staff member; nobody has so many that the list
// must be cut.
func (t Tx) LinksOf(staff ID) ([]Link, error) {
	return rows[Link](t.db.Where("staff_id = ?", staff).Order("id").Limit(PageSize))
}

// AllLinks returns every link.
func (t Tx) AllLinks() ([]Link, error) { return rows[Link](t.db.Order("id")) }

// SaveLink keeps a link, a new one when it has no number.
func (t Tx) SaveLink(l *Link) error { return t.db.Save(l).Error }

// SaveSecret keeps another secret in the place of one, and reports whether it was that
// one still.
func (t Tx) SaveSecret(id ID, before, secret []byte) (bool, error) {
	q := t.db.Exec("UPDATE links SET secret = ? WHERE id = ? AND secret = ?", secret, id, before)
	return q.RowsAffected == 1, q.Error
}

// SaveWishes keeps what the owner of a link wishes of the copies in it.
func (t Tx) SaveWishes(l Link) error {
	return t.db.Model(&l).Select("drift", "alarm", "private", "clients", "pending", "buffers").Updates(&l).Error
}

// NoteListing keeps how the listing of an account's calendars went.
func (t Tx) NoteListing(l Link) error {
	return t.db.Model(&l).Select("mails", "home", "host", "listed_at", "tried_at", "next_at", "failures", "error").Updates(&l).Error
}

// DeleteLink forgets a link, whose calendars must have been forgotten before.
func (t Tx) DeleteLink(id ID) error { return t.db.Delete(&Link{}, id).Error }

// Calendar returns a calendar.
func (t Tx) Calendar(id ID) (Calendar, error) {
	c, err := one[Calendar](t.db.Where("id = ?", id))
	t.pulses.upon(&c)
	return c, err
}

// asRead puts the last reading upon each calendar.
func (t Tx) asRead(list []Calendar, err error) ([]Calendar, error) {
	for i := range list {
		t.pulses.upon(&list[i])
	}
	return list, err
}

func (t Tx) rowsAsRead(list []CalendarRow, err error) ([]CalendarRow, error) {
	for i := range list {
		list[i].NextAt = t.pulses.upon(&list[i].Calendar)
	}
	return list, err
}

// CalendarsOf returns the calendars of a link.
func (t Tx) CalendarsOf(link ID) ([]Calendar, error) {
	return t.asRead(rows[Calendar](t.db.Where("link_id = ?", link).Order("id")))
}

// CalendarsOfStaff returns the calendars of a staff member.
func (t Tx) CalendarsOfStaff(staff ID) ([]Calendar, error) {
	return t.asRead(rows[Calendar](t.db.Joins("JOIN links l ON l.id = calendars.link_id").Where("l.staff_id = ?", staff).Order("calendars.name, calendars.id")))
}

// SaveCalendar keeps a calendar, a new one when it has no number.
func (t Tx) SaveCalendar(c *Calendar) error { return t.db.Save(c).Error }

// SaveListed keeps what a host says of a calendar that is listed.
func (t Tx) SaveListed(c Calendar) error {
	return t.db.Model(&c).Select("href", "address", "name", "colour", "can_write", "gets_bookings").Updates(&c).Error
}

// SaveChoice keeps what a calendar is for.
func (t Tx) SaveChoice(c Calendar) error {
	return t.db.Model(&c).Select("blocks", "gets_bookings", "pad_before", "pad_after", "tentative_free", "all_day_free", "titles", "foreign_visits", "watched", "next_at").Updates(&c).Error
}

// NoteReading keeps how a reading of a calendar went.
func (t Tx) NoteReading(c Calendar) error {
	return t.db.Exec(`UPDATE calendars SET state = ?, error = ?, failures = ?, mark = ?, known_to = ?, known_for = ?, refresh = ?, skipped = ?, read_at = ?, tried_at = ?, next_at = ?
		WHERE id = ?`, c.State, c.Error, c.Failures, c.Mark, c.KnownTo, c.KnownFor, c.Refresh, c.Skipped, c.ReadAt, c.TriedAt, c.NextAt, c.ID).Error
}

// DeleteCalendar forgets a calendar with what is known of its events. Its copies
// must have been settled before.
func (t Tx) DeleteCalendar(id ID) error { return t.db.Delete(&Calendar{}, id).Error }

// CalendarRow is a calendar with what a list says of it.
type CalendarRow struct {
	Calendar
	StaffID    ID
	StaffName  string
	Host       string
	Events     int // that are known of
	Ahead      int // busy spans that take time and lie ahead
	Copies     int // of visits ahead that are wanted in it
	Unfinished int // copies of which something is still to be done
}

// CalendarRows returns the calendars of some links.
func (t Tx) CalendarRows(links []ID, now span.Instant) ([]CalendarRow, error) {
	return t.rowsAsRead(scan[[]CalendarRow](t.db.Raw(`SELECT c.*, (SELECT COUNT(*) FROM objects o WHERE o.calendar_id = c.id AND o.href <> ?) AS events,
			(SELECT COUNT(*) FROM busy_spans s WHERE s.calendar_id = c.id AND s."end" > ? AND `+counts+`) AS ahead,
			(SELECT COUNT(*) FROM copies k JOIN visits v ON v.id = k.visit_id WHERE k.calendar_id = c.id AND k.wanted AND v."end" > ?) AS copies,
			(SELECT COUNT(*) FROM copies k WHERE k.calendar_id = c.id AND k.next_at < ?) AS unfinished
		FROM calendars c WHERE c.link_id IN ? ORDER BY c.can_write DESC, c.name, c.id`, UnreadHref, now, now, Never, links)))
}

// Taken is a stretch of a calendar that an event takes, or a copy of a visit.
type Taken struct {
	CalendarID ID
	Start, End span.Instant
	Copy       bool
}

// mostTaken is how many stretches are returned at most.
const mostTaken = 3000

// TakenIn returns what lies in a window in the calendars of some links: events that take time by the calendars' choices, and
// copies of visits.
func (t Tx) TakenIn(links []ID, window span.Span) ([]Taken, error) {
	return scan[[]Taken](t.db.Raw(`SELECT s.calendar_id, s.start, s."end", 0 AS copy FROM calendars c JOIN busy_spans s ON s.calendar_id = c.id AND s."end" > @from AND s.start < @to
			WHERE c.link_id IN @links AND `+counts+`
		UNION ALL SELECT k.calendar_id, v.start, v."end", 1 FROM calendars c JOIN copies k ON k.calendar_id = c.id AND k.wanted AND k.part = '' JOIN visits v ON v.id = k.visit_id AND v.proof_id = 0
			WHERE c.link_id IN @links AND v."end" > @from AND v.start < @to ORDER BY 2 LIMIT @most`,
		map[string]any{"links": links, "from": window.Start(), "to": window.End(), "most": mostTaken}))
}

// CalendarsInUse returns all calendars that block time or get bookings, of people
// in use: what each is for, how well it is known, and whose it is.
func (t Tx) CalendarsInUse() ([]CalendarRow, error) {
	var list []CalendarRow
	err := each(t.db.Raw(`SELECT c.id, c.name, c.gets_bookings, c.state, c.error, c.refresh, c.read_at, c.tried_at, c.next_at, s.id, s.name FROM calendars c
		JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id AND s.archived_at = 0 WHERE c.blocks OR c.gets_bookings ORDER BY s.id, c.name`), func(scan func(...any) error) error {
		var c CalendarRow
		err := scan(&c.ID, &c.Name, &c.GetsBookings, &c.State, &c.Error, &c.Refresh, &c.ReadAt, &c.TriedAt, &c.NextAt, &c.StaffID, &c.StaffName)
		list = append(list, c)
		return err
	})
	return t.rowsAsRead(list, err)
}

// CalendarUse is what a calendar of a staff member is for, for lists of people.
type CalendarUse struct {
	StaffID      ID
	LinkID       ID
	Name         string
	Blocks       bool
	GetsBookings bool
	State        CalendarState
}

// CalendarUses returns the calendars of staff members.
func (t Tx) CalendarUses(staff []ID) ([]CalendarUse, error) {
	return scan[[]CalendarUse](t.db.Raw(`SELECT l.staff_id, l.id AS link_id, c.name, c.blocks, c.gets_bookings, c.state FROM links l
		LEFT JOIN calendars c ON c.link_id = l.id WHERE l.staff_id IN ? ORDER BY l.id, c.name`, staff))
}

// Watching decides anew which calendars of a staff member are read from time to
// time: those that block time or get bookings, and those in which copies are kept,
// as long as the person is in use.
func (t Tx) Watching(staff ID, now span.Instant) error {
	return t.db.Exec(`UPDATE calendars SET watched = (SELECT s.archived_at = 0 AND (calendars.blocks OR calendars.gets_bookings OR EXISTS (SELECT 1 FROM copies k
			JOIN visits v ON v.id = k.visit_id WHERE k.calendar_id = calendars.id AND k.wanted AND v."end" > ?))
		FROM links l JOIN staff s ON s.id = l.staff_id WHERE l.id = calendars.link_id)
		WHERE link_id IN (SELECT id FROM links WHERE staff_id = ?)`, now, staff).Error
}

// ReadSoon makes calendars due whose events are not known up to an instant.
func (t Tx) ReadSoon(upTo span.Instant) error {
	return t.db.Exec("UPDATE calendars SET next_at = 0 WHERE watched AND blocks AND known_to < ?", upTo).Error
}

// ResumePolls makes fresh calendars due some seconds after they were tried last, which
// are due later, but not later than some other seconds after it.
func (t Tx) ResumePolls(after, most span.Instant) error {
	return t.db.Exec("UPDATE calendars SET next_at = tried_at + ? WHERE watched AND state = ? AND next_at > tried_at + ? AND next_at <= tried_at + ?", after, Fresh, after, most).Error
}

// ReadAllSoon makes all calendars of a staff member due.
func (t Tx) ReadAllSoon(staff ID) error {
	return t.db.Exec("UPDATE calendars SET next_at = 0 WHERE watched AND link_id IN (SELECT id FROM links WHERE staff_id = ?)", staff).Error
}

// ClosingForward makes the link of a calendar due, if it is closing: something that
// it waits for has been done.
func (t Tx) ClosingForward(calendar ID, now span.Instant) error {
	return t.db.Model(&Link{}).Where("closing AND id = (SELECT link_id FROM calendars WHERE id = ?)", calendar).Update("next_at", now).Error
}
