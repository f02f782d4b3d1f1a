package link_test

import (
	"fmt"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/nichetest"
)

// A link that is taken away blocks nothing from then on. Its copies are asked about,
// and it stays, closing, until they are gone, however long its host is away; unless
// they are left where they are.
func TestALinkGoesOnceItsCopiesAreGone(t *testing.T) {
	for _, c := range []struct {
		copies string
		left   int
	}{{"remove", 0}, {"leave", 1}} {
		t.Run(c.copies, func(t *testing.T) {
			trouble := &nichetest.Trouble{}
			cloud, host := nichetest.OpenCloud(t, trouble.Guard)
			honest := httptest.NewServer(cloud.Handler())
			defer honest.Close()
			d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostOf(host))
			nichetest.Add(t, cloud, "family", "Dentist", "2026-03-04 11:00", "2026-03-04 12:00")
			l := d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
			_, err := d.Book("2026-03-04T14:00:00Z")
			require.NoError(t, err)
			d.Until("the copy is read back", func() bool { return d.Copies("2026-03-04") == "read back" })
			require.NotContains(t, d.Starts("2026-03-04"), "11:00")

			path := fmt.Sprintf("/api/links/%d", l.ID)
			p := nichetest.Problem(t, d.Do(t.Context(), http.MethodDelete, path, nil, nil))
			require.Equal(t, http.StatusConflict, p.Status)
			require.Len(t, d.Links(), 1, "nothing was done")
			trouble.Always("", nichetest.Fault{Unasked: true, Unheard: true})
			require.NoError(t, d.Do(t.Context(), http.MethodDelete, path+"?copies="+c.copies, nil, nil))
			require.Contains(t, d.Starts("2026-03-04"), "11:00")
			if c.copies == "remove" {
				d.Until("it cannot be removed now", func() bool { return strings.Contains(strings.Join(d.List("SELECT state FROM copies"), ""), "failed") })
				require.True(t, d.Links()[0].Closing)
				require.Equal(t, 1, d.Links()[0].Left)
				require.Empty(t, d.Wall("").Pulse, "it is read no more")
			}
			trouble.Set(nil)
			d.Pass(time.Minute)
			d.Until("the link has gone", func() bool { return len(d.Links()) == 0 })
			require.Len(t, nichetest.Look(t, honest).Events("Work"), c.left)
			require.Zero(t, d.Count("links"))
			require.Zero(t, d.Count("calendars"))
		})
	}
}
