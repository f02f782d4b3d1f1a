package find_test

import (
	"net/url"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/hours"
	"niche/internal/api"
	"niche/internal/find"
	"niche/internal/nichetest"
)

// Days are read as people type them.
func TestDaysAreReadAsTheyAreTyped(t *testing.T) {
	today := hours.DateOf(2026, 11, 25) // a Wednesday
	for text, want := range map[string]string{"today": "2026-11-25", "Tomorrow": "2026-11-26", "wed": "2026-11-25", "friday": "2026-11-27", "tue": "2026-12-01", "26 nov": "2026-11-26", "3 january": "2027-01-03",
		"dec 24": "2026-12-24", "1/12": "2026-12-01", "2027-02-03": "2027-02-03", "1 oct": "2026-10-01", "1 may": "2027-05-01"} {
		d, ok := find.Day(text, today, "dmy")
		require.True(t, ok, text)
		require.Equal(t, want, d.String(), text)
	}
	d, _ := find.Day("12/1", today, "mdy")
	require.Equal(t, "2026-12-01", d.String())
	for _, text := range []string{"", "mara", "fr", "31 feb", "99/99"} {
		_, ok := find.Day(text, today, "dmy")
		require.False(t, ok, text)
	}
}

// What is typed leads to people, services, bookings, days and screens, and to what is to be done.
func TestWhatIsTypedLeadsThere(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	b, err := d.Book("2026-03-06T14:00:00Z")
	require.NoError(t, err)
	for text, want := range map[string]string{
		"bry cas":              "person: Bryn Castellane → /team/1/week",
		"tuni":                 "service: Home tuning → /services/1",
		"book home":            "do: Book Home tuning → /bookings/new?service=1",
		"rosa":                 "booking: Rosa Osei, Fri 6 Mar, 14:00 → /bookings/1",
		b.Reference[:3]:        "booking: Rosa Osei, Fri 6 Mar, 14:00 → /bookings/1",
		"move " + b.Reference:  "do: Move Rosa Osei’s Home tuning → /bookings/1?do=move",
		"cancel osei":          "do: Cancel Rosa Osei’s Home tuning → /bookings/1?do=cancel",
		"why friday 14:00 bry": "do: Why is 14:00 offered, or not, with Bryn? → /?date=2026-03-06&why=1%402026-03-06T14%3A00%3A00Z&service=1",
		"why bryn 6 mar":       "do: Why is nothing offered with Bryn? → /team/1/week?date=2026-03-06&service=1",
		"ask bryn":             "do: Ask Bryn to link a calendar → /team/1/calendars",
		"hand over bryn":       "do: Hand over Bryn’s visits → /team/1/away",
		"sick bry":             "do: Hand over Bryn’s visits → /team/1/away",
		"friday":               "day: Friday 6 March 2026 → /?date=2026-03-06",
		"closures":             "screen: House → /house",
		"why 14:00":            "",
		"%_\"*":                "",
		"prove":                "screen: Proofs → /proofs",
	} {
		var list api.List[find.Hit]
		require.NoError(t, d.Get(t.Context(), "/api/find?text="+url.QueryEscape(text), &list))
		first := ""
		if len(list.Items) > 0 {
			h := list.Items[0]
			first = h.Kind + ": " + h.Title + " → " + h.Where
		}
		require.Equal(t, want, first, text)
	}
	require.Error(t, d.Get(t.Context(), "/api/find?text="+strings.Repeat("x", 300), nil))
}
