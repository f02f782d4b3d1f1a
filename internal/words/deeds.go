package words

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"
)

// kinds are what things of the trail are called.
var kinds = map[string]string{
	"settings": "the settings", "closures": "the closures", "administrator": "the administrator", "staff": "the staff member", "hours": "the hours of", "days": "the one-off days of",
	"service": "the service", "resource": "the room or equipment", "link": "the link", "host": "the calendar host", "calendar": "the calendar", "booking": "the booking", "mail": "the mail server", "proofs": "when links are proved by themselves", "item": "", "client": "the client", "gateway": "the service outside", "own messages": "what is told to",
}

// OfDeed says in a sentence what somebody did to a thing.
func OfDeed(who, deed, kind, name string) string {
	if who == "" {
		who = "Niche"
	}
	thing := fmt.Sprintf("%s “%s”", kinds[kind], name)
	switch {
	case kind == "settings" && deed == "set up":
		return who + " set Niche up"
	case kind == "settings", kind == "closures", kind == "proofs":
		thing = kinds[kind]
	}
	switch deed {
	case "put off", "left", "brought back":
		if kind == "item" {
			return fmt.Sprintf("%s %s “%s”", who, deed, name)
		}
	case "linked", "unlinked":
		return fmt.Sprintf("%s %s “%s”", who, deed, name)
	case "left a proof in":
		return fmt.Sprintf("%s let “%s” go before an event called “Niche proof” was seen to be removed there", who, name)
	case "chose about copies for":
		return fmt.Sprintf("%s chose what copies under “%s” say, and what becomes of those that are changed outside", who, name)
	case "chose for":
		return fmt.Sprintf("%s chose what the calendar “%s” is for", who, name)
	case "secured":
		return who + " turned a second factor on"
	case "unsecured":
		return fmt.Sprintf("%s turned the second factor of %s off", who, name)
	case "renewed recovery codes":
		return who + " made new recovery codes"
	case "changed the password":
		return who + " changed their own password"
	case "gave up the password":
		return who + " gave their own password up"
	case "invited":
		return fmt.Sprintf("%s asked %s to link a calendar", who, name)
	case "withdrew the invitation of":
		return fmt.Sprintf("%s withdrew the invitation of %s", who, name)
	case "declined":
		return who + " does not want to link a calendar"
	case "came in":
		if kind == "staff" {
			return who + " came in to their own pages"
		}
		return who + " chose a password and came in"
	case "asked again":
		return fmt.Sprintf("%s made a new one-time address for %s", who, name)
	case "reset":
		return fmt.Sprintf("%s reset how %s signs in", who, name)
	}
	return fmt.Sprintf("%s %s %s", who, deed, thing)
}

// OfBooking says in a sentence what somebody did to the booking that is looked at.
func OfBooking(who, deed string) string {
	switch deed {
	case "took":
		return "Booked by " + who
	case "moved", "cancelled", "confirmed":
		return strings.ToUpper(deed[:1]) + deed[1:] + " by " + who
	case "noted something on":
		return who + " changed the note"
	case "marked as missed":
		return who + " noted that nobody came"
	case "took back that somebody missed":
		return who + " took back that nobody came"
	case "let go":
		return "Let go: nobody answered it in time"
	case "said they come to", "said they perhaps come to", "said they do not come to":
		return who + " said that " + strings.TrimSuffix(strings.TrimPrefix(deed, "said "), " to")
	case "wishes another time for":
		return who + " wishes another time"
	case "let go out the reminder of", "let go out the follow-up of":
		return fmt.Sprintf("%s let the %s go out after all", who, strings.Fields(deed)[4])
	}
	return who + " " + deed + " it"
}

// Capital begins a sentence.
func Capital(text string) string {
	first, size := utf8.DecodeRuneInString(text)
	return string(unicode.ToUpper(first)) + text[size:]
}
