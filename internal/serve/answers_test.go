package serve_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net"
	"net/smtp"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"
	"time"

	lmtp "github.com/emersion/go-smtp"
	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/serve"
)

// openHearing opens a desk to which mail that comes back is brought.
func openHearing(t *testing.T, lmtp bool) post {
	box, host, port := nichetest.OpenMailbox(t)
	d := nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Home, s.Answers, s.LMTP = home, "127.0.0.1:0", lmtp }, nil, fmt.Sprintf("%s:%d", host, port))
	p := post{d, box, host, port}
	server := p.server()
	server.Answers = "answers@workshop.example"
	require.NoError(t, d.Change(t.Context(), "/api/mail", server, nil))
	return p
}

// invite is the invitation in the newest mail, without its folds.
func (p post) invite() string { return strings.ReplaceAll(p.inviteOf(0), "\r\n ", "") }

// inviteOf is the invitation in a mail, the newest first.
func (p post) inviteOf(n int) string {
	for _, part := range p.box.Mails()[n].Read().Parts {
		if part.Type == "text/calendar" {
			return part.Text
		}
	}
	require.Fail(p.T, "there is no invitation")
	return ""
}

// reply is the answer that a mail program makes of an invitation.
func reply(invite, method, partStat string, change ...string) string {
	who := regexp.MustCompile(`(?m)^ATTENDEE[^:]*:(.*?)\r$`).FindStringSubmatch(invite)[1]
	lines := []string{"BEGIN:VCALENDAR", "PRODID:-//A mail program//EN", "VERSION:2.0", "METHOD:" + method, "BEGIN:VEVENT", "UID:" + field(invite, "UID"), "SEQUENCE:" + field(invite, "SEQUENCE"),
		"DTSTAMP:20260302T100000Z", "ORGANIZER:" + organizer(invite), "ATTENDEE;PARTSTAT=" + partStat + ":" + who, "END:VEVENT", "END:VCALENDAR", ""}
	return strings.NewReplacer(change...).Replace(strings.Join(lines, "\r\n"))
}

func organizer(invite string) string {
	return regexp.MustCompile(`(?m)^ORGANIZER[^:]*:(.*?)\r$`).FindStringSubmatch(invite)[1]
}

// letter is a mail with one part.
func letter(kind, body string) string {
	return "From: rosa@clients.example\r\nSubject: Re\r\nMIME-Version: 1.0\r\nContent-Type: multipart/mixed; boundary=b\r\n\r\n--b\r\nContent-Type: text/plain\r\n\r\nIt says so.\r\n--b\r\nContent-Type: " + kind + "\r\n\r\n" + body + "\r\n--b--\r\n"
}

// bring brings a mail to an address, as a mail server does.
func (p post) bring(to, mail string) error {
	return smtp.SendMail(p.Niche.Answers, nil, "rosa@clients.example", []string{to}, []byte(mail))
}

const calendarReply = `text/calendar; method=REPLY; charset=utf-8`

