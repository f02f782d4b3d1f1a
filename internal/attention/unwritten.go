package attention

import (
	"fmt"

	"niche/internal/words"
)

// patience is how long a copy may take before somebody looks at it.
const patience = 10 // minutes

// A copy that is not outside as it should be, in a calendar that can be read.
var unwritten = kind{"unwritten", "not written", func(l look) (list []Item, err error) {
	rows, err := l.tx.Unwritten(l.now, patience)
	for _, r := range rows {
		i := l.item("unwritten", r)
		i.Copy = r.ID
		i.Title = fmt.Sprintf("A visit is not in %s’s calendar as it should be", words.FirstName(r.Staff))
		i.Words = fmt.Sprintf("%s for %s, %s, in “%s”. %s It is tried again by itself; the booking stands.", r.Service, r.Client, l.onDay(r), r.Calendar, r.Words)
		list = append(list, i)
	}
	return list, err
}}
