package serve_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"os/exec"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/store"
	"niche/internal/wall"
)

// Only visits of equal length are shared.
func TestOnlyEqualLengthsJoin(t *testing.T) {
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Places, f.Lengths = 6, []int{90} })
	ask := func(length int, at string) (client.Booked, error) {
		return d.Ask(client.NewBooking{Start: nichetest.At(wednesday + at), Length: length})
	}
	for _, c := range []struct {
		at           string
		first, other int
	}{{"T10:00:00Z", 60, 90}, {"T14:00:00Z", 90, 60}} {
		_, err := ask(c.first, c.at)
		require.NoError(t, err)
		_, err = ask(c.other, c.at)
		require.Equal(t, http.StatusConflict, nichetest.Problem(t, err).Status)
		_, err = ask(c.first, c.at)
		require.NoError(t, err)
	}
	var visits []string
	for _, v := range d.Wall(wednesday).Lanes[0].Visits {
		visits = append(visits, v.Label+" "+v.Client)
	}
	require.Equal(t, []string{"10:00–11:00 2 of 6 places", "14:00–15:30 2 of 6 places"}, visits)
	var p client.Page
	require.NoError(t, d.Get(t.Context(), "/api/pages/home-tuning?length=90&from="+wednesday, &p))
	for _, s := range p.Days[0].Starts {
		require.NotEqual(t, "10:00", s.Label, "what cannot be joined is not offered")
	}
}

// A request that is sent again after its answer was lost gets the same booking, also
// at the same moment; another request with its key is refused.
func TestTheSameRequestBooksOnce(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	same := client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Key: "0123456789abcdef"}
	var all sync.WaitGroup
	got := make([]client.Booked, 8)
	for n := range got {
		all.Go(func() {
			var err error
			got[n], err = d.Ask(same)
			require.NoError(t, err)
		})
	}
	all.Wait()
	for _, b := range got {
		require.Equal(t, got[0], b)
	}
	require.Equal(t, 1, d.Count("bookings"))
	other := same
	other.Start = nichetest.At(wednesday + "T11:00:00Z")
	_, err := d.Ask(other)
	require.Equal(t, "key", nichetest.Problem(t, err).Errors[0].Field)
	_, err = d.Move(got[0], wednesday+"T12:00:00Z")
	require.NoError(t, err)
	again, err := d.Ask(same)
	require.NoError(t, err, "also when it was moved since")
	require.Equal(t, got[0].Reference, again.Reference)
	require.Empty(t, nichetest.Grep(t, d.Data, same.Key))
}

// Whatever is edited has a version. Who saves over an older one changes nothing and
// is shown what there is; who names none is told to.
func TestNobodySavesOverWhatTheyHaveNotSeen(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	d.AddResource("Bay", "room")
	staff := fmt.Sprintf("/api/staff/%d", d.Staff.ID)
	var hours api.Hours
	require.NoError(t, d.Get(t.Context(), staff+"/hours", &hours))
	for path, kept := range map[string]any{staff: desk.StaffFields{Name: "Bryn Castellane", Zone: "Europe/Dublin"}, staff + "/hours": api.Hours{Patterns: hours.Patterns}, staff + "/days": api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{}},
		fmt.Sprintf("/api/services/%d", d.Service.ID): d.Service.ServiceFields, "/api/resources/1": desk.ResourceFields{Name: "Bay", Kind: "room"},
		"/api/closures": desk.Closures{Items: []api.Closure{}}, fmt.Sprintf("/api/calendars/%d", d.Calendar("Work").ID): d.Calendar("Work").Choice} {
		t.Run(path, func(t *testing.T) {
			var before struct{ Version int64 }
			require.NoError(t, d.Get(t.Context(), path, &before))
			version := before.Version
			p := nichetest.Problem(t, d.Put(t.Context(), path, kept, nil))
			require.Equal(t, http.StatusPreconditionRequired, p.Status)

			var saved [2]error
			var both sync.WaitGroup
			for n := range saved {
				both.Go(func() { saved[n] = d.Client.Save(t.Context(), path, version, kept, nil) })
			}
			both.Wait()
			refused := saved[0]
			if refused == nil {
				refused = saved[1]
				require.NoError(t, saved[0])
			} else {
				require.NoError(t, saved[1])
			}
			p = nichetest.Problem(t, refused)
			require.Equal(t, http.StatusPreconditionFailed, p.Status)
			require.Greater(t, p.Version, version)
			shown, err := json.Marshal(p.Current)
			require.NoError(t, err)
			var now map[string]any
			require.NoError(t, d.Get(t.Context(), path, &now))
			var current map[string]any
			require.NoError(t, json.Unmarshal(shown, &current))
			require.Equal(t, now["version"], current["version"])
			require.NoError(t, d.Client.Save(t.Context(), path, p.Version, kept, nil), "over the one that was shown")
		})
	}
}

