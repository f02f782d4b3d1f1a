package client

import (
	"bytes"
	"cmp"
	"context"
	_ "embed"
	"encoding/json"
	"html/template"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"niche/internal/api"
	"niche/internal/store"
)

//go:embed first.html
var firstHTML string

var firstTemplates = template.Must(template.New("").Parse(firstHTML))

// firstPage is a page as most clients want it first: by the business's zone and clock.
type firstPage struct {
	Slug  string `json:"slug"`
	Clock string `json:"clock"`
	Page  Page   `json:"page"`
}

// firstCollection is the same of a collection.
type firstCollection struct {
	Slug       string    `json:"slug"`
	Clock      string    `json:"clock"`
	Collection Collected `json:"collection"`
}

// firstStart is a start that leads on.
type firstStart struct{ Label, Full, Where string }

// First returns what goes along with the document of a page, so that on a slow line nothing has to be asked for, and no
// program has to run, before the first starts stand on the screen. The program takes it over as soon as it is there.
func (s *Client) First(ctx context.Context, path string, query url.Values) (api.FirstShown, bool) {
	db := s.DB.Read(ctx)
	business, err := db.Business()
	if err != nil || query.Has("moving") {
		return api.FirstShown{}, false
	}
	clock := cmp.Or(business.Clock, "24")
	if slug, ok := strings.CutPrefix(path, "/book/"); ok {
		with, _ := strconv.ParseInt(query.Get("with"), 10, 64)
		page, err := s.page(ctx, &PageQuery{SlugPath: SlugPath{slug}, From: query.Get("from"), Staff: store.ID(max(0, with)), Places: 1, Clock: clock})
		if err != nil || with != 0 && !slices.ContainsFunc(page.Staff, func(m store.NamedID) bool { return m.ID == store.ID(with) }) {
			return api.FirstShown{}, false
		}
		about := slices.DeleteFunc([]string{page.Length, page.Place, page.Price, page.Business}, func(t string) bool { return t == "" })
		return shown("page", struct {
			Service, About string
			Soonest        []firstStart
		}{page.Service, strings.Join(about, " · "), starts(page.Soonest, path, query)}, firstPage{slug, clock, page})
	}
	slug, ok := strings.CutPrefix(path, "/choose/")
	if !ok {
		return api.FirstShown{}, false
	}
	c, err := s.collected(ctx, &collectionQuery{SlugPath: SlugPath{slug}, Clock: clock})
	if err != nil {
		return api.FirstShown{}, false
	}
	type service struct {
		Name, Length, Note, Where string
		Soonest                   []firstStart
	}
	type part struct {
		Heading  string
		Services []service
	}
	query.Set("of", slug)
	view := struct {
		Title, Business, Intro string
		Parts                  []part
	}{c.Title, c.Business, c.Intro, nil}
	for _, p := range c.Parts {
		out := part{Heading: p.Heading}
		for _, v := range p.Services {
			out.Services = append(out.Services, service{v.Name, v.Length, v.Note, v.Page + "?" + query.Encode(), starts(v.Soonest, v.Page, query)})
		}
		view.Parts = append(view.Parts, out)
	}
	return shown("collection", view, firstCollection{slug, clock, c})
}

func starts(list []api.Start, path string, query url.Values) (out []firstStart) {
	for _, s := range list {
		q := url.Values{}
		for k, v := range query {
			q[k] = v
		}
		q.Set("start", s.At.String())
		out = append(out, firstStart{s.Label, s.Full, path + "?" + q.Encode()})
	}
	return out
}

func shown(name string, view, data any) (api.FirstShown, bool) {
	var html bytes.Buffer
	if err := firstTemplates.ExecuteTemplate(&html, name, view); err != nil {
		return api.FirstShown{}, false
	}
	text, err := json.Marshal(data)
	return api.FirstShown{HTML: html.Bytes(), Data: text}, err == nil
}
