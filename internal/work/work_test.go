package work

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/store"
)

// clock is moved by hand.
type clock struct {
	mu  sync.Mutex
	now time.Time
}

func (c *clock) Now() time.Time { c.mu.Lock(); defer c.mu.Unlock(); return c.now }

func (c *clock) move(d time.Duration) { c.mu.Lock(); defer c.mu.Unlock(); c.now = c.now.Add(d) }

// A host that is silent rests: once for each rest that ended, however many exchanges
// fail, and not for a trouble that is one piece's own. One answer ends it.
func TestHostsRest(t *testing.T) {
	begin := time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)
	c := &clock{now: begin}
	h := NewHosts(c.Now)
	forward := 0
	h.recovered = func(string) { forward++ }
	rest := func() time.Duration { return max(0, h.Rest("a").Sub(c.Now())) }
	fail := func() bool { return h.Silent("a", c.Now(), time.Time{}, 0) }

	c.move(time.Second)
	for range 8 { // eight exchanges that were under way together
		require.True(t, h.Silent("a", begin, time.Time{}, 0))
	}
	require.Equal(t, 2*time.Second, rest(), "one failure a rest")
	require.False(t, h.enter("a"))
	require.True(t, h.enter("b"), "others are asked")
	c.move(2 * time.Second)
	require.Zero(t, rest())
	require.True(t, h.enter("a"))
	require.False(t, h.enter("a"), "who struggles is tried by one")
	require.True(t, h.Silent("a", begin, time.Time{}, 0), "an old exchange fails at last")
	require.Zero(t, rest(), "it began before the rest")
	for _, want := range []time.Duration{4, 8, 16, 32, 64, 128, 256, 512, 600, 600} {
		require.True(t, fail())
		require.Equal(t, want*time.Second, rest())
		c.move(rest())
	}
	require.True(t, h.Silent("a", c.Now(), time.Time{}, time.Hour), "it asks for an hour")
	require.Equal(t, time.Hour, rest())
	h.Answered("a")
	require.Zero(t, rest())
	require.Equal(t, 1, forward)
	h.Answered("a")
	require.Equal(t, 1, forward, "it was well already")
	h.leave("a", "reading", time.Second)
	for range perHost {
		require.True(t, h.enter("a"))
	}
	require.False(t, h.enter("a"))

	failedBefore := c.Now().Add(-time.Minute)
	require.False(t, h.Silent("a", c.Now(), failedBefore, 0), "others were answered meanwhile, so it is not the host")
	require.Zero(t, rest())
}

// A host that answers as quickly as ever is asked for more at a time, up to a limit;
// one that becomes slower by that for less, and one that is silent for as little as at
// first.
func TestHostsAreAskedForAsMuchAsTheyBear(t *testing.T) {
	c := &clock{now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	h := NewHosts(c.Now)
	together := 0
	// work takes all places that there are, and gives one back so many times, after a time that depends on how many
	// there were.
	work := func(times int, takes func(together int) time.Duration) int {
		for range times {
			for h.enter("a") {
				together++
			}
			h.leave("a", "reading", takes(together))
			together--
		}
		return together + 1
	}
	even := func(int) time.Duration { return 100 * time.Millisecond }
	require.Equal(t, perHost, work(1, even))
	require.Equal(t, perQuick, work(1000, even))
	crowded := func(together int) time.Duration { return time.Duration(max(100, 20*together)) * time.Millisecond }
	require.InDelta(t, 10, work(1000, crowded), 3, "twice as long as at its best is enough")
	require.Equal(t, perQuick, work(1000, even), "it is quick again")
	longer := func(int) time.Duration { return time.Second }
	require.Equal(t, perHost, work(2000, longer))
	c.move(learns + 1)
	require.Equal(t, perQuick, work(2000, longer), "it has become slower for good")
	h.Silent("a", c.Now(), time.Time{}, 0)
	c.move(firstRest)
	work(perQuick, even)
	require.Equal(t, perStruggling, work(1, even))
	h.Answered("a")
	require.Equal(t, perHost, work(1, even))
}

// fill puts calendars into a database, some at each host, all due.
func fill(t *testing.T, hosts ...string) *store.DB {
	db, err := store.Open(filepath.Join(t.TempDir(), "data"))
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		s := store.Staff{Name: "Bryn", Zone: "UTC"}
		err := tx.SaveStaff(&s)
		for _, host := range hosts {
			l := store.Link{StaffID: s.ID, Kind: store.FeedLink, Host: host, Secret: []byte("sealed"), Mails: []string{}}
			err = errors.Join(err, tx.SaveLink(&l))
			for n := range 10 {
				err = errors.Join(err, tx.SaveCalendar(&store.Calendar{LinkID: l.ID, Href: fmt.Sprint(n), Watched: true, State: store.Waiting}))
			}
		}
		return err
	}))
	return db
}

// queue is calendars as work, done by a function; noted is called when what came of it
// has been noted.
func queue(r *Runner, db *store.DB, do func(host string) error, noted func()) Queue {
	return Queue{Name: "calendars", Store: store.CalendarQueue,
		Do: func(ctx context.Context, id store.ID) error {
			c, err := db.Read(ctx).Calendar(id)
			if err != nil {
				return err
			}
			l, err := db.Read(ctx).Link(c.LinkID)
			if err != nil {
				return err
			}
			begun := r.now()
			err = do(l.Host)
			defer noted()
			if err == nil {
				r.Hosts.Answered(l.Host)
				c.State, c.NextAt = store.Fresh, span.At(r.now().Add(time.Hour))
			} else {
				c.State = store.NotReached
				r.Hosts.Silent(l.Host, begun, time.Time{}, 0)
			}
			c.TriedAt = span.At(r.now())
			return db.Write(ctx, func(tx store.Tx) error { return tx.NoteReading(c) })
		},
		Forward: func(tx store.Tx, host string, now span.Instant) error {
			return tx.CalendarsForward(host, store.NotReached, now)
		}}
}

