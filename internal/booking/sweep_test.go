package booking

import (
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/store"
)

// A held booking that a request is busy with is not swept away, also where its number
// was another one's a moment before, whose request has not quite ended.
func TestASweepLeavesWhatIsUnderWay(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	b := New(Settings{DB: db, Now: func() time.Time { return time.Unix(50, 0) }})
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
}
