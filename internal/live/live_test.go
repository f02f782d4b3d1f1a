package live_test

import (
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/internal/live"
)

func TestEveryListenerIsToldAndNobodyIsWaitedFor(t *testing.T) {
	var hub live.Hub
	hub.Tell(live.Rules) // nobody listens
	first, endFirst := hub.Listen()
	second, endSecond := hub.Listen()
	hub.Tell(live.Bookings)
	require.Equal(t, live.Bookings, <-first)
	require.Equal(t, live.Bookings, <-second)
	endFirst()
	var all sync.WaitGroup
	for range 10 {
		all.Go(func() {
			for range 1000 {
				hub.Tell(live.Calendars)
			}
		})
	}
	all.Wait() // a listener that does not read holds nobody up
	require.Empty(t, first, "who has ended is told no more")
	require.Equal(t, live.Calendars, <-second)
	endSecond()
	endSecond()
}
