package serve_test

import (
	"bufio"
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"net/netip"
	"os"
	"path/filepath"
	"runtime"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/pquerna/otp/totp"
	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

// asking is a request as it stands, past every client.
type asking struct {
	method, path, body string
	header             map[string]string
	host               string
}

func (a asking) of(t testing.TB, address string) (*http.Response, string) {
	req, err := http.NewRequestWithContext(t.Context(), a.method, address+a.path, strings.NewReader(a.body))
	require.NoError(t, err)
	req.Header.Set("Content-Type", "application/json")
	for k, v := range a.header {
		req.Header.Set(k, v)
	}
	if a.host != "" {
		req.Host = a.host
	}
	res, err := http.DefaultClient.Do(req)
	require.NoError(t, err)
	defer func() { _ = res.Body.Close() }()
	data, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	return res, string(data)
}

func limited(s *serve.Settings) { s.Unlimited = false }

// Who comes first to the address of a fresh install gets nothing by that: the set-up
// code lies where its owner alone can read it, and is asked for.
func TestAFreshInstallAsksForItsCode(t *testing.T) {
	d := &nichetest.Desk{T: t, Data: filepath.Join(t.TempDir(), "data"), Clock: nichetest.NewClock(nichetest.Morning)}
	settings := serve.Settings{Listen: "127.0.0.1:0", Data: d.Data, URL: "https://desk.example:443/", Log: nichetest.Quiet(t), Now: d.Clock.Now}
	n, err := serve.Start(settings)
	require.NoError(t, err)
	require.Regexp(t, `^[A-Z2-9]{4}-[A-Z2-9]{4}-[A-Z2-9]{4}$`, n.Code)
	modes := map[string]fs.FileMode{}
	require.NoError(t, filepath.WalkDir(d.Data, func(path string, e fs.DirEntry, err error) error {
		info, _ := e.Info()
		modes[filepath.Base(path)] = info.Mode().Perm()
		return err
	}))
	for name, mode := range modes {
		require.Zero(t, mode&0o077, "%s is %o", name, mode)
	}
	require.Contains(t, modes, "niche.db-wal")

	setUp := desk.SetUp{Code: "AAAA-BBBB-CCCC", Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin"}, Name: "Ada", Email: "ada@workshop.example", Password: "correct horse"}
	post := func(s desk.SetUp, host string) (*http.Response, string) {
		body, err := json.Marshal(s)
		require.NoError(t, err)
		return asking{method: "POST", path: "/api/setup", body: string(body), host: host}.of(t, n.Address)
	}
	res, _ := post(setUp, "evil.example")
	require.Equal(t, http.StatusMisdirectedRequest, res.StatusCode, "by another name nothing is answered")
	for range 5 {
		res, said := post(setUp, "desk.example")
		require.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
		require.Contains(t, said, `"field":"code"`)
	}
	res, _ = post(setUp, "desk.example")
	require.Equal(t, http.StatusTooManyRequests, res.StatusCode)
	require.NotEmpty(t, res.Header.Get("Retry-After"))

	require.NoError(t, n.Stop())
	was := n.Code
	n, err = serve.Start(settings)
	require.NoError(t, err)
	require.Equal(t, was, n.Code, "it stays the same over a restart")
	setUp.Code = strings.ToLower(strings.ReplaceAll(n.Code, "-", " "))
	for password, why := range map[string]string{"password123!": "tried first", "P@ssw0rd2026": "tried first", "workshop-2026": "anybody knows", "1234567890": "row of keys", "qwertyuiop12": "row of keys", "aaaaaaaaaaaa": "repeats itself", "ada@workshop": "anybody knows"} {
		setUp.Password = password
		res, said := post(setUp, "desk.example")
		require.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, password)
		require.Contains(t, said, why, password)
	}
	setUp.Password = "correct horse"
	res, _ = post(setUp, "desk.example")
	require.Equal(t, http.StatusCreated, res.StatusCode)
	for _, c := range res.Cookies() {
		require.True(t, strings.HasPrefix(c.Name, "__Host-") && c.Secure && c.HttpOnly && c.Path == "/" && c.Domain == "", c.Raw)
	}
	require.Equal(t, "max-age=31536000", res.Header.Get("Strict-Transport-Security"))
	require.NoFileExists(t, n.CodeFile)
	res, _ = post(setUp, "desk.example")
	require.Equal(t, http.StatusConflict, res.StatusCode)
	require.NoError(t, n.Stop())
}

// A policy stands at every operation; who is nobody gets nothing from those of
// administrators, whatever the body.
func TestEveryOperationSaysWhoMay(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	open, shut := 0, 0
	for path, item := range api.Document(&desk.Desk{}, &member.Member{}, &client.Client{}).Paths {
		for method, o := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "DELETE": item.Delete, "PATCH": item.Patch} {
			if o == nil {
				continue
			}
			policy, _ := o.Extensions["x-policy"].(string)
			require.NotEmpty(t, policy, "%s %s", method, path)
			if strings.HasPrefix(policy, "anyone") {
				open++
				continue
			}
			shut++
			res, _ := asking{method: method, path: strings.NewReplacer("{id}", "1", "{token}", "x", "{slug}", "x").Replace(path), body: "{}"}.of(t, d.Address)
			require.Equal(t, http.StatusUnauthorized, res.StatusCode, "%s %s", method, path)
		}
	}
	require.Equal(t, 25, open, "what is open is counted, so that nothing gets open unseen")
	require.Greater(t, shut, 50)
}

