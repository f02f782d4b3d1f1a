package caldav_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/nichetest"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
)

// answer is what a faulty server says to everything.
type answer struct {
	status int
	header map[string]string
	body   string
	cut    bool // the connection breaks in the middle of the body
}

func faulty(t *testing.T, a answer) *caldav.Client {
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		for k, v := range a.header {
			w.Header().Set(k, v)
		}
		if a.cut {
			w.Header().Set("Content-Length", fmt.Sprint(len(a.body)+1000))
		}
		w.WriteHeader(a.status)
		_, _ = io.WriteString(w, a.body)
	}))
	t.Cleanup(web.Close)
	c, err := caldav.NewClient(outbound.NewClient([]string{hostOf(web)}, 10*time.Second), web.URL+"/h/", source.Credentials{User: "u", Password: "k"})
	require.NoError(t, err)
	return c
}

func multistatus(inner string) string {
	return `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav" xmlns:s="http://calendarserver.org/ns/">` + inner + `</d:multistatus>`
}

func TestAFaultyServerIsTold(t *testing.T) {
	for _, c := range []struct {
		name   string
		answer answer
		kind   outbound.Kind
		retry  time.Duration
	}{
		{"refuses the key", answer{status: 401}, outbound.WrongKey, 0},
		{"does not allow it", answer{status: 403}, outbound.Forbidden, 0},
		{"does not know it", answer{status: 404}, outbound.NotThere, 0},
		{"knew it once", answer{status: 410}, outbound.NotThere, 0},
		{"is no CalDAV server", answer{status: 405}, outbound.BadAddress, 0},
		{"will never be one", answer{status: 501}, outbound.NotServed, 0},
		{"is too busy, and says for how long", answer{status: 429, header: map[string]string{"Retry-After": "120"}}, outbound.NotReached, 2 * time.Minute},
		{"is down, and says until when", answer{status: 503, header: map[string]string{"Retry-After": "Mon, 02 Mar 2026 08:10:00 GMT", "Date": "Mon, 02 Mar 2026 08:00:00 GMT"}}, outbound.NotReached, 10 * time.Minute},
		{"asks for a year of patience", answer{status: 503, header: map[string]string{"Retry-After": "99999999"}}, outbound.NotReached, 24 * time.Hour},
		{"has no room", answer{status: 507}, outbound.StorageIsFull, 0},
		{"breaks off", answer{status: 207, body: multistatus("<d:response>")[:70], cut: true}, outbound.CutOff, 0},
		{"sends half", answer{status: 207, body: multistatus("<d:response>")[:70]}, outbound.CutOff, 0},
		{"answers broken XML", answer{status: 207, body: multistatus("<d:response>")}, outbound.BadAnswer, 0},
		{"answers a web page", answer{status: 200, body: "<html>"}, outbound.BadAnswer, 0},
		{"says nothing of the home", answer{status: 207, body: multistatus("")}, outbound.BadAnswer, 0},
		{"says inside that it does not know the home", answer{status: 207, body: multistatus("<d:response><d:href>/h</d:href><d:status>HTTP/1.1 404 Not Found</d:status></d:response>")}, outbound.NotThere, 0},
		{"nests without end", answer{status: 207, body: multistatus("<d:response><d:propstat><d:prop>" + strings.Repeat("<x>", 200_000))}, outbound.BadAnswer, 0},
		{"says parts without end", answer{status: 207, body: multistatus("<d:response>" + strings.Repeat("<d:propstat/>", 200_000) + "</d:response>")}, outbound.BadAnswer, 0},
		{"redirects in a circle", answer{status: 302, header: map[string]string{"Location": "/again"}}, outbound.BadAnswer, 0},
		{"redirects to somebody else", answer{status: 301, header: map[string]string{"Location": "http://other.example/"}}, outbound.BadAddress, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, _, _, err := faulty(t, c.answer).Calendars(t.Context())
			require.Error(t, err)
			require.Equal(t, c.kind, outbound.KindOf(err), err.Error())
			require.Equal(t, c.retry, outbound.RetryAfter(err))
			require.NotContains(t, err.Error(), "Basic ")
		})
	}

	// Only calendars that hold events count, whatever else lies in the home; what the
	// host does not say what it is, is told apart.
	list := multistatus(`<d:response><d:href>/h/</d:href><d:propstat><d:prop><d:resourcetype><d:collection/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>
		<d:response><d:href>/h/a%20b/</d:href><d:propstat><d:prop><d:displayname> </d:displayname><d:resourcetype><d:collection/><c:calendar/></d:resourcetype>
			<d:current-user-privilege-set><d:privilege><d:read/></d:privilege><d:privilege><d:bind/></d:privilege></d:current-user-privilege-set></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat>
			<d:propstat><d:prop><x/></d:prop><d:status>HTTP/1.1 404 Not Found</d:status></d:propstat></d:response>
		<d:response><d:href>/h/inbox/</d:href><d:propstat><d:prop><d:resourcetype><c:calendar/><c:schedule-inbox/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>
		<d:response><d:href>/h/hall/</d:href><d:propstat><d:prop><d:resourcetype><c:calendar/><s:subscribed/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>
		<d:response><d:href>/h/broken/</d:href><d:status>HTTP/1.1 500 Broken</d:status></d:response>
		<d:response><d:href>/h/tasks/</d:href><d:propstat><d:prop><d:resourcetype><c:calendar/></d:resourcetype><c:supported-calendar-component-set><c:comp name="VTODO"/></c:supported-calendar-component-set></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`)
	got, unclear, _, err := faulty(t, answer{status: 207, body: list}).Calendars(t.Context())
	require.NoError(t, err)
	require.Equal(t, []source.Calendar{{Path: "/h/a%20b/", Address: "/h/a%20b/", Name: "a%20b"}}, got, "without a right to write content, it can only be read")
	require.Equal(t, []string{"/h/broken/"}, unclear)

	many := strings.Repeat(`<d:response><d:href>/h/x/</d:href><d:propstat><d:prop><d:displayname>`+strings.Repeat("n", 5000)+`</d:displayname><d:resourcetype><c:calendar/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`, 1000)
	got, _, more, err := faulty(t, answer{status: 207, body: multistatus(`<d:response><d:href>/h/</d:href><d:propstat><d:prop/><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>` + many)}).Calendars(t.Context())
	require.NoError(t, err)
	require.Len(t, got, source.MaxCalendars)
	require.Equal(t, 1000-source.MaxCalendars, more)
	require.Len(t, got[0].Name, source.MaxName)
}

