package store

import (
	"cmp"

	"niche/core/span"

	"gorm.io/gorm"
)

// Administrator can sign in to the desk, once they have chosen a password.
type Administrator struct {
	ID            ID
	Email         string
	Name          string
	PasswordHash  string
	SecondFactor  []byte  // the sealed secret of one-time codes; none without
	LastStep      int64   // the step of the last one-time code that was used
	TellVisits    Telling // when they hear of visits by mail
	TellAttention bool    // they hear each morning of what needs somebody

	CreatedAt span.Instant `gorm:"autoCreateTime:false"`
}

// Session is a signed-in browser; the token itself is not kept.
type Session struct {
	ID              ID
	TokenHash       string
	AdministratorID *ID          // of an administrator, or
	StaffID         *ID          // of a staff member
	CreatedAt       span.Instant `gorm:"autoCreateTime:false"`
	SeenAt          span.Instant
	Device          string
	Origin          string
}

// WayIn is a one-time address at which an administrator chooses a password.
type WayIn struct {
	TokenHash       string `gorm:"primaryKey"`
	AdministratorID ID
	CreatedAt       span.Instant `gorm:"autoCreateTime:false"`
	ExpiresAt       span.Instant
}

// TableName names the table.
func (WayIn) TableName() string { return "ways_in" }

// recoveryCode signs in once in place of a one-time code.
type recoveryCode struct {
	AdministratorID ID
	CodeHash        string
	UsedAt          span.Instant
}

// AdministratorCount returns how many there are.
func (t Tx) AdministratorCount() (n int64, err error) {
	err = t.db.Model(&Administrator{}).Count(&n).Error
	return n, err
}

// Administrators returns all of them.
func (t Tx) Administrators() ([]Administrator, error) {
	return rows[Administrator](t.db.Order("id").Limit(MaxAdministrators))
}

// MaxAdministrators is how many there can be.
const MaxAdministrators = 100

// Administrator returns one.
func (t Tx) Administrator(id ID) (Administrator, error) {
	return one[Administrator](t.db.Where("id = ?", id))
}

// AdministratorByMail returns the one with a mail address, in small letters.
func (t Tx) AdministratorByMail(email string) (Administrator, error) {
	return one[Administrator](t.db.Where("email = ?", email))
}

// SaveAdministrator keeps an administrator, new or changed.
func (t Tx) SaveAdministrator(a *Administrator) error {
	a.TellVisits = cmp.Or(a.TellVisits, NotTold)
	return t.db.Save(a).Error
}

// UseStep notes that the one-time code of a step was used, and reports whether it was
// not before, nor a later one.
func (t Tx) UseStep(administrator ID, step int64) (bool, error) {
	q := t.db.Exec("UPDATE administrators SET last_step = ? WHERE id = ? AND last_step < ?", step, administrator, step)
	return q.RowsAffected == 1, q.Error
}

// RemoveAdministrator forgets one, with their sessions.
func (t Tx) RemoveAdministrator(id ID) error { return t.db.Delete(&Administrator{}, id).Error }

// SessionOf returns the session of a token.
func (t Tx) SessionOf(tokenHash string) (Session, error) {
	return one[Session](t.db.Where("token_hash = ?", tokenHash))
}

// Owner is whose a session is: an administrator's or a staff member's.
type Owner struct{ AdministratorID, StaffID ID }

// with asks for what belongs to an owner.
func (o Owner) with(q *gorm.DB) *gorm.DB {
	if o.StaffID != 0 {
		return q.Where("staff_id = ?", o.StaffID)
	}
	return q.Where("administrator_id = ?", o.AdministratorID)
}

// Begin begins a session of theirs.
func (o Owner) Begin(s Session) Session {
	if o.StaffID != 0 {
		s.StaffID = &o.StaffID
	} else {
		s.AdministratorID = &o.AdministratorID
	}
	return s
}

// SessionsOf returns somebody's sessions, the last seen first.
func (t Tx) SessionsOf(owner Owner) ([]Session, error) {
	return rows[Session](owner.with(t.db).Order("seen_at DESC, id DESC").Limit(PageSize))
}

// AddSession keeps a new session.
func (t Tx) AddSession(s *Session) error { return t.db.Create(s).Error }

// ForgetSessions lets go of administrators' sessions that began before a time or were
// last seen before another, and of staff members' that were last seen before a third.
func (t Tx) ForgetSessions(begun, seen, members span.Instant) error {
	return t.db.Where("administrator_id IS NOT NULL AND (created_at <= ? OR seen_at <= ?) OR staff_id IS NOT NULL AND seen_at <= ?", begun, seen, members).Delete(&Session{}).Error
}

// SeeSession notes that a session was seen.
func (t Tx) SeeSession(id ID, at span.Instant) error {
	return t.db.Exec("UPDATE sessions SET seen_at = MAX(seen_at, ?) WHERE id = ?", at, id).Error
}

// EndSession ends a session of somebody's, if it is one.
func (t Tx) EndSession(owner Owner, id ID) error {
	return owner.with(t.db).Delete(&Session{}, "id = ?", id).Error
}

// EndSessions ends all sessions of somebody.
func (t Tx) EndSessions(owner Owner) error { return owner.with(t.db).Delete(&Session{}).Error }

// SaveWayIn keeps the one way in that an administrator has; any other ends.
func (t Tx) SaveWayIn(w WayIn) error {
	if err := t.EndWayIn(w.AdministratorID); err != nil {
		return err
	}
	return t.db.Create(&w).Error
}

// WayIn returns a way in that has not ended.
func (t Tx) WayIn(tokenHash string, now span.Instant) (WayIn, error) {
	return one[WayIn](t.db.Where("token_hash = ? AND expires_at > ?", tokenHash, now))
}

// WaysIn returns all ways in that have not ended.
func (t Tx) WaysIn(now span.Instant) ([]WayIn, error) {
	return rows[WayIn](t.db.Where("expires_at > ?", now))
}

// EndWayIn ends an administrator's way in.
func (t Tx) EndWayIn(administrator ID) error {
	return t.db.Delete(&WayIn{}, "administrator_id = ?", administrator).Error
}

// ReplaceRecoveryCodes gives an administrator new recovery codes in place of all others.
func (t Tx) ReplaceRecoveryCodes(administrator ID, hashes []string) error {
	if err := t.db.Delete(&recoveryCode{}, "administrator_id = ?", administrator).Error; err != nil || len(hashes) == 0 {
		return err
	}
	list := make([]recoveryCode, len(hashes))
	for i, h := range hashes {
		list[i] = recoveryCode{AdministratorID: administrator, CodeHash: h}
	}
	return t.db.Create(&list).Error
}

// UseRecoveryCode uses a recovery code up, and reports whether it was one.
func (t Tx) UseRecoveryCode(administrator ID, hash string, now span.Instant) (bool, error) {
	q := t.db.Exec("UPDATE recovery_codes SET used_at = ? WHERE administrator_id = ? AND code_hash = ? AND used_at = 0", now, administrator, hash)
	return q.RowsAffected == 1, q.Error
}

// RecoveryCodesLeft returns how many recovery codes an administrator has not used.
func (t Tx) RecoveryCodesLeft(administrator ID) (n int64, err error) {
	err = t.db.Model(&recoveryCode{}).Where("administrator_id = ? AND used_at = 0", administrator).Count(&n).Error
	return n, err
}
