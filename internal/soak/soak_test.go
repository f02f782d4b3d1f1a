package soak_test

import (
	"bytes"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api"
	pages "niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/soak"
	"niche/internal/store"
)

var (
	minutes = flag.Float64("minutes", 0.5, "for how long")
	seed    = flag.Uint64("seed", 0, "of everything that is left to chance; 0 for another one each time")
)

// Clients race over people, shared visits, rooms and joint visits, move and cancel;
// owners put events into their calendars and take them out; the hosts do wrong; Niche
// and its hosts are killed and started again. After each storm all must be as
// promised.
func TestTheWholeHoldsInStorms(t *testing.T) {
	if *seed == 0 {
		*seed = uint64(time.Now().UnixNano()) % 1e6
	}
	t.Logf("minutes %g, seed %d", *minutes, *seed)
	w := open(t)
	end := time.Now().Add(time.Duration(*minutes * float64(time.Minute)))
	for n := 1; n == 1 || time.Now().Before(end); n++ {
		what := w.storm(n)
		w.settle()
		faults := w.check()
		t.Logf("storm %d, with %s: %s", n, what, w.tally())
		require.Empty(t, faults, "storm %d, seed %d", n, *seed)
	}
	for _, deed := range []string{"booked", "refused", "moved", "cancelled", "event put", "event removed"} {
		require.NotZero(t, w.count[deed], "nothing of this has happened: "+deed)
	}
}

// world is a Niche process, its hosts, and what is noted of what was said and done.
type world struct {
	t     *testing.T
	desk  *nichetest.Desk
	niche *nichetest.Process
	hosts []*host
	days  []time.Time // midnights in UTC, which is what the zone's clock shows in winter and summer alike
	goods []good
	staff []store.ID

	clients []*client

	mu      sync.Mutex
	chance  *rand.Rand
	answers []*soak.Answer
	owned   []*soak.Owned
	rude    []string
	count   map[string]int
}

// good is a service, as the clients know it.
type good struct {
	slug    string
	lengths []int
	places  int
	careful bool
}

// host is a calendar server, a line to it on which things go wrong, and whose
// accounts it has.
type host struct {
	server  *nichetest.Process
	address string
	line    *nichetest.Trouble
	proxy   string
	late    sync.WaitGroup // writes that are still to arrive
	people  []person
}

type person struct {
	staff  store.ID
	user   string
	home   string // the path below which the calendars lie
	server nichetest.Server
}

func (w *world) roll(n int) int {
	w.mu.Lock()
	defer w.mu.Unlock()
	return w.chance.IntN(n)
}

func (w *world) noted(what string) {
	w.mu.Lock()
	defer w.mu.Unlock()
	w.count[what]++
}

