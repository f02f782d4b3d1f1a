package caldav_test

import (
	"bytes"
	"context"
	"crypto/md5"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/caldav"
	"niche/internal/outbound"
	"niche/internal/standin"
)

// answer is what a faulty server says to one method.
type answer struct {
	status int
	header map[string]string
	body   string
	cut    bool // the connection breaks in the middle of the body
}

func faulty(t *testing.T, answers map[string]answer) *caldav.Client {
	web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		a, ok := answers[r.Method]
		if !ok {
			http.NotFound(w, r)
			return
		}
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
	return server{web.URL, "u", "k"}.client(t)
}

func TestAFaultyServerIsTold(t *testing.T) {
	multistatus := func(inner string) string {
		return `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav">` + inner + `</d:multistatus>`
	}
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
		{"is too busy, and says for how long", answer{status: 429, header: map[string]string{"Retry-After": "120"}}, outbound.NotReached, 2 * time.Minute},
		{"is down, and says until when", answer{status: 503, header: map[string]string{"Retry-After": "Mon, 02 Mar 2026 08:10:00 GMT", "Date": "Mon, 02 Mar 2026 08:00:00 GMT"}}, outbound.NotReached, 10 * time.Minute},
		{"asks for a year of patience", answer{status: 503, header: map[string]string{"Retry-After": "99999999"}}, outbound.NotReached, 24 * time.Hour},
		{"has no room", answer{status: 507}, outbound.StorageIsFull, 0},
		{"answers half", answer{status: 207, body: multistatus("<d:response>")[:70], cut: true}, outbound.NotReached, 0},
		{"answers broken XML", answer{status: 207, body: multistatus("<d:response>")}, outbound.BadAnswer, 0},
		{"answers a web page", answer{status: 200, body: "<html>"}, outbound.BadAnswer, 0},
		{"redirects in a circle", answer{status: 302, header: map[string]string{"Location": "/again"}}, outbound.BadAnswer, 0},
		{"redirects to somebody else", answer{status: 301, header: map[string]string{"Location": "http://other.example/"}}, outbound.BadAddress, 0},
	} {
		t.Run(c.name, func(t *testing.T) {
			client := faulty(t, map[string]answer{"PROPFIND": c.answer, "REPORT": c.answer})
			_, err := client.Calendars(t.Context(), "/home/")
			require.Error(t, err)
			require.Equal(t, c.kind, outbound.KindOf(err), err.Error())
			var e *outbound.Error
			require.ErrorAs(t, err, &e)
			require.Equal(t, c.retry, e.RetryAfter)
			require.NotContains(t, err.Error(), "Basic ")
		})
	}

	// Only calendars that hold events count, whatever else lies in the home.
	list := multistatus(`<d:response><d:href>/h/</d:href><d:propstat><d:prop><d:resourcetype><d:collection/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>
		<d:response><d:href>/h/a%20b/</d:href><d:propstat><d:prop><d:displayname> </d:displayname><d:resourcetype><d:collection/><c:calendar/></d:resourcetype>
			<d:current-user-privilege-set><d:privilege><d:read/></d:privilege><d:privilege><d:bind/></d:privilege></d:current-user-privilege-set></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat>
			<d:propstat><d:prop><x/></d:prop><d:status>HTTP/1.1 404 Not Found</d:status></d:propstat></d:response>
		<d:response><d:href>/h/tasks/</d:href><d:propstat><d:prop><d:resourcetype><c:calendar/></d:resourcetype><c:supported-calendar-component-set><c:comp name="VTODO"/></c:supported-calendar-component-set></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`)
	got, err := faulty(t, map[string]answer{"PROPFIND": {status: 207, body: list}}).Calendars(t.Context(), "/h/")
	require.NoError(t, err)
	require.Equal(t, []caldav.Calendar{{Href: "/h/a%20b/", Name: "a%20b"}}, got, "without a right to write content, it can only be read")
}

// trouble is an honest host behind a line, or a program, that does wrong.
type trouble struct {
	mu     sync.Mutex
	fault  string
	method string // which it does wrong
	asked  []string
}

func (f *trouble) set(fault, method string) {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.fault, f.method, f.asked = fault, method, nil
}

