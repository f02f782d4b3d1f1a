package store

import (
	"fmt"
	"strings"
	"unicode"
	"unicode/utf8"

	"niche/core/span"
)

// BookingsOf says which bookings are wanted; what is empty does not matter.
type BookingsOf struct {
	Words    string // of names, mail addresses, references and notes: each is the beginning of one
	Service  ID
	Staff    ID
	Status   BookingStatus
	Missed   bool         // whose client did not come
	Copy     CopyState    // of which some copy is in a state
	From, To span.Instant // begin in between
	Origin   string
	Order    BookingOrder
	After    Place // after this one in the order
	Most     int
}

// BookingOrder is an order of bookings.
type BookingOrder string

// The orders.
const (
	ByStart     BookingOrder = "start"     // of their visits, the earliest first
	ByStartBack BookingOrder = "startback" // the latest first
	ByMade      BookingOrder = "made"      // the last made first
)

// Place is where a booking stands in an order. The zero value is before the first.
type Place struct {
	Start span.Instant
	ID    ID
}

// FoundBooking is a booking with what it is of.
type FoundBooking struct {
	Booking
	Service string
	Start   span.Instant
	End     span.Instant
	Staff   string // names
	Copy    CopyState
}

// unsettled is the condition of SQL under which something is to be done about a copy.
const unsettled = "k.state NOT IN ('read back', 'removed', 'left')"

// FindBookings returns bookings in their order. Words are found by their index, and then the last made come first
// whatever the order: that of their visits would have to be sorted.
func (t Tx) FindBookings(of BookingsOf) ([]FoundBooking, error) {
	match := matching(of.Words)
	if match == "" && strings.TrimSpace(of.Words) != "" {
		return nil, nil // signs alone find nothing
	}
	if match != "" {
		of.Order = ByMade
	}
	values := map[string]any{"match": match, "service": of.Service, "staff": of.Staff, "status": of.Status, "copy": of.Copy, "from": of.From, "to": of.To,
		"origin": of.Origin, "start": of.After.Start, "id": of.After.ID, "most": of.Most}
	from, order, more := "visits v JOIN bookings b ON b.visit_id = v.id", "v.start, b.id", "(v.start, b.id) > (@start, @id)"
	start := "v.start"
	switch {
	case match != "":
		from, order, more = "booking_words w JOIN bookings b ON b.id = w.rowid JOIN visits v ON v.id = b.visit_id", "w.rowid DESC", "w.rowid < @id"
	case of.Order == ByMade:
		from, order, more = "bookings b JOIN visits v ON v.id = b.visit_id", "b.id DESC", "b.id < @id"
	case of.Staff != 0:
		from, start = "visit_staff o CROSS JOIN visits v ON v.id = o.visit_id JOIN bookings b ON b.visit_id = v.id", "o.start"
		order, more = "o.start, b.id", "(o.start, b.id) > (@start, @id)"
	}
	if of.Order == ByStartBack {
		order, more = start+" DESC, b.id DESC", "("+start+", b.id) < (@start, @id)"
	}
	where := []string{"b.status <> 'held'", "(NOT b.trial OR b.status <> 'cancelled')"}
	add := func(wanted bool, clause string) {
		if wanted {
			where = append(where, clause)
		}
	}
	add(match != "", "w.booking_words MATCH @match")
	add(of.Service != 0, "v.service_id = @service")
	add(of.Staff != 0 && start == "o.start", "o.staff_id = @staff")
	add(of.Staff != 0 && start != "o.start", "EXISTS (SELECT 1 FROM visit_staff o WHERE o.visit_id = v.id AND o.staff_id = @staff)")
	add(of.Status != "", "b.status = @status")
	add(of.Missed, "b.missed_at > 0")
	add(of.Copy == CopyReadBack, "EXISTS (SELECT 1 FROM copies k WHERE k.visit_id = v.id AND k.state = 'read back' AND k.wanted)")
	add(of.Copy != "" && of.Copy != CopyReadBack, "v.id IN (SELECT k.visit_id FROM copies k WHERE k.state = @copy AND "+unsettled+" AND k.wanted)")
	add(of.From != 0, start+" >= @from")
	add(of.To != 0, start+" < @to")
	add(of.Origin != "", "b.origin = @origin")
	add(of.After != Place{}, more)
	return scan[[]FoundBooking](t.db.Raw(fmt.Sprintf(`SELECT b.*, s.name AS service, v.start, v."end",
			(SELECT GROUP_CONCAT(name, ' and ') FROM (SELECT p.name FROM visit_staff vs JOIN staff p ON p.id = vs.staff_id WHERE vs.visit_id = v.id ORDER BY p.name)) AS staff,
			COALESCE((SELECT c.state FROM copies c WHERE c.visit_id = v.id AND c.wanted AND c.state <> 'left' ORDER BY %s LIMIT 1), '') AS copy
		FROM %s JOIN services s ON s.id = v.service_id WHERE %s ORDER BY %s LIMIT @most`, worst, from, strings.Join(where, " AND "), order), values))
}