func open(t *testing.T) *world {
	w := &world{t: t, chance: rand.New(rand.NewPCG(*seed, 10)), count: map[string]int{}}
	folder, address := t.TempDir(), nichetest.FreeAddress(t)
	radicale := nichetest.Run(t, address, nichetest.Needs(t, "radicale"), "--server-hosts", address, "--auth-type", "none", "--storage-filesystem-folder", folder)
	one := &host{server: radicale, address: "http://" + address, people: []person{{user: "bryn", home: "/bryn/"}, {user: "noor", home: "/noor/"}}}
	x := nichetest.Xandikos(t)
	two := &host{address: x.Address, people: []person{{user: x.User, home: x.Home, server: x}}}
	w.hosts = []*host{one, two}
	for n := range one.people {
		p := &one.people[n]
		p.server = nichetest.Server{Address: one.address, User: p.user, Key: nichetest.Key, Home: p.home}.Make(t)
	}
	var allowed []string
	for _, h := range w.hosts {
		h.line = &nichetest.Trouble{}
		h.proxy = h.line.Before(t, h.address)
		allowed = append(allowed, "--allow-host", nichetest.HostAt(h.proxy))
	}

	w.desk = &nichetest.Desk{T: t, Data: filepath.Join(t.TempDir(), "data")}
	w.niche = &nichetest.Process{T: t, Address: nichetest.FreeAddress(t), Path: nichetest.Program(t), Log: io.Discard}
	w.niche.Args = append([]string{"serve", "--listen", w.niche.Address, "--data", w.desk.Data, "--poll", "1s", "--unlimited"}, allowed...)
	w.niche.Start()
	d := w.desk
	d.Fill("http://"+w.niche.Address, func(f *desk.ServiceFields) { f.Step = 30 })
	w.staff = []store.ID{d.Staff.ID, d.AddStaff("Noor Haddad"), d.AddStaff("Ines Moreau")}
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = w.staff }))
	d.AddResource("Room one", "room")
	d.AddResource("Room two", "room")
	n := 0
	for _, h := range w.hosts {
		for k := range h.people {
			p := &h.people[k]
			p.staff = w.staff[n]
			d.LinkFor(p.staff, h.proxy, p.user, nichetest.Key, "Family", "Work")
			n++
		}
	}
	w.goods = []good{{d.Service.Slug, []int{60}, 1, true}}
	for _, s := range []struct {
		name   string
		good   good
		change func(*desk.ServiceFields)
	}{
		{"Short visit", good{"", []int{30}, 1, false}, func(f *desk.ServiceFields) {
			f.Length, f.BufferAfter, f.Unreachable = 30, 15, "take"
		}},
		{"Class", good{"", []int{60, 90}, 3, true}, func(f *desk.ServiceFields) {
			f.Places, f.Lengths, f.Staff, f.Step = 6, []int{90}, w.staff[:1], 60
		}},
		{"Joint visit", good{"", []int{60}, 1, false}, func(f *desk.ServiceFields) {
			f.Staffing, f.Staff, f.Needs, f.Unreachable = "all", w.staff[1:], []string{"room"}, "ask"
		}},
		{"Studio", good{"", []int{30, 120}, 1, true}, func(f *desk.ServiceFields) {
			f.Length, f.Lengths, f.Needs = 30, []int{120}, []string{"room"}
		}},
	} {
		made := d.AddService(s.name, s.change)
		s.good.slug = made.Slug
		w.goods = append(w.goods, s.good)
	}
	for range 8 {
		w.clients = append(w.clients, &client{world: w})
	}
	day := time.Now().UTC().Truncate(24*time.Hour).AddDate(0, 0, 3)
	for ; len(w.days) < 2; day = day.AddDate(0, 0, 1) {
		if wd := day.Weekday(); wd != time.Saturday && wd != time.Sunday {
			w.days = append(w.days, day)
		}
	}
	return w
}

// any returns some half hour of the days, within the hours of work and near them.
func (w *world) any() time.Time {
	return w.days[w.roll(len(w.days))].Add(time.Duration(14+w.roll(24)) * 30 * time.Minute)
}

// wrongs are what goes wrong on the line to a host.
var wrongs = []struct {
	name string
	do   func(h *host, r *http.Request, body []byte, wait time.Duration) nichetest.Fault
}{
	{"a cut", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault { return nichetest.Fault{Cut: true} }},
	{"a lost answer", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
		return nichetest.Fault{Unheard: true}
	}},
	{"a lost question", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
		return nichetest.Fault{Unasked: true, Unheard: true}
	}},
	{"500", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
		return nichetest.Fault{Unasked: true, Status: 500}
	}},
	{"503", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
		return nichetest.Fault{Unasked: true, Status: 503, Change: func(h http.Header) { h.Set("Retry-After", "1") }}
	}},
	{"504, but stored", func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
		return nichetest.Fault{Status: 504}
	}},
	{"504, and late", (*host).arriveLate},
	{"a delay", func(_ *host, _ *http.Request, _ []byte, wait time.Duration) nichetest.Fault {
		open := make(chan struct{})
		time.AfterFunc(wait, func() { close(open) })
		return nichetest.Fault{Wait: open}
	}},
	{"a part left out", part(func(string, string) string { return "" })},
	{"a part forbidden", part(func(part, href string) string {
		return `<response xmlns="DAV:"><href>` + href + `</href><status>HTTP/1.1 403 Forbidden</status></response>`
	})},
	{"a part that fails", part(func(part, href string) string {
		return `<response xmlns="DAV:"><href>` + href + `</href><status>HTTP/1.1 503 Later</status></response>`
	})},
	{"an odd spelling", part(func(part, href string) string {
		return strings.Replace(part, href+"<", strings.ReplaceAll(href, "a", "%61")+"<", 1)
	})},
}

