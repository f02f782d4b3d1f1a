package serve_test

import (
	"context"
	"fmt"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/casefile"
	"niche/internal/api"
	"niche/internal/caldav"
	"niche/internal/demo"
	"niche/internal/outbound"
	"niche/internal/serve"
	"niche/internal/standin"
	"niche/internal/store"
)

// morning is what the clock shows when a desk is opened: a Monday, 08:00 in Dublin.
var morning = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

func clockFrom(start time.Time) func() time.Time {
	begun := time.Now()
	return func() time.Time { return start.Add(time.Since(begun)) }
}

// desk is a whole Niche for one test, signed in, with one person who works
// Monday to Friday from 09:00 to 17:00 in Dublin, and a service of an hour.
type desk struct {
	*demo.Client
	t       testing.TB
	niche   *serve.Niche
	data    string
	staff   api.StaffMember
	service api.Service
}

// openDesk opens a desk that may link the hosts.
func openDesk(t testing.TB, change func(*api.ServiceFields), hosts ...string) *desk {
	return openDeskWith(t, func(*serve.Settings) {}, change, hosts...)
}

// openDeskWith opens a desk with settings of its own.
func openDeskWith(t testing.TB, with func(*serve.Settings), change func(*api.ServiceFields), hosts ...string) *desk {
	d := &desk{t: t, data: filepath.Join(t.TempDir(), "data")}
	s := serve.Settings{Listen: "127.0.0.1:0", Data: d.data, AllowHosts: hosts, Poll: time.Second,
		Log: slog.New(slog.NewTextHandler(t.Output(), nil)), Now: clockFrom(morning)}
	with(&s)
	n, err := serve.Start(s)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, n.Stop()) })
	d.niche = n
	d.fill(n.Address, change)
	return d
}

// fill sets an empty Niche at an address up.
func (d *desk) fill(address string, change func(*api.ServiceFields)) {
	ctx := d.t.Context()
	d.Client = demo.NewClient(address)
	require.NoError(d.t, d.Post(ctx, "/api/setup", api.SetUp{Business: api.Business{Name: "Workshop", Zone: "Europe/Dublin"},
		Name: "Ada", Email: "ada@workshop.example", Password: "correct horse"}, nil))
	require.NoError(d.t, d.Post(ctx, "/api/staff", api.StaffFields{Name: "Bryn Castellane", Zone: "Europe/Dublin"}, &d.staff))
	d.hours(d.staff.ID)
	fields := api.ServiceFields{Name: "Home tuning", Length: 60, Lengths: []int{}, Step: 60, Anchor: "clock", NoticeKind: "none", WindowKind: "days", WindowDays: 400, Places: 1, Needs: []string{}, Staffing: "any", Pick: "order", Unreachable: "refuse", Staff: []store.ID{d.staff.ID}}
	if change != nil {
		change(&fields)
	}
	require.NoError(d.t, d.Post(ctx, "/api/services", fields, &d.service))
}

func (d *desk) hours(staff store.ID) {
	week := map[string]casefile.Day{}
	for _, day := range []string{"mon", "tue", "wed", "thu", "fri"} {
		week[day] = casefile.Day{Spans: []casefile.WallSpan{{"09:00", "17:00"}}}
	}
	pattern := casefile.Pattern{From: "2020-01-01", Cycle: []map[string]casefile.Day{week}}
	require.NoError(d.t, d.Put(d.t.Context(), fmt.Sprintf("/api/staff/%d/hours", staff), api.Hours{Patterns: []casefile.Pattern{pattern}}, nil))
}

// link links an account, and makes one calendar block and another get bookings.
func (d *desk) link(address, user, key, blocks, gets string) {
	var l api.Link
	require.NoError(d.t, d.Post(d.t.Context(), fmt.Sprintf("/api/staff/%d/links", d.staff.ID), api.NewLink{Address: address, Username: user, Password: key}, &l))
	for _, c := range l.Calendars {
		require.NoError(d.t, d.Put(d.t.Context(), fmt.Sprintf("/api/calendars/%d", c.ID), api.Choice{Blocks: c.Name == blocks, GetsBookings: c.Name == gets}, nil))
	}
	d.until("every calendar in use has been read", func() bool {
		for _, p := range d.wall("").Pulse {
			if p.State != "fresh" {
				return false
			}
		}
		return true
	})
}

func (d *desk) wall(date string) (w api.Wall) {
	require.NoError(d.t, d.Get(d.t.Context(), "/api/wall?date="+date, &w))
	return w
}

func (d *desk) until(what string, ok func() bool) {
	err := d.Until(d.t.Context(), func() (bool, error) { return ok(), nil })
	require.NoError(d.t, err, what)
}

