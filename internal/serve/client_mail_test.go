package serve_test

import (
	"fmt"
	"net/http"
	"regexp"
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
	"niche/internal/store"
)

// told are the mails to a client, the oldest first, as "SUBJECT | METHOD SEQUENCE | TIME".
func (p post) told() (list []string) {
	for _, m := range slices.Backward(p.box.Mails()) {
		if m.To[0] == nichetest.User {
			continue // whose calendar it is hears of other things
		}
		r := m.Read()
		said := r.Subject
		for _, part := range r.Parts {
			if part.Type == "text/calendar" {
				said += " | " + field(part.Text, "METHOD") + " " + field(part.Text, "SEQUENCE") + " " + field(part.Text, "DTSTART;TZID=Europe/Dublin")
			}
		}
		list = append(list, said)
	}
	return list
}

func field(text, name string) string {
	m := regexp.MustCompile(`(?m)^` + regexp.QuoteMeta(name) + `:(.*?)\r?$`).FindStringSubmatch(text)
	if m == nil {
		return ""
	}
	return m[1]
}

// A client is told of their booking what is so when the mail goes out, once, and nothing
// that was overtaken.
func TestAClientIsTold(t *testing.T) {
	const (
		booked = "Your visit: Home tuning, Wednesday 4 March, 10:00 | REQUEST 0 20260304T100000"
		first  = wednesday + "T10:00:00Z"
	)
	for _, c := range []struct {
		name string
		mood mailbox.Mood
		do   func(t *testing.T, p post)
		told []string
	}{
		{"booked", mailbox.Takes, func(t *testing.T, p post) { p.book(t, first) }, []string{booked}},
		{"moved twice within two minutes", mailbox.Takes, func(t *testing.T, p post) {
			b := p.book(t, first)
			p.until("sent")
			p.move(t, b, wednesday+"T12:00:00Z")
			p.move(t, b, wednesday+"T14:00:00Z")
			require.Equal(t, []string{booked}, p.told(), "the second may follow")
			p.Pass(2 * time.Minute)
		}, []string{booked, "Moved: Home tuning, now Wednesday 4 March, 14:00 | REQUEST 2 20260304T140000"}},
		{"moved away and back", mailbox.Takes, func(t *testing.T, p post) {
			b := p.book(t, first)
			p.until("sent")
			p.move(t, b, wednesday+"T12:00:00Z")
			p.move(t, b, first)
			p.Pass(2 * time.Minute)
			p.until("overtaken")
		}, []string{booked}},
		{"moved before the confirmation went out", mailbox.Later, func(t *testing.T, p post) {
			b := p.book(t, first)
			p.until("waiting The mail server")
			p.move(t, b, wednesday+"T12:00:00Z")
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{"Your visit: Home tuning, Wednesday 4 March, 12:00 | REQUEST 1 20260304T120000"}},
		{"moved, then cancelled within two minutes", mailbox.Takes, func(t *testing.T, p post) {
			b := p.book(t, first)
			p.until("sent")
			p.move(t, b, wednesday+"T12:00:00Z")
			require.NoError(t, p.Cancel(b))
			p.Pass(time.Hour)
		}, []string{booked, "Cancelled: Home tuning, Wednesday 4 March, 12:00 | CANCEL 2 20260304T120000"}},
		{"handed over", mailbox.Takes, func(t *testing.T, p post) {
			mara := p.AddStaff("Mara Quillon")
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, mara) }))
			p.book(t, first)
			p.until("sent")
			id := finder{p.Desk}.idOf("rosa")
			require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Start: nichetest.At(first)}, Staff: mara}, nil))
			p.Pass(2 * time.Minute)
		}, []string{booked, "Now with Mara Quillon: Home tuning, Wednesday 4 March, 10:00 | REQUEST 1 20260304T100000"}},
		{"reminded a day and two hours before, but not of what was booked later", mailbox.Takes, func(t *testing.T, p post) {
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Messages.Reminders = []int{120, 1440, 4320} }))
			p.book(t, first)
			p.Until("the confirmation has gone out", func() bool { return p.Count("messages WHERE state = 'sent'") == 1 })
			p.hours(60)
		}, []string{booked, "Soon: Home tuning, Wednesday 4 March, 10:00", "Soon: Home tuning, Wednesday 4 March, 10:00"}},
		{"a reminder follows a move, and goes with a cancellation", mailbox.Takes, func(t *testing.T, p post) {
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Messages.Reminders = []int{120} }))
			b := p.book(t, first)
			p.Until("the confirmation has gone out", func() bool { return p.Count("messages WHERE state = 'sent'") == 1 })
			p.move(t, b, "2026-03-05T10:00:00Z")
			p.hours(48)
			require.NoError(t, p.Cancel(b))
			p.hours(48)
		}, []string{booked, "Moved: Home tuning, now Thursday 5 March, 10:00 | REQUEST 1 20260305T100000", "Cancelled: Home tuning, Thursday 5 March, 10:00 | CANCEL 2 20260305T100000"}},
		{"a reminder of before is one of now, with other times of the service", mailbox.Takes, func(t *testing.T, p post) {
			p.book(t, first)
			p.until("sent")
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Messages.Reminders = []int{240} }))
			p.hours(50)
		}, []string{booked, "Soon: Home tuning, Wednesday 4 March, 10:00"}},
		{"an own text, and something said afterwards", mailbox.Takes, func(t *testing.T, p post) {
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) {
				f.Messages.FollowUp, f.Messages.NoInvite = 60, true
				f.Messages.Texts = []desk.MessageText{{Kind: "confirmed", Subject: "Yes, {first}: {when}", Body: "See {cancel}"}}
			}))
			p.book(t, first)
			p.Until("the confirmation has gone out", func() bool { return p.Count("messages WHERE state = 'sent'") == 1 })
			p.hours(52)
		}, []string{"Yes, Rosa: Wednesday 4 March 2026, 10:00–11:00, Dublin time", "After your visit: Home tuning"}},
		{"taken by the mail server, which breaks off before it says so", mailbox.BreaksOff, func(t *testing.T, p post) {
			p.book(t, first)
			p.Until("it was tried", func() bool { return len(p.told()) == 1 })
			p.Until("and it is known that nothing was said", func() bool { return p.Count("messages WHERE error <> ''") == 1 })
			p.box.Behave(mailbox.Takes)
			p.Pass(time.Hour)
		}, []string{booked, booked}}, // with one Message-ID, by which they are known to be one
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			p := openPost(t)
			p.box.Behave(c.mood)
			c.do(t, p)
			p.Until("it is told", func() bool { return len(p.told()) >= len(c.told) })
			p.settle()
			require.Equal(t, c.told, p.told())
			ids := map[string]bool{}
			for _, m := range p.box.Mails() {
				r := m.Read()
				ids[r.ID] = true
				require.Equal(t, []string{"rosa@clients.example"}, m.To)
				require.NotContains(t, r.Parts[0].Text, "{", "every field is filled")
				require.NotContains(t, string(m.Raw), "Bcc")
				for _, l := range r.Links {
					// Whoever looks into mail opens every address: that changes nothing. What it leads to is the client's own booking.
					var b client.Booked
					require.NoError(t, p.Get(t.Context(), strings.Replace(strings.TrimSuffix(strings.TrimPrefix(l, home), "?do=cancel"), "/booking/", "/api/my-bookings/", 1), &b))
					require.Equal(t, "Rosa Osei", b.Name)
				}
			}
			if c.mood == mailbox.BreaksOff {
				require.Len(t, ids, 1)
			}
		})
	}
}

