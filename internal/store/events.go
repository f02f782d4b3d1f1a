package store

import (
	"errors"
	"strings"

	"gorm.io/gorm/clause"

	"niche/core/span"
)

// Object is an event resource of a calendar: its version, and nothing of what it
// says.
type Object struct {
	CalendarID ID     `gorm:"primaryKey"`
	Href       string `gorm:"primaryKey"` // its path, in one spelling
	Address    string // the same as its host spells it
	Etag       string
	UIDHash    string
	VisitID    ID // of which visit it is a copy, or 0
	Skipped    int
	Beyond     bool // it has, or may have, time after the horizon
	Owed       int  // for how many readings in a row it could not be had
	ReadAt     span.Instant
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

// BusySpan is a stretch of time that an event takes.
type BusySpan struct {
	CalendarID ID
	Href       string
	Start      span.Instant
	End        span.Instant
	AllDay     bool
	Tentative  bool
	Title      string // empty, unless the owner has opened the calendar
}

// packed are the busy spans of a calendar that count, in one piece.
type packedSpans struct {
	CalendarID ID `gorm:"primaryKey"`
	Spans      []byte
}

// TableName is the word itself.
func (packedSpans) TableName() string { return "packed_spans" }

// counts is the condition of SQL under which the busy span s of the calendar c
// counts by the calendar's choices.
const counts = `NOT (c.tentative_free AND s.tentative) AND NOT (c.all_day_free AND s.all_day) AND s.start < s."end"`

// Objects returns the event resources of a calendar.
func (t Tx) Objects(calendar ID) ([]Object, error) {
	return rows[Object](t.db.Where("calendar_id = ?", calendar))
}

// ObjectsAt returns those of some paths.
func (t Tx) ObjectsAt(calendar ID, paths []string) (list []Object, err error) {
	err = inParts(paths, func(part []string) error {
		some, err := rows[Object](t.db.Where("calendar_id = ? AND href IN ?", calendar, part))
		list = append(list, some...)
		return err
	})
	return list, err
}

// OwedPaths returns the paths of the events that could not be had.
func (t Tx) OwedPaths(calendar ID) (paths []string, err error) {
	err = t.db.Model(&Object{}).Where("calendar_id = ? AND owed > 0", calendar).Pluck("href", &paths).Error
	return paths, err
}

// BeyondPaths returns the paths of the events that reach beyond the horizon.
func (t Tx) BeyondPaths(calendar ID) (paths []string, err error) {
	err = t.db.Model(&Object{}).Where("calendar_id = ? AND beyond = 1", calendar).Pluck("href", &paths).Error
	return paths, err
}

// ForgetObjects forgets event resources with their time.
func (t Tx) ForgetObjects(calendar ID, paths []string) error {
	return inParts(paths, func(part []string) error {
		return t.db.Exec("DELETE FROM objects WHERE calendar_id = ? AND href IN ?", calendar, part).Error
	})
}

// KnowCopy keeps that a copy of ours lies in a calendar, unless a reading has seen it
// already: so that the next one misses it when it is there no more.
func (t Tx) KnowCopy(c Copy, now span.Instant) error {
	return t.db.Clauses(clause.OnConflict{DoNothing: true}).Create(&Object{CalendarID: c.CalendarID, Href: c.Path, Address: c.Address, Etag: c.Etag, VisitID: c.VisitID, ReadAt: now}).Error
}

// AddObjects keeps event resources, with the time that they take and with what of
// them could not be read. They must not be there.
func (t Tx) AddObjects(objects []Object, spans []BusySpan, unread []Unread) error {
	return errors.Join(create(t, objects), create(t, spans), create(t, unread))
}

// SaveObject keeps an event resource without touching the time that it takes.
func (t Tx) SaveObject(o Object) error {
	return t.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&o).Error
}

// ReplaceUnread keeps what of a resource could not be read.
func (t Tx) ReplaceUnread(calendar ID, path string, list []Unread) error {
	if err := t.db.Where("calendar_id = ? AND href = ?", calendar, path).Delete(&Unread{}).Error; err != nil {
		return err
	}
	return create(t, list)
}