// Whoever guesses is slowed, and keeps nobody else out: not the rightful owner behind
// the same proxy, and not in the owner's own browser.
func TestGuessingKeepsNobodyOut(t *testing.T) {
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) {
		limited(s)
		s.Proxies = []netip.Prefix{netip.MustParsePrefix("127.0.0.0/8")}
	}, nil)
	try := func(from, mail, password, cookie string) *http.Response {
		header := map[string]string{"X-Forwarded-For": "203.0.113.9, " + from}
		if cookie != "" {
			header["Cookie"] = cookie
		}
		body, err := json.Marshal(desk.SignIn{Email: mail, Password: password})
		require.NoError(t, err)
		res, _ := asking{method: "POST", path: "/api/session", body: string(body), header: header}.of(t, d.Address)
		return res
	}
	known := ""
	for _, c := range try("198.51.100.1", nichetest.Mail, nichetest.Password, "").Cookies() {
		if c.Name == "niche_browser" {
			known = c.Name + "=" + c.Value
		}
	}
	require.NotEmpty(t, known)
	for n := range 12 { // invented mails from one office
		require.Equal(t, http.StatusUnauthorized, try("198.51.100.7", fmt.Sprintf("nobody%d@x.example", n), "guess", "").StatusCode)
	}
	require.Equal(t, http.StatusCreated, try("198.51.100.7", nichetest.Mail, nichetest.Password, "").StatusCode, "the owner in the same office")
	statuses := map[int]int{}
	for range 9 { // the owner's mail, from one network, in one IPv6 customer's many addresses
		statuses[try(fmt.Sprintf(`2001:db8:5:6::%x`, len(statuses)+1), nichetest.Mail, "guess", "").StatusCode]++
	}
	require.Equal(t, map[int]int{http.StatusUnauthorized: 5, http.StatusTooManyRequests: 4}, statuses)
	require.Equal(t, http.StatusTooManyRequests, try("2001:db8:5:6:7::1", nichetest.Mail, nichetest.Password, "").StatusCode, "the guesser waits, even for the right one")
	require.Equal(t, http.StatusCreated, try("2001:db8:5:6:7::1", nichetest.Mail, nichetest.Password, known).StatusCode, "a known browser does not")
	require.Equal(t, http.StatusCreated, try("2001:db8:5:7::1", nichetest.Mail, nichetest.Password, "").StatusCode, "nor the network beside it")
	require.Equal(t, http.StatusTooManyRequests, try("2001:db8:5:6:7::1", nichetest.Mail, "guess", known[:len(known)-2]+"xx").StatusCode, "a forged mark is none")
	d.Clock.Move(20 * time.Minute)
	require.Equal(t, http.StatusCreated, try("2001:db8:5:6:7::1", nichetest.Mail, nichetest.Password, "").StatusCode, "and nobody for ever")
}

