package feed_test

import (
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/feed"
	"niche/internal/outbound"
)

const calendar = "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nEND:VCALENDAR\r\n"

func TestWhatAnAddressLeadsToIsTold(t *testing.T) {
	mux := http.NewServeMux()
	say := func(path string, status int, body string) {
		mux.HandleFunc(path, func(w http.ResponseWriter, _ *http.Request) {
			w.WriteHeader(status)
			_, _ = io.WriteString(w, body)
		})
	}
	say("/good.ics", 200, calendar)
	say("/page", 200, "\n <!DOCTYPE html><title>Sign in</title>")
	say("/private", 401, "")
	say("/gone", 410, "")
	say("/broken", 500, "")
	say("/huge", 200, strings.Repeat("x", 33<<20))
	mux.Handle("/moved", http.RedirectHandler("/good.ics", http.StatusFound))
	mux.Handle("/circle", http.RedirectHandler("/circle", http.StatusFound))
	mux.Handle("/inside", http.RedirectHandler("http://127.0.0.1:9/secret", http.StatusFound))
	web := httptest.NewServer(mux)
	defer web.Close()
	hc := outbound.NewClient([]string{strings.TrimPrefix(web.URL, "http://")}, 10*time.Second)
	for path, says := range map[string]string{
		"/good.ics": "", "/moved": "", "/page": "This is a web page and no calendar. Ask for the public iCalendar address.",
		"/private": "This calendar is not public.", "/gone": "There is nothing at this address.", "/none": "There is nothing at this address.",
		"/broken": "The host answers with an error (500).", "/huge": "The calendar is too large to be read.",
		"/circle": "The address redirects in a circle.", "/inside": "This address leads into the server's own network.",
	} {
		data, err := feed.Fetch(t.Context(), hc, web.URL+path)
		if says == "" {
			require.NoError(t, err, path)
			require.Equal(t, calendar, string(data))
			continue
		}
		require.Error(t, err, path)
		require.Equal(t, says, feed.Words(err), path)
	}
	for _, none := range []string{"", "calendar.example", "ftp://calendar.example/x", "webcal:", "http://"} {
		_, err := feed.Fetch(t.Context(), hc, none)
		require.Equal(t, "This is not a web address.", feed.Words(err), none)
	}
	web.Close()
	_, err := feed.Fetch(t.Context(), hc, web.URL+"/good.ics")
	require.Equal(t, "The address does not answer. Check it, or try again later.", feed.Words(err))
}
