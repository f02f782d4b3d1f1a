package nichetest

import (
	"bytes"
	"io"
	"log"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"regexp"
	"strconv"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"
)

// Trouble stands before an honest host, or on the line to it, and does wrong as long
// as it is told to.
type Trouble struct {
	mu    sync.Mutex
	fault func(r *http.Request, body []byte) Fault
	asked []string
}

// Fault is what is done wrong with one exchange. The zero value does right.
type Fault struct {
	Status   int               // answered instead; 0 for the host's own
	Change   func(http.Header) // of what is answered
	Unasked  bool              // the host is not asked at all
	Unheard  bool              // the host does what it was asked, and the line breaks before it answers
	Cut      bool              // the line breaks in the middle of the answer
	Wait     <-chan struct{}   // the answer waits for it
	Carried  func()            // called when the host has done what it was asked
	Answer   func(body string) string
	Question func(body string) string
}

// Set says what is done wrong from now on; nil for nothing.
func (t *Trouble) Set(fault func(r *http.Request, body []byte) Fault) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.fault = fault
}

// Always says that one thing is done wrong from now on, with all requests of a method
// or, for "", with all.
func (t *Trouble) Always(method string, f Fault) {
	t.Set(func(r *http.Request, _ []byte) Fault {
		if method == "" || r.Method == method {
			return f
		}
		return Fault{}
	})
}

// Asked returns the methods of the requests since it was last called.
func (t *Trouble) Asked() []string {
	t.mu.Lock()
	defer t.mu.Unlock()
	asked := t.asked
	t.asked = nil
	return asked
}

// Guard returns a handler that does wrong with another.
func (t *Trouble) Guard(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		question, _ := io.ReadAll(r.Body)
		t.mu.Lock()
		t.asked = append(t.asked, r.Method)
		fault := t.fault
		t.mu.Unlock()
		f := Fault{}
		if fault != nil {
			f = fault(r, question)
		}
		if f.Question != nil {
			question = []byte(f.Question(string(question)))
			r.ContentLength = int64(len(question))
		}
		r.Body = io.NopCloser(bytes.NewReader(question))
		got := httptest.NewRecorder()
		if !f.Unasked {
			next.ServeHTTP(got, r)
		}
		if f.Carried != nil {
			f.Carried()
		}
		if f.Wait != nil {
			select {
			case <-f.Wait:
			case <-r.Context().Done():
				return
			}
		}
		if f.Unheard {
			panic(http.ErrAbortHandler)
		}
		for k, v := range got.Header() {
			w.Header()[k] = v
		}
		if f.Change != nil {
			f.Change(w.Header())
		}
		body := got.Body.Bytes()
		if f.Answer != nil {
			body = []byte(f.Answer(string(body)))
			w.Header().Del("Content-Length")
		}
		status := got.Code
		if f.Status != 0 {
			status, body = f.Status, nil
		}
		if f.Cut {
			w.Header().Set("Content-Length", strconv.Itoa(len(body)))
			w.WriteHeader(status)
			_, _ = w.Write(body[:len(body)/3])
			panic(http.ErrAbortHandler)
		}
		w.WriteHeader(status)
		_, _ = w.Write(body)
	})
}

var (
	responses = regexp.MustCompile(`(?s)<d:response>.*?</d:response>`)
	hrefs     = regexp.MustCompile(`<d:href>([^<]*)</d:href>`)
)

// Part changes, in an answer of the stand-in, the part about the resource whose path
// contains a text.
func Part(about string, change func(part, href string) string) func(body string) string {
	return func(body string) string {
		return responses.ReplaceAllStringFunc(body, func(part string) string {
			href := hrefs.FindStringSubmatch(part)
			if href == nil || !strings.Contains(href[1], about) {
				return part
			}
			return change(part, href[1])
		})
	}
}

// With returns a part that answers a resource with a status alone.
func With(status string) func(part, href string) string {
	return func(_, href string) string {
		return "<d:response><d:href>" + href + "</d:href><d:status>HTTP/1.1 " + status + "</d:status></d:response>"
	}
}

// Spelled returns a part that spells the address of its resource otherwise.
func Spelled(spell func(href string) string) func(part, href string) string {
	return func(part, href string) string {
		return strings.Replace(part, "<d:href>"+href+"</d:href>", "<d:href>"+spell(href)+"</d:href>", 1)
	}
}

// Before runs a proxy before a host, on loopback, that does wrong, and returns its
// address.
func Before(t testing.TB, address string, fault func(r *http.Request, body []byte) Fault) string {
	trouble := &Trouble{}
	trouble.Set(fault)
	return trouble.Before(t, address)
}

// Before runs a proxy before a host that does wrong as long as it is told to, and
// returns its address.
func (t *Trouble) Before(tb testing.TB, address string) string {
	target, err := url.Parse(origin(address))
	require.NoError(tb, err)
	proxy := &httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
		r.SetURL(target)
		r.Out.Host = r.In.Host // so that the host spells its addresses as it is asked
	}, ErrorLog: log.New(io.Discard, "", 0), Transport: &http.Transport{DisableKeepAlives: true}}
	web := httptest.NewServer(t.Guard(proxy))
	tb.Cleanup(web.Close)
	return web.URL
}
