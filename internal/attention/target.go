package attention

import (
	"fmt"

	"niche/internal/store"
	"niche/internal/words"
)

// Somebody performs services and their bookings are written nowhere.
var targets = kind{"target", "written nowhere", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllIdle(l.now)
	for _, r := range rows {
		if r.Target {
			continue
		}
		i := Item{Item: store.Item{Cause: fmt.Sprintf("target:%d", r.ID), Title: fmt.Sprintf("%s’s bookings are written nowhere", words.FirstName(r.Name))}, Hurts: soonest(r.Soonest), Leave: true}
		i.StaffID, i.Staff = named(r.ID, r.Name)
		i.Words = "None of the linked calendars gets bookings. Choose one."
		if !r.Linked {
			i.Words = "No calendar is linked. Ask them to link one."
		}
		list = append(list, i)
	}
	return list, err
}}