// A host that hangs has four at most, and takes nobody else's turn; one that is down
// is tried by one at a time, and all its work is done as soon as it answers.
func TestWorkIsDoneByHost(t *testing.T) {
	db := fill(t, "hangs", "well", "down")
	c := &clock{now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	r := New(db, slog.New(slog.NewTextHandler(t.Output(), nil)), c.Now)
	var mu sync.Mutex
	asked, down, changed := map[string]int{}, true, make(chan struct{}, 1000)
	hang := make(chan struct{})
	r.Add(queue(r, db, func(host string) error {
		mu.Lock()
		asked[host]++
		fails := host == "down" && down
		mu.Unlock()
		if host == "hangs" {
			changed <- struct{}{}
			<-hang
		}
		if fails {
			return fmt.Errorf("down")
		}
		return nil
	}, func() { changed <- struct{}{} }))
	count := func(host string) int { mu.Lock(); defer mu.Unlock(); return asked[host] }
	until := func(ok func() bool) {
		for !ok() {
			<-changed
		}
	}
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); r.Run(ctx) }()

	until(func() bool { return count("well") == 10 && count("hangs") == perHost })
	allFresh := func() bool {
		counts, err := db.Read(t.Context()).CalendarCounts()
		require.NoError(t, err)
		return len(counts) == 1 && counts[0] == store.Count{State: string(store.Fresh), Count: 30}
	}
	require.LessOrEqual(t, count("down"), perHost, "those that were under way together")
	tried := count("down")
	c.move(2 * time.Second)
	r.Wake()
	// Of those that were under way together, some may have been asked since that was counted.
	until(func() bool { return count("down") > tried && !r.Hosts.Rest("down").IsZero() })
	mu.Lock()
	down = false
	mu.Unlock()
	c.move(4 * time.Second)
	r.Wake()
	until(func() bool { return count("down") >= tried+11 })
	require.Equal(t, perHost, count("hangs"))
	close(hang)
	until(func() bool { return count("hangs") == 10 })
	for !allFresh() {
		r.Wake()
	}
	cancel()
	<-ended
	require.Equal(t, 10, count("well"), "each once")
}

// A host that answers 503 to whatever is stored is still read: who struggles is tried by
// each kind of work in turn, however much there is of the first.
func TestAHostThatStrugglesIsTriedByEachInTurn(t *testing.T) {
	db := fill(t, "half")
	c := &clock{now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	r := New(db, slog.New(slog.NewTextHandler(t.Output(), nil)), c.Now)
	list, err := db.Read(t.Context()).CalendarsOf(1)
	require.NoError(t, err)
	// The same calendars are due for three queues, of which the first two fail each time.
	tried := make(chan string)
	for _, name := range []string{"copies", "accounts", "calendars"} {
		q := queue(r, db, func(string) error { tried <- name; return errors.New("503") }, func() {})
		q.Name = name
		r.Add(q)
	}
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); r.Run(ctx) }()
	var order []string
	for range 2 * len(list) {
		select {
		case name := <-tried:
			order = append(order, name)
		case <-time.After(10 * time.Second):
			require.Fail(t, "nothing is tried", order)
		}
		for r.Hosts.Rest("half").IsZero() && len(order) >= perHost {
			runtime.Gosched()
		}
		c.move(longestRest)
		r.Wake()
	}
	go func() {
		for range tried {
		}
	}()
	cancel()
	<-ended
	close(tried)
	counts := map[string]int{}
	for _, name := range order[perHost:] {
		counts[name]++
	}
	for _, name := range []string{"copies", "accounts", "calendars"} {
		require.GreaterOrEqual(t, counts[name], len(list)/3, order)
	}
}

// What one piece of work makes due, in the same second and without a word, is done too.
func TestWhatWorkMakesDueIsDone(t *testing.T) {
	db := fill(t, "well")
	c := &clock{now: time.Date(2026, 3, 2, 8, 0, 0, 0, time.UTC)}
	r := New(db, slog.New(slog.NewTextHandler(t.Output(), nil)), c.Now)
	list, err := db.Read(t.Context()).CalendarsOf(1)
	require.NoError(t, err)
	due := func(k store.Calendar, at span.Instant) error {
		k.NextAt = at
		return db.Write(context.Background(), func(tx store.Tx) error { return tx.NoteReading(k) })
	}
	for _, k := range list[1:] {
		require.NoError(t, due(k, store.Never))
	}
	order := make(chan store.ID, len(list))
	r.Add(Queue{Name: "calendars", Store: store.CalendarQueue, Forward: func(store.Tx, string, span.Instant) error { return nil },
		Do: func(_ context.Context, id store.ID) error {
			n := int(id - list[0].ID)
			err := due(list[n], store.Never)
			if n+1 < len(list) {
				err = errors.Join(err, due(list[n+1], span.At(c.Now())))
			}
			order <- id
			return err
		}})
	ctx, cancel := context.WithCancel(t.Context())
	ended := make(chan struct{})
	go func() { defer close(ended); r.Run(ctx) }()
	for _, k := range list {
		require.Equal(t, k.ID, <-order)
	}
	cancel()
	<-ended
}
