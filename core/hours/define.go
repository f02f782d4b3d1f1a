package hours

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"time"

	"niche/core/span"
)

// Change is an instant at which the clocks of a zone begin to show another
// offset from UTC, in seconds east of it.
type Change struct {
	At     span.Instant
	Offset int
}

// DefineZone makes a zone of its own rules: the offset before the first change,
// and the changes in any order. It is for data that brings its zones along; a
// zone that is known by name comes from LoadZone. It refuses offsets of a day
// and more, and more than 200 different ones.
func DefineZone(name string, before int, changes []Change) (Zone, error) {
	changes = slices.Clone(changes)
	slices.SortFunc(changes, func(a, b Change) int { return cmp.Compare(a.At, b.At) })
	offsets := []int{before}
	kinds := make([]byte, len(changes))
	for i, c := range changes {
		n := slices.Index(offsets, c.Offset)
		if n < 0 {
			n = len(offsets)
			offsets = append(offsets, c.Offset)
		}
		if n > 200 {
			return Zone{}, errors.New("defining a zone: it has too many offsets")
		}
		kinds[i] = byte(n)
	}
	for _, o := range offsets {
		if o <= -86400 || o >= 86400 {
			return Zone{}, fmt.Errorf("defining a zone: an offset of %d s passes a day", o)
		}
	}
	// The time package takes zones as the compiled format of RFC 8536 only:
	// an empty part of version 1, and then one with 64-bit instants.
	var b bytes.Buffer
	header := func(times, kinds, letters uint32) {
		b.WriteString("TZif2")
		b.Write(make([]byte, 15))
		for _, n := range []uint32{0, 0, 0, times, kinds, letters} {
			_ = binary.Write(&b, binary.BigEndian, n)
		}
	}
	header(0, 0, 0)
	const beginning = -1 << 59 // before every instant, so that the first offset holds from there
	header(uint32(len(changes)+1), uint32(len(offsets)), 1)
	_ = binary.Write(&b, binary.BigEndian, int64(beginning))
	for _, c := range changes {
		_ = binary.Write(&b, binary.BigEndian, int64(c.At))
	}
	b.WriteByte(0)
	b.Write(kinds)
	for _, o := range offsets {
		_ = binary.Write(&b, binary.BigEndian, int32(o))
		b.Write([]byte{0, 0})
	}
	b.WriteString("\x00\n\n")
	loc, err := time.LoadLocationFromTZData(name, b.Bytes())
	if err != nil {
		return Zone{}, fmt.Errorf("defining a zone: %w", err)
	}
	return Zone{loc}, nil
}

// Turn is a change of a zone's clocks.
type Turn struct {
	Change
	Before int // the offset until then, in seconds east of UTC
}

// Changes returns what the zone's clocks do in a span, beginning with the change
// that counts at its start; a zone that never changed began in 1970.
func (z Zone) Changes(in span.Span) (list []Turn) {
	for at := in.Start(); ; {
		start, _ := at.Time().In(z.Location()).ZoneBounds()
		turn := Turn{Change: Change{Offset: z.offset(at)}, Before: z.offset(at)}
		if !start.IsZero() {
			turn.At, turn.Before = span.At(start), z.offset(span.At(start)-1)
		}
		if len(list) == 0 || turn.Before != turn.Offset && turn != list[len(list)-1] {
			list = append(list, turn)
		}
		if at = z.until(at); at >= in.End() {
			return list
		}
	}
}

func (z Zone) offset(at span.Instant) int {
	_, offset := at.Time().In(z.Location()).Zone()
	return offset
}