// ForgetPast forgets the time of events that is over at an instant.
func (t Tx) ForgetPast(calendar ID, before span.Instant) error {
	return t.db.Exec(`DELETE FROM busy_spans WHERE calendar_id = ? AND "end" <= ?`, calendar, before).Error
}

// SkippedOf counts the events of a calendar that could not be read.
func (t Tx) SkippedOf(calendar ID) (int, error) {
	return scan[int](t.db.Raw("SELECT COALESCE(SUM(skipped), 0) FROM objects WHERE calendar_id = ?", calendar))
}

// UnreadOf returns the first events of a calendar that could not be read, the
// latest first.
func (t Tx) UnreadOf(calendar ID, most int) ([]Unread, error) {
	return rows[Unread](t.db.Where("calendar_id = ?", calendar).Order("date DESC, reason").Limit(most))
}

// ForgetTitles forgets what the events of a calendar are called.
func (t Tx) ForgetTitles(calendar ID) error {
	return t.db.Exec("UPDATE busy_spans SET title = '' WHERE calendar_id = ? AND title <> ''", calendar).Error
}

// Titled is what an event is called that takes some time.
type Titled struct {
	CalendarID ID
	Start, End span.Instant
	Title      string
	Foreign    bool // it is a visit of another desk
}

// TitlesIn returns what events of calendars are called that take time in a window, where
// their owners have opened these.
func (t Tx) TitlesIn(calendars []ID, window span.Span) (list []Titled, err error) {
	err = inParts(calendars, func(part []ID) error {
		some, err := scan[[]Titled](t.db.Raw(`SELECT s.calendar_id, s.start, s."end", s.title, c.foreign_visits AS "foreign" FROM calendars c JOIN busy_spans s ON s.calendar_id = c.id
			WHERE c.id IN ? AND c.titles = 1 AND s.start < ? AND s."end" > ? AND s.title <> '' ORDER BY s.calendar_id, s.start, s.title LIMIT 5000`, part, window.End(), window.Start()))
		list = append(list, some...)
		return err
	})
	return list, err
}

// CountingSpans calls take for the busy spans of a calendar that count by its
// choices, in order of their starts.
func (t Tx) CountingSpans(calendar ID, take func(span.Span)) error {
	q := t.db.Raw(`SELECT s.start, s."end" FROM busy_spans s JOIN calendars c ON c.id = s.calendar_id
		WHERE s.calendar_id = ? AND `+counts+` ORDER BY s.start, s."end"`, calendar)
	return each(q, func(scan func(...any) error) error {
		var start, end span.Instant
		err := scan(&start, &end)
		if err == nil {
			take(span.Between(start, end))
		}
		return err
	})
}

// SavePacked keeps the busy spans of a calendar in one piece.
func (t Tx) SavePacked(calendar ID, spans []byte) error {
	return t.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&packedSpans{calendar, spans}).Error
}

// CountEvents returns how many event resources of a calendar are known, and how many busy
// spans they have.
func (t Tx) CountEvents(calendar ID) (events, busy int, err error) {
	if events, err = scan[int](t.db.Raw("SELECT COUNT(*) FROM objects WHERE calendar_id = ?", calendar)); err != nil {
		return 0, 0, err
	}
	busy, err = scan[int](t.db.Raw("SELECT COUNT(*) FROM busy_spans WHERE calendar_id = ?", calendar))
	return events, busy, err
}

// Blocking is a calendar that blocks a staff member's time, with its spans in one
// piece.
type Blocking struct {
	StaffID             ID
	ID                  ID
	Name                string
	PadBefore, PadAfter span.Minutes
	KnownTo             span.Instant
	Spans               []byte
}

