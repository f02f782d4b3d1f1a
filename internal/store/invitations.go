package store

import (
	"niche/core/span"
)

// Invitation is how somebody was last asked to link a calendar.
type Invitation struct {
	StaffID    ID      `gorm:"primaryKey"`
	TokenHash  *string // nil once it has signed somebody in, or was declined
	AskedAt    span.Instant
	ExpiresAt  span.Instant
	OpenedAt   span.Instant // when it signed somebody in; 0 for not yet
	DeclinedAt span.Instant // 0 for not
	Why        string       // they declined, if they said it
}

// SaveInvitation keeps the one invitation of a person.
func (t Tx) SaveInvitation(i Invitation) error { return t.db.Save(&i).Error }

// Invitation returns how a person was last asked; ErrNotFound where they were not.
func (t Tx) Invitation(staff ID) (Invitation, error) {
	return one[Invitation](t.db.Where("staff_id = ?", staff))
}

// InvitationBehind returns the invitation with a token, unless it has ended.
func (t Tx) InvitationBehind(tokenHash string, now span.Instant) (Invitation, error) {
	return one[Invitation](t.db.Where("token_hash = ? AND expires_at > ?", tokenHash, now))
}

// WithdrawInvitation forgets that a person was asked.
func (t Tx) WithdrawInvitation(staff ID) error {
	return t.db.Delete(&Invitation{}, "staff_id = ?", staff).Error
}

// Linking is how far a person is with linking a calendar.
type Linking struct {
	LinkedAt span.Instant // the first of their links; 0 for none
	ChosenAt span.Instant // when it was last chosen what a calendar is for, if one is for something; 0 otherwise
	ProvedAt span.Instant // when the first of the last proofs of all their links ended, if each of those has held; 0 otherwise
	Invitation
}

// Linkings returns how far staff members are.
func (t Tx) Linkings(staff []ID) ([]Linking, error) {
	return scan[[]Linking](t.db.Raw(`SELECT s.id AS staff_id, i.token_hash, COALESCE(i.asked_at, 0) AS asked_at, COALESCE(i.expires_at, 0) AS expires_at,
			COALESCE(i.opened_at, 0) AS opened_at, COALESCE(i.declined_at, 0) AS declined_at, COALESCE(i.why, '') AS why,
			COALESCE((SELECT MIN(l.created_at) FROM links l WHERE l.staff_id = s.id AND NOT l.closing), 0) AS linked_at,
			CASE WHEN EXISTS (SELECT 1 FROM links l JOIN calendars c ON c.link_id = l.id WHERE l.staff_id = s.id AND (c.blocks OR c.gets_bookings))
				THEN COALESCE((SELECT MAX(t.at) FROM trail t WHERE t.kind = 'calendar' AND t.thing = s.id AND t.deed = 'chose for'), 0) ELSE 0 END AS chosen_at,
			COALESCE((SELECT CASE WHEN COUNT(*) = SUM(p.state = 'held') THEN MIN(p.ended_at) END FROM links l
				LEFT JOIN proofs p ON p.id = (SELECT MAX(q.id) FROM proofs q WHERE q.link_id = l.id AND q.state IN ('held', 'failed')) WHERE l.staff_id = s.id AND NOT l.closing), 0) AS proved_at
		FROM staff s LEFT JOIN invitations i ON i.staff_id = s.id WHERE s.id IN ?`, staff))
}

// StaffUnlinked returns who is in use and has no link, by name; at most a page of them.
func (t Tx) StaffUnlinked() ([]Staff, error) {
	return rows[Staff](t.db.Where("archived_at = 0 AND NOT EXISTS (SELECT 1 FROM links l WHERE l.staff_id = staff.id AND NOT l.closing)").Order("name, id").Limit(PageSize))
}
