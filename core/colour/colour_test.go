package colour_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/colour"
)

func TestContrast(t *testing.T) {
	for _, c := range []struct {
		a, b string
		want float64
	}{{"#000000", "#ffffff", 21}, {"#777777", "#ffffff", 4.48}, {"#767676", "#ffffff", 4.54}, {"#0000ff", "#ffffff", 8.59}, {"#ff0000", "#ffffff", 4.0}} {
		a, _ := colour.Parse(c.a)
		b, _ := colour.Parse(c.b)
		require.InDelta(t, c.want, colour.Contrast(a, b), 0.01, c)
	}
	for _, wrong := range []string{"", "red", "#fff", "#gggggg", "#1234567"} {
		_, ok := colour.Parse(wrong)
		require.False(t, ok, wrong)
	}
}

// Whatever accent somebody wants, it can be read on any background, and so can what stands on it.
func TestAnyAccentCanBeRead(t *testing.T) {
	any := rapid.Map(rapid.IntRange(0, 0xffffff), func(n int) colour.Colour { c, _ := colour.Parse(fmt.Sprintf("#%06x", n)); return c })
	ink, _ := colour.Parse("#14262c")
	rapid.Check(t, func(t *rapid.T) {
		accent, behind := any.Draw(t, "accent"), any.Draw(t, "behind")
		mended := colour.Against(accent, behind)
		require.GreaterOrEqual(t, colour.Contrast(mended, behind), 4.0, "%v on %v", mended, behind)
		if colour.Contrast(accent, behind) >= colour.Readable {
			require.Equal(t, accent, mended)
		}
		require.GreaterOrEqual(t, colour.Contrast(colour.On(accent, ink), accent), 3.9)
	})
}
