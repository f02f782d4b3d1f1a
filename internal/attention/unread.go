package attention

import (
	"fmt"

	"niche/internal/store"
	"niche/internal/words"
)

// A calendar with events that could not be read: nobody knows what time they take.
var unread = kind{"unread", "unreadable", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllTroubled(l.now, late)
	for _, c := range rows {
		if c.Skipped == 0 || !c.Blocks {
			continue
		}
		i := Item{Item: store.Item{Cause: fmt.Sprintf("unread:%d:%d", c.ID, c.Skipped), Title: fmt.Sprintf("%s in %s’s calendar “%s” could not be read", words.Capital(words.Counted(c.Skipped, "event")), words.FirstName(c.Staff), c.Name)},
			Link: c.LinkID, Hurts: store.Never, Leave: true, Words: "What time is taken there is not known, and blocks nothing. Which they are, by their dates, stands at the calendar."}
		i.StaffID, i.Staff = named(c.StaffID, c.Staff)
		list = append(list, i)
	}
	return list, err
}}
