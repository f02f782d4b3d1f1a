package nichetest

import (
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"net/netip"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
	"niche/internal/standin"
	"niche/internal/standin/mailbox"
)

// User and Key are those of the one account of OpenCloud.
const (
	User = "bryn@castellane.example"
	Key  = "app-key-secret"
)

// OpenCloud opens a stand-in calendar host with one account; guard may stand
// before it.
func OpenCloud(t testing.TB, guard func(http.Handler) http.Handler) (*standin.Cloud, *httptest.Server) {
	cloud, err := standin.Open("", NewClock(Morning).Now, []standin.Account{{User: User, Name: "Bryn", Password: Key, Zone: "Europe/Dublin",
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

// OpenMailbox opens a stand-in mail server, and returns its host and port too.
func OpenMailbox(t testing.TB) (*mailbox.Box, string, int) {
	box, err := mailbox.Open("", NewClock(Morning).Now)
	require.NoError(t, err)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(box.Serve(listener))
	at, err := netip.ParseAddrPort(listener.Addr().String())
	require.NoError(t, err)
	return box, at.Addr().String(), int(at.Port())
}

// HostOf returns the host and port of a server.
func HostOf(server *httptest.Server) string { return HostAt(server.URL) }

// HostAt returns the host and port of an address.
func HostAt(address string) string { return strings.TrimPrefix(origin(address), "http://") }

// Add puts a personal event into a calendar, with times of Dublin, and returns the
// name of its resource.
func Add(t testing.TB, cloud *standin.Cloud, calendar, title, from, to string) string {
	dublin, err := time.LoadLocation("Europe/Dublin")
	require.NoError(t, err)
	start, err1 := time.ParseInLocation("2006-01-02 15:04", from, dublin)
	end, err2 := time.ParseInLocation("2006-01-02 15:04", to, dublin)
	require.NoError(t, err1)
	require.NoError(t, err2)
	name, err := cloud.Add(User, calendar, standin.Event{Title: title, Start: start, End: end})
	require.NoError(t, err)
	return name
}

// Outside is a look at an account from outside, past a Niche.
type Outside struct {
	t      testing.TB
	client *caldav.Client
}

// LookFrom looks at an account.
func LookFrom(t testing.TB, address, user, key string) Outside {
	c, err := caldav.NewClient(outbound.NewClient([]string{HostAt(address)}, 10*time.Second), address, source.Credentials{User: user, Password: key})
	require.NoError(t, err)
	return Outside{t, c}
}

// Look looks at the account of OpenCloud.
func Look(t testing.TB, server *httptest.Server) Outside { return LookFrom(t, server.URL, User, Key) }

// Event is an event resource as it is outside.
type Event struct {
	Address, ETag, Body string
}

// Calendar returns the calendar with a name, to be read and written as its owner does.
func (o Outside) Calendar(name string) *caldav.Calendar {
	a, err := o.client.Discover(o.t.Context())
	require.NoError(o.t, err)
	for _, c := range a.Calendars {
		if strings.EqualFold(c.Name, name) {
			return o.client.Calendar(c.Address)
		}
	}
	require.Fail(o.t, "there is no calendar "+name)
	return nil
}

// Events returns all events in the calendar with a name.
func (o Outside) Events(name string) (list []Event) {
	_, err := o.Calendar(name).Read(o.t.Context(), source.Known{Now: time.Now()}, func(p source.Part) error {
		if p.Gone || outbound.KindOf(p.Fault) == outbound.NotThere {
			return nil // removed since it was listed
		}
		require.NoError(o.t, p.Fault)
		body, err := io.ReadAll(p.Body)
		list = append(list, Event{p.Address, p.ETag, string(body)})
		return err
	})
	require.NoError(o.t, err)
	return list
}

// Change changes an event as its owner does.
func (o Outside) Change(calendar string, e Event, from, to string) {
	require.Contains(o.t, e.Body, from)
	_, err := o.Calendar(calendar).Put(o.t.Context(), e.Address, e.ETag, []byte(strings.Replace(e.Body, from, to, 1)))
	require.NoError(o.t, err)
}

// Put writes an event over what it was.
func (o Outside) Put(calendar string, e Event, body string) {
	_, err := o.Calendar(calendar).Put(o.t.Context(), e.Address, e.ETag, []byte(body))
	require.NoError(o.t, err)
}

// Place returns the address of a resource in a calendar.
func (o Outside) Place(calendar, name string) string {
	a, err := o.client.Discover(o.t.Context())
	require.NoError(o.t, err)
	i := slices.IndexFunc(a.Calendars, func(c source.Calendar) bool { return strings.EqualFold(c.Name, calendar) })
	return a.Calendars[i].Address + name
}

// New puts a new resource into a calendar.
func (o Outside) New(calendar, name, body string) {
	_, err := o.Calendar(calendar).Put(o.t.Context(), o.Place(calendar, name), "", []byte(body))
	require.NoError(o.t, err)
}

// Remove removes an event as its owner does.
func (o Outside) Remove(calendar string, e Event) {
	require.NoError(o.t, o.Calendar(calendar).Delete(o.t.Context(), e.Address, e.ETag))
}

// When returns when an event of one occurrence is.
func (e Event) When(t testing.TB) span.Span {
	reading, err := ics.ReadBusy(strings.NewReader(e.Body), ics.Scope{Window: span.Between(0, 1<<40)})
	require.NoError(t, err)
	require.Len(t, reading.Events, 1)
	return reading.Events[0].Occurrences[0].During
}
