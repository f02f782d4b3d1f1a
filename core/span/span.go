// Package span holds instants, spans of time and sets of spans.
//
// It is the arithmetic under everything else: whether a visit fits into open
// time, whether it meets a busy span, what is left of a day. It knows no wall
// clock and no time zone; package hours turns those into instants.
//
// Instants are plain 64-bit seconds rather than time.Time, because a question
// over sixty days compares them many thousand times: comparing, shifting and
// widening become single integer operations, values fit in registers, and two
// equal instants are always ==.
package span

import (
	"fmt"
	"time"
)

// Instant is a moment in UTC, in seconds since 1970-01-01T00:00:00Z.
// The zero value is that moment.
type Instant int64

// Minutes is a length of time in whole minutes, the smallest unit of a rule.
type Minutes int

// At returns the instant of t, dropping what is finer than a second.
func At(t time.Time) Instant { return Instant(t.Unix()) }

// NotBefore returns the first instant that is not before t: when something may be done
// that is to wait until t.
func NotBefore(t time.Time) Instant { return At(t.Add(time.Second - 1)) }

// Parse reads an RFC 3339 date-time with its offset.
func Parse(text string) (Instant, error) {
	t, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return 0, fmt.Errorf("%q is not a date-time of RFC 3339, as in 2026-03-02T08:00:00Z", text)
	}
	return At(t), nil
}

// Time returns the instant as a time.Time in UTC.
func (i Instant) Time() time.Time { return time.Unix(int64(i), 0).UTC() }

// Add returns the instant m minutes later, or earlier when m is negative.
func (i Instant) Add(m Minutes) Instant { return i + Instant(m)*60 }

// String returns the instant as RFC 3339 in UTC.
func (i Instant) String() string { return i.Time().Format(time.RFC3339) }

// MarshalText writes the instant as RFC 3339 in UTC.
func (i Instant) MarshalText() ([]byte, error) { return []byte(i.String()), nil }

// UnmarshalText reads an RFC 3339 date-time.
func (i *Instant) UnmarshalText(text []byte) error {
	v, err := Parse(string(text))
	*i = v
	return err
}

// Span is a half-open stretch of time [Start, End). Its end is never before
// its start: only this package sets the fields. The zero value is empty.
type Span struct {
	start, end Instant
}

// Between returns [start, end), or the empty span at start when end lies
// before it.
func Between(start, end Instant) Span {
	return Span{start, max(start, end)}
}

// For returns the span that begins at start and lasts m minutes.
func For(start Instant, m Minutes) Span { return Between(start, start.Add(m)) }

// Start returns the first instant of the span.
func (s Span) Start() Instant { return s.start }

// End returns the first instant after the span.
func (s Span) End() Instant { return s.end }

// IsEmpty reports whether the span has no length.
func (s Span) IsEmpty() bool { return s.start == s.end }

// Minutes returns the length of the span in minutes, dropping seconds.
func (s Span) Minutes() Minutes { return Minutes((s.end - s.start) / 60) }

// Overlaps reports whether both spans share some time. Spans that only touch
// do not overlap, and an empty span overlaps nothing.
func (s Span) Overlaps(o Span) bool {
	return max(s.start, o.start) < min(s.end, o.end)
}

// Covers reports whether o lies wholly inside s.
func (s Span) Covers(o Span) bool { return s.start <= o.start && o.end <= s.end }

// Contains reports whether i lies in the span.
func (s Span) Contains(i Instant) bool { return s.start <= i && i < s.end }

// Widen returns the span with time added on both sides.
func (s Span) Widen(before, after Minutes) Span {
	return Between(s.start.Add(-before), s.end.Add(after))
}

// Clip returns what of the span lies inside the window, perhaps nothing.
func (s Span) Clip(window Span) Span {
	return Between(max(s.start, window.start), min(s.end, window.end))
}

// String returns both ends in UTC, for logs and failed tests.
func (s Span) String() string { return "[" + s.start.String() + ", " + s.end.String() + ")" }