// What comes back is believed only from who was asked, about the invitation that is out.
func TestAnswersToInvitations(t *testing.T) {
	failed := "Reporting-MTA: dns; mx.clients.example\r\n\r\nFinal-Recipient: rfc822; rosa@clients.example\r\nAction: failed\r\nStatus: 5.1.1\r\nDiagnostic-Code: smtp; 550 No such person\r\n"
	for _, c := range []struct {
		name   string
		mail   func(p post, invite string) string
		coming string // what the desk says
		wish   string
		item   string // in Attention
	}{
		{"coming", func(_ post, i string) string { return letter(calendarReply, reply(i, "REPLY", "ACCEPTED")) }, "coming, answered Mon 2 Mar, 08:00", "", ""},
		{"perhaps, with a word", func(_ post, i string) string {
			return letter(calendarReply, reply(i, "REPLY", "TENTATIVE", "DTSTAMP", "COMMENT:I may be late\r\nDTSTAMP"))
		}, "perhaps coming, answered Mon 2 Mar, 08:00: “I may be late”", "", ""},
		{"not coming", func(_ post, i string) string { return letter(calendarReply, reply(i, "REPLY", "DECLINED")) }, "not coming, answered Mon 2 Mar, 08:00", "", "Rosa Osei does not come"},
		{"another time", func(_ post, i string) string {
			return letter("text/calendar; method=COUNTER", reply(i, "COUNTER", "TENTATIVE", "DTSTAMP", "DTSTART:20260304T140000Z\r\nDTEND:20260304T150000Z\r\nDTSTAMP"))
		}, "no answer yet", "Wed 4 Mar, 14:00–15:00", "Rosa Osei would rather come at another time"},
		{"coming, and an older answer that was longer on its way", func(p post, i string) string {
			to := strings.TrimPrefix(organizer(i), "mailto:")
			require.NoError(p.T, p.bring(to, letter(calendarReply, reply(i, "REPLY", "ACCEPTED"))))
			return letter(calendarReply, reply(i, "REPLY", "DECLINED", "20260302T100000Z", "20260302T095900Z"))
		}, "coming, answered Mon 2 Mar, 08:00", "", ""},
		{"coming, then moved, and then another time", func(p post, i string) string {
			require.NoError(p.T, p.bring(strings.TrimPrefix(organizer(i), "mailto:"), letter(calendarReply, reply(i, "REPLY", "ACCEPTED"))))
			id := finder{p.Desk}.idOf("rosa")
			require.NoError(p.T, p.Post(p.T.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Wall: "2026-03-04 12:00"}, Staff: p.Staff.ID}, nil))
			return letter("text/calendar; method=COUNTER", reply(i, "COUNTER", "TENTATIVE", "SEQUENCE:0", "SEQUENCE:1", "DTSTAMP", "DTSTART:20260304T140000Z\r\nDTEND:20260304T150000Z\r\nDTSTAMP"))
		}, "no answer yet", "Wed 4 Mar, 14:00–15:00", "Rosa Osei would rather come at another time"},
		{"by somebody else", func(_ post, i string) string {
			return letter(calendarReply, reply(i, "REPLY", "DECLINED", "mailto:rosa", "mailto:eve"))
		}, "no answer yet", "", ""},
		{"about another visit", func(_ post, i string) string {
			return letter(calendarReply, reply(i, "REPLY", "DECLINED", "UID:", "UID:x"))
		}, "no answer yet", "", ""},
		{"about the time before", func(p post, i string) string {
			id := finder{p.Desk}.idOf("rosa")
			require.NoError(p.T, p.Post(p.T.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Wall: "2026-03-04 12:00"}, Staff: p.Staff.ID}, nil))
			return letter(calendarReply, reply(i, "REPLY", "ACCEPTED"))
		}, "no answer yet", "", ""},
		{"a letter", func(post, string) string { return letter("text/html", "<p>I come.</p>") }, "no answer yet", "", ""},
		{"no mail at all", func(post, string) string { return "\x00\xff\r\n" }, "no answer yet", "", ""},
		{"not delivered", func(post, string) string { return letter("message/delivery-status", failed) }, "", "", "A mail to rosa@clients.example could not be delivered"},
		{"delivered later", func(post, string) string {
			return letter("message/delivery-status", strings.Replace(failed, "failed", "delayed", 1))
		}, "no answer yet", "", ""},
		{"not delivered, to somebody else", func(post, string) string {
			return letter("message/delivery-status", strings.Replace(failed, "rosa", "eve", 1))
		}, "no answer yet", "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			p := openHearing(t, false)
			p.book(t, wednesday+"T10:00:00Z")
			p.until("sent")
			invite := p.invite()
			to := strings.TrimPrefix(organizer(invite), "mailto:")
			require.Regexp(t, `^answers\+b1-[a-z2-9]{16}@workshop\.example$`, to)
			require.Equal(t, to, p.box.Mails()[0].From, "what cannot be delivered comes back there too")
			mail := c.mail(p, invite)
			for range 2 { // mail may come twice
				require.NoError(t, p.bring(strings.ToUpper(to[:1])+to[1:], mail))
			}
			d := finder{p.Desk}
			b := d.shown(d.idOf("rosa"))
			require.Equal(t, c.coming, b.Coming)
			wish := ""
			if b.Wish != nil {
				wish = b.Wish.Words
			}
			require.Equal(t, c.wish, wish)
			var titles []string
			var open desk.Attention
			require.NoError(t, p.Get(t.Context(), "/api/attention", &open))
			for _, i := range open.Items {
				if i.Kind == "answer" || i.Kind == "mail" {
					titles = append(titles, i.Title)
				}
			}
			require.Equal(t, c.item, strings.Join(titles, ", "))
		})
	}
}

