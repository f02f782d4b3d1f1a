package outbox

import (
	"fmt"
	"strings"

	"niche/core/ics"
	"niche/core/merge"
	"niche/core/span"
	"niche/internal/store"
)

// Texts are what a copy says, with fields in braces.
type Texts struct{ Title, Place, Description string }

// DefaultTexts suit most.
var DefaultTexts = Texts{"{service} · {client}", "{place}", "{clients}"}

// Fields are those that the texts of copies can name, with what each is.
var Fields = []struct{ Name, About string }{
	{"service", "the service"},
	{"client", "the client; nothing where several share the visit"},
	{"clients", "every client with mail address and reference, a line each"},
	{"reference", "the reference of the booking; nothing where several share the visit"},
	{"places", "how many places are taken"},
	{"place", "the place of the service"},
	{"with", "other people, rooms and equipment"},
	{"business", "the business"},
}

// FieldNames are their names.
func FieldNames() (names []string) {
	for _, f := range Fields {
		names = append(names, f.Name)
	}
	return names
}

// Said is what a copy says in words.
func Said(t Texts, s store.CopySays) Texts {
	v := map[string]string{"service": s.Service.Name, "place": s.Service.Place, "with": strings.Join(s.With, ", "), "business": s.Business.Name}
	var lines []string
	taken := 0
	for _, k := range s.Bookings {
		taken += k.Places
		line := fmt.Sprintf("%s, %s (%s)", k.ClientName, k.ClientMail, k.Reference)
		if s.Link.Unnamed {
			line = k.Reference
		}
		lines = append(lines, line)
	}
	v["clients"], v["places"] = strings.Join(lines, "\n"), fmt.Sprint(taken)
	if len(s.Bookings) == 1 {
		v["reference"] = s.Bookings[0].Reference
		if !s.Link.Unnamed {
			v["client"] = s.Bookings[0].ClientName
		}
	}
	return Texts{merge.Fill(t.Title, v), merge.Fill(t.Place, v), merge.Fill(t.Description, v)}
}

// booking returns what a copy should say, but for its zone.
func booking(c store.Copy, s store.CopySays, now span.Instant) ics.Booking {
	said := Said(Texts{s.Business.CopyTitle, s.Business.CopyPlace, s.Business.CopyDescription}, s)
	return ics.Booking{UID: s.Visit.UID, Stamp: now, Sequence: c.Sequence, Visit: s.Visit.During(),
		Summary: said.Title, Location: said.Place, Description: said.Description, Private: s.Link.Private, Alarm: span.Minutes(s.Link.Alarm)}
}