// Sixty at once who guess leave the rest of the program its time: hashes are made one at
// a time for a network.
func TestHashingLeavesTimeForOthers(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	var all sync.WaitGroup
	var mu sync.Mutex
	statuses := map[int]int{}
	for n := range 60 {
		all.Go(func() {
			res, _ := asking{method: "POST", path: "/api/session", body: fmt.Sprintf(`{"email":"n%d@x.example","password":"guess"}`, n)}.of(t, d.Address)
			mu.Lock()
			defer mu.Unlock()
			statuses[res.StatusCode]++
		})
	}
	all.Wait()
	require.Equal(t, 60, statuses[http.StatusUnauthorized]+statuses[http.StatusTooManyRequests])
	require.NotZero(t, statuses[http.StatusTooManyRequests], "who does not find room is told so at once")
}

// Nobody books a business full: not from one network, not with one mail address, not in
// a loop of booking and cancelling. The desk sees where bookings came from, and takes
// them back together.
func TestNobodyBooksABusinessFull(t *testing.T) {
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) {
		limited(s)
		s.Proxies = []netip.Prefix{netip.MustParsePrefix("127.0.0.1/32")}
	}, func(f *desk.ServiceFields) { f.Step = 15 })
	var page client.Page
	require.NoError(t, d.Get(t.Context(), "/api/pages/home-tuning", &page))
	d.Pass(time.Minute) // somebody has looked at it
	day := 0
	book := func(from, mail string) (*http.Response, client.Booked) {
		day++
		at := time.Date(2026, 3, 3, 9, 0, 0, 0, time.UTC).Add(time.Duration(day/5*24+day%5) * time.Hour)
		for at.Weekday() == time.Saturday || at.Weekday() == time.Sunday {
			at, day = at.Add(24*time.Hour), day+5
		}
		body, err := json.Marshal(client.NewBooking{Start: span.At(at), Name: "A client", Email: mail, Zone: "UTC", Clock: "24", Form: page.Form})
		require.NoError(t, err)
		res, said := asking{method: "POST", path: "/api/pages/home-tuning/bookings", body: string(body), header: map[string]string{"Forwarded": "for=" + from + ";proto=https"}}.of(t, d.Address)
		var b client.Booked
		_ = json.Unmarshal([]byte(said), &b)
		return res, b
	}
	for n := range 5 {
		res, _ := book(fmt.Sprintf("198.51.100.%d", n), "rosa@clients.example")
		require.Equal(t, http.StatusCreated, res.StatusCode)
	}
	res, _ := book("198.51.100.9", "Rosa@Clients.example")
	require.Equal(t, http.StatusUnprocessableEntity, res.StatusCode, "five ahead for a mail address")
	for n := range 60 {
		if res, _ = book(`"[2001:db8:1:2::1]:4711"`, fmt.Sprintf("c%d@clients.example", n)); res.StatusCode != http.StatusCreated {
			break
		}
	}
	require.Equal(t, http.StatusTooManyRequests, res.StatusCode)
	require.Equal(t, 30, d.Count("bookings WHERE origin = '2001:db8:1:2::/64'"))
	loops := 0
	for n := range 40 { // one mail address from many networks
		res, b := book(fmt.Sprintf("192.0.2.%d", n), "loop@clients.example")
		if res.StatusCode != http.StatusCreated {
			break
		}
		loops++
		res, _ = asking{method: "POST", path: strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1) + "/cancel", body: "{}"}.of(t, d.Address)
		require.Equal(t, http.StatusOK, res.StatusCode)
	}
	require.Equal(t, 10, loops)

	var list desk.FoundBookings
	require.NoError(t, d.Get(t.Context(), "/api/bookings?network=2001:db8:1:2::/64&status=confirmed", &list))
	require.Len(t, list.Items, 30)
	var ids []store.ID
	for _, b := range list.Items {
		ids = append(ids, b.ID)
	}
	require.NoError(t, d.Post(t.Context(), "/api/bookings/cancel", desk.Cancelling{IDs: ids}, nil))
	require.Equal(t, 5, d.Count("bookings WHERE status = 'confirmed'"))
	require.Equal(t, 30, d.Count("trail WHERE deed = 'cancelled' AND who = 'Ada'"))
	require.Empty(t, nichetest.WrongClaims(d))
}

