package attention

import "fmt"

// A booking that waits for somebody's word.
var pending = kind{"pending", "to confirm", func(l look) (list []Item, err error) {
	rows, err := l.tx.PendingBookings(l.now)
	for _, r := range rows {
		i := l.item("pending", r)
		i.Booking, i.Title = r.ID, "A booking waits for your word"
		i.Words = fmt.Sprintf("%s for %s, %s, with %s. A calendar could not be read when it was asked for; its time is held.", r.Service, r.Client, l.onDay(r), r.Staff)
		if r.To > 0 {
			i.Hurts = r.To
			i.Words = fmt.Sprintf("%s for %s, %s, with %s. Its time is held until %s; it is let go then, and the client is told so.", r.Service, r.Client, l.onDay(r), r.Staff, l.text.Moment(r.To))
		}
		list = append(list, i)
	}
	return list, err
}}
