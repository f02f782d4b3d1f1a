package store

import (
	"errors"
	"fmt"

	"gorm.io/gorm/clause"

	"niche/core/span"
)

// Business is the one business whose desk this is.
type Business struct {
	ID           ID
	Name         string
	Zone         string
	Clock        string   // 24 or 12
	DateOrder    string   // dmy, mdy or ymd
	AheadPerMail int      // how many bookings ahead one mail address may have
	LeadsTo      []string `gorm:"serializer:json"` // hosts to which clients may be led on
	Currency     string   // ISO 4217, of what clients pay
	Phone        string   // E.164, of who is called; empty for none
	// What copies of visits say, with fields in braces.
	CopyTitle, CopyPlace, CopyDescription string
	// When everybody's links are proved by themselves: on a weekday from 1 for Monday, 0 for never,
	// at a minute of the day; and since when that is so, or for which moment it was asked for the last time.
	ProofDay, ProofMinute int
	ProofSince            span.Instant
}

// Business returns the business.
func (t Tx) Business() (Business, error) {
	b, err := one[Business](t.db)
	if err != nil {
		return b, fmt.Errorf("reading the business: %w", err)
	}
	return b, nil
}

// SaveBusiness keeps the business.
func (t Tx) SaveBusiness(b Business) error { return t.db.Save(&b).Error }

// About returns the version of SQLite, and the size of the database in bytes.
func (t Tx) About() (version string, bytes int64, err error) {
	if version, err = scan[string](t.db.Raw("SELECT sqlite_version()")); err != nil {
		return "", 0, err
	}
	bytes, err = scan[int64](t.db.Raw("SELECT page_count * page_size FROM pragma_page_count, pragma_page_size"))
	return version, bytes, err
}

// setting is something that is known of the data folder itself.
type setting struct {
	Name  string `gorm:"primaryKey"`
	Value []byte
}

// Setting returns what is kept under a name; nothing when it is not there.
func (t Tx) Setting(name string) ([]byte, error) {
	s, err := one[setting](t.db.Where("name = ?", name))
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return s.Value, err
}

// SaveSetting keeps something under a name.
func (t Tx) SaveSetting(name string, value []byte) error {
	return t.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&setting{name, value}).Error
}

// version is which state of a thing that is edited is kept.
type version struct {
	Thing   string `gorm:"primaryKey"`
	Version int64
}

// Thing is something that is edited as a whole, and so has one version.
type Thing string

// The things. A person's hours, days and details are edited apart from each other.
const (
	Closures Thing = "closures"
	Settings Thing = "settings"
	Mailing  Thing = "mail"
)

// StaffDetails, StaffHours, StaffDays, ServiceRules, ResourceDetails, CalendarChoice,
// HostDetails and AdministratorDetails name the things of one record.
func StaffDetails(id ID) Thing           { return Thing(fmt.Sprint("staff:", id)) }
func StaffHours(id ID) Thing             { return Thing(fmt.Sprint("hours:", id)) }
func StaffDays(id ID) Thing              { return Thing(fmt.Sprint("days:", id)) }
func ServiceRules(id ID) Thing           { return Thing(fmt.Sprint("service:", id)) }
func ResourceDetails(id ID) Thing        { return Thing(fmt.Sprint("resource:", id)) }
func CalendarChoice(id ID) Thing         { return Thing(fmt.Sprint("calendar:", id)) }
func GatewayDetails(k GatewayKind) Thing { return Thing("gateway:" + string(k)) }
func CollectionDetails(id ID) Thing      { return Thing(fmt.Sprint("collection:", id)) }
func ClientDetails(id ID) Thing          { return Thing(fmt.Sprint("client:", id)) }
func HostDetails(id ID) Thing            { return Thing(fmt.Sprint("host:", id)) }
func AdministratorDetails(id ID) Thing   { return Thing(fmt.Sprint("administrator:", id)) }

// rules counts the changes of all rules together.
const rules Thing = "rules"

// Version returns the version of a thing, 1 before its first change.
func (t Tx) Version(thing Thing) (int64, error) {
	all, err := t.Versions([]Thing{thing})
	return all[thing], err
}

// Versions returns the versions of some things.
func (t Tx) Versions(things []Thing) (map[Thing]int64, error) {
	out := make(map[Thing]int64, len(things))
	for _, th := range things {
		out[th] = 1
	}
	err := inParts(things, func(part []Thing) error {
		list, err := rows[version](t.db.Where("thing IN ?", part))
		for _, v := range list {
			out[Thing(v.Thing)] = v.Version
		}
		return err
	})
	return out, err
}

// Changed notes that a thing was changed, and returns its new version.
func (t Tx) Changed(thing Thing) (int64, error) {
	return scan[int64](t.db.Raw(`INSERT INTO versions (thing, version) VALUES (?, 2)
		ON CONFLICT (thing) DO UPDATE SET version = version + 1 RETURNING version`, string(thing)))
}

// Expected is the version of a thing over which somebody wants to save.
type Expected struct {
	Thing   Thing
	Version int64
}

// ErrStale says that somebody else has saved a thing since it was read.
var ErrStale = errors.New("it was changed by somebody else")

// Meet checks that a thing still has the version that is expected, notes that it is
// changed, and returns its new version.
func (t Tx) Meet(e Expected) (int64, error) {
	now, err := t.Version(e.Thing)
	if err != nil {
		return 0, err
	}
	if now != e.Version {
		return now, ErrStale
	}
	return t.Changed(e.Thing)
}

// RulesVersion returns a number that goes up with every change of rules.
func (t Tx) RulesVersion() (int64, error) { return t.Version(rules) }

// RulesChanged notes that some rule was changed.
func (t Tx) RulesChanged() error {
	_, err := t.Changed(rules)
	return err
}

// ProofsDone notes for which moment everybody's links were asked to be proved by themselves.
func (t Tx) ProofsDone(at span.Instant) error {
	return t.db.Exec("UPDATE businesses SET proof_since = ?", at).Error
}
