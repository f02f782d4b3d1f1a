package serve_test

import (
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/danielgtaylor/huma/v2"
	"github.com/stretchr/testify/require"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// filled is a body that an operation takes: every field of its description has some value of its kind.
func filled(reg huma.Registry, s *huma.Schema, depth int) any {
	if s == nil || depth > 6 {
		return nil
	}
	if s.Ref != "" {
		s = reg.SchemaFromRef(s.Ref)
	}
	switch s.Type {
	case huma.TypeObject:
		out := map[string]any{}
		for name, p := range s.Properties {
			if name != "$schema" {
				out[name] = filled(reg, p, depth+1)
			}
		}
		return out
	case huma.TypeArray:
		return []any{}
	case huma.TypeBoolean:
		return true
	case huma.TypeInteger, huma.TypeNumber:
		if s.Minimum != nil {
			return *s.Minimum
		}
		return 1
	}
	switch {
	case len(s.Enum) > 0:
		return s.Enum[0]
	case s.Format == "date":
		return "2026-03-04"
	case s.Format == "date-time":
		return "2026-03-04T10:00:00Z"
	}
	return "another word"
}

// Whatever a staff member asks their own pages for by a number of somebody else's, it is as if that were not there, and nothing changes:
// every operation of those pages, with every number that there is, and a body that it would take.
func TestOwnPagesReachNothingOfAnothers(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, host := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) {
		f.ApproveWithin = 600
		f.Questions = []question.Question{{Key: "picture", Kind: question.File, Label: "A picture"}}
	}, nichetest.HostOf(host))
	mara := d.AddStaff("Mara Quillon")
	link := d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	res, err := http.Post(d.Address+"/api/pages/home-tuning/files?name=a.png", "application/octet-stream", strings.NewReader("\x89PNG\r\n\x1a\n1"))
	require.NoError(t, err)
	var file client.HandedOver
	require.NoError(t, json.NewDecoder(res.Body).Decode(&file))
	require.NoError(t, res.Body.Close())
	ask := client.NewBooking{Start: nichetest.At("2026-03-04T10:00:00Z"), Asked: api.Asked{Answers: map[string][]string{"picture": {file.Token}}}}
	_, err = d.Ask(ask)
	require.NoError(t, err)
	bryn, other := d.Own(d.Staff.ID), d.Own(mara)
	require.NoError(t, other.Get(t.Context(), "/api/my", nil))
	d.Until("all is read", func() bool { return d.Pulse("Family").State == "fresh" && d.Pulse("Work").State == "fresh" })
	trouble.Always(http.MethodGet, nichetest.Fault{Unasked: true, Status: http.StatusServiceUnavailable}) // nothing moves by itself meanwhile

	numbers := map[string][]store.ID{}
	for kind, table := range map[string]string{"links": "links", "calendars": "calendars", "copies": "copies", "bookings": "bookings", "files": "files", "sessions": "sessions"} {
		for _, id := range d.List("SELECT id FROM " + table) {
			var n store.ID
			require.NoError(t, json.Unmarshal([]byte(id), &n))
			numbers[kind] = append(numbers[kind], n)
		}
	}
	require.NotEmpty(t, numbers["files"])
	before := dump(d)
	tried := 0
	doc := api.Document(&desk.Desk{}, &member.Member{}, &client.Client{})
	for path, item := range doc.Paths {
		if !strings.HasPrefix(path, "/api/my/") || !strings.Contains(path, "{id}") || strings.HasPrefix(path, "/api/my/hosts/") {
			continue // hosts are everybody's
		}
		kind := strings.Split(path, "/")[3]
		require.NotEmpty(t, append(numbers[kind], numbers["bookings"]...), "numbers of %s", path)
		for method, o := range map[string]*huma.Operation{"GET": item.Get, "POST": item.Post, "PUT": item.Put, "DELETE": item.Delete} {
			if o == nil {
				continue
			}
			var body any
			if o.RequestBody != nil {
				body = filled(doc.Components.Schemas, o.RequestBody.Content["application/json"].Schema, 0)
			}
			for _, n := range numbers[kind] {
				if kind == "sessions" && len(d.List(fmt.Sprintf("SELECT 1 FROM sessions WHERE id = %d AND staff_id = %d", n, mara))) > 0 {
					continue // her own
				}
				at := strings.Replace(path, "{id}", fmt.Sprint(n), 1) + "?copies=leave"
				var err error
				if method == "PUT" {
					err = other.Save(t.Context(), strings.TrimSuffix(at, "?copies=leave"), 1, body, nil)
				} else {
					err = other.Do(t.Context(), method, at, body, nil)
				}
				var p *api.Problem
				if kind != "sessions" || err != nil { // a session that is nobody's own is no news either way
					require.ErrorAs(t, err, &p, "%s %s", method, at)
					require.Equal(t, http.StatusNotFound, p.Status, "%s %s: %v %v", method, at, p, p.Errors)
				}
				tried++
			}
		}
	}
	require.Greater(t, tried, 8)
	require.Equal(t, before, dump(d))
	require.NoError(t, bryn.Get(t.Context(), "/api/my", nil), "and whose they are is still signed in")
	trouble.Set(nil)

	// Their owner reaches each of them.
	require.NoError(t, bryn.Post(t.Context(), fmt.Sprintf("/api/my/bookings/%d/decision", numbers["bookings"][0]), desk.Decision{Accept: true}, nil))
	require.NoError(t, bryn.Get(t.Context(), "/api/my/links", nil))
	d.Until("it stands outside", func() bool { return d.Copies("2026-03-04") == "read back" })
	require.NoError(t, bryn.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/my/links/%d?copies=leave", link.ID), nil, nil))
}

// What a staff member hears of, and where they are signed in, is theirs to say.
func TestOwnChoicesAndSessions(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	here, there := d.Own(d.Staff.ID), d.Own(d.Staff.ID)
	var me member.Myself
	for _, tells := range []string{"morning", "no", "once"} {
		require.NoError(t, here.Put(t.Context(), "/api/my/messages", member.OwnNews{Tells: tells}, &me))
		require.Equal(t, tells, me.Tells)
	}
	require.Error(t, here.Put(t.Context(), "/api/my/messages", member.OwnNews{Tells: "always"}, nil))
	sessions := func(c *demo.Client) (list api.List[api.OwnSession]) {
		require.NoError(t, c.Get(t.Context(), "/api/my/sessions", &list))
		return list
	}
	require.Len(t, sessions(here).Items, 2)
	for _, s := range sessions(here).Items {
		if !s.Here {
			require.NoError(t, here.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/my/sessions/%d", s.ID), nil, nil))
		}
	}
	status := func(err error) int {
		var p *api.Problem
		if errors.As(err, &p) {
			return p.Status
		}
		return http.StatusOK
	}
	require.Equal(t, http.StatusUnauthorized, status(there.Get(t.Context(), "/api/my", nil)), "ended from here")
	there = d.Own(d.Staff.ID)
	require.NoError(t, here.Do(t.Context(), http.MethodDelete, "/api/my/sessions", nil, nil))
	require.Equal(t, []int{http.StatusOK, http.StatusUnauthorized}, []int{status(here.Get(t.Context(), "/api/my", nil)), status(there.Get(t.Context(), "/api/my", nil))})
	require.NoError(t, here.Do(t.Context(), http.MethodDelete, "/api/my/session", nil, nil))
	require.Equal(t, http.StatusUnauthorized, status(here.Get(t.Context(), "/api/my", nil)))
}
