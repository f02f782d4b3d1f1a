package serve_test

import (
	"fmt"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/standin/mailbox"
)

// home is where the mails of a test lead.
const home = "https://desk.example"

// post is a desk from which mail goes out.
type post struct {
	*nichetest.Desk
	box  *mailbox.Box
	host string
	port int
}

func openPost(t *testing.T, hosts ...string) post {
	box, host, port := nichetest.OpenMailbox(t)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Home = home }, nil, append(hosts, fmt.Sprintf("%s:%d", host, port))...)
	p := post{d, box, host, port}
	path := fmt.Sprintf("/api/staff/%d", d.Staff.ID)
	require.NoError(t, d.Change(t.Context(), path, desk.StaffFields{Name: d.Staff.Name, Email: nichetest.User, Zone: d.Staff.Zone}, &d.Staff))
	require.NoError(t, d.Change(t.Context(), "/api/mail", p.server(), nil))
	return p
}

func (p post) server() desk.MailEntry {
	return desk.MailEntry{MailFields: desk.MailFields{Host: p.host, Port: p.port, Security: "none", Sender: "desk@workshop.example", SenderName: "The Workshop"}}
}

func (p post) ask() error {
	return p.Post(p.T.Context(), fmt.Sprintf("/api/staff/%d/invitation", p.Staff.ID), desk.Asking{ByMail: true}, nil)
}

// lately are the messages, the newest first, as "sent Link your calendar …".
func (p post) lately() (states []string) {
	var m desk.MailNow
	require.NoError(p.T, p.Get(p.T.Context(), "/api/mail", &m))
	for _, s := range m.Lately {
		states = append(states, strings.TrimSpace(s.State+" "+s.Error))
	}
	return states
}

// until waits until the newest message stands as is said.
func (p post) until(state string) {
	p.Until("the newest message: "+state, func() bool {
		list := p.lately()
		return len(list) > 0 && strings.HasPrefix(list[0], state)
	})
}

// token is what the address in the newest mail ends with.
func (p post) token() string {
	mails := p.box.Mails()
	require.NotEmpty(p.T, mails)
	links := mails[0].Read().Links
	require.Len(p.T, links, 1)
	require.True(p.T, strings.HasPrefix(links[0], home), links[0])
	return links[0][strings.LastIndex(links[0], "/")+1:]
}

// An invitation goes out by mail, once, whatever the mail server does; what it says is
// known to nobody else, and is not sent once it has been overtaken.
func TestAnInvitationGoesByMail(t *testing.T) {
	for _, c := range []struct {
		name  string
		mood  mailbox.Mood
		story func(t *testing.T, p post)
		want  []string
		mails int
	}{
		{"taken", mailbox.Takes, func(*testing.T, post) {}, []string{"sent"}, 1},
		{"refused for now", mailbox.Later, func(_ *testing.T, p post) {
			p.until("waiting The mail server refuses this address")
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"sent"}, 1},
		{"refused for good", mailbox.Refuses, func(_ *testing.T, p post) {}, []string{"refused The mail server refuses this address: No such mailbox here"}, 0},
		{"the sender is not let", mailbox.BadSender, func(_ *testing.T, p post) {
			p.until("waiting The mail server does not let mail come from this sender")
			p.box.Behave(mailbox.Takes)
			require.NoError(p.T, p.Change(p.T.Context(), "/api/mail", p.server(), nil), "which sends what waits")
		}, []string{"sent"}, 1},
		{"asked again before it went out", mailbox.Later, func(t *testing.T, p post) {
			p.until("waiting The")
			require.NoError(t, p.ask())
			p.until("waiting The")
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"sent", "overtaken"}, 1},
		{"withdrawn before it went out", mailbox.Later, func(t *testing.T, p post) {
			p.until("waiting The")
			require.NoError(t, p.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/staff/%d/invitation", p.Staff.ID), nil, nil))
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"overtaken"}, 0},
		{"it has ended before it went out", mailbox.Later, func(t *testing.T, p post) {
			p.until("waiting The")
			p.box.Behave(mailbox.Takes)
			p.Pass(8 * 24 * time.Hour)
			p.SignIn(p.Niche.Address)
		}, []string{"overtaken"}, 0},
		{"killed while it waits", mailbox.Later, func(t *testing.T, p post) {
			p.until("waiting The")
			p.Restart(nichetest.Nothing, func(*serve.Settings) {})
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"sent"}, 1},
		{"the connection breaks after it was taken", mailbox.BreaksOff, func(t *testing.T, p post) {
			p.until("waiting The")
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"sent"}, 2},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			p := openPost(t)
			p.box.Behave(c.mood)
			require.NoError(t, p.ask())
			c.story(t, p)
			p.until(c.want[0])
			require.Equal(t, c.want, p.lately())
			mails := p.box.Mails()
			require.Len(t, mails, c.mails)
			if c.mails == 0 {
				return
			}
			m := mails[0].Read()
			require.Equal(t, mails[len(mails)-1].Read().ID, m.ID, "however often it comes, it is one mail")
			require.Equal(t, "Link your calendar: Workshop", m.Subject)
			require.Equal(t, []string{"text/plain", "text/html"}, []string{m.Parts[0].Type, m.Parts[1].Type})
			require.Contains(t, m.Parts[0].Text, "Hello Bryn,")
			token := p.token()
			var who member.Invitation
			require.NoError(t, demo.NewClient(p.Niche.Address).Get(t.Context(), "/api/invitations/"+token, &who))
			require.Equal(t, "Bryn Castellane", who.Name)
			for _, file := range []string{"niche.db", "niche.db-wal"} {
				data, err := os.ReadFile(filepath.Join(p.Data, file))
				require.NoError(t, err)
				require.NotContains(t, string(data), token)
			}
			require.Zero(t, p.Count("messages WHERE text IS NOT NULL AND text <> ''"))
		})
	}
}

