package serve_test

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/caldav"
	"niche/internal/standin"
	"niche/internal/store"
)

// moods is a calendar host that can be told to answer otherwise.
type moods struct {
	status atomic.Int32 // of every answer; 0 for honest ones
	only   atomic.Value // of one method, when that is not ""
	body   atomic.Value // of every answer that is not honest
}

func (m *moods) guard(next http.Handler) http.Handler {
	m.only.Store("")
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		only := m.only.Load().(string)
		if s := m.status.Load(); s != 0 && (only == "" || only == r.Method) {
			w.Header().Set("Retry-After", "1")
			w.WriteHeader(int(s))
			if body, ok := m.body.Load().(string); ok {
				_, _ = io.WriteString(w, body)
			}
			return
		}
		next.ServeHTTP(w, r)
	})
}

// openMoods opens a desk that is linked to a host with moods.
func openMoods(t *testing.T) (*desk, *moods, *standin.Cloud, *httptest.Server) {
	m := &moods{}
	cloud, host := openCloud(t, m.guard)
	d := openDesk(t, func(f *api.ServiceFields) { f.Unreachable = "take" }, hostOf(host))
	d.link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	return d, m, cloud, host
}

// poke makes the engine look for work at once, as every change of a calendar does.
func (d *desk) poke(name string) {
	for _, l := range d.links() {
		for _, c := range l.Calendars {
			if c.Name == name {
				d.choose(c, func(*api.Choice) {})
			}
		}
	}
}

func (d *desk) pulse(name string) api.Pulse {
	for _, p := range d.wall("").Pulse {
		if p.Calendar == name {
			return p
		}
	}
	return api.Pulse{}
}

func TestWhatWasReadLastHoldsWhileAHostFails(t *testing.T) {
	for _, c := range []struct {
		name   string
		status int32
		state  string
		says   string
	}{
		{"it is down", http.StatusServiceUnavailable, "unreachable", "cannot serve calendars at present"},
		{"it no longer takes the key", http.StatusUnauthorized, "refused", "does not accept this user name and app password"},
		{"it lost the calendar", http.StatusNotFound, "gone", "does not know this calendar any more"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d, mood, cloud, _ := openMoods(t)
			add(t, cloud, "family", "Dentist", wednesday+" 10:00", wednesday+" 12:00")
			const blocked = "09:00 12:00 13:00 14:00 15:00 16:00"
			d.until("the event is read", func() bool { return d.starts(wednesday) == blocked })
			mood.status.Store(c.status)
			d.poke("Family")
			d.until("the failure is noted", func() bool { return d.pulse("Family").State == c.state })
			require.Contains(t, d.pulse("Family").Error, c.says)
			require.Equal(t, blocked, d.starts(wednesday))
			mood.status.Store(0)
			d.poke("Family")
			d.until("it is well again", func() bool { p := d.pulse("Family"); return p.State == "fresh" && p.Error == "" })
		})
	}
}

func TestAFailedWriteIsNamedAndTriedAgain(t *testing.T) {
	d, mood, _, host := openMoods(t)
	mood.only.Store(http.MethodPut)
	mood.status.Store(http.StatusInsufficientStorage)
	b, err := d.book(ten)
	require.NoError(t, err, "the client does not wait for the outside")
	d.until("the failure is named", func() bool {
		v := d.wall(wednesday).Lanes[0].Visits[0]
		return v.Copy == "failed" && strings.Contains(v.CopyNote, "no room left")
	})
	mood.status.Store(0)
	d.until("the next try writes it", func() bool { return fmt.Sprint(d.copies(wednesday)) == "[read back]" })

	// The owner changes the copy: cancelling finds the new version and takes it away all the same.
	look := lookFrom(t, host.URL, "bryn@castellane.example", "app-key-secret")
	account, err := look.client.Discover(t.Context())
	require.NoError(t, err)
	work := account.Calendars[0]
	changes, err := look.client.Changes(t.Context(), work.Href, caldav.Known{})
	require.NoError(t, err)
	stored, err := look.client.Get(t.Context(), changes.Changed[0])
	require.NoError(t, err)
	_, err = look.client.Put(t.Context(), stored.Path, stored.ETag, bytes.Replace(stored.Body, []byte("END:VEVENT"), []byte("CATEGORIES:Mine\r\nEND:VEVENT"), 1))
	require.NoError(t, err)
	require.NoError(t, d.cancel(b))
	d.until("the copy is gone", func() bool { return len(look.events("Work")) == 0 })
}

