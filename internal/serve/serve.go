// Package serve runs one whole Niche: it opens the data folder, starts what works
// off the queues, listens, and stops all of it in order.
package serve

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"net/netip"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/prometheus/client_golang/prometheus"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/attention"
	"niche/internal/booking"
	"niche/internal/files"
	"niche/internal/footfall"
	"niche/internal/gateway"
	"niche/internal/health"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/meeting"
	"niche/internal/message"
	"niche/internal/outbound"
	"niche/internal/outbox"
	"niche/internal/payment"
	"niche/internal/people"
	"niche/internal/proof"
	"niche/internal/reading"
	"niche/internal/source/caldav"
	"niche/internal/store"
	"niche/internal/work"
)

// GCPercent is how far the heap of a program that serves may grow before it is
// collected. The heap is small and its garbage short-lived: collecting it less
// often costs some megabytes and takes two thirds off the slowest answers.
const GCPercent = 400

// Here stands for the address at which a Niche listens, as a demo wants it.
const Here = "here"

// Settings of a running Niche.
type Settings struct {
	Listen     string // host:port; port 0 takes a free one
	Data       string // the data folder
	KeyFile    string // the key for secrets; inside the data folder when empty
	NewKey     bool   // the key may be new, or another than before
	AllowHosts []string
	Names      caldav.Names // by whom the host of a mail address is found; the system's resolver when nil
	Poll       time.Duration
	Secure     bool   // the desk is reached over https
	URL        string // by which it is reached, as https://niche.example; empty for any
	Home       string // to which mails lead; the same as URL when empty, and Here for where it listens
	Proxies    []netip.Prefix
	Unlimited  bool   // anyone may do as much as they like, as tests of other things want it
	HashCost   int    // the work of hashing a password, as a power of two; bcrypt's own when 0
	Metrics    string // host:port of a listener for metrics alone; empty for none
	Answers    string // host:port of a listener to which mail that comes back is sent by SMTP; empty for none
	LMTP       bool   // it speaks LMTP (RFC 2033)
	Token      string // that opens the metrics beside everything else; empty for nobody
	Version    string
	Log        *slog.Logger
	Now        func() time.Time
}

// hostTime is how long a host may take for one answer.
const hostTime = 20 * time.Second

// stopTime is how long requests may take to end when Niche stops: a booking that is
// under way is finished.
const stopTime = 8 * time.Second

// Niche is one that runs.
type Niche struct {
	Address  string // http://host:port
	Metrics  string // the same of the metrics, where they have a listener of their own
	Answers  string // host:port to which mail that comes back is sent, where there is one
	Code     string // the set-up code, as long as there is no administrator
	CodeFile string // where it lies
	cancel   context.CancelFunc
	done     sync.WaitGroup
	deafen   func() // ends the listener for answers
	servers  []*http.Server
	hub      *live.Hub
	counts   *footfall.Counts

	clients  *client.Client
	bookings *booking.Bookings
	readings *reading.Readings
	links    *link.Links
	runner   *work.Runner
	db       *store.DB
}

// Wake makes due work be looked for at once, as after a jump of the clock.
func (n *Niche) Wake() { n.runner.Wake() }

// Start starts Niche. It serves when Start returns.
func Start(s Settings) (*Niche, error) {
	if s.KeyFile == "" {
		s.KeyFile = filepath.Join(s.Data, "keys", "secrets.key")
	}
	db, err := store.Open(s.Data)
	if err != nil {
		return nil, err
	}
	n := &Niche{db: db, hub: &live.Hub{}}
	if err := n.start(s); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return n, nil
}

