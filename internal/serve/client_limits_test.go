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
	"niche/internal/demo"
	"niche/internal/nichetest"
)

// own is a client's booking, as they see it.
func own(t *testing.T, d *nichetest.Desk, b client.Booked) (now client.Booked) {
	require.NoError(t, demo.NewClient(d.Address).Get(t.Context(), strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1), &now))
	return now
}

// fetch gets an address as a browser does, without following where it leads.
func fetch(t *testing.T, address string) (status int, leads, body string) {
	c := http.Client{CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	r, err := c.Get(address)
	require.NoError(t, err)
	defer func() { require.NoError(t, r.Body.Close()) }()
	data, err := io.ReadAll(r.Body)
	require.NoError(t, err)
	return r.StatusCode, r.Header.Get("Location"), string(data)
}

// A client moves and cancels within a service's limits; beyond them they are told why, and
// whom to call. The desk is not bound by them.
func TestClientsMoveAndCancelWithinLimits(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Change(t.Context(), "/api/settings", desk.BusinessSettings{Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin", Clock: "24", Order: "dmy", Phone: "01 555 0142"}, Ahead: 5}, nil))
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.MoveUntil, f.CancelUntil, f.MoveTimes = 48*60, 24*60, 1 }))
	b := p.book(t, "2026-03-06T10:00:00Z")
	require.Equal(t, "It can be moved until Wed 4 Mar, 10:00, and cancelled until Thu 5 Mar, 10:00.", own(t, p.Desk, b).Limits)
	p.move(t, b, "2026-03-06T12:00:00Z")
	_, err := p.Move(b, "2026-03-06T14:00:00Z")
	require.Equal(t, "This visit was moved as often as it can be here: call Workshop at (01) 555 0142.", nichetest.Problem(t, err).Detail)
	require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", finder{p.Desk}.idOf("rosa")), desk.DeskMove{DeskStart: desk.DeskStart{Wall: "2026-03-06 14:00"}, Staff: p.Staff.ID}, nil))
	other := p.book(t, "2026-03-05T15:00:00Z")
	p.Pass(54 * time.Hour) // to Wednesday, 14:00
	_, err = p.Move(other, "2026-03-05T16:00:00Z")
	require.Equal(t, "It is too late to move this visit here: call Workshop at (01) 555 0142.", nichetest.Problem(t, err).Detail)
	p.Pass(2 * time.Hour)
	now := own(t, p.Desk, other)
	require.Equal(t, []any{false, false, "It is too late to move or cancel this visit here: call Workshop at (01) 555 0142."}, []any{now.CanMove, now.CanCancel, now.Limits})
	require.Equal(t, now.Limits, nichetest.Problem(t, p.Cancel(other)).Detail)
	require.Equal(t, "confirmed", own(t, p.Desk, other).Status)
}

// What has to be approved is held, answered in time or let go, and its client is told each time.
func TestRequestsAreAnsweredInTimeOrLetGo(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.ApproveWithin = 4 * 60 }))
	first, second := p.book(t, wednesday+"T10:00:00Z"), p.book(t, wednesday+"T12:00:00Z")
	require.Equal(t, []string{"pending", "pending"}, []string{first.Status, second.Status})
	require.Equal(t, "Mon 2 Mar, 12:00", own(t, p.Desk, first).AnswerBy)
	require.NotContains(t, p.Starts(wednesday), "10:00", "the time is held")
	p.Until("both are told", func() bool { return len(p.told()) == 2 })
	require.NoError(t, p.Post(t.Context(), "/api/bookings/1/decision", desk.Decision{Accept: true}, nil))
	p.Until("it is confirmed", func() bool { return len(p.told()) == 3 })
	require.Equal(t, "Your visit: Home tuning, Wednesday 4 March, 10:00 | REQUEST 0 20260304T100000", p.told()[2])
	p.Pass(4 * time.Hour)
	p.Until("the other is let go", func() bool { return own(t, p.Desk, second).Status == "cancelled" })
	require.Contains(t, p.Starts(wednesday), "12:00")
	p.Until("and told", func() bool { return len(p.told()) == 4 })
	require.Equal(t, "Not confirmed: Home tuning, Wednesday 4 March, 12:00", p.told()[3])
	require.Equal(t, "confirmed", own(t, p.Desk, first).Status)
	require.Equal(t, "Let go: nobody answered it in time", finder{p.Desk}.shown(2).Happened[0].Words, "and nobody is said to have cancelled it")
	// At the desk nobody asks for what they may grant.
	var made desk.AtDesk
	require.NoError(t, p.Post(t.Context(), "/api/bookings", desk.DeskBooking{DeskStart: desk.DeskStart{Start: nichetest.At(wednesday + "T14:00:00Z")}, Service: p.Service.ID, Name: "Lea", Email: "lea@clients.example"}, &made))
	require.Equal(t, "confirmed", made.Status)
	// A request for a visit that is sooner is answered before it begins.
	soon, err := p.Book("2026-03-02T14:00:00Z")
	require.NoError(t, err)
	require.Equal(t, "Mon 2 Mar, 14:00", own(t, p.Desk, soon).AnswerBy)
}

