package store

import (
	"net/url"
	"strings"

	"niche/core/span"
)

// Host is a calendar host that the business knows by a name.
type Host struct {
	ID        ID
	Name      string
	Address   string       // where its accounts are looked for
	Host      string       // of the address, small letters, with its port if it has one
	Domains   []string     `gorm:"serializer:json"` // of the mail addresses that it serves
	CreatedAt span.Instant `gorm:"autoCreateTime:false"`

	// How its people sign in there, in place of app passwords; nothing where they cannot.
	AuthorizeAddress string
	TokenAddress     string
	RevokeAddress    string // empty for none
	Issuer           string // by which it calls itself, or empty
	TellsIssuer      bool   // with every answer
	ClientID         string
	ClientSecret     []byte   // sealed
	Scopes           []string `gorm:"serializer:json"`
}

// LetsSignIn reports whether people can sign in at the host.
func (h Host) LetsSignIn() bool { return h.ClientID != "" }

// Consent is somebody on the way to a host to sign in there.
type Consent struct {
	StateHash string `gorm:"primaryKey"`
	SessionID ID
	HostID    ID
	LinkID    ID     // that is renewed; 0 for a new one
	Verifier  []byte // sealed
	ExpiresAt span.Instant
}

// AddConsent keeps that somebody is on the way. Of those who did not come back, it lets
// go.
func (t Tx) AddConsent(c Consent, now span.Instant) error {
	if err := t.db.Delete(&Consent{}, "expires_at <= ?", now).Error; err != nil {
		return err
	}
	return t.db.Create(&c).Error
}

// TakeConsent returns who is on the way in a session with a state, and forgets it: it
// works once.
func (t Tx) TakeConsent(stateHash string, session ID, now span.Instant) (Consent, error) {
	c, err := one[Consent](t.db.Where("state_hash = ? AND session_id = ? AND expires_at > ?", stateHash, session, now))
	if err != nil {
		return c, err
	}
	return c, t.db.Delete(&Consent{}, "state_hash = ?", stateHash).Error
}

// MaxHosts is how many there can be.
const MaxHosts = 100

// Hosts returns the calendar hosts, by name.
func (t Tx) Hosts() ([]Host, error) { return rows[Host](t.db.Order("name, id").Limit(MaxHosts)) }

// Host returns a calendar host.
func (t Tx) Host(id ID) (Host, error) { return one[Host](t.db.Where("id = ?", id)) }

// SaveHost keeps a calendar host, a new one when it has no number.
func (t Tx) SaveHost(h *Host) error { return t.db.Save(h).Error }

// DeleteHost forgets a calendar host. Links to it stay.
func (t Tx) DeleteHost(id ID) error { return t.db.Delete(&Host{}, id).Error }

// HostNamed returns what the host of a link is called: its name, where it has one. Its
// calendars can lie at another than its account.
func (t Tx) HostNamed(l Link) (string, error) {
	host, account := l.Host, l.Host
	if at, err := url.Parse(l.Address); err == nil && at.Host != "" {
		account = strings.ToLower(at.Host)
	}
	return scan[string](t.db.Raw("SELECT COALESCE((SELECT name FROM hosts WHERE host = ?), (SELECT name FROM hosts WHERE host = ?), ?)", host, account, host))
}
