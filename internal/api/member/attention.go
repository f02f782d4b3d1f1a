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
}

// ownKinds are the kinds that a staff member can do something about, and on which of their pages.
var ownKinds = map[string]string{"clash": "/my", "drift": "/my", "link": "/my/calendars", "target": "/my/calendars", "unread": "/my/calendars", "hours": "/my/hours"}

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
