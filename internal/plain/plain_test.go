package plain_test

import (
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/plain"
)

func TestWhatPeopleCanSeeAsItIs(t *testing.T) {
	for _, good := range []string{"", "Rosa Osei", "O’Brien-Şahin", "Ἀλέξανδρος", "李小龙", "می\u200cخواهم", "क्\u200dष", "👩\u200d🔧", "👨\u200d👩\u200d👧", "🏴\U000e0067\U000e0062\U000e0073\U000e0063\U000e0074\U000e007f", "❤️", "a & b / c, (d)", "שלום", "é"} {
		require.Empty(t, plain.Fault(good), "%q", good)
	}
	for _, bad := range []string{"a\nb", "a\tb", "\x00", "a\u0085b", "\u009b31m", "a\u2028b", "abc\u202ecba", "\u2066x\u2069", "\u200fx", "\u061cx", "a\u200bb", "\u200d", "a\u200d", "\u200ca", "\ufeffa", "a\u2060b", "a\u00adb", "a\ufffdb", "\xff", "\ue000", "\u034f", "\U000e0001"} {
		require.NotEmpty(t, plain.Fault(bad), "%q", bad)
	}
	for text, seen := range map[string]bool{"a": true, "5": true, "&": true, "🎹": true, " ": false, "\u3164": false, "\u00a0": false, "\u2800": false, "": false, "\u0301": false} {
		require.Equal(t, seen, plain.IsVisible(text), "%q", text)
	}
}

// Whatever another program says is plain once it is clean, and what is plain stays.
func TestCleaning(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text, most := rapid.String().Draw(t, "text"), rapid.IntRange(0, 20).Draw(t, "most")
		got := plain.Clean(text, most)
		require.Empty(t, plain.Fault(got))
		require.LessOrEqual(t, utf8.RuneCountInString(got), most)
		require.Equal(t, got, plain.Clean(got, most))
	})
	require.Equal(t, "Family and work", plain.Clean(" Family\u202e\r\n\tand  wo\u200brk ", 200))
	require.Equal(t, "Fami", plain.Clean("Family", 4))
}