// Nobody else lives at the address for answers, and a signature is for one booking.
func TestOnlyBookingsHaveAddressesForAnswers(t *testing.T) {
	p := openHearing(t, false)
	p.book(t, wednesday+"T10:00:00Z")
	p.until("sent")
	to := strings.TrimPrefix(organizer(p.invite()), "mailto:")
	for _, other := range []string{"answers@workshop.example", "desk@workshop.example", strings.Replace(to, "+b1-", "+b2-", 1), to[:len(to)-30] + "aaaaaaaaaaaaa@workshop.example", strings.Replace(to, "workshop", "elsewhere", 1)} {
		require.ErrorContains(t, p.bring(other, letter(calendarReply, "x")), "550", other)
	}
	require.Error(t, p.bring(to, letter(calendarReply, strings.Repeat("x", 3<<20))), "a letter can be too long")
	require.NoError(t, p.bring(to, letter(calendarReply, reply(p.invite(), "REPLY", "ACCEPTED"))))
	p.Restart(nichetest.Nothing, func(*serve.Settings) {})
	require.NoError(t, p.bring(to, letter(calendarReply, reply(p.invite(), "REPLY", "DECLINED"))), "the address lasts")
	d := finder{p.Desk}
	require.Contains(t, d.shown(d.idOf("rosa")).Coming, "not coming")
	require.Equal(t, "not coming", d.Wall(wednesday).Lanes[0].Visits[0].Clients[0].Answer)
}

// A mail server that delivers locally speaks LMTP.
func TestAnswersComeByLMTP(t *testing.T) {
	p := openHearing(t, true)
	p.book(t, wednesday+"T10:00:00Z")
	p.until("sent")
	conn, err := net.Dial("tcp", p.Niche.Answers)
	require.NoError(t, err)
	c := lmtp.NewClientLMTP(conn)
	require.NoError(t, c.Mail("rosa@clients.example", nil))
	require.NoError(t, c.Rcpt(strings.TrimPrefix(organizer(p.invite()), "mailto:"), nil))
	require.Error(t, c.Rcpt("answers@workshop.example", nil))
	w, err := c.Data()
	require.NoError(t, err)
	_, err = io.WriteString(w, letter(calendarReply, reply(p.invite(), "REPLY", "DECLINED")))
	require.NoError(t, err)
	said, err := w.CloseWithLMTPResponse()
	require.NoError(t, err)
	require.Contains(t, said, strings.TrimPrefix(organizer(p.invite()), "mailto:"), "each is answered by itself")
	require.NoError(t, c.Quit())
	d := finder{p.Desk}
	b := d.shown(d.idOf("rosa"))
	require.Contains(t, b.Coming, "not coming")
	require.Equal(t, "The client said that they do not come", b.Happened[0].Words)
}

