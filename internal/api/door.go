package api

import (
	"context"
	"crypto/subtle"
	"fmt"
	"math"
	"net"
	"net/http"
	"net/netip"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/gin-gonic/gin"

	"niche/internal/allow"
	"niche/internal/files"
	"niche/internal/people"
	"niche/internal/store"
)

// Policy says who may ask an operation, and how often somebody may who has not signed
// in. One without a name lets nobody in.
type Policy struct {
	Name string
	role people.Role
	rate func(Limits) allow.Rate // of one network
}

const policyKey = "policy"

// The policies. What is asked for by anyone is either read, which costs some
// milliseconds, or done, which leaves something behind.
var (
	Administrators = Policy{Name: "administrators", role: people.RoleAdministrator}
	Members        = Policy{Name: "staff members, of their own", role: people.RoleStaff}
	Readers        = Policy{Name: "anyone, reading", rate: func(l Limits) allow.Rate { return l.Reading }}
	Comers         = Policy{Name: "anyone, at the door", rate: func(l Limits) allow.Rate { return l.Door }}
	Hosts          = Policy{Name: "anyone, by a signature", rate: func(l Limits) allow.Rate { return l.Reading }}
	Clients        = Policy{Name: "anyone, booking", rate: func(l Limits) allow.Rate { return l.Booking }}
)

// Limits are how much anyone may do from one network, for one mail address and on one
// page, without having signed in.
type Limits struct {
	Reading allow.Rate // asking for a page or a booking
	Door    allow.Rate // trying to come in
	Booking allow.Rate // booking, moving and cancelling
	Mail    allow.Rate // bookings taken by one mail address
	Page    allow.Rate // bookings taken on one page
	Move    allow.Rate // moves of one booking
	Forms   bool       // whether a booking has to come from a page that somebody has looked at
	Ahead   bool       // whether a mail address has no more bookings ahead than the business says
}

// DefaultLimits suit a business whose clients now and then share an address.
var DefaultLimits = Limits{
	Reading: allow.Rate{Burst: 600, Every: 100 * time.Millisecond},
	Door:    allow.Rate{Burst: 60, Every: time.Second},
	Booking: allow.Rate{Burst: 30, Every: 30 * time.Second},
	Mail:    allow.Rate{Burst: 10, Every: 10 * time.Minute},
	Page:    allow.Rate{Burst: 300, Every: 2 * time.Second},
	Move:    allow.Rate{Burst: 5, Every: 10 * time.Minute},
	Forms:   true,
	Ahead:   true,
}

// NoLimits lets anyone do as much as they like, as tests of other things want it.
var NoLimits = Limits{}

// guard limits what any request may cost, refuses what came by another name, and sets
// the headers that every answer has.
func (s *server) guard(c *gin.Context) {
	h, path := c.Writer.Header(), c.Request.URL.Path
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Content-Security-Policy", s.policyFor(c.Request.Context(), path))
	if s.Secure {
		h.Set("Strict-Transport-Security", "max-age=31536000")
	}
	if strings.HasPrefix(path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	if s.Host != "" && !strings.EqualFold(c.Request.Host, s.Host) {
		WriteProblem(c.Writer, NewProblem(http.StatusMisdirectedRequest, "Niche is reached by another name here."))
		c.Abort()
		return
	}
	most := int64(maxBody)
	if strings.HasPrefix(path, "/api/pages/") && strings.HasSuffix(path, "/files") {
		most = files.LargestSent
	}
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, most)
	ctx := context.WithValue(c.Request.Context(), loggerKey{}, s.Log)
	if path != "/api/changes" {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, handlerTime)
		defer cancel()
	}
	ctx = context.WithValue(ctx, browserKey{}, s.browser(c.Request))
	c.Request = c.Request.WithContext(ctx)
	c.Next()
}

// policyFor returns the content security policy of a path. Only the clients' pages can be
// shown in frames, and only by sites that are named.
func (s *server) policyFor(ctx context.Context, path string) string {
	frames := "'none'"
	if isClients(path) {
		sites := []string{"'self'"}
		if _, slug, ok := strings.Cut(path[1:], "/"); ok && !strings.HasPrefix(path, "/booking/") && s.Framing != nil {
			sites = append(sites, s.Framing(ctx, slug)...)
		}
		frames = strings.Join(sites, " ")
	}
	return "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors " + frames
}

