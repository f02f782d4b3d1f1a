package message

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"sync"
	"time"

	"github.com/wneessen/go-mail"
	maillog "github.com/wneessen/go-mail/log"

	"niche/internal/outbound"
	"niche/internal/store"
	"niche/internal/words"
)

// serverTime is how long a mail server may take for one answer.
const serverTime = 20 * time.Second

// owner binds the password of a mail server to it: it opens for no other server.
func owner(s store.MailServer) string {
	return fmt.Sprintf("mail %s at %s:%d", s.Username, s.Host, s.Port)
}

// WithPassword returns a mail server that signs in with a password.
func (m *Messages) WithPassword(s store.MailServer, password string) store.MailServer {
	s.Password = m.Vault.Seal(password, owner(s))
	return s
}

// client returns a client for a mail server.
func (m *Messages) client(s store.MailServer) (*mail.Client, error) {
	options := []mail.Option{mail.WithPort(s.Port), mail.WithTimeout(serverTime), mail.WithHELO(m.domain()), mail.WithoutNoop(), mail.WithDialContextFunc(mail.DialContextFunc(m.Dial))}
	switch s.Security {
	case "tls":
		options = append(options, mail.WithSSL())
	case "starttls":
		options = append(options, mail.WithTLSPolicy(mail.TLSMandatory))
	default:
		options = append(options, mail.WithTLSPolicy(mail.NoTLS))
	}
	if s.Username != "" {
		password, err := m.Vault.Open(s.Password, owner(s))
		if err != nil {
			return nil, err
		}
		options = append(options, mail.WithSMTPAuth(mail.SMTPAuthAutoDiscover), mail.WithUsername(s.Username), mail.WithPassword(password))
	}
	return mail.NewClient(s.Host, options...)
}

// compose makes the mail of a message.
func (m *Messages) compose(s store.MailServer, row store.Message, l Letter) (*mail.Msg, error) {
	msg := mail.NewMsg(mail.WithNoDefaultUserAgent())
	msg.SetMessageIDWithValue(row.MessageID)
	msg.SetDateWithValue(m.Now())
	msg.Subject(row.Subject)
	msg.SetGenHeader("Auto-Submitted", "auto-generated") // RFC 3834: nobody answers it by itself
	msg.SetBodyString(mail.TypeTextPlain, l.Body)
	msg.AddAlternativeString(mail.TypeTextHTML, page(l.Body))
	if l.Method != "" {
		// RFC 6047, section 2.4; and the same as a file, for programs that do not look there.
		msg.AddAlternativeString(mail.ContentType("text/calendar; method="+string(l.Method)), string(l.Invite), mail.WithPartEncoding(mail.EncodingB64))
		err := msg.AttachReader("visit.ics", bytes.NewReader(l.Invite), mail.WithFileContentType("application/ics"))
		if err != nil {
			return nil, fmt.Errorf("attaching the invitation: %w", err)
		}
	}
	from := msg.From(s.Sender)
	if s.SenderName != "" {
		from = msg.FromFormat(s.SenderName, s.Sender)
	}
	if row.BookingID != 0 && s.Answers != "" && m.Hears {
		// What comes back says by its address what it is about: answers, and reports that it was not delivered.
		back := m.tagged(s, row.BookingID)
		from = errors.Join(from, msg.ReplyTo(s.Sender), msg.EnvelopeFrom(back))
	}
	return msg, errors.Join(from, msg.To(row.Recipient))
}

// send hands a message over to the mail server.
func (m *Messages) send(ctx context.Context, s store.MailServer, row store.Message, l Letter) error {
	c, err := m.client(s)
	if err != nil {
		return err
	}
	return m.through(ctx, c, s, row, l)
}

func (m *Messages) through(ctx context.Context, c *mail.Client, s store.MailServer, row store.Message, l Letter) error {
	msg, err := m.compose(s, row, l)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(ctx, 3*serverTime)
	defer cancel()
	err = c.DialAndSendWithContext(ctx, msg)
	if msg.IsDelivered() {
		return nil // whatever became of the goodbye
	}
	return err
}

// Fault is why a mail did not go out.
type Fault struct {
	Words  string
	Never  bool // the server has refused this mail for good
	Silent bool // the server could not be spoken with
}

