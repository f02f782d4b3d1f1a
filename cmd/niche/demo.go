package main

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"niche/internal/demo"
	"niche/internal/serve"
	"niche/internal/standin"
	"niche/internal/standin/mailbox"
	"niche/internal/standin/services"
	"niche/internal/standin/site"
)

func demoCommand() *cobra.Command {
	d := demoRun{settings: serve.Settings{Version: version}}
	var now string
	var verbose bool
	cmd := &cobra.Command{
		Use:   "demo",
		Short: "Run Niche with made-up data, and the outside that it is linked to",
		Args:  cobra.NoArgs,
		RunE: func(cmd *cobra.Command, _ []string) error {
			if now != "" {
				at, err := time.Parse(time.RFC3339, now)
				if err != nil {
					return badInput{fmt.Errorf("--now: %q is not a date-time of RFC 3339, as in 2026-11-23T09:00:00Z", now)}
				}
				d.now = at
			}
			d.settings.Log = newLog(verbose)
			return d.run(cmd)
		},
	}
	flags := cmd.Flags()
	flags.StringVar(&d.settings.Listen, "listen", "127.0.0.1:8080", "address of Niche")
	flags.StringVar(&d.cloud, "cloud", "127.0.0.1:8090", "address of the calendar host")
	flags.StringVar(&d.harbour, "harbour", "127.0.0.1:8093", "address of a second calendar host, which takes app passwords alone")
	flags.StringVar(&d.homes, "harbour-homes", "127.0.0.1:8094", "address under which its calendars lie")
	flags.StringVar(&d.mailbox, "mailbox", "127.0.0.1:8091", "address of the page that shows all mail")
	flags.StringVar(&d.smtp, "smtp", "127.0.0.1:8092", "address of the mail server behind it")
	flags.StringVar(&d.settings.Answers, "answers", "127.0.0.1:8096", "address to which answers to invitations are brought")
	flags.StringVar(&d.site, "site", "127.0.0.1:8097", "address of a workshop's own site, which shows a page in a frame")
	flags.StringVar(&d.services, "services", "127.0.0.1:8098", "address of a meeting host, a text gateway and a payment host")
	flags.StringVar(&d.settings.Data, "data", "demo-data", "data folder")
	flags.DurationVar(&d.settings.Poll, "poll", 5*time.Second, "how often a calendar is read")
	flags.StringVar(&now, "now", "", "the instant that the clock shows at the start, as in 2026-11-23T09:00:00Z")
	flags.StringVar(&d.oddment, "oddment", "127.0.0.1:8095", "address of a calendar host at which something is wrong with each account, with --trouble")
	flags.BoolVar(&d.trouble, "trouble", false, "lay out people whose links do not hold, too: one for each way in which a proof fails")
	flags.BoolVar(&d.empty, "empty", false, "begin without data, as a fresh install does")
	flags.StringSliceVar(&d.settings.AllowHosts, "allow-host", nil, "further host, or host:port, that may be linked")
	unlimited(flags, &d.settings)
	flags.BoolVarP(&verbose, "verbose", "v", false, "log more")
	return cmd
}

// demoRun is one run of the demo.
type demoRun struct {
	settings serve.Settings
	cloud    string // address of the calendar host
	harbour  string // address of the second calendar host
	homes    string // address under which its calendars lie
	mailbox  string // address of the page of the mail server
	smtp     string // address of the mail server
	site     string // address of a site that shows a page in a frame
	services string // address of a meeting host, a text gateway and a payment host
	oddment  string // address of the host at which something is wrong with each account
	now      time.Time
	empty    bool
	trouble  bool
}

