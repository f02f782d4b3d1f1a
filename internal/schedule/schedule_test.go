package schedule_test

import (
	"context"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/schedule"
	"niche/internal/store"
)

func TestStoredRulesBecomeTheCoresRules(t *testing.T) {
	three := 3
	base := store.Service{ID: 7, Length: 60, Step: 30, Anchor: "clock", Places: 2, Staffing: "all", CapPerDay: &three, Needs: []string{"bay"}}
	byDay := offer.DaysBefore(2, hours.DayEnd)
	for _, c := range []struct {
		name   string
		notice offer.Notice
		stored offer.Window
		window offer.Window
	}{
		{"none of either", offer.Notice{}, offer.Window{}, offer.DaysAhead(366)},
		{"minutes and days", offer.MinutesBefore(90), offer.DaysAhead(5), offer.DaysAhead(5)},
		{"a day's end and dates", byDay, offer.Dates(0, hours.DateOf(2026, 5, 1)), offer.Dates(0, hours.DateOf(2026, 5, 1))},
		{"dates without an end", byDay, offer.Dates(hours.DateOf(2026, 5, 1), 0), offer.Dates(hours.DateOf(2026, 5, 1), hours.DateOf(2026, 3, 2)+366)},
	} {
		s := base
		s.Notice, s.Window = c.notice, c.stored
		got := schedule.Rules(s, hours.DateOf(2026, 3, 2))
		require.Equal(t, c.notice, got.Notice, c.name)
		require.Equal(t, c.window, got.Window, c.name)
		require.Equal(t, offer.AtMost(3), got.CapPerDay)
		require.Equal(t, offer.AllOfThem, got.Staffing)
	}
}

// Whatever window a service has: what the rules offer and take, the last date that
// is told, and the horizon to which calendars are read agree, and the horizon is
// beyond all of them.
func TestWhatIsOfferedLiesWithinWhatIsKnown(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	zone := "America/St_Johns"
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error { return tx.SaveBusiness(store.Business{ID: 1, Name: "W", Zone: zone}) }))
	home, err := hours.LoadZone(zone)
	require.NoError(t, err)
	service := store.Service{ID: 1, Slug: "s", Name: "S", Length: 60, Step: 1440, Anchor: "clock", Places: 1, Staffing: "any", Lengths: []span.Minutes{}, Needs: []string{}}
	always := hours.Week{}
	for i := range always {
		always[i] = hours.Day{Spans: []hours.WallSpan{{From: 0, To: hours.DayEnd}}}
	}
	rapid.Check(t, func(t *rapid.T) {
		now := span.Instant(rapid.Int64Range(1_780_000_000, 1_790_000_000).Draw(t, "now"))
		today := home.DateAt(now)
		s := service
		date := func(label string) hours.LocalDate {
			n := rapid.SampledFrom([]int{-400, -1, 0, 1, 200, 366, 367, 800, 60000}).Draw(t, label)
			if n == 60000 {
				return 0
			}
			return today + hours.LocalDate(n)
		}
		switch rapid.SampledFrom([]string{"none", "days", "dates"}).Draw(t, "kind") {
		case "none":
			s.Window = offer.Window{}
		case "days":
			s.Window = offer.DaysAhead(rapid.SampledFrom([]int{0, 1, 60, 365, 400, 730}).Draw(t, "days"))
		case "dates":
			from, to := date("from"), date("to")
			if !to.IsZero() && to < from {
				from, to = to, from
			}
			s.Window = offer.Dates(from, to)
		}
		require.NoError(t, db.Write(context.Background(), func(tx store.Tx) error { return tx.SaveService(&s) }))
		horizon, err := schedule.Horizon(db.Read(context.Background()), now)
		require.NoError(t, err)
		last := schedule.Last([]offer.Window{s.Window}, today)
		rules := schedule.Rules(s, today)
		require.LessOrEqual(t, last, today+schedule.Furthest)
		require.Equal(t, last, max(today, rules.Window.Last(today)))
		q := offer.Question{Now: now, Zone: home, Service: rules, Staff: []offer.Staff{{ID: "1", Schedule: hours.Schedule{Zone: home,
			Patterns: []hours.Pattern{{From: 1, Cycle: []hours.Week{always}}}}}}}
		for _, far := range []int{0, 1, 59, 60, 61, 200, 365, 366, 367, 400, 731, 732, 733, 1100, 146_000} {
			at := home.Over(today+hours.LocalDate(far), today+hours.LocalDate(far)).Starting(today+hours.LocalDate(far), 0)
			if q.Explain(at, 0).Offered() {
				require.LessOrEqual(t, today+hours.LocalDate(far), last, "day %d", far)
				require.Less(t, at.Add(3*24*60), horizon, "day %d", far)
			}
		}
		if from, _ := rules.Window.Dates(); from <= last && last > today {
			at := home.Over(last, last).Starting(last, 0)
			require.True(t, q.Explain(at, 0).Offered(), "the last date itself can be booked")
		}
	})
}
