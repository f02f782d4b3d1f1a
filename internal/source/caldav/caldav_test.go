package caldav_test

import (
	"fmt"
	"net/http"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/nichetest"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
)

func TestEveryServerIsReadAndWrittenAlike(t *testing.T) {
	nichetest.EachServer(t, func(t *testing.T, s nichetest.Server) {
		t.Parallel()
		ctx := t.Context()
		c := work(t, client(t, s))
		m := newMirror(c)
		require.NoError(t, m.read(ctx))
		require.Empty(t, m.objects)
		path := s.Home + s.Work + "/visit-1.ics"
		_, err := c.Put(ctx, path, "", []byte(nichetest.EventText("visit-1", "20260304T100000Z")))
		require.NoError(t, err)
		if s.Name != "SOGo" { // which passes over If-None-Match
			_, err = c.Put(ctx, path, "", []byte(nichetest.EventText("visit-1", "20260304T110000Z")))
			require.Equal(t, outbound.Changed, outbound.KindOf(err), "created once only: %v", err)
		}
		require.NoError(t, m.read(ctx))
		require.Equal(t, []string{"visit-1"}, m.uids())
		require.Contains(t, m.bodies[path], "20260304T1000")
		for range 3 { // until what it remembers is settled
			require.NoError(t, m.read(ctx))
		}
		kept := m.mark
		require.NoError(t, m.read(ctx))
		require.Equal(t, kept, m.mark, "nothing changed")

		m.mark = `{"token":"a token that nobody gave","base":"another","listed":` + fmt.Sprint(m.now.Unix()) + `}`
		require.NoError(t, m.read(ctx), "a forgotten token falls back by itself")
		require.Equal(t, []string{"visit-1"}, m.uids())

		stored, err := c.Get(ctx, path)
		require.NoError(t, err)
		_, err = c.Put(ctx, path, stored.ETag, []byte(nichetest.EventText("visit-1", "20260304T120000Z")))
		require.NoError(t, err)
		_, err = c.Put(ctx, path, stored.ETag, []byte(nichetest.EventText("visit-1", "20260304T130000Z")))
		require.Equal(t, outbound.Changed, outbound.KindOf(err), "an old version is not written over a new one")
		require.NoError(t, m.read(ctx))
		require.Contains(t, m.bodies[path], "20260304T1200")

		stored, err = c.Get(ctx, path)
		require.NoError(t, err)
		require.NoError(t, c.Delete(ctx, path, stored.ETag))
		require.Equal(t, outbound.NotThere, outbound.KindOf(c.Delete(ctx, path, "")))
		require.NoError(t, m.read(ctx))
		require.Empty(t, m.objects)

		// What came and went between two moments at which the calendar was the same.
		require.NoError(t, m.read(ctx))
		require.NoError(t, m.read(ctx))
		_, err = c.Put(ctx, path, "", []byte(nichetest.EventText("visit-1", "20260304T100000Z")))
		require.NoError(t, err)
		require.NoError(t, m.readAfter(ctx, time.Second))
		require.Equal(t, []string{"visit-1"}, m.uids())
		require.NoError(t, c.Delete(ctx, path, ""))
		require.NoError(t, m.readAfter(ctx, time.Second))
		require.Empty(t, m.objects)
	})
}

// names are what resources can be called; what a server takes of them must be read.
var names = []string{"plain.ics", "plus+sign.ics", "per%25cent.ics", "p(1).ics", "semi;colon.ics", "comma,dot.ics", "tilde~.ics", "eq=x.ics", "col:on.ics",
	"hash%23x.ics", "q&a.ics", "a%20b.ics", "at@x.ics", "quest%3Fx.ics", "apo'x.ics", "star*.ics", "dollar$.ics", "excl!.ics", "umlaut-%C3%A4.ics"}

func TestResourcesWithOddNamesAreRead(t *testing.T) {
	nichetest.EachServer(t, func(t *testing.T, s nichetest.Server) {
		t.Parallel()
		ctx := t.Context()
		m := newMirror(work(t, client(t, s)))
		require.NoError(t, m.read(ctx))
		var taken []string
		for n, name := range names {
			if s.Name == "SOGo" && name == "apo'x.ics" {
				continue // it takes the apostrophe for the end of the name, and writes over another event
			}
			uid := fmt.Sprintf("odd-%02d", n)
			if status, _ := s.Send(t, http.MethodPut, s.Home+s.Work+"/"+name, nichetest.EventText(uid, "20260304T100000Z")); status < 300 {
				taken = append(taken, uid)
			}
		}
		require.Greater(t, len(taken), 15)
		require.NoError(t, m.read(ctx))
		require.Equal(t, taken, m.uids(), "by what changed")
		whole := newMirror(m.calendar)
		require.NoError(t, whole.read(ctx))
		require.Equal(t, taken, whole.uids(), "by a listing")
		require.Empty(t, whole.owed())
	})
}