// What anybody may ask has a budget, and grows nothing: each open operation is asked with
// ever new inputs, and the heap stays as it is.
func TestNoAnonymousQuestionGrowsAnything(t *testing.T) {
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Window = desk.Ahead(30) })
	heap := func() int64 {
		var m runtime.MemStats
		runtime.GC()
		runtime.GC()
		runtime.ReadMemStats(&m)
		return int64(m.HeapAlloc)
	}
	var all []asking
	ask := func(method, path, body string) { all = append(all, asking{method: method, path: path, body: body}) }
	for n := range 150 {
		odd := strings.Repeat(fmt.Sprintf("x%d", n), 200)
		ask("GET", fmt.Sprintf("/api/pages/home-tuning?zone=Europe/%s/Dublin", strings.Repeat("../Europe/", n%5)), "")
		ask("GET", fmt.Sprintf("/api/pages/home-tuning?zone=%s", odd), "")
		ask("GET", fmt.Sprintf("/api/pages/home-tuning?from=2026-03-%02d&moving=%d", n%28+1, n), "")
		ask("GET", fmt.Sprintf("/api/pages/%s", odd[:70]), "")
		ask("GET", "/api/my-bookings/"+odd[:90], "")
		ask("GET", "/api/ways-in/"+odd[:90], "")
		ask("GET", "/api/session?"+odd, "")
		ask("GET", "/"+odd, "")
		ask("POST", "/api/my-bookings/"+odd[:90]+"/cancel", "{}")
		ask("POST", "/api/my-bookings/"+odd[:90]+"/move", `{"start":"2026-03-03T10:00:00Z","staff":0}`)
		ask("POST", "/api/pages/home-tuning/bookings", fmt.Sprintf(`{"start":"2026-03-03T03:00:00Z","staff":0,"name":"A","email":"a%d@b.example","zone":"UTC","clock":"24","key":"%s"}`, n, odd[:60]))
	}
	for n := range 20 {
		ask("POST", "/api/session", fmt.Sprintf(`{"email":"a%d@b.example","password":"x"}`, n))
		ask("POST", "/api/setup", fmt.Sprintf(`{"code":"%d","business":{"name":"x","zone":"UTC"},"name":"x","email":"a@b.example","password":"0123456789"}`, n))
		ask("POST", fmt.Sprintf("/api/ways-in/%d", n), `{"password":"a long enough one"}`)
	}
	largest := 0
	round := func() {
		for _, a := range all {
			_, said := a.of(t, d.Address)
			largest = max(largest, len(said))
		}
	}
	round()
	before := heap()
	for range 2 {
		round()
	}
	grown := heap() - before
	http.DefaultClient.CloseIdleConnections()
	require.Less(t, grown, int64(1<<20), "the heap grew by %d bytes over %d questions", grown, 2*len(all))
	require.Less(t, largest, 256<<10, "the largest answer")
}

