package serve_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/standin/mailbox"
)

// openOutside is a desk from which mail goes out and which uses the small services outside.
func openServices(t *testing.T, hosts ...string) (post, *nichetest.Services) {
	var p post
	o := nichetest.OpenServices(t, func() *nichetest.Clock { return p.Clock })
	p = openPost(t, append(hosts, o.Host)...)
	o.Use(p.Desk)
	return p, o
}

// Page, mail, copy and desk say the same of where a visit takes place.
func TestWhereAVisitTakesPlace(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p, o := openServices(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	p.AddResource("Studio 2", "room")
	for i, c := range []struct {
		venue  string
		change func(*desk.ServiceFields)
		ask    client.NewBooking
		where  string
	}{
		{"ours", func(f *desk.ServiceFields) { f.Place = "1 Quay Street" }, client.NewBooking{}, "1 Quay Street"},
		{"ours", func(f *desk.ServiceFields) { f.Place, f.Needs, f.Room = "1 Quay Street", []string{"room"}, "room" }, client.NewBooking{}, "1 Quay Street, Studio 2"},
		{"theirs", func(f *desk.ServiceFields) { f.Place = "" }, client.NewBooking{Asked: asked("", "12 Elm Row\nDublin 4")}, "12 Elm Row, Dublin 4"},
		{"telephone", func(f *desk.ServiceFields) { f.Place = "" }, client.NewBooking{Asked: asked("01 555 0177", "")}, "By telephone, (01) 555 0177"},
		{"online", func(f *desk.ServiceFields) { f.Place = "" }, client.NewBooking{}, "http://" + o.Host + "/rooms/meet/"},
	} {
		d := p.On(p.AddService(fmt.Sprint("Visit ", i), func(f *desk.ServiceFields) {
			f.Venue = c.venue
			c.change(f)
		}))
		start := fmt.Sprintf("2026-03-0%dT10:00:00Z", 3+i%3) // three days, and no two visits at once
		c.ask.Start = nichetest.At(start)
		if i > 2 {
			c.ask.Start = c.ask.Start.Add(120)
		}
		c.ask.Name = fmt.Sprint("Client ", i)
		if c.ask.Phone+c.ask.Address != "" {
			bare := c.ask
			bare.Asked = asked("", "")
			_, err := d.Ask(bare)
			require.Len(t, nichetest.Problem(t, err).Errors, 1, "it is needed")
		}
		b, err := d.Ask(c.ask)
		require.NoError(t, err, c.venue)
		p.Until("the mail says where", func() bool {
			return slices.ContainsFunc(p.box.Mails(), func(m mailOf) bool {
				r := m.Read()
				return strings.HasPrefix(r.Subject, "Your visit: Visit "+fmt.Sprint(i)) && strings.Contains(r.Parts[0].Text, c.where)
			})
		})
		p.Until("the copy says where", func() bool {
			for _, e := range nichetest.Look(t, host).Events("Work") {
				text := strings.NewReplacer("\r\n ", "", `\,`, ",").Replace(e.Body)
				if strings.Contains(text, c.ask.Name) {
					return strings.Contains(text, "LOCATION:"+c.where)
				}
			}
			return false
		})
		require.Contains(t, own(t, d, b).Place, c.where)
		require.Contains(t, finder{p.Desk}.shown(finder{p.Desk}.idOf(c.ask.Name)).Place, c.where)
	}
}

// A room online is made once, whatever the host does; it follows its visit, is another for somebody
// else, and goes with it. Who was told of the visit before the room was there is told of it then.
func TestRoomsOnlineFollowTheirVisits(t *testing.T) {
	p, o := openServices(t)
	mara := p.AddStaff("Mara Quillon")
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Venue, f.Staff = "online", append(f.Staff, mara) }))
	o.Rooms.Behave(true)
	b := p.book(t, wednesday+"T10:00:00Z")
	p.Until("it was tried", func() bool { return p.Count("meetings WHERE error <> ''") == 1 })
	require.True(t, own(t, p.Desk, b).Soon)
	require.Empty(t, p.told(), "the confirmation waits for a moment")
	p.Pass(4 * time.Minute)
	p.Until("and goes without", func() bool { return len(p.told()) == 1 })
	p.Pass(10 * time.Minute)
	p.Until("somebody looks", func() bool {
		return slices.ContainsFunc(p.attention(), func(title string) bool { return title == "A visit online has no meeting room" })
	})
	o.Rooms.Behave(false)
	p.Pass(time.Hour)
	p.Until("the client hears where", func() bool { return len(p.told()) == 2 })
	require.Contains(t, p.told()[1], "Where we meet: Home tuning")
	list, made := o.Rooms.Rooms()
	require.Equal(t, 1, made)
	first := list[0].Address
	require.Equal(t, first, own(t, p.Desk, b).Link)
	p.move(t, b, wednesday+"T14:00:00Z")
	p.Until("the room follows", func() bool { list, _ := o.Rooms.Rooms(); return list[0].Start == wednesday+"T14:00:00Z" })
	require.Equal(t, first, own(t, p.Desk, b).Link)
	id := finder{p.Desk}.idOf("rosa")
	require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Start: nichetest.At(wednesday + "T14:00:00Z")}, Staff: mara}, nil))
	p.Until("another person has another room", func() bool {
		list, made := o.Rooms.Rooms()
		return made == 2 && len(list) == 1 && own(t, p.Desk, b).Link == list[0].Address && list[0].Address != first
	})
	require.NoError(t, p.Cancel(b))
	p.Until("it is taken down", func() bool { list, _ := o.Rooms.Rooms(); return len(list) == 0 && p.Count("meetings") == 0 })
}

