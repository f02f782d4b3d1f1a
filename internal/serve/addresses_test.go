package serve_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// addressed is a page or a page of several services, with every address that it had.
type addressed struct {
	id       store.ID
	title    string
	several  bool
	archived bool
	now      string
	all      []string
}

// However pages are made, renamed, closed and opened again: every address that one ever had leads to it, and none is given to another.
func TestAddressesNeverDie(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	slug := rapid.SampledFrom([]string{"tuning", "voicing", "all", "more", "at-home"})
	what := rapid.SampledFrom([]string{"service", "several", "rename", "rename", "rename", "archive"})
	for round := range 12 {
		var pages []*addressed
		owner := map[string]*addressed{} // who had an address first
		place := func(slug string) string { return fmt.Sprintf("%s-%d", slug, round) }
		save := func(p *addressed, to string) error {
			if p.several {
				f := desk.CollectionFields{Title: p.title, Slug: to, Parts: []desk.CollectionPart{{Services: []store.ID{d.Service.ID}}}}
				if p.id != 0 {
					return d.Change(ctx, fmt.Sprintf("/api/all-collections/%d", p.id), f, nil)
				}
				var made desk.Collection
				err := d.Post(ctx, "/api/collections", f, &made)
				p.id = made.ID
				return err
			}
			f := d.Service.ServiceFields
			f.Name, f.Slug = p.title, to
			if p.id != 0 {
				return d.Change(ctx, fmt.Sprintf("/api/services/%d", p.id), f, nil)
			}
			var made desk.Service
			err := d.Post(ctx, "/api/services", f, &made)
			p.id = made.ID
			return err
		}
		for step := range 14 {
			n := round*100 + step
			do, to := what.Example(n), place(slug.Example(n))
			p := &addressed{several: do == "several", title: fmt.Sprintf("Page %d of round %d", step, round)}
			if do == "rename" || do == "archive" {
				if len(pages) == 0 {
					continue
				}
				p = pages[n%len(pages)]
			}
			if do == "archive" {
				path := map[bool]string{true: "/api/all-collections/%d/archive", false: "/api/services/%d/archive"}[p.several]
				require.NoError(t, d.Put(ctx, fmt.Sprintf(path, p.id), desk.Archiving{Archived: !p.archived}, nil))
				p.archived = !p.archived
				continue
			}
			had := p.id
			err := save(p, to)
			if first := owner[to]; first != nil && first != p {
				require.Equal(t, "slug", nichetest.Problem(t, err).Errors[0].Field, "round %d, step %d: %s is another's", round, step, to)
				continue
			}
			require.NoError(t, err, "round %d, step %d: %s to %s", round, step, do, to)
			p.now, owner[to] = to, p
			p.all = append(p.all, to)
			if had == 0 {
				pages = append(pages, p)
			}
		}
		for _, p := range pages {
			kind := map[bool]string{true: "/choose/", false: "/book/"}[p.several]
			for _, had := range p.all {
				for _, asked := range []string{"/book/" + had, "/choose/" + had} {
					status, leads, _ := fetch(t, d.Address+asked+"?name=Ida")
					if asked == kind+p.now {
						require.NotEqual(t, http.StatusMovedPermanently, status, asked)
						continue
					}
					require.Equal(t, []any{http.StatusMovedPermanently, kind + p.now + "?name=Ida"}, []any{status, leads}, asked)
				}
				if p.several {
					continue
				}
				var page client.Page
				require.NoError(t, demo.NewClient(d.Address).Get(ctx, "/api/pages/"+had, &page))
			}
		}
	}
}

// An address that nobody has typed is made of the name, whatever letters that has.
func TestAddressesAreMadeOfNames(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	long := strings.Repeat("very ", 22) + "long"
	for _, c := range []struct{ name, want string }{
		{"Überholung & Reparatur", "uberholung-reparatur"},
		{"Accord à l’ancienne", "accord-a-l-ancienne"},
		{"  Tuning -- 2 hands ", "tuning-2-hands"},
		{"Žluťoučký kůň", "zlutoucky-kun"},
		{"調律", "visit"},
		{"オルガン", "visit-2"}, // another's is not taken
		{"整調", "visit-3"},
		{long, strings.Repeat("very-", 15) + "very"},
		{long + "er", strings.Repeat("very-", 15) + "2"},
		{strings.Repeat("long", 30), strings.Repeat("long", 20)},
	} {
		made := d.AddService(strings.TrimSpace(c.name), func(*desk.ServiceFields) {})
		require.Equal(t, c.want, made.Slug)
		require.NoError(t, demo.NewClient(d.Address).Get(t.Context(), "/api/pages/"+made.Slug, nil))
	}
	var several desk.Collection
	require.NoError(t, d.Post(t.Context(), "/api/collections", desk.CollectionFields{Title: "Zlutoucky kun", Parts: []desk.CollectionPart{{Services: []store.ID{d.Service.ID}}}}, &several))
	require.Equal(t, "zlutoucky-kun-2", several.Slug)
	var p *api.Problem
	f := d.Service.ServiceFields
	f.Name, f.Slug = "Another", "Not An Address"
	require.ErrorAs(t, d.Post(t.Context(), "/api/services", f, nil), &p)
	require.Equal(t, "slug", p.Errors[0].Field)
}