// isClients reports whether a path is one of the clients' pages.
func isClients(path string) bool {
	return strings.HasPrefix(path, "/book/") || strings.HasPrefix(path, "/booking/") || strings.HasPrefix(path, "/choose/")
}

// Cookies of a browser: its session, and that somebody has signed in there before. Over
// https their names bind them to this host.
const (
	sessionCookie = "niche_session"
	knownCookie   = "niche_browser"
	askedCookie   = "niche_asked"
)

// cookieName returns the name of a cookie: over https with the prefix that binds it to
// the host (RFC 6265bis, section 4.1.3.2).
func cookieName(secure bool, name string) string {
	if secure {
		return "__Host-" + name
	}
	return name
}

// Cookies returns the cookies that sign somebody in; out of whose session is empty, those
// that sign out.
func Cookies(secure bool, in people.In) []http.Cookie {
	if in.Token == "" {
		return []http.Cookie{cookie(secure, sessionCookie, "", -1)}
	}
	cookies := []http.Cookie{cookie(secure, sessionCookie, in.Token, people.SessionSeconds)}
	if in.Known != "" {
		cookies = append(cookies, cookie(secure, knownCookie, in.Known, people.KnownSeconds))
	}
	return cookies
}

func cookie(secure bool, name, value string, age int) http.Cookie {
	return http.Cookie{Name: cookieName(secure, name), Value: value, Path: "/", MaxAge: age, HttpOnly: true, Secure: secure, SameSite: http.SameSiteLaxMode}
}

// AskedCookie returns what a browser keeps that has asked for a one-time address.
func AskedCookie(secure bool, asked string) http.Cookie {
	return cookie(secure, askedCookie, asked, people.AskedSeconds)
}

type (
	principalKey struct{}
	browserKey   struct{}
)

// Who returns who asks.
func Who(ctx context.Context) people.Principal {
	p, _ := ctx.Value(principalKey{}).(people.Principal)
	return p
}

// From returns where somebody asks from.
func From(ctx context.Context) people.Browser {
	b, _ := ctx.Value(browserKey{}).(people.Browser)
	return b
}

// browser says where a request comes from.
func (s *server) browser(r *http.Request) people.Browser {
	b := people.Browser{Network: allow.Network(clientAddress(r, s.Proxies)), Device: device(r.UserAgent())}
	kept := func(name string) string {
		c, err := r.Cookie(cookieName(s.Secure, name))
		if err != nil || len(c.Value) >= 200 {
			return ""
		}
		return c.Value
	}
	b.Known, b.Asked = kept(knownCookie), kept(askedCookie)
	return b
}

// clientAddress returns the address of whoever asks: of the connection, or when that is
// one of our own proxies, the nearest that is not in Forwarded (RFC 7239) or, without
// it, in X-Forwarded-For. What stands further to the left anybody can write.
func clientAddress(r *http.Request, proxies []netip.Prefix) netip.Addr {
	host, _, err := net.SplitHostPort(r.RemoteAddr)
	if err != nil {
		host = r.RemoteAddr
	}
	at, err := netip.ParseAddr(host)
	if err != nil {
		return netip.Addr{}
	}
	ours := func(ip netip.Addr) bool {
		for _, p := range proxies {
			if p.Contains(ip.Unmap().WithZone("")) {
				return true
			}
		}
		return false
	}
	hops := forwarded(r.Header)
	for i := len(hops) - 1; i >= 0 && ours(at); i-- {
		next, ok := hopAddress(hops[i])
		if !ok {
			break // hidden or unreadable: the proxy itself is all that is known
		}
		at = next
	}
	return at
}

// forwarded returns for whom each proxy says that it asks, the nearest last.
func forwarded(h http.Header) (hops []string) {
	if lines := h.Values("Forwarded"); len(lines) > 0 {
		for _, element := range strings.Split(strings.Join(lines, ","), ",") {
			hop := ""
			for pair := range strings.SplitSeq(element, ";") {
				name, value, _ := strings.Cut(strings.TrimSpace(pair), "=")
				if strings.EqualFold(name, "for") {
					hop = strings.Trim(value, `"`)
				}
			}
			hops = append(hops, hop)
		}
		return hops
	}
	for _, hop := range strings.Split(strings.Join(h.Values("X-Forwarded-For"), ","), ",") {
		hops = append(hops, strings.TrimSpace(hop))
	}
	return hops
}

