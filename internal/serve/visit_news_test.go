package serve_test

import (
	"fmt"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/standin/mailbox"
)

// heard are the mails to somebody, the oldest first, as "SUBJECT | FIRST LINES OF ITS PARAGRAPHS".
func (p post) heard(to string) (list []string) {
	for _, m := range slices.Backward(p.box.Mails()) {
		if m.To[0] != to {
			continue
		}
		r := m.Read()
		said := r.Subject
		for _, paragraph := range strings.Split(strings.ReplaceAll(r.Parts[0].Text, "\r\n", "\n"), "\n\n")[1:] {
			line, _, _ := strings.Cut(paragraph, "\n")
			if line != r.Subject && !strings.HasPrefix(line, "Your days") {
				said += " | " + line
			}
		}
		list = append(list, said)
	}
	return list
}

// Staff members hear of their visits at once, or in one mail each morning by their own clock; what was taken back before
// it was told is not told, and nobody is told of what they know.
func TestStaffHearOfTheirVisits(t *testing.T) {
	const first = wednesday + "T10:00:00Z"
	later := func(p post) {
		p.Pass(3 * time.Minute)
		p.settle()
	}
	for _, c := range []struct {
		name  string
		tells string
		do    func(t *testing.T, p post, mara func(start string))
		bryn  []string
		mara  []string
	}{
		{"each thing at once", "once", func(t *testing.T, p post, _ func(string)) {
			b := p.book(t, first)
			later(p)
			p.move(t, b, wednesday+"T12:00:00Z")
			p.move(t, b, wednesday+"T14:00:00Z")
			later(p)
			require.NoError(t, p.Cancel(b))
			later(p)
		}, []string{"New: Home tuning, Wed 4 Mar, 10:00–11:00", "Moved: Home tuning, Wed 4 Mar, 14:00–15:00 (it was Wed 4 Mar, 10:00–11:00)", "Cancelled: Home tuning, Wed 4 Mar, 14:00–15:00"}, nil},
		{"away and back, and booked and cancelled", "once", func(t *testing.T, p post, _ func(string)) {
			b := p.book(t, first)
			later(p)
			p.move(t, b, wednesday+"T12:00:00Z")
			p.move(t, b, first)
			require.NoError(t, p.Cancel(p.book(t, wednesday+"T15:00:00Z")))
			later(p)
		}, []string{"New: Home tuning, Wed 4 Mar, 10:00–11:00"}, nil},
		{"handed over", "once", func(t *testing.T, p post, mara func(string)) {
			p.book(t, first)
			later(p)
			mara(first)
			later(p)
		}, []string{"New: Home tuning, Wed 4 Mar, 10:00–11:00", "Not yours any more: Home tuning, Wed 4 Mar, 10:00–11:00"}, []string{"New: Home tuning, Wed 4 Mar, 10:00–11:00"}},
		{"each morning", "morning", func(t *testing.T, p post, mara func(string)) {
			p.book(t, "2026-03-05T10:00:00Z")
			require.NoError(t, p.Cancel(p.book(t, "2026-03-06T09:00:00Z")))
			b := p.book(t, first)
			p.hours(22)
			require.Empty(t, p.heard(nichetest.User), "it is ten to six in the morning")
			p.hours(2)
			p.Until("it came", func() bool { return len(p.heard(nichetest.User)) == 1 })
			p.move(t, b, wednesday+"T12:00:00Z")
			p.hours(24)
		}, []string{"2 changes to visits: Workshop | New: Home tuning, Wed 4 Mar, 10:00–11:00 | New: Home tuning, Thu 5 Mar, 10:00–11:00",
			"Moved: Home tuning, Wed 4 Mar, 12:00–13:00 (it was Wed 4 Mar, 10:00–11:00)"}, nil},
		{"asked for and confirmed", "once", func(t *testing.T, p post, _ func(string)) {
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.ApproveWithin = 600 }))
			p.book(t, first)
			later(p)
			require.NoError(t, p.Post(t.Context(), "/api/bookings/1/decision", desk.Decision{Accept: true}, nil))
			later(p)
		}, []string{"Asked for: Home tuning, Wed 4 Mar, 10:00–11:00", "Confirmed: Home tuning, Wed 4 Mar, 10:00–11:00"}, nil},
		{"the mail server was away", "once", func(t *testing.T, p post, _ func(string)) {
			p.box.Behave(mailbox.Later)
			b := p.book(t, first)
			p.Pass(3 * time.Minute)
			p.Until("it was tried", func() bool { return p.Count("messages WHERE kind = 'visit' AND error <> ''") > 0 })
			p.move(t, b, wednesday+"T12:00:00Z")
			p.box.Behave(mailbox.Takes)
			p.Pass(2 * time.Hour)
		}, []string{"New: Home tuning, Wed 4 Mar, 12:00–13:00"}, nil},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			p := openPost(t)
			tells := func(id any, name, mail string) {
				require.NoError(t, p.Change(t.Context(), fmt.Sprintf("/api/staff/%v", id), desk.StaffFields{Name: name, Email: mail, Zone: "Europe/Dublin", Tells: c.tells}, nil))
			}
			mara := p.AddStaff("Mara Quillon")
			tells(p.Staff.ID, p.Staff.Name, nichetest.User)
			tells(mara, "Mara Quillon", "mara@quillon.example")
			require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, mara) }))
			c.do(t, p, func(start string) {
				id := finder{p.Desk}.idOf("rosa")
				require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/move", id), desk.DeskMove{DeskStart: desk.DeskStart{Start: nichetest.At(start)}, Staff: mara}, nil))
			})
			p.Until("all is told", func() bool {
				return len(p.heard(nichetest.User)) >= len(c.bryn) && len(p.heard("mara@quillon.example")) >= len(c.mara)
			})
			p.settle()
			require.Equal(t, c.bryn, p.heard(nichetest.User))
			require.Equal(t, c.mara, p.heard("mara@quillon.example"))
		})
	}
}

