package span

import (
	"cmp"
	"slices"
)

// Set is a set of instants, kept as spans that are sorted, not empty, and
// apart from each other: spans that touch or overlap have become one. The zero
// value is the empty set. A set is not changed after it has been made.
type Set struct {
	spans []Span
}

// Of returns the union of the spans. It sorts and merges in place, so the
// slice belongs to the set afterwards; it allocates nothing.
func Of(spans []Span) Set {
	for i := 1; i < len(spans); i++ {
		if spans[i].start < spans[i-1].start {
			slices.SortFunc(spans, func(a, b Span) int { return cmp.Compare(a.start, b.start) })
			break
		}
	}
	n := 0
	for _, s := range spans {
		switch {
		case s.IsEmpty():
		case n > 0 && s.start <= spans[n-1].end:
			spans[n-1].end = max(spans[n-1].end, s.end)
		default:
			spans[n] = s
			n++
		}
	}
	return Set{spans[:n]}
}

// Spans returns the spans of the set in order. The caller must not change them.
func (s Set) Spans() []Span { return s.spans }

// IsEmpty reports whether the set holds no time at all.
func (s Set) IsEmpty() bool { return len(s.spans) == 0 }

// Minutes returns how many minutes the set holds.
func (s Set) Minutes() Minutes {
	var m Minutes
	for _, p := range s.spans {
		m += p.Minutes()
	}
	return m
}

// at returns the index of the first span that ends after i.
func (s Set) at(i Instant) int {
	n, _ := slices.BinarySearchFunc(s.spans, i, func(p Span, i Instant) int {
		if p.end <= i {
			return -1
		}
		return 1
	})
	return n
}

// Overlaps reports whether the set shares some time with p.
func (s Set) Overlaps(p Span) bool {
	n := s.at(p.start)
	return n < len(s.spans) && s.spans[n].Overlaps(p)
}

// Covers reports whether p lies wholly inside one span of the set.
func (s Set) Covers(p Span) bool {
	n := s.at(p.start)
	return n < len(s.spans) && s.spans[n].Covers(p)
}

// Around returns the span of the set that holds i.
func (s Set) Around(i Instant) (Span, bool) {
	n := s.at(i)
	if n < len(s.spans) && s.spans[n].Contains(i) {
		return s.spans[n], true
	}
	return Span{}, false
}

// Clip returns the part of the set inside the window.
func (s Set) Clip(window Span) Set {
	var out []Span
	for _, p := range s.spans[s.at(window.start):] {
		if p.start >= window.end {
			break
		}
		out = append(out, p.Clip(window))
	}
	return Set{out}
}

// Subtract returns the time of s that is not in o. Its cost is linear in the
// number of spans of both.
func (s Set) Subtract(o Set) Set {
	if len(o.spans) == 0 {
		return s
	}
	out := make([]Span, 0, len(s.spans)+len(o.spans))
	n := 0
	for _, p := range s.spans {
		for n < len(o.spans) && o.spans[n].end <= p.start {
			n++
		}
		from := p.start
		for k := n; k < len(o.spans) && o.spans[k].start < p.end; k++ {
			if cut := Between(from, o.spans[k].start); !cut.IsEmpty() {
				out = append(out, cut)
			}
			from = max(from, o.spans[k].end)
		}
		if rest := Between(from, p.end); !rest.IsEmpty() {
			out = append(out, rest)
		}
	}
	return Set{out}
}
