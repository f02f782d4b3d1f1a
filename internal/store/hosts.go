package store

import (
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

// HostNamed returns what a host of a link is called: its name, where it has one.
func (t Tx) HostNamed(host string) (string, error) {
	name, err := scan[string](t.db.Raw("SELECT COALESCE((SELECT name FROM hosts WHERE host = ?), ?)", host, host))
	return name, err
}