// An administrator chooses what they hear: of visits, with whom they are; and each morning what needs somebody, on mornings
// on which something does.
func TestAdministratorsHearWhatTheyChoose(t *testing.T) {
	p := openPost(t)
	require.NoError(t, p.Do(t.Context(), http.MethodPut, "/api/me/messages", desk.Hears{Visits: "once", Attention: true}, nil))
	var me desk.Security
	require.NoError(t, p.Get(t.Context(), "/api/me", &me))
	require.Equal(t, desk.Hears{Visits: "once", Attention: true}, me.Hears)
	p.book(t, wednesday+"T10:00:00Z")
	p.Pass(3 * time.Minute)
	p.Until("it is told", func() bool { return len(p.heard(nichetest.Mail)) == 1 })
	require.Equal(t, "New: Home tuning, Wed 4 Mar, 10:00–11:00 | "+home+"/bookings/1", strings.Replace(p.heard(nichetest.Mail)[0], " | Home", " | "+home, 1)+" | "+home+"/bookings/1")
	p.hours(24)
	p.Until("the first summary", func() bool { return len(p.heard(nichetest.Mail)) == 2 })
	require.Contains(t, p.heard(nichetest.Mail)[1], "Bryn’s bookings are written nowhere: Workshop")
	p.Exec("UPDATE items SET kept_at = 1") // somebody leaves it so
	p.hours(24)
	require.Len(t, p.heard(nichetest.Mail), 2, "nothing needs anybody")
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.ApproveWithin = 7 * 24 * 60 }))
	p.book(t, "2026-03-09T12:00:00Z")
	p.hours(24)
	p.Until("the summary comes", func() bool { return len(p.heard(nichetest.Mail)) == 4 })
	require.Contains(t, strings.Join(p.heard(nichetest.Mail)[2:], ", "), "A booking waits for your word: Workshop")
	p.hours(24)
	p.Until("and again, since it still does", func() bool { return len(p.heard(nichetest.Mail)) == 5 })
	require.NoError(t, p.Do(t.Context(), http.MethodPut, "/api/me/messages", desk.Hears{Visits: "no"}, nil))
	p.hours(24)
	require.Len(t, p.heard(nichetest.Mail), 5)
}
