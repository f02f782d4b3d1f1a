// Package mailbox is a mail server in small: it takes every mail by SMTP (RFC 5321),
// passes nothing on, and shows on a page what came, part by part. On the page a person
// has it behave as mail servers do: refuse for now, or for good.
//
// It knows nothing of the program that sends to it.
package mailbox

import (
	"bytes"
	"embed"
	"encoding/json"
	"errors"
	"fmt"
	"html/template"
	"io"
	"io/fs"
	"net"
	"net/http"
	"net/url"
	"os"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-message"
	_ "github.com/emersion/go-message/charset" // reads what is not UTF-8
	"github.com/emersion/go-message/mail"
	"github.com/emersion/go-smtp"
)

// Mood is how the server behaves.
type Mood string

// The moods.
const (
	Takes     Mood = "takes"     // every mail
	Later     Mood = "later"     // it refuses for now (451)
	Refuses   Mood = "refuses"   // it refuses the address for good (550)
	BreaksOff Mood = "breaks"    // it takes the mail, and the connection breaks before it says so
	BadSender Mood = "badsender" // it lets nobody send (553)
)

// Mail is a mail that came.
type Mail struct {
	At   time.Time
	From string
	To   []string
	Raw  []byte
}

// Limits on what is taken and kept.
const (
	maxBytes = 4 << 20
	maxKept  = 500
	maxParts = 50
)

// Box is the mail server.
type Box struct {
	mu    sync.Mutex
	file  string
	now   func() time.Time
	mood  Mood
	relay string // host:port of the server to which answers go; none are sent where it is empty
	list  []Mail
}

// Open opens the mailbox that is kept in a file; in memory without one.
func Open(file string, now func() time.Time) (*Box, error) {
	b := &Box{file: file, now: now, mood: Takes}
	if file == "" {
		return b, nil
	}
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return b, nil
	}
	if err == nil {
		err = json.Unmarshal(data, &b.list)
	}
	if err != nil {
		return nil, fmt.Errorf("opening the mailbox: %w", err)
	}
	return b, nil
}

// Behave changes how the server behaves.
func (b *Box) Behave(m Mood) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.mood = m
}

// AnswersGo names the server, host:port, to which answers to invitations go.
func (b *Box) AnswersGo(to string) {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.relay = to
}

func (b *Box) behaves() Mood {
	b.mu.Lock()
	defer b.mu.Unlock()
	return b.mood
}

// Mails returns what came, the newest first.
func (b *Box) Mails() []Mail {
	b.mu.Lock()
	defer b.mu.Unlock()
	list := slices.Clone(b.list)
	slices.Reverse(list)
	return list
}

func (b *Box) keep(m Mail) error {
	b.mu.Lock()
	defer b.mu.Unlock()
	b.list = append(b.list, m)
	b.list = b.list[max(0, len(b.list)-maxKept):]
	if b.file == "" {
		return nil
	}
	data, err := json.Marshal(b.list)
	if err != nil {
		return err
	}
	if err := os.WriteFile(b.file+".new", data, 0o600); err != nil {
		return err
	}
	return os.Rename(b.file+".new", b.file)
}

// Serve takes mail until the returned function is called.
func (b *Box) Serve(on net.Listener) (stop func()) {
	server := smtp.NewServer(smtp.BackendFunc(func(c *smtp.Conn) (smtp.Session, error) { return &session{box: b, conn: c}, nil }))
	server.Domain, server.MaxMessageBytes, server.MaxRecipients = "mailbox", maxBytes, 50
	server.ReadTimeout, server.WriteTimeout = time.Minute, time.Minute
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		_ = server.Serve(on)
	}()
	return func() {
		_ = server.Close()
		<-ended
	}
}

// session is one connection.
type session struct {
	box  *Box
	conn *smtp.Conn
	mail Mail
}

// Mail begins a mail.
func (s *session) Mail(from string, _ *smtp.MailOptions) error {
	if s.box.behaves() == BadSender {
		return &smtp.SMTPError{Code: 553, EnhancedCode: smtp.EnhancedCode{5, 7, 1}, Message: "Sender address rejected"}
	}
	s.mail = Mail{From: from}
	return nil
}