// matching turns what somebody types into words of which each has to be the beginning of one; a single letter has to be
// all of one, since every other word begins with it. What is no letter or figure parts words, as in the index.
//
// A telephone number is one word, with whatever it is typed: its index has the ways in which its digits are.
func matching(text string) string {
	if digits := onlyDigits(text); len(digits) >= 5 && strings.Trim(text, "0123456789 +-()/.") == "" {
		return `phone : "` + strings.TrimPrefix(digits, "00") + `"*`
	}
	var words []string
	for w := range strings.FieldsSeq(text) {
		w = strings.ReplaceAll(w, `"`, "")
		if strings.ContainsFunc(w, isWordly) {
			if w = `"` + w + `"`; utf8.RuneCountInString(w) > 3 {
				w += "*"
			}
			words = append(words, w)
		}
	}
	return strings.Join(words, " ")
}

func onlyDigits(text string) string {
	return strings.Map(func(r rune) rune {
		if r < '0' || r > '9' {
			return -1
		}
		return r
	}, text)
}

func isWordly(r rune) bool { return unicode.IsLetter(r) || unicode.IsDigit(r) }

// BookingOfClient counts the bookings that a client had before an instant, and how many of those they missed.
type BookingOfClient struct{ Before, Missed int }

// ClientBefore returns what bookings a client had before an instant.
func (t Tx) ClientBefore(client ID, before span.Instant) (BookingOfClient, error) {
	return scan[BookingOfClient](t.db.Raw(`SELECT COUNT(*) AS before, COALESCE(SUM(b.missed_at > 0), 0) AS missed FROM bookings b JOIN visits v ON v.id = b.visit_id
		WHERE b.client_id IN (SELECT f.id FROM clients c JOIN clients f ON f.root = c.root WHERE c.id = ?) AND b.status = 'confirmed' AND v.start < ?`, client, before))
}

// NoteBooking keeps a note, and whether nobody came.
func (t Tx) NoteBooking(b Booking) error {
	return t.db.Model(&b).Select("note", "missed_at").Updates(&b).Error
}

// SaveOverruled keeps why rules were overruled for a booking.
func (t Tx) SaveOverruled(id ID, why string) error {
	return t.db.Model(&Booking{ID: id}).Update("overruled", why).Error
}

// CopyIn is a copy with where it is.
type CopyIn struct {
	Copy
	Calendar string
	StaffID  ID
	Staff    string
}

// CopiesWithPlaces returns the copies of a visit that are wanted, or still to be removed, with where they are.
func (t Tx) CopiesWithPlaces(visit ID) ([]CopyIn, error) {
	return scan[[]CopyIn](t.db.Raw(`SELECT k.*, c.name AS calendar, s.id AS staff_id, s.name AS staff FROM copies k JOIN calendars c ON c.id = k.calendar_id JOIN links l ON l.id = c.link_id JOIN staff s ON s.id = l.staff_id
		WHERE k.visit_id = ? AND (k.wanted OR k.next_at < ?) ORDER BY s.name, c.name, k.part`, visit, Never))
}
