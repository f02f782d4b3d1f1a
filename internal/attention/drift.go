package attention

import (
	"fmt"

	"niche/core/span"
	"niche/internal/words"
)

// A copy that somebody has made another outside.
var drifts = kind{"drift", "changed outside", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllAdrift(l.now)
	for _, r := range rows {
		i := l.item("drift", r)
		i.Copy, i.Cause = r.ID, fmt.Sprintf("%s:%d", i.Cause, r.From) // moved once more, it is looked at anew
		i.Title = fmt.Sprintf("%s’s copy of a visit was changed outside", words.FirstName(r.Staff))
		i.Words = fmt.Sprintf("%s for %s, %s, in “%s”. %s", r.Service, r.Client, l.onDay(r), r.Calendar, r.Words)
		if r.From != 0 {
			i.Lies = span.Between(r.From, r.To)
			i.Hurts = min(r.During, r.From)
			i.Words += " Both times are held."
		}
		list = append(list, i)
	}
	return list, err
}}
