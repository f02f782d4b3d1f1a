// Package serve runs one whole Niche: it opens the data folder, starts the
// engine over links, listens, and stops all of it in order.
package serve

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net"
	"net/http"
	"path/filepath"
	"sync"
	"time"

	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/store"
	engine "niche/internal/sync"
)

// GCPercent is how far the heap of a program that serves may grow before it is
// collected. The heap is small and its garbage short-lived: collecting it less
// often costs some megabytes and takes two thirds off the slowest answers.
const GCPercent = 400

// Settings of a running Niche.
type Settings struct {
	Listen     string // host:port; port 0 takes a free one
	Data       string // the data folder
	KeyFile    string // the key for secrets; inside the data folder when empty
	AllowHosts []string
	Poll       time.Duration
	Secure     bool // the desk is reached over https
	Version    string
	Log        *slog.Logger
	Now        func() time.Time
}

// hostTime is how long a host may take for one answer.
const hostTime = 20 * time.Second

// stopTime is how long requests may take to end when Niche stops.
const stopTime = 5 * time.Second

// Niche is one that runs.
type Niche struct {
	Address string // http://host:port
	cancel  context.CancelFunc
	done    sync.WaitGroup
	http    *http.Server
	db      *store.DB
}

// Start starts Niche. It serves when Start returns.
func Start(s Settings) (*Niche, error) {
	if s.KeyFile == "" {
		s.KeyFile = filepath.Join(s.Data, "keys", "secrets.key")
	}
	db, err := store.Open(s.Data)
	if err != nil {
		return nil, err
	}
	n := &Niche{db: db}
	if err := n.start(s); err != nil {
		return nil, errors.Join(err, db.Close())
	}
	return n, nil
}

func (n *Niche) start(s Settings) error {
	keeper, err := link.OpenKeeper(s.KeyFile)
	if err != nil {
		return err
	}
	hub := &live.Hub{}
	outside := outbound.NewClient(s.AllowHosts, hostTime)
	links := link.New(n.db, keeper, outside, s.Now)
	eng := engine.New(engine.Settings{DB: n.db, Links: links, Hub: hub, Log: s.Log, Now: s.Now, Poll: s.Poll})
	bookings := &booking.Bookings{DB: n.db, Engine: eng, Hub: hub, Now: s.Now}
	ctx, cancel := context.WithCancel(context.Background())
	n.cancel = cancel
	if err := bookings.Sweep(ctx, true); err != nil {
		cancel()
		return err
	}
	listener, err := net.Listen("tcp", s.Listen)
	if err != nil {
		cancel()
		return fmt.Errorf("listening: %w", err)
	}
	n.Address = "http://" + listener.Addr().String()
	n.http = &http.Server{
		Handler: api.New(api.Settings{DB: n.db, Links: links, Engine: eng, Bookings: bookings, Hub: hub, Outbound: outside, Log: s.Log, Now: s.Now,
			Secure: s.Secure, Version: s.Version}),
		BaseContext:       func(net.Listener) context.Context { return ctx },
		ReadHeaderTimeout: 10 * time.Second,
		ReadTimeout:       30 * time.Second,
		WriteTimeout:      60 * time.Second,
		IdleTimeout:       2 * time.Minute,
		MaxHeaderBytes:    64 << 10,
		ErrorLog:          slog.NewLogLogger(s.Log.Handler(), slog.LevelWarn),
	}
	n.done.Go(func() { eng.Run(ctx) })
	n.done.Go(func() {
		if err := n.http.Serve(listener); !errors.Is(err, http.ErrServerClosed) {
			s.Log.Error("serving", "error", err)
		}
	})
	n.done.Go(func() { sweep(ctx, bookings, s.Log) })
	return nil
}

// sweep drops held bookings that a failed request left behind, until the
// context ends.
func sweep(ctx context.Context, b *booking.Bookings, log *slog.Logger) {
	tick := time.NewTicker(time.Minute)
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
			if err := b.Sweep(ctx, false); err != nil && ctx.Err() == nil {
				log.Error("sweeping", "error", err)
			}
		}
	}
}

// Stop ends open streams and requests, lets the engine finish what it has
// begun, and closes the database.
func (n *Niche) Stop() error {
	ctx, cancel := context.WithTimeout(context.Background(), stopTime)
	defer cancel()
	closing := make(chan error, 1)
	go func() { closing <- n.http.Shutdown(ctx) }()
	n.cancel()
	err := <-closing
	if errors.Is(err, context.DeadlineExceeded) {
		err = n.http.Close() // a browser may hold connections on which it never asked for anything
	}
	n.done.Wait()
	return errors.Join(err, n.db.Close())
}
