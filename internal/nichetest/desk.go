// Package nichetest is what tests share: a whole Niche with a desk at which somebody
// is signed in, clocks, calendar hosts that do right and wrong, and looks from outside
// at what Niche has done. The program does not use it.
package nichetest

import (
	"database/sql"
	"fmt"
	"log/slog"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	_ "github.com/mattn/go-sqlite3" // to look into the database past the program
	"github.com/stretchr/testify/require"
	"golang.org/x/crypto/bcrypt"

	"niche/core/casefile"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/serve"
	"niche/internal/store"
	"niche/internal/wall"
)

// Morning is what the clock shows when a desk is opened: a Monday, 08:00 in Dublin.
var Morning = time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)

// Clock goes on from some time, and can be moved.
type Clock struct {
	start, begun time.Time
	ahead        atomic.Int64
}

// NewClock returns a clock that shows start now.
func NewClock(start time.Time) *Clock { return &Clock{start: start, begun: time.Now()} }

// Now is what the clock shows.
func (c *Clock) Now() time.Time {
	return c.start.Add(time.Since(c.begun) + time.Duration(c.ahead.Load()))
}

// Move moves the clock on, or back.
func (c *Clock) Move(d time.Duration) { c.ahead.Add(int64(d)) }

// Desk is a whole Niche for one test, signed in, with one person who works
// Monday to Friday from 09:00 to 17:00 in Dublin, and a service of an hour.
type Desk struct {
	*demo.Client
	T       testing.TB
	Niche   *serve.Niche
	Data    string
	Clock   *Clock
	Staff   desk.StaffMember
	Service desk.Service

	settings serve.Settings
	beside   *sql.DB // past the program, once something was asked there
}

// Mail and Password are those with which a desk's administrator signs in.
const (
	Mail     = "ada@workshop.example"
	Password = "correct horse"
)

// OpenDesk opens a desk that may link the hosts.
func OpenDesk(t testing.TB, change func(*desk.ServiceFields), hosts ...string) *Desk {
	return OpenDeskWith(t, func(*serve.Settings) {}, change, hosts...)
}

// OpenDeskWith opens a desk with settings of its own.
func OpenDeskWith(t testing.TB, with func(*serve.Settings), change func(*desk.ServiceFields), hosts ...string) *Desk {
	d := &Desk{T: t, Data: filepath.Join(t.TempDir(), "data"), Clock: NewClock(Morning)}
	d.settings = serve.Settings{Listen: "127.0.0.1:0", Data: d.Data, AllowHosts: hosts, Poll: time.Second, Unlimited: true, Metrics: "127.0.0.1:0", HashCost: bcrypt.MinCost,
		Log: slog.New(slog.NewTextHandler(t.Output(), nil)), Now: d.Clock.Now}
	with(&d.settings)
	d.start()
	t.Cleanup(func() {
		d.leave()
		require.NoError(t, d.Niche.Stop())
	})
	d.Fill(d.Niche.Address, change)
	return d
}

func (d *Desk) start() {
	n, err := serve.Start(d.settings)
	require.NoError(d.T, err)
	d.Niche = n
}

// Pass lets time pass: the clock moves, and what has become due begins.
func (d *Desk) Pass(time time.Duration) {
	d.Clock.Move(time)
	d.Niche.Wake()
}

// Nothing is what is done between two runs of a Niche that is only restarted.
func Nothing(*store.DB) {}

// Restart stops Niche, has something done to its data folder, and starts it again
// with settings that may be others.
func (d *Desk) Restart(between func(db *store.DB), with func(*serve.Settings)) {
	d.leave()
	require.NoError(d.T, d.Niche.Stop())
	db, err := store.Open(d.Data)
	require.NoError(d.T, err)
	between(db)
	require.NoError(d.T, db.Close())
	with(&d.settings)
	d.start()
	d.SignIn(d.Niche.Address)
}

