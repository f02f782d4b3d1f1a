package desk

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/attention"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/wall"
	"niche/internal/words"
)

// Attention is what somebody has to look at, what hurts a client soonest first.
type Attention struct {
	Items  []AttentionItem `json:"items"`
	Kinds  []AttentionKind `json:"kinds" doc:"All kinds, in their order, with how many there are in sight."`
	PutOff int             `json:"putOff" doc:"How many are out of sight: put off, or left as they are."`
	Holds  string          `json:"holds" doc:"What holds all the same, in a sentence."`
}

// AttentionKind is a kind of items.
type AttentionKind struct {
	Kind  string `json:"kind"`
	Label string `json:"label"`
	Count int    `json:"count"`
}

// AttentionItem is one of them.
type AttentionItem struct {
	ID       store.ID       `json:"id"`
	Kind     string         `json:"kind"`
	Label    string         `json:"label" doc:"Of the kind."`
	Title    string         `json:"title"`
	Words    string         `json:"words" doc:"What it is about and what still holds."`
	Since    string         `json:"since"`
	Soon     bool           `json:"soon" doc:"It hurts a client by the end of tomorrow."`
	Hurts    string         `json:"hurts" doc:"When it hurts a client, as visit in 2 days; or empty."`
	Staff    *store.NamedID `json:"staff,omitempty"`
	Visit    store.ID       `json:"visit" doc:"0 for none, as below."`
	Start    string         `json:"start" doc:"When the visit begins, or empty."`
	Date     string         `json:"date" doc:"Of the visit, on the business's clock; or empty."`
	Bookings []store.ID     `json:"bookings" doc:"Those on the visit."`
	Booking  store.ID       `json:"booking" doc:"The one that waits for a word."`
	Drift    *wall.Drift    `json:"drift,omitempty" doc:"What is to be settled about a copy."`
	Link     store.ID       `json:"link"`
	Proof    store.ID       `json:"proof" doc:"The last of the link."`
	Leave    bool           `json:"leave" doc:"It can be left as it is."`
	Aside    string         `json:"aside" doc:"Why it is out of sight, or empty."`
}

// SettledItem is one whose cause has gone.
type SettledItem struct {
	ID    store.ID `json:"id"`
	Label string   `json:"label"`
	Title string   `json:"title"`
	Since string   `json:"since"`
	Until string   `json:"until"`
	By    string   `json:"by" doc:"Who had left it as it was, or empty."`
}

func (s *Desk) registerAttention(a huma.API) {
	huma.Register(a, api.Get("/api/attention", "getAttention", "What somebody has to look at"), s.getAttention)
	huma.Register(a, api.Get("/api/attention/settled", "listSettled", "What was to be looked at, and is no more, the last first"), s.listSettled)
	huma.Register(a, api.Post("/api/attention/put-off", "putOff", "Put some things off", http.StatusNoContent), s.putOff)
	huma.Register(a, api.Post("/api/attention/leave", "leaveItems", "Leave some things as they are", http.StatusNoContent), s.leaveItems)
	huma.Register(a, api.Post("/api/attention/back", "bringBack", "Look at some things again that were put off or left", http.StatusNoContent), s.bringBack)
}

func (s *Desk) getAttention(ctx context.Context, in *struct {
	Aside bool `query:"aside" doc:"What is out of sight, instead of what is to be looked at."`
}) (*api.Body[Attention], error) {
	now := span.At(s.Now())
	list, err := attention.Look(ctx, s.DB, now)
	if err != nil {
		return nil, err
	}
	db := s.DB.Read(ctx)
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	out := Attention{Items: []AttentionItem{}, Kinds: []AttentionKind{}}
	names, labels := attention.Labels()
	counts := map[string]int{}
	for _, i := range list {
		if i.InSight(now) {
			counts[i.Kind]++
		} else {
			out.PutOff++
		}
		if i.InSight(now) == in.Aside {
			continue
		}
		shown, err := s.shown(db, i, labels[attention.Kind(i.Kind)], words.In{Zone: zone}, now)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, shown)
	}
	for _, n := range names {
		out.Kinds = append(out.Kinds, AttentionKind{string(n), labels[n], counts[string(n)]})
	}
	states, err := db.CalendarCounts()
	if err != nil {
		return nil, err
	}
	all, fresh := 0, 0
	for _, c := range states {
		all += int(c.Count)
		if c.State == string(store.Fresh) {
			fresh += int(c.Count)
		}
	}
	switch {
	case all == 0:
		out.Holds = "No calendar is in use yet."
	case fresh == all:
		out.Holds = fmt.Sprintf("All %d calendars in use can be read.", all)
	default:
		out.Holds = fmt.Sprintf("%d of %d calendars in use can be read.", fresh, all)
	}
	return api.Answer(out, nil)
}