// BlockingCalendars returns the calendars that block the time of staff members.
func (t Tx) BlockingCalendars(staff []ID) (list []Blocking, err error) {
	q := t.db.Raw(`SELECT l.staff_id, c.id, c.name, c.pad_before, c.pad_after, c.known_to, p.spans FROM links l
		JOIN calendars c ON c.link_id = l.id AND c.blocks = 1
		LEFT JOIN packed_spans p ON p.calendar_id = c.id WHERE l.staff_id IN ? ORDER BY c.id`, staff)
	err = each(q, func(scan func(...any) error) error {
		var b Blocking
		err := scan(&b.StaffID, &b.ID, &b.Name, &b.PadBefore, &b.PadAfter, &b.KnownTo, &b.Spans)
		list = append(list, b)
		return err
	})
	return list, err
}

// BlockingIDs returns the calendars that block the time of a staff member.
func (t Tx) BlockingIDs(staff ID) ([]ID, error) {
	return scan[[]ID](t.db.Raw("SELECT c.id FROM calendars c JOIN links l ON l.id = c.link_id WHERE l.staff_id = ? AND c.blocks = 1 ORDER BY c.id", staff))
}

// BlockingCalendar returns one calendar as it blocks time; ErrNotFound when it does
// not.
func (t Tx) BlockingCalendar(id ID) (Blocking, error) {
	b, err := scan[Blocking](t.db.Raw(`SELECT l.staff_id, c.id, c.name, c.pad_before, c.pad_after, c.known_to, p.spans FROM calendars c
		JOIN links l ON l.id = c.link_id LEFT JOIN packed_spans p ON p.calendar_id = c.id WHERE c.id = ? AND c.blocks = 1`, id))
	if err == nil && b.ID == 0 {
		err = ErrNotFound
	}
	return b, err
}

// ToRead is a calendar with all that must be known to read it.
type ToRead struct {
	Calendar Calendar
	Link     Link
	Zone     string // the owner's
	Email    string
	Soon     bool // a visit of the owner begins within the time given
	Owed     bool // there are events that could not be had
}

// CalendarToRead returns what must be known to read a calendar.
func (t Tx) CalendarToRead(id ID, now span.Instant, soon span.Minutes) (r ToRead, err error) {
	if r.Calendar, err = t.Calendar(id); err != nil {
		return r, err
	}
	if r.Link, err = t.Link(r.Calendar.LinkID); err != nil {
		return r, err
	}
	var of struct {
		Zone, Email string
		Soon, Owed  bool
	}
	err = t.db.Raw(`SELECT s.zone, s.email, EXISTS (SELECT 1 FROM claims c WHERE c.subject = ? AND c."end" > ? AND c.start < ?) AS soon,
		EXISTS (SELECT 1 FROM objects o WHERE o.calendar_id = ? AND o.owed > 0) AS owed FROM staff s WHERE s.id = ?`,
		StaffSubject(r.Link.StaffID), now, now.Add(soon), id, r.Link.StaffID).Scan(&of).Error
	r.Zone, r.Email, r.Soon, r.Owed = of.Zone, of.Email, of.Soon, of.Owed
	return r, err
}

// VisitsByUID returns the visits of which some UIDs are, by these.
func (t Tx) VisitsByUID(uids []string) (map[string]ID, error) {
	out := map[string]ID{}
	var own []string
	for _, uid := range uids {
		if strings.HasSuffix(uid, UIDSuffix) {
			own = append(own, strings.TrimPrefix(strings.TrimPrefix(uid, TimeBefore.UID("")), TimeAfter.UID("")))
		}
	}
	err := inParts(own, func(part []string) error {
		found, err := scan[[]struct {
			ID  ID
			UID string
		}](t.db.Raw("SELECT id, uid FROM visits WHERE uid IN ?", part))
		for _, v := range found {
			for _, p := range []Part{VisitItself, TimeBefore, TimeAfter} {
				out[p.UID(v.UID)] = v.ID
			}
		}
		return err
	})
	return out, err
}

// UIDSuffix ends the UIDs of visits, and of nothing else that comes from here.
const UIDSuffix = "@niche"
