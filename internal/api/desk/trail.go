package desk

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/store"
	"niche/internal/words"
)

// TrailEntry is one line of the trail.
type TrailEntry struct {
	ID      store.ID      `json:"id"`
	At      span.Instant  `json:"at" format:"date-time"`
	When    string        `json:"when" doc:"On the business's clock."`
	Who     string        `json:"who"`
	Role    string        `json:"role"`
	Network string        `json:"network" doc:"Where it was done from, or empty."`
	Deed    string        `json:"deed"`
	Kind    string        `json:"kind"`
	Thing   store.ID      `json:"thing"`
	Name    string        `json:"name" doc:"As the thing was called then."`
	Words   string        `json:"words" doc:"What was done, in a sentence."`
	Changes []TrailChange `json:"changes"`
}

// TrailChange is what became of one field.
type TrailChange struct {
	Field string `json:"field"`
	From  any    `json:"from,omitempty"`
	To    any    `json:"to,omitempty"`
}

// TrailQuery says which lines are wanted.
type TrailQuery struct {
	Kind  []string `query:"kind" maxItems:"12" doc:"Only of things of some kinds."`
	Thing store.ID `query:"thing" minimum:"0" doc:"Only of one thing."`
	Who   store.ID `query:"who" minimum:"0" doc:"Only by one administrator."`
	Deed  string   `query:"deed" maxLength:"40" doc:"Only one deed."`
	From  string   `query:"from" maxLength:"10" doc:"The first date, on the business's clock."`
	To    string   `query:"to" maxLength:"10" doc:"The last date."`
	Clock string   `query:"clock" enum:"24,12" default:"24"`
}

func (s *Desk) registerTrail(a huma.API) {
	huma.Register(a, api.Get("/api/trail", "listTrail", "Who changed what, the newest first"), s.listTrail)
	huma.Register(a, api.Get("/api/trail/export", "exportTrail", "The same as a file"), s.exportTrail)
}

// of reads which lines are wanted.
func (q TrailQuery) of(text words.In) (of store.TrailOf, err error) {
	of = store.TrailOf{Kinds: slices.DeleteFunc(q.Kind, func(k string) bool { return k == "" }), Thing: q.Thing, Who: q.Who, Deed: q.Deed}
	if of.Who != 0 {
		of.Role = "administrator"
	}
	of.From, of.To, err = onDates(text, q.From, q.To)
	return of, err
}

// onDates reads the first and the last date that are asked for as the instants at which they begin and end; 0 for an end that is
// left open.
func onDates(text words.In, first, last string) (from, to span.Instant, err error) {
	for _, f := range []struct {
		field, text string
		at          *span.Instant
		later       hours.LocalDate
	}{{"query.from", first, &from, 0}, {"query.to", last, &to, 1}} {
		if f.text == "" {
			continue
		}
		d, err := hours.ParseDate(f.text)
		if err != nil {
			return 0, 0, api.Wrong(f.field, "This is not a date, as in 2026-03-02.")
		}
		*f.at = text.Zone.Over(d+f.later, d+f.later).Starting(d+f.later, 0)
	}
	return from, to, nil
}

func (s *Desk) listTrail(ctx context.Context, in *struct {
	TrailQuery
	Before store.ID `query:"before" minimum:"0" doc:"Lines before this one; 0 for the newest."`
}) (*api.Body[api.List[TrailEntry]], error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	of, err := in.of(text)
	if err != nil {
		return nil, err
	}
	of.Before, of.Most = in.Before, store.PageSize+1
	rows, err := db.Trail(of)
	out := api.List[TrailEntry]{Items: []TrailEntry{}}
	if len(rows) > store.PageSize {
		rows = rows[:store.PageSize]
		out.Next = int(rows[len(rows)-1].ID)
	}
	for _, r := range rows {
		out.Items = append(out.Items, renderEntry(r, text))
	}
	return api.Answer(out, err)
}

func renderEntry(r store.Entry, text words.In) TrailEntry {
	e := TrailEntry{ID: r.ID, At: r.At, When: text.Local(r.At).Format("Mon 2 Jan 2006, ") + text.Clock(r.At), Who: r.Who, Role: r.Role, Network: r.Origin,
		Deed: r.Deed, Kind: r.Kind, Thing: r.Thing, Name: r.Name, Words: words.OfDeed(r.Who, r.Deed, r.Kind, r.Name), Changes: []TrailChange{}}
	_ = json.Unmarshal([]byte(r.Changes), &e.Changes) // it was written by the store
	for i, c := range e.Changes {
		e.Changes[i].From, e.Changes[i].To = legible(c.From, text), legible(c.To, text)
	}
	return e
}

// legible writes an instant by the business's clock, and leaves other values as they are.
func legible(v any, text words.In) any {
	s, ok := v.(string)
	if !ok {
		return v
	}
	if at, err := span.Parse(s); err == nil {
		return text.Local(at).Format("Mon 2 Jan 2006, ") + text.Clock(at)
	}
	return s
}

func (s *Desk) exportTrail(ctx context.Context, in *struct {
	TrailQuery
	Format string `query:"format" enum:"csv,json" default:"csv"`
}) (*huma.StreamResponse, error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	of, err := in.of(text)
	if err != nil {
		return nil, err
	}
	of.Most = exported + 1
	rows, err := db.Trail(of)
	if err != nil {
		return nil, err
	}
	rows, name := cut("trail", rows)
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Disposition", `attachment; filename="`+name+`.`+in.Format+`"`)
		if in.Format == "json" {
			ctx.SetHeader("Content-Type", "application/json")
			list := make([]TrailEntry, 0, len(rows))
			for _, r := range rows {
				list = append(list, renderEntry(r, text))
			}
			_ = json.NewEncoder(ctx.BodyWriter()).Encode(list)
			return
		}
		ctx.SetHeader("Content-Type", "text/csv; charset=utf-8")
		writeTrail(ctx.BodyWriter(), rows, text)
	}}, nil
}

func writeTrail(to io.Writer, rows []store.Entry, text words.In) {
	w := csv.NewWriter(to)
	w.UseCRLF = true // RFC 4180
	_ = w.Write([]string{"at", "who", "role", "network", "deed", "kind", "thing", "name", "changes"})
	for _, r := range rows {
		_ = w.Write([]string{r.At.String(), cell(r.Who), r.Role, r.Origin, r.Deed, r.Kind, fmt.Sprint(r.Thing), cell(r.Name), cell(r.Changes)})
	}
	w.Flush()
}

// cell keeps a spreadsheet from taking a text that somebody gave for a formula.
func cell(text string) string {
	if strings.ContainsAny(text[:min(1, len(text))], "=+-@") {
		return "'" + text
	}
	return text
}
