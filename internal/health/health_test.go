package health_test

import (
	"fmt"
	"net/http"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api/desk"
	"niche/internal/health"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

// What is gathered adds up hour by hour, over restarts too, and is told: what is behind, what fails, who is slow.
func TestHoursAddUp(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, server := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(server))
	d.Link(server.URL, nichetest.User, nichetest.Key, "Family", "Work")
	family := d.Calendar("Family").ID
	gather := func(lag time.Duration, failed bool) func(db *store.DB) {
		return func(db *store.DB) {
			log := health.New(db, d.Clock.Now)
			for n := range 3 {
				log.Read(family, "host.example", time.Duration(100*(n+1))*time.Millisecond, map[bool]error{true: fmt.Errorf("no")}[failed && n == 0])
			}
			log.Wrote("host.example", 400*time.Millisecond, nil)
			require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
				c, err := tx.Calendar(family)
				require.NoError(t, err)
				c.ReadAt = span.At(d.Clock.Now().Add(-lag))
				return tx.NoteReading(c)
			}))
			require.NoError(t, log.Look(t.Context()))
		}
	}
	d.Restart(gather(40*time.Minute, true), func(*serve.Settings) {})
	d.Restart(gather(10*time.Minute, false), func(*serve.Settings) {})
	d.Clock.Move(2 * time.Hour)
	d.Restart(gather(5*time.Minute, false), func(*serve.Settings) {})
	var h desk.Health
	require.NoError(t, d.Get(t.Context(), "/api/health", &h))
	require.Len(t, h.Hours, 24)
	minutes := func(seconds int) int { return seconds / 60 } // the clock goes on meanwhile
	require.Equal(t, []any{"Work", 120}, []any{h.Calendars[0].Name, minutes(h.Calendars[0].Worst)}, "it was read by nobody for two hours")
	c := h.Calendars[1]
	require.Equal(t, []any{"Family", 40, 9, 1}, []any{c.Name, minutes(c.Worst), c.Reads, c.Failures})
	require.Equal(t, []any{40, (*int)(nil), 5}, []any{minutes(*c.Lags[21]), c.Lags[22], minutes(*c.Lags[23])})
	for _, host := range h.Hosts {
		if host.Host == "host.example" {
			require.Equal(t, desk.FaredHost{Host: "host.example", Reads: 9, ReadFailures: 1, Writes: 3, Average: 250, Slowest: 400}, host)
		}
	}
	require.Equal(t, http.StatusUnprocessableEntity, nichetest.Problem(t, d.Get(t.Context(), "/api/health?period=year", nil)).Status)
}
