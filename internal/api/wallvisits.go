package api

import (
	"fmt"
	"strings"

	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/store"
)

// wallVisits reads the bookings that hold time in the window.
func wallVisits(db *gorm.DB, staff []store.ID, window span.Span, by map[store.ID]texts) (map[store.ID][]WallVisit, error) {
	var rows []struct {
		StaffID store.ID
		store.Visit
		BookingID  store.ID
		Reference  string
		Status     string
		ClientName string
		ClientMail string
		Booked     int
		Picked     string
		Service    string
		Places     int
		Hue        int
		With       string
		Copy       string
		CopyError  string
	}
	err := db.Raw(`SELECT vs.staff_id, v.*, b.id AS booking_id, b.reference, b.status, b.client_name, b.client_mail, b.places AS booked, b.picked,
			s.name AS service, s.places, s.hue,
			COALESCE((SELECT GROUP_CONCAT(name, '|') FROM (SELECT st.name FROM visit_staff o JOIN staff st ON st.id = o.staff_id
				WHERE o.visit_id = v.id AND o.staff_id <> vs.staff_id UNION ALL SELECT r.name FROM visit_resources o JOIN resources r ON r.id = o.resource_id WHERE o.visit_id = v.id)), '') AS "with",
			COALESCE((SELECT c.state FROM copies c JOIN calendars k ON k.id = c.calendar_id JOIN links l ON l.id = k.link_id WHERE c.visit_id = v.id AND c.wanted = 1 AND l.staff_id = vs.staff_id
				ORDER BY c.state = 'read back', c.state = 'written', c.state = 'waiting' LIMIT 1), 'none') AS copy,
			COALESCE((SELECT error FROM copies c WHERE c.visit_id = v.id AND c.wanted = 1 AND error <> '' LIMIT 1), '') AS copy_error
		FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id JOIN services s ON s.id = v.service_id
		JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE v.start >= ? AND v.start < ? AND vs.staff_id IN ? ORDER BY v.start, v.id, b.id`, window.Start().Add(-1440), window.End(), staff).Scan(&rows).Error
	out := map[store.ID][]WallVisit{}
	for _, r := range rows {
		list := out[r.StaffID]
		if n := len(list) - 1; n < 0 || list[n].ID != r.ID {
			text := by[r.StaffID]
			v := WallVisit{Stretch: text.stretch(r.During()), ID: r.ID, Occupied: text.stretch(r.Occupied()), Service: r.Service, Hue: r.Hue, Client: r.ClientName,
				Clients: []WallClient{}, With: []string{}, Picked: r.Picked, Status: r.Status, Copy: r.Copy, CopyNote: r.CopyError}
			if r.With != "" {
				v.With = strings.Split(r.With, "|")
			}
			list = append(list, v)
		}
		v := &list[len(list)-1]
		v.Clients = append(v.Clients, WallClient{r.BookingID, r.ClientName, r.ClientMail, r.Reference, r.Booked, r.Status})
		if r.Places > 1 {
			taken := 0
			for _, c := range v.Clients {
				taken += c.Places
			}
			v.Client = fmt.Sprintf("%d of %d places", taken, r.Places)
		}
		if r.Status != string(store.Confirmed) {
			v.Status = r.Status
		}
		out[r.StaffID] = list
	}
	if err != nil {
		return nil, err
	}
	return out, markClashes(db, out, window, by)
}

// markClashes notes on visits what busy time came on top of them.
func markClashes(db *gorm.DB, visits map[store.ID][]WallVisit, window span.Span, by map[store.ID]texts) error {
	var rows []struct {
		StaffID, VisitID store.ID
		Name             string
		Start, End       span.Instant
	}
	err := db.Raw(`SELECT l.staff_id, x.visit_id, c.name, x.start, x."end" FROM clashes x JOIN calendars c ON c.id = x.calendar_id
		JOIN links l ON l.id = c.link_id JOIN visits v ON v.id = x.visit_id
		WHERE x.closed_at = 0 AND v.start >= ? AND v.start < ? ORDER BY x.start DESC`, window.Start().Add(-1440), window.End()).Scan(&rows).Error
	for _, r := range rows {
		for i, v := range visits[r.StaffID] {
			if v.ID == r.VisitID {
				visits[r.StaffID][i].Clash = fmt.Sprintf("Busy %s in “%s” came on top of it.", by[r.StaffID].stretch(span.Between(r.Start, r.End)).Label, r.Name)
			}
		}
	}
	return err
}

// span reads a stretch that this package has written.
func (s Stretch) span() span.Span {
	start, _ := span.Parse(s.Start)
	end, _ := span.Parse(s.End)
	return span.Between(start, end)
}