func (n *Niche) start(s Settings) error {
	ctx, cancel := context.WithCancel(context.Background())
	n.cancel = cancel
	keeper, err := link.Unlock(ctx, n.db, s.KeyFile, s.NewKey)
	if err != nil {
		cancel()
		return err
	}
	outside := outbound.NewClient(s.AllowHosts, hostTime)
	runner := work.New(n.db, s.Log, s.Now)
	n.runner = runner
	links := link.New(n.db, keeper, outside, runner.Hosts, s.Now)
	n.links = links
	if s.Names != nil {
		links.Names = s.Names
	}
	gateways := gateway.Gateways{Vault: keeper, HTTP: outside}
	mails := message.New(message.Settings{DB: n.db, Vault: keeper, Sign: keeper, Hears: s.Answers != "", Hosts: runner.Hosts, Hub: n.hub, Gateways: gateways, Dial: outbound.NewDial(s.AllowHosts, hostTime), Log: s.Log, Now: s.Now})
	meetings := &meeting.Meetings{DB: n.db, Gateways: gateways, Hosts: runner.Hosts, Hub: n.hub, Log: s.Log, Now: s.Now, Wake: runner.Wake, Told: mails.RoomMade}
	mails.Needs = func(ctx context.Context) (list []message.Need, err error) {
		items, err := attention.Look(ctx, n.db, span.At(s.Now()))
		for _, i := range items {
			if i.InSight(span.At(s.Now())) {
				list = append(list, message.Need{Title: i.Title, Words: i.Words})
			}
		}
		return list, err
	}
	answers := message.NewAnswers(mails)
	fared := health.New(n.db, s.Now)
	kept := &files.Files{DB: n.db, Folder: filepath.Join(s.Data, "files"), Now: s.Now}
	counts := &footfall.Counts{}
	n.counts = counts
	out := outbox.New(outbox.Settings{Noted: fared.Wrote, DB: n.db, Writer: links.Writer, Hosts: runner.Hosts, Hub: n.hub, Log: s.Log, Now: s.Now})
	n.readings = reading.New(ctx, reading.Settings{DB: n.db, Links: links, Hosts: runner.Hosts, Hub: n.hub, Log: s.Log, Now: s.Now, Poll: s.Poll, Wake: runner.Wake,
		Refused: mails.KeyRefused, Clashed: mails.Clashed, Noted: fared.Read})
	bookings := booking.New(ctx, booking.Settings{DB: n.db, Look: n.readings.Look, Hub: n.hub, Now: s.Now, Wake: runner.Wake, Tell: mails.Booked,
		PayWithin: payment.Hold,
		Seal:      keeper.Derive})
	payments := payment.New(payment.Settings{DB: n.db, Bookings: bookings, Gateways: gateways, Hosts: runner.Hosts, Hub: n.hub, Log: s.Log, Now: s.Now, Wake: runner.Wake})
	n.bookings = bookings
	bookings.Charge, bookings.Refund = payments.Charge, payments.Refund
	mails.Declined = bookings.Declined
	out.Follow, out.Tell = bookings.Follow, mails.CopyChanged
	if err := n.readings.Resume(ctx); err != nil {
		cancel()
		return fmt.Errorf("taking up the polls of calendars: %w", err)
	}
	runner.Add(out.Queue())
	runner.Add(n.readings.Queue())
	for _, q := range mails.Queues() {
		runner.Add(q)
	}
	runner.Add(meetings.Queue())
	runner.Add(payments.Queue())
	runner.Add(bookings.Queue())
	runner.Add(links.Queue(func() { n.hub.Tell(live.Calendars) }))
	proofs := proof.New(proof.Settings{DB: n.db, Links: links, Readings: n.readings, Bookings: bookings, Hub: n.hub, Log: s.Log, Now: s.Now})
	who := people.New(n.db, keeper, s.Data, s.Now, func() { n.hub.Tell(live.Sessions) })
	who.HashCost = s.HashCost
	counters := append([]prometheus.Collector{gauges{n.db, s.Now}}, append(append(out.Counters(), n.readings.Counters()...), answers.Counters()...)...)
	limits := api.DefaultLimits
	if s.Unlimited {
		limits = api.NoLimits
	}
	host, secure, err := named(s)
	if err != nil {
		cancel()
		return err
	}
	shared := &api.Links{DB: n.db, Links: links, Runner: runner, Hub: n.hub, Log: s.Log, Now: s.Now, Quiet: proofs.Quiet}
	n.clients = client.New(ctx, client.Settings{DB: n.db, Bookings: bookings, Payments: payments, Footfall: counts, Files: kept, Hub: n.hub, Outbound: outside, Messages: mails, Wake: runner.Wake, Sign: func(text string) string { return keeper.Derive("form", text) }, Home: func() string { return mails.Home }, Limits: limits, Log: s.Log, Now: s.Now})
	handler := api.New(api.Settings{People: who, Hub: n.hub, Counters: counters, Log: s.Log, Now: s.Now, Secure: secure, Host: host, Proxies: s.Proxies, Limits: limits, Metrics: s.Token, Version: s.Version, Moved: n.moved, First: n.clients.First, Framing: n.framing},
		desk.New(desk.Settings{DB: n.db, People: who, Links: shared, Runner: runner, Bookings: bookings, Proofs: proofs, Messages: mails, Gateways: gateways, Files: kept, Footfall: counts, Hub: n.hub, Outbound: outside, Log: s.Log, Now: s.Now, Secure: secure, About: about(s)}),
		member.New(member.Settings{DB: n.db, People: who, Links: shared, Messages: mails, Bookings: bookings, Files: kept, Runner: runner, Hub: n.hub, Now: s.Now, Secure: secure}),
		n.clients)
	if err := n.prepare(ctx, s, links, who, bookings); err != nil {
		cancel()
		return err
	}
	listener, err := net.Listen("tcp", s.Listen)
	if err != nil {
		cancel()
		return fmt.Errorf("listening: %w", err)
	}
	n.Address = "http://" + listener.Addr().String()
	// Nobody asks and nothing is worked off yet, so this is known in time.
	links.Home = strings.TrimSuffix(cmp.Or(s.Home, s.URL), "/")
	if s.Home == Here {
		links.Home = n.Address
	}
	mails.Home = links.Home
	if err := n.listen(s, listener, secure, handler, counters); err != nil {
		cancel()
		return err
	}
	if err := n.hear(s, answers); err != nil {
		cancel()
		return errors.Join(err, n.close(context.Background()))
	}
	n.done.Go(func() { runner.Run(ctx) })
	n.done.Go(func() { proofs.Run(ctx) })
	n.done.Go(func() {
		sweep(ctx, func(ctx context.Context) error {
			_, err := attention.Look(ctx, n.db, span.At(s.Now()))
			return errors.Join(err, bookings.Sweep(ctx), fared.Look(ctx), mails.Look(ctx), counts.Keep(ctx, n.db), kept.Sweep(ctx))
		}, s.Log)
	})
	return nil
}