// Faults are named, and never more than a screen of them.
func TestTextsAtTheDoor(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	b, err := d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	post := func(path, body string) (int, api.Problem) {
		var p api.Problem
		err := d.Do(t.Context(), http.MethodPost, path, json.RawMessage(body), nil)
		if err == nil {
			return 0, p
		}
		p = *nichetest.Problem(t, err)
		return p.Status, p
	}
	for path, body := range map[string]string{
		"/api/staff":                             `{"name":%s,"email":"","zone":"UTC"}`,
		"/api/resources":                         `{"name":%s,"kind":"room"}`,
		"/api/administrators":                    `{"name":%s,"email":"a@b.example"}`,
		"/api/pages/home-tuning/bookings":        `{"name":%s,"email":"a@b.example","start":"2026-03-04T12:00:00Z","staff":0,"zone":"UTC","clock":"24"}`,
		"/api/my-bookings/x/move?clock=%%E2%%80": `{"start":%s,"staff":0}`,
	} {
		for _, bad := range []string{`"\u0000"`, `"a\nb"`, `"\u202etxt"`, `"a\u200bb"`, `"a\u0085"`} {
			status, p := post(path, fmt.Sprintf(body, bad))
			require.Equal(t, http.StatusUnprocessableEntity, status, "%s %s", path, bad)
			require.NotEmpty(t, p.Errors, path)
		}
	}
	_, p := post("/api/staff", `{"name":"\u3164","email":"","zone":"UTC"}`)
	require.Equal(t, "name", p.Errors[0].Field)
	status, p := post("/api/pages/home-tuning/bookings", `{"name":"A","email":"a@b\u0085.example","start":"2026-03-04T12:00:00Z","staff":0,"zone":"UTC","clock":"24"}`)
	require.Equal(t, http.StatusUnprocessableEntity, status)
	require.Equal(t, "email", p.Errors[0].Field)
	var many strings.Builder
	for n := range 40_000 {
		fmt.Fprintf(&many, `"k%d":1,`, n)
	}
	res, said := asking{method: "POST", path: "/api/session", body: `{` + many.String() + `"email":"a@b.example"}`}.of(t, d.Address)
	require.Equal(t, http.StatusUnprocessableEntity, res.StatusCode)
	require.Less(t, len(said), 8<<10)
	require.NoError(t, json.Unmarshal([]byte(said), &p))
	require.Len(t, p.Errors, 21, "twenty, and how many more")
	require.NoError(t, d.Cancel(b))
}

// The desk is shown in no frame, the clients' pages in those that are named; metrics are
// for who has the token.
func TestWhatAnswersAllow(t *testing.T) {
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Token = "a-token-for-metrics" }, nil)
	for path, frames := range map[string]string{"/": "'none'", "/team": "'none'", "/api/session": "'none'", "/book/home-tuning": "'self'", "/booking/x": "'self'"} {
		res, _ := asking{method: "GET", path: path}.of(t, d.Address)
		require.True(t, strings.HasSuffix(res.Header.Get("Content-Security-Policy"), "frame-ancestors "+frames), path)
	}
	for given, want := range map[string]int{"": 401, "Bearer x": 401, "Bearer a-token-for-metrics": 200} {
		res, said := asking{method: "GET", path: "/metrics", header: map[string]string{"Authorization": given}}.of(t, d.Address)
		require.Equal(t, want, res.StatusCode)
		require.Equal(t, want == 200, strings.Contains(said, "niche_"))
	}
}

