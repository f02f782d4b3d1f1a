package store

import (
	"niche/core/span"
)

// CopyState is where a copy stands.
type CopyState string

// The states of a copy. They are changed by package outbox only.
const (
	CopyWaiting  CopyState = "waiting"   // to be written or removed
	CopyWritten  CopyState = "written"   // the host took it; to be read back
	CopyReadBack CopyState = "read back" // read back, and it says what the booking says
	CopyDoubted  CopyState = "doubted"   // something happened to it outside; to be looked at
	CopyAdrift   CopyState = "adrift"    // it says something else, and is left alone until somebody decides
	CopyFailed   CopyState = "failed"    // the last try failed; another follows
	CopyRemoved  CopyState = "removed"   // gone outside, as wanted
	CopyLeft     CopyState = "left"      // left outside on purpose; it is no longer looked after
)

// Part says of what in a visit an event outside is.
type Part string

// The parts.
const (
	VisitItself Part = ""
	TimeBefore  Part = "before"
	TimeAfter   Part = "after"
)

// UID returns the UID of a visit's part.
func (p Part) UID(visit string) string {
	if p == VisitItself {
		return visit
	}
	return string(p) + "-" + visit
}

// Copy is a visit, or the time before or after it, as written into one outside calendar.
type Copy struct {
	ID          ID
	VisitID     ID
	CalendarID  ID
	Part        Part
	Path        string // in one spelling
	Address     string // as the host spells it
	Etag        string
	Wanted      bool // whether it should be there
	Sequence    int  // goes up with every wish
	State       CopyState
	Error       string // in plain words
	Attempts    int    // that failed, in a row
	Rewrites    int    // for how many writes in a row other words came back
	Unsure      string // digests of writes of which it is not known whether the host took them
	UnsureUntil span.Instant
	Drift       string       // how it differs as somebody has made it outside; empty for not
	LiesStart   span.Instant // where it lies then; 0 where it lies nowhere else
	LiesEnd     span.Instant
	PutBacks    int          // how often it was put back lately
	PutBackAt   span.Instant // for the last time
	WishedAt    span.Instant // when what is wanted was wished
	TriedAt     span.Instant
	NextAt      span.Instant
}

// Copy returns a copy.
func (t Tx) Copy(id ID) (Copy, error) { return one[Copy](t.db.Where("id = ?", id)) }

// CopiesOf returns the copies of a visit.
func (t Tx) CopiesOf(visit ID) ([]Copy, error) {
	return rows[Copy](t.db.Where("visit_id = ?", visit).Order("id"))
}

// CopiesOfIn returns the copies of a visit in a calendar.
func (t Tx) CopiesOfIn(calendar, visit ID) ([]Copy, error) {
	return rows[Copy](t.db.Where("calendar_id = ? AND visit_id = ?", calendar, visit).Order("id"))
}

// CopiesIn returns the copies in a calendar of visits that are not over at an
// instant.
func (t Tx) CopiesIn(calendar ID, now span.Instant) ([]Copy, error) {
	return rows[Copy](t.db.Joins("JOIN visits v ON v.id = copies.visit_id").Where(`copies.calendar_id = ? AND v."end" > ?`, calendar, now).Order("copies.id"))
}

// AddCopy keeps a new copy.
func (t Tx) AddCopy(c *Copy) error { return t.db.Create(c).Error }

// SaveCopy keeps what has become of a copy, unless something else has been wanted
// since it was read: then it reports false.
func (t Tx) SaveCopy(c Copy) (kept bool, err error) {
	res := t.db.Model(&Copy{}).Where("id = ? AND sequence = ?", c.ID, c.Sequence).
		Select("etag", "address", "state", "error", "attempts", "rewrites", "unsure", "unsure_until", "drift", "lies_start", "lies_end", "put_backs", "put_back_at", "tried_at", "next_at").Updates(&c)
	return res.RowsAffected > 0, res.Error
}

// SaveWish keeps what is wanted of a copy, and in which version it is known.
func (t Tx) SaveWish(c Copy) error {
	return t.db.Model(&c).Select("wanted", "sequence", "etag", "state", "error", "attempts", "rewrites", "drift", "lies_start", "lies_end", "wished_at", "next_at").Updates(&c).Error
}

// NoteWrite keeps what is known of a write although something else has been wanted
// since.
func (t Tx) NoteWrite(c Copy) error {
	return t.db.Model(&c).Select("etag", "unsure", "unsure_until").Updates(&c).Error
}

// Lying is a copy that lies elsewhere than its visit is.
type Lying struct {
	StaffID    ID
	CalendarID ID
	Calendar   string
	VisitID    ID
	Start      span.Instant
	End        span.Instant
}

