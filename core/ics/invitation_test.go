package ics_test

import (
	"regexp"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
)

// contentLine is a property (RFC 5545, section 3.1): its name, parameters with values that
// are quoted where they have to be, and a value without control characters.
var contentLine = regexp.MustCompile(`^([A-Z0-9-]+)((?:;[A-Z0-9-]+=(?:"[^"\x00-\x08\x0a-\x1f\x7f]*"|[^";:,\x00-\x08\x0a-\x1f\x7f]*))*):([^\x00-\x08\x0a-\x1f\x7f]*)$`)

// textValue is a TEXT with its escapes (section 3.3.11).
var textValue = regexp.MustCompile(`^([^\\;,]|\\[\\;,nN])*$`)

// strict reads a calendar object, and refuses what a strict reader would. It shares no code
// with what writes it.
func strict(t require.TestingT, data []byte) map[string][]string {
	text := string(data)
	require.True(t, utf8.ValidString(text))
	require.True(t, strings.HasSuffix(text, "\r\n"))
	require.NotContains(t, strings.ReplaceAll(text, "\r\n", ""), "\n")
	require.NotContains(t, strings.ReplaceAll(text, "\r\n", ""), "\r")
	for l := range strings.SplitSeq(strings.TrimSuffix(text, "\r\n"), "\r\n") {
		require.LessOrEqual(t, len(l), 75, "octets without the break")
		require.True(t, utf8.ValidString(l), "folded between characters")
	}
	var open []string
	props := map[string][]string{}
	for l := range strings.SplitSeq(strings.TrimSuffix(strings.ReplaceAll(text, "\r\n ", ""), "\r\n"), "\r\n") {
		parts := contentLine.FindStringSubmatch(l)
		require.NotNil(t, parts, "no content line: %q", l)
		bare, params, value := parts[1], strings.TrimPrefix(parts[2], ";"), parts[3]
		switch bare {
		case "BEGIN":
			open = append(open, value)
			continue
		case "END":
			require.Equal(t, open[len(open)-1], value)
			open = open[:len(open)-1]
			continue
		case "SUMMARY", "DESCRIPTION", "LOCATION":
			require.Regexp(t, textValue, value)
		}
		at := strings.Join(open, "/") + "/" + bare
		props[at] = append(props[at], params+"|"+value)
	}
	require.Empty(t, open)
	for _, once := range []string{"VCALENDAR/VERSION", "VCALENDAR/PRODID"} {
		require.Len(t, props[once], 1, once)
	}
	return props
}

// Whatever a client and a business are called, an invitation is one that a strict reader
// takes, with what its method needs and no more (RFC 5546, sections 3.2.2 and 3.2.5).
func TestAnInvitationIsStrict(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		words := rapid.StringN(1, 90, -1)
		zone, err := hours.LoadZone(rapid.SampledFrom([]string{"UTC", "Europe/Dublin", "America/St_Johns", "Pacific/Apia", "Asia/Kathmandu"}).Draw(t, "zone"))
		require.NoError(t, err)
		i := ics.Invitation{
			Method: rapid.SampledFrom([]ics.Method{ics.Request, ics.Cancel}).Draw(t, "method"), UID: "k7m-2345-1@invitation.niche", Stamp: instant(t, "2026-03-01T08:00:00Z"),
			Sequence: rapid.IntRange(0, 9).Draw(t, "sequence"), Zone: zone, Summary: words.Draw(t, "summary"), Description: words.Draw(t, "description"), Location: words.Draw(t, "location"),
			URL: "https://desk.example/booking/abc", Organizer: ics.Guest{Name: words.Draw(t, "business"), Address: ics.Mailto("desk@workshop.example")},
			Client: ics.Guest{Name: words.Draw(t, "client"), Address: ics.Mailto("o'hara+a b@clients.example")}, Alarm: span.Minutes(rapid.IntRange(0, 90).Draw(t, "alarm")),
		}
		start := instant(t, "2026-01-01T00:00:00Z").Add(span.Minutes(rapid.IntRange(0, 400*24*60).Draw(t, "start")))
		i.Visit = span.For(start, 90)
		props := strict(t, i.Encode())
		require.Equal(t, []string{"|" + string(i.Method)}, props["VCALENDAR/METHOD"])
		for _, once := range []string{"UID", "DTSTAMP", "DTSTART", "DTEND", "SEQUENCE", "SUMMARY", "ORGANIZER", "ATTENDEE", "STATUS"} {
			require.Len(t, props["VCALENDAR/VEVENT/"+once], 1, once)
		}
		if when := props["VCALENDAR/VEVENT/DTSTART"][0]; strings.HasPrefix(when, "TZID=") {
			require.Equal(t, []string{"|" + zone.String()}, props["VCALENDAR/VTIMEZONE/TZID"])
		} else {
			require.Empty(t, props["VCALENDAR/VTIMEZONE/TZID"])
			require.True(t, strings.HasSuffix(when, "Z"))
		}
		who := props["VCALENDAR/VEVENT/ATTENDEE"][0]
		require.True(t, strings.HasSuffix(who, "|mailto:o%27hara+a%20b@clients.example") || strings.HasSuffix(who, "|mailto:o'hara+a%20b@clients.example"), who)
		require.Equal(t, i.Method == ics.Request, strings.Contains(who, "RSVP=TRUE"))
		require.Equal(t, i.Method == ics.Request && i.Alarm > 0, len(props["VCALENDAR/VEVENT/VALARM/TRIGGER"]) == 1)
		// What this program reads in a calendar: a busy span, which is nobody's copy.
		if i.Method == ics.Request {
			busy, err := ics.ReadBusy(strings.NewReader(string(i.Encode())), ics.Scope{Window: span.Between(instant(t, "2025-01-01T00:00:00Z"), instant(t, "2028-01-01T00:00:00Z")), Zone: zone, Suffix: "@niche"})
			require.NoError(t, err)
			require.Len(t, busy.Events, 1)
			require.Equal(t, i.Visit, busy.Events[0].Occurrences[0].During)
		}
	})
}