// Description returns the OpenAPI document of everything that is served.
func Description() ([]byte, error) {
	return api.Describe(&desk.Desk{}, &member.Member{}, &client.Client{})
}

// named returns by which name Niche may be asked, and whether it is reached over https.
func named(s Settings) (host string, secure bool, err error) {
	if s.URL == "" {
		return "", s.Secure, nil
	}
	u, err := url.Parse(s.URL)
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || strings.Trim(u.Path, "/") != "" || u.RawQuery != "" || u.User != nil {
		return "", false, fmt.Errorf("%q is not the address of a desk, as https://niche.example", s.URL)
	}
	host = u.Host
	if u.Port() == map[string]string{"https": "443", "http": "80"}[u.Scheme] {
		host = strings.TrimSuffix(host, ":"+u.Port()) // browsers leave it out
	}
	return host, s.Secure || u.Scheme == "https", nil
}

// about says what is known of the program before anything is asked.
func about(s Settings) desk.About {
	folder, err := filepath.Abs(s.Data)
	if err != nil {
		folder = s.Data
	}
	return desk.About{Version: s.Version, Go: runtime.Version(), ZoneData: zoneData(), Folder: folder, Began: span.At(s.Now())}
}

// zoneData says which data of time zones are in use: those of the system, or where it
// has none those that the program was built with.
func zoneData() string {
	text, err := os.ReadFile("/usr/share/zoneinfo/tzdata.zi")
	if line, _, ok := strings.Cut(string(text), "\n"); err == nil && ok {
		return "the system's, " + strings.TrimPrefix(line, "# ")
	}
	if _, err := os.Stat("/usr/share/zoneinfo"); err == nil {
		return "the system's"
	}
	return "those of " + runtime.Version()
}

// prepare sweeps away what a program that died left behind, and sees to the set-up code.
func (n *Niche) prepare(ctx context.Context, s Settings, links *link.Links, who *people.People, bookings *booking.Bookings) error {
	if sealed, err := links.Sealed(n.db.Read(ctx)); err != nil {
		return err
	} else if len(sealed) > 0 {
		s.Log.Warn("the passwords of some links were sealed with another key and cannot be opened: link them again", "links", len(sealed))
	}
	var err error
	if n.Code, n.CodeFile, err = who.SetUpCode(ctx); err != nil {
		return err
	}
	return bookings.Sweep(ctx)
}

// listen serves on the listener, and on one for metrics where that is wanted.
func (n *Niche) listen(s Settings, listener net.Listener, secure bool, handler http.Handler, counters []prometheus.Collector) error {
	if ap, err := netip.ParseAddrPort(listener.Addr().String()); err == nil && !ap.Addr().IsLoopback() && !secure {
		s.Log.Warn("passwords and bookings can be read on their way: Niche listens beyond this machine, and --https was not given. Put a proxy before it that speaks https", "listen", s.Listen)
	}
	n.serve(s, listener, handler)
	if s.Metrics == "" {
		return nil
	}
	apart, err := net.Listen("tcp", s.Metrics)
	if err != nil {
		return errors.Join(fmt.Errorf("listening for metrics: %w", err), n.close(context.Background()))
	}
	n.Metrics = "http://" + apart.Addr().String()
	metrics := http.NewServeMux()
	metrics.Handle("GET /metrics", api.MetricsHandler(counters))
	n.serve(s, apart, metrics)
	return nil
}

