package together_test

import (
	"context"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/together"
)

// Whoever asks is told what was so after they asked, however many ask and however the work goes on beside what changes.
func TestWhoeverAsksIsToldWhatWasSoAfterThat(t *testing.T) {
	runs := together.New[string, int64](t.Context(), 0)
	var clock, worked atomic.Int64
	read := func(context.Context) (int64, error) { worked.Add(1); return clock.Load(), nil }
	var all sync.WaitGroup
	for range 8 {
		all.Go(func() {
			for range 2000 {
				asked := clock.Add(1)
				told, err := runs.Do(t.Context(), "page", read)
				if err != nil || told < asked {
					t.Errorf("asked at %d and told of %d: %v", asked, told, err)
					return
				}
			}
		})
	}
	all.Wait()
	runs.Wait()
	require.LessOrEqual(t, worked.Load(), clock.Load())
}

// While one run goes on, a thousand who ask wait for one more, and each key is work of its own.
func TestARushIsServedByTwoRuns(t *testing.T) {
	runs := together.New[string, int](t.Context(), time.Millisecond)
	var worked atomic.Int32
	begun, hold := make(chan struct{}), make(chan struct{})
	first := runs.Next("page", func(context.Context) (int, error) { close(begun); <-hold; return int(worked.Add(1)), nil })
	<-begun
	again := func(context.Context) (int, error) { return int(worked.Add(1)), nil }
	waiting := runs.Next("page", again)
	for range 1000 {
		require.Same(t, waiting, runs.Next("page", again))
	}
	gone, leave := context.WithCancelCause(t.Context())
	left := errors.New("left")
	leave(left)
	_, err := waiting.Wait(gone)
	require.ErrorIs(t, err, left)
	other, err := runs.Do(t.Context(), "other page", func(context.Context) (int, error) { return -1, nil })
	require.NoError(t, err)
	require.Equal(t, -1, other)
	close(hold)
	for i, u := range []*together.Run[int]{first, waiting} {
		n, err := u.Wait(t.Context())
		require.NoError(t, err)
		require.Equal(t, i+1, n)
	}
	_, err = runs.Do(t.Context(), "page", func(context.Context) (int, error) { panic("of one") })
	require.ErrorContains(t, err, "panic: of one")
	n, err := runs.Do(t.Context(), "page", again)
	require.NoError(t, err)
	require.Equal(t, 3, n)
}
