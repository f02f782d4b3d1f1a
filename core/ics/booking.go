package ics

import (
	"bytes"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"unicode"
	"unicode/utf8"

	"niche/core/hours"
	"niche/core/span"
)

// Booking is a booking as it is written into an outside calendar.
type Booking struct {
	UID         string
	Stamp       span.Instant // when the booking was last changed
	Sequence    int
	Visit       span.Span
	Zone        hours.Zone // the owner's, in which times are written
	Summary     string
	Description string
	Location    string
	Tentative   bool         // it is not confirmed yet
	Private     bool         // only its owner is to see what it says (CLASS)
	Alarm       span.Minutes // before it begins; 0 for none
	Organizer   Guest        // whose calendar it is; needed for guests
	Guests      []Guest      // who is named as attendee; nobody is written to for it
}

// Guest is somebody who comes, with a calendar address: any URI (RFC 5545, section 3.3.3).
type Guest struct{ Name, Address string }

// Mailto returns the calendar address of a mail address.
func Mailto(mail string) string { return "mailto:" + url.PathEscape(mail) }

// ownPeople marks the ORGANIZER and each ATTENDEE that the booking says: any other is its
// owner's.
const ownPeople = "X-NICHE"

// line returns the property that names a guest. It is for the client to tell them, which
// means this program, and for no server (RFC 6638, section 7.1).
func (g Guest) line(name, more string) string {
	return fmt.Sprintf(`%s;%s=1;SCHEDULE-AGENT=CLIENT;CN="%s"%s:%s`, name, ownPeople, g.name(), more, g.Address)
}

// name is the guest's name as a quoted parameter can hold it (RFC 5545, section 3.1).
func (g Guest) name() string {
	return strings.Map(func(r rune) rune {
		if r == '"' || unicode.IsControl(r) {
			return ' '
		}
		return r
	}, g.Name)
}

// isOwn reports whether a property names somebody because a booking said so, now or
// earlier.
func isOwn(p Property) bool {
	return p.Param(ownPeople) != "" || strings.EqualFold(p.Param("SCHEDULE-AGENT"), "CLIENT")
}

// address returns a calendar address in one spelling.
func address(uri string) string {
	if plain, err := url.PathUnescape(strings.TrimSpace(uri)); err == nil {
		uri = plain
	}
	return strings.ToLower(uri)
}

// guests returns the addresses of those whom a booking names, in one spelling and in order.
func (b Booking) guests() (list []string) {
	for _, g := range b.Guests {
		list = append(list, address(g.Address))
	}
	slices.Sort(list)
	return slices.Compact(list)
}

const (
	utcLayout   = "20060102T150405Z"
	localLayout = "20060102T150405"
)

// NotesBelow is a line of the description: what the owner writes below it is theirs, and
// stays.
const NotesBelow = "—— Notes below this line are yours ——"

// alarmSuffix marks the alarm of the booking's own by its UID (RFC 9074, section 4): any
// other is its owner's.
const alarmSuffix = "-alarm"

// ownClass stands where CLASS is the booking's and not its owner's, who may have made it
// private too. A host that does not keep it keeps it private.
const ownClass = "X-NICHE-CLASS"

// Carries reports whether what is stored outside is as private, reminds as early and names
// those whom it should. Hosts may not keep that, so it is no difference.
func (b Booking) Carries(stored []byte) bool {
	_, event, err := copyOf(bytes.NewReader(stored), b.UID)
	if err != nil {
		return false
	}
	_, private := event.Get(ownClass)
	var named []string
	for _, p := range event.Props {
		if p.Name == "ATTENDEE" && (isOwn(p) || slices.Contains(b.guests(), address(p.Value))) {
			named = append(named, address(p.Value))
		}
	}
	slices.Sort(named)
	named = slices.Compact(named)
	alarm := ""
	for _, c := range event.Children {
		if c.Name == "VALARM" && c.value("UID") == b.UID+alarmSuffix {
			alarm = c.value("TRIGGER")
		}
	}
	return private == b.Private && alarm == b.trigger() && slices.Equal(named, b.guests())
}

// trigger is when the booking's own alarm is, or empty.
func (b Booking) trigger() string {
	if b.Alarm <= 0 {
		return ""
	}
	return fmt.Sprintf("-PT%dM", b.Alarm)
}

