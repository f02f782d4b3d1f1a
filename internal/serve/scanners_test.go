package serve_test

import (
	"fmt"
	"io"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
)

// dump is all that the database holds, table by table, but for what tells how hosts fare, who are asked all the time.
func dump(d *nichetest.Desk) map[string][]string {
	all := map[string][]string{}
	for _, table := range d.List("SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE '%\\_words%' ESCAPE '\\' AND name NOT IN ('calendars', 'calendar_hours', 'host_hours', 'links', 'sessions') ORDER BY name") {
		columns := strings.Join(d.List(fmt.Sprintf("SELECT 'quote(\"' || name || '\")' FROM pragma_table_info('%s')", table)), " || ' ' || ")
		all[table] = d.List(fmt.Sprintf("SELECT %s FROM \"%s\" ORDER BY 1", columns, table))
	}
	return all
}

// What guards mailboxes opens every address in a mail, by all methods that only look, before anybody reads it, and once more later;
// and does with what it finds there what a browser would not. Nothing changes by that: no booking, no message, no count of clients' answers.
func TestWhatOpensEveryLinkChangesNothing(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p, o := openServices(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) {
		f.Venue, f.Messages.Reminders, f.Messages.FollowUp = "online", []int{1440}, 60
		f.Messages.Texts = []desk.MessageText{{Kind: "confirmed", Subject: "Your visit", Body: "{manage} {move} {cancel} {calendar} {where}"}}
	}))
	paid := p.On(p.AddService("Paid", func(f *desk.ServiceFields) { f.Prepaid = 5000 }))
	asks := p.On(p.AddService("Asked", func(f *desk.ServiceFields) { f.ApproveWithin = 600 }))
	for d, start := range map[*nichetest.Desk]string{p.Desk: "2026-03-04T10:00:00Z", paid: "2026-03-04T12:00:00Z", asks: "2026-03-04T14:00:00Z"} {
		_, err := d.Ask(client.NewBooking{Start: nichetest.At(start), Name: "Rosa", Email: "rosa@clients.example"})
		require.NoError(t, err)
	}
	quiet := func(mails int) {
		p.Until("all stands", func() bool {
			made, _ := o.Rooms.Rooms()
			return len(made) > 0 && len(p.heard("rosa@clients.example")) == mails && p.Count(fmt.Sprintf("messages WHERE next_at <= %d", p.Clock.Now().Unix())) == 0 && p.Count("copies WHERE state <> 'read back'") == 0 && p.Count("meetings WHERE NOT made") == 0
		})
	}
	quiet(2) // one is confirmed, one has come in, and one waits for its payment
	opened := map[string]int{}
	scan := func() {
		for _, m := range p.box.Mails() {
			for _, l := range m.Read().Links {
				if !strings.HasPrefix(l, home) {
					continue
				}
				path := strings.TrimPrefix(l, home)
				token := strings.Split(strings.NewReplacer("/booking/", "", "/api/my-bookings/", "", "?", "/").Replace(path), "/")[0]
				for _, also := range []string{path, path + "?do=cancel", "/booking/" + token, "/api/my-bookings/" + token, "/api/my-bookings/" + token + "/cancel", "/api/my-bookings/" + token + "/move", "/api/my-bookings/" + token + "/visit.ics", "/api/my-bookings/" + token + "/all.ics"} {
					for _, method := range []string{http.MethodHead, http.MethodGet, http.MethodOptions} {
						req, err := http.NewRequestWithContext(t.Context(), method, p.Address+also, nil)
						require.NoError(t, err)
						res, err := http.DefaultClient.Do(req)
						require.NoError(t, err)
						_, err = io.Copy(io.Discard, res.Body)
						require.NoError(t, err)
						require.NoError(t, res.Body.Close())
						require.Less(t, res.StatusCode, 500, also)
						opened[method] += 1
					}
				}
			}
		}
	}
	before := dump(p.Desk)
	require.NotEmpty(t, before["bookings"])
	scan()
	quiet(2)
	require.Equal(t, before, dump(p.Desk))
	require.Greater(t, opened[http.MethodGet], 30)

	p.Pass(30 * time.Hour) // what was not paid has lapsed, what was not answered is declined, and one is reminded
	p.SignIn(p.Address)
	quiet(4)
	before = dump(p.Desk)
	scan()
	quiet(4)
	require.Equal(t, before, dump(p.Desk))
}
