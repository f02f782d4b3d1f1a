package serve_test

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/standin"
)

// However a host behaves: what was read of it stays in force or is read all the same,
// no calendar is called fresh and no copy read back that is not, and once it is honest
// again everything is as it should be.
func TestAHostInEveryMood(t *testing.T) {
	for _, c := range []struct {
		mood   standin.Mood
		state  string // of the calendar meanwhile
		copy   string // what is said of a copy that is written meanwhile
		reads  bool   // a new event is seen all the same
		writes bool   // the copy is written all the same
	}{
		{standin.Honest, "fresh", "read back", true, true},
		{standin.Failing, "unreachable", "failed", false, false},
		{standin.Refusing, "refused", "failed", false, false},
		{standin.Forgets, "fresh", "read back", true, true},
		{standin.ReadOnly, "fresh", "failed", true, false},
		{standin.Gone, "gone", "failed", false, false},
		{standin.Cuts, "unreachable", "failed", false, false},
		{standin.Partial, "fresh", "read back", true, true},
		{standin.Lies, "fresh", "adrift", true, false},
	} {
		t.Run(string(c.mood), func(t *testing.T) {
			t.Parallel()
			cloud, host := nichetest.OpenCloud(t, nil)
			d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostOf(host))
			d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
			nichetest.Add(t, cloud, "family", "Dentist", wednesday+" 09:00", wednesday+" 10:00")
			d.Until("it is read", func() bool {
				return d.Pulse("Family").State == "fresh" && !strings.Contains(d.Starts(wednesday), "09:00")
			})

			cloud.Behave(c.mood)
			for _, at := range []string{"11:00", "12:00", "13:00"} {
				nichetest.Add(t, cloud, "family", "More", wednesday+" "+at, wednesday+" "+at[:3]+"30")
			}
			_, err := d.Book(wednesday + "T15:00:00Z")
			require.NoError(t, err, "what cannot be looked at is taken, says the service")
			if !c.reads {
				d.Pass(40 * time.Minute)
			}
			d.Until("the calendar is "+c.state, func() bool { return d.Pulse("Family").State == c.state })
			d.Until("the copy is "+c.copy, func() bool {
				d.Pass(time.Minute)
				return d.Copies(wednesday) == c.copy
			})
			if c.mood == standin.Lies {
				require.Contains(t, d.Wall(wednesday).Lanes[0].Visits[0].CopyNote, "it was not there when it was read back")
			}
			require.NotContains(t, d.Starts(wednesday), "09:00", "what was read stays in force")
			if c.reads {
				d.Until("new events are seen", func() bool { return d.Starts(wednesday) == "10:00 14:00 16:00" })
			}

			cloud.Behave(standin.Honest)
			if c.copy == "adrift" { // it was given up, until somebody has it written again
				require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/visits/%d/copies", d.Wall(wednesday).Lanes[0].Visits[0].ID), nil, nil))
			}
			d.Pass(2 * time.Hour)
			d.Until("all is well", func() bool {
				return d.Pulse("Family").State == "fresh" && d.Copies(wednesday) == "read back" && d.Starts(wednesday) == "10:00 14:00 16:00"
			})
			require.Len(t, nichetest.Look(t, host).Events("Work"), 1)
		})
	}
}