// Encode returns the booking as a calendar object of one VEVENT with the zone of
// its times, lines folded at 75 octets and ended by CRLF (RFC 5545, section 3.1).
func (b Booking) Encode() []byte { return b.encode(nil, Component{}) }

// Over returns the booking as it is to replace what is stored outside: what its
// owner added to it (alarms, categories, a colour, notes below the line for them, and
// whatever else a booking does not say itself) stays.
func (b Booking) Over(stored []byte) []byte {
	zones, event, err := copyOf(bytes.NewReader(stored), b.UID)
	if err != nil {
		return b.Encode()
	}
	return b.encode(zones, event)
}

// says are the properties of an event that a booking says itself.
var says = []string{"UID", "DTSTAMP", "SEQUENCE", "DTSTART", "DTEND", "DURATION", "SUMMARY", "DESCRIPTION", "LOCATION", "STATUS", "TRANSP",
	ownClass, "RRULE", "RDATE", "EXRULE", "EXDATE", "RECURRENCE-ID", "CREATED", "LAST-MODIFIED"}

// Calendar returns bookings as one calendar of as many events, their times in UTC.
func Calendar(list []Booking) []byte {
	var out bytes.Buffer
	fold(&out, "BEGIN:VCALENDAR")
	fold(&out, "VERSION:2.0")
	fold(&out, "PRODID:-//Niche//Bookings//EN")
	for _, b := range list {
		b.Zone = hours.Zone{}
		body := b.Encode()
		from, to := bytes.Index(body, []byte("BEGIN:VEVENT")), bytes.Index(body, []byte("END:VCALENDAR"))
		out.Write(body[from:to])
	}
	fold(&out, "END:VCALENDAR")
	return out.Bytes()
}

// encode writes the booking with what an owner added to it.
func (b Booking) encode(zones []Component, owner Component) []byte {
	var out bytes.Buffer
	line := func(name, value string) { fold(&out, name+":"+value) }
	line("BEGIN", "VCALENDAR")
	line("VERSION", "2.0")
	line("PRODID", "-//Niche//Bookings//EN")
	own := b.zoned()
	if own {
		encodeZone(&out, b.Zone, b.Visit)
	}
	for _, z := range zones {
		if !own || z.value("TZID") != b.Zone.String() {
			z.encode(&out)
		}
	}
	line("BEGIN", "VEVENT")
	line("UID", b.UID)
	line("DTSTAMP", b.Stamp.Time().Format(utcLayout))
	line("SEQUENCE", fmt.Sprint(b.Sequence))
	encodeTimes(&out, b.Zone, b.Visit)
	line("SUMMARY", escape(b.Summary))
	description, _ := owner.Get("DESCRIPTION")
	_, notes, _ := strings.Cut(description.Text(), NotesBelow)
	line("DESCRIPTION", escape(strings.TrimLeft(b.Description+"\n\n"+NotesBelow+notes, "\n")))
	if b.Location != "" {
		line("LOCATION", escape(b.Location))
	}
	if b.Tentative {
		line("STATUS", "TENTATIVE")
	} else {
		line("STATUS", "CONFIRMED")
	}
	line("TRANSP", "OPAQUE")
	if b.Private {
		line("CLASS", "PRIVATE")
		line(ownClass, "PRIVATE")
	}
	_, classed := owner.Get(ownClass)
	organized, guests := false, b.guests()
	for _, p := range owner.Props {
		// That the owner has declined it is no addition: the booking says that they come.
		declined := p.Name == "ATTENDEE" && strings.EqualFold(p.Param("PARTSTAT"), "DECLINED")
		ours := (p.Name == "ATTENDEE" || p.Name == "ORGANIZER") && isOwn(p) || p.Name == "ATTENDEE" && slices.Contains(guests, address(p.Value))
		if !slices.Contains(says, p.Name) && !declined && !ours && !((b.Private || classed) && p.Name == "CLASS") {
			p.encode(&out)
			organized = organized || p.Name == "ORGANIZER"
		}
	}
	if len(b.Guests) > 0 && !organized {
		fold(&out, b.Organizer.line("ORGANIZER", ""))
	}
	for _, guest := range guests {
		at := slices.IndexFunc(b.Guests, func(g Guest) bool { return address(g.Address) == guest })
		fold(&out, b.Guests[at].line("ATTENDEE", ";ROLE=REQ-PARTICIPANT;PARTSTAT=ACCEPTED;RSVP=FALSE"))
	}
	for _, c := range owner.Children {
		if c.Name != "VALARM" || c.value("UID") != b.UID+alarmSuffix {
			c.encode(&out)
		}
	}
	if b.Alarm > 0 {
		line("BEGIN", "VALARM")
		line("UID", b.UID+alarmSuffix)
		line("ACTION", "DISPLAY")
		line("DESCRIPTION", escape(b.Summary))
		line("TRIGGER", b.trigger())
		line("END", "VALARM")
	}
	line("END", "VEVENT")
	line("END", "VCALENDAR")
	return out.Bytes()
}