// LyingElsewhere returns the copies of staff members that lie elsewhere than their
// visits are, and are not settled.
func (t Tx) LyingElsewhere(staff []ID) ([]Lying, error) {
	return scan[[]Lying](t.db.Raw(`SELECT l.staff_id, c.id AS calendar_id, c.name AS calendar, k.visit_id, k.lies_start AS start, k.lies_end AS "end" FROM links l
		JOIN calendars c ON c.link_id = l.id JOIN copies k ON k.calendar_id = c.id AND k.drift <> '' WHERE l.staff_id IN ? AND k.wanted = 1 AND k.lies_start <> 0 ORDER BY k.id`, staff))
}

// Adrift is a copy that somebody has made another, with whose it is.
type Adrift struct {
	Copy
	StaffID  ID
	Calendar string
}

// AdriftOf returns the copies of visits that somebody has made others.
func (t Tx) AdriftOf(visits []ID) (list []Adrift, err error) {
	err = inParts(visits, func(part []ID) error {
		some, err := scan[[]Adrift](t.db.Raw(`SELECT k.*, l.staff_id, c.name AS calendar FROM copies k JOIN calendars c ON c.id = k.calendar_id JOIN links l ON l.id = c.link_id
			WHERE k.visit_id IN ? AND k.drift <> '' AND k.wanted = 1 ORDER BY k.id`, part))
		list = append(list, some...)
		return err
	})
	return list, err
}

// AdriftUnder returns the copies under a link that somebody has made others.
func (t Tx) AdriftUnder(link ID) ([]Copy, error) {
	return scan[[]Copy](t.db.Raw("SELECT k.* FROM copies k JOIN calendars c ON c.id = k.calendar_id WHERE c.link_id = ? AND k.drift <> '' AND k.wanted = 1 ORDER BY k.id", link))
}

// CopiesAhead returns the copies that should be there of visits that are not over, under
// a link or, where it is 0, under all.
func (t Tx) CopiesAhead(link ID, now span.Instant) ([]Copy, error) {
	if link == 0 {
		return scan[[]Copy](t.db.Raw(`SELECT k.* FROM visits v JOIN copies k ON k.visit_id = v.id WHERE v.start > ? AND v."end" > ? AND k.wanted = 1 ORDER BY v.start`, now.Add(-longestVisit), now))
	}
	return scan[[]Copy](t.db.Raw(`SELECT k.* FROM calendars c JOIN copies k ON k.calendar_id = c.id JOIN visits v ON v.id = k.visit_id
		WHERE c.link_id = ? AND v."end" > ? AND k.wanted = 1`, link, now))
}

// ElsewhereIn returns the name of another calendar of the same account in which a copy of
// a visit lies that nobody here has written; empty for none.
func (t Tx) ElsewhereIn(c Copy) (string, error) {
	return scan[string](t.db.Raw(`SELECT COALESCE((SELECT o.name FROM calendars mine JOIN calendars o ON o.link_id = mine.link_id AND o.id <> mine.id JOIN objects x ON x.calendar_id = o.id AND x.visit_id = ?
		WHERE mine.id = ? AND NOT EXISTS (SELECT 1 FROM copies k WHERE k.calendar_id = o.id AND k.visit_id = x.visit_id AND k.wanted = 1) LIMIT 1), '')`, c.VisitID, c.CalendarID))
}

// Extra is a copy of a visit that its owner has made in another of their calendars, while
// the one that was written is still there.
type Extra struct {
	StaffID  ID
	VisitID  ID
	Calendar string
}

// ExtraCopies returns those of some visits.
func (t Tx) ExtraCopies(visits []ID) (list []Extra, err error) {
	err = inParts(visits, func(part []ID) error {
		some, err := scan[[]Extra](t.db.Raw(`SELECT l.staff_id, x.visit_id, c.name AS calendar FROM objects x JOIN calendars c ON c.id = x.calendar_id JOIN links l ON l.id = c.link_id
			WHERE x.visit_id > 0 AND x.visit_id IN ? AND NOT EXISTS (SELECT 1 FROM copies k WHERE k.visit_id = x.visit_id AND (k.calendar_id = x.calendar_id AND k.path = x.href OR k.drift = 'in another calendar')) ORDER BY x.calendar_id`, part))
		list = append(list, some...)
		return err
	})
	return list, err
}

// DeleteCopies forgets the copies in a calendar that is itself forgotten.
func (t Tx) DeleteCopies(calendar ID) error {
	return t.db.Where("calendar_id = ?", calendar).Delete(&Copy{}).Error
}

// CopyTarget is a calendar in which copies of a visit belong, or are kept.
type CopyTarget struct {
	ID      ID
	Href    string
	Address string
	Gets    bool // it gets bookings
	Pending bool // also those that are only asked for
	Buffers bool // and the time before and after
}

