package caldav_test

import (
	"context"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/caldav"
	"niche/internal/outbound"
	"niche/internal/standin"
)

// server is a CalDAV server under test with an account that has one calendar.
type server struct {
	address, user, key string
}

func (s server) client(t *testing.T) *caldav.Client {
	host := strings.TrimPrefix(s.address, "http://")
	c, err := caldav.NewClient(outbound.NewClient([]string{host}, 10*time.Second), s.address, caldav.Credentials{User: s.user, Password: s.key})
	require.NoError(t, err)
	return c
}

// send asks the server for something past the client.
func (s server) send(t *testing.T, method, path, body string) {
	req, err := http.NewRequestWithContext(t.Context(), method, s.address+path, strings.NewReader(body))
	require.NoError(t, err)
	req.SetBasicAuth(s.user, s.key)
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Less(t, res.StatusCode, 300, "%s %s", method, path)
}

const mkcalendar = `<c:mkcalendar xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:set><d:prop><d:displayname>Work</d:displayname></d:prop></d:set></c:mkcalendar>`

// run starts a program that serves on an address until the test ends, and waits
// until it listens.
func run(t *testing.T, address, name string, args ...string) {
	path, err := exec.LookPath(name)
	require.NoError(t, err, "%s is missing: make test-tools installs it", name)
	ctx, cancel := context.WithCancel(context.Background())
	cmd := exec.CommandContext(ctx, path, args...)
	require.NoError(t, cmd.Start())
	t.Cleanup(func() { cancel(); _ = cmd.Wait() })
	for range 1500 {
		conn, err := (&net.Dialer{Timeout: time.Second}).DialContext(ctx, "tcp", address)
		if err == nil {
			require.NoError(t, conn.Close())
			return
		}
		require.ErrorIs(t, err, syscall.ECONNREFUSED)
		time.Sleep(10 * time.Millisecond) // between two looks at whether it listens
	}
	require.Fail(t, name+" does not listen")
}

func freeAddress(t *testing.T) string {
	free, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	defer func() { require.NoError(t, free.Close()) }()
	return free.Addr().String()
}

// having returns known ETags.
func having(etags map[string]string) func(context.Context) (map[string]string, error) {
	return func(context.Context) (map[string]string, error) { return etags, nil }
}

// servers are the real ones that Debian has, and the stand-in.
var servers = map[string]func(*testing.T) server{
	"radicale": func(t *testing.T) server {
		folder, address := t.TempDir(), freeAddress(t)
		users := filepath.Join(folder, "users")
		require.NoError(t, os.WriteFile(users, []byte("bryn:key\n"), 0o600))
		run(t, address, "radicale", "--server-hosts", address, "--auth-type", "htpasswd", "--auth-htpasswd-filename", users,
			"--auth-htpasswd-encryption", "plain", "--storage-filesystem-folder", filepath.Join(folder, "data"))
		s := server{"http://" + address, "bryn", "key"}
		s.send(t, "MKCALENDAR", "/bryn/work/", mkcalendar)
		return s
	},
	"xandikos": func(t *testing.T) server {
		folder, address := t.TempDir(), freeAddress(t)
		host, port, _ := strings.Cut(address, ":")
		run(t, address, "xandikos", "-d", folder, "-l", host, "-p", port, "--current-user-principal", "/bryn/", "--autocreate")
		s := server{"http://" + address, "bryn", "key"}
		s.send(t, "MKCALENDAR", "/bryn/calendars/work/", mkcalendar)
		return s
	},
	"stand-in": func(t *testing.T) server {
		cloud, err := standin.Open("", time.Now, []standin.Account{{User: "bryn", Password: "key", Zone: "UTC", Calendars: []standin.Calendar{{ID: "work", Name: "Work"}}}})
		require.NoError(t, err)
		web := httptest.NewServer(cloud.Handler())
		t.Cleanup(web.Close)
		return server{web.URL, "bryn", "key"}
	},
}

