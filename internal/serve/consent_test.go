package serve_test

import (
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"net/url"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/standin"
)

// consenting is a desk with a host at which people sign in, and one who has come in.
type consenting struct {
	*nichetest.Desk
	cloud *standin.Cloud
	host  *httptest.Server
	me    *demo.Client
	at    desk.CalendarHost
}

// registered is how Niche is known at the host.
var registered = standin.Client{ID: "niche", Secret: "client-secret+/%", Redirects: []string{home + "/signed-in"}}

func openConsenting(t *testing.T, guard func(http.Handler) http.Handler) *consenting {
	cloud, host := nichetest.OpenCloud(t, guard)
	cloud.Register(registered)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Home = home }, nil, nichetest.HostOf(host))
	c := &consenting{Desk: d, cloud: cloud, host: host, me: demo.NewClient(d.Niche.Address)}
	require.NoError(t, c.me.Post(t.Context(), "/api/invitations/"+invited(t, d, d.Staff.ID), nil, nil))
	require.NoError(t, d.Post(t.Context(), "/api/hosts", c.entry(), &c.at))
	return c
}

func (c *consenting) entry() desk.HostEntry {
	return desk.HostEntry{HostFields: api.HostFields{Name: "Cloudlet", Address: c.host.URL, Domains: []string{}}, ClientSecret: registered.Secret,
		SignIn: desk.SignInFields{ClientID: registered.ID, Issuer: c.host.URL, TellsIssuer: true, Authorize: c.host.URL + "/authorize", Token: c.host.URL + "/token",
			Revoke: c.host.URL + "/revoke", Scopes: []string{standin.Scope, standin.Offline}}}
}

// away sends somebody to the host, and returns the address there.
func (c *consenting) away(who *demo.Client, of any) string {
	var to api.Away
	require.NoError(c.T, who.Post(c.T.Context(), fmt.Sprintf("/api/my/hosts/%d/sign-in?link=%v", c.at.ID, of), nil, &to))
	return to.Address
}

// consents does at the host what its person does, and returns what the browser brings
// back, or what the host's own page says.
func (c *consenting) consents(address, do string) (back api.Returned, page string) {
	u, err := url.Parse(address)
	require.NoError(c.T, err)
	form := u.Query()
	form.Set("do", do)
	form.Set("user", nichetest.User)
	stays := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	res, err := stays.PostForm(c.host.URL+u.Path, form)
	require.NoError(c.T, err)
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusSeeOther {
		text, err := io.ReadAll(res.Body)
		require.NoError(c.T, err)
		return back, string(text)
	}
	to, err := res.Location()
	require.NoError(c.T, err)
	require.True(c.T, strings.HasPrefix(to.String(), home+"/signed-in?"))
	q := to.Query()
	return api.Returned{Code: q.Get("code"), State: q.Get("state"), Issuer: q.Get("iss"), Error: q.Get("error"), Description: q.Get("error_description")}, ""
}

func (c *consenting) comes(who *demo.Client, back api.Returned) (came api.Came, status int) {
	if err := who.Post(c.T.Context(), "/api/signed-in", back, &came); err != nil {
		return came, nichetest.Problem(c.T, err).Status
	}
	return came, http.StatusOK
}

func (c *consenting) links() []api.Link {
	var l api.List[api.Link]
	require.NoError(c.T, c.me.Get(c.T.Context(), "/api/my/links", &l))
	return l.Items
}

// linked is the one link, whose calendar Work gets bookings and blocks.
func (c *consenting) linked() api.Link {
	back, _ := c.consents(c.away(c.me, 0), "allow")
	came, status := c.comes(c.me, back)
	require.Equal(c.T, http.StatusOK, status)
	require.Empty(c.T, came.Fault)
	l := c.links()[0]
	for _, cal := range l.Calendars {
		if cal.Name == "Work" {
			cal.Blocks, cal.GetsBookings = true, true
			require.NoError(c.T, c.me.Save(c.T.Context(), fmt.Sprintf("/api/my/calendars/%d", cal.ID), cal.Version, cal.Choice, nil))
		}
	}
	return l
}

