package message

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net"
	"net/textproto"
	"regexp"
	"strconv"
	"strings"
	"time"

	"github.com/emersion/go-message"
	_ "github.com/emersion/go-message/charset" // reads what is not UTF-8
	"github.com/emersion/go-smtp"
	"github.com/prometheus/client_golang/prometheus"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/plain"
	"niche/internal/store"
)

// Deriver makes a token that nobody can guess who does not have the key.
type Deriver interface{ Derive(kind, of string) string }

// tagged is the address to which answers about a booking go: a reference with a signature
// behind a plus sign (RFC 5233) of the address at which answers arrive. Mail programs keep
// it, whatever else they drop.
func (m *Messages) tagged(server store.MailServer, booking store.ID) string {
	local, domain, ok := strings.Cut(server.Answers, "@")
	if !ok || !m.Hears {
		return server.Sender
	}
	return fmt.Sprintf("%s+b%d-%s@%s", local, booking, m.signature(booking), domain)
}

// signature is that of a booking's reference, in letters that no server changes.
func (m *Messages) signature(booking store.ID) string {
	const letters = "abcdefghijkmnpqrstuvwxyz23456789"
	out := []byte(m.Sign.Derive("answer", booking.Name()))[:16]
	for i, c := range out {
		out[i] = letters[int(c)%len(letters)]
	}
	return string(out)
}

var tag = regexp.MustCompile(`(?i)^([^@]+)\+b(\d{1,18})-([a-z2-9]{16})@(.+)$`)

// bookingOf returns the booking to which answers at an address belong.
func (m *Messages) bookingOf(server store.MailServer, to string) (store.ID, bool) {
	parts := tag.FindStringSubmatch(to)
	if parts == nil || !strings.EqualFold(parts[1]+"@"+parts[4], server.Answers) {
		return 0, false
	}
	n, err := strconv.ParseInt(parts[2], 10, 64)
	return store.ID(n), err == nil && strings.ToLower(parts[3]) == m.signature(store.ID(n))
}

// What has become of mail that arrived.
const (
	heardAnswer = "answer"   // kept
	heardWish   = "wish"     // kept
	heardBounce = "bounce"   // an address does not work
	heardLate   = "late"     // of an invitation that was overtaken
	heardOther  = "other"    // a letter, which nobody here reads
	heardForged = "stranger" // to no booking, or by somebody who was not asked
)

// Answers takes the mail that comes back: answers to invitations, and reports that a mail was
// not delivered.
type Answers struct {
	m     *Messages
	heard *prometheus.CounterVec
}

// NewAnswers returns what takes answers.
func NewAnswers(m *Messages) *Answers {
	return &Answers{m: m, heard: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "niche_mail_heard_total", Help: "Mail that came back, by what it was."}, []string{"kind"})}
}

// Counters counts what came.
func (a *Answers) Counters() []prometheus.Collector { return []prometheus.Collector{a.heard} }

// count counts a mail by what it was.
func (a *Answers) count(what string) {
	a.heard.WithLabelValues(what).Inc()
}

// Limits on what is taken.
const (
	largestAnswer = 2 << 20
	answerTime    = 30 * time.Second
	mostParts     = 40
)

