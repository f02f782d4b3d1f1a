package booking

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/store"
)

// A held booking that a request is busy with is not swept away, also where its number
// was another one's a moment before, whose request has not quite ended.
func TestASweepLeavesWhatIsUnderWay(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	b := New(t.Context(), Settings{DB: db, Now: func() time.Time { return time.Unix(50, 0) }, Hub: &live.Hub{}, Wake: func() {},
		Tell: func(store.Tx, message.News) error { return nil }, Refund: func(store.Tx, store.Booking, bool) error { return nil }})
	var held store.Booking
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		s := store.Service{Slug: "s", Name: "S", Length: 60, Step: 60, Lengths: []span.Minutes{}, Needs: []string{}}
		require.NoError(t, tx.SaveService(&s))
		v := store.Visit{ServiceID: s.ID, UID: "u", Start: 100, End: 200}
		require.NoError(t, tx.AddVisit(&v, nil, nil))
		held = store.Booking{VisitID: v.ID, Reference: "AAA", TokenHash: "t", Status: store.Held, Places: 1}
		return tx.AddBooking(&held)
	}))
	is := func() int {
		list, err := db.Read(t.Context()).BookingsWith(store.Held)
		require.NoError(t, err)
		return len(list)
	}
	endOfTheLast := b.busyWith(held.ID)
	done := b.busyWith(held.ID)
	endOfTheLast()
	require.NoError(t, b.Sweep(t.Context()))
	require.Equal(t, 1, is())
	done()
	require.NoError(t, b.Sweep(t.Context()))
	require.Zero(t, is())

	// A trial that nobody cleans up goes by itself.
	stands := func(made span.Instant) store.ID {
		v := store.Visit{ServiceID: 1, UID: fmt.Sprint(made), Start: 100, End: 200}
		require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error { return tx.AddVisit(&v, nil, nil) }))
		trial := store.Booking{VisitID: v.ID, Reference: fmt.Sprint("T", made), TokenHash: fmt.Sprint(made), Status: store.Confirmed, Places: 1, Trial: true, CreatedAt: made}
		require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error { return tx.AddBooking(&trial) }))
		return trial.ID
	}
	old, fresh := stands(span.Instant(50).Add(-trialFor)-1), stands(50)
	require.NoError(t, b.Sweep(t.Context()))
	for id, want := range map[store.ID]store.BookingStatus{old: store.Cancelled, fresh: store.Confirmed} {
		k, err := db.Read(t.Context()).Booking(id)
		require.NoError(t, err)
		require.Equal(t, want, k.Status)
	}
}
