// Package place says where a visit takes place: at the business's, with the room that it has
// there; at the client's, by their own address; by telephone; or online, in the room that a
// meeting host has made for it. Page, mail, invitation, copy and desk all say the same.
package place

import (
	"strings"

	"niche/internal/store"
	"niche/internal/telephone"
)

// Place is where a visit takes place.
type Place struct {
	Words string // for people, in one line
	Link  string // the address of a meeting room; empty where there is none (yet)
}

// Of returns where the visit of a booking takes place.
func Of(tx store.Tx, s store.Service, v store.Visit, k store.Booking) (Place, error) {
	return of(tx, s, v, []store.Booking{k})
}

// OfVisit returns where a visit of several bookings takes place, for whoever it is.
func OfVisit(tx store.Tx, s store.Service, v store.Visit, on []store.Booking) (Place, error) {
	return of(tx, s, v, on)
}

func of(tx store.Tx, s store.Service, v store.Visit, on []store.Booking) (p Place, err error) {
	p.Words = Usually(s)
	switch s.Venue {
	case store.AtTheirs:
		var at []string
		for _, k := range on {
			if k.ClientAddress != "" {
				at = append(at, InLine(k.ClientAddress))
			}
		}
		if len(at) > 0 {
			p.Words = strings.Join(at, "; ")
		}
	case store.ByTelephone:
		business, err := tx.Business()
		if err != nil {
			return p, err
		}
		var at []string
		for _, k := range on {
			if k.ClientPhone != "" {
				at = append(at, telephone.Words(k.ClientPhone, telephone.CountryOf(business.Zone)))
			}
		}
		if len(at) > 0 {
			p.Words = "By telephone, " + strings.Join(at, "; ")
		}
	case store.Online:
		m, err := tx.MeetingOf(v.ID)
		if err != nil {
			return p, err
		}
		if m.Address != "" {
			p.Words, p.Link = m.Address, m.Address
		}
	default:
		if s.Room != "" {
			rooms, err := tx.RoomNames(v.ID, s.Room)
			if err != nil {
				return p, err
			}
			p.Words = strings.Join(append(nonempty(s.Place), rooms...), ", ")
		}
	}
	return p, nil
}

// Usually returns where visits of a service take place, as far as that is known of all.
func Usually(s store.Service) string {
	if s.Place != "" {
		return s.Place
	}
	return map[store.Venue]string{store.AtTheirs: "At your place", store.ByTelephone: "By telephone", store.Online: "Online"}[s.Venue]
}

// InLine writes an address of several lines in one.
func InLine(address string) string {
	return strings.Join(strings.FieldsFunc(address, func(r rune) bool { return r == '\n' || r == '\r' }), ", ")
}

func nonempty(text string) []string {
	if text == "" {
		return nil
	}
	return []string{text}
}
