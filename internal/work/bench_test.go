package work

import (
	"errors"
	"fmt"
	"log/slog"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"

	"context"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/store"
)

// A host with a hundred milliseconds an answer and a backlog: how much of it is done
// in a second.
func BenchmarkBacklog(b *testing.B) {
	for _, calendars := range []int{3_000, 30_000} {
		b.Run(fmt.Sprint(calendars), func(b *testing.B) {
			db, err := store.Open(filepath.Join(b.TempDir(), "data"))
			require.NoError(b, err)
			defer func() { require.NoError(b, db.Close()) }()
			require.NoError(b, db.Write(b.Context(), func(tx store.Tx) error {
				s := store.Staff{Name: "Bryn", Zone: "UTC"}
				err := tx.SaveStaff(&s)
				l := store.Link{StaffID: s.ID, Kind: store.FeedLink, Host: "one", Secret: []byte("sealed"), Mails: []string{}}
				err = errors.Join(err, tx.SaveLink(&l))
				for n := range calendars {
					err = errors.Join(err, tx.SaveCalendar(&store.Calendar{LinkID: l.ID, Href: fmt.Sprint(n), Watched: true, State: store.Waiting}))
				}
				return err
			}))
			r := New(db, slog.New(slog.DiscardHandler), time.Now)
			var done atomic.Int64
			enough := make(chan struct{})
			const pieces = 2_000
			r.Add(Queue{Name: "calendars", Store: store.CalendarQueue, Forward: func(store.Tx, string, span.Instant) error { return nil },
				Do: func(ctx context.Context, id store.ID) error {
					c, err := db.Read(ctx).Calendar(id)
					if err != nil {
						return err
					}
					time.Sleep(100 * time.Millisecond) // the host's answer
					r.Hosts.Answered("one")
					c.NextAt, c.TriedAt = span.At(r.now().Add(time.Hour)), span.At(r.now())
					if done.Add(1) == pieces {
						close(enough)
					}
					return db.Single(context.WithoutCancel(ctx), func(tx store.Tx) error { return tx.NoteReading(c) })
				}})
			ctx, cancel := context.WithCancel(b.Context())
			begun := time.Now()
			ended := make(chan struct{})
			go func() { defer close(ended); r.Run(ctx) }()
			<-enough
			b.ReportMetric(pieces/time.Since(begun).Seconds(), "pieces/s")
			cancel()
			<-ended
		})
	}
}
