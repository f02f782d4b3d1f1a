package store

import (
	"niche/core/span"
)

// Due is a piece of work that has come due, at a host.
type Due struct {
	ID   ID
	Host string
}

// Queue is a kind of work that stands in the database.
type Queue struct {
	from  string // the rows of the work as w, and the link l that it goes over
	where string
}

// MailHost is what the mail server is called among the hosts: no calendar host can be
// called so.
const MailHost = "(mail)"

// The queues. What was tried at a moment that has not come yet is due too: then the
// clock has gone back.
var (
	CalendarQueue = Queue{"calendars w JOIN links l ON l.id = w.link_id", "w.watched"}
	CopyQueue     = Queue{"copies w JOIN calendars c ON c.id = w.calendar_id JOIN links l ON l.id = c.link_id", "w.next_at < 9000000000000000000"}
	AccountQueue  = Queue{"links w JOIN links l ON l.id = w.id", "w.kind = 'account'"}
	MessageQueue  = Queue{"messages w JOIN (SELECT '" + MailHost + "' AS host) l", "w.next_at < 9000000000000000000 AND w.channel = 'mail'"}
	TextQueue     = Queue{"messages w JOIN (SELECT '(texts)' AS host) l", "w.next_at < 9000000000000000000 AND w.channel = 'text'"}
	// Requests that nobody has answered in time.
	RequestQueue = Queue{"(SELECT id, answer_by AS next_at, 0 AS tried_at FROM bookings WHERE status = 'pending' AND answer_by > 0) w JOIN (SELECT '(desk)' AS host) l", "TRUE"}
)

// DueNow returns what of a queue is due, in the order in which it came due, but for
// what goes to some hosts.
func (t Tx) DueNow(q Queue, now span.Instant, without []string, most int) ([]Due, error) {
	// Two questions, for each has its own index.
	part := "SELECT * FROM (SELECT w.id, l.host, w.next_at FROM " + q.from + " WHERE " + q.where + " AND l.host NOT IN ? AND "
	without = append([]string{""}, without...)
	return scan[[]Due](t.db.Raw(part+"w.next_at <= ? ORDER BY w.next_at LIMIT ?) UNION "+part+"w.tried_at > ? LIMIT ?) ORDER BY 3 LIMIT ?",
		without, now, most, without, now, most, most))
}

// IsDue reports whether a piece of work is due.
func (t Tx) IsDue(q Queue, id ID, now span.Instant) (bool, error) {
	return scan[bool](t.db.Raw("SELECT EXISTS (SELECT 1 FROM "+q.from+" WHERE "+q.where+" AND w.id = ? AND w.next_at <= ?)", id, now))
}

// DueNext returns when something of a queue comes due after now, or 0.
func (t Tx) DueNext(q Queue, now span.Instant) (span.Instant, error) {
	return scan[span.Instant](t.db.Raw("SELECT COALESCE(MIN(w.next_at), 0) FROM "+q.from+" WHERE "+q.where+" AND w.next_at > ?", now))
}

// CalendarsForward makes the calendars of a host due that are in a state.
func (t Tx) CalendarsForward(host string, state CalendarState, now span.Instant) error {
	return t.db.Exec("UPDATE calendars SET next_at = MIN(next_at, ?) WHERE watched AND state = ? AND link_id IN (SELECT id FROM links WHERE host = ?)", now, state, host).Error
}

// CopiesForward makes the copies at a host due that are in some states and wait.
func (t Tx) CopiesForward(host string, states []CopyState, now span.Instant) error {
	return t.db.Exec(`UPDATE copies SET next_at = MIN(next_at, ?) WHERE state IN ? AND next_at < ? AND calendar_id IN (SELECT c.id FROM calendars c JOIN links l ON l.id = c.link_id WHERE l.host = ?)`,
		now, states, Never, host).Error
}

// AccountsForward makes the accounts at a host due whose last listing failed.
func (t Tx) AccountsForward(host string, now span.Instant) error {
	return t.db.Exec("UPDATE links SET next_at = MIN(next_at, ?) WHERE host = ? AND failures > 0", now, host).Error
}
