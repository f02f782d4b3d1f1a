package message

import (
	"errors"
	"slices"

	"niche/core/span"
	"niche/internal/store"
)

// CopyChanged tells the owner of a calendar that a copy there is another now than their
// visit is.
func (m *Messages) CopyChanged(tx store.Tx, c store.Copy) error {
	calendar, err := tx.Calendar(c.CalendarID)
	if err != nil {
		return err
	}
	link, err := tx.Link(calendar.LinkID)
	if err != nil {
		return err
	}
	v, err := tx.Visit(c.VisitID)
	if err != nil {
		return err
	}
	service, err := tx.Service(v.ServiceID)
	if err != nil {
		return err
	}
	return m.tell(tx, link.StaffID, func(business string, to store.Staff) Mail {
		return m.Moved(business, to, calendar.Name, service.Name, v, c.Error)
	})
}

// KeyRefused asks the owner of a link whose key is no longer taken to sign in again.
func (m *Messages) KeyRefused(tx store.Tx, link store.Link) error {
	host, err := tx.HostNamed(link)
	if err != nil {
		return err
	}
	return m.tell(tx, link.StaffID, func(business string, to store.Staff) Mail {
		return m.Again(business, to, link.ID, host, span.At(m.Now()))
	})
}

// Clashed tells the owner of a calendar what has come on top of visits, as it was found
// at a moment.
func (m *Messages) Clashed(tx store.Tx, calendar store.ID, found span.Instant) error {
	c, err := tx.Calendar(calendar)
	if err != nil {
		return err
	}
	link, err := tx.Link(c.LinkID)
	if err != nil {
		return err
	}
	clashes, err := tx.OpenClashesIn(calendar)
	if err != nil {
		return err
	}
	for _, k := range clashes {
		if k.FoundAt != found {
			continue
		}
		v, err := tx.Visit(k.VisitID)
		if err != nil {
			return err
		}
		service, err := tx.Service(v.ServiceID)
		if err != nil {
			return err
		}
		err = m.tell(tx, link.StaffID, func(business string, to store.Staff) Mail {
			return m.Lies(business, to, c.Name, service.Name, v, span.Between(k.Start, k.End))
		})
		if err != nil {
			return err
		}
	}
	return nil
}

// tell puts a mail to a staff member, where the program knows where it could lead.
func (m *Messages) tell(tx store.Tx, staff store.ID, make func(business string, to store.Staff) Mail) error {
	to, err := tx.Staff(staff)
	if err != nil {
		return err
	}
	b, err := tx.Business()
	if err != nil {
		return err
	}
	if to.ArchivedAt > 0 {
		return nil
	}
	err = m.Put(tx, make(b.Name, to))
	if errors.Is(err, ErrNoHome) {
		return nil // the settings say that no mail goes out
	}
	return err
}

// stillHolds reports whether what a message tells is still so: it may have waited.
func stillHolds(tx store.Tx, row store.Message, now span.Instant) (bool, error) {
	if row.BookingID != 0 {
		return aboutBooking(tx, row, now)
	}
	switch row.Kind {
	case SignInAgain:
		calendars, err := tx.CalendarsOf(row.Thing)
		return slices.ContainsFunc(calendars, func(c store.Calendar) bool { return c.State == store.Refused }), err
	case LiesOn:
		open, err := tx.OpenClashesOf(row.Thing)
		return len(open) > 0, err
	case WasMoved:
		adrift, err := tx.AdriftOf([]store.ID{row.Thing})
		return len(adrift) > 0, err
	}
	return true, nil
}
