package span_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/span"
)

const limit = 60

func spans(t *rapid.T, label string) []span.Span {
	return rapid.SliceOfN(rapid.Custom(func(t *rapid.T) span.Span {
		start := rapid.IntRange(0, limit).Draw(t, "start")
		length := rapid.IntRange(0, 15).Draw(t, "length")
		return span.Between(span.Instant(start), span.Instant(start+length))
	}), 0, 8).Draw(t, label)
}

func members(s []span.Span) (in [limit + 20]bool) {
	for _, p := range s {
		for i := p.Start(); i < p.End(); i++ {
			in[i] = true
		}
	}
	return in
}

// Every operation on sets must agree with doing the same instant by instant.
func TestSetsAgreeWithInstantsCountedOneByOne(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		a, b := spans(t, "a"), spans(t, "b")
		inA, inB := members(a), members(b)
		setA, setB := span.Of(append([]span.Span(nil), a...)), span.Of(append([]span.Span(nil), b...))
		require.Equal(t, inA, members(setA.Spans()))
		for i, p := range setA.Spans() {
			require.False(t, p.IsEmpty())
			require.True(t, i == 0 || setA.Spans()[i-1].End() < p.Start(), "spans are sorted and apart")
		}
		less := members(setA.Subtract(setB).Spans())
		for i := range inA {
			require.Equal(t, inA[i] && !inB[i], less[i])
		}
		length := span.Instant(rapid.IntRange(1, 12).Draw(t, "asked"))
		for i := span.Instant(0); i < limit; i++ {
			asked, any, all := span.Between(i, i+length), false, true
			for k := i; k < i+length; k++ {
				any, all = any || inA[k], all && inA[k]
			}
			require.Equal(t, any, setA.Overlaps(asked))
			require.Equal(t, all, setA.Covers(asked))
			clipped := members(setA.Clip(asked).Spans())
			for k := range clipped {
				require.Equal(t, inA[k] && asked.Contains(span.Instant(k)), clipped[k])
			}
			around, ok := setA.Around(i)
			require.Equal(t, inA[i], ok)
			require.True(t, !ok || around.Contains(i))
		}
	})
}