// What is sent is read by programs that share nothing with this one: a mail user agent's parser,
// and a reader of calendars, byte by byte.
func TestMailIsReadByOtherPrograms(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Place = "Übungsraum; 2. Stock, links\\hinten" }))
	b := p.book(t, wednesday+"T10:00:00Z")
	p.until("sent")
	p.move(t, b, "2026-03-30T12:00:00Z") // beyond the jump of the clock
	p.Pass(2 * time.Minute)
	p.Until("it is told", func() bool { return len(p.box.Mails()) == 2 })
	require.NoError(t, p.Cancel(b))
	p.Until("it is told", func() bool { return len(p.box.Mails()) == 3 })
	folder := t.TempDir()
	script := filepath.Join(folder, "read.py")
	require.NoError(t, os.WriteFile(script, []byte(`
import sys, json, email, email.policy, icalendar
m = email.message_from_binary_file(sys.stdin.buffer, policy=email.policy.default)
parts = [p for p in m.walk() if not p.is_multipart()]
ics = [p.get_payload(decode=True) for p in parts if p.get_content_type() in ("text/calendar", "application/ics")]
cal = icalendar.Calendar.from_ical(ics[0])
e = [c for c in cal.walk("VEVENT")][0]
print(json.dumps({
  "defects": [str(d) for p in m.walk() for d in p.defects], "types": [p.get_content_type() for p in m.walk()],
  "method": [p.get_param("method") for p in parts if p.get_content_type() == "text/calendar"], "calendar": str(cal["METHOD"]), "same": ics[0] == ics[1],
  "to": str(m["To"]), "from": str(m["From"]), "subject": str(m["Subject"]), "auto": str(m["Auto-Submitted"]), "date": m["Date"].datetime is not None,
  "uid": str(e["UID"]), "sequence": int(e["SEQUENCE"]), "start": e["DTSTART"].dt.astimezone(__import__("datetime").timezone.utc).isoformat(),
  "location": str(e["LOCATION"]), "attendee": str(e["ATTENDEE"]), "rsvp": e["ATTENDEE"].params.get("RSVP"), "status": str(e["STATUS"]),
  "text": m.get_body(("plain",)).get_content()[:10], "html": "<a href" in m.get_body(("html",)).get_content()}))
`), 0o600))
	type read struct {
		Defects, Types, Method                              []string
		Calendar, To, From, Subject, Auto, UID, Start, RSVP string
		Location, Attendee, Status, Text                    string
		Same, Date, HTML                                    bool
		Sequence                                            int
	}
	var uids []string
	for i, want := range []read{
		{Calendar: "CANCEL", Start: "2026-03-30T12:00:00+00:00", Sequence: 2, Status: "CANCELLED"},
		{Calendar: "REQUEST", Start: "2026-03-30T12:00:00+00:00", Sequence: 1, Status: "CONFIRMED", RSVP: "TRUE", HTML: true},
		{Calendar: "REQUEST", Start: "2026-03-04T10:00:00+00:00", Sequence: 0, Status: "CONFIRMED", RSVP: "TRUE", HTML: true},
	} {
		cmd := exec.CommandContext(t.Context(), "/usr/bin/python3", script)
		cmd.Stdin = bytes.NewReader(p.box.Mails()[i].Raw)
		out, err := cmd.Output()
		require.NoError(t, err)
		var got read
		require.NoError(t, json.Unmarshal(out, &got))
		uids = append(uids, got.UID)
		want.Types = []string{"multipart/mixed", "multipart/alternative", "text/plain", "text/html", "text/calendar", "application/ics"}
		want.Defects, want.Method, want.Same, want.Date, want.Auto = []string{}, []string{want.Calendar}, true, true, "auto-generated"
		want.To, want.From, want.Attendee, want.Location, want.Text = "rosa@clients.example", "The Workshop <desk@workshop.example>", "mailto:rosa@clients.example", "Übungsraum; 2. Stock, links\\hinten", "Hello Rosa"
		want.UID, want.Subject = got.UID, got.Subject
		require.Equal(t, want, got)
	}
	// A calendar program takes the invitation as it came, and shows it when it is, by its own clock.
	conf, file := filepath.Join(folder, "khal.conf"), filepath.Join(folder, "visit.ics")
	require.NoError(t, os.WriteFile(file, []byte(p.inviteOf(1)), 0o600))
	require.NoError(t, os.WriteFile(conf, fmt.Appendf(nil, "[calendars]\n[[work]]\npath = %s/work\ntype = calendar\n[sqlite]\npath = %s/khal.db\n[locale]\nlocal_timezone = America/New_York\ndefault_timezone = America/New_York\n"+
		"timeformat = %%H:%%M\ndateformat = %%Y-%%m-%%d\nlongdateformat = %%Y-%%m-%%d\ndatetimeformat = %%Y-%%m-%%d %%H:%%M\nlongdatetimeformat = %%Y-%%m-%%d %%H:%%M\n", folder, folder), 0o600))
	require.NoError(t, os.Mkdir(filepath.Join(folder, "work"), 0o700))
	khal := func(args ...string) string {
		out, err := exec.CommandContext(t.Context(), nichetest.Needs(t, "khal"), append([]string{"-c", conf}, args...)...).CombinedOutput()
		require.NoError(t, err, string(out))
		return strings.TrimSpace(string(out))
	}
	khal("import", "--batch", "-a", "work", file)
	require.Equal(t, "2026-03-30 08:00 2026-03-30 09:00 Home tuning, Workshop", khal("list", "--day-format", "", "--format", "{start-long} {end-long} {title}", "2026-03-01", "60d"))
	require.Equal(t, uids[0], uids[1])
	require.Equal(t, uids[0], uids[2])
}

// Where a service says so, a client who answers that they do not come has cancelled, as long as they may.
func TestWhoDoesNotComeIsTakenAtTheirWord(t *testing.T) {
	for until, status := range map[int]string{24 * 60: "cancelled", 72 * 60: "confirmed"} {
		p := openHearing(t, false)
		require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.CancelDeclined, f.CancelUntil = true, until }))
		b := p.book(t, wednesday+"T10:00:00Z")
		p.until("sent")
		to := strings.TrimPrefix(organizer(p.invite()), "mailto:")
		require.NoError(t, p.bring(to, letter(calendarReply, reply(p.invite(), "REPLY", "TENTATIVE"))))
		require.Equal(t, "confirmed", own(t, p.Desk, b).Status)
		require.NoError(t, p.bring(to, letter(calendarReply, reply(p.invite(), "REPLY", "DECLINED"))))
		require.Equal(t, status, own(t, p.Desk, b).Status)
	}
}
