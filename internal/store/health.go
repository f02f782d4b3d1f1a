package store

import (
	"gorm.io/gorm/clause"

	"niche/core/span"
)

// CalendarHour is how a calendar was known in an hour.
type CalendarHour struct {
	CalendarID ID           `gorm:"primaryKey"`
	Hour       span.Instant `gorm:"primaryKey"` // when it began
	Lag        int          // how long ago it had been read at worst, in seconds
	Reads      int
	Failures   int
}

// HostHour is how a host bore what was asked of it in an hour.
type HostHour struct {
	Host          string       `gorm:"primaryKey"`
	Hour          span.Instant `gorm:"primaryKey"`
	Reads         int
	ReadFailures  int
	Writes        int
	WriteFailures int
	Millis        int // that all of it took together
	Slowest       int // in milliseconds
}

// SaveHours keeps hours, over what is kept of them; of calendars that are forgotten nothing is.
func (t Tx) SaveHours(calendars []CalendarHour, hosts []HostHour) error {
	for _, c := range calendars {
		err := t.db.Exec(`INSERT INTO calendar_hours SELECT ?, ?, ?, ?, ? WHERE EXISTS (SELECT 1 FROM calendars WHERE id = ?)
			ON CONFLICT DO UPDATE SET lag = MAX(lag, excluded.lag), reads = reads + excluded.reads, failures = failures + excluded.failures`,
			c.CalendarID, c.Hour, c.Lag, c.Reads, c.Failures, c.CalendarID).Error
		if err != nil {
			return err
		}
	}
	if len(hosts) == 0 {
		return nil
	}
	add := func(name string) clause.Assignment {
		return clause.Assignment{Column: clause.Column{Name: name}, Value: clause.Expr{SQL: name + " + excluded." + name}}
	}
	worst := clause.Assignment{Column: clause.Column{Name: "slowest"}, Value: clause.Expr{SQL: "MAX(slowest, excluded.slowest)"}}
	return t.db.Clauses(clause.OnConflict{Columns: []clause.Column{{Name: "host"}, {Name: "hour"}},
		DoUpdates: clause.Set{add("reads"), add("read_failures"), add("writes"), add("write_failures"), add("millis"), worst}}).Create(&hosts).Error
}

// ForgetHours forgets the hours before an instant.
func (t Tx) ForgetHours(before span.Instant) error {
	for _, table := range []string{"calendar_hours", "host_hours"} {
		if err := t.db.Exec("DELETE FROM "+table+" WHERE hour < ?", before).Error; err != nil {
			return err
		}
	}
	return nil
}

// CalendarHours returns the hours of some calendars from an instant on.
func (t Tx) CalendarHours(calendars []ID, from span.Instant) ([]CalendarHour, error) {
	return rows[CalendarHour](t.db.Where("calendar_id IN ? AND hour >= ?", calendars, from).Order("calendar_id, hour"))
}

// WorstCalendars returns the calendars with the greatest lags since an instant, the worst first.
func (t Tx) WorstCalendars(from span.Instant, most int) ([]CalendarHour, error) {
	return scan[[]CalendarHour](t.db.Raw("SELECT calendar_id, MAX(lag) AS lag, SUM(reads) AS reads, SUM(failures) AS failures FROM calendar_hours WHERE hour >= ? GROUP BY calendar_id ORDER BY 2 DESC, calendar_id LIMIT ?", from, most))
}

// HostHours returns how hosts bore what was asked of them since an instant, all hours together, the slowest on average first.
func (t Tx) HostHours(from span.Instant) ([]HostHour, error) {
	return scan[[]HostHour](t.db.Raw(`SELECT host, SUM(reads) AS reads, SUM(read_failures) AS read_failures, SUM(writes) AS writes, SUM(write_failures) AS write_failures, SUM(millis) AS millis, MAX(slowest) AS slowest
		FROM host_hours WHERE hour >= ? GROUP BY host ORDER BY SUM(millis) * 1.0 / MAX(1, SUM(reads) + SUM(writes)) DESC, host LIMIT 200`, from))
}