func (f *trouble) guard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		f.mu.Lock()
		fault := f.fault
		if r.Method != f.method {
			fault = ""
		}
		f.asked = append(f.asked, r.Method)
		f.mu.Unlock()
		got := httptest.NewRecorder()
		if fault == "forgets" {
			body, _ := io.ReadAll(r.Body)
			r.Body = io.NopCloser(bytes.NewReader(bytes.Replace(body, []byte(":change:"), []byte(":lost:"), 1)))
		}
		next.ServeHTTP(got, r)
		body := got.Body.Bytes()
		for k, v := range got.Header() {
			w.Header()[k] = v
		}
		switch fault {
		case "too busy":
			w.Header().Set("Retry-After", "7")
			w.WriteHeader(http.StatusTooManyRequests)
			return
		case "down":
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		case "says more than it sends":
			w.Header().Set("Content-Length", fmt.Sprint(len(body)+100))
		case "says less than it sends":
			w.Header().Set("Content-Length", fmt.Sprint(len(body)/2))
		case "half the XML":
			body = body[:len(body)/2]
		case "cuts the line":
			w.Header().Set("Content-Length", fmt.Sprint(len(body)))
			w.WriteHeader(got.Code)
			_, _ = w.Write(body[:len(body)/3])
			panic(http.ErrAbortHandler)
		case "another language":
			body = []byte("<html><body>Welcome</body></html>")
		}
		w.WriteHeader(got.Code)
		_, _ = w.Write(body)
	})
}

// Whatever goes wrong, and with whatever question: the client either says so, or
// has seen the truth. It never takes what it could not read for something gone.
func TestWhatCannotBeReadIsNeverTakenForGone(t *testing.T) {
	cloud, err := standin.Open("", time.Now, []standin.Account{{User: "bryn", Password: "key", Zone: "UTC", Calendars: []standin.Calendar{{ID: "work", Name: "Work"}}}})
	require.NoError(t, err)
	f := &trouble{}
	web := httptest.NewServer(f.guard(cloud.Handler()))
	defer web.Close()
	c := server{web.URL, "bryn", "key"}.client(t)
	const home = "/dav/calendars/bryn/work/"
	ctx := t.Context()
	etags := map[string]string{}
	for n := range 3 {
		path := fmt.Sprintf("%sevent-%d.ics", home, n)
		etag, err := c.Put(ctx, path, "", event(fmt.Sprint("event-", n), "Title"))
		require.NoError(t, err)
		etags[path] = etag
	}
	now, err := c.Changes(ctx, home, caldav.Known{ETags: having(etags)})
	require.NoError(t, err)
	require.Empty(t, now.Changed)
	gone := home + "event-1.ics"
	require.NoError(t, c.Delete(ctx, gone, ""))
	for _, fault := range []string{"too busy", "down", "says more than it sends", "says less than it sends", "half the XML", "cuts the line", "another language", "forgets"} {
		for _, method := range []string{"REPORT", "PROPFIND"} {
			for _, token := range []string{now.Token, ""} {
				f.set(fault, method)
				got, err := c.Changes(ctx, home, caldav.Known{Token: token, ETags: having(etags)})
				if err == nil {
					require.Equal(t, []string{gone}, got.Removed, "%s at %s", fault, method)
					require.Empty(t, got.Changed)
				} else {
					require.Contains(t, []outbound.Kind{outbound.NotReached, outbound.BadAnswer}, outbound.KindOf(err), "%s at %s: %v", fault, method, err)
				}
				if fault == "too busy" && err != nil {
					require.Len(t, f.asked, slices.Index(f.asked, method)+1, "who is too busy is asked nothing more")
					var e *outbound.Error
					require.ErrorAs(t, err, &e)
					require.Equal(t, 7*time.Second, e.RetryAfter)
				}
				bodies := 0
				err = c.Fetch(ctx, home, []string{home + "event-0.ics"}, func(o caldav.Object) error {
					if o.Body != nil {
						bodies++
					}
					return nil
				})
				require.True(t, err != nil || bodies == 1, "%s at %s: an event that is there does not come without a body", fault, method)
			}
		}
	}
	f.set("", "")
	got, err := c.Changes(ctx, home, caldav.Known{Token: now.Token, ETags: having(etags)})
	require.NoError(t, err)
	require.Equal(t, []string{gone}, got.Removed)
	require.Equal(t, []string{"REPORT"}, f.asked, "one request")
}

