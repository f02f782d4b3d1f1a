package assign_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/assign"
)

// Against every plan there is: none gives more tasks something, or as many at less cost.
func TestNoPlanIsBetter(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		costs := rapid.SliceOfN(rapid.SliceOfN(rapid.IntRange(0, 9), 0, 4), 0, 5).Draw(t, "costs")
		odds := map[[4]int]bool{}
		for a := range costs {
			for o := range costs[a] {
				for b := a + 1; b < len(costs); b++ {
					for p := range costs[b] {
						odds[[4]int{a, o, b, p}] = rapid.IntRange(0, 2).Draw(t, "odds") == 0
					}
				}
			}
		}
		atOdds := func(a, o, b, p int) bool { return odds[[4]int{a, o, b, p}] }
		worth := func(given []int) (empty, cost int, sound bool) {
			for a, o := range given {
				if o == assign.None {
					empty++
					continue
				}
				cost += costs[a][o]
				for b := a + 1; b < len(given); b++ {
					if given[b] != assign.None && atOdds(a, o, b, given[b]) {
						return 0, 0, false
					}
				}
			}
			return empty, cost, true
		}
		plan := assign.Best(costs, atOdds)
		require.True(t, plan.Best)
		empty, cost, sound := worth(plan.Given)
		require.True(t, sound)
		given := make([]int, len(costs))
		var every func(n int)
		every = func(n int) {
			if n == len(costs) {
				if e, c, ok := worth(given); ok {
					require.False(t, e < empty || e == empty && c < cost, "better: %v", given)
				}
				return
			}
			for o := assign.None; o < len(costs[n]); o++ {
				given[n] = o
				every(n + 1)
			}
		}
		every(0)
	})
}

// A hard day ends all the same, with a sound plan.
func TestALongSearchEnds(t *testing.T) {
	costs := make([][]int, 30)
	for i := range costs {
		costs[i] = make([]int, 20)
		for o := range costs[i] {
			costs[i][o] = (i*7 + o*13) % 50
		}
	}
	plan := assign.Best(costs, func(_, o, _, p int) bool { return o == p })
	require.Len(t, plan.Given, 30)
	seen := map[int]bool{}
	for _, o := range plan.Given {
		require.False(t, o != assign.None && seen[o])
		seen[o] = true
	}
}
