package serve_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/clientele"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// One mail address is one client; two are told to be one, and two again. What they are called follows what they say, until
// the desk says it.
func TestClientsArePeople(t *testing.T) {
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Phone = "may" })
	mara := d.AddStaff("Mara Quillon")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff, f.Pick = append(f.Staff, mara), "last" }))
	ask := func(at, name, mail, phone string, staff store.ID) client.Booked {
		b, err := d.Ask(client.NewBooking{Start: nichetest.At(at), Name: name, Email: mail, Staff: staff, Asked: asked(phone, "")})
		require.NoError(t, err)
		return b
	}
	list := func(text string) (names []string) {
		var part api.List[desk.ListedClient]
		require.NoError(t, d.Get(t.Context(), "/api/clients?text="+strings.ReplaceAll(text, " ", "%20"), &part))
		for _, c := range part.Items {
			names = append(names, fmt.Sprintf("%s %d", c.Name, c.Visits))
		}
		return names
	}
	ask("2026-03-04T10:00:00Z", "Rosa Osei", "rosa@clients.example", "01 555 0177", 0)
	ask("2026-03-05T10:00:00Z", "Rosa M. Osei", "Rosa@Clients.example", "", 0)
	ask("2026-03-04T12:00:00Z", "R. Osei", "osei@works.example", "", mara)
	ask("2026-03-04T14:00:00Z", "Åse Berg", "ase@clients.example", "", 0)
	require.Equal(t, []string{"R. Osei 1", "Rosa M. Osei 2", "Åse Berg 1"}, list(""))
	for text, found := range map[string][]string{"ase": {"Åse Berg 1"}, "rosa": {"Rosa M. Osei 2"}, "osei": {"R. Osei 1", "Rosa M. Osei 2"}, "works.ex": {"R. Osei 1"}, "01 555 01": {"Rosa M. Osei 2"}, "--": nil} {
		require.Equal(t, found, list(text), text)
	}
	var rosa, works desk.ShownClient
	id := func(name string) string {
		var part api.List[desk.ListedClient]
		require.NoError(t, d.Get(t.Context(), "/api/clients?text="+name, &part))
		return fmt.Sprintf("/api/clients/%d", part.Items[0].ID)
	}
	path, other := id("rosa"), id("works")
	require.NoError(t, d.Get(t.Context(), path, &rosa))
	require.NoError(t, d.Get(t.Context(), other, &works))
	require.Equal(t, "(01) 555 0177", rosa.Phone, "who says none the second time has it still")

	require.NoError(t, d.Post(t.Context(), path+"/merge", map[string]any{"other": works.ID}, &rosa))
	require.Equal(t, []string{"Rosa M. Osei 3", "Åse Berg 1"}, list(""))
	require.Equal(t, []string{"Rosa M. Osei 3"}, list("works"), "found by the other's address")
	require.Len(t, rosa.Mails, 2)
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Post(t.Context(), path+"/merge", map[string]any{"other": works.ID}, nil)).Status)
	// Who had them last counts for all of their addresses.
	ask("2026-03-06T10:00:00Z", "R. Osei", "osei@works.example", "", mara)
	b := ask("2026-03-06T12:00:00Z", "Rosa Osei", "rosa@clients.example", "", 0)
	require.Equal(t, "Mara Quillon", b.With)

	require.NoError(t, d.Post(t.Context(), path+"/part", map[string]any{"other": works.ID}, &rosa))
	require.Equal(t, []string{"R. Osei 2", "Rosa Osei 3", "Åse Berg 1"}, list(""))

	// Two at the desk at once: the second is told.
	require.NoError(t, d.Change(t.Context(), path, desk.ClientFields{Name: "Dr Rosa Osei", Zone: "Europe/Lisbon", Clock: "12", Note: "Rings twice.\nHas a dog."}, &rosa))
	ask("2026-03-09T10:00:00Z", "rosa", "rosa@clients.example", "", 0)
	require.Equal(t, []string{"Dr Rosa Osei 4"}, list("twice"))
	require.Contains(t, nichetest.Problem(t, d.Post(t.Context(), path+"/mails", map[string]any{"mail": "osei@works.example"}, nil)).Errors[0].Message, "R. Osei")
	require.NoError(t, d.Post(t.Context(), path+"/mails", map[string]any{"mail": "rosa@home.example"}, &rosa))
	ask("2026-03-09T12:00:00Z", "Rosa", "rosa@home.example", "", 0)
	require.Equal(t, []string{"Dr Rosa Osei 5"}, list("home.example"))
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, d.Do(t.Context(), http.MethodDelete, path+"/mails/rosa@home.example", nil, nil)).Status)
}

// All that is held of a client is in one file, and nothing of it is left anywhere once they are erased, here or outside; their
// visits stay as visits.
func TestAClientIsErased(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p := openPost(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) {
		f.Venue, f.Phone = "theirs", "may"
		f.Questions = []question.Question{{Key: "piano", Kind: question.Text, Label: "Which piano?"}}
	}))
	told := []string{"Zenobia", "zenobia@clients.example", "+35315550177", "12 Elm Row", "Broadwood", "Has a parrot"}
	a := asked("01 555 0177", "12 Elm Row")
	a.Answers = map[string][]string{"piano": {"Broadwood"}}
	_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: "Zenobia Quay", Email: "zenobia@clients.example", Asked: a})
	require.NoError(t, err)
	id := finder{p.Desk}.idOf("zenobia")
	require.NoError(t, p.Do(t.Context(), http.MethodPut, fmt.Sprintf("/api/bookings/%d/note", id), desk.BookingNote{Note: "Has a parrot"}, nil))
	p.Until("it is told and written", func() bool { return p.Copies(wednesday) == "read back" && len(p.told()) == 1 })
	path := fmt.Sprintf("/api/clients/%d", finder{p.Desk}.shown(id).ClientID)
	var held clientele.Account
	require.NoError(t, p.Get(t.Context(), path+"/held", &held))
	all, err := json.Marshal(held)
	require.NoError(t, err)
	for _, word := range told {
		require.Contains(t, string(all), word)
	}
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, p.Post(t.Context(), path+"/erase", nil, nil)).Status, "a visit is ahead")
	p.hours(60)
	require.NoError(t, p.Post(t.Context(), path+"/erase", nil, nil))
	require.Empty(t, finder{p.Desk}.find("period=any&text=zenobia"))
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, p.Get(t.Context(), path, nil)).Status)
	for _, table := range p.List("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE '%words%' AND name NOT LIKE 'sqlite%'") {
		for _, column := range p.List(fmt.Sprintf("SELECT name FROM pragma_table_info('%s')", table)) {
			for _, word := range told {
				require.Zero(t, p.Count(fmt.Sprintf(`"%s" WHERE instr(lower(CAST("%s" AS TEXT)), lower('%s')) > 0`, table, column, word)), "%s in %s.%s", word, table, column)
			}
		}
	}
	require.Equal(t, 1, p.Count("bookings WHERE client_name = 'Erased client' AND status = 'confirmed'"), "that there was a visit stays")
	p.Until("and the copy outside says nobody", func() bool {
		body := nichetest.Look(t, host).Events("Work")[0].Body
		return !strings.Contains(body, "Zenobia") && !strings.Contains(body, "Elm Row") && strings.Contains(body, "Erased client")
	})
}