func (d demoRun) run(cmd *cobra.Command) (err error) {
	if err := os.MkdirAll(d.settings.Data, 0o700); err != nil {
		return err
	}
	clock := clockFrom(d.now)
	cloud, err := standin.Open(filepath.Join(d.settings.Data, "calendar-host.json"), clock, demo.Accounts())
	if err != nil {
		return err
	}
	box, err := mailbox.Open(filepath.Join(d.settings.Data, "mailbox.json"), clock)
	if err != nil {
		return err
	}
	host, closeHost, err := page(d.cloud, cloud.Handler())
	if err != nil {
		return fmt.Errorf("starting the calendar host: %w", err)
	}
	defer func() { err = errors.Join(err, closeHost()) }()
	second, err := demo.Harbour(filepath.Join(d.settings.Data, "harbour.json"), clock)
	if err != nil {
		return err
	}
	harbour, closeHarbour, err := page(d.harbour, second.Handler())
	if err != nil {
		return fmt.Errorf("starting the second calendar host: %w", err)
	}
	defer func() { err = errors.Join(err, closeHarbour()) }()
	homes, closeHomes, err := pageAs(d.homes, func(host string) http.Handler { return second.Homes("http://" + host) })
	if err != nil {
		return fmt.Errorf("starting the second calendar host: %w", err)
	}
	defer func() { err = errors.Join(err, closeHomes()) }()
	odd, err := demo.Oddment(filepath.Join(d.settings.Data, "oddment.json"), clock)
	if err != nil {
		return err
	}
	oddment := ""
	if d.trouble {
		host, closeOdd, err := page(d.oddment, odd.Handler())
		if err != nil {
			return fmt.Errorf("starting the odd calendar host: %w", err)
		}
		defer func() { err = errors.Join(err, closeOdd()) }()
		oddment, d.settings.AllowHosts = "http://"+host, append(d.settings.AllowHosts, host)
	}
	mails, closeMails, err := page(d.mailbox, box.Handler())
	if err != nil {
		return fmt.Errorf("starting the mailbox: %w", err)
	}
	defer func() { err = errors.Join(err, closeMails()) }()
	outside := services.New(clock)
	small, closeServices, err := pageAs(d.services, func(host string) http.Handler { return outside.Handler("http://" + host) })
	if err != nil {
		return fmt.Errorf("starting the services outside: %w", err)
	}
	defer func() { err = errors.Join(err, closeServices()) }()
	own, err := net.Listen("tcp", d.site)
	if err != nil {
		return fmt.Errorf("starting the site: %w", err)
	}
	defer func() { err = errors.Join(err, closed(own.Close())) }()
	post, err := net.Listen("tcp", d.smtp)
	if err != nil {
		return fmt.Errorf("starting the mail server: %w", err)
	}
	defer box.Serve(post)()
	address := "http://" + host
	d.settings.AllowHosts, d.settings.Home = append(d.settings.AllowHosts, host, harbour, homes, small, post.Addr().String()), serve.Here

	done := filepath.Join(d.settings.Data, "laid-out")
	if _, err := os.Stat(done); errors.Is(err, fs.ErrNotExist) && !d.empty {
		out := demo.Outside{Cloud: cloud, Cloudlet: address, Harbour: "http://" + harbour, Post: post.Addr().String(), Services: "http://" + small, Site: "http://" + own.Addr().String()}
		if err := d.layOut(cmd.Context(), out, odd, oddment, clock()); err != nil {
			return err
		}
		if err := os.WriteFile(done, nil, 0o600); err != nil {
			return err
		}
	}
	d.settings.Now = clock
	n, err := serve.Start(d.settings)
	if err != nil {
		return err
	}
	box.AnswersGo(n.Answers)
	outside.Payments.Notices = n.Address + "/api/payments/notices"
	shows := &http.Server{Handler: site.Handler(n.Address, "home-tuning", "video-appraisal"), ReadHeaderTimeout: 10 * time.Second}
	go func() { _ = shows.Serve(own) }()
	client := demo.RegisteredClient
	client.Redirects = []string{n.Address + "/signed-in"}
	cloud.Register(client)
	say := func(lines ...string) { fmt.Fprintln(cmd.OutOrStdout(), strings.Join(lines, "\n")) }
	say("", "Niche is at         "+n.Address)
	if d.empty {
		say("It is empty, and is set up with the code " + n.Code)
	} else {
		say("  sign in           "+demo.Email+" / "+demo.Password,
			"  a client's page   "+n.Address+"/book/home-tuning")
	}
	say("Calendar host       "+address, "  a week            "+address+"/week/bryn@castellane.example", "A second one        http://"+harbour, "One that errs       "+cmp.Or(oddment, "only with --trouble"), "Mailbox             http://"+mails, "Services outside    http://"+small, "A site with it in   http://"+own.Addr().String(), "", "Ctrl-C stops it; started again it goes on with the same data.", "")
	<-cmd.Context().Done()
	return n.Stop()
}

// closed is the error of closing what may be closed already.
func closed(err error) error {
	if errors.Is(err, net.ErrClosed) {
		return nil
	}
	return err
}

// page serves a page of the outside until end is called, and returns its host and port.
func page(address string, handler http.Handler) (host string, end func() error, err error) {
	return pageAs(address, func(string) http.Handler { return handler })
}

// pageAs is page, for what has to know under which host and port it is served.
func pageAs(address string, handler func(host string) http.Handler) (host string, end func() error, err error) {
	listener, err := net.Listen("tcp", address)
	if err != nil {
		return "", nil, err
	}
	server := &http.Server{Handler: handler(listener.Addr().String()), ReadHeaderTimeout: 10 * time.Second}
	ended := make(chan error, 1)
	go func() { ended <- server.Serve(listener) }()
	return listener.Addr().String(), func() error {
		err := server.Close()
		<-ended
		return err
	}, nil
}

// layOut fills an empty Niche whose clock shows an earlier morning.
func (d demoRun) layOut(ctx context.Context, out demo.Outside, odd *standin.Cloud, oddment string, now time.Time) error {
	early := d.settings
	early.Unlimited = true // it books more in a second than anyone may
	if !strings.HasSuffix(early.Listen, ":0") {
		early.Home = "http://" + early.Listen // where it will be reached, and not where it is laid out
	}
	early.Now, early.Listen, early.Poll = clockFrom(demo.Morning(now)), "127.0.0.1:0", time.Second
	n, err := serve.Start(early)
	if err != nil {
		return err
	}
	client := demo.NewClient(n.Address)
	err = demo.Fill(ctx, client, n.Code, out, now)
	if err == nil && d.trouble {
		err = demo.Trouble(ctx, client, odd, oddment, now)
	}
	return errors.Join(err, n.Stop())
}
