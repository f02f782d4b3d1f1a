package outbox

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/merge"
	"niche/core/span"
	"niche/internal/place"
	"niche/internal/store"
)

// Texts are what a copy says, with fields in braces.
type Texts struct{ Title, Place, Description string }

// DefaultTexts suit most.
var DefaultTexts = Texts{"{service} · {client}", "{place}", "{clients}\n{answers}"}

// Fields are those that the texts of copies can name, with what each is.
var Fields = merge.TextFields([][2]string{
	{"service", "the service"},
	{"client", "the client; nothing where several share the visit"},
	{"clients", "every client with mail address and reference, a line each"},
	{"answers", "what clients said to the questions, a line each"},
	{"phone", "the client’s telephone number; nothing where several share the visit"},
	{"reference", "the reference of the booking; nothing where several share the visit"},
	{"places", "how many places are taken"},
	{"place", "where the visit takes place"},
	{"with", "other people, rooms and equipment"},
	{"business", "the business"},
})

// Said is what a copy says in words.
func Said(t Texts, s store.CopySays) Texts {
	v := map[string]string{"service": s.Service.Name, "place": s.Place, "with": strings.Join(s.With, ", "), "business": s.Business.Name}
	var lines, answers []string
	taken := 0
	for _, k := range s.Bookings {
		taken += k.Places
		who := slices.DeleteFunc([]string{k.ClientName, k.ClientMail, k.ClientPhone}, func(s string) bool { return s == "" })
		line := fmt.Sprintf("%s (%s)", strings.Join(who, ", "), k.Reference)

		if s.Link.Wishes.Clients == store.ClientsUnnamed {
			line = k.Reference
		}
		lines = append(lines, line)
		for _, a := range k.Answers {
			if s.Link.Wishes.Clients == store.ClientsUnnamed && a.Kind.TellsWho() {
				continue // it could say whose visit it is
			}
			said := a.Line()
			if len(s.Bookings) > 1 {
				said = k.Reference + ": " + said
			}
			answers = append(answers, said)
		}
	}
	v["answers"] = strings.Join(answers, "\n")
	v["clients"], v["places"] = strings.Join(lines, "\n"), fmt.Sprint(taken)
	if len(s.Bookings) == 1 {
		v["reference"] = s.Bookings[0].Reference
		if s.Link.Wishes.Clients != store.ClientsUnnamed {
			v["client"], v["phone"] = s.Bookings[0].ClientName, s.Bookings[0].ClientPhone
		}
	}
	return Texts{merge.Fill(t.Title, v), merge.Fill(t.Place, v), merge.Fill(t.Description, v)}
}

// Says returns what a copy should say.
func Says(tx store.Tx, c store.Copy, now span.Instant) (ics.Booking, error) {
	s, err := tx.SaysOf(c)
	if err != nil {
		return ics.Booking{}, err
	}
	if s.Place, err = PlaceOf(tx, s); err != nil {
		return ics.Booking{}, err
	}
	zone, err := hours.LoadZone(s.Owner.Zone)
	b := booking(c, s, now)
	b.Zone = zone
	return b, err
}

// booking returns what a copy should say, but for its zone.
func booking(c store.Copy, s store.CopySays, now span.Instant) ics.Booking {
	said, wishes := Said(Texts{s.Business.CopyTitle, s.Business.CopyPlace, s.Business.CopyDescription}, s), s.Link.Wishes
	b := ics.Booking{UID: c.Part.UID(s.Visit.UID), Stamp: now, Sequence: c.Sequence, Visit: s.Visit.During(), Tentative: s.Pending, Private: wishes.Private}
	if s.Visit.ProofID != 0 {
		said, wishes.Clients, wishes.Alarm, b.Tentative = proofSays(s.Business.Name), store.ClientsUnnamed, 0, false
	} else if s.Pending {
		said.Title = "Asked for: " + said.Title
	}
	if len(s.Bookings) == 1 && s.Bookings[0].Trial {
		said.Title = "Trial: " + said.Title
	}
	switch occupied := s.Visit.Occupied(); c.Part {
	case store.TimeBefore:
		b.Visit, b.Summary = span.Between(occupied.Start(), s.Visit.Start), "Before: "+said.Title
		return b
	case store.TimeAfter:
		b.Visit, b.Summary = span.Between(s.Visit.End, occupied.End()), "After: "+said.Title
		return b
	}
	b.Summary, b.Location, b.Description, b.Alarm = said.Title, said.Place, said.Description, span.Minutes(wishes.Alarm)
	if wishes.Clients == store.ClientsAsGuests {
		b.Organizer = ics.Guest{Name: s.Owner.Name, Address: s.Link.Home} // who has no mail address is told by where their calendars lie
		if mail := cmp.Or(s.Owner.Email, first(s.Link.Mails)); mail != "" {
			b.Organizer.Address = ics.Mailto(mail)
		}
		for _, k := range s.Bookings {
			if k.ClientMail == "" {
				continue // who was erased
			}
			b.Guests = append(b.Guests, ics.Guest{Name: k.ClientName, Address: ics.Mailto(k.ClientMail)})
		}
	}
	return b
}

// proofSays is what the copy of a test booking says.
func proofSays(business string) Texts {
	return Texts{"Niche proof", business, "A trial. It goes by itself within a minute."}
}

func first(list []string) string {
	if len(list) == 0 {
		return ""
	}
	return list[0]
}

// PlaceOf says where a visit takes place. Where clients are not named, their addresses and
// telephone numbers are not told either.
func PlaceOf(tx store.Tx, s store.CopySays) (string, error) {
	on := s.Bookings
	if s.Link.Wishes.Clients == store.ClientsUnnamed {
		on = nil
	}
	at, err := place.OfVisit(tx, s.Service, s.Visit, on)
	return at.Words, err
}