// Fill sets an empty Niche at an address up, by the set-up code in its data folder.
func (d *Desk) Fill(address string, change func(*desk.ServiceFields)) {
	ctx := d.T.Context()
	d.Client = demo.NewClient(address)
	code, err := os.ReadFile(filepath.Join(d.Data, "setup-code"))
	require.NoError(d.T, err)
	require.NoError(d.T, d.Post(ctx, "/api/setup", desk.SetUp{Code: strings.TrimSpace(string(code)), Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin"},
		Name: "Ada", Email: Mail, Password: Password}, nil))
	require.NoError(d.T, d.Post(ctx, "/api/staff", desk.StaffFields{Name: "Bryn Castellane", Zone: "Europe/Dublin"}, &d.Staff))
	d.Hours(d.Staff.ID)
	fields := desk.ServiceFields{Name: "Home tuning", Length: 60, Lengths: []int{}, Step: 60, Anchor: "clock", Window: desk.Ahead(400), Places: 1, Needs: []string{}, Staffing: "any", Pick: "order", Unreachable: "refuse", Staff: []store.ID{d.Staff.ID}}
	if change != nil {
		change(&fields)
	}
	require.NoError(d.T, d.Post(ctx, "/api/services", fields, &d.Service))
}

// SignIn signs in again, at an address at which the desk was filled before.
func (d *Desk) SignIn(address string) {
	d.Client = demo.NewClient(address)
	require.NoError(d.T, d.Post(d.T.Context(), "/api/session", desk.SignIn{Email: Mail, Password: Password}, nil))
}

// At reads an instant that a test names.
func At(text string) span.Instant {
	i, err := span.Parse(text)
	if err != nil {
		panic(err)
	}
	return i
}

// Quiet returns a log that is shown where a test fails.
func Quiet(t testing.TB) *slog.Logger { return slog.New(slog.NewTextHandler(t.Output(), nil)) }

// Hours gives somebody the usual hours.
func (d *Desk) Hours(staff store.ID) {
	week := map[string]casefile.Day{}
	for _, day := range []string{"mon", "tue", "wed", "thu", "fri"} {
		week[day] = casefile.Day{Spans: []casefile.WallSpan{{"09:00", "17:00"}}}
	}
	pattern := casefile.Pattern{From: "2020-01-01", Cycle: []map[string]casefile.Day{week}}
	require.NoError(d.T, d.Change(d.T.Context(), fmt.Sprintf("/api/staff/%d/hours", staff), api.Hours{Patterns: []casefile.Pattern{pattern}}, nil))
}

// AddStaff adds somebody who works as the desk's first person does.
func (d *Desk) AddStaff(name string) store.ID {
	var m desk.StaffMember
	require.NoError(d.T, d.Post(d.T.Context(), "/api/staff", desk.StaffFields{Name: name, Zone: "Europe/Dublin"}, &m))
	d.Hours(m.ID)
	return m.ID
}

// AddService adds a service that differs from the desk's first one.
func (d *Desk) AddService(name string, change func(*desk.ServiceFields)) (s desk.Service) {
	f := d.Service.ServiceFields
	f.Name, f.Slug = name, ""
	change(&f)
	require.NoError(d.T, d.Post(d.T.Context(), "/api/services", f, &s))
	return s
}

// Save changes the desk's service.
func (d *Desk) Save(accept int, change func(*desk.ServiceFields)) error {
	f := d.Service.ServiceFields
	change(&f)
	return d.Change(d.T.Context(), fmt.Sprintf("/api/services/%d?accept=%d", d.Service.ID, accept), f, &d.Service)
}

// On returns the desk with another of its services in front.
func (d *Desk) On(s desk.Service) *Desk {
	other := *d
	other.Service = s
	return &other
}

// AddResource adds a room or a piece of equipment.
func (d *Desk) AddResource(name, kind string) {
	require.NoError(d.T, d.Post(d.T.Context(), "/api/resources", desk.ResourceFields{Name: name, Kind: kind}, nil))
}

// Link links an account, makes one calendar block and another get bookings, and waits
// until both have been read.
func (d *Desk) Link(address, user, key, blocks, gets string) api.Link {
	l := d.LinkFor(d.Staff.ID, address, user, key, blocks, gets)
	d.Until("every calendar in use has been read", func() bool {
		for _, p := range d.Wall("").Pulse {
			if p.State != "fresh" {
				return false
			}
		}
		return true
	})
	return l
}

