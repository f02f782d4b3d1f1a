package feed_test

import (
	"compress/gzip"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/outbound"
	"niche/internal/source/feed"
)

const calendar = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n"

// hall publishes what the tests ask for, and counts bodies that it sent.
type hall struct {
	*httptest.Server
	sent int
}

func openHall(t *testing.T) *hall {
	h := &hall{}
	mux := http.NewServeMux()
	say := func(path string, status int, body string) {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(status)
			_, _ = io.WriteString(w, body)
		})
	}
	say("/page", 200, "\n <!DOCTYPE html><title>Sign in</title>")
	say("/private", 401, "")
	say("/hidden", 403, "")
	say("/gone", 410, "")
	say("/broken", 500, "")
	mux.HandleFunc("/good.ics", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("ETag", `"v1"`)
		w.Header().Set("Last-Modified", "Mon, 02 Mar 2026 08:00:00 GMT")
		w.Header().Set("Cache-Control", "public, max-age=3600")
		if r.Header.Get("If-None-Match") == `"v1"` && r.Header.Get("If-Modified-Since") == "Mon, 02 Mar 2026 08:00:00 GMT" {
			w.WriteHeader(http.StatusNotModified)
			return
		}
		h.sent++
		_, _ = io.WriteString(w, calendar)
	})
	pack := func(w io.Writer) {
		z := gzip.NewWriter(w)
		_, _ = io.WriteString(z, calendar)
		_ = z.Close()
	}
	mux.HandleFunc("/packed-for-the-way", func(w http.ResponseWriter, r *http.Request) {
		if !strings.Contains(r.Header.Get("Accept-Encoding"), "gzip") {
			w.WriteHeader(http.StatusNotAcceptable)
			return
		}
		w.Header().Set("Content-Encoding", "gzip")
		pack(w)
	})
	mux.HandleFunc("/packed.ics.gz", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "application/octet-stream")
		pack(w)
	})
	mux.HandleFunc("/bomb", func(w http.ResponseWriter, _ *http.Request) {
		z := gzip.NewWriter(w)
		block := strings.Repeat("X-LINE:and so on\r\n", 1<<16)
		_, _ = io.WriteString(z, "BEGIN:VCALENDAR\r\n")
		for range 300 {
			_, _ = io.WriteString(z, block)
		}
		_ = z.Close()
	})
	mux.HandleFunc("/cut", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Length", "100000")
		_, _ = io.WriteString(w, calendar)
	})
	mux.HandleFunc("/busy", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Retry-After", "90")
		w.WriteHeader(http.StatusTooManyRequests)
	})
	mux.Handle("/moved", http.RedirectHandler("/good.ics", http.StatusFound))
	mux.Handle("/circle", http.RedirectHandler("/circle", http.StatusFound))
	mux.Handle("/inside", http.RedirectHandler("https://127.0.0.1:9/secret", http.StatusFound))
	h.Server = httptest.NewServer(mux)
	t.Cleanup(h.Close)
	return h
}

func (h *hall) client() *http.Client {
	return outbound.NewClient([]string{strings.TrimPrefix(h.URL, "http://")}, 10*time.Second)
}

func TestWhatAnAddressLeadsToIsTold(t *testing.T) {
	h := openHall(t)
	for path, kind := range map[string]outbound.Kind{
		"/good.ics": 0, "/moved": 0, "/packed-for-the-way": 0, "/packed.ics.gz": 0,
		"/page": outbound.SignInPage, "/private": outbound.NotPublic, "/hidden": outbound.NotPublic, "/gone": outbound.NotThere, "/none": outbound.NotThere,
		"/broken": outbound.NotReached, "/busy": outbound.NotReached, "/circle": outbound.BadAnswer, "/inside": outbound.OwnNetwork,
		"/bomb": outbound.TooLarge, "/cut": outbound.CutOff,
	} {
		got, err := feed.Get(t.Context(), h.client(), h.URL+path, feed.Known{})
		if err == nil {
			var text []byte
			text, err = io.ReadAll(got.Body)
			require.NoError(t, got.Body.Close())
			if err == nil {
				require.Equal(t, calendar, string(text), path)
			} else {
				err = outbound.Failed(t.Context(), "reading", err)
			}
		}
		require.Equal(t, kind, outbound.KindOf(err), "%s: %v", path, err)
		var e *outbound.Error
		if path == "/busy" {
			require.ErrorAs(t, err, &e)
			require.Equal(t, 90*time.Second, e.RetryAfter)
		}
	}
	for _, none := range []string{"", "calendar.example", "ftp://calendar.example/x", "webcal:", "http://", "::"} {
		_, err := feed.Get(t.Context(), h.client(), none, feed.Known{})
		require.Equal(t, outbound.BadAddress, outbound.KindOf(err), none)
	}
	h.Close()
	_, err := feed.Get(t.Context(), h.client(), h.URL+"/good.ics", feed.Known{})
	require.Equal(t, outbound.NotReached, outbound.KindOf(err))
	require.NotContains(t, err.Error(), "good.ics", "an address can be a secret")
}

func TestWhatHasNotChangedIsNotSentAgain(t *testing.T) {
	h := openHall(t)
	first, err := feed.Get(t.Context(), h.client(), h.URL+"/moved", feed.Known{})
	require.NoError(t, err)
	require.Equal(t, time.Hour, first.MaxAge)
	require.NoError(t, first.Body.Close())
	again, err := feed.Get(t.Context(), h.client(), h.URL+"/moved", first.Known)
	require.NoError(t, err)
	require.Nil(t, again.Body)
	require.Equal(t, first.Known, again.Known)
	require.Equal(t, 1, h.sent)
}

// A name that is public when it is asked for and leads inside a moment later is
// refused where the connection is made; so is a redirect.
func TestTheOwnNetworkIsOutOfReach(t *testing.T) {
	tls := httptest.NewTLSServer(http.RedirectHandler("http://calendar.example/", http.StatusFound))
	defer tls.Close()
	hc := tls.Client()
	hc.CheckRedirect = func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }
	_, err := feed.Get(t.Context(), hc, "webcal:"+strings.TrimPrefix(tls.URL, "https:"), feed.Known{})
	require.ErrorContains(t, err, "anybody on the way", "webcal: is https:, and stays so")

	guarded := outbound.NewClient(nil, time.Second)
	for _, inside := range []string{"127.0.0.1", "[::1]", "localhost", "10.0.0.1", "169.254.169.254", "192.168.1.1", "[fd00::1]", "[::ffff:10.0.0.1]", "0.0.0.0", "[64:ff9b::a00:1]", "2130706433", "127.1"} {
		_, err := feed.Get(t.Context(), guarded, fmt.Sprintf("https://%s:%d/", inside, 1), feed.Known{})
		require.Contains(t, []outbound.Kind{outbound.OwnNetwork, outbound.NotReached, outbound.NoSuchHost}, outbound.KindOf(err), inside)
		if strings.Contains(inside, ".") && inside != "127.1" || inside == "localhost" {
			require.Equal(t, outbound.OwnNetwork, outbound.KindOf(err), inside)
		}
	}
}