// Two programs put events while the calendar is read again and again, on servers
// whose tokens may be of whole seconds: in the end none is missing.
func TestEventsThatComeWhileOneReadsAreNotMissed(t *testing.T) {
	nichetest.EachServer(t, func(t *testing.T, s nichetest.Server) {
		t.Parallel()
		ctx := t.Context()
		m := newMirror(work(t, client(t, s)))
		var programs sync.WaitGroup
		for p := range 2 {
			programs.Go(func() {
				for n := range 25 {
					s.Send(t, http.MethodPut, fmt.Sprintf("%s%s/p%d-%d.ics", s.Home, s.Work, p, n), nichetest.EventText(fmt.Sprintf("p%d-%02d", p, n), "20260304T100000Z"))
				}
			})
		}
		for range 12 {
			require.NoError(t, m.readAfter(ctx, 100*time.Millisecond))
		}
		programs.Wait()
		require.NoError(t, m.readAfter(ctx, 100*time.Millisecond))
		for range 3 { // what was hidden in the moment of a token is seen by later readings
			require.NoError(t, m.read(ctx))
		}
		require.Len(t, m.uids(), 50)
	})
}

func TestAddressesThatUsersGive(t *testing.T) {
	hc := outbound.NewClient(nil, time.Second)
	for _, bad := range []string{"", "  ", "ftp://calendar.example", "http://", "https://user name@", "::"} {
		_, err := caldav.NewClient(hc, bad, source.Credentials{User: "u", Password: "k"})
		require.Equal(t, outbound.BadAddress, outbound.KindOf(err), bad)
	}
	for _, open := range []string{"https://u:p@calendar.example", "https://u@calendar.example/", "https://calendar.example/?key=1", "https://calendar.example/#x", "u:p@calendar.example"} {
		_, err := caldav.NewClient(hc, open, source.Credentials{User: "u", Password: "k"})
		require.Equal(t, outbound.TooOpen, outbound.KindOf(err), open)
		require.NotContains(t, err.Error(), "u:p")
	}
	for _, own := range []string{"127.0.0.1", "https://localhost:1", "[::1]:80", "10.1.2.3", "192.168.0.1", "172.16.9.9", "https://169.254.169.254/latest", "[fe80::1]", "[::ffff:127.0.0.1]", "100.64.0.1", "0.0.0.0", "[fd00::1]",
		"[fec0::1]", "[100::1]", "[::7f00:1]", "[2001::1]", "[2001:10::1]", "[2002:7f00:1::]", "[64:ff9b::7f00:1]", "192.88.99.1"} {
		c, err := caldav.NewClient(hc, own, source.Credentials{User: "u", Password: "k"})
		require.NoError(t, err)
		_, err = c.Discover(t.Context())
		require.Equal(t, outbound.OwnNetwork, outbound.KindOf(err), "%s: %v", own, err)
	}
	for _, plain := range []string{"http://calendar.example", "http://localhost:1", "http://10.1.2.3"} {
		c, err := caldav.NewClient(hc, plain, source.Credentials{User: "u", Password: "k"})
		require.NoError(t, err)
		_, err = c.Discover(t.Context())
		require.Equal(t, outbound.InTheOpen, outbound.KindOf(err), "%s: %v", plain, err)
	}
}

// Calendars that lie at another address than the account are found there: with the
// account's credentials, as far as the operator lets that address be reached, and not
// at one that anybody on the way can read.
func TestAHomeOnAnotherOriginIsFoundThere(t *testing.T) {
	there := nichetest.StandIn(t)
	here := nichetest.StandIn(t)
	hosts := []string{strings.TrimPrefix(here.Address, "http://"), strings.TrimPrefix(there.Address, "http://")}
	front := nichetest.Before(t, here.Address, func(r *http.Request, _ []byte) nichetest.Fault {
		return nichetest.Fault{Answer: func(body string) string {
			return strings.ReplaceAll(body, "<c:calendar-home-set><d:href>", "<c:calendar-home-set><d:href>"+there.Address)
		}}
	})
	c, err := caldav.NewClient(outbound.NewClient(append(hosts, strings.TrimPrefix(front, "http://")), 5*time.Second), front, source.Credentials{User: here.User, Password: here.Key})
	require.NoError(t, err)
	account, err := c.Discover(t.Context())
	require.NoError(t, err)
	require.Equal(t, there.Address+there.Home, account.Home)
	require.Len(t, account.Calendars, 2)

	c, err = caldav.NewClient(outbound.NewClient([]string{strings.TrimPrefix(front, "http://")}, 5*time.Second), front, source.Credentials{User: here.User, Password: here.Key})
	require.NoError(t, err)
	_, err = c.Discover(t.Context())
	require.Equal(t, outbound.InTheOpen, outbound.KindOf(err), "it is allowed like any new address")

	safe, err := caldav.NewClient(http.DefaultClient, "https://calendar.example/", source.Credentials{})
	require.NoError(t, err)
	_, err = safe.Elsewhere("http://calendar.example/home/")
	require.Equal(t, outbound.BadAddress, outbound.KindOf(err))
}
