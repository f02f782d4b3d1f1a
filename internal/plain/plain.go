// Package plain knows which texts people can see as they are: without characters that
// control, that turn the direction of writing, or that show nothing. What people type is
// refused where it is not plain; what other programs say is made plain.
package plain

import (
	"strings"
	"unicode"
	"unicode/utf8"
)

// Fault says what is wrong with the characters of a text, or nothing.
func Fault(text string) string {
	before := rune(' ')
	for i, r := range text {
		switch {
		case r == utf8.RuneError:
			return "This holds something that is no character."
		case unicode.IsControl(r), r == '\u2028', r == '\u2029':
			return "This holds a line break or another character that controls and cannot be seen. Type it again in one line."
		case unicode.Is(unicode.Bidi_Control, r):
			return "This holds a character that turns the direction of writing. Type it again."
		case r == '\u200c' || r == '\u200d': // which join letters and pictures, and mean something between two only
			after, n := utf8.DecodeRuneInString(text[i+utf8.RuneLen(r):])
			if !joins(before) || n == 0 || !joins(after) {
				return invisible
			}
		case unicode.Is(unicode.Cf, r), unicode.Is(unicode.Co, r), unicode.Is(unicode.Other_Default_Ignorable_Code_Point, r):
			if !isTag(r) {
				return invisible
			}
		}
		before = r
	}
	return ""
}

const invisible = "This holds a character that cannot be seen. Type it again."

// joins reports whether a character can be joined to another.
func joins(r rune) bool {
	return unicode.In(r, unicode.L, unicode.M, unicode.So, unicode.Sk)
}

// isTag reports whether a character is one of those that make flags of pictures.
func isTag(r rune) bool { return r >= 0xE0020 && r <= 0xE007F }

// IsVisible reports whether a text has a letter, a digit or a sign.
func IsVisible(text string) bool {
	return strings.ContainsFunc(text, func(r rune) bool { return unicode.In(r, unicode.L, unicode.N, unicode.P, unicode.S) && !blank[r] })
}

// blank are letters and signs that show nothing.
var blank = map[rune]bool{'\u115f': true, '\u1160': true, '\u3164': true, '\uffa0': true, '\u2800': true}

// Clean makes a text of another program plain: without what Fault would find, with
// single blanks, and no longer than so many characters.
func Clean(text string, most int) string {
	var b strings.Builder
	n := 0
	for word := range strings.FieldsSeq(strings.ToValidUTF8(text, "")) {
		for i, r := range word {
			if Fault(word[i:i+utf8.RuneLen(r)]) != "" {
				continue
			}
			if n == most {
				return b.String()
			}
			if i == 0 && b.Len() > 0 {
				b.WriteByte(' ')
				if n++; n == most {
					return strings.TrimSpace(b.String())
				}
			}
			b.WriteRune(r)
			n++
		}
	}
	return b.String()
}
