package telephone_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"niche/internal/telephone"
)

func TestNumbersAreReadAnyWayTheyAreTyped(t *testing.T) {
	for _, c := range []struct{ typed, country, e164, words string }{
		{"087 123 4567", "IE", "+353871234567", "087 123 4567"},
		{"(087) 123-4567", "IE", "+353871234567", "087 123 4567"},
		{"+353 87 1234567", "IE", "+353871234567", "087 123 4567"},
		{"00353 87 1234567", "IE", "+353871234567", "087 123 4567"},
		{"+44 20 7946 0958", "IE", "+442079460958", "+44 20 7946 0958"},
		{"020 7946 0958", "GB", "+442079460958", "020 7946 0958"},
		{"12", "IE", "", ""},
		{"call me", "IE", "", ""},
		{"087 123 4567", "", "", ""},
		{"087 123 4567 ext. 5", "IE", "", ""},
	} {
		e164, ok := telephone.Read(c.typed, c.country)
		require.Equal(t, c.e164, e164, c.typed)
		require.Equal(t, c.e164 != "", ok)
		if ok {
			require.Equal(t, c.words, telephone.Words(e164, c.country))
		}
	}
	require.Equal(t, "353871234567 0871234567 871234567", telephone.Digits("+353871234567"))
	require.Equal(t, "IE", telephone.CountryOf("Europe/Dublin"))
	require.Equal(t, "CA", telephone.CountryOf("America/St_Johns"))
	require.Empty(t, telephone.CountryOf("Etc/UTC"))
}
