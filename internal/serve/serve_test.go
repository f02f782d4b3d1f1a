package serve_test

import (
	"bytes"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/http/httptest"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
)

const wednesday = "2026-03-04"

func TestAPersonalEventBlocksAndABookingShowsUpOutside(t *testing.T) {
	cloud, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	require.Equal(t, "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00", d.Starts(wednesday))

	nichetest.Add(t, cloud, "family", "Secret dentist", wednesday+" 11:30", wednesday+" 13:00")
	d.Until("the starts under the event are gone", func() bool { return d.Starts(wednesday) == "09:00 10:00 13:00 14:00 15:00 16:00" })

	b, err := d.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	require.Equal(t, "confirmed", b.Status)
	require.Equal(t, "Wednesday 4 March 2026, 14:00–15:00", b.When)
	d.Until("the copy is read back", func() bool { return d.Copies(wednesday) == "read back" })
	copies := nichetest.Look(t, host).Events("Work")
	require.Len(t, copies, 1)
	require.Contains(t, copies[0].Body, "DTSTART;TZID=Europe/Dublin:20260304T140000\r\nDTEND;TZID=Europe/Dublin:20260304T150000\r\nSUMMARY:Home tuning · Rosa Osei")

	var mine client.Booked
	client := demo.NewClient(d.Address)
	path := strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1)
	require.NoError(t, client.Post(t.Context(), path+"/cancel", nil, &mine))
	require.NoError(t, client.Post(t.Context(), path+"/cancel", nil, &mine), "cancelling twice does it once")
	require.Equal(t, "cancelled", mine.Status)
	require.Equal(t, "09:00 10:00 13:00 14:00 15:00 16:00", d.Starts(wednesday))
	d.Until("the copy is gone", func() bool {
		return len(nichetest.Look(t, host).Events("Work")) == 0
	})

	require.Empty(t, nichetest.Grep(t, d.Data, "Secret dentist", "app-key-secret", "correct horse"), "nothing private is stored in the clear")
	info, err := os.Stat(filepath.Join(d.Data, "keys", "secrets.key"))
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
}

func TestOwnCopiesAreNeverBusyTime(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Work", "Work")
	_, err := d.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	d.Until("the copy is read back", func() bool { return d.Copies(wednesday) == "read back" })
	// A later read must have seen the copy in the calendar that blocks, too.
	add := d.Wall(wednesday).Pulse[0].Ago
	d.Until("the calendar was read again", func() bool { return d.Wall(wednesday).Pulse[0].Ago <= add })
	require.Empty(t, d.Wall(wednesday).Lanes[0].Busy)
}