// Administrators come in by an address that works once, are seen by each other, and leave
// with all their sessions; a stream of news ends with its session.
func TestAdministratorsComeAndGo(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Do(ctx, http.MethodDelete, "/api/administrators/1", nil, nil)).Status, "the last one stays")
	var way desk.WayIn
	require.NoError(t, d.Post(ctx, "/api/administrators", desk.AdministratorFields{Name: "Noor", Email: "Noor@workshop.example"}, &way))
	require.Equal(t, "email", nichetest.Problem(t, d.Post(ctx, "/api/administrators", desk.AdministratorFields{Name: "N", Email: "noor@workshop.example"}, nil)).Errors[0].Field)
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Do(ctx, http.MethodDelete, "/api/administrators/1", nil, nil)).Status, "nobody else can sign in yet")
	first := way
	require.NoError(t, d.Post(ctx, fmt.Sprintf("/api/administrators/%d/way-in", way.ID), nil, &way))
	enter := func(w desk.WayIn, password string) (*demo.Client, error) {
		c := demo.NewClient(d.Address)
		return c, c.Post(ctx, strings.Replace(w.Path, "/enter/", "/api/ways-in/", 1), desk.Entering{Password: password}, nil)
	}
	_, err := enter(first, "a new password")
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, err).Status, "asked again, the older one ends")
	_, err = enter(way, "noor workshop")
	require.Equal(t, "password", nichetest.Problem(t, err).Errors[0].Field)
	noor, err := enter(way, "a new password")
	require.NoError(t, err)
	_, err = enter(way, "another password")
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, err).Status, "it works once")
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Post(ctx, fmt.Sprintf("/api/administrators/%d/way-in", way.ID), nil, nil)).Status, "nobody takes over somebody who is in")
	adaL := desk.AdministratorFields{Name: "Ada L", Email: "ada@workshop.example"}
	require.Equal(t, http.StatusPreconditionRequired, nichetest.Problem(t, noor.Put(ctx, "/api/administrators/1", adaL, nil)).Status)
	require.NoError(t, noor.Save(ctx, "/api/administrators/1", 1, adaL, nil))
	require.Equal(t, http.StatusPreconditionFailed, nichetest.Problem(t, d.Client.Save(ctx, "/api/administrators/1", 1, desk.AdministratorFields{Name: "Ada", Email: nichetest.Mail}, nil)).Status, "over somebody else's change")

	second := demo.NewClient(d.Address)
	require.NoError(t, second.Post(ctx, "/api/session", desk.SignIn{Email: "noor@workshop.example", Password: "a new password"}, nil))
	var own desk.Security
	require.NoError(t, noor.Get(ctx, "/api/me", &own))
	require.Len(t, own.Sessions, 2)
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, d.Address+"/api/changes", nil)
	require.NoError(t, err)
	stream, err := second.HTTP().Do(req)
	require.NoError(t, err)
	lines := bufio.NewReader(stream.Body)
	_, err = lines.ReadString('\n')
	require.NoError(t, err)
	require.NoError(t, noor.Do(ctx, http.MethodDelete, "/api/me/sessions", nil, nil))
	_, err = io.ReadAll(lines)
	require.NoError(t, err, "the stream ends with its session")
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, second.Get(ctx, "/api/staff", nil)).Status)

	require.Equal(t, "current", nichetest.Problem(t, noor.Put(ctx, "/api/me/password", desk.NewPassword{Proof: desk.Proof{Current: "wrong"}, Password: "yet another one"}, nil)).Errors[0].Field)
	require.NoError(t, noor.Put(ctx, "/api/me/password", desk.NewPassword{Proof: desk.Proof{Current: "a new password"}, Password: "yet another one"}, nil))
	require.NoError(t, noor.Get(ctx, "/api/me", &own))
	require.Len(t, own.Sessions, 1)
	d.Clock.Move(13 * time.Hour)
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, noor.Get(ctx, "/api/me", nil)).Status, "idle for too long")

	d.SignIn(d.Address)
	require.NoError(t, d.Do(ctx, http.MethodDelete, fmt.Sprintf("/api/administrators/%d", way.ID), nil, nil))
	require.Zero(t, d.Count("sessions WHERE administrator_id = 2"))
	require.Equal(t, []string{"added", "asked again", "came in", "changed", "changed the password", "removed"}, d.List("SELECT deed FROM trail WHERE kind = 'administrator' ORDER BY id"))
	require.Equal(t, "Noor", d.List("SELECT who FROM trail WHERE deed = 'changed' AND kind = 'administrator'")[0])
}

