package caldav_test

import (
	"fmt"
	"io"
	"maps"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/nichetest"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
)

// tokens is a calendar host that makes its tokens in one of the ways that there are.
type tokens struct {
	kind   string
	second int               // what its clock shows
	number int               // of the last change
	events map[string]string // what is there, by name
	log    []change
	states []map[string]string // that a token was made of
	slow   []func()            // changes that have their number, and are not there yet
	during map[int]func()      // what happens before a question of a reading is answered
	asked  int                 // questions of a reading
}

type change struct {
	name   string
	number int
}

var tokenKinds = []string{
	"the number of the last change",
	"the number of the last change, with changes that take a while",
	"the second of the question",
	"the content, which tells what differs from it",
	"forgotten at once, and then all is told",
	"forgotten at once, and that is told",
}

// change changes an event, or removes it for "".
func (h *tokens) change(name, content string, takesAWhile bool) {
	h.number++
	number := h.number
	if h.kind == tokenKinds[2] {
		number = h.second
	}
	there := func() {
		if h.events[name] == "" && content == "" {
			return
		}
		h.events[name] = content
		if content == "" {
			delete(h.events, name)
		}
		h.log = append(h.log, change{name, number})
	}
	if takesAWhile && h.kind == tokenKinds[1] {
		h.slow = append(h.slow, there)
		return
	}
	there()
}

// arrive brings all changes that were taking a while.
func (h *tokens) arrive() {
	for _, there := range h.slow {
		there()
	}
	h.slow = nil
}

// token is the one of now.
func (h *tokens) token() string {
	switch h.kind {
	case tokenKinds[2]:
		return fmt.Sprint(h.second)
	case tokenKinds[3]:
		n := slices.IndexFunc(h.states, func(s map[string]string) bool { return maps.Equal(s, h.events) })
		if n < 0 {
			n, h.states = len(h.states), append(h.states, maps.Clone(h.events))
		}
		return fmt.Sprint(n)
	}
	last := 0
	for _, c := range h.log {
		last = max(last, c.number)
	}
	return fmt.Sprint(last)
}

// since names what changed since a token was given, those that have gone among it.
func (h *tokens) since(token string) (names []string, known bool) {
	var n int
	if _, err := fmt.Sscan(token, &n); err != nil {
		return nil, false
	}
	switch h.kind {
	case tokenKinds[3]:
		if n >= len(h.states) {
			return nil, false
		}
		for _, name := range eventNames {
			if h.states[n][name] != h.events[name] {
				names = append(names, name)
			}
		}
		return names, true
	case tokenKinds[4]:
		return slices.Collect(maps.Keys(h.events)), true
	case tokenKinds[5]:
		return nil, false
	}
	for _, c := range h.log {
		if c.number > n && !slices.Contains(names, c.name) {
			names = append(names, c.name)
		}
	}
	return names, true
}

var (
	eventNames = []string{"a", "b", "c"}
	asked      = regexp.MustCompile(`<d:sync-token>([^<]*)</d:sync-token>`)
	multi      = regexp.MustCompile(`<d:href>/cal/(\w)\.ics</d:href>`)
)

func version(content string) string { return `"` + content[len(content)-2:] + `"` }

