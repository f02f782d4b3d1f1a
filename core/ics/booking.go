package ics

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"niche/core/span"
)

// Booking is a booking as it is written into an outside calendar.
type Booking struct {
	UID         string
	Stamp       span.Instant // when the booking was last changed
	Sequence    int
	Visit       span.Span
	Summary     string
	Description string
	Location    string
}

const stampLayout = "20060102T150405Z"

// Encode returns the booking as a calendar object of one VEVENT, its times in
// UTC, lines folded at 75 octets and ended by CRLF (RFC 5545, section 3.1).
func (b Booking) Encode() []byte {
	var out bytes.Buffer
	line := func(name, value string) { fold(&out, name+":"+value) }
	line("BEGIN", "VCALENDAR")
	line("VERSION", "2.0")
	line("PRODID", "-//Niche//Bookings//EN")
	line("BEGIN", "VEVENT")
	line("UID", b.UID)
	line("DTSTAMP", b.Stamp.Time().Format(stampLayout))
	line("SEQUENCE", fmt.Sprint(b.Sequence))
	line("DTSTART", b.Visit.Start().Time().Format(stampLayout))
	line("DTEND", b.Visit.End().Time().Format(stampLayout))
	line("SUMMARY", escape(b.Summary))
	if b.Description != "" {
		line("DESCRIPTION", escape(b.Description))
	}
	if b.Location != "" {
		line("LOCATION", escape(b.Location))
	}
	line("STATUS", "CONFIRMED")
	line("TRANSP", "OPAQUE")
	line("END", "VEVENT")
	line("END", "VCALENDAR")
	return out.Bytes()
}

func escape(text string) string {
	text = strings.Map(func(r rune) rune {
		if r < ' ' && r != '\n' && r != '\t' || r == 0x7f {
			return -1
		}
		return r
	}, text)
	return strings.NewReplacer(`\`, `\\`, `;`, `\;`, `,`, `\,`, "\n", `\n`).Replace(text)
}

// fold writes a content line, folded between characters.
func fold(out *bytes.Buffer, line string) {
	width := 75
	for len(line) > width {
		cut := width
		for !utf8.RuneStart(line[cut]) {
			cut--
		}
		out.WriteString(line[:cut] + "\r\n ")
		line, width = line[cut:], 74
	}
	out.WriteString(line + "\r\n")
}

// Differs compares a copy as it was read back with the booking: its time, its
// status and its words, by meaning and not by bytes, since servers rewrite
// what they store. It returns "" when the copy says what the booking says.
func (b Booking) Differs(stored io.Reader) string {
	in := newReader(stored)
	s := newScope(Scope{Window: b.Visit})
	var found *event
	var copied Component
	for {
		c, err := in.next()
		if err != nil && !errors.Is(err, io.EOF) || errors.Is(err, io.EOF) && found == nil {
			return "the copy is not in what was read back"
		}
		if err != nil {
			break
		}
		switch {
		case c.Name == "VTIMEZONE":
			s.defined[c.value("TZID")] = c
		case c.Name == "VCALENDAR":
			s.bindZones()
		case c.Name == "VEVENT" && c.value("UID") == b.UID && found == nil:
			e, err := s.parse(c)
			if err != nil {
				return err.Error()
			}
			found, copied = &e, c
		}
	}
	lasts, err := lengthOf(found.length, found.start, found.end, found.lasts)
	if err == nil {
		err = found.check()
	}
	if err != nil {
		return err.Error()
	}
	if got := found.start.span(found.start.at(), lasts); got != b.Visit {
		return fmt.Sprintf("it lies at %s instead of %s", got, b.Visit)
	}
	if found.allFree || found.tentative || found.series != nil {
		return "it is no longer a confirmed visit that takes time"
	}
	for name, want := range map[string]string{"SUMMARY": b.Summary, "DESCRIPTION": b.Description, "LOCATION": b.Location} {
		p, _ := copied.Get(name)
		if strings.TrimSpace(p.Text()) != strings.TrimSpace(want) {
			return "its " + strings.ToLower(name) + " was changed"
		}
	}
	return ""
}
