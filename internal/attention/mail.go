package attention

import (
	"fmt"

	"niche/internal/store"
)

const (
	told    = 7 * 24 * 60 // minutes for which a refused message is told
	waiting = 60          // minutes that one may wait
)

// Mail that did not go out.
var mails = kind{"mail", "mail", func(l look) (list []Item, err error) {
	rows, err := l.tx.UnsentMessages(l.now.Add(-told), l.now.Add(-waiting))
	for _, m := range rows {
		i := Item{Item: store.Item{Cause: fmt.Sprintf("mail:%d", m.ID), Title: "A mail to " + m.Recipient + " waits to go out", FoundAt: m.MadeAt}, Hurts: store.Never, Leave: true}
		if m.State == store.MessageRefused {
			i.Title, i.FoundAt = "A mail to "+m.Recipient+" could not be delivered", m.SettledAt
		}
		if m.StaffID != 0 {
			i.StaffID = &m.StaffID
		}
		i.Words = fmt.Sprintf("“%s”. %s", m.Subject, m.Error)
		list = append(list, i)
	}
	return list, err
}}