// question is one of the questions of a reading.
type question struct {
	name string
	is   func(r *http.Request, body []byte) bool
}

var questions = []question{
	{"sync-collection", func(r *http.Request, body []byte) bool { return strings.Contains(string(body), "sync-collection") }},
	{"listing", func(r *http.Request, _ []byte) bool {
		return r.Method == "PROPFIND" && r.Header.Get("Depth") == "1"
	}},
	{"multiget", func(r *http.Request, body []byte) bool {
		return strings.Contains(string(body), "calendar-multiget")
	}},
	{"multiget and single", func(r *http.Request, body []byte) bool {
		return strings.Contains(string(body), "calendar-multiget") || r.Method == http.MethodGet
	}},
}

// odd spells an address otherwise, meaning the same.
func odd(href string) string {
	return strings.NewReplacer("bryn", "%62r%79n", "@", "%40").Replace(href)
}

// wrongs are what can be wrong with an answer: as a whole, or with the part about one
// event. whole says that nothing of the answer can be used.
var wrongs = []struct {
	name string
	do   nichetest.Fault
}{
	{"nothing", nichetest.Fault{}},
	{"403 inside", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.With("403 Forbidden"))}},
	{"500 inside", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.With("500 Broken"))}},
	{"503 inside", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.With("503 Not now"))}},
	{"404 inside", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.With("404 Not Found"))}},
	{"left out", nichetest.Fault{Answer: nichetest.Part("new@x", func(_, _ string) string { return "" })}},
	{"a version but no data", nichetest.Fault{Answer: nichetest.Part("new@x", func(part, _ string) string {
		return regexp.MustCompile(`(?s)<c:calendar-data>.*</c:calendar-data>`).ReplaceAllString(part, "")
	})}},
	{"data but no version", nichetest.Fault{Answer: nichetest.Part("new@x", func(part, _ string) string {
		return regexp.MustCompile(`(?s)<d:getetag>.*</d:getetag>`).ReplaceAllString(part, "")
	})}},
	{"a weak version", nichetest.Fault{Answer: nichetest.Part("new@x", func(part, _ string) string {
		return strings.Replace(part, "<d:getetag>", "<d:getetag>W/", 1)
	})}},
	{"spelled otherwise", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.Spelled(odd))}},
	{"spelled relative", nichetest.Fault{Answer: nichetest.Part("new@x", nichetest.Spelled(func(href string) string { return href[strings.LastIndex(href, "/")+1:] }))}},
	{"all else left out", nichetest.Fault{Answer: nichetest.Part("old", func(_, _ string) string { return "" })}},
	{"too busy", nichetest.Fault{Status: 429, Change: func(h http.Header) { h.Set("Retry-After", "7") }, Unasked: true}},
	{"down", nichetest.Fault{Status: 503, Unasked: true}},
	{"broken", nichetest.Fault{Status: 500, Unasked: true}},
	{"closed", nichetest.Fault{Status: 403, Unasked: true}},
	{"half the XML", nichetest.Fault{Answer: func(body string) string { return body[:len(body)/2] }}},
	{"cut off", nichetest.Fault{Cut: true}},
	{"another language", nichetest.Fault{Answer: func(string) string { return "<html><body>Welcome</body></html>" }}},
	{"nothing in it", nichetest.Fault{Answer: func(string) string { return multistatus("") }}},
}