// A staff member signs in at the host: what they bring back works once, for them, in the
// session in which they went, and only if it is this host's.
func TestWhatComesBackFromAHost(t *testing.T) {
	for _, c := range []struct {
		name   string
		change func(c *consenting, e *desk.HostEntry)
		do     string
		bring  func(c *consenting, back *api.Returned)
		fault  string
		status int
	}{
		{"consent", nil, "allow", nil, "", 200},
		{"refusal", nil, "refuse", nil, "You did not consent at the host", 200},
		{"a state that is made up", nil, "allow", func(_ *consenting, b *api.Returned) { b.State = "made-up" }, "", 409},
		{"a code that is made up", nil, "allow", func(_ *consenting, b *api.Returned) { b.Code = "made-up" }, "The host does not take the code", 200},
		{"another host's answer", nil, "allow", func(_ *consenting, b *api.Returned) { b.Issuer = "https://other.example" }, "The answer came from another host", 200},
		{"an answer that does not say whose it is", nil, "allow", func(_ *consenting, b *api.Returned) { b.Issuer = "" }, "The answer came from another host", 200},
		{"too late for the host", nil, "allow", func(c *consenting, _ *api.Returned) {
			c.cloud.Withdraw(nichetest.User)
		}, "The host does not take the code", 200},
		{"too late for us", nil, "allow", func(c *consenting, _ *api.Returned) { c.Pass(11 * time.Minute) }, "", 409},
		{"the secret is wrong", func(_ *consenting, e *desk.HostEntry) { e.ClientSecret = "wrong" }, "allow", nil, "The host does not accept the client id and secret", 200},
		{"a scope that is none", func(_ *consenting, e *desk.HostEntry) { e.SignIn.Scopes = []string{"everything"} }, "allow", nil, "The host does not know or allow a scope", 200},
		{"the scope of calendars is missing", func(_ *consenting, e *desk.HostEntry) { e.SignIn.Scopes = []string{standin.Offline} }, "allow", nil, "The host let you in, but not to calendars", 200},
		{"the scope to stay in is missing", func(_ *consenting, e *desk.HostEntry) { e.SignIn.Scopes = []string{standin.Scope} }, "allow", nil, "The host let you in for a short while only", 200},
		{"tokens are had elsewhere", func(c *consenting, e *desk.HostEntry) { e.SignIn.Token = c.host.URL + "/nowhere" }, "allow", nil, "The host does not let anybody in", 200},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			o := openConsenting(t, nil)
			if c.change != nil {
				e := o.entry()
				c.change(o, &e)
				require.NoError(t, o.Client.Save(t.Context(), fmt.Sprintf("/api/hosts/%d", o.at.ID), o.at.Version, e, nil))
			}
			back, _ := o.consents(o.away(o.me, 0), c.do)
			if c.bring != nil {
				c.bring(o, &back)
			}
			came, status := o.comes(o.me, back)
			require.Equal(t, c.status, status)
			require.True(t, strings.HasPrefix(came.Fault, c.fault), came.Fault)
			if c.fault != "" || status != 200 {
				require.Empty(t, o.links())
				return
			}
			require.Empty(t, came.Fault)
			require.Empty(t, came.Steps, "what came back is for administrators")
			require.Equal(t, nichetest.User, o.links()[0].Username)
			require.True(t, o.links()[0].ByConsent)
			_, again := o.comes(o.me, back)
			require.Equal(t, http.StatusConflict, again, "it works once")
		})
	}
	t.Run("in another's browser", func(t *testing.T) {
		o := openConsenting(t, nil)
		other := demo.NewClient(o.Niche.Address)
		require.NoError(t, other.Post(t.Context(), "/api/invitations/"+invited(t, o.Desk, o.AddStaff("Cleo")), nil, nil))
		back, _ := o.consents(o.away(other, 0), "allow")
		_, status := o.comes(o.me, back)
		require.Equal(t, http.StatusConflict, status, "nobody is made to link another's account")
		_, status = o.comes(demo.NewClient(o.Niche.Address), back)
		require.Equal(t, http.StatusUnauthorized, status)
		came, status := o.comes(other, back)
		require.Equal(t, []any{http.StatusOK, ""}, []any{status, came.Fault})
	})
}