// CopyTargets returns the calendars of a visit's staff that get bookings, or in
// which there is a copy of it.
func (t Tx) CopyTargets(visit ID) ([]CopyTarget, error) {
	return scan[[]CopyTarget](t.db.Raw(`SELECT DISTINCT c.id, c.href, c.address, c.gets_bookings AS gets, l.pending, l.buffers FROM visit_staff vs JOIN links l ON l.staff_id = vs.staff_id
		JOIN calendars c ON c.link_id = l.id WHERE vs.visit_id = ? AND (c.gets_bookings OR EXISTS (SELECT 1 FROM copies k WHERE k.visit_id = vs.visit_id AND k.calendar_id = c.id)) ORDER BY c.id`, visit))
}

// longestVisit is longer than any visit, in minutes.
const longestVisit = 2 * 24 * 60

// VisitsToCopy returns the visits of a calendar's owner that are not over at an instant and
// have a booking that is confirmed or asked for.
func (t Tx) VisitsToCopy(calendar ID, now span.Instant) ([]ID, error) {
	return scan[[]ID](t.db.Raw(`SELECT DISTINCT v.id FROM calendars c JOIN links l ON l.id = c.link_id JOIN visit_staff vs ON vs.staff_id = l.staff_id
		JOIN visits v ON v.id = vs.visit_id WHERE c.id = ? AND v."end" > ? AND vs.start > ? AND EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status IN ('confirmed', 'pending')) ORDER BY v.id`, calendar, now, now.Add(-longestVisit)))
}

// SameCopies returns the other copies of a visit that lie at the same place: in a
// calendar that is linked twice.
func (t Tx) SameCopies(c Copy) ([]Copy, error) {
	return scan[[]Copy](t.db.Raw(`SELECT k.* FROM copies k JOIN calendars kc ON kc.id = k.calendar_id JOIN links kl ON kl.id = kc.link_id
		WHERE k.visit_id = ? AND k.id <> ? AND k.path = ? AND kl.host = (SELECT l.host FROM calendars c JOIN links l ON l.id = c.link_id WHERE c.id = ?)`,
		c.VisitID, c.ID, c.Path, c.CalendarID))
}

// CopySays is what a copy of a visit should say, and on whose clock.
type CopySays struct {
	Business Business
	Link     Link     // in whose calendar it is
	With     []string // names of other people, rooms and equipment of the visit
	Visit    Visit
	Service  Service
	Bookings []Booking // the confirmed ones
	Owner    Staff     // of the calendar
	Pending  bool      // all bookings are only asked for
	Place    string    // where the visit takes place
}

// AnySays returns what the copy of some visit ahead that one client has would say; the
// zero value of its bookings where there is none.
func (t Tx) AnySays(now span.Instant) (s CopySays, err error) {
	ids, err := scan[[]ID](t.db.Raw(`SELECT k.id FROM visits v JOIN copies k ON k.visit_id = v.id WHERE v.start > ? AND k.wanted = 1 ORDER BY v.start LIMIT 1`, now))
	if err != nil || len(ids) == 0 {
		return s, err
	}
	c, err := t.Copy(ids[0])
	if err != nil {
		return s, err
	}
	return t.SaysOf(c)
}

// SaysOf returns what a copy should say.
func (t Tx) SaysOf(c Copy) (s CopySays, err error) {
	if s.Visit, err = t.Visit(c.VisitID); err != nil {
		return s, err
	}
	if s.Service, err = t.Service(s.Visit.ServiceID); err != nil {
		return s, err
	}
	if s.Bookings, err = rows[Booking](t.db.Where("visit_id = ? AND status = ?", c.VisitID, Confirmed).Order("id")); err != nil {
		return s, err
	}
	if len(s.Bookings) == 0 {
		s.Pending = true
		if s.Bookings, err = rows[Booking](t.db.Where("visit_id = ? AND status = ?", c.VisitID, Pending).Order("id")); err != nil {
			return s, err
		}
	}
	if s.Business, err = t.Business(); err != nil {
		return s, err
	}
	if s.Link, err = one[Link](t.db.Where("id = (SELECT link_id FROM calendars WHERE id = ?)", c.CalendarID)); err != nil {
		return s, err
	}
	if s.With, err = scan[[]string](t.db.Raw(`SELECT st.name FROM visit_staff o JOIN staff st ON st.id = o.staff_id WHERE o.visit_id = ? AND o.staff_id <> ?
		UNION ALL SELECT r.name FROM visit_resources o JOIN resources r ON r.id = o.resource_id WHERE o.visit_id = ?`, c.VisitID, s.Link.StaffID, c.VisitID)); err != nil {
		return s, err
	}
	s.Owner, err = t.Staff(s.Link.StaffID)
	return s, err
}