// Whatever is wrong with the answer to whichever question, by token and by listing:
// what is known stays known, what is new is read, or owed, or the reading has failed.
// And when the host does right again, everything is as it is there.
func TestAPartIsNotTheWhole(t *testing.T) {
	for _, q := range questions {
		for _, wrong := range wrongs {
			for _, byToken := range []bool{true, false} {
				t.Run(fmt.Sprintf("%s in %s, by token %t", wrong.name, q.name, byToken), func(t *testing.T) {
					t.Parallel()
					ctx := t.Context()
					s := nichetest.StandIn(t)
					trouble := &nichetest.Trouble{}
					s.Address = trouble.Before(t, s.Address)
					c := work(t, client(t, s))
					home := s.Home + s.Work + "/"
					for n := range 5 {
						s.Do(t, http.MethodPut, fmt.Sprintf("%sold-%d.ics", home, n), nichetest.EventText(fmt.Sprint("old-", n), "20260304T100000Z"))
					}
					m := newMirror(c)
					require.NoError(t, m.read(ctx))
					require.NoError(t, m.read(ctx))
					if !byToken {
						m.mark = ""
					}
					s.Do(t, http.MethodPut, home+"new@x.ics", nichetest.EventText("new", "20260304T100000Z"))
					s.Do(t, http.MethodDelete, home+"old-4.ics", "")

					trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
						if q.is(r, body) {
							return wrong.do
						}
						return nichetest.Fault{}
					})
					err := m.read(ctx)
					for n := range 4 {
						require.True(t, slices.Contains(m.uids(), fmt.Sprint("old-", n)), "it is there, and stays known")
					}
					has := slices.Contains(m.uids(), "new")
					owed := slices.Contains(m.owed(), home+"new@x.ics")
					// That an event is not there can be said in an answer about that very event, and
					// be a lie: then nobody can know, and it is found when everything is listed.
					lie := wrong.name == "404 inside" && q.name == "sync-collection" && byToken
					silent := wrong.name == "left out" && (q.name == "sync-collection" && byToken || q.name == "listing" && !byToken) ||
						wrong.name == "nothing in it" && q.name == "sync-collection" && byToken || wrong.name == "404 inside" && q.name == "listing" && !byToken
					require.True(t, has || owed || err != nil || lie || silent, "it is read, or owed, or the reading has failed")

					trouble.Set(nil)
					if lie || silent {
						m.mark = ""
					}
					for range 3 {
						require.NoError(t, m.read(ctx))
					}
					require.Equal(t, []string{"new", "old-0", "old-1", "old-2", "old-3"}, m.uids())
					require.Empty(t, m.owed())
				})
			}
		}
	}
}

// A listing that suddenly lacks most of what was known is asked for twice, and one
// that says of itself that it is not whole is believed in nothing.
func TestAListingThatLacksMuchIsAskedTwice(t *testing.T) {
	ctx := t.Context()
	s := nichetest.StandIn(t)
	trouble := &nichetest.Trouble{}
	s.Address = trouble.Before(t, s.Address)
	home := s.Home + s.Work + "/"
	for n := range 6 {
		s.Do(t, http.MethodPut, fmt.Sprintf("%sold-%d.ics", home, n), nichetest.EventText(fmt.Sprint("old-", n), "20260304T100000Z"))
	}
	m := newMirror(work(t, client(t, s)))
	require.NoError(t, m.read(ctx))
	listings := 0
	short := func(times int) {
		listings = 0
		trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
			if !questions[1].is(r, body) {
				return nichetest.Fault{}
			}
			if listings++; listings > times {
				return nichetest.Fault{}
			}
			return nichetest.Fault{Answer: nichetest.Part("old", func(_, _ string) string { return "" })}
		})
		m.mark = ""
	}
	short(1)
	require.NoError(t, m.read(ctx))
	require.Len(t, m.objects, 6)
	require.Equal(t, 2, listings)
	trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
		if questions[1].is(r, body) {
			return nichetest.Fault{Answer: func(body string) string {
				return strings.Replace(nichetest.Part("old", func(_, _ string) string { return "" })(body), "</d:multistatus>",
					"<d:response><d:href>"+home+"</d:href><d:status>HTTP/1.1 507 Insufficient Storage</d:status></d:response></d:multistatus>", 1)
			}}
		}
		return nichetest.Fault{}
	})
	m.mark = ""
	require.Equal(t, outbound.InPart, outbound.KindOf(m.read(ctx)))
	require.Len(t, m.objects, 6)
	short(2)
	require.NoError(t, m.read(ctx))
	require.Len(t, m.objects, 6, "what the host no longer lists is asked for")
	for n := range 6 {
		s.Do(t, http.MethodDelete, fmt.Sprintf("%sold-%d.ics", home, n), "")
	}
	m.mark = ""
	require.NoError(t, m.read(ctx))
	require.Empty(t, m.objects)
}