func event(uid, title string) []byte {
	return []byte("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//x//y//EN\r\nBEGIN:VEVENT\r\nUID:" + uid + "\r\nDTSTAMP:20260301T000000Z\r\n" +
		"DTSTART:20260304T100000Z\r\nDTEND:20260304T110000Z\r\nSUMMARY:" + title + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
}

func TestEveryServerIsReadAndWrittenAlike(t *testing.T) {
	for name, start := range servers {
		t.Run(name, func(t *testing.T) {
			t.Parallel()
			s := start(t)
			c := s.client(t)
			ctx := t.Context()
			account, err := c.Discover(ctx)
			require.NoError(t, err)
			n := slices.IndexFunc(account.Calendars, func(c caldav.Calendar) bool { return strings.EqualFold(c.Name, "work") })
			require.GreaterOrEqual(t, n, 0, "%v", account.Calendars)
			work := account.Calendars[n]
			require.True(t, work.CanWrite)

			first, err := c.Changes(ctx, work.Href, caldav.Known{})
			require.NoError(t, err)
			require.Empty(t, first.Changed)
			path := work.Href + "visit-1.ics"
			_, err = c.Put(ctx, path, "", event("visit-1", "One"))
			require.NoError(t, err)
			_, err = c.Put(ctx, path, "", event("visit-1", "Again"))
			require.Equal(t, outbound.Changed, outbound.KindOf(err), "created once only")

			etags := map[string]string{}
			known := caldav.Known{Token: first.Token, Tag: first.Tag, ETags: having(etags)}
			second, err := c.Changes(ctx, work.Href, known)
			require.NoError(t, err)
			require.Equal(t, []string{path}, second.Changed)
			require.NoError(t, c.Fetch(ctx, work.Href, append(second.Changed, work.Href+"none.ics"), func(o caldav.Object) error {
				if o.Path == path {
					require.Contains(t, string(o.Body), "SUMMARY:One")
					etags[path] = o.ETag
				} else {
					require.Nil(t, o.Body, "what is not there comes without a body")
				}
				return nil
			}))
			require.NotEmpty(t, etags[path])
			known.Token, known.Tag = second.Token, second.Tag
			third, err := c.Changes(ctx, work.Href, known)
			require.NoError(t, err)
			require.Empty(t, slices.Concat(third.Changed, third.Removed), "nothing changed")

			known.Token = "a token that nobody gave"
			forgotten, err := c.Changes(ctx, work.Href, caldav.Known{Token: known.Token, ETags: having(etags)})
			require.NoError(t, err, "a forgotten token falls back by itself")
			require.Empty(t, slices.Concat(forgotten.Changed, forgotten.Removed))

			stored, err := c.Get(ctx, path)
			require.NoError(t, err)
			_, err = c.Put(ctx, path, stored.ETag, event("visit-1", "Two"))
			require.NoError(t, err)
			_, err = c.Put(ctx, path, stored.ETag, event("visit-1", "Three"))
			require.Equal(t, outbound.Changed, outbound.KindOf(err), "an old version is not written over a new one")
			stored, err = c.Get(ctx, path)
			require.NoError(t, err)
			require.Contains(t, string(stored.Body), "SUMMARY:Two")

			require.NoError(t, c.Delete(ctx, path, stored.ETag))
			require.Equal(t, outbound.NotThere, outbound.KindOf(c.Delete(ctx, path, "")))
			known.Token = third.Token
			gone, err := c.Changes(ctx, work.Href, known)
			require.NoError(t, err)
			require.Equal(t, []string{path}, gone.Removed)
		})
	}
}

func TestAddressesThatUsersGive(t *testing.T) {
	hc := outbound.NewClient(nil, time.Second)
	for _, bad := range []string{"", "  ", "ftp://calendar.example", "http://", "https://user name@", "::"} {
		_, err := caldav.NewClient(hc, bad, caldav.Credentials{User: "u", Password: "k"})
		require.Equal(t, outbound.BadAddress, outbound.KindOf(err), bad)
	}
	for _, own := range []string{"127.0.0.1", "http://localhost:1", "[::1]:80", "http://10.1.2.3", "http://192.168.0.1", "http://172.16.9.9", "http://169.254.169.254/latest", "http://[fe80::1]", "http://[::ffff:127.0.0.1]", "http://100.64.0.1", "http://0.0.0.0", "http://[fd00::1]"} {
		c, err := caldav.NewClient(hc, own, caldav.Credentials{User: "u", Password: "k"})
		require.NoError(t, err)
		_, err = c.Discover(t.Context())
		require.Equal(t, outbound.OwnNetwork, outbound.KindOf(err), "%s: %v", own, err)
	}
}
