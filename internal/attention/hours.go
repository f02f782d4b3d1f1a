package attention

import (
	"fmt"

	"niche/internal/store"
	"niche/internal/words"
)

// Somebody performs services and has no hours.
var hoursless = kind{"hours", "no hours", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllIdle(l.now)
	for _, r := range rows {
		if r.Hours {
			continue
		}
		i := Item{Item: store.Item{Cause: fmt.Sprintf("hours:%d", r.ID), Title: fmt.Sprintf("%s performs services and has no hours", words.FirstName(r.Name))},
			Words: "Nothing of this person’s time is offered.", Hurts: store.Never, Leave: true}
		i.StaffID, i.Staff = named(r.ID, r.Name)
		list = append(list, i)
	}
	return list, err
}}