func (p post) book(t *testing.T, at string) client.Booked {
	t.Helper()
	b, err := p.Book(at)
	require.NoError(t, err)
	return b
}

func (p post) move(t *testing.T, b client.Booked, to string) {
	t.Helper()
	_, err := p.Move(b, to)
	require.NoError(t, err)
}

// hours lets time pass, two hours at a time.
func (p post) hours(n int) {
	for range n / 2 {
		p.Pass(2 * time.Hour)
		p.settle()
	}
}

// settle waits until nothing is due.
func (p post) settle() {
	p.Until("nothing is due", func() bool { return p.Count(fmt.Sprintf("messages WHERE next_at <= %d", p.Clock.Now().Unix())) == 0 })
}

// Somebody moves a visit in their own calendar, and its booking follows: the client is told.
func TestAClientIsToldWhenABookingFollowsItsCopy(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p := openPost(t, nichetest.HostOf(host))
	link := p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	wishes := link.Wishes
	wishes.Drift = "follow"
	require.NoError(t, p.Do(t.Context(), http.MethodPut, fmt.Sprintf("/api/links/%d/wishes", link.ID), wishes, nil))
	p.book(t, wednesday+"T10:00:00Z")
	p.Until("the copy stands", func() bool { return p.Copies(wednesday) == "read back" && len(p.told()) == 1 })
	look := nichetest.Look(t, host)
	body := look.Events("Work")[0]
	look.Put("Work", body, strings.NewReplacer("T100000", "T140000", "T110000", "T150000").Replace(body.Body))
	p.Until("the booking follows", func() bool { return p.Wall(wednesday).Lanes[0].Visits[0].Label[:5] == "14:00" })
	p.Pass(2 * time.Minute)
	p.Until("and the client is told", func() bool { return len(p.told()) == 2 })
	require.Equal(t, "Moved: Home tuning, now Wednesday 4 March, 14:00 | REQUEST 1 20260304T140000", p.told()[1])
}

