package outbound

import (
	"bytes"
	"context"
	"crypto/tls"
	"errors"
	"fmt"
	"io"
	"net"
	"net/http"
	"net/url"
	"strconv"
	"time"
)

// Kind says what a person can do about a failed exchange with a host.
type Kind int

// The kinds of failures.
const (
	BadAddress    Kind = iota + 1 // the address is none, or leads to nothing that can be linked
	WrongKey                      // the host refuses user or password
	Forbidden                     // signed in, but not allowed to do this
	NotReached                    // the host does not answer, or answers that it cannot now
	NotThere                      // the calendar or event does not exist
	Changed                       // the condition of a write failed: somebody else was there first
	StaleToken                    // the host no longer knows the sync token
	TooLarge                      // the answer is larger than is read
	BadAnswer                     // the host's answer makes no sense
	OwnNetwork                    // the address leads into the server's own network
	StorageIsFull                 // the account has no room
	NotPublic                     // the address needs a key that its owner has not made public
	SignInPage                    // the address leads to a web page, mostly one to sign in on
	NotCalendar                   // what is at the address is no iCalendar data, or ends before its end
	NoSuchHost                    // there is no host of this name
	CutOff                        // the answer ended before its end
	NotServed                     // the host says that it will never do this
	InPart                        // the host hands over only some of what it has
	InTheOpen                     // without https, keys and events could be read on their way
	TooOpen                       // the address itself holds a key, and would be kept and shown
	NotTrusted                    // the host cannot prove to be who it says
)

// Error is a failed exchange with a host.
type Error struct {
	Kind       Kind
	Doing      string // what was attempted
	Status     int    // of HTTP, 0 without an answer
	RetryAfter time.Duration
	Err        error
}

// Error says what was attempted, and how it failed. It holds neither credentials
// nor anything of what was answered.
func (e *Error) Error() string {
	text := e.Doing
	if e.Status != 0 {
		text += fmt.Sprintf(": the host answered %d", e.Status)
	}
	if e.Err != nil {
		text += ": " + e.Err.Error()
	}
	return text
}

// Unwrap returns the cause.
func (e *Error) Unwrap() error { return e.Err }

// KindOf returns the kind of a failed exchange, or 0.
func KindOf(err error) Kind {
	var e *Error
	if errors.As(err, &e) {
		return e.Kind
	}
	return 0
}

// IsSilence reports whether a failure says something about the host, and not about
// one account or calendar: it does not answer, or answers that it cannot now.
func IsSilence(err error) bool {
	switch KindOf(err) {
	case NotReached, NoSuchHost, CutOff:
		return true
	}
	return false
}

// HasAnswered reports whether a failure is an answer of the host, and not silence.
func HasAnswered(err error) bool {
	var e *Error
	return errors.As(err, &e) && e.Status != 0 && !IsSilence(err)
}

// MayHaveHappened reports whether a request that failed may have been carried out
// all the same, now or later: the host did not say that it was not.
func MayHaveHappened(err error) bool {
	var e *Error
	if !errors.As(err, &e) {
		return err != nil // it was given up
	}
	var dial *net.OpError
	if errors.As(e.Err, &dial) && dial.Op == "dial" {
		return false
	}
	return e.Status >= 500 && e.Kind == NotReached || e.Status == 0 && (e.Kind == NotReached || e.Kind == CutOff) || e.Kind == TooLarge
}

// RetryAfter returns how long the host asks to be left alone; 0 when it does not.
func RetryAfter(err error) time.Duration {
	var e *Error
	if errors.As(err, &e) {
		return e.RetryAfter
	}
	return 0
}

// Failed turns an exchange without a whole answer into an *Error. The address is
// left out: the caller names the host. Where the caller's own context has ended,
// nothing is said about the host, and the error is no *Error.
func Failed(ctx context.Context, doing string, err error) error {
	var known *Error
	if errors.As(err, &known) {
		return err
	}
	if ctx.Err() != nil {
		return fmt.Errorf("%s: %w", doing, context.Cause(ctx))
	}
	e := &Error{Kind: NotReached, Doing: doing, Err: err}
	var u *url.Error
	if errors.As(err, &u) {
		e.Err = u.Err
	}
	var dns *net.DNSError
	var certificate *tls.CertificateVerificationError
	switch {
	case errors.Is(err, ErrForbidden):
		e.Kind, e.Err = OwnNetwork, ErrForbidden
	case errors.Is(err, ErrPlain):
		e.Kind, e.Err = InTheOpen, ErrPlain
	case errors.Is(err, errTooLarge):
		e.Kind, e.Err = TooLarge, errTooLarge
	case errors.As(err, &dns) && dns.IsNotFound:
		e.Kind, e.Err = NoSuchHost, errors.New("there is no host of this name")
	case errors.As(err, &certificate):
		e.Kind, e.Err = NotTrusted, errors.New("its certificate does not hold")
	case errors.Is(err, io.ErrUnexpectedEOF), errors.Is(err, io.EOF):
		e.Kind = CutOff
	}
	return e
}

// Refused turns an answer that is no success into an *Error.
func Refused(doing string, res *http.Response) error {
	body, _ := io.ReadAll(io.LimitReader(res.Body, 16<<10))
	e := &Error{Kind: BadAnswer, Doing: doing, Status: res.StatusCode, RetryAfter: retryAfter(res.Header)}
	switch s := res.StatusCode; {
	case bytes.Contains(body, []byte("valid-sync-token")):
		e.Kind = StaleToken
	case s == http.StatusUnauthorized:
		e.Kind = WrongKey
	case s == http.StatusForbidden:
		e.Kind = Forbidden
	case s == http.StatusNotFound || s == http.StatusGone:
		e.Kind = NotThere
	case s == http.StatusPreconditionFailed || s == http.StatusConflict:
		e.Kind = Changed
	case s == http.StatusInsufficientStorage:
		e.Kind = StorageIsFull
	case s == http.StatusMethodNotAllowed:
		e.Kind = BadAddress
	case s == http.StatusNotImplemented || s == http.StatusHTTPVersionNotSupported:
		e.Kind = NotServed
	case s == http.StatusTooManyRequests || s >= 500:
		e.Kind = NotReached
	}
	return e
}

// longestWait is the most that a host's Retry-After is believed.
const longestWait = 24 * time.Hour

// retryAfter reads Retry-After (RFC 9110, section 10.2.3). A date is reckoned
// from the host's own clock.
func retryAfter(h http.Header) time.Duration {
	text := h.Get("Retry-After")
	if seconds, err := strconv.Atoi(text); err == nil {
		return min(time.Duration(max(min(seconds, 1<<30), 0))*time.Second, longestWait)
	}
	at, err := http.ParseTime(text)
	now, err2 := http.ParseTime(h.Get("Date"))
	if err != nil || err2 != nil {
		return 0
	}
	return min(max(at.Sub(now), 0), longestWait)
}

var errTooLarge = errors.New("the answer is too large")

// Limit returns the body of an answer, which fails once it turns out to be
// larger than the limit in bytes. Closing it closes the body.
func Limit(body io.ReadCloser, limit int64) io.ReadCloser {
	return &limited{body, limit}
}

type limited struct {
	io.ReadCloser
	left int64
}

func (l *limited) Read(p []byte) (int, error) {
	if int64(len(p)) > l.left+1 {
		p = p[:l.left+1]
	}
	n, err := l.ReadCloser.Read(p)
	if l.left -= int64(n); l.left < 0 {
		return 0, errTooLarge
	}
	return n, err
}
