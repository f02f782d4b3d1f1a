package attention

import (
	"fmt"

	"niche/core/span"
)

// A client who says that they do not come, or who would rather come at another time.
var answers = kind{"answer", "not coming", func(l look) (list []Item, err error) {
	rows, err := l.tx.AnsweredOtherwise(l.now)
	for _, r := range rows {
		i := l.item("answer", r)
		i.Booking, i.Leave, i.Title = r.ID, true, r.Client+" does not come"
		i.Words = fmt.Sprintf("%s, %s, with %s. The client answered the invitation so; the visit is still booked.", r.Service, l.onDay(r), r.Staff)
		if r.From > 0 {
			wish := span.Between(r.From, r.To)
			i.Cause, i.Title = fmt.Sprintf("answer:%d:%d", r.ID, r.From), r.Client+" would rather come at another time"
			i.Words = fmt.Sprintf("%s, %s, with %s. The client asks for %s, %s. It stays where it is until somebody moves it.", r.Service, l.onDay(r), r.Staff,
				l.text.Local(wish.Start()).Format("Mon 2 Jan"), l.text.Stretch(wish).Label)
		}
		if r.Words != "" {
			i.Words += " They write: “" + r.Words + "”"
		}
		list = append(list, i)
	}
	return list, err
}}