// shown renders an item.
func (s *Desk) shown(db store.Tx, i attention.Item, label string, text words.In, now span.Instant) (AttentionItem, error) {
	today := text.Zone.DateAt(now)
	soon := text.Zone.Over(today, today+3).Starting(today+2, 0)
	out := AttentionItem{ID: i.ID, Kind: i.Kind, Label: label, Title: i.Title, Words: i.Words, Since: since(text, i.FoundAt, now), Soon: i.Hurts < soon, Visit: i.Visit, Booking: i.Booking, Link: i.Link, Proof: i.Proof, Leave: i.Leave, Bookings: []store.ID{}}
	if i.Staff.ID != 0 {
		out.Staff = &i.Staff
	}
	if i.Visit != 0 {
		v, err := db.Visit(i.Visit)
		if err != nil {
			return out, err
		}
		date := text.Zone.DateAt(v.Start)
		out.Date, out.Start = date.String(), v.Start.String()
		switch days := int(date - today); {
		case v.Start <= now:
			out.Hurts = "the visit goes on"
		case days == 0:
			out.Hurts = "visit today"
		default:
			out.Hurts = "visit in " + words.Count(days, "day")
		}
		on, err := db.BookingsOn(i.Visit)
		if err != nil {
			return out, err
		}
		for _, b := range on {
			out.Bookings = append(out.Bookings, b.ID)
		}
	}
	if i.Kind == "drift" {
		c, err := db.Copy(i.Copy)
		if err != nil {
			return out, err
		}
		k, err := db.Calendar(c.CalendarID)
		if err != nil {
			return out, err
		}
		out.Drift = &wall.Drift{Copy: c.ID, Calendar: k.Name, Kind: c.Drift, Words: c.Error}
		if !i.Lies.IsEmpty() {
			out.Drift.Lies = text.Stretch(i.Lies).Label + " on " + text.Local(i.Lies.Start()).Format("Mon 2 Jan")
		}
	}
	switch {
	case i.KeptAt > 0:
		out.Aside = "left as it is by " + i.KeptBy + ", " + text.Moment(i.KeptAt)
	case i.PutOff > now:
		out.Aside = "put off until " + text.Moment(i.PutOff)
	}
	return out, nil
}

// since says when something began: since 11:02, since yesterday 17:20, since 23 Nov.
func since(text words.In, at, now span.Instant) string {
	switch days := text.Zone.DateAt(now) - text.Zone.DateAt(at); days {
	case 0:
		return "since " + text.Clock(at)
	case 1:
		return "since yesterday " + text.Clock(at)
	}
	return "since " + text.Local(at).Format("2 Jan")
}

func (s *Desk) listSettled(ctx context.Context, in *api.Listing) (*api.Body[api.List[SettledItem]], error) {
	db := s.DB.Read(ctx)
	rows, err := db.ClosedItems(in.Part())
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	_, labels := attention.Labels()
	text := words.In{Zone: zone}
	return api.Answer(api.Paged(rows, in.Page, func(i store.Item) SettledItem {
		return SettledItem{i.ID, labels[attention.Kind(i.Kind)], i.Title, text.Moment(i.FoundAt), text.Moment(i.ClosedAt), i.KeptBy}
	}), nil)
}

// SomeItems names items.
type SomeItems struct {
	IDs []store.ID `json:"ids" minItems:"1" maxItems:"500"`
}

// PuttingOff says of what and for how long.
type PuttingOff struct {
	SomeItems
	Until string `json:"until" enum:"evening,tomorrow,week" doc:"This evening at six, tomorrow morning at eight, or in a week."`
}

// changeItems changes what is remembered of open items, of all or of none, and notes who did it.
func (s *Desk) changeItems(ctx context.Context, ids []store.ID, deed string, change func(i *store.Item)) error {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		for _, id := range ids {
			i, err := tx.Item(id)
			if err != nil || i.ClosedAt > 0 {
				return api.Found(store.ErrNotFound, "item that is open")
			}
			change(&i)
			if err := tx.SaveItem(&i); err != nil {
				return err
			}
			if err := tx.Note(span.At(s.Now()), deed, "item", i.ID, i.Title, nil, nil); err != nil {
				return err
			}
		}
		return nil
	})
	if err == nil {
		s.Hub.Tell(live.Attention)
	}
	return err
}

func (s *Desk) putOff(ctx context.Context, in *struct{ Body PuttingOff }) (*struct{}, error) {
	now := span.At(s.Now())
	zone, err := schedule.Zone(s.DB.Read(ctx))
	if err != nil {
		return nil, err
	}
	today := zone.DateAt(now)
	at := func(d hours.LocalDate, hour int) span.Instant { return zone.Over(d, d+1).Starting(d, hour*60) }
	until := map[string]span.Instant{"evening": at(today, 18), "tomorrow": at(today+1, 8), "week": at(today+7, 8)}[in.Body.Until]
	if until <= now {
		until = at(today+1, 8)
	}
	return nil, s.changeItems(ctx, in.Body.IDs, "put off", func(i *store.Item) { i.PutOff = until })
}

func (s *Desk) leaveItems(ctx context.Context, in *struct{ Body SomeItems }) (*struct{}, error) {
	now := span.At(s.Now())
	list, err := attention.Look(ctx, s.DB, now)
	if err != nil {
		return nil, err
	}
	for _, i := range list {
		if slices.Contains(in.Body.IDs, i.ID) && !i.Leave {
			return nil, api.NewProblem(http.StatusConflict, "“"+i.Title+"” cannot be left as it is: it has to be settled, or put off.")
		}
	}
	return nil, s.changeItems(ctx, in.Body.IDs, "left", func(i *store.Item) { i.KeptAt, i.KeptBy = now, api.Who(ctx).Name })
}

func (s *Desk) bringBack(ctx context.Context, in *struct{ Body SomeItems }) (*struct{}, error) {
	return nil, s.changeItems(ctx, in.Body.IDs, "brought back", func(i *store.Item) { i.KeptAt, i.KeptBy, i.PutOff = 0, "", 0 })
}
