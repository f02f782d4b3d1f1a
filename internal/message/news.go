package message

import (
	"errors"

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
