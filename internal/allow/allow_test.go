package allow_test

import (
	"fmt"
	"net/netip"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/allow"
)

// In any stretch of time, whatever comes when, no key gets more than its burst and what
// the stretch itself is worth; one that was refused may as soon as it was told.
func TestARateIsNeverPassed(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		now := time.Unix(1e9, 0)
		table := allow.New(10, func() time.Time { return now })
		rate := allow.Rate{Burst: rapid.IntRange(1, 5).Draw(t, "burst"), Every: time.Duration(rapid.IntRange(1, 20).Draw(t, "every")) * time.Second}
		var taken []time.Time
		for range rapid.IntRange(1, 60).Draw(t, "tries") {
			now = now.Add(time.Duration(rapid.IntRange(0, 15).Draw(t, "pause")) * time.Second)
			wait := table.Take("a", rate)
			if wait > 0 {
				before := now
				now = now.Add(wait)
				require.Zero(t, table.Take("a", rate), "after the wait of %s", wait)
				taken = append(taken, now)
				require.LessOrEqual(t, now.Sub(before), rate.Every)
				continue
			}
			taken = append(taken, now)
		}
		for i := range taken {
			for j := i; j < len(taken); j++ {
				require.LessOrEqual(t, j-i+1, rate.Burst+1+int(taken[j].Sub(taken[i])/rate.Every))
			}
		}
	})
}

func TestWrongTriesWaitEverLongerAndNeverForEver(t *testing.T) {
	now := time.Unix(1e9, 0)
	table := allow.New(100, func() time.Time { return now })
	for range 4 {
		require.Zero(t, table.Wrong("a"))
	}
	require.Zero(t, table.Try("a"))
	last := time.Duration(0)
	for range 40 {
		wait := table.Wrong("a")
		require.True(t, wait > last || wait == 15*time.Minute, "%s after %s", wait, last)
		require.Equal(t, wait, table.Try("a"))
		now = now.Add(wait)
		require.Zero(t, table.Try("a"))
		last = wait
	}
	require.Equal(t, 15*time.Minute, last)
	require.Zero(t, table.Try("b"), "another key")
	table.Wrong("a")
	now = now.Add(-48 * time.Hour)
	require.LessOrEqual(t, table.Try("a"), 15*time.Minute, "after the clock went back")
	now = now.Add(96 * time.Hour)
	require.Zero(t, table.Wrong("a"), "a day later")
	table.Right("a")
	require.Zero(t, table.Try("a"))
}

func TestWhoCameLongestAgoLeavesFirst(t *testing.T) {
	table := allow.New(1000, time.Now)
	for range 9 {
		table.Wrong("guesser")
	}
	for n := range 10_000 {
		table.Wrong(fmt.Sprint(n))
		if n%500 == 0 {
			require.NotZero(t, table.Wrong("guesser"), "who goes on is not forgotten")
		}
	}
	require.NotZero(t, table.Try("guesser"))
	require.Equal(t, 1000, table.Len())
	require.Zero(t, table.TakeAll(map[string]allow.Rate{"x": {1, time.Hour}, "y": {2, time.Hour}}))
	require.NotZero(t, table.TakeAll(map[string]allow.Rate{"x": {1, time.Hour}, "y": {2, time.Hour}}))
	require.Zero(t, table.Take("y", allow.Rate{Burst: 2, Every: time.Hour}), "what was refused used nothing up")
}

func TestANetworkIsWhatOneCustomerHas(t *testing.T) {
	for ip, want := range map[string]string{"203.0.113.7": "203.0.113.7", "::ffff:203.0.113.7": "203.0.113.7",
		"2001:db8:1:2:3:4:5:6": "2001:db8:1:2::/64", "2001:db8:1:2::9": "2001:db8:1:2::/64", "fe80::1%eth0": "fe80::/64"} {
		require.Equal(t, want, allow.Network(netip.MustParseAddr(ip)), ip)
	}
}
