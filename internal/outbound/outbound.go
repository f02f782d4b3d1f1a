// Package outbound makes HTTP clients for addresses that users give.
//
// Such an address must not lead into the server's own network: connections to
// loopback, private, link-local and other special ranges are refused at the
// moment of dialling, after the name has been resolved, so that neither a
// redirect nor a name that resolves there later gets through. The operator can
// allow single hosts; to no other anything is sent without https.
package outbound

import (
	"context"
	"errors"
	"fmt"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"syscall"
	"time"
)

// ErrForbidden says that an address leads into the server's own network.
var ErrForbidden = errors.New("this address leads into the server's own network, where links are not allowed")

// ErrPlain says that what is sent to an address could be read on its way.
var ErrPlain = errors.New("without https, what is sent could be read on its way")

// secret asks by https only, but for the hosts that the operator allowed.
type secret struct {
	open map[string]bool
	next http.RoundTripper
}

// RoundTrip carries out a request.
func (s secret) RoundTrip(r *http.Request) (*http.Response, error) {
	if r.URL.Scheme != "https" && !s.open[strings.ToLower(r.URL.Host)] && !s.open[strings.ToLower(r.URL.Hostname())] {
		return nil, ErrPlain
	}
	return s.next.RoundTrip(r)
}

// special lists ranges that are not public and that netip does not name.
var special = []netip.Prefix{
	netip.MustParsePrefix("0.0.0.0/8"),
	netip.MustParsePrefix("100.64.0.0/10"),
	netip.MustParsePrefix("192.0.0.0/24"),
	netip.MustParsePrefix("192.0.2.0/24"),
	netip.MustParsePrefix("198.18.0.0/15"),
	netip.MustParsePrefix("198.51.100.0/24"),
	netip.MustParsePrefix("203.0.113.0/24"),
	netip.MustParsePrefix("240.0.0.0/4"),
	netip.MustParsePrefix("192.88.99.0/24"),
	netip.MustParsePrefix("::/96"),
	netip.MustParsePrefix("64:ff9b::/96"),
	netip.MustParsePrefix("64:ff9b:1::/48"),
	netip.MustParsePrefix("100::/64"),
	netip.MustParsePrefix("2001::/23"),
	netip.MustParsePrefix("2001:db8::/32"),
	netip.MustParsePrefix("2002::/16"),
	netip.MustParsePrefix("3fff::/20"),
	netip.MustParsePrefix("5f00::/16"),
	netip.MustParsePrefix("fec0::/10"),
}

func isPublic(ip netip.Addr) bool {
	ip = ip.Unmap()
	if !ip.IsGlobalUnicast() || ip.IsPrivate() {
		return false
	}
	for _, p := range special {
		if p.Contains(ip) {
			return false
		}
	}
	return true
}

// Dial opens connections.
type Dial func(ctx context.Context, network, address string) (net.Conn, error)

// NewDial returns a way to open connections that reaches only public addresses and the
// allowed hosts, given as host or host:port.
func NewDial(allowed []string, timeout time.Duration) Dial {
	open := openTo(allowed)
	plain := net.Dialer{Timeout: timeout}
	guarded := plain
	guarded.Control = func(_, address string, _ syscall.RawConn) error {
		ap, err := netip.ParseAddrPort(address)
		if err != nil || !isPublic(ap.Addr()) {
			return ErrForbidden
		}
		return nil
	}
	return func(ctx context.Context, network, address string) (net.Conn, error) {
		host, _, err := net.SplitHostPort(address)
		if err != nil {
			return nil, fmt.Errorf("reading the address %q: %w", address, err)
		}
		if open[strings.ToLower(host)] || open[strings.ToLower(address)] {
			return plain.DialContext(ctx, network, address)
		}
		return guarded.DialContext(ctx, network, address)
	}
}

func openTo(allowed []string) map[string]bool {
	open := map[string]bool{}
	for _, h := range allowed {
		open[strings.ToLower(h)] = true
	}
	return open
}

// NewClient returns a client that follows no redirects by itself, gives up after the
// timeout, and reaches what NewDial does.
func NewClient(allowed []string, timeout time.Duration) *http.Client {
	return &http.Client{
		Timeout: timeout,
		Transport: secret{openTo(allowed), &http.Transport{
			DialContext:            NewDial(allowed, timeout),
			ForceAttemptHTTP2:      true,
			TLSHandshakeTimeout:    timeout,
			ResponseHeaderTimeout:  timeout,
			MaxIdleConnsPerHost:    4,
			IdleConnTimeout:        90 * time.Second,
			MaxResponseHeaderBytes: 64 << 10,
		}},
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse },
	}
}