// Not this time: what is kept for later is held back for one booking alone, and let go out after all; what has gone out, what
// nobody keeps for later and what is another booking's is not.
func TestAReminderIsHeldBackThisTime(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Messages.Reminders, f.Messages.FollowUp = []int{120, 1440}, 60 }))
	p.book(t, wednesday+"T10:00:00Z")
	rosa := finder{p.Desk}.idOf("rosa")
	_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T12:00:00Z"), Name: "Ben", Email: "ben@clients.example"})
	require.NoError(t, err)
	ben := finder{p.Desk}.idOf("ben")
	later := func(booking store.ID) (list []desk.ShownMessage) { // the last first
		for _, m := range (finder{p.Desk}).shown(booking).Messages {
			if m.Later || m.State == "held back" {
				list = append(list, m)
			}
		}
		slices.SortFunc(list, func(a, b desk.ShownMessage) int { return int(b.ID - a.ID) })
		return list
	}
	hold := func(booking, message store.ID, back bool) int {
		if err := p.Do(t.Context(), http.MethodPut, fmt.Sprintf("/api/bookings/%d/messages/%d", booking, message), map[string]bool{"heldBack": back}, nil); err != nil {
			return nichetest.Problem(t, err).Status
		}
		return http.StatusOK
	}
	p.Until("both are told", func() bool { return p.Count("messages WHERE state = 'sent'") == 2 })
	own := later(rosa)
	require.Len(t, own, 3)
	require.Equal(t, http.StatusNotFound, hold(ben, own[0].ID, true), "another's")
	for _, m := range (finder{p.Desk}).shown(rosa).Messages {
		if m.State == "sent" {
			require.Equal(t, http.StatusNotFound, hold(rosa, m.ID, true), "the confirmation")
		}
	}
	for _, m := range own {
		require.Equal(t, http.StatusOK, hold(rosa, m.ID, true))
		require.Equal(t, http.StatusOK, hold(rosa, m.ID, true), "twice is once")
	}
	soon := func(to string) (n int) {
		for _, said := range p.heard(to) {
			if strings.HasPrefix(said, "Soon: ") {
				n++
			}
		}
		return n
	}
	p.hours(28) // Tuesday noon: a day before both
	require.Equal(t, []int{0, 1}, []int{soon("rosa@clients.example"), soon("ben@clients.example")}, "the other's goes out")
	for _, m := range later(rosa) {
		if strings.Contains(m.When, "4 Mar") && m.Name == "Reminder" {
			require.Equal(t, http.StatusOK, hold(rosa, m.ID, false), "after all")
		}
	}
	p.hours(26)
	require.Equal(t, []int{1, 2}, []int{soon("rosa@clients.example"), soon("ben@clients.example")})
	require.Equal(t, []int{2, 4}, []int{len(p.heard("rosa@clients.example")), len(p.heard("ben@clients.example"))}, "the follow-up is held back too")
	for _, m := range (finder{p.Desk}).shown(rosa).Messages {
		if m.Name == "Reminder" && m.State == "sent" {
			require.Equal(t, http.StatusConflict, hold(rosa, m.ID, true), "it has gone out")
		}
	}
	var trail api.List[desk.TrailEntry]
	require.NoError(t, p.Get(t.Context(), "/api/trail?kind=booking", &trail))
	require.Contains(t, fmt.Sprint(trail.Items), "held back the reminder of")
}