// A booking keeps the case by which it was decided, and the program answers from it
// without a server what the desk answers.
func TestABookingSaysWhyItWasSold(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	b, err := d.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	require.NoError(t, d.Save(10, func(f *desk.ServiceFields) { f.Step, f.Notice = 30, desk.Before(60*24*30) }))
	id := d.Wall(wednesday).Lanes[0].Visits[0].Clients[0].ID
	var told desk.Decided
	require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/bookings/%d/case", id), &told))
	require.Len(t, told.Staff, 1)
	require.Equal(t, "Bryn Castellane", told.Staff[0].Staff.Name)
	require.Len(t, told.Staff[0].Rules, 9)
	program := nichetest.Program(t)
	out, err := exec.Command(program, "why", "--data", d.Data, "--booking", b.Reference).CombinedOutput()
	require.NoError(t, err, string(out))
	for _, r := range told.Staff[0].Rules {
		require.True(t, r.Held, "by the rules of that time: %s", r.Code)
		require.Contains(t, string(out), r.Code)
	}
	require.NotContains(t, string(out), "not offered")
	out, err = exec.Command(program, "why", "--data", d.Data, "--booking", b.Reference, "--case").Output()
	require.NoError(t, err)
	require.NotContains(t, string(out), "Rosa", "a case holds no client")
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, d.Get(t.Context(), "/api/bookings/99/case", nil)).Status)
	require.Equal(t, 1, d.Count("cases"))
	_, err = d.Move(b, wednesday+"T12:00:00Z")
	require.Error(t, err, "too late by now")
}

// SIGTERM lets bookings under way end, and takes no others.
func TestBookingsUnderWayAreAnsweredBeforeTheEnd(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, host := nichetest.OpenCloud(t, trouble.Guard)
	d := &nichetest.Desk{T: t, Data: filepath.Join(t.TempDir(), "data")}
	p := startProcess(t, nichetest.Program(t), d.Data, nichetest.HostOf(host))
	d.Fill("http://"+p.Address, nil)
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	day := time.Now().UTC().AddDate(0, 0, 7)
	for day.Weekday() != time.Wednesday {
		day = day.AddDate(0, 0, 1)
	}
	held, open := make(chan struct{}, 100), make(chan struct{})
	trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
		held <- struct{}{}
		return nichetest.Fault{Wait: open}
	})
	answered := make(chan error, 1)
	go func() {
		_, err := d.Book(day.Format(time.DateOnly) + "T10:00:00Z")
		answered <- err
	}()
	<-held
	require.Eventually(t, func() bool { return d.Count("bookings WHERE status = 'held'") == 1 }, time.Minute, 5*time.Millisecond)
	ended := make(chan int, 1)
	go func() { ended <- p.Stop() }()
	nichetest.Refuses(t, p.Address)
	close(open)
	require.NoError(t, <-answered)
	require.Zero(t, <-ended)
	require.Equal(t, 1, d.Count("bookings WHERE status = 'confirmed'"))
}