var response = regexp.MustCompile(`(?s)<(?:\w+:)?response\b[^>]*>\s*<(?:\w+:)?href>([^<]+).*?</(?:\w+:)?response>`)

// part returns a wrong that changes one part of an answer in parts.
func part(change func(part, href string) string) func(*host, *http.Request, []byte, time.Duration) nichetest.Fault {
	return func(_ *host, _ *http.Request, question []byte, wait time.Duration) nichetest.Fault {
		if bytes.Contains(question, []byte("sync-collection")) {
			return nichetest.Fault{} // a host that names too little there is found out when all is listed, once a day
		}
		return nichetest.Fault{Answer: func(body string) string {
			all := response.FindAllStringSubmatchIndex(body, -1)
			if len(all) == 0 {
				return body
			}
			m := all[int(wait)%len(all)]
			return body[:m[0]] + change(body[m[0]:m[1]], body[m[2]:m[3]]) + body[m[1]:]
		}}
	}
}

// arriveLate says nothing of a request, and has it carried out some time later.
func (h *host) arriveLate(r *http.Request, body []byte, wait time.Duration) nichetest.Fault {
	if r.Method != http.MethodPut && r.Method != http.MethodDelete {
		return nichetest.Fault{Unasked: true, Status: 504}
	}
	later, err := http.NewRequest(r.Method, h.address+r.URL.RequestURI(), bytes.NewReader(body))
	if err != nil {
		return nichetest.Fault{Unasked: true, Status: 504}
	}
	later.Header = r.Header.Clone()
	later.Header.Del("Accept-Encoding")
	h.late.Add(1)
	time.AfterFunc(wait, func() {
		defer h.late.Done()
		if res, err := http.DefaultClient.Do(later); err == nil {
			_ = res.Body.Close()
		}
	})
	return nichetest.Fault{Unasked: true, Status: 504}
}

// catastrophes are what happens once in a storm.
var catastrophes = []struct {
	name string
	do   func(w *world)
}{
	{"no catastrophe", func(*world) {}},
	{"Niche killed", func(w *world) { w.niche.Kill(); w.niche.Start() }},
	{"Niche stopped", func(w *world) {
		if code := w.niche.Stop(); code != 0 {
			w.mu.Lock()
			w.rude = append(w.rude, fmt.Sprint("it ended with ", code))
			w.mu.Unlock()
		}
		w.niche.Start()
	}},
	{"a host killed", func(w *world) { w.hosts[0].server.Kill(); w.hosts[0].server.Start() }},
	{"Niche and a host killed", func(w *world) {
		w.hosts[0].server.Kill()
		w.niche.Kill()
		w.niche.Start()
		w.hosts[0].server.Start()
	}},
}

// storm lets everybody loose for some seconds, and waits until they have done with
// what they began.
func (w *world) storm(n int) string {
	over := make(chan struct{})
	var all sync.WaitGroup
	for _, c := range w.clients {
		all.Go(func() { c.live(over) })
	}
	for _, h := range w.hosts {
		for _, p := range h.people {
			all.Go(func() { w.own(p, over) })
		}
	}
	for _, h := range w.hosts {
		h.line.Set(func(r *http.Request, body []byte) nichetest.Fault {
			if w.roll(6) > 0 {
				return nichetest.Fault{}
			}
			wrong := wrongs[w.roll(len(wrongs))]
			w.noted(wrong.name)
			return wrong.do(h, r, body, time.Duration(100+w.roll(2000))*time.Millisecond)
		})
	}
	what := catastrophes[n%len(catastrophes)]
	time.Sleep(time.Duration(3000+w.roll(2000)) * time.Millisecond) // the storm goes on meanwhile
	what.do(w)
	time.Sleep(4 * time.Second)
	for _, h := range w.hosts {
		h.line.Set(nil)
	}
	close(over)
	all.Wait()
	for _, h := range w.hosts {
		h.late.Wait()
	}
	return what.name
}

// client books, moves and cancels.
type client struct {
	*world
	mine []*booked
}

type booked struct {
	*soak.Answer
	good   good
	manage string
}

func (c *client) live(over <-chan struct{}) {
	for {
		select {
		case <-over:
			return
		default:
		}
		switch n := c.roll(10); {
		case len(c.mine) == 0 || n < 6 && len(c.mine) < 4:
			c.book()
		case n < 8:
			c.move(c.mine[c.roll(len(c.mine))])
		default:
			c.cancel(c.mine[c.roll(len(c.mine))])
		}
	}
}

