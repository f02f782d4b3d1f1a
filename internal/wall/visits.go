package wall

import (
	"fmt"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/store"
	"niche/internal/words"
)

// wallVisits reads the bookings that hold time of people in the window.
func wallVisits(db store.Tx, staff []store.ID, window span.Span, by map[store.ID]words.In) (map[store.ID][]WallVisit, error) {
	begun := span.Between(window.Start().Add(-1440), window.End())
	rows, err := db.VisitsOnWall(staff, begun)
	if err != nil {
		return nil, err
	}
	out := map[store.ID][]WallVisit{}
	for _, r := range rows {
		if out[r.StaffID], err = addToWall(out[r.StaffID], r, by[r.StaffID]); err != nil {
			return nil, err
		}
	}
	if err := markDrifts(db, out, by); err != nil {
		return nil, err
	}
	if err := markExtras(db, out); err != nil {
		return nil, err
	}
	return out, markClashes(db, out, begun, by)
}

// markExtras notes on visits where their owners have made copies of copies.
func markExtras(db store.Tx, visits map[store.ID][]WallVisit) error {
	var ids []store.ID
	for _, list := range visits {
		for _, v := range list {
			ids = append(ids, v.ID)
		}
	}
	extras, err := db.ExtraCopies(ids)
	for _, x := range extras {
		for i, v := range visits[x.StaffID] {
			if v.ID == x.VisitID {
				visits[x.StaffID][i].Extra = "Another copy of it lies in “" + x.Calendar + "”, which was made there. It takes no time, and stays as it is whatever becomes of the booking."
			}
		}
	}
	return err
}

// markDrifts notes on visits which of their copies somebody has made others.
func markDrifts(db store.Tx, visits map[store.ID][]WallVisit, by map[store.ID]words.In) error {
	var ids []store.ID
	for _, list := range visits {
		for _, v := range list {
			if v.CopyNote != "" {
				ids = append(ids, v.ID)
			}
		}
	}
	rows, err := db.AdriftOf(ids)
	for _, r := range rows {
		for i, v := range visits[r.StaffID] {
			if v.ID != r.VisitID {
				continue
			}
			d := Drift{Copy: r.Copy.ID, Calendar: r.Calendar, Kind: r.Drift, Words: r.Error}
			if r.LiesStart != 0 {
				text := by[r.StaffID]
				d.Lies = text.Stretch(span.Between(r.LiesStart, r.LiesEnd)).Label + " on " + text.Local(r.LiesStart).Format("Mon 2 Jan")
			}
			visits[r.StaffID][i].Drifts = append(v.Drifts, d)
		}
	}
	return err
}

// addToWall adds a booking to the visits of one lane, of which it may be one more of
// the last.
func addToWall(list []WallVisit, r store.WallVisit, text words.In) ([]WallVisit, error) {
	if n := len(list) - 1; n < 0 || list[n].ID != r.ID {
		v := WallVisit{Stretch: text.Stretch(r.During()), ID: r.ID, Occupied: text.Stretch(r.Occupied()), Service: r.Service, Hue: r.Hue, Client: r.ClientName,
			Clients: []WallClient{}, Drifts: []Drift{}, Picked: r.Picked, Status: r.Status, Copy: string(r.Copy), CopyNote: r.CopyError}
		var err error
		if v.With, err = r.With(); err != nil {
			return nil, fmt.Errorf("reading who is on visit %d: %w", r.ID, err)
		}
		list = append(list, v)
	}
	v := &list[len(list)-1]
	v.Clients = append(v.Clients, WallClient{r.BookingID, r.ClientName, r.ClientMail, r.Reference, r.Booked, r.Status, words.OfAnswer(r.Answer), r.Answer != string(ics.NotComing)})
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
	return list, nil
}

// markClashes notes on visits what busy time came on top of them.
func markClashes(db store.Tx, visits map[store.ID][]WallVisit, begun span.Span, by map[store.ID]words.In) error {
	rows, err := db.ClashesOnWall(begun)
	for _, r := range rows {
		for i, v := range visits[r.StaffID] {
			if v.ID == r.VisitID {
				visits[r.StaffID][i].Clash = fmt.Sprintf("Busy %s in “%s” came on top of it.", by[r.StaffID].Stretch(span.Between(r.Start, r.End)).Label, r.Calendar)
			}
		}
	}
	return err
}
