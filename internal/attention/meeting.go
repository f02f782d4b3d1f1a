package attention

import "fmt"

// roomWithin is how long the room of a visit online may take to be made, in minutes.
const roomWithin = 5

// A visit online that has no meeting room.
var meetings = kind{"room", "no meeting room", func(l look) (list []Item, err error) {
	rows, err := l.tx.Unmade(l.now, roomWithin)
	for _, r := range rows {
		i := l.item("room", r)
		i.Title = "A visit online has no meeting room"
		i.Words = fmt.Sprintf("%s for %s, %s, with %s. The meeting host: %s It is asked again by itself; until then the client does not know where to come.", r.Service, r.Client, l.onDay(r), r.Staff, r.Words)
		list = append(list, i)
	}
	return list, err
}}