// Serve takes mail by SMTP, or by LMTP (RFC 2033), until the returned function is called.
func (a *Answers) Serve(on net.Listener, lmtp bool) (stop func()) {
	server := smtp.NewServer(smtp.BackendFunc(func(*smtp.Conn) (smtp.Session, error) { return &hearing{a: a}, nil }))
	server.Domain, server.MaxMessageBytes, server.MaxRecipients, server.LMTP = a.m.domain(), largestAnswer, 20, lmtp
	server.ReadTimeout, server.WriteTimeout = answerTime, answerTime
	server.ErrorLog = slog.NewLogLogger(a.m.Log.Handler(), slog.LevelDebug)
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

// hearing is one connection.
type hearing struct {
	a  *Answers
	of []store.ID
}

// Mail begins a mail.
func (h *hearing) Mail(string, *smtp.MailOptions) error { h.of = nil; return nil }

// Rcpt takes only what belongs to a booking: nobody else lives here, and nothing is passed on.
func (h *hearing) Rcpt(to string, _ *smtp.RcptOptions) error {
	ctx, cancel := context.WithTimeout(context.Background(), answerTime)
	defer cancel()
	server, err := h.a.m.DB.Read(ctx).MailServer()
	if err != nil {
		return later(err)
	}
	id, ok := h.a.m.bookingOf(server, to)
	if !ok {
		h.a.count(heardForged)
		return &smtp.SMTPError{Code: 550, EnhancedCode: smtp.EnhancedCode{5, 1, 1}, Message: "Nobody has this address"}
	}
	h.of = append(h.of, id)
	return nil
}

// later tells a server to try again: nothing was kept.
func later(err error) error {
	return &smtp.SMTPError{Code: 451, EnhancedCode: smtp.EnhancedCode{4, 3, 0}, Message: "Try again later: " + err.Error()}
}

// Data hears what a mail says.
func (h *hearing) Data(r io.Reader) error {
	raw, err := io.ReadAll(r)
	if err != nil {
		return err
	}
	ctx, cancel := context.WithTimeout(context.Background(), answerTime)
	defer cancel()
	for _, id := range h.of {
		what, err := h.a.m.Hear(ctx, id, raw)
		if err != nil {
			h.a.m.Log.Error("hearing an answer", "booking", id, "error", err)
			return later(errors.New("it could not be kept"))
		}
		h.a.count(what)
	}
	return nil
}

// Reset drops what has begun.
func (h *hearing) Reset() { h.of = nil }

// Logout ends the connection.
func (h *hearing) Logout() error { return nil }

// Hear takes a mail about a booking, which came to the address that is that booking's alone,
// and tells what it was. An answer counts only from who was asked, and about the invitation
// that is out: what else comes changes nothing.
func (m *Messages) Hear(ctx context.Context, booking store.ID, raw []byte) (what string, err error) {
	answer, bounce := parts(raw)
	now := span.At(m.Now())
	declined := false
	err = m.DB.Write(store.By(ctx, store.Doer{Role: "client", Name: "the client"}), func(tx store.Tx) error {
		k, err := tx.Booking(booking)
		if store.IsMissing(err) {
			what = heardForged
			return nil
		}
		if err != nil {
			return err
		}
		switch {
		case bounce != nil:
			what = heardBounce
			return m.bounced(tx, k, *bounce, now)
		case answer == nil:
			what = heardOther
			return nil
		case answer.UID != uid(k) || !strings.EqualFold(answer.Mail, k.ClientMail):
			what = heardForged
			return nil
		case answer.Sequence < k.Sequence || k.Status != store.Confirmed:
			what = heardLate
			return nil
		}
		before := k
		if k.AnsweredSequence != k.Sequence {
			before.PartStat, before.WishStart, before.AnswerStamp = "", 0, 0 // that was said of another time
		}
		if answer.Stamp > 0 && answer.Stamp < before.AnswerStamp {
			what = heardLate // an older answer that was longer on its way
			return nil
		}
		what, k.PartStat, k.WishStart, k.WishEnd = heardAnswer, before.PartStat, 0, 0
		k.AnsweredAt, k.AnsweredSequence, k.AnswerStamp, k.AnswerComment = now, k.Sequence, max(answer.Stamp, before.AnswerStamp), plain.Clean(answer.Comment, 300)
		if answer.Wish.IsEmpty() {
			k.PartStat = string(answer.PartStat)
			declined = answer.PartStat == ics.NotComing
		} else {
			what, k.WishStart, k.WishEnd = heardWish, answer.Wish.Start(), answer.Wish.End()
		}
		if err := tx.SaveAnswer(k); err != nil {
			return err
		}
		deed := map[ics.PartStat]string{ics.Accepted: "said they come to", ics.Tentatively: "said they perhaps come to", ics.NotComing: "said they do not come to"}[answer.PartStat]
		if what == heardWish {
			deed = "wishes another time for"
		}
		if deed == "" || before.PartStat == k.PartStat && before.WishStart == k.WishStart {
			return nil
		}
		return tx.Note(now, deed, "booking", k.ID, k.Reference, nil, nil)
	})
	if err != nil {
		return "", fmt.Errorf("hearing an answer about booking %d: %w", booking, err)
	}
	m.Hub.Tell(live.Bookings)
	if declined && m.Declined != nil {
		if err := m.Declined(ctx, booking); err != nil {
			m.Log.Error("cancelling what a client has declined", "booking", booking, "error", err)
		}
	}
	if what == heardBounce {
		m.Hub.Tell(live.Messages)
	}
	return what, nil
}

// report is that a mail was not delivered (RFC 3464).
type report struct {
	to    string // the address that does not work
	words string // what its server said
}

// bounced notes on the newest message to an address that does not work that it has not
// arrived.
func (m *Messages) bounced(tx store.Tx, k store.Booking, r report, now span.Instant) error {
	list, err := tx.MessagesOfBooking(k.ID)
	if err != nil {
		return err
	}
	for _, row := range list {
		if row.State == store.MessageSent && (r.to == "" || strings.EqualFold(r.to, row.Recipient)) {
			return errors.Join(tx.Bounced(row.ID, "It came back: "+r.words, now), tx.MailBroken(row.Recipient, r.words, now))
		}
	}
	return nil
}

// parts finds in a mail the answer to an invitation, or that another mail was not delivered.
func parts(raw []byte) (answer *ics.Answer, bounce *report) {
	e, err := message.Read(bytes.NewReader(raw))
	if err != nil && !message.IsUnknownCharset(err) {
		return nil, nil
	}
	n := 0
	_ = e.Walk(func(_ []int, part *message.Entity, err error) error {
		if n++; err != nil || n > mostParts {
			return io.EOF
		}
		kind, _, _ := part.Header.ContentType()
		switch strings.ToLower(kind) {
		case "text/calendar", "application/ics":
			if answer == nil {
				if a, err := ics.ReadAnswer(io.LimitReader(part.Body, largestAnswer)); err == nil {
					answer = &a
				}
			}
		case "message/delivery-status":
			if r, ok := delivery(part.Body); ok && bounce == nil {
				bounce = &r
			}
		}
		return nil
	})
	return answer, bounce
}

// delivery reads what is reported of a mail; false where it was not given up (RFC 3464,
// section 2.3.3: a delay is none).
func delivery(body io.Reader) (r report, failed bool) {
	in := textproto.NewReader(bufio.NewReader(io.LimitReader(body, 64<<10)))
	for range 20 {
		h, err := in.ReadMIMEHeader()
		if strings.EqualFold(strings.TrimSpace(h.Get("Action")), "failed") {
			failed = true
			r.to, r.words = afterKind(h.Get("Final-Recipient")), afterKind(h.Get("Diagnostic-Code"))
			if to := afterKind(h.Get("Original-Recipient")); to != "" {
				r.to = to
			}
			if r.words == "" {
				r.words = "the mail server of the client says no more"
			}
			r.words = plain.Clean(r.words, 200)
			return r, true
		}
		if err != nil {
			break
		}
	}
	return r, failed
}

// afterKind returns what stands after the kind of an address or of words: rfc822;a@b.example.
func afterKind(text string) string {
	_, after, _ := strings.Cut(text, ";")
	return strings.Trim(strings.TrimSpace(after), "<>")
}