// Tokens end and are followed by others, once for all who want them; one that is lost, or
// a consent that is withdrawn, asks for renewal, which finds everything as it was; a host
// that is out of order does not.
func TestALinkByConsentStaysAlive(t *testing.T) {
	trouble := &nichetest.Trouble{}
	o := openConsenting(t, trouble.Guard)
	l := o.linked()
	// Time passes while it is waited: whoever rests, or failed a moment ago, tries again.
	state := func(want string) func() bool {
		return func() bool {
			o.Pass(11 * time.Minute)
			return o.Pulse("Work").State == want
		}
	}
	fresh := func() bool { return o.Pulse("Work").State == "fresh" }
	o.Until("it is read", fresh)
	_, err := o.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	o.Until("the copy is outside", func() bool { return o.Copies("2026-03-04") == "read back" })

	var asked atomic.Int32
	answers := func(status int) {
		trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
			if r.URL.Path != "/token" {
				return nichetest.Fault{}
			}
			asked.Add(1)
			return nichetest.Fault{Status: status, Unasked: status != 0}
		})
	}
	answers(0)
	o.Pass(2 * time.Hour)
	var wait sync.WaitGroup
	for i := range 4 { // the reading, the list of calendars and writes want one at the same time
		wait.Go(func() { _, _ = o.Book(fmt.Sprintf("2026-03-05T1%d:00:00Z", i)) })
	}
	wait.Wait()
	o.Until("it is read again", fresh)
	require.EqualValues(t, 1, asked.Load())

	// The host is out of order: that is no end of a consent.
	answers(http.StatusServiceUnavailable)
	o.Pass(2 * time.Hour)
	o.Until("it cannot be reached", state("unreachable"))
	answers(0)
	o.Pass(time.Hour)
	o.Until("it is read once more", state("fresh"))

	// It is slow: a client is not kept waiting, and what it gives in the end is not lost.
	hold, sent := make(chan struct{}), make(chan struct{}, 9)
	trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
		if r.URL.Path != "/token" {
			return nichetest.Fault{}
		}
		asked.Add(1)
		return nichetest.Fault{Carried: func() { sent <- struct{}{} }, Wait: hold}
	})
	asked.Store(0)
	o.Pass(2 * time.Hour)
	<-sent // the host has given another token, and the answer is on its way
	_, err = o.Book("2026-03-06T10:00:00Z")
	require.Contains(t, nichetest.Problem(t, err).Detail, "cannot be confirmed at the moment", "the last look ends in time")
	close(hold)
	o.Until("it goes on", fresh)
	require.EqualValues(t, 1, asked.Load())
	answers(0)

	o.cloud.Withdraw(nichetest.User)
	o.Pass(2 * time.Hour)
	o.Until("it is refused", state("refused"))
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, o.me.Post(t.Context(), fmt.Sprintf("/api/my/links/%d/key", l.ID), api.Renewal{Password: "x"}, nil)).Status)
	back, _ := o.consents(o.away(o.me, l.ID), "allow")
	came, _ := o.comes(o.me, back)
	require.Empty(t, came.Fault)
	o.Until("it is renewed in place", state("fresh"))
	require.Equal(t, l.ID, o.links()[0].ID)

	require.NotZero(t, o.cloud.Consents(nichetest.User))
	require.NoError(t, o.me.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/my/links/%d?copies=leave", l.ID), nil, nil))
	require.Zero(t, o.cloud.Consents(nichetest.User), "the tokens are given back")
}

// An administrator tries a host: each step is told, with what came back and without
// secrets, and nothing is kept. The description of a host is looked up, and not believed
// where it is another's.
func TestAHostIsTried(t *testing.T) {
	o := openConsenting(t, nil)
	ctx := t.Context()
	var to api.Away
	require.NoError(t, o.Post(ctx, fmt.Sprintf("/api/hosts/%d/trial", o.at.ID), nil, &to))
	back, _ := o.consents(to.Address, "allow")
	came, _ := o.comes(o.Desk.Client, back)
	require.Empty(t, came.Fault)
	require.True(t, came.Tried)
	said := ""
	for _, s := range came.Steps {
		require.True(t, s.Good, s.Doing)
		said += s.Doing + "\n" + s.Raw + "\n"
	}
	for _, word := range []string{"code=…", "iss=" + o.host.URL, "200 OK", `"access_token": "…"`, `"scope": "calendars offline_access"`, "Account " + nichetest.User, "Birthdays (read-only)"} {
		require.Contains(t, said, word)
	}
	require.NotContains(t, said, back.Code)
	require.Empty(t, o.links())
	require.Zero(t, o.cloud.Consents(nichetest.User), "what was given for the trial is given back")
	require.NotEmpty(t, came.Notes, "the host's clock is far from that of the test")

	other := registered
	other.Redirects = []string{home + "/elsewhere"}
	o.cloud.Register(other)
	require.NoError(t, o.Post(ctx, fmt.Sprintf("/api/hosts/%d/trial", o.at.ID), nil, &to))
	_, page := o.consents(to.Address, "allow")
	require.Contains(t, page, home+"/signed-in is not registered")

	var found desk.SignInFields
	require.NoError(t, o.Post(ctx, "/api/hosts/metadata", desk.Issuer{Issuer: o.host.URL}, &found))
	want := o.entry().SignIn
	want.ClientID = ""
	require.Equal(t, want, found)
	require.Equal(t, "signIn.issuer", nichetest.Problem(t, o.Post(ctx, "/api/hosts/metadata", desk.Issuer{Issuer: o.host.URL + "/"}, nil)).Errors[0].Field)
	require.NotContains(t, fmt.Sprint(o.List("SELECT changes FROM trail")), registered.Secret)
}
