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
	Publish Method = "PUBLISH" // it tells of a visit, and asks nothing
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
	Tentative   bool         // of a visit that is only told of: it waits for a decision
	Alarm       span.Minutes // before it begins; 0 for none
}

// Encode returns the invitation as a calendar object. It says who is asked and that an
// answer is wanted; a cancellation asks nothing.
func (i Invitation) Encode() []byte { return i.calendar([]Invitation{i}) }

// Published returns visits as one calendar that tells of them and asks nothing, called by a
// name; it says that it is worth looking at every hour (RFC 7986).
func Published(name string, list []Invitation) []byte {
	for n := range list {
		list[n].Method, list[n].Zone = Publish, hours.Zone{}
	}
	return Invitation{Method: Publish, Summary: name}.calendar(list)
}

// calendar writes a calendar object of some events, by the method of one.
func (i Invitation) calendar(list []Invitation) []byte {
	var out bytes.Buffer
	line := func(name, value string) { fold(&out, name+":"+value) }
	line("BEGIN", "VCALENDAR")
	line("VERSION", "2.0")
	line("PRODID", "-//Niche//Bookings//EN")
	line("METHOD", string(i.Method))
	if i.Method == Publish {
		line("NAME", escape(i.Summary))
		fold(&out, "REFRESH-INTERVAL;VALUE=DURATION:PT1H")
	} else if zoned(i.Zone, i.Visit) {
		encodeZone(&out, i.Zone, i.Visit)
	}
	for _, e := range list {
		e.event(&out)
	}
	line("END", "VCALENDAR")
	return out.Bytes()
}

func (i Invitation) event(out *bytes.Buffer) {
	line := func(name, value string) { fold(out, name+":"+value) }
	line("BEGIN", "VEVENT")
	line("UID", i.UID)
	line("DTSTAMP", i.Stamp.Time().Format(utcLayout))
	line("SEQUENCE", fmt.Sprint(i.Sequence))
	encodeTimes(out, i.Zone, i.Visit)
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
	status := "CONFIRMED"
	switch i.Method {
	case Cancel:
		status = "CANCELLED"
	case Publish:
		if i.Tentative {
			status = "TENTATIVE"
		}
	}
	if i.Method != Publish {
		fold(out, fmt.Sprintf(`ORGANIZER;CN="%s":%s`, i.Organizer.name(), i.Organizer.Address))
		asks := ";PARTSTAT=NEEDS-ACTION;RSVP=TRUE"
		if i.Method == Cancel {
			asks = ""
		}
		fold(out, fmt.Sprintf(`ATTENDEE;CN="%s";CUTYPE=INDIVIDUAL;ROLE=REQ-PARTICIPANT%s:%s`, i.Client.name(), asks, i.Client.Address))
	}
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
}