// What changes at the host is noticed: calendars that come, go and are renamed; and
// those of archived people are left alone.
func TestTheCalendarsOfAnAccountAreFollowed(t *testing.T) {
	s := nichetest.Radicale(t)
	d := nichetest.OpenDesk(t, nil, nichetest.HostAt(s.Address))
	d.Link(s.Address, s.User, s.Key, "Family", "Work")
	names := func() string {
		var list []string
		for _, c := range d.Links()[0].Calendars {
			list = append(list, c.Name+" "+c.State)
		}
		return strings.Join(list, ", ")
	}
	require.Equal(t, "Family fresh, Work fresh", names())
	s.Do(t, "MKCALENDAR", s.Home+"choir/", strings.Replace(mkcalendar, "NAME", "Choir", 1))
	s.Do(t, http.MethodDelete, s.Home+"family/", "")
	d.Pass(time.Hour)
	d.Until("the new one is listed, and that the other has gone is said", func() bool { return names() == "Choir waiting, Family gone, Work fresh" })
	d.Choose(d.Calendar("Family"), func(x *api.Choice) { x.Blocks = false })
	d.Pass(time.Hour)
	d.Until("what is no longer used is not listed", func() bool { return names() == "Choir waiting, Work fresh" })

	require.NoError(t, d.Put(t.Context(), fmt.Sprintf("/api/staff/%d/archive", d.Staff.ID), desk.Archiving{Archived: true}, nil))
	require.Zero(t, d.Count("calendars WHERE watched"))
	require.NoError(t, d.Put(t.Context(), fmt.Sprintf("/api/staff/%d/archive", d.Staff.ID), desk.Archiving{}, nil))
	require.Equal(t, 1, d.Count("calendars WHERE watched"), "who is back is read again")
}

const mkcalendar = `<c:mkcalendar xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:set><d:prop><d:displayname>NAME</d:displayname></d:prop></d:set></c:mkcalendar>`

// What lies on another page of the wall counts: rooms that are taken, and how full
// the days are.
func TestTheWallCountsEverybody(t *testing.T) {
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Needs = []string{"room"} })
	d.AddResource("Bay", "room")
	for n := range 99 {
		require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: fmt.Sprint("Number ", n), Zone: "UTC"}, nil))
	}
	last := d.AddStaff("The last")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = []store.ID{last} }))
	_, err := d.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	var first, second wall.Wall
	require.NoError(t, d.Get(t.Context(), "/api/wall?date="+wednesday, &first))
	require.NoError(t, d.Get(t.Context(), "/api/wall?page=2&date="+wednesday, &second))
	require.Len(t, second.Lanes, 1)
	require.Len(t, second.Lanes[0].Visits, 1)
	require.Equal(t, second.Days, first.Days, "the ribbon is the team's")
	require.Len(t, first.Rooms[0].Visits, 1, "the room is taken, whoever it is by")
}

// Names are what they are: blank ones are refused, and a bar in one makes nobody two.
func TestNamesAreRefusedOrKeptWhole(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	for _, blank := range []string{"", "   ", "\t", "\u00a0", "\u200b"} {
		f := d.Service.ServiceFields
		f.Name = blank
		for path, body := range map[string]any{"/api/staff": desk.StaffFields{Name: blank, Zone: "UTC"}, "/api/services": f, "/api/services/preview": f,
			"/api/resources": desk.ResourceFields{Name: blank, Kind: "room"}} {
			p := nichetest.Problem(t, d.Post(t.Context(), path, body, nil))
			require.Equal(t, http.StatusUnprocessableEntity, p.Status, "%s %q", path, blank)
			require.Equal(t, "name", p.Errors[0].Field, path)
		}
		_, err := d.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: blank + " "})
		require.Equal(t, http.StatusUnprocessableEntity, nichetest.Problem(t, err).Status)
	}
	other := d.AddStaff("Noor | Haddad, O’Neill \"x\"")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staffing, f.Staff = "all", []store.ID{d.Staff.ID, other} }))
	_, err := d.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	require.Equal(t, []string{"Noor | Haddad, O’Neill \"x\""}, d.Wall(wednesday).Lanes[0].Visits[0].With)
}