// signedBy reports whether a Digest answers the challenge for the user (RFC 7616,
// section 3.4.1).
func signedBy(r *http.Request, nonce, count string) bool {
	sum := func(parts ...string) string {
		h := md5.Sum([]byte(strings.Join(parts, ":")))
		return hex.EncodeToString(h[:])
	}
	p := map[string]string{}
	for _, part := range strings.Split(strings.TrimPrefix(r.Header.Get("Authorization"), "Digest "), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		p[name] = strings.Trim(value, `"`)
	}
	want := sum(sum("bryn", "calendars", "secret"), nonce, count, p["cnonce"], "auth", sum(r.Method, r.URL.RequestURI()))
	return p["nonce"] == nonce && p["nc"] == count && p["response"] == want
}

func TestRequestsAreSignedAsTheHostAsks(t *testing.T) {
	const multistatus = `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:"></d:multistatus>`
	open := func(handle func(w http.ResponseWriter, r *http.Request, n int) bool) (*httptest.Server, *[]string) {
		var seen []string
		web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			scheme, _, _ := strings.Cut(r.Header.Get("Authorization"), " ")
			seen = append(seen, scheme)
			if !handle(w, r, len(seen)) {
				w.WriteHeader(http.StatusUnauthorized)
				return
			}
			w.WriteHeader(http.StatusMultiStatus)
			_, _ = io.WriteString(w, multistatus)
		}))
		t.Cleanup(web.Close)
		return web, &seen
	}
	ask := func(web *httptest.Server, who caldav.Credentials, times int) error {
		c, err := caldav.NewClient(outbound.NewClient([]string{hostOf(web)}, 10*time.Second), web.URL, who)
		require.NoError(t, err)
		for range times {
			if _, err = c.Calendars(context.Background(), "/home/"); err != nil {
				break
			}
		}
		return err
	}
	bryn := caldav.Credentials{User: "bryn", Password: "secret"}

	tired, seen := open(func(w http.ResponseWriter, _ *http.Request, _ int) bool {
		w.WriteHeader(http.StatusServiceUnavailable)
		return false
	})
	require.Equal(t, outbound.NotReached, outbound.KindOf(ask(tired, bryn, 1)))
	require.Equal(t, []string{""}, *seen, "a host that could not say what it wants gets nothing")

	count, nonce := 0, "first"
	digest, seen := open(func(w http.ResponseWriter, r *http.Request, n int) bool {
		if n == 4 { // the nonce is used up
			nonce, count = "second", 0
		}
		count++
		if signedBy(r, nonce, fmt.Sprintf("%08x", count)) {
			return true
		}
		count = 0
		stale := map[bool]string{true: ", stale=true"}[n > 1]
		w.Header().Add("WWW-Authenticate", `Basic realm="calendars"`)
		w.Header().Add("WWW-Authenticate", `Digest realm="calendars", nonce="`+nonce+`", qop="auth", algorithm=MD5`+stale)
		return false
	})
	require.NoError(t, ask(digest, bryn, 4))
	require.Equal(t, []string{"", "Digest", "Digest", "Digest", "Digest", "Digest"}, *seen, "asked once, never sent in the clear, one request each until the nonce is used up")
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(digest, caldav.Credentials{User: "bryn", Password: "wrong"}, 1)))

	basic, seen := open(func(w http.ResponseWriter, r *http.Request, _ int) bool {
		user, key, _ := r.BasicAuth()
		w.Header().Set("WWW-Authenticate", `Basic realm="calendars"`)
		return user == "bryn" && key == "secret"
	})
	require.NoError(t, ask(basic, bryn, 2))
	require.Equal(t, []string{"", "Basic", "Basic"}, *seen)
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(basic, caldav.Credentials{User: "bryn", Password: "wrong"}, 1)))

	bearer, seen := open(func(w http.ResponseWriter, r *http.Request, _ int) bool {
		w.Header().Set("WWW-Authenticate", `Bearer error="invalid_token"`)
		return r.Header.Get("Authorization") == "Bearer token-1"
	})
	require.NoError(t, ask(bearer, caldav.Credentials{Token: "token-1"}, 2))
	require.Equal(t, []string{"Bearer", "Bearer"}, *seen)
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(bearer, caldav.Credentials{Token: "token-0"}, 1)))
}

func hostOf(web *httptest.Server) string { return strings.TrimPrefix(web.URL, "http://") }