// attention are the titles of what somebody has to look at.
func (p post) attention() (titles []string) {
	var list struct{ Items []struct{ Title string } }
	require.NoError(p.T, p.Get(p.T.Context(), "/api/attention", &list))
	for _, i := range list.Items {
		titles = append(titles, i.Title)
	}
	return titles
}

// A text goes to whoever has said a number, once, with its own way to the booking, and not at all where it
// was moved away.
func TestTextsRemindClients(t *testing.T) {
	p, o := openServices(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Phone, f.Messages.ByText = "may", []int{120} }))
	for i, phone := range []string{"01 555 0177", "", "01 555 0178", "01 555 0179"} {
		_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + fmt.Sprintf("T%d:00:00Z", 10+i)), Name: fmt.Sprint("Client ", i), Asked: asked(phone, "")})
		require.NoError(t, err)
	}
	o.Texts.Behave(http.StatusServiceUnavailable)
	p.hours(48)
	p.Until("it was tried", func() bool { return p.Count("messages WHERE channel = 'text' AND error <> ''") > 0 })
	o.Texts.Behave(0)
	p.Pass(time.Minute)
	p.Until("the first came", func() bool { return len(o.Texts.Texts()) == 1 })
	first := o.Texts.Texts()[0]
	require.Equal(t, "+35315550177", first.To)
	require.True(t, strings.HasPrefix(first.Text, "Workshop: Home tuning\nWednesday 4 March, 10:00, with Bryn Castellane\nTo move or cancel it: "+home+"/booking/"), first.Text)
	// One that the gateway refuses for good is not tried again, and the booking says so.
	o.Texts.Behave(http.StatusUnprocessableEntity)
	p.hours(2)
	p.Until("refused", func() bool { return p.Count("messages WHERE channel = 'text' AND state = 'refused'") == 1 })
	o.Texts.Behave(0)
	p.hours(4)
	require.Len(t, o.Texts.Texts(), 2)
	require.Equal(t, "+35315550179", o.Texts.Texts()[1].To)
}

type mailOf = mailbox.Mail

func asked(phone, address string) api.Asked { return api.Asked{Phone: phone, Address: address} }