// A calendar that is gone, or is none any more, is said to be, in whatever way the
// host says so; its events have not gone with it.
func TestACalendarThatIsGoneIsNotEmpty(t *testing.T) {
	for name, say := range map[string]func(part, href string) string{
		"404 inside":  nichetest.With("404 Not Found"),
		"no calendar": func(part, _ string) string { return strings.Replace(part, "<c:calendar>", "<c:other>", 1) },
	} {
		for _, byToken := range []bool{true, false} {
			t.Run(fmt.Sprint(name, ", by token ", byToken), func(t *testing.T) {
				ctx := t.Context()
				s := nichetest.StandIn(t)
				trouble := &nichetest.Trouble{}
				s.Address = trouble.Before(t, s.Address)
				s.Do(t, http.MethodPut, s.Home+s.Work+"/a.ics", nichetest.EventText("a", "20260304T100000Z"))
				m := newMirror(work(t, client(t, s)))
				require.NoError(t, m.read(ctx))
				require.NoError(t, m.read(ctx))
				if !byToken {
					m.mark = ""
				}
				trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
					return nichetest.Fault{Answer: func(body string) string {
						if byToken && strings.Contains(body, "sync-token") && !strings.Contains(body, "getctag") {
							if name != "404 inside" {
								return "<html>" // the token is no longer good, and the state is asked for
							}
							return multistatus("<d:response><d:href>" + s.Home + s.Work + "/</d:href><d:status>HTTP/1.1 404 Not Found</d:status></d:response><d:sync-token>x</d:sync-token>")
						}
						return strings.Replace(nichetest.Part("/work/", say)(body), "</c:calendar>", "</c:other>", 1)
					}}
				})
				require.Equal(t, outbound.NotThere, outbound.KindOf(m.read(ctx)))
				require.Equal(t, []string{"a"}, m.uids())
			})
		}
	}
}

// The same version for another event, as some hosts give after a removal: what is
// said to have changed is fetched, whatever its version.
func TestAVersionThatIsUsedTwiceHidesNothing(t *testing.T) {
	ctx := t.Context()
	s := nichetest.StandIn(t)
	front := s
	front.Address = nichetest.Before(t, s.Address, func(*http.Request, []byte) nichetest.Fault {
		return nichetest.Fault{Answer: func(body string) string {
			return regexp.MustCompile(`<d:getetag>[^<]*</d:getetag>`).ReplaceAllString(body, "<d:getetag>\"same\"</d:getetag>")
		}}
	})
	m := newMirror(work(t, client(t, front)))
	path := s.Home + s.Work + "/a.ics"
	s.Do(t, http.MethodPut, path, nichetest.EventText("a", "20260304T100000Z"))
	for range 3 {
		require.NoError(t, m.read(ctx))
	}
	s.Do(t, http.MethodDelete, path, "")
	s.Do(t, http.MethodPut, path, nichetest.EventText("a", "20260305T100000Z"))
	require.NoError(t, m.read(ctx))
	require.Contains(t, m.bodies[path], "20260305")
}

// A partial answer without end is ended, and everything is listed instead.
func TestAnAnswerInPartsWithoutEndIsEnded(t *testing.T) {
	ctx := t.Context()
	s := nichetest.StandIn(t)
	rounds := 0
	trouble := &nichetest.Trouble{}
	s.Address = trouble.Before(t, s.Address)
	s.Do(t, http.MethodPut, s.Home+s.Work+"/a.ics", nichetest.EventText("a", "20260304T100000Z"))
	m := newMirror(work(t, client(t, s)))
	require.NoError(t, m.read(ctx))
	require.NoError(t, m.read(ctx))
	trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
		if !questions[0].is(r, body) {
			return nichetest.Fault{}
		}
		rounds++
		return nichetest.Fault{Status: 0, Answer: func(string) string {
			return multistatus(fmt.Sprintf("<d:response><d:href>%s</d:href><d:status>HTTP/1.1 507 More</d:status></d:response><d:sync-token>t-%d</d:sync-token>", s.Home+s.Work+"/", rounds))
		}}
	})
	require.NoError(t, m.read(ctx))
	require.Equal(t, []string{"a"}, m.uids())
	require.LessOrEqual(t, rounds, 100)
}
