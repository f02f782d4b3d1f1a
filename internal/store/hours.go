package store

import (
	"gorm.io/gorm/clause"
)

// Pattern is a pattern of weekly hours; its cycle is JSON.
type Pattern struct {
	ID        ID
	StaffID   ID
	Position  int
	FromDate  string
	UntilDate string
	Cycle     string
}

// OneOff replaces the hours of one day; its spans are JSON.
type OneOff struct {
	ID      ID
	StaffID ID
	Date    string
	Spans   string
	Note    string
}

// Absence is a range of dates on which a staff member is away.
type Absence struct {
	ID        ID
	StaffID   ID
	FromDate  string
	UntilDate string
	Note      string
}

// Closure is a date on which the whole business is closed.
type Closure struct {
	Date string `gorm:"primaryKey"`
	Name string
}

// Dates is a range of dates, both included, as text.
type Dates struct{ From, To string }

// allDates reaches over every date that can be written.
var allDates = Dates{"0000", "9999"}

// Patterns returns the patterns of staff members, in their order.
func (t Tx) Patterns(staff []ID) ([]Pattern, error) {
	return rows[Pattern](t.db.Where("staff_id IN ?", staff).Order("staff_id, position"))
}

// OneOffs returns one-off days of staff members in a range.
func (t Tx) OneOffs(staff []ID, in Dates) ([]OneOff, error) {
	return rows[OneOff](t.db.Where("staff_id IN ? AND date BETWEEN ? AND ?", staff, in.From, in.To).Order("date"))
}

// Absences returns the absences of staff members that reach into a range.
func (t Tx) Absences(staff []ID, in Dates) ([]Absence, error) {
	return rows[Absence](t.db.Where("staff_id IN ? AND from_date <= ? AND until_date >= ?", staff, in.To, in.From).Order("from_date, until_date"))
}

// AllDays returns all one-off days and absences of one staff member.
func (t Tx) AllDays(staff ID) (days []OneOff, absences []Absence, err error) {
	if days, err = t.OneOffs([]ID{staff}, allDates); err == nil {
		absences, err = t.Absences([]ID{staff}, allDates)
	}
	return days, absences, err
}

// Closures returns the closures in a range.
func (t Tx) Closures(in Dates) ([]Closure, error) {
	return rows[Closure](t.db.Where("date BETWEEN ? AND ?", in.From, in.To).Order("date"))
}

// AllClosures returns all closures.
func (t Tx) AllClosures() ([]Closure, error) { return t.Closures(allDates) }

// ReplacePatterns keeps patterns instead of those that a staff member had.
func (t Tx) ReplacePatterns(staff ID, list []Pattern) error {
	if err := t.db.Where("staff_id = ?", staff).Delete(&Pattern{}).Error; err != nil {
		return err
	}
	return create(t, list)
}

// ReplaceDays keeps one-off days and absences instead of those that a staff member
// had.
func (t Tx) ReplaceDays(staff ID, days []OneOff, absences []Absence) error {
	for _, old := range []any{&OneOff{}, &Absence{}} {
		if err := t.db.Where("staff_id = ?", staff).Delete(old).Error; err != nil {
			return err
		}
	}
	if err := create(t, days); err != nil {
		return err
	}
	return create(t, absences)
}

// ReplaceClosures keeps closures instead of all others. Of two on one date the
// last counts.
func (t Tx) ReplaceClosures(list []Closure) error {
	if err := t.db.Where("1 = 1").Delete(&Closure{}).Error; err != nil {
		return err
	}
	for i := range list {
		if err := t.db.Clauses(clause.OnConflict{UpdateAll: true}).Create(&list[i]).Error; err != nil {
			return err
		}
	}
	return nil
}

// create keeps new records.
func create[T any](t Tx, list []T) error {
	if len(list) == 0 {
		return nil
	}
	return t.db.CreateInBatches(list, 1000).Error
}
