package store

import (
	"gorm.io/gorm/clause"

	"niche/core/span"
)

// GatewayKind is what a small service outside is for.
type GatewayKind string

// The kinds.
const (
	Rooms    GatewayKind = "rooms"    // meeting rooms online
	Texts    GatewayKind = "texts"    // texts to telephones
	Payments GatewayKind = "payments" // payments of clients
)

// GatewayHost is what a gateway is called among the hosts: no calendar host can be called so.
func GatewayHost(k GatewayKind) string { return "(" + string(k) + ")" }

// Gateway is a small service outside.
type Gateway struct {
	Kind    GatewayKind `gorm:"primaryKey"`
	Address string
	Key     []byte // sealed; by which it is asked
	Body    string // of a text, with fields in braces
	Notices []byte // sealed; with which it signs what it sends
}

// Gateway returns a small service outside; ErrNotFound where there is none.
func (t Tx) Gateway(k GatewayKind) (Gateway, error) { return one[Gateway](t.db.Where("kind = ?", k)) }

// HasGateway reports whether there is one of a kind.
func (t Tx) HasGateway(k GatewayKind) (bool, error) {
	return scan[bool](t.db.Raw("SELECT EXISTS (SELECT 1 FROM gateways WHERE kind = ?)", k))
}

// SaveGateway keeps a small service outside.
func (t Tx) SaveGateway(g Gateway) error {
	return t.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&g).Error
}

// RemoveGateway forgets a small service outside.
func (t Tx) RemoveGateway(k GatewayKind) error { return t.db.Delete(&Gateway{}, "kind = ?", k).Error }

// Meeting is a meeting room online.
type Meeting struct {
	ID       ID
	VisitID  ID
	Key      string
	Staff    string // the numbers of those for whom it was made
	Address  string // empty until it is known
	Wanted   bool
	Made     bool
	AskedAt  span.Instant
	Sequence int // goes up with each change of what is wanted

	Error    string
	Attempts int
	TriedAt  span.Instant
	NextAt   span.Instant
}

// MeetingQueue is the rooms that are to be made, changed or taken down.
var MeetingQueue = Queue{"meetings w JOIN (SELECT '(rooms)' AS host) l", "w.next_at < 9000000000000000000"}

// Meeting returns a meeting room.
func (t Tx) Meeting(id ID) (Meeting, error) { return one[Meeting](t.db.Where("id = ?", id)) }

// MeetingOf returns the room of a visit; the zero value where it wants none.
func (t Tx) MeetingOf(visit ID) (Meeting, error) {
	list, err := rows[Meeting](t.db.Where("visit_id = ? AND wanted", visit))
	if err != nil || len(list) == 0 {
		return Meeting{}, err
	}
	return list[0], nil
}

// SaveMeeting keeps a meeting room, a new one when it has no number.
func (t Tx) SaveMeeting(m *Meeting) error { return t.db.Save(m).Error }

// NoteMeeting keeps what came of a try, unless something else is wanted since; it reports
// whether that was so.
func (t Tx) NoteMeeting(m Meeting) (bool, error) {
	done := t.db.Model(&Meeting{}).Where("id = ? AND sequence = ?", m.ID, m.Sequence).
		Select("address", "made", "error", "attempts", "tried_at", "next_at").Updates(&m)
	return done.RowsAffected > 0, done.Error
}

// ForgetMeeting forgets a room that was taken down.
func (t Tx) ForgetMeeting(id ID) error {
	return t.db.Delete(&Meeting{}, "id = ? AND NOT wanted", id).Error
}

// MeetingsForward makes all rooms due that wait.
func (t Tx) MeetingsForward(now span.Instant) error {
	return t.db.Exec("UPDATE meetings SET next_at = MIN(next_at, ?) WHERE next_at < ?", now, Never).Error
}

// Unmade returns the visits ahead whose rooms could not be made for longer than a while.
func (t Tx) Unmade(now span.Instant, while span.Minutes) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT m.id, s.id AS staff_id, s.name AS staff, m.error AS words, m.asked_at AS at, `+onVisit+`
		FROM meetings m JOIN visits v ON v.id = m.visit_id JOIN services sv ON sv.id = v.service_id JOIN visit_staff vs ON vs.visit_id = v.id JOIN staff s ON s.id = vs.staff_id
		WHERE m.wanted AND NOT m.made AND m.error <> '' AND m.asked_at <= ? AND v."end" > ? GROUP BY m.id ORDER BY v.start, m.id LIMIT ?`, now.Add(-while), now, most))
}

// RoomNames returns the names of what a visit has of a kind.
func (t Tx) RoomNames(visit ID, kind string) ([]string, error) {
	return scan[[]string](t.db.Raw(`SELECT r.name FROM visit_resources o JOIN resources r ON r.id = o.resource_id WHERE o.visit_id = ? AND r.kind = ? ORDER BY r.name`, visit, kind))
}

// GatewayFares returns how many things could not be done at a service yet, and why the last of
// them could not.
func (t Tx) GatewayFares(k GatewayKind) (waiting int, why string, err error) {
	from := map[GatewayKind]string{Rooms: "meetings WHERE error <> '' AND next_at < 9000000000000000000", Payments: "payments WHERE error <> '' AND next_at < 9000000000000000000",
		Texts: "messages WHERE channel = 'text' AND error <> '' AND next_at < 9000000000000000000"}[k]
	row := t.db.Raw("SELECT COUNT(*), COALESCE((SELECT error FROM " + from + " ORDER BY tried_at DESC LIMIT 1), '') FROM " + from).Row()
	return waiting, why, row.Scan(&waiting, &why)
}