// Rcpt adds somebody to whom it goes.
func (s *session) Rcpt(to string, _ *smtp.RcptOptions) error {
	switch s.box.behaves() {
	case Later:
		return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 7, 1}, Message: "Try again later"}
	case Refuses:
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "No such mailbox here"}
	}
	s.mail.To = append(s.mail.To, to)
	return nil
}

// Data takes what it says.
func (s *session) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	s.mail.At, s.mail.Raw = s.box.now(), raw
	if err := s.box.keep(s.mail); err != nil {
		return err
	}
	if s.box.behaves() == BreaksOff {
		_ = s.conn.Conn().Close()
	}
	return nil
}

// Reset drops what has begun.
func (s *session) Reset() { s.mail = Mail{} }

// Logout ends the connection.
func (s *session) Logout() error { return nil }

// Part is a piece of a mail.
type Part struct {
	Type string
	Text string
}

// Read is a mail taken apart.
type Read struct {
	Mail
	Number  int
	Subject string
	ID      string
	Parts   []Part
	Links   []string // the addresses that the text names
}

// Read takes the mail apart.
func (m Mail) Read() Read {
	v := Read{Mail: m}
	e, err := message.Read(bytes.NewReader(m.Raw))
	if err != nil && !message.IsUnknownCharset(err) {
		v.Parts = []Part{{"cannot be read", string(m.Raw)}}
		return v
	}
	h := mail.Header{Header: e.Header}
	v.Subject, _ = h.Subject()
	v.ID, _ = h.MessageID()
	_ = e.Walk(func(_ []int, part *message.Entity, err error) error {
		kind, _, _ := part.Header.ContentType()
		if err != nil || len(v.Parts) >= maxParts || strings.HasPrefix(kind, "multipart/") {
			return err
		}
		text, err := io.ReadAll(io.LimitReader(part.Body, maxBytes))
		v.Parts = append(v.Parts, Part{kind, string(text)})
		return err
	})
	for _, p := range v.Parts {
		if p.Type != "text/plain" {
			continue
		}
		for word := range strings.FieldsSeq(p.Text) {
			if u, err := url.Parse(word); err == nil && (u.Scheme == "http" || u.Scheme == "https") {
				v.Links = append(v.Links, word)
			}
		}
	}
	return v
}

//go:embed mailbox.html
var files embed.FS

var page = template.Must(template.ParseFS(files, "mailbox.html"))

// Handler returns the page.
func (b *Box) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, r *http.Request) {
		answered, _ := strconv.Atoi(r.URL.Query().Get("answered"))
		var list []Read
		mails := b.Mails()
		for i, m := range mails {
			read := m.Read()
			read.Number = len(mails) - i
			list = append(list, read)
		}
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, struct {
			Mails    []Read
			Answered int // the number of a mail that was answered
			Answers  []struct{ PartStat, Words string }
			Mood     Mood
			Moods    []struct{ Mood, Words string }
		}{list, answered, answers, b.behaves(), []struct{ Mood, Words string }{
			{string(Takes), "takes every mail"}, {string(Later), "refuses for now"}, {string(Refuses), "refuses the address"},
			{string(BadSender), "lets nobody send"}, {string(BreaksOff), "takes it, and breaks off"}}})
	})
	mux.HandleFunc("POST /answer", func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, 4<<10)
		mails := b.Mails()
		n, err := strconv.Atoi(r.PostFormValue("number"))
		if err != nil || n < 1 || n > len(mails) {
			http.Error(w, "There is no such mail.", http.StatusNotFound)
			return
		}
		if err := b.Answer(mails[len(mails)-n], r.PostFormValue("answer")); err != nil {
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		}
		http.Redirect(w, r, "/?answered="+strconv.Itoa(n), http.StatusSeeOther)
	})
	mux.HandleFunc("POST /mood", func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, 4<<10)
		b.Behave(Mood(r.PostFormValue("mood")))
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
	return mux
}