func (n *Niche) serve(s Settings, on net.Listener, handler http.Handler) {
	server := &http.Server{
		Handler:           handler,
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       30 * time.Second,
		WriteTimeout:      60 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(s.Log.Handler(), slog.LevelWarn),
	}
	n.servers = append(n.servers, server)
	n.done.Go(func() {
		if err := server.Serve(on); !errors.Is(err, http.ErrServerClosed) {
			s.Log.Error("serving", "error", err)
		}
	})
}

// close takes no further requests, and waits for those that are under way.
func (n *Niche) close(ctx context.Context) (err error) {
	for _, server := range n.servers {
		failed := server.Shutdown(ctx)
		if errors.Is(failed, context.DeadlineExceeded) {
			failed = server.Close() // a browser may hold connections on which it never asked for anything
		}
		err = errors.Join(err, failed)
	}
	return err
}

// sweep does every minute what nobody asks for, until the context ends: it drops held
// bookings that a failed request left behind, and looks for what needs attention.
func sweep(ctx context.Context, every func(context.Context) error, log *slog.Logger) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := every(ctx); err != nil && ctx.Err() == nil {
				log.Error("sweeping", "error", err)
			}
		}
	}
}

// moved returns the path of the page that has an address, or had it.
func (n *Niche) moved(ctx context.Context, slug string) string {
	db := n.db.Read(ctx)
	if _, err := db.ServiceBySlug(slug); err == nil {
		return api.PagePath(slug)
	}
	if _, err := db.CollectionBySlug(slug); err == nil {
		return desk.CollectionPath(slug)
	}
	former, err := db.FormerSlug(slug)
	if err != nil {
		return ""
	}
	if former.CollectionID != 0 {
		if c, err := db.Collection(former.CollectionID); err == nil {
			return desk.CollectionPath(c.Slug)
		}
		return ""
	}
	service, err := db.Service(former.ServiceID)
	if err != nil {
		return ""
	}
	return api.PagePath(service.Slug)
}

// framing returns the sites that may show a page in a frame.
func (n *Niche) framing(ctx context.Context, slug string) []string {
	db := n.db.Read(ctx)
	c, err := db.CollectionBySlug(slug)
	if err == nil {
		return c.Sites
	}
	service, err := db.ServiceBySlug(slug)
	if err != nil {
		return nil
	}
	sites := service.Sites
	collections, err := db.Collections()
	if err != nil {
		return sites
	}
	// A page of several services leads on to each of theirs, in the same frame.
	for _, c := range collections {
		if c.ArchivedAt == 0 && c.Holds(service.ID) {
			sites = append(sites, c.Sites...)
		}
	}
	slices.Sort(sites)
	return slices.Compact(sites)
}

// hear takes mail that comes back, where somebody has said at which address.
func (n *Niche) hear(s Settings, answers *message.Answers) error {
	if s.Answers == "" {
		return nil
	}
	listener, err := net.Listen("tcp", s.Answers)
	if err != nil {
		return fmt.Errorf("listening for answers: %w", err)
	}
	n.Answers, n.deafen = listener.Addr().String(), answers.Serve(listener, s.LMTP)
	return nil
}

// Stop takes no further requests, ends open streams, waits for the requests that are
// under way, then for what the queues have begun, and closes the database.
func (n *Niche) Stop() error {
	ctx, cancel := context.WithTimeout(context.Background(), stopTime)
	defer cancel()
	n.hub.Close()
	if n.deafen != nil {
		n.deafen()
	}
	err := n.close(ctx)
	n.cancel()
	n.done.Wait()
	n.clients.Wait()
	n.bookings.Wait()
	n.readings.Wait()
	n.links.Wait()
	return errors.Join(err, n.counts.Keep(context.Background(), n.db), n.db.Close())
}

// ResetAdministrator makes a one-time address for an administrator who cannot get in any
// more, in a data folder on which a Niche may be at work. It returns the address, of
// which the host is left out when the settings name none.
func ResetAdministrator(ctx context.Context, s Settings, mail string) (string, error) {
	db, err := store.OpenBeside(s.Data)
	if err != nil {
		return "", err
	}
	token, err := people.New(db, nil, s.Data, s.Now, func() {}).Reset(ctx, mail)
	if err = errors.Join(err, db.Close()); err != nil {
		return "", fmt.Errorf("resetting %s: %w", mail, err)
	}
	return strings.TrimSuffix(s.URL, "/") + desk.EnterPath(token), nil
}
