package caldav_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"niche/internal/nichetest"
	"niche/internal/source/caldav"
)

// The names of a domain lead to its calendar service (RFC 6764, section 6), and a DNS
// that fails leads nowhere.
func TestADomainNamesItsCalendarService(t *testing.T) {
	const secure, plain = "_caldavs._tcp.castellane.example", "_caldav._tcp.castellane.example"
	for _, c := range []struct {
		name string
		says func(n *nichetest.Names)
		want []string
	}{
		{"nothing", func(*nichetest.Names) {}, []string{"https://castellane.example/.well-known/caldav"}},
		{"a host", func(n *nichetest.Names) { n.Serves(secure, "Cal.castellane.example", 443, 0) }, []string{"https://cal.castellane.example/.well-known/caldav"}},
		{"a host with a port and a path", func(n *nichetest.Names) {
			n.Serves(secure, "cal.castellane.example", 8443, 0)
			n.Says(secure, "path=/dav/")
		}, []string{"https://cal.castellane.example:8443/dav/"}},
		{"several, by their order, and http at last", func(n *nichetest.Names) {
			n.Serves(secure, "second.example", 443, 20)
			n.Serves(secure, "first.example", 443, 10)
			n.Serves(plain, "third.example", 80, 0)
			n.Says(plain, "path=/plain")
		}, []string{"https://first.example/.well-known/caldav", "https://second.example/.well-known/caldav", "http://third.example/plain"}},
		{"a path that is none", func(n *nichetest.Names) {
			n.Serves(secure, "cal.castellane.example", 443, 0)
			n.Says(secure, "path=//elsewhere.example?a#b")
		}, []string{"https://cal.castellane.example/.well-known/caldav"}},
		{"that it serves none", func(n *nichetest.Names) { n.Serves(secure, ".", 0, 0) }, nil},
		{"too many", func(n *nichetest.Names) {
			for port := range uint16(12) {
				n.Serves(secure, "c.example", 1001+port/2, port)
			}
			n.Says(secure, "path=/d")
		}, []string{"https://c.example:1001/d", "https://c.example:1002/d", "https://c.example:1003/d", "https://c.example:1004/d", "https://c.example:1005/d"}},
	} {
		names, resolver := nichetest.OpenNames(t)
		c.says(names)
		got, err := caldav.Locate(t.Context(), resolver, "Castellane.example.")
		require.NoError(t, err, c.name)
		require.Equal(t, c.want, got, c.name)
	}
	names, resolver := nichetest.OpenNames(t)
	names.Fail(true)
	_, err := caldav.Locate(t.Context(), resolver, "castellane.example")
	require.ErrorContains(t, err, "asking for the calendar service of castellane.example", "a failure is no answer")
}