// LinkFor links an account of somebody, and makes one calendar block and another get
// bookings. The case of their names does not matter: some hosts change it.
func (d *Desk) LinkFor(staff store.ID, address, user, key, blocks, gets string) (l api.Link) {
	require.NoError(d.T, d.Own(staff).Post(d.T.Context(), "/api/my/links", api.NewLink{Address: address, Username: user, Password: key}, &l))
	for _, c := range l.Calendars {
		toBlock, toGet := strings.EqualFold(c.Name, blocks), strings.EqualFold(c.Name, gets)
		if c.Blocks != toBlock || c.GetsBookings != toGet {
			d.Choose(c, func(x *api.Choice) { x.Blocks, x.GetsBookings = toBlock, toGet })
		}
	}
	return l
}

// Own returns somebody as they come in to their own pages, by an invitation.
func (d *Desk) Own(staff store.ID) *demo.Client {
	me, err := demo.Own(d.T.Context(), d.Client, staff)
	require.NoError(d.T, err)
	return me
}

// Links returns the links of the desk's person.
func (d *Desk) Links() []api.Link { return d.LinksOf(d.Staff.ID) }

// LinksOf returns the links of somebody.
func (d *Desk) LinksOf(staff store.ID) []api.Link {
	var links struct{ Items []api.Link }
	require.NoError(d.T, d.Get(d.T.Context(), fmt.Sprintf("/api/staff/%d/links", staff), &links))
	return links.Items
}

// Calendar returns the desk's person's calendar with a name.
func (d *Desk) Calendar(name string) (c api.Calendar) {
	for _, l := range d.Links() {
		for _, c := range l.Calendars {
			if strings.EqualFold(c.Name, name) {
				return c
			}
		}
	}
	return c
}

// Choose changes what a calendar is for.
func (d *Desk) Choose(c api.Calendar, change func(*api.Choice)) {
	choice := c.Choice
	change(&choice)
	require.NoError(d.T, d.Change(d.T.Context(), fmt.Sprintf("/api/calendars/%d", c.ID), choice, nil))
}

// Poke makes due work be looked for at once, as every change of a calendar does.
func (d *Desk) Poke(name string) { d.Choose(d.Calendar(name), func(*api.Choice) {}) }

// Pulse returns the freshness of the calendar with a name.
func (d *Desk) Pulse(name string) wall.Pulse {
	for _, p := range d.Wall("").Pulse {
		if strings.EqualFold(p.Calendar, name) {
			return p
		}
	}
	return wall.Pulse{}
}

// Wall returns the team's day.
func (d *Desk) Wall(date string) (w wall.Wall) {
	require.NoError(d.T, d.Get(d.T.Context(), "/api/wall?date="+date, &w))
	return w
}

// Until waits until ok says yes, looking again whenever something has changed.
func (d *Desk) Until(what string, ok func() bool) {
	d.T.Helper()
	err := d.Client.Until(d.T.Context(), func() (bool, error) { return ok(), nil })
	require.NoError(d.T, err, what)
}

// Starts returns the offered starts of a date, as "09:00 10:00".
func (d *Desk) Starts(date string) string {
	var p client.Page
	require.NoError(d.T, d.Get(d.T.Context(), "/api/pages/"+d.Service.Slug+"?from="+date, &p))
	var labels []string
	for _, s := range p.Days[0].Starts {
		labels = append(labels, s.Label)
	}
	require.Equal(d.T, date, p.Days[0].Date)
	return strings.Join(labels, " ")
}

// Book books a start as a client does, and returns the booking or the refusal.
func (d *Desk) Book(start string) (client.Booked, error) {
	return d.Ask(client.NewBooking{Start: At(start), Name: "Rosa Osei", Email: "rosa@clients.example"})
}

