package caldav

import (
	"context"
	"errors"
	"fmt"
	"net"
	"slices"
	"strings"
)

// Names answers questions to the DNS; a net.Resolver does.
type Names interface {
	LookupSRV(ctx context.Context, service, proto, name string) (cname string, addrs []*net.SRV, err error)
	LookupTXT(ctx context.Context, name string) ([]string, error)
}

// maxLocated is how many addresses a domain can name.
const maxLocated = 5

// Locate returns the addresses at which the accounts of a mail domain are looked for, the
// best first (RFC 6764, section 6): those that its SRV records name, by https before
// http, with the path of the TXT record beside them; and at last the domain itself. A
// domain that says it serves no calendars has none.
func Locate(ctx context.Context, names Names, domain string) ([]string, error) {
	domain = strings.TrimSuffix(strings.ToLower(domain), ".")
	var found []string
	for _, way := range []struct {
		service, scheme string
		port            uint16
	}{{"caldavs", "https", 443}, {"caldav", "http", 80}} {
		_, records, err := names.LookupSRV(ctx, way.service, "tcp", domain)
		if err != nil && !isNoSuchName(err) {
			return nil, fmt.Errorf("asking for the calendar service of %s: %w", domain, err)
		}
		path := ""
		for _, r := range records {
			target := strings.TrimSuffix(strings.ToLower(r.Target), ".")
			if target == "" { // it is decidedly not served (RFC 2782)
				return nil, nil
			}
			if path == "" {
				path = pathOf(ctx, names, "_"+way.service+"._tcp."+domain)
			}
			host := target
			if r.Port != way.port {
				host = net.JoinHostPort(target, fmt.Sprint(r.Port))
			}
			if address := way.scheme + "://" + host + path; len(found) < maxLocated && !slices.Contains(found, address) {
				found = append(found, address)
			}
		}
	}
	if len(found) == 0 {
		found = append(found, "https://"+domain+wellKnown)
	}
	return found, nil
}

// pathOf returns the path that the TXT record beside an SRV record names, and else the
// well-known one (RFC 6764, sections 4 and 5).
func pathOf(ctx context.Context, names Names, name string) string {
	texts, err := names.LookupTXT(ctx, name)
	if err == nil {
		for _, t := range texts {
			if path, ok := strings.CutPrefix(t, "path="); ok && strings.HasPrefix(path, "/") && len(path) < 500 && !strings.ContainsAny(path, "?#") {
				return path
			}
		}
	}
	return wellKnown
}

func isNoSuchName(err error) bool {
	var fault *net.DNSError
	return errors.As(err, &fault) && fault.IsNotFound
}