// An address that a page had leads to it for ever, with all that it carried, and is no other
// page's.
func TestAddressesOfPagesNeverDie(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	for _, slug := range []string{"tuning", "tuning-at-home", "tuning"} {
		require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Slug = slug }))
	}
	for _, old := range []string{"home-tuning", "tuning-at-home"} {
		status, leads, _ := fetch(t, d.Address+"/book/"+old+"?name=Rosa%20Osei&answer.piano=Grand")
		require.Equal(t, []any{http.StatusMovedPermanently, "/book/tuning?name=Rosa%20Osei&answer.piano=Grand"}, []any{status, leads})
		var page client.Page
		require.NoError(t, d.Get(t.Context(), "/api/pages/"+old, &page), "who has the page open goes on")
		require.Equal(t, "Home tuning", page.Service)
		other := d.Service.ServiceFields
		other.Name, other.Slug = "Another "+old, old
		require.Equal(t, "slug", nichetest.Problem(t, d.Post(t.Context(), "/api/services", other, nil)).Errors[0].Field)
	}
	status, _, _ := fetch(t, d.Address+"/book/tuning")
	require.Equal(t, http.StatusOK, status)
	var s desk.Service
	require.NoError(t, d.Get(t.Context(), fmt.Sprintf("/api/services/%d", d.Service.ID), &s))
	require.ElementsMatch(t, []string{"/book/home-tuning", "/book/tuning-at-home"}, s.Former)
}

// A client's own calendar follows their visit; all visits of a mail address are told only by
// an address that came by mail to it.
func TestAVisitInAClientsCalendar(t *testing.T) {
	p := openPost(t)
	b := p.book(t, wednesday+"T10:00:00Z")
	p.Until("it is told", func() bool { return len(p.told()) == 1 })
	path := p.Address + strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1)
	_, _, one := fetch(t, path+"/visit.ics")
	require.Equal(t, []string{"PUBLISH", "20260304T100000Z", "0", "CONFIRMED"}, []string{field(one, "METHOD"), field(one, "DTSTART"), field(one, "SEQUENCE"), field(one, "STATUS")})
	require.NotContains(t, one, "ATTENDEE")
	// Somebody else books with the same mail address, and learns nothing of Rosa's visits.
	status, _, _ := fetch(t, path+"/all.ics")
	require.Equal(t, http.StatusNotFound, status)
	mailed := p.Address + strings.Replace(strings.TrimPrefix(p.box.Mails()[0].Read().Links[0], home), "/booking/", "/api/my-bookings/", 1)
	p.book(t, wednesday+"T14:00:00Z")
	_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T16:00:00Z"), Email: "other@clients.example"})
	require.NoError(t, err)
	status, _, all := fetch(t, mailed+"/all.ics")
	require.Equal(t, http.StatusOK, status)
	require.Equal(t, 2, strings.Count(all, "BEGIN:VEVENT"))
	require.NotContains(t, all, "160000Z")
	p.move(t, b, wednesday+"T12:00:00Z")
	_, _, one = fetch(t, path+"/visit.ics")
	require.Equal(t, []string{"20260304T120000Z", "1"}, []string{field(one, "DTSTART"), field(one, "SEQUENCE")})
	require.NoError(t, p.Cancel(b))
	_, _, one = fetch(t, path+"/visit.ics")
	require.NotContains(t, one, "VEVENT", "it goes out of the calendar that follows it")
}

// Whose visit it would be answers a request on their own pages; nobody else's.
func TestStaffMembersAnswerRequests(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.ApproveWithin = 4 * 60 }))
	other := p.Own(p.AddStaff("Mara Quillon"))
	me := p.Own(p.Staff.ID)
	b := p.book(t, wednesday+"T10:00:00Z")
	var list struct {
		Items []struct {
			Asked int
			Title string
		}
	}
	require.NoError(t, me.Get(t.Context(), "/api/my/attention", &list))
	require.NotEmpty(t, list.Items)
	asked := 0
	for _, i := range list.Items {
		asked = max(asked, i.Asked)
	}
	path := fmt.Sprintf("/api/my/bookings/%d/decision", asked)
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, other.Post(t.Context(), path, desk.Decision{Accept: true}, nil)).Status)
	require.Equal(t, "pending", own(t, p.Desk, b).Status)
	require.NoError(t, me.Post(t.Context(), path, desk.Decision{Accept: true}, nil))
	require.Equal(t, "confirmed", own(t, p.Desk, b).Status)
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, me.Post(t.Context(), path, desk.Decision{}, nil)).Status, "it is answered")
}
