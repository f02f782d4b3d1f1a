package caldav

import (
	"net/url"
	"strings"
)

// Hosts spell the address of one resource in many ways: absolute or relative, with
// %40 or @, with characters left as they are that an address cannot hold. Each
// address is therefore known in two forms: its path in one spelling, by which
// resources are compared and kept, and as the host spells it, for asking.

// locate reads an href from an answer to a request for a target. The origin is
// empty where the href names none, or the one of the target.
func locate(target *url.URL, href string) (origin, address string) {
	href = strings.TrimSpace(href)
	if scheme, rest, absolute := strings.Cut(href, "://"); absolute && isWeb(scheme) {
		host, path, _ := strings.Cut(rest, "/")
		origin, href = strings.ToLower(scheme+"://"+host), "/"+path
		if origin == originOf(target) {
			origin = ""
		}
	}
	if !strings.HasPrefix(href, "/") {
		dir := target.EscapedPath()
		href = dir[:strings.LastIndexByte(dir, '/')+1] + href
	}
	return origin, requestable(href)
}

func isWeb(scheme string) bool {
	return strings.EqualFold(scheme, "http") || strings.EqualFold(scheme, "https")
}

func originOf(u *url.URL) string { return strings.ToLower(u.Scheme + "://" + u.Host) }

// requestable returns a path as it can be asked for: what an address cannot hold
// is escaped, and escapes stay as they are.
func requestable(path string) string {
	return escape(path, func(i int) bool {
		return path[i] == '%' && i+2 < len(path) && isHex(path[i+1]) && isHex(path[i+2]) || strings.IndexByte(allowed, path[i]) >= 0 || isPlain(path[i])
	})
}

// literal returns a path in which nothing is an escape: for hosts that list names
// as they are.
func literal(path string) string {
	return escape(path, func(i int) bool { return strings.IndexByte(allowed, path[i]) >= 0 || isPlain(path[i]) })
}

// allowed are the characters of a path besides letters, digits and -._~ (RFC 3986,
// section 3.3).
const allowed = "/!$&'()*+,;=:@"

func isPlain(c byte) bool {
	return c >= 'a' && c <= 'z' || c >= 'A' && c <= 'Z' || c >= '0' && c <= '9' || c == '-' || c == '.' || c == '_' || c == '~'
}

func isHex(c byte) bool {
	return c >= '0' && c <= '9' || c >= 'a' && c <= 'f' || c >= 'A' && c <= 'F'
}

func escape(path string, keep func(i int) bool) string {
	const digits = "0123456789ABCDEF"
	var b strings.Builder
	for i := range len(path) {
		if c := path[i]; keep(i) {
			b.WriteByte(c)
		} else {
			b.WriteString("%" + string(digits[c>>4]) + string(digits[c&15]))
		}
	}
	return b.String()
}

// Path returns the one spelling of an address: of each name in it what it stands
// for, escaped as little as possible. Two addresses of one resource have the same.
func Path(address string) string {
	parts := strings.Split(requestable(address), "/")
	for i, p := range parts {
		name, err := url.PathUnescape(p)
		if err != nil {
			name = p
		}
		parts[i] = escape(name, func(i int) bool {
			return name[i] != '/' && (strings.IndexByte(allowed, name[i]) >= 0 || isPlain(name[i]))
		})
	}
	return strings.Join(parts, "/")
}

// sameCollection compares the paths of collections, with and without the slash at
// their end.
func sameCollection(a, b string) bool {
	return strings.TrimSuffix(a, "/") == strings.TrimSuffix(b, "/")
}

// spellings are the ways in which a resource can be asked for, the host's own first.
func spellings(address string) []string {
	list := []string{address}
	for _, other := range []string{Path(address), literal(address)} {
		if other != list[0] && other != list[len(list)-1] {
			list = append(list, other)
		}
	}
	return list
}

// at returns the URL of an address on the host.
func (c *Client) at(address string) *url.URL {
	u := *c.base
	u.RawQuery = ""
	u.Path, u.RawPath = address, ""
	if path, err := url.PathUnescape(address); err == nil {
		u.Path, u.RawPath = path, address
	}
	return &u
}