// starts returns the offered starts of a date, as "09:00 10:00".
func (d *desk) starts(date string) string {
	var p api.Page
	require.NoError(d.t, d.Get(d.t.Context(), "/api/pages/"+d.service.Slug+"?from="+date, &p))
	var labels []string
	for _, s := range p.Days[0].Starts {
		labels = append(labels, s.Label)
	}
	require.Equal(d.t, date, p.Days[0].Date)
	return strings.Join(labels, " ")
}

// book books a start as a client does, and returns the booking or the refusal.
func (d *desk) book(start string) (b api.Booked, err error) {
	err = demo.NewClient(d.Address).Post(d.t.Context(), "/api/pages/"+d.service.Slug+"/bookings",
		api.NewBooking{Start: start, Name: "Rosa Osei", Email: "rosa@clients.example", Zone: "Europe/Dublin", Clock: "24"}, &b)
	return b, err
}

// copies returns where the copies of a date's bookings stand.
func (d *desk) copies(date string) (states []string) {
	for _, v := range d.wall(date).Lanes[0].Visits {
		states = append(states, v.Copy)
	}
	return states
}

// openCloud opens a stand-in calendar host with one account; guard may stand
// before it.
func openCloud(t *testing.T, guard func(http.Handler) http.Handler) (*standin.Cloud, *httptest.Server) {
	cloud, err := standin.Open("", clockFrom(morning), []standin.Account{{User: "bryn@castellane.example", Name: "Bryn", Password: "app-key-secret", Zone: "Europe/Dublin",
		Calendars: []standin.Calendar{{ID: "work", Name: "Work", Colour: "#1f6f8b"}, {ID: "family", Name: "Family"}, {ID: "birthdays", Name: "Birthdays", ReadOnly: true}}}})
	require.NoError(t, err)
	handler := cloud.Handler()
	if guard != nil {
		handler = guard(handler)
	}
	server := httptest.NewServer(handler)
	t.Cleanup(server.Close)
	return cloud, server
}

func hostOf(server *httptest.Server) string { return strings.TrimPrefix(server.URL, "http://") }

// outside is a look at an account from outside, past Niche.
type outside struct {
	t      *testing.T
	client *caldav.Client
}

func lookFrom(t *testing.T, address, user, key string) outside {
	host := strings.TrimSuffix(strings.TrimPrefix(address, "http://"), "/")
	c, err := caldav.NewClient(outbound.NewClient([]string{host}, 10*time.Second), address, caldav.Credentials{User: user, Password: key})
	require.NoError(t, err)
	return outside{t, c}
}

// events returns the bodies of all events in the calendar with a name.
func (o outside) events(name string) (bodies []string) {
	ctx := context.Background()
	a, err := o.client.Discover(ctx)
	require.NoError(o.t, err)
	for _, c := range a.Calendars {
		if c.Name != name {
			continue
		}
		ch, err := o.client.Changes(ctx, c.Href, caldav.Known{})
		require.NoError(o.t, err)
		require.NoError(o.t, o.client.Fetch(ctx, c.Href, ch.Changed, func(e caldav.Object) error {
			bodies = append(bodies, string(e.Body))
			return nil
		}))
	}
	return bodies
}

// add puts a personal event into a calendar.
func add(t *testing.T, cloud *standin.Cloud, calendar, title, from, to string) string {
	dublin, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	start, err1 := time.ParseInLocation("2006-01-02 15:04", from, dublin)
	end, err2 := time.ParseInLocation("2006-01-02 15:04", to, dublin)
	require.NoError(t, err1)
	require.NoError(t, err2)
	name, err := cloud.Add("bryn@castellane.example", calendar, standin.Event{Title: title, Start: start, End: end})
	require.NoError(t, err)
	return name
}

// program builds the program once for the tests that run it as a process.
func program(t *testing.T) string {
	path := filepath.Join(t.TempDir(), "niche")
	out, err := exec.Command("go", "build", "-o", path, "niche/cmd/niche").CombinedOutput()
	require.NoError(t, err, string(out))
	return path
}

// needs returns the path of a program that the tests need; make test installs it.
func needs(t *testing.T, name string) string {
	path, err := exec.LookPath(name)
	require.NoError(t, err, "%s is missing: make test-tools installs it", name)
	return path
}

// grep returns which of the words stand in any file of a folder.
func grep(t *testing.T, folder string, words ...string) (found []string) {
	require.NoError(t, filepath.WalkDir(folder, func(path string, e os.DirEntry, err error) error {
		if err != nil || e.IsDir() {
			return err
		}
		data, err := os.ReadFile(path)
		for _, w := range words {
			if strings.Contains(string(data), w) {
				found = append(found, w+" in "+e.Name())
			}
		}
		return err
	}))
	return found
}
