package standin

import (
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

var monday = time.Date(2026, 3, 2, 9, 0, 0, 0, time.UTC)

func accounts() []Account {
	return []Account{
		{User: "bryn@castellane.example", Name: "Bryn Castellane", Password: "key", Zone: "Europe/Dublin", Calendars: []Calendar{
			{ID: "work", Name: "Work", Colour: "#1f6f8b"}, {ID: "birthdays", Name: "Birthdays", ReadOnly: true}}},
		{User: "noor@haddad.example", Name: "Noor Haddad", Password: "other", Zone: "America/St_Johns", Calendars: []Calendar{{ID: "work", Name: "Work"}}},
	}
}

func openHost(t *testing.T, file string) (*Cloud, *httptest.Server) {
	c, err := Open(file, func() time.Time { return monday }, accounts())
	require.NoError(t, err)
	web := httptest.NewServer(c.Handler())
	t.Cleanup(web.Close)
	return c, web
}

const plain = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:x\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTAMP:20260301T000000Z\r\nDTSTART:20260304T100000Z\r\nSUMMARY:A\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"

func TestTheHostKeepsItsWord(t *testing.T) {
	_, web := openHost(t, "")
	var etag string
	const work, birthdays = "/dav/calendars/bryn@castellane.example/work/", "/dav/calendars/bryn@castellane.example/birthdays/"
	for _, c := range []struct {
		name, method, path, key string
		header                  map[string]string
		body                    string
		status                  int
		says                    string
	}{
		{"without a key", "PROPFIND", "/dav/", "", nil, "", 401, ""},
		{"with a wrong key", "PROPFIND", "/dav/", "guess", nil, "", 401, ""},
		{"the well-known address leads on", "PROPFIND", "/.well-known/caldav", "key", nil, "", 301, ""},
		{"the account of the user", "PROPFIND", "/dav/", "key", nil, "", 207, "/dav/users/bryn@castellane.example/"},
		{"its home and address", "PROPFIND", "/dav/users/bryn@castellane.example/", "key", nil, "", 207, "mailto:bryn@castellane.example"},
		{"its calendars", "PROPFIND", "/dav/calendars/bryn@castellane.example/", "key", map[string]string{"Depth": "1"}, "", 207, "<d:displayname>Birthdays</d:displayname>"},
		{"nothing of somebody else", "PROPFIND", "/dav/calendars/noor@haddad.example/", "key", nil, "", 404, ""},
		{"a new event", "PUT", work + "a.ics", "key", map[string]string{"If-None-Match": "*"}, plain, 201, ""},
		{"which is there now", "PUT", work + "a.ics", "key", map[string]string{"If-None-Match": "*"}, plain, 412, ""},
		{"an old version", "PUT", work + "a.ics", "key", map[string]string{"If-Match": `"old"`}, plain, 412, ""},
		{"nonsense", "PUT", work + "b.ics", "key", nil, "nonsense", 400, ""},
		{"into a calendar that can only be read", "PUT", birthdays + "b.ics", "key", nil, plain, 403, ""},
		{"what changed since the beginning", "REPORT", work, "key", nil, `<d:sync-collection xmlns:d="DAV:"><d:sync-token/></d:sync-collection>`, 207, "urn:calendar-host:change:1"},
		{"nothing since", "REPORT", work, "key", nil, `<d:sync-collection xmlns:d="DAV:"><d:sync-token>urn:calendar-host:change:1</d:sync-token></d:sync-collection>`, 207, "urn:calendar-host:change:1"},
		{"a token of the future", "REPORT", work, "key", nil, `<d:sync-collection xmlns:d="DAV:"><d:sync-token>urn:calendar-host:change:9</d:sync-token></d:sync-collection>`, 403, "valid-sync-token"},
		{"a report that is not known", "REPORT", work, "key", nil, `<c:free-busy-query xmlns:c="urn:ietf:params:xml:ns:caldav"/>`, 403, "supported-report"},
		{"an old version taken away", "DELETE", work + "a.ics", "key", map[string]string{"If-Match": `"old"`}, "", 412, ""},
		{"the event as it is", "GET", work + "a.ics", "key", nil, "", 200, "SUMMARY:A"},
		{"taken away", "DELETE", work + "a.ics", "key", nil, "", 204, ""},
		{"taken away again", "DELETE", work + "a.ics", "key", nil, "", 404, ""},
		{"its trace", "REPORT", work, "key", nil, `<d:sync-collection xmlns:d="DAV:"><d:sync-token>urn:calendar-host:change:1</d:sync-token></d:sync-collection>`, 207, "HTTP/1.1 404 Not Found"},
		{"a method that is not known", "LOCK", work, "key", nil, "", 405, ""},
	} {
		req, err := http.NewRequestWithContext(t.Context(), c.method, web.URL+c.path, strings.NewReader(c.body))
		require.NoError(t, err)
		if c.key != "" {
			req.SetBasicAuth("bryn@castellane.example", c.key)
		}
		for k, v := range c.header {
			req.Header.Set(k, v)
		}
		res, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		require.Equal(t, c.status, res.StatusCode, c.name)
		require.Contains(t, string(body), c.says, c.name)
		if c.status == http.StatusCreated {
			etag = res.Header.Get("ETag")
			require.NotEmpty(t, etag)
		}
	}
}

func TestAPersonPlaysTheOtherSide(t *testing.T) {
	file := filepath.Join(t.TempDir(), "host.json")
	_, web := openHost(t, file)
	week := web.URL + "/week/noor@haddad.example"
	post := func(values url.Values) (int, string) {
		res, err := http.PostForm(week, values)
		require.NoError(t, err)
		body, err := io.ReadAll(res.Body)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		return res.StatusCode, string(body)
	}
	form := func(do string, more ...string) url.Values {
		v := url.Values{"do": {do}, "week": {"2026-03-02"}, "calendar": {"work"}, "title": {"Vet; with <Otto>"}, "date": {"2026-03-04"}, "from": {"09:30"}, "to": {"10:15"}}
		for i := 0; i < len(more); i += 2 {
			v.Set(more[i], more[i+1])
		}
		return v
	}
	status, page := post(form("add"))
	require.Equal(t, http.StatusOK, status)
	require.Contains(t, page, "Vet; with &lt;Otto&gt;")
	require.Contains(t, page, "09:30–10:15", "times are those of the account's zone")

	for fault, values := range map[string]url.Values{
		"give the event a title":               form("add", "title", " "),
		"give a date":                          form("add", "date", "soon"),
		"give a time from and a later time to": form("add", "to", "09:00"),
		"there is no such calendar":            form("add", "calendar", "none"),
		"there is no such event":               form("move", "event", "work/none.ics"),
	} {
		status, page := post(values)
		require.Equal(t, http.StatusUnprocessableEntity, status)
		require.Contains(t, page, fault)
	}

	_, after, _ := strings.Cut(page, "event=work/")
	name, _, _ := strings.Cut(after, `"`)
	_, page = post(form("move", "event", "work/"+name, "from", "11:00", "to", "12:00", "weekly", "on"))
	require.Contains(t, page, "11:00–12:00")
	again, err := Open(file, func() time.Time { return monday }, nil)
	require.NoError(t, err)
	other := httptest.NewServer(again.Handler())
	defer other.Close()
	res, err := http.Get(other.URL + "/week/noor@haddad.example?week=2026-03-09")
	require.NoError(t, err)
	body, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Contains(t, string(body), "Vet; with", "it is kept, and it repeats")
	_, page = post(form("remove", "event", "work/"+name))
	require.NotContains(t, page, "Vet; with &lt;Otto&gt;, Work")
}