// A second factor is asked for once it is on, each code is taken once, and a recovery
// code is a way in without the device. The operator's way back in ends all of it.
func TestTheSecondFactor(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	var f desk.Factor
	require.NoError(t, d.Post(ctx, "/api/me/second-factor/new", nil, &f))
	require.True(t, strings.HasPrefix(f.Address, "otpauth://totp/") && strings.HasPrefix(f.Picture, "data:image/png;base64,"))
	code := func() string {
		c, err := totp.GenerateCode(f.Secret, d.Clock.Now())
		require.NoError(t, err)
		return c
	}
	var codes desk.RecoveryCodes
	proof := desk.FactorProof{Proof: desk.Proof{Current: nichetest.Password}, Secret: f.Secret, Code: "000000"}
	require.Equal(t, "code", nichetest.Problem(t, d.Put(ctx, "/api/me/second-factor", proof, nil)).Errors[0].Field)
	proof.Code = code()
	require.NoError(t, d.Put(ctx, "/api/me/second-factor", proof, &codes))
	require.Len(t, codes.Codes, 10)
	told := append(codes.Codes, f.Secret)
	in := func(code string) error {
		return demo.NewClient(d.Address).Post(ctx, "/api/session", desk.SignIn{Email: nichetest.Mail, Password: nichetest.Password, Code: code}, nil)
	}
	p := nichetest.Problem(t, in(""))
	require.True(t, p.Status == http.StatusUnauthorized && p.AsksCode)
	require.Error(t, in(code()), "the code that confirmed it was used")
	d.Clock.Move(time.Minute)
	now := code()
	require.NoError(t, in(now[:3]+" "+now[3:]))
	require.Error(t, in(now), "twice")
	require.NoError(t, in(strings.ToLower(codes.Codes[3])))
	require.Error(t, in(codes.Codes[3]), "twice")
	var own desk.Security
	require.NoError(t, d.Get(ctx, "/api/me", &own))
	require.Equal(t, 9, own.CodesLeft)
	require.NoError(t, d.Post(ctx, "/api/me/recovery-codes", desk.Proof{Current: nichetest.Password}, &codes))

	var out bytes.Buffer
	program := nichetest.Program(t)
	cmd := nichetest.Command(t, program, "admin", "reset", nichetest.Mail, "--data", d.Data)
	cmd.Stdout = &out
	require.NoError(t, cmd.Run())
	path := out.String()[strings.Index(out.String(), "/enter/"):]
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, d.Get(ctx, "/api/me", nil)).Status)
	require.Error(t, in(codes.Codes[0]))
	back := demo.NewClient(d.Address)
	require.NoError(t, back.Post(ctx, "/api/ways-in/"+strings.TrimSpace(strings.TrimPrefix(path, "/enter/")), desk.Entering{Password: "a way back in"}, nil))
	require.NoError(t, back.Get(ctx, "/api/me", &own))
	require.False(t, own.SecondFactor)
	require.Equal(t, []string{"the operator", "the operator"}, d.List("SELECT who FROM trail WHERE role = 'operator' ORDER BY id"))
	for _, secret := range told { // last: a file that is closed takes the locks of this process with it
		require.Empty(t, nichetest.Grep(t, d.Data, secret, strings.ReplaceAll(secret, "-", "")), "nothing of it lies open on the disk")
	}
}

// With another key for secrets one-time codes cannot be checked; that is said, and a
// recovery code still signs in.
func TestASecondFactorOfAnotherKeyIsToldSo(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	var f desk.Factor
	require.NoError(t, d.Post(ctx, "/api/me/second-factor/new", nil, &f))
	code := func() string {
		c, err := totp.GenerateCode(f.Secret, d.Clock.Now())
		require.NoError(t, err)
		return c
	}
	var codes desk.RecoveryCodes
	require.NoError(t, d.Put(ctx, "/api/me/second-factor", desk.FactorProof{Proof: desk.Proof{Current: nichetest.Password}, Secret: f.Secret, Code: code()}, &codes))
	require.NoError(t, d.Niche.Stop())
	require.NoError(t, os.Remove(filepath.Join(d.Data, "keys", "secrets.key")))
	n, err := serve.Start(serve.Settings{Listen: "127.0.0.1:0", Data: d.Data, NewKey: true, Unlimited: true, Log: nichetest.Quiet(t), Now: d.Clock.Now})
	require.NoError(t, err)
	d.Niche = n // which the desk stops at the end
	in := func(code string) error {
		return demo.NewClient(n.Address).Post(ctx, "/api/session", desk.SignIn{Email: nichetest.Mail, Password: nichetest.Password, Code: code}, nil)
	}
	d.Clock.Move(time.Minute)
	require.Contains(t, nichetest.Problem(t, in(code())).Detail, "Niche's key for secrets is another one")
	require.NoError(t, in(codes.Codes[0]))
}

