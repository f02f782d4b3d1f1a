package ics

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"io"
	"strings"
	"unicode"
	"unicode/utf8"

	"niche/core/span"
)

// Said is what a copy of a booking says, as far as that is the booking's: its time,
// whether it takes time, and its words. The words are kept as every host can keep
// them: without control characters, and with single spaces.
type Said struct {
	visit                          span.Span
	status                         Difference // why it takes no time as a visit does; Same when it does
	summary, description, location string
	zone                           string // by which its time is written; not compared
}

// ErrNoCopy says that the booking is not in what was read back.
var ErrNoCopy = errors.New("the booking is not in what was read back")

// Said returns what the booking's copy should say.
func (b Booking) Said() Said {
	status := Same
	if b.Tentative {
		status = Tentative
	}
	zone := "UTC"
	if b.zoned() {
		zone = b.Zone.String()
	}
	return Said{b.Visit, status, plain(b.Summary), withoutNotes(plain(b.Description)), plain(b.Location), zone}
}

// ReadCopy returns what a copy outside says of the booking with a UID. The error
// is ErrNoCopy when the booking is not there. Owner are the mail addresses of whose
// calendar it is, to see what they declined.
func ReadCopy(stored io.Reader, uid string, owner ...string) (Said, error) {
	in := newReader(stored)
	s := newScope(Scope{Owner: owner})
	var found *event
	var words Component
	for {
		c, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return Said{}, fmt.Errorf("reading a copy: %w", err)
		}
		switch {
		case c.Name == "VTIMEZONE":
			s.defined[c.value("TZID")] = c
		case c.Name == "VCALENDAR":
			s.bindZones()
		case c.Name == "VEVENT" && c.value("UID") == uid && found == nil:
			e, err := s.parse(c)
			if err != nil {
				return Said{}, fmt.Errorf("reading a copy: %w", err)
			}
			found, words = &e, c
		}
	}
	if found == nil {
		return Said{}, ErrNoCopy
	}
	if err := found.check(); err != nil {
		return Said{}, fmt.Errorf("reading a copy: %w", err)
	}
	lasts, err := lengthOf(found.length, found.start, found.end, found.lasts)
	if err != nil {
		return Said{}, fmt.Errorf("reading a copy: %w", err)
	}
	text := func(name string) string {
		p, _ := words.Get(name)
		return plain(p.Text())
	}
	return Said{found.start.span(found.start.at(), lasts), statusOf(found, words),
		text("SUMMARY"), withoutNotes(text("DESCRIPTION")), text("LOCATION"), zoneOf(words)}, nil
}

// withoutNotes returns a plain description without what its owner wrote below it. A host
// may have cut the line for that.
func withoutNotes(text string) string {
	before, _, _ := strings.Cut(text, plain(NotesBelow))
	return strings.TrimSpace(before)
}

// statusOf says why an event takes no time as a visit does.
func statusOf(e *event, c Component) Difference {
	upper := func(name string) string { return strings.ToUpper(strings.TrimSpace(c.value(name))) }
	start, _ := c.Get("DTSTART")
	switch {
	case strings.EqualFold(start.Param("VALUE"), "DATE"):
		return AllDay
	case e.series != nil:
		return Repeated
	case upper("STATUS") == "CANCELLED":
		return Cancelled
	case upper("TRANSP") == "TRANSPARENT":
		return MarkedFree
	case e.tentative:
		return Tentative
	case e.allFree:
		return Declined // which is what is left
	}
	return Same
}

// copyOf returns the component of a UID with all that stands in it, and the zones
// beside it. Of several, the one that replaces no occurrence counts.
func copyOf(stored io.Reader, uid string) (zones []Component, event Component, err error) {
	in := newReader(stored)
	for {
		c, err := in.next()
		switch {
		case errors.Is(err, io.EOF) && event.Name == "":
			return nil, event, ErrNoCopy
		case errors.Is(err, io.EOF):
			return zones, event, nil
		case err != nil:
			return nil, event, err
		case c.Name == "VTIMEZONE":
			zones = append(zones, c)
		case c.Name == "VEVENT" && c.value("UID") == uid && event.Name == "":
			event = c
		}
	}
}

// plain returns a text as every host can keep it.
func plain(text string) string {
	return strings.Join(strings.FieldsFunc(text, func(r rune) bool { return unicode.IsSpace(r) || unicode.IsControl(r) }), " ")
}

// longWords is from which length on a host may have cut words, in characters.
const longWords = 100

// sameWords compares words as they were written with those that were read back,
// which a host may have cut at a length of its own.
func sameWords(want, got string) bool {
	return want == got || utf8.RuneCountInString(got) >= longWords && strings.HasPrefix(want, got)
}

// Difference is the first thing in which a copy differs from its booking.
type Difference string

// The differences.
const (
	Same             Difference = ""
	OtherTime        Difference = "time"
	AllDay           Difference = "all day"
	Repeated         Difference = "repeated"
	Cancelled        Difference = "cancelled"
	MarkedFree       Difference = "marked free"
	Tentative        Difference = "tentative"
	Confirmed        Difference = "confirmed"
	Declined         Difference = "declined"
	OtherTitle       Difference = "title"
	OtherDescription Difference = "description"
	OtherPlace       Difference = "place"
)

// Differs says how what was read back differs from what was written. Hosts rewrite
// what they store, so meaning is compared, and not bytes.
func (s Said) Differs(got Said) Difference {
	switch {
	case got.status != s.status && (got.status == AllDay || got.visit == s.visit):
		return cmp.Or(got.status, Confirmed)
	case got.visit != s.visit:
		return OtherTime
	case !sameWords(s.summary, got.summary):
		return OtherTitle
	case !sameWords(s.description, got.description):
		return OtherDescription
	case !sameWords(s.location, got.location):
		return OtherPlace
	}
	return Same
}

// During returns the time at which the copy lies.
func (s Said) During() span.Span { return s.visit }

// Zone returns by which zone its time is written: a TZID, UTC, or empty for whichever one its reader is in.
func (s Said) Zone() string { return s.zone }

// Status returns why it takes no time as a visit does; Same when it does.
func (s Said) Status() Difference { return s.status }

// Words returns its title, place and description, as every host can keep them.
func (s Said) Words() (title, place, description string) { return s.summary, s.location, s.description }

// zoneOf returns by which zone the time of an event is written.
func zoneOf(c Component) string {
	start, _ := c.Get("DTSTART")
	if tzid := start.Param("TZID"); tzid != "" {
		return tzid
	}
	if strings.HasSuffix(strings.TrimSpace(start.Value), "Z") {
		return "UTC"
	}
	return ""
}

// Digest returns a short text that is the same for copies that say the same, and
// tells nothing of their words.
func (s Said) Digest() string {
	sum := sha256.Sum256([]byte(fmt.Sprintf("%d %d %s\x00%s\x00%s\x00%s", s.visit.Start(), s.visit.End(), s.status, s.summary, s.description, s.location)))
	return hex.EncodeToString(sum[:12])
}