func TestACalendarThatBeginsToGetBookingsGetsThoseAhead(t *testing.T) {
	_, host := openCloud(t, nil)
	d := openDesk(t, nil, hostOf(host))
	_, err := d.book(ten)
	require.NoError(t, err)
	require.True(t, d.wall(wednesday).Lanes[0].Nowhere)
	d.link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	d.until("the copy is read back", func() bool { return fmt.Sprint(d.copies(wednesday)) == "[read back]" })
	require.Len(t, lookFrom(t, host.URL, "bryn@castellane.example", "app-key-secret").events("Work"), 1)

	// Linking the account again renews it in place: choices and copies stay.
	var again api.Link
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/staff/%d/links", d.staff.ID), api.NewLink{Address: host.URL, Username: "bryn@castellane.example", Password: "app-key-secret"}, &again))
	var chosen []string
	for _, c := range again.Calendars {
		chosen = append(chosen, fmt.Sprint(c.Name, " ", c.Blocks, " ", c.GetsBookings))
	}
	require.Equal(t, []string{"Family true false", "Work false true", "Birthdays false false"}, chosen)
}

// Events are not kept, so they are read again when the day turns, and what
// repeats goes on blocking at the far end of the window.
func TestTheHorizonMovesWithTheDays(t *testing.T) {
	cloud, host := openCloud(t, nil)
	_, err := cloud.Add("bryn@castellane.example", "family", standin.Event{Title: "Choir", Start: morning, End: morning.Add(2 * time.Hour), Weekly: true})
	require.NoError(t, err)
	d := openDesk(t, func(f *api.ServiceFields) { f.WindowDays = 30 }, hostOf(host))
	d.link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	spans := func() (n int64, last int64) {
		db, err := store.Open(d.data)
		require.NoError(t, err)
		defer func() { require.NoError(t, db.Close()) }()
		require.NoError(t, db.Read(context.Background()).Raw("SELECT COUNT(*), MAX(start) FROM busy_spans").Row().Scan(&n, &last))
		return n, last
	}
	n, _ := spans()
	require.EqualValues(t, 9, n, "from yesterday to thirty days and a month ahead, on Mondays")
	require.NoError(t, d.save(0, func(f *api.ServiceFields) { f.WindowDays = 63 }))
	d.poke("Family")
	d.until("more is read for the longer window", func() bool { more, _ := spans(); return more == 14 })
}

