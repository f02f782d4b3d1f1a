package mailbox

import (
	"errors"
	"fmt"
	"net/smtp"
	"net/url"
	"regexp"
	"strings"
)

// Words of the answers to an invitation, by what they are called in calendars (RFC 5545).
var answers = []struct{ PartStat, Words string }{{"ACCEPTED", "comes"}, {"TENTATIVE", "perhaps"}, {"DECLINED", "does not come"}}

var errNoInvitation = errors.New("this mail holds no invitation")

// invitation is the invitation that a mail holds, without its folds; empty for none.
func (r Read) invitation() string {
	for _, p := range r.Parts {
		if text := strings.ReplaceAll(p.Text, "\r\n ", ""); p.Type == "text/calendar" && strings.Contains(text, "METHOD:REQUEST") {
			return text
		}
	}
	return ""
}

// Invited reports whether the mail asks for an answer.
func (r Read) Invited() bool { return r.invitation() != "" }

// property returns a property of an invitation: its parameters and its value.
func property(text, name string) (params, value string) {
	m := regexp.MustCompile(`(?m)^` + name + `((?:;[^:";]+(?:"[^"]*")?)*):(.*?)\r?$`).FindStringSubmatch(text)
	if m == nil {
		return "", ""
	}
	return m[1], m[2]
}

// Answer answers an invitation as its reader's program does (RFC 6047): by a mail to its
// organizer, which goes to the server that was named.
func (b *Box) Answer(m Mail, partStat string) error {
	text := m.Read().invitation()
	_, organizer := property(text, "ORGANIZER")
	_, attendee := property(text, "ATTENDEE")
	_, uid := property(text, "UID")
	_, sequence := property(text, "SEQUENCE")
	if text == "" || organizer == "" || attendee == "" {
		return errNoInvitation
	}
	b.mu.Lock()
	relay := b.relay
	b.mu.Unlock()
	if relay == "" {
		return errors.New("nothing is known of a server that would take answers")
	}
	plain := func(address string) string {
		out, err := url.PathUnescape(strings.TrimPrefix(strings.ToLower(address), "mailto:"))
		if err != nil {
			return ""
		}
		return out
	}
	from, to := plain(attendee), plain(organizer)
	stamp := b.now().UTC().Format("20060102T150405Z")
	reply := strings.Join([]string{"BEGIN:VCALENDAR", "PRODID:-//Mailbox//Stand-in//EN", "VERSION:2.0", "METHOD:REPLY", "BEGIN:VEVENT", "UID:" + uid, "SEQUENCE:" + sequence,
		"DTSTAMP:" + stamp, "ORGANIZER:" + organizer, "ATTENDEE;PARTSTAT=" + partStat + ":" + attendee, "END:VEVENT", "END:VCALENDAR", ""}, "\r\n")
	mail := strings.Join([]string{"From: <" + from + ">", "To: <" + to + ">", "Subject: Re: " + m.Read().Subject, "MIME-Version: 1.0", "Content-Type: text/calendar; method=REPLY; charset=utf-8", "", reply}, "\r\n")
	if err := smtp.SendMail(relay, nil, from, []string{to}, []byte(mail)); err != nil {
		return fmt.Errorf("answering: %w", err)
	}
	return nil
}