// faultOf tells by an error why a mail did not go out.
func faultOf(err error) Fault {
	var send *mail.SendError
	said := saidIn(err)
	switch {
	case errors.As(err, &send):
		never := !send.IsTemp() && send.ErrorCode() >= 500
		switch send.Reason {
		case mail.ErrSMTPRcptTo:
			return Fault{"The mail server refuses this address: " + said, never, false}
		case mail.ErrSMTPMailFrom:
			return Fault{"The mail server does not let mail come from this sender: " + said, false, false}
		case mail.ErrSMTPData, mail.ErrSMTPDataClose:
			return Fault{"The mail server refuses the mail: " + said, never, send.ErrorCode() == 0}
		}
		return Fault{"The connection to the mail server broke.", false, true}
	case errors.Is(err, outbound.ErrForbidden):
		return Fault{"The mail server lies in this server's own network. Whoever runs it can allow the host: --allow-host.", false, false}
	case errors.Is(err, words.ErrOtherKey):
		return Fault{"The password of the mail server can no longer be opened here, because Niche's key for secrets is another one. Give it again.", false, false}
	case strings.Contains(err.Error(), "STARTTLS"):
		return Fault{"The mail server offers no STARTTLS at this port.", false, false}
	case strings.Contains(err.Error(), "AUTH"), strings.Contains(err.Error(), "535"):
		return Fault{"The mail server does not accept this user name and password: " + said, false, false}
	case strings.Contains(err.Error(), "certificate"), strings.Contains(err.Error(), "tls:"):
		return Fault{"No secure connection to the mail server could be made: " + said, false, false}
	case isSilence(err):
		return Fault{"The mail server does not answer.", false, true}
	}
	return Fault{"The mail server cannot be used: " + said, false, true}
}

// answer finds what a server said in the text of an error: its code (RFC 5321), the finer
// one (RFC 3463), and the words.
var answer = regexp.MustCompile(`[245]\d\d "?(?:[245]\.\d+\.\d+ )?([^",]+)`)

// saidIn returns what a server said, or else the end of what an error says; at most some
// words.
func saidIn(err error) string {
	text := err.Error()
	if m := answer.FindStringSubmatch(text); m != nil {
		text = m[1]
	} else if i := strings.LastIndex(text, ": "); i >= 0 {
		text = text[i+2:]
	}
	runes := []rune(strings.TrimSpace(text))
	return string(runes[:min(200, len(runes))])
}

// Line is one line of a conversation with a mail server.
type Line struct {
	Ours bool   `json:"ours"`
	Text string `json:"text"`
}

// Trial is what came of a trial mail.
type Trial struct {
	Sent  bool
	Fault string
	Lines []Line
}

// Trial sends a trial mail to somebody over a mail server, which need not be kept, and
// returns the whole conversation, without passwords.
func (m *Messages) Trial(ctx context.Context, s store.MailServer, to string) Trial {
	c, err := m.client(s)
	heard := &conversation{}
	if err == nil {
		c.SetLogger(heard)
		c.SetDebugLog(true)
		id := fmt.Sprintf("trial-%d@%s", m.Now().UnixNano(), m.domain())
		err = m.through(ctx, c, s, store.Message{MessageID: id, Recipient: to, Subject: "A trial message from Niche"},
			Letter{Body: "This mail was sent to try the mail server of your desk. It has arrived, so mail goes out.\n"})
	}
	t := Trial{Sent: err == nil, Lines: heard.list()}
	if err != nil {
		t.Fault = faultOf(err).Words
	}
	return t
}

// conversation keeps what is said between a client and a server.
type conversation struct {
	mu    sync.Mutex
	lines []Line
}

// maxLines is more than any conversation about one mail has.
const maxLines = 200

func (c *conversation) list() []Line {
	c.mu.Lock()
	defer c.mu.Unlock()
	return append([]Line{}, c.lines...)
}

// Debugf keeps a line.
func (c *conversation) Debugf(l maillog.Log) {
	c.mu.Lock()
	defer c.mu.Unlock()
	if len(c.lines) < maxLines {
		text := strings.ToValidUTF8(strings.TrimSpace(fmt.Sprintf(l.Format, l.Messages...)), "�")
		c.lines = append(c.lines, Line{l.Direction == maillog.DirClientToServer, string([]rune(text)[:min(500, len([]rune(text)))])})
	}
}

// Infof keeps a line.
func (c *conversation) Infof(l maillog.Log) { c.Debugf(l) }

// Warnf keeps a line.
func (c *conversation) Warnf(l maillog.Log) { c.Debugf(l) }

// Errorf keeps a line.
func (c *conversation) Errorf(l maillog.Log) { c.Debugf(l) }
