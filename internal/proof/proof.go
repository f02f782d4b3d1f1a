// Package proof shows step by step, and with evidence, that a link does what it is for:
// that a busy event outside takes a start away, and that a booking appears outside, is
// sold once, and goes again. Each step is one file.
//
// A proof writes an event of its own and takes a test booking, on which nobody is booked:
// nobody is written to, no page offers it and no list shows it. Whatever it writes outside
// has a UID by which it is found again, also after a kill in the middle.
package proof

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/google/uuid"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/reading"
	"niche/internal/schedule"
	"niche/internal/store"
)

// Settings of the proofs.
type Settings struct {
	DB       *store.DB
	Links    *link.Links
	Readings *reading.Readings
	Bookings *booking.Bookings
	Hub      *live.Hub
	Log      *slog.Logger
	Now      func() time.Time
}

// Proofs runs proofs: at one host in turn, and at several side by side.
type Proofs struct {
	Settings
	wake chan struct{}
	runs sync.WaitGroup

	mu      sync.Mutex
	running map[store.ID]underway
}

// underway is a proof that runs.
type underway struct {
	host  string
	stop  context.CancelCauseFunc
	ended chan struct{}
}

// New returns proofs that do nothing before Run.
func New(s Settings) *Proofs {
	return &Proofs{Settings: s, wake: make(chan struct{}, 1), running: map[store.ID]underway{}}
}

const (
	sideBySide = 4               // how many proofs run at the same time
	lookEvery  = 2 * time.Second // how often it is looked for proofs that another program has asked for
	cleanEvery = time.Minute     // how often it is tried to remove what is left over
	kept       = 60              // how many proofs of a link are kept
)

// ErrNoLinks says that there is nothing to be proved.
var ErrNoLinks = errors.New("there is no link to be proved")

// Ask has links proved, or all of people in use where none is named. One that waits already, or runs, is not asked for
// twice. It returns how many wait.
func Ask(tx store.Tx, links []store.ID, by string, now span.Instant) (int, error) {
	all, err := tx.Provables()
	if err != nil {
		return 0, err
	}
	n := 0
	for _, l := range all {
		if len(links) > 0 && !slices.Contains(links, l.LinkID) {
			continue
		}
		n++
		if l.OpenID != 0 {
			continue
		}
		p := store.Proof{LinkID: l.LinkID, State: store.ProofWaiting, AskedBy: by, AskedAt: now, Token: strings.ReplaceAll(uuid.NewString(), "-", "")[:20], Words: "waits for its turn"}
		if err := errors.Join(tx.AddProof(&p), tx.ForgetProofs(l.LinkID, kept)); err != nil {
			return n, err
		}
	}
	if n == 0 {
		return 0, ErrNoLinks
	}
	return n, nil
}

// Wake makes it be looked for proofs that wait.
func (p *Proofs) Wake() {
	p.Hub.Tell(live.Proofs)
	select {
	case p.wake <- struct{}{}:
	default:
	}
}

// errStopped says that somebody has stopped a proof.
var errStopped = errors.New("it was stopped")

// Stop stops the proofs of links, or all where none is named: what waits does not begin, and what runs cleans up.
func (p *Proofs) Stop(ctx context.Context, links []store.ID) error {
	meant := func(id store.ID) bool { return len(links) == 0 || slices.Contains(links, id) }
	err := p.DB.Write(ctx, func(tx store.Tx) error {
		waiting, err := tx.ProofsIn(store.ProofWaiting)
		for _, w := range waiting {
			if meant(w.LinkID) {
				w.State, w.Words, w.EndedAt = store.ProofStopped, "stopped before it began", span.At(p.Now())
				err = errors.Join(err, tx.SaveProof(w))
			}
		}
		return err
	})
	p.mu.Lock()
	for id, u := range p.running {
		if meant(id) {
			u.stop(errStopped)
		}
	}
	p.mu.Unlock()
	p.Hub.Tell(live.Proofs)
	return err
}

// Quiet stops the proofs of a link and waits until the one that runs has cleaned up, as what is about to happen to the link
// wants it.
func (p *Proofs) Quiet(ctx context.Context, link store.ID) error {
	if err := p.Stop(ctx, []store.ID{link}); err != nil {
		return err
	}
	p.mu.Lock()
	u, runs := p.running[link]
	p.mu.Unlock()
	if !runs {
		return nil
	}
	select {
	case <-u.ended:
		return nil
	case <-ctx.Done():
		return ctx.Err()
	}
}

