package desk

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/store"
)

// Beginning is how far a new business is, from nothing to a link that is proved.
type Beginning struct {
	Steps   []BeginStep    `json:"steps"`
	Over    bool           `json:"over" doc:"All is done, or somebody has put it away."`
	Staff   *store.NamedID `json:"staff,omitempty" doc:"The person who is furthest."`
	Link    store.ID       `json:"link" doc:"A link of theirs; 0 for none, as below."`
	Service store.ID       `json:"service"`
	Page    string         `json:"page" doc:"The path of the page on which clients book, or empty."`
	Proof   store.ID       `json:"proof"`
}

// BeginStep is a step of it.
type BeginStep struct {
	Key     string `json:"key" enum:"business,person,hours,link,choose,service,page,prove"`
	Done    bool   `json:"done"`
	Skipped bool   `json:"skipped"`
}

// BeginChange skips a step, takes that back, or puts all of it away.
type BeginChange struct {
	Skip string `json:"skip,omitempty" enum:"person,hours,link,choose,service,page,prove"`
	Back string `json:"back,omitempty" enum:"person,hours,link,choose,service,page,prove"`
	Over *bool  `json:"over,omitempty"`
}

// begun is what is kept of it.
type begun struct {
	Skipped []string `json:"skipped"`
	Over    bool     `json:"over"`
}

// beginning is the setting under which it is kept.
const beginning = "beginning"

func (s *Desk) registerBegin(a huma.API) {
	huma.Register(a, api.Get("/api/beginning", "getBeginning", "How far a new business is"), s.getBeginning)
	huma.Register(a, api.Post("/api/beginning", "changeBeginning", "Skip a step, or put the beginning away", http.StatusNoContent), s.changeBeginning)
}

func begunOf(tx store.Tx) (b begun, err error) {
	text, err := tx.Setting(beginning)
	if err == nil && text != nil {
		err = json.Unmarshal(text, &b)
	}
	return b, err
}

func (s *Desk) getBeginning(ctx context.Context, _ *struct{}) (*api.Body[Beginning], error) {
	db := s.DB.Read(ctx)
	kept, err := begunOf(db)
	if err != nil {
		return nil, err
	}
	b, err := db.Begun()
	if err != nil {
		return nil, err
	}
	out := Beginning{Steps: []BeginStep{}, Over: kept.Over, Link: b.Link, Service: b.Service, Proof: b.Proof}
	if b.Staff != 0 {
		out.Staff = &store.NamedID{ID: b.Staff, Name: b.Name}
	}
	if b.Slug != "" {
		out.Page = api.PagePath(b.Slug)
	}
	open := false
	for _, st := range []struct {
		key  string
		done bool
	}{{"business", true}, {"person", b.Staff != 0}, {"hours", b.Hours}, {"link", b.Link != 0}, {"choose", b.Blocks && b.Gets}, {"service", b.Service != 0}, {"page", b.Booked}, {"prove", b.Held}} {
		step := BeginStep{st.key, st.done, !st.done && slices.Contains(kept.Skipped, st.key)}
		open = open || !step.Done && !step.Skipped
		out.Steps = append(out.Steps, step)
	}
	out.Over = out.Over || !open
	return api.Answer(out, nil)
}

func (s *Desk) changeBeginning(ctx context.Context, in *struct{ Body BeginChange }) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		b, err := begunOf(tx)
		if err != nil {
			return err
		}
		if in.Body.Skip != "" && !slices.Contains(b.Skipped, in.Body.Skip) {
			b.Skipped = append(b.Skipped, in.Body.Skip)
		}
		b.Skipped = slices.DeleteFunc(b.Skipped, func(k string) bool { return k == in.Body.Back })
		if in.Body.Over != nil {
			b.Over = *in.Body.Over
		}
		text, err := json.Marshal(b)
		if err != nil {
			return err
		}
		return tx.SaveSetting(beginning, text)
	})
	s.Hub.Tell(live.Rules)
	return nil, err
}