// hopAddress reads 192.0.2.60, 192.0.2.60:80, 2001:db8::17, [2001:db8::17] or
// [2001:db8::17]:4711.
func hopAddress(hop string) (netip.Addr, bool) {
	if ip, err := netip.ParseAddr(strings.Trim(hop, "[]")); err == nil {
		return ip, true
	}
	ap, err := netip.ParseAddrPort(hop)
	return ap.Addr(), err == nil
}

// device says in a few words what a browser says of itself.
func device(agent string) string {
	switch {
	case !strings.HasPrefix(agent, "Mozilla/"):
		return "A program"
	case strings.Contains(agent, "Mobi"):
		return "A browser on a phone"
	case strings.Contains(agent, "Android"), strings.Contains(agent, "Tablet"), strings.Contains(agent, "iPad"):
		return "A browser on a tablet"
	}
	return "A browser on a computer"
}

// principal returns who has signed in by the cookie of a request.
func (s *server) principal(r *http.Request) (people.Principal, bool) {
	c, err := r.Cookie(cookieName(s.Secure, sessionCookie))
	return s.signedIn(r.Context(), c, err)
}

// signedIn returns who has signed in by a cookie that was read.
func (s *server) signedIn(ctx context.Context, c *http.Cookie, err error) (people.Principal, bool) {
	if err != nil || len(c.Value) > 200 {
		return people.Principal{}, false
	}
	return s.People.Of(ctx, c.Value)
}

// admit lets in whom the policy of the operation lets in, and puts into the context who
// that is, for handlers and for the trail.
func (s *server) admit(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		p, _ := ctx.Operation().Metadata[policyKey].(Policy)
		from := From(ctx.Context())
		c, err := huma.ReadCookie(ctx, cookieName(s.Secure, sessionCookie))
		who, in := s.signedIn(ctx.Context(), c, err)
		switch {
		case p.Name == "":
			_ = huma.WriteErr(a, ctx, http.StatusForbidden, "This is for nobody.")
			return
		case p.role != "" && (!in || who.Role != p.role):
			_ = huma.WriteErr(a, ctx, http.StatusUnauthorized, "Sign in first.")
			return
		case p.rate != nil && !in:
			if wait := s.asked.Take(from.Network+" "+p.Name, p.rate(s.Limits)); wait > 0 {
				_ = tooSoon(a, ctx, wait)
				return
			}
		}
		doer := store.Doer{Role: string(who.Role), ID: who.ID, Name: who.Name, Origin: from.Network}
		if !in {
			doer.Role, doer.Name = string(people.RoleClient), "a client"
		}
		next(huma.WithContext(ctx, store.By(context.WithValue(ctx.Context(), principalKey{}, who), doer)))
	}
}

// tooSoon answers that something was asked too often.
func tooSoon(a huma.API, ctx huma.Context, wait time.Duration) error {
	ctx.SetHeader("Retry-After", retryAfter(wait))
	return huma.WriteErr(a, ctx, http.StatusTooManyRequests, waitWords(wait))
}

func retryAfter(wait time.Duration) string { return fmt.Sprint(int(math.Ceil(wait.Seconds()))) }

// waitWords says how long somebody has to wait.
func waitWords(wait time.Duration) string {
	switch s := int(math.Ceil(wait.Seconds())); {
	case s <= 1:
		return "That was too often. Try again in a second."
	case s < 100:
		return fmt.Sprintf("That was too often. Try again in %d seconds.", s)
	default:
		return fmt.Sprintf("That was too often. Try again in %d minutes.", (s+59)/60)
	}
}

// Refusal is the problem of something that was asked too often, with how long to wait.
func Refusal(wait time.Duration) error {
	return huma.ErrorWithHeaders(NewProblem(http.StatusTooManyRequests, waitWords(wait)), http.Header{"Retry-After": {retryAfter(wait)}})
}

// withToken serves only who shows a token (RFC 6750).
func withToken(token string, next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		given, ok := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer ")
		if !ok || subtle.ConstantTimeCompare([]byte(given), []byte(token)) != 1 {
			w.Header().Set("WWW-Authenticate", "Bearer")
			WriteProblem(w, NewProblem(http.StatusUnauthorized, "Metrics are for who has the token."))
			return
		}
		next.ServeHTTP(w, r)
	})
}
