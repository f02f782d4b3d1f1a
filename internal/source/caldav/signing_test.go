package caldav_test

import (
	"context"
	"crypto/md5"
	"encoding/hex"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
)

// signedBy reports whether a Digest answers the challenge for the user (RFC 7616,
// section 3.4.1).
func signedBy(r *http.Request, nonce, count string) bool {
	sum := func(parts ...string) string {
		h := md5.Sum([]byte(strings.Join(parts, ":")))
		return hex.EncodeToString(h[:])
	}
	p := map[string]string{}
	for _, part := range strings.Split(strings.TrimPrefix(r.Header.Get("Authorization"), "Digest "), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		p[name] = strings.Trim(value, `"`)
	}
	want := sum(sum("bryn", "calendars", "secret"), nonce, count, p["cnonce"], "auth", sum(r.Method, r.URL.RequestURI()))
	return p["nonce"] == nonce && p["nc"] == count && p["response"] == want
}

func TestRequestsAreSignedAsTheHostAsks(t *testing.T) {
	const multistatus = `<?xml version="1.0"?><d:multistatus xmlns:d="DAV:"><d:response><d:href>/</d:href><d:propstat><d:prop/><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response></d:multistatus>`
	open := func(handle func(w http.ResponseWriter, r *http.Request, n int) bool) (*httptest.Server, *[]string) {
		var seen []string
		web := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			scheme, _, _ := strings.Cut(r.Header.Get("Authorization"), " ")
			seen = append(seen, scheme)
			if !handle(w, r, len(seen)) {
				w.WriteHeader(http.StatusUnauthorized)
				return
			}
			w.WriteHeader(http.StatusMultiStatus)
			_, _ = io.WriteString(w, multistatus)
		}))
		t.Cleanup(web.Close)
		return web, &seen
	}
	ask := func(web *httptest.Server, who source.Credentials, times int) error {
		c, err := caldav.NewClient(outbound.NewClient([]string{hostOf(web)}, 10*time.Second), web.URL, who)
		require.NoError(t, err)
		for range times {
			if _, _, _, err = c.Calendars(context.Background()); err != nil {
				break
			}
		}
		return err
	}
	bryn := source.Credentials{User: "bryn", Password: "secret"}

	tired, seen := open(func(w http.ResponseWriter, _ *http.Request, _ int) bool {
		w.WriteHeader(http.StatusServiceUnavailable)
		return false
	})
	require.Equal(t, outbound.NotReached, outbound.KindOf(ask(tired, bryn, 1)))
	require.Equal(t, []string{""}, *seen, "a host that could not say what it wants gets nothing")

	count, nonce := 0, "first"
	digest, seen := open(func(w http.ResponseWriter, r *http.Request, n int) bool {
		if n == 4 { // the nonce is used up
			nonce, count = "second", 0
		}
		count++
		if signedBy(r, nonce, fmt.Sprintf("%08x", count)) {
			return true
		}
		count = 0
		stale := map[bool]string{true: ", stale=true"}[n > 1]
		w.Header().Add("WWW-Authenticate", `Basic realm="calendars"`)
		w.Header().Add("WWW-Authenticate", `Digest realm="calendars", nonce="`+nonce+`", qop="auth", algorithm=MD5`+stale)
		return false
	})
	require.NoError(t, ask(digest, bryn, 4))
	require.Equal(t, []string{"", "Digest", "Digest", "Digest", "Digest", "Digest"}, *seen, "asked once, never sent in the clear, one request each until the nonce is used up")
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(digest, source.Credentials{User: "bryn", Password: "wrong"}, 1)))

	basic, seen := open(func(w http.ResponseWriter, r *http.Request, _ int) bool {
		user, key, _ := r.BasicAuth()
		w.Header().Set("WWW-Authenticate", `Basic realm="calendars"`)
		return user == "bryn" && key == "secret"
	})
	require.NoError(t, ask(basic, bryn, 2))
	require.Equal(t, []string{"", "Basic", "Basic"}, *seen)
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(basic, source.Credentials{User: "bryn", Password: "wrong"}, 1)))

	bearer, seen := open(func(w http.ResponseWriter, r *http.Request, _ int) bool {
		w.Header().Set("WWW-Authenticate", `Bearer error="invalid_token"`)
		return r.Header.Get("Authorization") == "Bearer token-1"
	})
	require.NoError(t, ask(bearer, source.Credentials{Token: "token-1"}, 2))
	require.Equal(t, []string{"Bearer", "Bearer"}, *seen)
	require.Equal(t, outbound.WrongKey, outbound.KindOf(ask(bearer, source.Credentials{Token: "token-0"}, 1)))
}

func hostOf(web *httptest.Server) string { return strings.TrimPrefix(web.URL, "http://") }
