package booking

import (
	"bytes"
	"compress/flate"
	"errors"
	"fmt"
	"io"
	"strings"
	"sync"

	"niche/core/casefile"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// packers are packers of cases, of which each takes a megabyte that need not be had anew for every booking.
var packers = sync.Pool{New: func() any {
	z, err := flate.NewWriter(nil, flate.BestCompression)
	if err != nil {
		panic(err) // the level is one
	}
	return z
}}

// keepCase keeps the question by which a booking was decided: with the rules and all
// that counted, and without the names of calendars, which are personal words.
func keepCase(tx store.Tx, booking store.ID, now, start span.Instant, allRead bool, q offer.Question) error {
	for i, s := range q.Staff {
		q.Staff[i].Busy = make([]offer.Calendar, len(s.Busy))
		for n, c := range s.Busy {
			c.Name = fmt.Sprintf("calendar %d", n+1)
			q.Staff[i].Busy[n] = c
		}
	}
	text, err := casefile.Write(q)
	if err != nil {
		return err
	}
	var packed bytes.Buffer
	z := packers.Get().(*flate.Writer)
	defer packers.Put(z)
	z.Reset(&packed)
	_, err = z.Write(text)
	if err = errors.Join(err, z.Close()); err != nil {
		return err
	}
	return tx.AddCase(store.Case{BookingID: booking, DecidedAt: now, Start: start, AllRead: allRead, Packed: packed.Bytes()})
}

// Decision is how a booking was decided: the question, and the start that was taken
// of it.
type Decision struct {
	Text     string // the case file
	Question offer.Question
	Start    span.Instant
	At       span.Instant // when it was decided
	AllRead  bool         // whether the last look could read every calendar
}

// LookWords says how the last look went.
func (d Decision) LookWords() string {
	if d.AllRead {
		return "Every calendar that blocks was read just before."
	}
	return "Not every calendar could be read in time: what was read last counted."
}

// maxCase is the largest case that is unpacked, in bytes.
const maxCase = 16 << 20

// DecisionOf returns how a booking was decided the last time. The error is
// store.ErrNotFound for one of before that was kept.
func DecisionOf(tx store.Tx, booking store.ID) (d Decision, err error) {
	c, err := tx.LastCase(booking)
	if err != nil {
		return d, err
	}
	text, err := io.ReadAll(io.LimitReader(flate.NewReader(bytes.NewReader(c.Packed)), maxCase))
	if err != nil {
		return d, fmt.Errorf("unpacking a case: %w", err)
	}
	d = Decision{Text: string(text), Start: c.Start, At: c.DecidedAt, AllRead: c.AllRead}
	if d.Question, err = casefile.Read(strings.NewReader(d.Text)); err != nil {
		return d, fmt.Errorf("reading a case: %w", err)
	}
	return d, nil
}
