package schedule_test

import (
	"context"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

func open(t *testing.T) *store.DB {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	require.NoError(t, db.Write(context.Background(), func(tx *gorm.DB) error {
		for _, row := range []string{
			`businesses VALUES (1, 'W', 'Europe/Dublin')`,
			`staff (id, name, zone, created_at) VALUES (1, 'Bryn', 'Europe/Dublin', 0)`,
			`links (id, staff_id, address, username, secret, principal, home, created_at) VALUES (1, 1, 'a', 'u', x'', '', '', 0)`,
			`calendars (id, link_id, href, name, can_write, blocks) VALUES (1, 1, '/a/', 'Family', 1, 1), (2, 1, '/b/', 'Other', 1, 0)`,
			`objects (calendar_id, href, etag) VALUES (1, 'x', ''), (2, 'x', '')`,
		} {
			if err := tx.Exec("INSERT INTO " + row).Error; err != nil {
				return err
			}
		}
		return nil
	}))
	return db
}

// Packed spans give back what the rows hold, for any window.
func TestPackedSpansSayWhatTheRowsSay(t *testing.T) {
	db := open(t)
	ctx := context.Background()
	rapid.Check(t, func(t *rapid.T) {
		var rows []store.BusySpan
		for range rapid.IntRange(0, 12).Draw(t, "spans") {
			start := span.Instant(rapid.Int64Range(-100, 5000).Draw(t, "start"))
			rows = append(rows, store.BusySpan{CalendarID: 1, Href: "x", Start: start, End: start + span.Instant(rapid.Int64Range(0, 900).Draw(t, "length"))})
		}
		require.NoError(t, db.Write(ctx, func(tx *gorm.DB) error {
			if err := tx.Exec("DELETE FROM busy_spans").Error; err != nil {
				return err
			}
			for i := range rows {
				if err := tx.Create(&rows[i]).Error; err != nil {
					return err
				}
			}
			return schedule.PackBusy(tx, 1)
		}))
		from := span.Instant(rapid.Int64Range(-200, 5000).Draw(t, "from"))
		window := span.Between(from, from+span.Instant(rapid.Int64Range(1, 3000).Draw(t, "to")))
		want := map[span.Span]int{}
		for _, r := range rows {
			if r.Start < window.End() && r.End > window.Start() {
				want[span.Between(r.Start, r.End)]++
			}
		}
		got := map[span.Span]int{}
		busy, err := schedule.Busy(db.Read(ctx), []store.ID{1}, window)
		require.NoError(t, err)
		for _, c := range busy[1] {
			require.Equal(t, "Family", c.Name, "only what blocks counts")
			for i, s := range c.Spans {
				got[s]++
				require.True(t, i == 0 || c.Spans[i-1].Start() <= s.Start())
			}
		}
		require.Equal(t, want, got)
	})
}

func TestStoredRulesBecomeTheCoresRules(t *testing.T) {
	three := 3
	base := store.Service{ID: 7, Length: 60, Step: 30, Anchor: "clock", Places: 2, Staffing: "all", CapPerDay: &three, Needs: []string{"bay"}}
	for _, c := range []struct {
		name   string
		change func(*store.Service)
		notice offer.Notice
		window offer.Window
		fails  string
	}{
		{"none of either", func(s *store.Service) { s.NoticeKind, s.WindowKind = "none", "none" }, offer.Notice{}, offer.Window{}, ""},
		{"minutes and days", func(s *store.Service) {
			s.NoticeKind, s.NoticeMinutes, s.WindowKind, s.WindowDays = "minutes", 90, "days", 5
		}, offer.Notice{ByMinutes: true, Minutes: 90}, offer.Window{Limited: true, Days: 5}, ""},
		{"a day's end and dates", func(s *store.Service) {
			s.NoticeKind, s.NoticeDays, s.NoticeBy, s.WindowKind, s.WindowTo = "day", 2, "24:00", "dates", "2026-05-01"
		}, offer.Notice{ByDay: true, DaysBefore: 2, By: hours.DayEnd}, offer.Window{To: hours.DateOf(2026, 5, 1)}, ""},
		{"a broken time", func(s *store.Service) { s.NoticeKind, s.NoticeBy = "day", "late" }, offer.Notice{}, offer.Window{}, "reading the notice of service 7"},
		{"a broken date", func(s *store.Service) { s.WindowKind, s.WindowFrom = "dates", "soon" }, offer.Notice{}, offer.Window{}, "reading the booking window of service 7"},
	} {
		s := base
		c.change(&s)
		got, err := schedule.Rules(s)
		if c.fails != "" {
			require.ErrorContains(t, err, c.fails)
			continue
		}
		require.NoError(t, err)
		require.Equal(t, c.notice, got.Notice, c.name)
		require.Equal(t, c.window, got.Window, c.name)
		require.Equal(t, offer.AtMost(3), got.CapPerDay)
		require.Equal(t, offer.AllOfThem, got.Staffing)
	}
	today := hours.DateOf(2026, 3, 2)
	require.Equal(t, today+schedule.OpenEnded, schedule.Last(offer.Service{}, today))
	require.Equal(t, today+5, schedule.Last(offer.Service{Window: offer.Window{Limited: true, Days: 5}}, today))
	require.Equal(t, today+2, schedule.Last(offer.Service{Window: offer.Window{To: today + 2}}, today))
}

// The statements that every page and booking needs go by an index.
func TestTheHotStatementsUseIndexes(t *testing.T) {
	db := open(t)
	for name, query := range map[string]string{
		"claims of a subject":  `SELECT start FROM claims WHERE subject = 'staff:1' AND "end" > 5 ORDER BY "end" LIMIT 1`,
		"packed spans":         `SELECT p.spans FROM links l JOIN calendars c ON c.link_id = l.id AND c.blocks = 1 JOIN packed_spans p ON p.calendar_id = c.id WHERE l.staff_id IN (1, 2)`,
		"bookings of a window": `SELECT b.id FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id JOIN bookings b ON b.visit_id = v.id WHERE v.start >= 1 AND v.start < 9 AND vs.staff_id IN (1, 2)`,
		"copies that are due":  `SELECT id FROM copies WHERE state IN ('waiting', 'written', 'failed') AND next_at <= 5 ORDER BY next_at`,
		"a session":            `SELECT * FROM sessions WHERE token_hash = 'x'`,
		"a client's booking":   `SELECT * FROM bookings WHERE token_hash = 'x'`,
		"own copies by UID":    `SELECT COUNT(*) FROM visits WHERE uid = 'x'`,
	} {
		rows, err := db.Read(t.Context()).Raw("EXPLAIN QUERY PLAN " + query).Rows()
		require.NoError(t, err)
		for rows.Next() {
			var id, parent, unused int
			var detail string
			require.NoError(t, rows.Scan(&id, &parent, &unused, &detail))
			require.False(t, strings.HasPrefix(detail, "SCAN") && !strings.Contains(detail, "INDEX"), fmt.Sprint(name, ": ", detail))
		}
		require.NoError(t, rows.Close())
	}
}
