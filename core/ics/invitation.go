package ics

import (
	"bytes"
	"fmt"

	"niche/core/hours"
	"niche/core/span"
)

// Method is what an invitation does (RFC 5546, section 1.4).
type Method string

// The methods.
const (
	Request Method = "REQUEST" // it asks somebody to come, or says that the time or the place is another
	Cancel  Method = "CANCEL"
)

// Invitation asks one client to a visit, by iTIP (RFC 5546). It names nobody but its
// organizer and its client.
type Invitation struct {
	Method      Method
	UID         string // the same for ever
	Stamp       span.Instant
	Sequence    int // up at each change of time or place
	Visit       span.Span
	Zone        hours.Zone // the client's, in which times are written
	Summary     string
	Description string
	Location    string
	URL         string // where the client manages it; empty for none
	Organizer   Guest
	Client      Guest
	Alarm       span.Minutes // before it begins; 0 for none
}

// Encode returns the invitation as a calendar object. It says who is asked and that an
// answer is wanted; a cancellation asks nothing.
func (i Invitation) Encode() []byte {
	var out bytes.Buffer
	line := func(name, value string) { fold(&out, name+":"+value) }
	line("BEGIN", "VCALENDAR")
	line("VERSION", "2.0")
	line("PRODID", "-//Niche//Bookings//EN")
	line("METHOD", string(i.Method))
	if zoned(i.Zone, i.Visit) {
		encodeZone(&out, i.Zone, i.Visit)
	}
	line("BEGIN", "VEVENT")
	line("UID", i.UID)
	line("DTSTAMP", i.Stamp.Time().Format(utcLayout))
	line("SEQUENCE", fmt.Sprint(i.Sequence))
	encodeTimes(&out, i.Zone, i.Visit)
	line("SUMMARY", escape(i.Summary))
	if i.Description != "" {
		line("DESCRIPTION", escape(i.Description))
	}
	if i.Location != "" {
		line("LOCATION", escape(i.Location))
	}
	if i.URL != "" {
		line("URL", i.URL)
	}
	fold(&out, fmt.Sprintf(`ORGANIZER;CN="%s":%s`, i.Organizer.name(), i.Organizer.Address))
	asks, status := ";PARTSTAT=NEEDS-ACTION;RSVP=TRUE", "CONFIRMED"
	if i.Method == Cancel {
		asks, status = "", "CANCELLED"
	}
	fold(&out, fmt.Sprintf(`ATTENDEE;CN="%s";CUTYPE=INDIVIDUAL;ROLE=REQ-PARTICIPANT%s:%s`, i.Client.name(), asks, i.Client.Address))
	line("STATUS", status)
	line("TRANSP", "OPAQUE")
	if i.Alarm > 0 && i.Method == Request {
		line("BEGIN", "VALARM")
		line("ACTION", "DISPLAY")
		line("DESCRIPTION", escape(i.Summary))
		line("TRIGGER", fmt.Sprintf("-PT%dM", i.Alarm))
		line("END", "VALARM")
	}
	line("END", "VEVENT")
	line("END", "VCALENDAR")
	return out.Bytes()
}