func TestTheLastLookRefusesWhatHasJustBecomeBusy(t *testing.T) {
	reads := make(chan struct{}, 1000)
	var closed sync.Map
	cloud, host := nichetest.OpenCloud(t, func(next http.Handler) http.Handler {
		return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if _, down := closed.Load("down"); down {
				w.WriteHeader(http.StatusServiceUnavailable)
				return
			}
			if r.Method == "REPORT" {
				reads <- struct{}{}
			}
			next.ServeHTTP(w, r)
		})
	})
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")

	nichetest.Add(t, cloud, "family", "Sudden", wednesday+" 14:00", wednesday+" 15:00")
	_, err := d.Book(wednesday + "T14:00:00Z")
	p := nichetest.Problem(t, err)
	require.Equal(t, http.StatusConflict, p.Status)
	require.Equal(t, []string{"busy"}, p.Reasons)
	require.NotEmpty(t, p.Nearest)
	for _, s := range p.Nearest {
		require.NotEqual(t, wednesday+"T14:00:00Z", s.At)
	}
	require.NotEmpty(t, reads)

	closed.Store("down", true)
	_, err = d.Book(wednesday + "T09:00:00Z")
	require.Equal(t, []string{"calendar-not-reached"}, nichetest.Problem(t, err).Reasons, "the service refuses when a calendar cannot be read")
	require.Empty(t, d.Wall(wednesday).Lanes[0].Visits, "no claim is left")

	fields := d.Service.ServiceFields
	var taken client.Booked
	for _, c := range []struct{ choice, start, status string }{{"take", "T09:00:00Z", "confirmed"}, {"ask", "T10:00:00Z", "pending"}} {
		fields.Unreachable = c.choice
		require.NoError(t, d.Change(t.Context(), fmt.Sprintf("/api/services/%d", d.Service.ID), fields, nil))
		b, err := d.Book(wednesday + c.start)
		require.NoError(t, err)
		require.Equal(t, c.status, b.Status)
		if c.choice == "take" {
			taken = b
		}
	}
	_, err = d.Move(taken, wednesday+"T12:00:00Z")
	require.Equal(t, []string{"calendar-not-reached"}, nichetest.Problem(t, err).Reasons, "what is confirmed does not become a question by being moved")
	require.Equal(t, "09:00–10:00", d.Wall(wednesday).Lanes[0].Visits[0].Label)
	visits := d.Wall(wednesday).Lanes[0].Visits
	require.Len(t, visits, 2)
	closed.Delete("down")
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/decision", visits[1].Clients[0].ID), desk.Decision{Accept: true}, nil))
	require.Equal(t, "confirmed", d.Wall(wednesday).Lanes[0].Visits[1].Status)
	err = d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/decision", visits[1].Clients[0].ID), desk.Decision{Accept: true}, nil)
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, err).Status, "what is decided cannot be decided again")
	d.Until("what was taken meanwhile is written when the host is back", func() bool { return d.Copies(wednesday) == "read back, read back" })
}

func TestOfTwoHundredClientsExactlyOneGetsTheStart(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	const clients = 200
	won, refused := make(chan client.Booked, clients), make(chan error, clients)
	var all sync.WaitGroup
	begin := make(chan struct{})
	for range clients {
		all.Go(func() {
			<-begin
			b, err := d.Book(wednesday + "T10:00:00Z")
			if err != nil {
				refused <- err
				return
			}
			won <- b
		})
	}
	close(begin)
	all.Wait()
	require.Len(t, won, 1)
	require.Len(t, refused, clients-1)
	for range clients - 1 {
		p := nichetest.Problem(t, <-refused)
		require.Equal(t, http.StatusConflict, p.Status)
		require.Contains(t, p.Reasons, "booked")
		require.Len(t, p.Nearest, 4)
	}
	for _, table := range []string{"bookings", "visits", "claims", "visit_staff"} {
		require.Equal(t, 1, d.Count(table), table)
	}
}

func TestLinkingSaysWhatIsWrong(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	empty := httptest.NewServer(http.NotFoundHandler())
	defer empty.Close()
	silent, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, silent.Close())
	elsewhere := httptest.NewServer(http.RedirectHandler("http://169.254.169.254/", http.StatusMovedPermanently))
	defer elsewhere.Close()
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host), nichetest.HostOf(empty), nichetest.HostOf(elsewhere), silent.Addr().String())
	for _, c := range []struct{ name, address, key, field, says string }{
		{"a wrong address", empty.URL, "app-key-secret", "address", "no calendar account at this address"},
		{"no address at all", "calendar example", "app-key-secret", "address", "no calendar account at this address"},
		{"a wrong password", host.URL, "wrong", "password", "does not accept this user name and app password"},
		{"a host that does not answer", "http://" + silent.Addr().String(), "app-key-secret", "address", "does not answer"},
		{"the server's own network", "https://127.0.0.1:1", "app-key-secret", "address", "server's own network"},
		{"without https", "http://calendar.example", "app-key-secret", "address", "could be read on their way"},
		{"a key in the address", "https://u:k@calendar.example", "app-key-secret", "address", "Give the address alone"},
		{"a redirect to another host", elsewhere.URL, "app-key-secret", "address", "no calendar account"},
	} {
		err := d.Own(d.Staff.ID).Post(t.Context(), "/api/my/links", api.NewLink{Address: c.address, Username: "bryn@castellane.example", Password: c.key}, nil)
		p := nichetest.Problem(t, err)
		require.Equal(t, http.StatusUnprocessableEntity, p.Status, c.name)
		require.Equal(t, c.field, p.Errors[0].Field, c.name)
		require.Contains(t, p.Errors[0].Message, c.says, c.name)
	}
	var l api.Link
	require.NoError(t, d.Own(d.Staff.ID).Post(t.Context(), "/api/my/links", api.NewLink{Address: host.URL, Username: "bryn@castellane.example", Password: "app-key-secret"}, &l))
	var got []string
	for _, c := range l.Calendars {
		got = append(got, fmt.Sprintf("%s %s %t", c.Name, c.Colour, c.CanWrite))
		if !c.CanWrite {
			err := d.Change(t.Context(), fmt.Sprintf("/api/calendars/%d", c.ID), api.Choice{GetsBookings: true}, nil)
			require.Equal(t, "getsBookings", nichetest.Problem(t, err).Errors[0].Field)
		}
	}
	require.Equal(t, []string{"Family  true", "Work #1f6f8b true", "Birthdays  false"}, got)
}