func (h *tokens) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	question, _ := io.ReadAll(r.Body)
	if happens := h.during[h.asked]; happens != nil {
		happens()
	}
	h.asked++
	names, body, token := []string{}, false, h.token()
	switch {
	case r.Method == http.MethodGet:
		content := h.events[strings.TrimSuffix(strings.TrimPrefix(r.URL.Path, "/cal/"), ".ics")]
		if content == "" {
			w.WriteHeader(http.StatusNotFound)
			return
		}
		w.Header().Set("ETag", version(content))
		_, _ = io.WriteString(w, content)
		return
	case r.Method == "REPORT" && strings.Contains(string(question), "multiget"):
		for _, m := range multi.FindAllStringSubmatch(string(question), -1) {
			names, body = append(names, m[1]), true
		}
	case r.Method == "REPORT":
		var known bool
		if names, known = h.since(asked.FindStringSubmatch(string(question))[1]); !known {
			w.WriteHeader(http.StatusForbidden)
			return
		}
	case r.Header.Get("Depth") == "1":
		names = slices.Collect(maps.Keys(h.events))
	}
	parts := `<d:response><d:href>/cal/</d:href><d:propstat><d:prop><d:sync-token>` + token + `</d:sync-token><d:resourcetype><d:collection/><c:calendar/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`
	for _, name := range names {
		content := h.events[name]
		if content == "" {
			parts += `<d:response><d:href>/cal/` + name + `.ics</d:href><d:status>HTTP/1.1 404 Gone</d:status></d:response>`
			continue
		}
		parts += `<d:response><d:href>/cal/` + name + `.ics</d:href><d:propstat><d:prop><d:getetag>` + version(content) + `</d:getetag>`
		if body {
			parts += `<c:calendar-data>` + content + `</c:calendar-data>`
		}
		parts += `<d:resourcetype/></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`
	}
	w.WriteHeader(http.StatusMultiStatus)
	_, _ = io.WriteString(w, `<d:multistatus xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav">`+parts+`<d:sync-token>`+token+`</d:sync-token></d:multistatus>`)
}

// However a host makes its tokens, whatever changes between readings and at the same
// moment as they: once nothing changes any more, what is known is what is there.
func TestACalendarIsKnownHoweverItsTokensAreMade(t *testing.T) {
	host := &tokens{}
	web := httptest.NewServer(host)
	defer web.Close()
	hc := outbound.NewClient([]string{nichetest.HostOf(web)}, 10*time.Second)
	rapid.Check(t, func(t *rapid.T) {
		// One event stays as it is: where all is told, that tells it from what changed.
		*host = tokens{kind: rapid.SampledFrom(tokenKinds).Draw(t, "kind"), events: map[string]string{"z": "BEGIN:VCALENDAR z 10"}}
		c, err := caldav.NewClient(hc, web.URL, source.Credentials{User: "u", Password: "p"})
		require.NoError(t, err)
		m := newMirror(c.Calendar("/cal/"))
		begun := m.now
		read := func(pause time.Duration) {
			host.asked = 0
			require.NoError(t, m.readAfter(t.Context(), pause))
			host.second = int(m.now.Sub(begun).Seconds())
		}
		version := 10
		happens := func() func() {
			name, content := rapid.SampledFrom(eventNames).Draw(t, "event"), ""
			if rapid.Bool().Draw(t, "put") {
				version++
				if rapid.Bool().Draw(t, "as before") {
					version = 10
				}
				content = fmt.Sprintf("BEGIN:VCALENDAR %s %d", name, version)
			}
			takesAWhile := rapid.Bool().Draw(t, "takes a while")
			return func() { host.change(name, content, takesAWhile) }
		}
		for range rapid.IntRange(1, 40).Draw(t, "steps") {
			switch rapid.IntRange(0, 3).Draw(t, "what") {
			case 0, 1:
				happens()()
			case 2:
				pause := rapid.SampledFrom([]time.Duration{time.Second, 16 * time.Second, time.Minute}).Draw(t, "pause")
				if pause > 10*time.Second {
					host.arrive()
				}
				host.second += int(pause.Seconds())
				host.during = map[int]func(){}
				for range rapid.IntRange(0, 3).Draw(t, "changes meanwhile") {
					host.during[rapid.IntRange(0, 2).Draw(t, "before the question")] = happens()
				}
				read(pause)
			case 3:
				host.arrive()
			}
		}
		host.during = nil
		host.arrive()
		for range 4 {
			host.second += 3600
			read(time.Hour)
		}
		known := map[string]string{}
		for path, body := range m.bodies {
			known[strings.TrimSuffix(strings.TrimPrefix(path, "/cal/"), ".ics")] = body
		}
		require.Equal(t, host.events, known)
		require.Empty(t, m.owed())
	})
}
