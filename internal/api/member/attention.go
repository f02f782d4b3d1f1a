package member

import (
	"context"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/attention"
	"niche/internal/store"
	"niche/internal/words"
)

// OwnItem is something that a staff member has to look at.
type OwnItem struct {
	ID    store.ID `json:"id"`
	Kind  string   `json:"kind"`
	Title string   `json:"title"`
	Words string   `json:"words"`
	Since string   `json:"since"`
	Where string   `json:"where" doc:"The path of the own page on which it is settled."`
	Asked store.ID `json:"asked" doc:"The booking that waits for one's word; 0 for none."`
}

// ownKinds are the kinds that a staff member can do something about, and on which of their pages.
var ownKinds = map[string]string{"clash": "/my", "drift": "/my", "link": "/my/calendars", "target": "/my/calendars", "unread": "/my/calendars", "hours": "/my/hours", "pending": "/my"}

func (s *Member) listItems(ctx context.Context, _ *struct{}) (*api.Body[api.List[OwnItem]], error) {
	now, me := span.At(s.Now()), api.Who(ctx).ID
	list, err := attention.Look(ctx, s.DB, now)
	if err != nil {
		return nil, err
	}
	db := s.DB.Read(ctx)
	row, err := db.Staff(me)
	if err != nil {
		return nil, err
	}
	zone, err := hours.LoadZone(row.Zone)
	if err != nil {
		return nil, err
	}
	text, out := words.In{Zone: zone}, []OwnItem{}
	list = slices.DeleteFunc(list, func(i attention.Item) bool {
		return i.StaffID == nil || *i.StaffID != me || ownKinds[i.Kind] == "" || i.KeptAt > 0
	})
	for _, i := range list {
		o := OwnItem{ID: i.ID, Kind: i.Kind, Title: yours(i.Title, row.Name), Words: yours(i.Words, row.Name), Since: text.Moment(i.FoundAt), Where: ownKinds[i.Kind]}
		if i.Kind == "pending" {
			o.Asked = i.Booking
		}
		if i.Visit != 0 {
			v, err := db.Visit(i.Visit)
			if err != nil {
				return nil, err
			}
			o.Where += "?date=" + zone.DateAt(v.Start).String()
		}
		out = append(out, o)
	}
	return api.Answer(api.List[OwnItem]{Items: out}, nil)
}

// yours says to whoever it is about what is said of them.
func yours(text, name string) string {
	first := words.FirstName(name)
	text = strings.NewReplacer("of "+first+"’s", "of yours", first+"’s", "your", "stays with "+first, "stays with you", first+" is asked", "you are asked").Replace(text)
	if strings.HasPrefix(text, "your") || strings.HasPrefix(text, "you ") {
		text = "Y" + text[1:]
	}
	return text
}

// Word is what a staff member says to a booking that waits for it.
type Word struct {
	Accept bool `json:"accept"`
}

// decide settles a booking of an own visit that waits for somebody's word.
func (s *Member) decide(ctx context.Context, in *struct {
	api.IDPath
	Body Word
}) (*struct{}, error) {
	mine, err := s.DB.Read(ctx).HasVisitOf(api.Who(ctx).ID, in.ID)
	if err == nil && !mine {
		err = store.ErrNotFound
	}
	if err == nil {
		err = s.Bookings.Decide(ctx, in.ID, in.Body.Accept)
	}
	return nil, api.Found(err, "booking that waits for a decision")
}