// ask asks Niche until it answers, through kills and restarts.
func (w *world) ask(path string, in, out any) (status int) {
	body, err := json.Marshal(in)
	require.NoError(w.t, err)
	for giveUp := time.Now().Add(time.Minute); time.Now().Before(giveUp); {
		req, err := http.NewRequest(http.MethodPost, "http://"+w.niche.Address+path, bytes.NewReader(body))
		if err != nil {
			return 0
		}
		req.Header.Set("Content-Type", "application/json")
		var data []byte
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			data, err = io.ReadAll(res.Body)
			_ = res.Body.Close()
		}
		switch {
		case err != nil || res.StatusCode == http.StatusServiceUnavailable:
			w.noted("no answer")
			time.Sleep(20 * time.Millisecond) // between two looks at whether it is there again
			continue
		case res.StatusCode >= 500:
			w.mu.Lock()
			w.rude = append(w.rude, fmt.Sprint(path, " was answered ", res.StatusCode, " ", string(data)))
			w.mu.Unlock()
		case res.StatusCode < 300 && out != nil:
			if json.Unmarshal(data, out) != nil {
				return 0
			}
		}
		return res.StatusCode
	}
	w.mu.Lock()
	defer w.mu.Unlock()
	w.rude = append(w.rude, path+" was never answered")
	return 0
}

func (c *client) book() {
	g := c.goods[c.roll(len(c.goods))]
	start, length := c.any(), g.lengths[c.roll(len(g.lengths))]
	key := fmt.Sprintf("%d-%d-%d", *seed, time.Now().UnixNano(), c.roll(1e9))
	a := &soak.Answer{Key: key, Start: start.Unix(), Length: int64(length) * 60, Careful: g.careful, Begun: time.Now()}
	var out pages.Booked
	status := c.ask("/api/pages/"+g.slug+"/bookings", pages.NewBooking{Start: span.At(start), Length: length, Places: 1 + c.roll(g.places),
		Name: "A client", Email: "client@clients.example", Zone: "UTC", Clock: "24", Key: key}, &out)
	a.Ended, a.Reference, a.Status = time.Now(), out.Reference, out.Status
	a.Refused, a.Unknown = status >= 400 && status < 500, status == 0 || status >= 500
	if status == http.StatusCreated {
		c.mine = append(c.mine, &booked{a, g, strings.Replace(out.Manage, "/booking/", "/api/my-bookings/", 1)})
	}
	c.noted(map[bool]string{true: "booked", false: "refused"}[status == http.StatusCreated])
	c.mu.Lock()
	defer c.mu.Unlock()
	c.answers = append(c.answers, a)
}

func (c *client) move(b *booked) {
	to, begun := c.any(), time.Now()
	var out pages.Booked
	if c.ask(b.manage+"/move", api.Move{Start: span.At(to)}, &out) != http.StatusOK {
		return
	}
	c.noted("moved")
	c.mu.Lock()
	defer c.mu.Unlock()
	b.Start, b.Begun, b.Ended, b.Status = to.Unix(), begun, time.Now(), out.Status
}

func (c *client) cancel(b *booked) {
	if c.ask(b.manage+"/cancel", nil, nil) != http.StatusOK {
		return
	}
	c.noted("cancelled")
	c.mine = slices.DeleteFunc(c.mine, func(o *booked) bool { return o == b })
	c.mu.Lock()
	defer c.mu.Unlock()
	b.Status = "cancelled"
}