func TestTheDoorsAreShut(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	stranger := demo.NewClient(d.Address)
	for _, path := range []string{"/api/staff", "/api/wall", "/api/services", "/api/changes"} {
		require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, stranger.Get(t.Context(), path, nil)).Status, path)
	}
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, stranger.Post(t.Context(), "/api/setup", desk.SetUp{Code: "x", Business: desk.Business{Name: "x", Zone: "UTC"}, Name: "x", Email: "x@y.example", Password: "0123456789"}, nil)).Status)
	err := d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: "", Zone: "Nowhere"}, nil)
	require.Equal(t, "name", nichetest.Problem(t, err).Errors[0].Field)
	require.NotContains(t, err.Error(), "Nowhere")

	post := func(header, value, body string) *http.Response {
		req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, d.Address+"/api/session", strings.NewReader(body))
		require.NoError(t, err)
		req.Header.Set("Content-Type", "application/json")
		req.Header.Set(header, value)
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		return res
	}
	good := `{"email":"ada@workshop.example","password":"correct horse"}`
	require.Equal(t, http.StatusForbidden, post("Sec-Fetch-Site", "cross-site", good).StatusCode)
	require.Equal(t, http.StatusRequestEntityTooLarge, post("X-A", "b", `{"email":"`+strings.Repeat("x", 2<<20)+`"}`).StatusCode)
	res := post("X-A", "b", good)
	require.Equal(t, http.StatusCreated, res.StatusCode)
	cookie := res.Header.Get("Set-Cookie")
	require.Contains(t, cookie, "HttpOnly")
	require.Contains(t, cookie, "SameSite=Lax")
	answers := make(chan int, 30)
	var guesses sync.WaitGroup
	for range cap(answers) {
		guesses.Go(func() { answers <- post("X-A", "b", `{"email":"ada@workshop.example","password":"guess"}`).StatusCode })
	}
	guesses.Wait()
	close(answers)
	counts := map[int]int{}
	for status := range answers {
		counts[status]++
	}
	require.NotZero(t, counts[http.StatusTooManyRequests], "guessing is slowed down")
	require.Equal(t, cap(answers), counts[http.StatusTooManyRequests]+counts[http.StatusUnauthorized])
}

// gate holds back requests of one kind until it is opened.
type gate struct {
	arrived chan struct{}
	open    chan struct{}
	holds   func(*http.Request) bool
	answer  bool // whether a held request is carried out all the same
}

func (g *gate) guard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !g.holds(r) {
			next.ServeHTTP(w, r)
			return
		}
		if g.answer {
			body, _ := io.ReadAll(r.Body)
			r.Body = io.NopCloser(bytes.NewReader(body))
			next.ServeHTTP(httptest.NewRecorder(), r)
		}
		select {
		case g.arrived <- struct{}{}:
		default:
		}
		<-g.open
		w.WriteHeader(http.StatusServiceUnavailable)
	})
}