func TestFieldsAreCheckedAndNamed(t *testing.T) {
	d := openDesk(t, nil)
	service := func(change func(*api.ServiceFields)) api.ServiceFields {
		f := d.service.ServiceFields
		f.Name, f.Slug = "Other", "other"
		change(&f)
		return f
	}
	for _, c := range []struct {
		name, path string
		body       any
		fields     string
	}{
		{"a name left out", "/api/staff", api.StaffFields{Zone: "UTC"}, "name"},
		{"a zone that is none", "/api/staff", api.StaffFields{Name: "A", Zone: "Mars"}, "zone"},
		{"a zone of the machine", "/api/staff", api.StaffFields{Name: "A", Zone: "Local"}, "zone"},
		{"a mail address with a name", "/api/staff", api.StaffFields{Name: "A", Zone: "UTC", Email: "Ada <a@b.example>"}, "email"},
		{"several at once", "/api/services", service(func(f *api.ServiceFields) { f.Length, f.Step, f.Places = 0, 0, 0 }), "length step places"},
		{"a name in use", "/api/services", service(func(f *api.ServiceFields) { f.Name = " home TUNING" }), "name"},
		{"a person's name in use", "/api/staff", api.StaffFields{Name: "bryn castellane", Zone: "UTC"}, "name"},
		{"an address in use", "/api/services", service(func(f *api.ServiceFields) { f.Slug = "home-tuning" }), "slug"},
		{"an address that is none", "/api/services", service(func(f *api.ServiceFields) { f.Slug = "Ein Klavier" }), "slug"},
		{"somebody twice", "/api/services", service(func(f *api.ServiceFields) { f.Staff = append(f.Staff, f.Staff...) }), "staff[1]"},
		{"nobody known", "/api/services", service(func(f *api.ServiceFields) { f.Staff = []store.ID{99} }), "staff[0]"},
		{"the same length twice", "/api/services", service(func(f *api.ServiceFields) { f.Lengths = []int{45, 60} }), "lengths[1]"},
		{"a kind twice", "/api/services", service(func(f *api.ServiceFields) { f.Needs = []string{"bay", "bay"} }), "needs[1]"},
		{"a time that is none", "/api/services", service(func(f *api.ServiceFields) { f.NoticeKind, f.NoticeBy = "day", "6pm" }), "noticeBy"},
		{"a window backwards", "/api/services", service(func(f *api.ServiceFields) {
			f.WindowKind, f.WindowFrom, f.WindowTo = "dates", "2026-05-01", "2026-04-01"
		}), "windowTo"},
		{"a choice that is none", "/api/services", service(func(f *api.ServiceFields) { f.Pick = "dice" }), "pick"},
		{"a room without a kind", "/api/resources", api.ResourceFields{Name: "Bay"}, "kind"},
		{"a start that is none", "/api/pages/home-tuning/bookings", api.NewBooking{Start: "soon", Name: "A", Email: "a@b.example", Zone: "UTC", Clock: "24"}, "start"},
		{"a client without a mail address", "/api/pages/home-tuning/bookings", api.NewBooking{Start: ten, Name: "A", Email: "a", Zone: "UTC", Clock: "24"}, "email"},
	} {
		p := problem(t, d.Post(t.Context(), c.path, c.body, nil))
		require.Equal(t, http.StatusUnprocessableEntity, p.Status, c.name)
		var fields []string
		for _, f := range p.Errors {
			fields = append(fields, f.Field)
		}
		require.ElementsMatch(t, strings.Fields(c.fields), fields, c.name)
	}
	for path, status := range map[string]int{
		"/api/staff/99": 404, "/api/staff/x": 422, "/api/services/99": 404, "/api/pages/none": 404, "/api/my-bookings/none": 404, "/api/nothing": 404,
		"/api/wall?date=soon": 422, "/api/pages/home-tuning?zone=Mars": 422, "/api/pages/home-tuning?length=61": 422, "/api/staff?page=0": 422,
	} {
		require.Equal(t, status, problem(t, d.Get(t.Context(), path, nil)).Status, path)
	}
	var team struct {
		Items []api.StaffMember
		Next  int
	}
	for n := range 101 {
		require.NoError(t, d.Post(t.Context(), "/api/staff", api.StaffFields{Name: fmt.Sprintf("Staff %03d", n), Zone: "UTC"}, nil))
	}
	require.NoError(t, d.Get(t.Context(), "/api/staff", &team))
	require.Len(t, team.Items, 100)
	require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/staff?page=%d", team.Next), &team))
	require.Len(t, team.Items, 2)
	require.Zero(t, team.Next)
}

func TestPagesAreServedWithTheirHeaders(t *testing.T) {
	d := openDesk(t, nil)
	get := func(path string, header ...string) *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodGet, d.Address+path, nil)
		require.NoError(t, err)
		for i := 0; i < len(header); i += 2 {
			req.Header.Set(header[i], header[i+1])
		}
		res, err := http.DefaultTransport.RoundTrip(req)
		require.NoError(t, err)
		_, err = io.Copy(io.Discard, res.Body)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		return res
	}
	for _, path := range []string{"/", "/team/1/calendars", "/book/home-tuning", "/booking/abc"} {
		res := get(path)
		require.Equal(t, http.StatusOK, res.StatusCode, path)
		require.Equal(t, "no-cache", res.Header.Get("Cache-Control"))
		require.NotContains(t, res.Header.Get("Content-Security-Policy"), "script-src 'unsafe")
		require.Equal(t, "nosniff", res.Header.Get("X-Content-Type-Options"))
		require.Equal(t, http.StatusNotModified, get(path, "If-None-Match", res.Header.Get("ETag")).StatusCode)
	}
	require.Equal(t, "no-store", get("/api/session").Header.Get("Cache-Control"))
	require.Equal(t, http.StatusNotFound, get("/assets/none.js").StatusCode)
}