// own puts events into somebody's calendar, and takes them out, as their owner's own
// program does, which knows nothing of Niche.
func (w *world) own(p person, over <-chan struct{}) {
	var mine []*soak.Owned
	w.mu.Lock()
	for _, o := range w.owned {
		if o.Staff == int64(p.staff) && o.Gone.IsZero() {
			mine = append(mine, o)
		}
	}
	w.mu.Unlock()
	path := func(o *soak.Owned) string { return p.home + p.server.Family + "/" + o.UID + ".ics" }
	for {
		select {
		case <-over:
			return
		case <-time.After(100 * time.Millisecond): // nobody types faster
		}
		if len(mine) > 5 || len(mine) > 0 && w.roll(3) == 0 {
			n := w.roll(len(mine))
			o := mine[n]
			mine = slices.Delete(mine, n, n+1)
			w.mu.Lock()
			o.Gone = time.Now()
			w.mu.Unlock()
			w.done(p.server, http.MethodDelete, path(o), "")
			w.noted("event removed")
			continue
		}
		start := w.any()
		o := &soak.Owned{Staff: int64(p.staff), UID: fmt.Sprintf("owned-%d", time.Now().UnixNano()), Span: soak.Span{Start: start.Unix(), End: start.Unix() + 3600}}
		w.done(p.server, http.MethodPut, path(o), nichetest.EventText(o.UID, start.Format("20060102T150405Z")))
		w.noted("event put")
		mine = append(mine, o)
		w.mu.Lock()
		o.Put = time.Now()
		w.owned = append(w.owned, o)
		w.mu.Unlock()
	}
}

// done asks a host until it has done something.
func (w *world) done(s nichetest.Server, method, path, body string) {
	for {
		req, err := http.NewRequest(method, s.Address+path, strings.NewReader(body))
		if err != nil {
			return
		}
		req.SetBasicAuth(s.User, s.Key)
		req.Header.Set("Content-Type", "text/calendar; charset=utf-8")
		res, err := http.DefaultClient.Do(req)
		if err == nil {
			_ = res.Body.Close()
			if res.StatusCode < 300 || method == http.MethodDelete && res.StatusCode == http.StatusNotFound {
				return
			}
		}
		time.Sleep(20 * time.Millisecond) // between two looks at whether it is there again
	}
}

// settle waits until Niche has done with all that it has to do: every copy is settled,
// and every calendar was read after the last change. What waits for a decision is
// decided meanwhile.
func (w *world) settle() {
	w.desk.Client = demo.NewClient("http://" + w.niche.Address)
	w.desk.SignIn("http://" + w.niche.Address)
	for _, id := range w.desk.List(`SELECT id || ' ' || reference FROM bookings WHERE status = 'pending'`) {
		n, reference, _ := strings.Cut(id, " ")
		accept := w.roll(2) == 0
		require.NoError(w.t, w.desk.Post(w.t.Context(), "/api/bookings/"+n+"/decision", desk.Decision{Accept: accept}, nil))
		for _, a := range w.answers {
			if a.Reference == reference {
				a.Status = map[bool]string{true: "confirmed", false: "cancelled"}[accept]
			}
		}
	}
	since := time.Now().Unix() + 1
	// A copy of which a write may still arrive is looked at from time to time for an hour,
	// and has been after all that could arrive.
	open := fmt.Sprintf(`(SELECT 1 FROM copies WHERE NOT (state IN ('read back', 'removed', 'adrift') OR wanted = 0 AND state = 'waiting' AND unsure <> '' AND etag = '' AND error = ''
		AND next_at > unixepoch() + 1 AND (tried_at >= %[1]d OR unsure_until < %[1]d + 3600 - 60))
		UNION ALL SELECT 1 FROM calendars WHERE watched AND (read_at <= %[1]d OR state <> 'fresh') UNION ALL SELECT 1 FROM objects WHERE owed > 0)`, since)
	giveUp := time.Now().Add(2 * time.Minute)
	for w.desk.Count(open) > 0 && time.Now().Before(giveUp) {
		time.Sleep(100 * time.Millisecond) // between two looks at the database
	}
}

// check compares all that there is.
func (w *world) check() []string {
	f := &soak.Facts{Rude: w.rude}
	for _, a := range w.answers {
		f.Answers = append(f.Answers, *a)
	}
	for _, o := range w.owned {
		f.Owned = append(f.Owned, *o)
	}
	require.NoError(w.t, f.ReadDatabase(w.t.Context(), filepath.Join(w.desk.Data, "niche.db")))
	require.Len(w.t, f.Calendars, 6)
	for n := range f.Calendars {
		c := &f.Calendars[n]
		for _, h := range w.hosts {
			for _, p := range h.people {
				if int64(p.staff) == c.Staff {
					require.NoError(w.t, c.ReadHost(w.t.Context(), h.address+c.Address, p.user, nichetest.Key))
				}
			}
		}
	}
	return f.Faults()
}

func (w *world) tally() string {
	w.mu.Lock()
	defer w.mu.Unlock()
	return fmt.Sprint(w.count)
}
