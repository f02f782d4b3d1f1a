package caldav

import (
	"net/http"
	"net/url"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

// Whatever a resource is called, its address has one spelling, whichever of them a
// host chooses, and a request names the resource.
func TestAnAddressHasOneSpelling(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		name := rapid.StringOfN(rapid.SampledFrom([]rune("aZ9-._~!$&'()*+,;=:@#?%/ ä[]\"<>")), 1, 12, -1).Draw(t, "name")
		full := url.PathEscape(name)
		every := escape(name, func(int) bool { return false })
		require.Equal(t, Path("/c/"+full), Path("/c/"+every))
		base, err := url.Parse("http://host.example/c/")
		require.NoError(t, err)
		c := &Client{base: base}
		for _, spelt := range []string{full, every} {
			_, address := locate(base, "/c/"+spelt)
			req, err := http.NewRequest(http.MethodGet, "http://host.example/", nil)
			require.NoError(t, err)
			req.URL = c.at(address)
			require.Equal(t, "/c/"+name, req.URL.Path)
			again, err := url.PathUnescape(req.URL.EscapedPath())
			require.NoError(t, err)
			require.Equal(t, "/c/"+name, again, "it arrives as what it is")
		}
		require.Contains(t, spellings(literal("/c/"+name)), literal("/c/"+name))
	})
	for _, c := range []struct{ target, href, origin, path string }{
		{"http://h.example/a/b/", "http://H.example/a/b/at%40x.ics", "", "/a/b/at@x.ics"},
		{"http://h.example/a/b/", "https://h.example/a/b/x.ics", "https://h.example", "/a/b/x.ics"},
		{"http://h.example/a/b/", "col%3Aon.ics", "", "/a/b/col:on.ics"},
		{"http://h.example/a/b/", " /a/b/hash#x.ics\n", "", "/a/b/hash%23x.ics"},
		{"http://h.example/a/b/", "/a/b/quest?x.ics", "", "/a/b/quest%3Fx.ics"},
		{"http://h.example/a/b/", "/a/b/100%.ics", "", "/a/b/100%25.ics"},
		{"http://h.example/a/b/", "/a/b/slash%2Fx.ics", "", "/a/b/slash%2Fx.ics"},
	} {
		target, err := url.Parse(c.target)
		require.NoError(t, err)
		origin, address := locate(target, c.href)
		require.Equal(t, c.origin, origin, c.href)
		require.Equal(t, c.path, Path(address), c.href)
	}
}