// Ask books for a client with a request of their own.
func (d *Desk) Ask(b client.NewBooking) (out client.Booked, err error) {
	b.Zone, b.Clock = "Europe/Dublin", "24"
	if b.Name == "" {
		b.Name = "A client"
	}
	if b.Email == "" {
		b.Email = "client@clients.example"
	}
	err = demo.NewClient(d.Address).Post(d.T.Context(), "/api/pages/"+d.Service.Slug+"/bookings", b, &out)
	return out, err
}

// mine is the path of the API for a client's own booking.
func mine(b client.Booked) string {
	return strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1)
}

// Move moves a booking as its client does.
func (d *Desk) Move(b client.Booked, to string) (out client.Booked, err error) {
	err = demo.NewClient(d.Address).Post(d.T.Context(), mine(b)+"/move", api.Move{Start: At(to)}, &out)
	return out, err
}

// Cancel cancels a booking as its client does.
func (d *Desk) Cancel(b client.Booked) error {
	return demo.NewClient(d.Address).Post(d.T.Context(), mine(b)+"/cancel", nil, nil)
}

// Copies returns where the copies of a date's bookings stand.
func (d *Desk) Copies(date string) string {
	var states []string
	for _, l := range d.Wall(date).Lanes {
		for _, v := range l.Visits {
			states = append(states, v.Copy)
		}
	}
	return strings.Join(states, ", ")
}

// database opens the database past the program, once for a test.
func (d *Desk) database() *sql.DB {
	if d.beside == nil {
		db, err := sql.Open("sqlite3", "file:"+filepath.Join(d.Data, "niche.db")+"?_busy_timeout=5000")
		require.NoError(d.T, err)
		d.beside = db
	}
	return d.beside
}

// leave closes what was opened past the program.
func (d *Desk) leave() {
	if d.beside != nil {
		require.NoError(d.T, d.beside.Close())
		d.beside = nil
	}
}

// SQL asks the database something, past the program, and scans the one row of the
// answer.
func (d *Desk) SQL(query string, into ...any) {
	require.NoError(d.T, d.database().QueryRowContext(d.T.Context(), query).Scan(into...), query)
}

// Exec changes the database past the program.
func (d *Desk) Exec(query string, values ...any) {
	_, err := d.database().ExecContext(d.T.Context(), query, values...)
	require.NoError(d.T, err, query)
}

// Count counts what a query finds, past the program.
func (d *Desk) Count(from string) (n int) {
	d.SQL("SELECT COUNT(*) FROM "+from, &n)
	return n
}

// List returns the first column of what a query finds, past the program.
func (d *Desk) List(query string) (list []string) {
	rows, err := d.database().QueryContext(d.T.Context(), query)
	require.NoError(d.T, err, query)
	defer func() { require.NoError(d.T, rows.Close()) }()
	for rows.Next() {
		var value string
		require.NoError(d.T, rows.Scan(&value))
		list = append(list, value)
	}
	require.NoError(d.T, rows.Err())
	return list
}

// Problem returns the refusal of a request.
func Problem(t testing.TB, err error) *api.Problem {
	t.Helper()
	var p *api.Problem
	require.ErrorAs(t, err, &p)
	return p
}

// Program builds the program for tests that run it as a process. It stays where it is, one for
// each package, so that it is linked once and not again for each test.
func Program(t testing.TB) string {
	module, err := exec.Command("go", "env", "GOMOD").Output()
	require.NoError(t, err)
	here, err := os.Getwd()
	require.NoError(t, err)
	path := filepath.Join(filepath.Dir(strings.TrimSpace(string(module))), "bin", "tests", filepath.Base(here))
	out, err := exec.Command("go", "build", "-o", path, "niche/cmd/niche").CombinedOutput()
	require.NoError(t, err, string(out))
	return path
}

// Command makes a run of a program, which ends with the test.
func Command(t testing.TB, program string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(t.Context(), program, args...)
	cmd.Stderr = t.Output()
	return cmd
}

// Needs returns the path of a program that the tests need; make test installs it.
func Needs(t testing.TB, name string) string {
	path, err := exec.LookPath(name)
	require.NoError(t, err, "%s is missing: make test-tools installs it", name)
	return path
}

// Grep returns which of the words stand in any file of a folder.
func Grep(t testing.TB, folder string, words ...string) (found []string) {
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