// Everything that the desk changes leaves a line, in the same transaction, with what was
// before; a change that is refused leaves none, and secrets are in none.
func TestTheTrailTellsWhoChangedWhat(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	ctx := t.Context()
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	d.AddResource("Room one", "room")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Length, f.Notice = 90, desk.Before(240) }))
	require.NoError(t, d.Change(ctx, "/api/closures", desk.Closures{Items: []api.Closure{{Date: "2026-03-17", Name: "Feast"}}}, nil))
	require.NoError(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d/days", d.Staff.ID), api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{{From: "2026-04-01", Until: "2026-04-03"}}}, nil))
	require.NoError(t, d.Change(ctx, "/api/settings", desk.BusinessSettings{Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin", Clock: "12", Order: "ymd"}, Ahead: 7}, nil))
	b, err := d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	_, err = d.Move(b, "2026-03-05T10:00:00Z")
	require.NoError(t, err)
	require.NoError(t, d.Put(ctx, "/api/resources/1/archive", desk.Archiving{Archived: true}, nil))
	lines := d.Count("trail")
	require.Error(t, d.Change(ctx, "/api/settings", desk.BusinessSettings{Business: desk.Business{Name: "Other", Zone: "Nowhere", Clock: "12", Order: "ymd"}, Ahead: 7}, nil))
	require.Error(t, d.Post(ctx, "/api/staff", desk.StaffFields{Name: d.Staff.Name, Zone: "UTC"}, nil))
	require.Equal(t, lines, d.Count("trail"))

	read := func(query string) (out api.List[desk.TrailEntry]) {
		require.NoError(t, d.Get(ctx, "/api/trail?"+query, &out))
		return out
	}
	all := read("")
	var deeds []string
	for _, e := range all.Items {
		deeds = append(deeds, e.Who+" "+e.Deed+" "+e.Kind)
		require.NotEmpty(t, e.Words)
	}
	require.Equal(t, []string{"Ada archived resource", "a client moved booking", "a client took booking", "Ada changed settings", "Ada changed days", "Ada changed closures", "Ada changed service", "Ada added resource",
		"Ada chose for calendar", "Ada chose for calendar", "Bryn Castellane linked link", "Bryn Castellane came in staff", "Ada invited staff", "Ada added service", "Ada changed hours", "Ada added staff", "Ada set up settings"}, deeds)
	length := read(fmt.Sprintf("kind=service&thing=%d&deed=changed", d.Service.ID)).Items[0]
	require.Equal(t, []desk.TrailChange{{Field: "length", From: 60.0, To: 90.0}, {Field: "notice", From: "until it starts", To: "until 4 h before it starts"}}, length.Changes)
	require.Equal(t, "127.0.0.1", length.Network)
	require.Equal(t, []desk.TrailChange{{Field: "2026-03-17", To: "Feast"}}, read("kind=closures").Items[0].Changes)
	require.Len(t, read(fmt.Sprintf("kind=staff,hours,days,link,calendar&thing=%d", d.Staff.ID)).Items, 8)
	require.Empty(t, read("to=2026-03-01").Items)
	older := read(fmt.Sprintf("before=%d", all.Items[3].ID))
	require.Equal(t, all.Items[4:], older.Items)
	require.Zero(t, d.Count("trail WHERE changes || name LIKE '%"+nichetest.Key+"%'"))
	res, err := d.HTTP().Get(d.Address + "/api/trail/export?format=csv&kind=service")
	require.NoError(t, err)
	text, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.Equal(t, 3, strings.Count(string(text), "\r\n"))
	require.Contains(t, string(text), "Home tuning")
}