// A staff member is told when their key is no longer taken, when something of theirs lies
// on a visit, and when a copy was changed: once a day, and with no word of what it is.
func TestStaffAreToldWhatConcernsThem(t *testing.T) {
	cloud, host := nichetest.OpenCloud(t, nil)
	p := openPost(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	_, err := p.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	p.Until("the copy is outside", func() bool { return p.Copies("2026-03-04") == "read back" })
	told := func(subject string) mailbox.Read {
		var m mailbox.Read
		p.Until(subject, func() bool {
			mails := p.box.Mails()
			if len(mails) > 0 {
				m = mails[0].Read()
			}
			return strings.HasPrefix(m.Subject, subject) && p.lately()[0] == "sent"
		})
		return m
	}
	nichetest.Add(t, cloud, "family", "Secret dentist", "2026-03-04 10:30", "2026-03-04 11:30")
	m := told("Something lies on a visit")
	require.Contains(t, m.Parts[0].Text, "In your calendar “Family”, something takes 10:30–11:30 on Wed 4 Mar. At that time you have a visit: Home tuning, 10:00–11:00 on Wed 4 Mar.")
	require.NotContains(t, string(m.Raw), "dentist")

	look := nichetest.Look(t, host)
	look.Change("Work", look.Events("Work")[0], "Rosa Osei", "Rosa O")
	m = told("Which holds?")
	require.Contains(t, m.Parts[0].Text, "It was changed outside: its title is another.")
	require.Equal(t, home+"/my?date=2026-03-04", m.Links[0])
	look.Change("Work", look.Events("Work")[0], "Rosa O", "Rosa")
	look.Change("Work", look.Events("Work")[0], "T110000", "T113000")
	p.Until("it is noted", func() bool {
		return strings.Contains(p.Wall("2026-03-04").Lanes[0].Visits[0].CopyNote, "it lies at 10:00–11:30")
	})
	before := len(p.box.Mails())

	cloud.SetPassword(nichetest.User, "another")
	m = told("Sign in again at")
	require.Equal(t, home+"/my/calendars", m.Links[0])
	require.Len(t, p.box.Mails(), before+1, "the copy was told of today, and both calendars are of one key")

	// A day later the mail server is out of order; before it is well again, so is the link.
	p.box.Behave(mailbox.Later)
	p.Pass(25 * time.Hour)
	p.SignIn(p.Niche.Address)
	p.until("waiting The mail server")
	require.NoError(t, p.Own(p.Staff.ID).Post(t.Context(), fmt.Sprintf("/api/my/links/%d/key", p.Links()[0].ID), api.Renewal{Password: "another"}, nil))
	p.Until("it is read again", func() bool { return p.Pulse("Family").State == "fresh" && p.Pulse("Work").State == "fresh" })
	p.box.Behave(mailbox.Takes)
	p.Pass(2 * time.Hour)
	p.Until("nothing waits", func() bool { return p.Count("messages WHERE state = 'waiting'") == 0 })
	for _, m := range p.box.Mails()[:len(p.box.Mails())-before-1] {
		require.NotContains(t, m.Read().Subject, "Sign in again", "what is no more so is not told")
	}
}

// A staff member comes in by a one-time address: once, within a quarter of an hour, in
// the browser in which they asked. Whether a mail address is anybody's is told nobody.
func TestComingInByMail(t *testing.T) {
	p := openPost(t)
	ctx := t.Context()
	asks := func(mail string) *demo.Client {
		c := demo.NewClient(p.Niche.Address)
		require.NoError(t, c.Post(ctx, "/api/my/asked", member.AskingIn{Email: mail}, nil))
		return c
	}
	in := func(c *demo.Client, token string) int {
		if err := c.Post(ctx, "/api/my/session/"+token, nil, nil); err != nil {
			return nichetest.Problem(t, err).Status
		}
		return http.StatusCreated
	}
	asks("nobody@workshop.example")
	me := asks(strings.ToUpper(p.Staff.Email))
	p.until("sent")
	require.Len(t, p.box.Mails(), 1)
	token := p.token()
	require.Equal(t, http.StatusConflict, in(asks("nobody@workshop.example"), token), "another browser")
	require.Equal(t, http.StatusCreated, in(me, token))
	require.NoError(t, me.Get(ctx, "/api/my", nil))
	require.Equal(t, http.StatusNotFound, in(me, token), "it is used up")

	elsewhere := demo.NewClient(p.Niche.Address)
	require.NoError(t, elsewhere.Post(ctx, "/api/invitations/"+invited(t, p.Desk, p.Staff.ID), nil, nil))
	var sessions api.List[api.OwnSession]
	require.NoError(t, me.Get(ctx, "/api/my/sessions", &sessions))
	require.Len(t, sessions.Items, 2)
	require.NoError(t, me.Do(ctx, http.MethodDelete, "/api/my/sessions", nil, nil))
	require.Equal(t, http.StatusUnauthorized, nichetest.Problem(t, elsewhere.Get(ctx, "/api/my", nil)).Status, "all others are ended")
	require.NoError(t, me.Get(ctx, "/api/my", nil))

	late := asks(p.Staff.Email)
	p.until("sent")
	token = p.token()
	p.Pass(16 * time.Minute)
	require.Equal(t, http.StatusNotFound, in(late, token), "it has ended")
	before := len(p.box.Mails())
	for range 5 {
		asks(p.Staff.Email)
		p.until("sent")
	}
	require.Len(t, p.box.Mails(), before+3, "who asks and asks fills nobody's mailbox")
	settled := func() { // before time goes on, for what waits so long is overtaken
		p.Until("nothing waits", func() bool { return p.Count("messages WHERE state = 'waiting'") == 0 })
	}
	for range 20 { // not in the course of a day either
		p.Pass(16 * time.Minute)
		asks(p.Staff.Email)
		settled()
	}
	require.Equal(t, 12, p.Count("one_times"))
	p.Pass(25 * time.Hour)
	p.SignIn(p.Niche.Address)
	me = asks(p.Staff.Email)
	settled()
	require.Equal(t, 1, p.Count("one_times"), "of those of before nothing is left")

	d := p.Do(ctx, http.MethodPut, fmt.Sprintf("/api/staff/%d/archive", p.Staff.ID), desk.Archiving{Archived: true}, nil)
	require.NoError(t, d)
	require.Equal(t, http.StatusNotFound, in(me, p.token()), "who is not in use does not come in")
}

// A trial shows what was said, and each fault of a mail server by its name; nothing is
// kept of it.
func TestATrialShowsTheWholeConversation(t *testing.T) {
	p := openPost(t)
	deaf, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	require.NoError(t, deaf.Close())
	for _, c := range []struct {
		name   string
		mood   mailbox.Mood
		change func(e *desk.MailEntry)
		fault  string
		field  string
	}{
		{"good", mailbox.Takes, func(*desk.MailEntry) {}, "", ""},
		{"no address of a sender", mailbox.Takes, func(e *desk.MailEntry) { e.Sender = "desk" }, "", "sender"},
		{"a password in the open", mailbox.Takes, func(e *desk.MailEntry) { e.Username, e.Password = "desk", "secret-of-mail" }, "", "security"},
		{"no password", mailbox.Takes, func(e *desk.MailEntry) { e.Username, e.Security = "desk", "tls" }, "", "password"},
		{"no STARTTLS", mailbox.Takes, func(e *desk.MailEntry) { e.Security = "starttls" }, "The mail server offers no STARTTLS at this port.", ""},
		{"nobody there", mailbox.Takes, func(e *desk.MailEntry) { e.Port = deaf.Addr().(*net.TCPAddr).Port }, "The mail server lies in this server's own network.", ""},
		{"refused", mailbox.Refuses, func(*desk.MailEntry) {}, "The mail server refuses this address: No such mailbox here", ""},
		{"the sender", mailbox.BadSender, func(*desk.MailEntry) {}, "The mail server does not let mail come from this sender: Sender address rejected", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			p.box.Behave(c.mood)
			e := p.server()
			c.change(&e)
			var got desk.MailTrial
			err := p.Post(t.Context(), "/api/mail/trial", e, &got)
			if c.field != "" {
				require.Equal(t, c.field, nichetest.Problem(t, err).Errors[0].Field)
				return
			}
			require.NoError(t, err)
			require.Equal(t, c.fault == "", got.Sent)
			require.True(t, strings.HasPrefix(got.Fault, c.fault), got.Fault)
			require.Equal(t, nichetest.Mail, got.To)
			if c.name == "good" {
				said := fmt.Sprint(got.Lines)
				for _, word := range []string{"EHLO desk.example", "MAIL FROM:<desk@workshop.example>", "RCPT TO:<" + nichetest.Mail + ">", "250"} {
					require.Contains(t, said, word)
				}
				require.Equal(t, "A trial message from Niche", p.box.Mails()[0].Read().Subject)
			}
		})
	}
	require.Empty(t, p.lately())
}