// Run runs proofs that are asked for until the context ends, and returns when those that ran have.
func (p *Proofs) Run(ctx context.Context) {
	defer p.runs.Wait()
	tick := time.NewTicker(lookEvery)
	defer tick.Stop()
	if err := p.recover(ctx); err != nil && ctx.Err() == nil {
		p.Log.Error("taking up proofs that were broken off", "error", err)
	}
	cleaned := time.Time{}
	for {
		if err := p.begin(ctx); err != nil && ctx.Err() == nil {
			p.Log.Error("looking for proofs", "error", err)
		}
		if now := p.Now(); now.Sub(cleaned) >= cleanEvery || now.Before(cleaned) {
			cleaned = now
			if err := p.sweep(ctx); err != nil && ctx.Err() == nil {
				p.Log.Error("removing what proofs have left", "error", err)
			}
		}
		select {
		case <-ctx.Done():
			return
		case <-tick.C:
		case <-p.wake:
		}
	}
}

// recover ends the proofs that ran when the program did.
func (p *Proofs) recover(ctx context.Context) error {
	return p.DB.Write(ctx, func(tx store.Tx) error {
		broken, err := tx.ProofsIn(store.ProofRunning)
		for _, b := range broken {
			b.State, b.EndedAt, b.LeftOver, b.Words = store.ProofStopped, span.At(p.Now()), true, "broken off: Niche was stopped in the middle of it"
			report, told := ReportOf(b)
			for i, s := range report.Steps {
				if s.State == Running || s.State == Waiting {
					report.Steps[i].State = NotTried
				}
			}
			text, wrong := json.Marshal(report)
			b.Report = string(text)
			err = errors.Join(err, told, wrong, tx.SaveProof(b))
		}
		return err
	})
}

// begin begins those that wait and whose host proves nothing else.
func (p *Proofs) begin(ctx context.Context) error {
	tx := p.DB.Read(ctx)
	if err := p.schedule(ctx, tx); err != nil {
		return err
	}
	waiting, err := tx.ProofsIn(store.ProofWaiting)
	if err != nil {
		return err
	}
	for _, w := range waiting {
		l, err := tx.Link(w.LinkID)
		if store.IsMissing(err) {
			continue // it goes with its link
		}
		if err != nil {
			return err
		}
		p.claim(ctx, w, l.Host)
	}
	return nil
}

// claim begins a proof, if there is a place for it.
func (p *Proofs) claim(ctx context.Context, w store.Proof, host string) {
	p.mu.Lock()
	defer p.mu.Unlock()
	if len(p.running) >= sideBySide || p.proves(host) {
		return
	}
	own, stop := context.WithCancelCause(ctx)
	ended := make(chan struct{})
	p.running[w.LinkID] = underway{host, stop, ended}
	p.runs.Go(func() {
		defer close(ended)
		defer stop(nil)
		if err := p.prove(own, w); err != nil && ctx.Err() == nil {
			p.Log.Error("proving a link", "link", w.LinkID, "error", err)
		}
		p.mu.Lock()
		delete(p.running, w.LinkID)
		p.mu.Unlock()
		p.Wake()
	})
}

// proves reports whether a proof runs at a host. The caller holds the lock.
func (p *Proofs) proves(host string) bool {
	for _, u := range p.running {
		if u.host == host {
			return true
		}
	}
	return false
}

func (p *Proofs) isBusy(host string) bool {
	p.mu.Lock()
	defer p.mu.Unlock()
	return p.proves(host)
}

// ending reports whether the program ends, so that nothing can be waited for.
func ending(ctx context.Context) bool {
	cause := context.Cause(ctx)
	return cause != nil && !errors.Is(cause, errStopped)
}

// DueSince returns the last moment at which everybody's links were to be proved by themselves; 0 for never.
func DueSince(b store.Business, zone hours.Zone, now span.Instant) span.Instant {
	if b.ProofDay == 0 {
		return 0
	}
	today := zone.DateAt(now)
	for d := today; d > today-8; d-- {
		weekday := int(d.Time().Weekday()+6)%7 + 1
		if at := zone.Over(d, d+1).Starting(d, b.ProofMinute); weekday == b.ProofDay && at <= now {
			return at
		}
	}
	return 0
}

// schedule asks for all proofs when their time has come.
func (p *Proofs) schedule(ctx context.Context, tx store.Tx) error {
	b, err := tx.Business()
	if store.IsMissing(err) {
		return nil
	}
	if err != nil || b.ProofDay == 0 {
		return err
	}
	zone, err := schedule.Zone(tx)
	if err != nil {
		return err
	}
	now := span.At(p.Now())
	due := DueSince(b, zone, now)
	if due <= b.ProofSince {
		return nil
	}
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		if err := tx.ProofsDone(due); err != nil {
			return err
		}
		if _, err := Ask(tx, nil, "", now); !errors.Is(err, ErrNoLinks) {
			return err
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("asking for the proofs of the schedule: %w", err)
	}
	p.Hub.Tell(live.Proofs)
	return nil
}