// startProcess runs the program on a data folder.
func startProcess(t *testing.T, path, data, host string) *nichetest.Process {
	p := &nichetest.Process{T: t, Address: nichetest.FreeAddress(t), Path: path, Log: t.Output()}
	p.Args = []string{"serve", "--listen", p.Address, "--data", data, "--allow-host", host, "--poll", "1s", "--unlimited"}
	p.Start()
	return p
}

// A kill at any moment ends, after a restart, with the booking there once and
// its copy once, or with neither.
func TestAKillLosesNothingAndDoublesNothing(t *testing.T) {
	path := nichetest.Program(t)
	isPut := func(r *http.Request) bool { return r.Method == http.MethodPut }
	for _, c := range []struct {
		name   string
		holds  func(*http.Request) bool
		answer bool // the host carries out what it was asked, but the answer is lost
		booked bool // what must be there afterwards
	}{
		{"between the claim and the write outside", isPut, false, true},
		{"between the write outside and noting it", isPut, true, true},
		{"between the claim and its confirmation", func(r *http.Request) bool { return r.Method == "REPORT" || r.Method == "PROPFIND" }, false, false},
	} {
		t.Run(c.name, func(t *testing.T) {
			g := &gate{arrived: make(chan struct{}, 1), open: make(chan struct{}), holds: func(*http.Request) bool { return false }, answer: c.answer}
			var mu sync.Mutex
			holds := g.holds
			g.holds = func(r *http.Request) bool { mu.Lock(); defer mu.Unlock(); return holds(r) }
			_, host := nichetest.OpenCloud(t, g.guard)
			d := &nichetest.Desk{T: t, Data: filepath.Join(t.TempDir(), "data")}
			p := startProcess(t, path, d.Data, nichetest.HostOf(host))
			d.Fill("http://"+p.Address, nil)
			d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
			date := time.Now().UTC().AddDate(0, 0, 7)
			for date.Weekday() != time.Wednesday {
				date = date.AddDate(0, 0, 1)
			}
			day := date.Format(time.DateOnly)
			dublin, err := time.LoadLocation("Europe/Dublin")
			require.NoError(t, err)
			start := time.Date(date.Year(), date.Month(), date.Day(), 10, 0, 0, 0, dublin).UTC().Format(time.RFC3339)

			mu.Lock()
			holds = c.holds
			mu.Unlock()
			ended := make(chan error, 1)
			go func() { _, err := d.Book(start); ended <- err }()
			if c.booked {
				require.NoError(t, <-ended)
			}
			<-g.arrived
			if !c.booked {
				// What arrived may have been a poll, a moment before the claim was made.
				require.Eventually(t, func() bool {
					visits := d.Wall(day).Lanes[0].Visits
					return len(visits) == 1 && visits[0].Status == "held"
				}, 10*time.Second, 5*time.Millisecond)
			}
			p.Kill()
			if !c.booked {
				require.Error(t, <-ended)
			}
			mu.Lock()
			holds = func(*http.Request) bool { return false }
			mu.Unlock()
			close(g.open)

			p.Start()
			d.SignIn("http://" + p.Address)
			copies := 0
			if c.booked {
				copies = 1
				d.Until("the copy is read back", func() bool { return d.Copies(day) == "read back" })
				_, err := d.Book(start)
				require.Equal(t, http.StatusConflict, nichetest.Problem(t, err).Status)
			} else {
				require.Empty(t, d.Wall(day).Lanes[0].Visits)
				require.Contains(t, d.Starts(day), "10:00")
			}
			require.Len(t, nichetest.Look(t, host).Events("Work"), copies)
			require.Zero(t, p.Stop(), "it ends cleanly when asked to")
		})
	}
}
