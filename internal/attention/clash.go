package attention

import (
	"fmt"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/words"
)

// Busy time that arrived on top of a visit.
var clashes = kind{"clash", "clash", func(l look) (list []Item, err error) {
	rows, err := l.tx.AllOpenClashes(l.now)
	for _, r := range rows {
		i := l.item("clash", r)
		i.Cause += fmt.Sprintf(":%d-%d", r.From, r.To) // what comes to lie otherwise is looked at anew
		who := words.FirstName(r.Staff)
		i.Title, i.Leave = fmt.Sprintf("A personal event of %s’s lies on a visit", who), true
		i.Words = fmt.Sprintf("%s on %s’s %s, %s.", l.text.Stretch(span.Between(r.From, r.To)).Label, r.Client, r.Service, l.onDay(r))
		if shared := span.Between(max(r.From, r.During), min(r.To, r.Until)); !shared.IsEmpty() {
			i.Words += fmt.Sprintf(" They share %s.", offer.Duration(span.Minutes((shared.End()-shared.Start())/60)))
		} else {
			i.Words += " It takes the time that is kept around the visit."
		}
		i.Words += fmt.Sprintf(" It is in “%s”; what it is stays with %s. Both are still held.", r.Calendar, who)
		list = append(list, i)
	}
	return list, err
}}