// zoned reports whether the visit's times can be written on the owner's clock: not
// in UTC, which has a form of its own, and not where the clock shows a time twice,
// which means the first (RFC 5545, section 3.3.5) but not to every program.
func (b Booking) zoned() bool { return zoned(b.Zone, b.Visit) }

func zoned(zone hours.Zone, visit span.Span) bool {
	if zone.String() == "UTC" {
		return false
	}
	day := zone.DateAt(visit.Start())
	o := zone.Over(day, day+2)
	for _, at := range []span.Instant{visit.Start(), visit.End()} {
		date, minute := o.Wall(at)
		if o.Starting(date, minute) != o.Ending(date, minute) {
			return false
		}
	}
	return true
}

// encodeTimes writes when a visit is: by a zone's clock where that can be said, else in UTC.
func encodeTimes(out *bytes.Buffer, zone hours.Zone, visit span.Span) {
	own := zoned(zone, visit)
	for _, end := range []struct {
		name string
		at   span.Instant
	}{{"DTSTART", visit.Start()}, {"DTEND", visit.End()}} {
		if own {
			fold(out, end.name+";TZID="+zone.String()+":"+end.at.Time().In(zone.Location()).Format(localLayout))
		} else {
			fold(out, end.name+":"+end.at.Time().Format(utcLayout))
		}
	}
}

// encodeZone writes what a zone's clocks do around a span as a VTIMEZONE, change
// by change (RFC 5545, section 3.6.5).
func encodeZone(out *bytes.Buffer, zone hours.Zone, around span.Span) {
	const year = 366 * 24 * 60
	around = around.Widen(year, year)
	fold(out, "BEGIN:VTIMEZONE")
	fold(out, "TZID:"+zone.String())
	for _, c := range zone.Changes(around) {
		kind := "STANDARD"
		if c.Offset > c.Before {
			kind = "DAYLIGHT"
		}
		fold(out, "BEGIN:"+kind)
		fold(out, "DTSTART:"+(c.At+span.Instant(c.Before)).Time().Format(localLayout))
		fold(out, "TZOFFSETFROM:"+offsetText(c.Before))
		fold(out, "TZOFFSETTO:"+offsetText(c.Offset))
		fold(out, "END:"+kind)
	}
	fold(out, "END:VTIMEZONE")
}

// offsetText writes an offset from UTC as +0100, with seconds where it has some.
func offsetText(seconds int) string {
	sign := "+"
	if seconds < 0 {
		sign, seconds = "-", -seconds
	}
	text := fmt.Sprintf("%s%02d%02d", sign, seconds/3600, seconds/60%60)
	if seconds%60 != 0 {
		text += fmt.Sprintf("%02d", seconds%60)
	}
	return text
}

// encode writes a property as it was read.
func (p Property) encode(out *bytes.Buffer) { fold(out, p.Name+p.params+":"+p.Value) }

// encode writes a component as it was read, but for its lists of dates.
func (c Component) encode(out *bytes.Buffer) {
	fold(out, "BEGIN:"+c.Name)
	for _, p := range c.Props {
		p.encode(out)
	}
	for _, l := range c.lists {
		l.Value = string(l.values)
		l.encode(out)
	}
	for _, part := range c.Children {
		part.encode(out)
	}
	fold(out, "END:"+c.Name)
}

func escape(text string) string {
	text = strings.Map(func(r rune) rune {
		if unicode.IsControl(r) && r != '\n' && r != '\t' {
			return ' ' // which a TEXT cannot hold
		}
		return r
	}, strings.ReplaceAll(text, "\r\n", "\n"))
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
