package attention_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/casefile"
	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/api/member"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

const wednesday = "2026-03-04"

// watched is a desk with a host that can do wrong, and a look at its list.
type watched struct {
	*nichetest.Desk
	trouble *nichetest.Trouble
	look    nichetest.Outside
}

func open(t *testing.T) (watched, func(title, from, to string) string) {
	trouble := &nichetest.Trouble{}
	cloud, host := nichetest.OpenCloud(t, trouble.Guard)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	add := func(title, from, to string) string {
		return nichetest.Add(t, cloud, "family", title, wednesday+" "+from, wednesday+" "+to)
	}
	return watched{d, trouble, nichetest.Look(t, host)}, add
}

// list returns what is in sight, or what is not, as "kind: title".
func (w watched) list(aside bool) (out []string, items []desk.AttentionItem) {
	var a desk.Attention
	require.NoError(w.T, w.Get(w.T.Context(), fmt.Sprintf("/api/attention?aside=%t", aside), &a))
	for _, i := range a.Items {
		out = append(out, i.Kind+": "+i.Title)
	}
	return out, a.Items
}

// until waits until one thing is in sight that says some words, and returns it; for an empty
// title, until nothing is.
func (w watched) until(title string, says ...string) (item desk.AttentionItem) {
	w.T.Helper()
	w.Until("there is "+title, func() bool {
		w.Poke("Family")
		list, items := w.list(false)
		if title == "" {
			return len(list) == 0
		}
		if len(list) == 1 && strings.HasPrefix(list[0], title) && strings.Contains(items[0].Words, strings.Join(says, "")) {
			item = items[0]
			return true
		}
		return false
	})
	return item
}

// Each kind comes with its cause, says what it is, and closes by itself with it.
func TestEachKindComesAndGoes(t *testing.T) {
	for _, c := range []struct {
		title, says string
		soon        bool
		cause, cure func(t *testing.T, w watched)
	}{
		{"hours: Cleo performs services and has no hours", "Nothing of this person’s time is offered.", false, func(t *testing.T, w watched) {
			cleo := w.AddStaff("Cleo Marsh")
			require.NoError(t, w.Change(t.Context(), fmt.Sprintf("/api/staff/%d/hours", cleo), api.Hours{Patterns: []casefile.Pattern{}}, nil))
			require.NoError(t, w.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, cleo) }))
			_, items := w.list(false)
			require.Len(t, items, 2)
			for _, i := range items {
				if i.Kind == "target" {
					require.Contains(t, i.Words, "No calendar is linked.")
					require.NoError(t, w.Post(t.Context(), "/api/attention/leave", desk.SomeItems{IDs: []store.ID{i.ID}}, nil))
				}
			}
		}, func(t *testing.T, w watched) { w.Hours(w.Staff.ID + 1) }},
		{"unfit: A visit of Bryn’s does not fit the rules any more", "It is kept as it is.", false, func(t *testing.T, w watched) {
			_, err := w.Book("2026-03-06T15:00:00Z")
			require.NoError(t, err)
			away := api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{{From: "2026-03-06", Until: "2026-03-06", Note: "away"}}}
			require.Equal(t, 1, nichetest.Problem(t, w.Change(t.Context(), fmt.Sprintf("/api/staff/%d/days", w.Staff.ID), away, nil)).MisfitCount)
			require.NoError(t, w.Change(t.Context(), fmt.Sprintf("/api/staff/%d/days?accept=1", w.Staff.ID), away, nil))
		}, func(t *testing.T, w watched) {
			require.NoError(t, w.Change(t.Context(), fmt.Sprintf("/api/staff/%d/days", w.Staff.ID), api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{}}, nil))
		}},
		{"drift: Bryn’s copy of a visit was changed outside", "it lies at 14:00–15:00 on Fri 6 Mar. Both times are held.", false, func(t *testing.T, w watched) {
			_, err := w.Book("2026-03-06T10:00:00Z")
			require.NoError(t, err)
			w.Until("it is outside", func() bool { return w.Copies("2026-03-06") == "read back" })
			e := w.look.Events("Work")[0]
			w.look.Put("Work", e, strings.NewReplacer("T100000", "T140000", "T110000", "T150000").Replace(e.Body))
			w.Poke("Work")
		}, func(t *testing.T, w watched) {
			_, items := w.list(false)
			require.NoError(t, w.Post(t.Context(), fmt.Sprintf("/api/copies/%d/settle", items[0].Drift.Copy), api.Settlement{Holds: "calendar"}, nil))
		}},
		{"unwritten: A visit is not in Bryn’s calendar as it should be", "It is tried again by itself; the booking stands.", false, func(t *testing.T, w watched) {
			w.trouble.Always(http.MethodPut, nichetest.Fault{Unasked: true, Status: http.StatusInsufficientStorage})
			_, err := w.Book(wednesday + "T10:00:00Z")
			require.NoError(t, err)
			w.Until("it fails", func() bool { return w.Copies(wednesday) == "failed" })
			w.Pass(11 * time.Minute)
		}, func(t *testing.T, w watched) {
			w.trouble.Set(nil)
			w.Pass(20 * time.Minute)
		}},
		{"link: 127.0.0.1:", "Family and Work cannot be read: The host does not accept this user name and app password. What was read Mon 2 Mar, 08:00 still blocks time.", true, func(t *testing.T, w watched) {
			w.trouble.Always("", nichetest.Fault{Unasked: true, Status: http.StatusUnauthorized})
			w.Pass(2 * time.Hour)
			w.Poke("Work")
		}, func(t *testing.T, w watched) {
			w.trouble.Set(nil)
			w.Pass(2 * time.Hour)
			w.Poke("Work")
		}},
		{"pending: A booking waits for your word", "its time is held", false, func(t *testing.T, w watched) {
			require.NoError(t, w.Save(0, func(f *desk.ServiceFields) { f.Unreachable = "ask" }))
			w.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
				if strings.Contains(r.URL.Path, "family") {
					return nichetest.Fault{Status: 503, Unasked: true}
				}
				return nichetest.Fault{}
			})
			b, err := w.Book("2026-03-06T10:00:00Z")
			require.NoError(t, err)
			require.Equal(t, "pending", b.Status)
			w.trouble.Set(nil)
			w.Pass(11 * time.Minute)
		}, func(t *testing.T, w watched) {
			_, items := w.list(false)
			require.NoError(t, w.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/decision", items[0].Booking), desk.Decision{Accept: true}, nil))
		}},
		{"unread: One event in Bryn’s calendar “Family” could not be read", "What time is taken there is not known", false, func(t *testing.T, w watched) {
			w.look.New("Family", "odd.ics", "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:odd\r\nDTSTART;TZID=Nowhere:20260304T100000\r\nSUMMARY:x\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")
		}, func(t *testing.T, w watched) { w.look.Remove("Family", w.look.Events("Family")[0]) }},
		{"mail: A mail to x@y.example could not be delivered", "“Hello”. No such mailbox.", false, func(t *testing.T, w watched) {
			w.Exec("INSERT INTO messages (kind, staff_id, about, message_id, recipient, subject, state, error, made_at, until, settled_at, next_at) VALUES ('link', 1, 'a', 'm', 'x@y.example', 'Hello', 'refused', 'No such mailbox.', ?, ?, ?, 9000000000000000000)",
				w.Clock.Now().Unix(), w.Clock.Now().Unix(), w.Clock.Now().Unix())
		}, func(t *testing.T, w watched) { w.Pass(8 * 24 * time.Hour); w.SignIn(w.Niche.Address) }},
	} {
		t.Run(c.title, func(t *testing.T) {
			w, _ := open(t)
			w.until("")
			c.cause(t, w)
			item := w.until(c.title, c.says)
			require.Equal(t, c.soon, item.Soon)
			require.True(t, strings.HasPrefix(item.Since, "since "))
			first := item.ID
			w.Restart(nichetest.Nothing, func(*serve.Settings) {})
			require.Equal(t, first, w.until(c.title).ID, "it is remembered")
			c.cure(t, w)
			w.until("")
			var settled api.List[desk.SettledItem]
			require.NoError(t, w.Get(t.Context(), "/api/attention/settled", &settled))
			require.Equal(t, item.Title, settled.Items[0].Title)
		})
	}
}

// What somebody leaves as it is stays out of sight as long as its cause is there, and comes
// back with the next one; what is put off comes back in time. What has to be settled cannot
// be left.
func TestItemsAreLeftAndPutOff(t *testing.T) {
	w, add := open(t)
	ctx := t.Context()
	_, err := w.Book(wednesday + "T14:00:00Z")
	require.NoError(t, err)
	w.Until("it is outside", func() bool { return w.Copies(wednesday) == "read back" })
	name := add("Dentist", "14:30", "15:30")
	const title = "clash: A personal event of Bryn’s lies on a visit"
	item := w.until(title)
	require.Equal(t, "14:30–15:30 on Rosa Osei’s Home tuning, Wed 4 Mar, 14:00–15:00. They share 30 min. It is in “Family”; what it is stays with Bryn. Both are still held.", item.Words)
	require.Equal(t, []any{false, "visit in 2 days", wednesday, 1}, []any{item.Soon, item.Hurts, item.Date, len(item.Bookings)})
	some := desk.SomeItems{IDs: []store.ID{item.ID}}
	do := func(what string) error { return w.Post(ctx, "/api/attention/"+what, some, nil) }
	var own api.List[member.OwnItem]
	require.NoError(t, w.Own(w.Staff.ID).Get(ctx, "/api/my/attention", &own))
	require.Len(t, own.Items, 1)
	require.Equal(t, []string{"A personal event of yours lies on a visit", "/my?date=" + wednesday}, []string{own.Items[0].Title, own.Items[0].Where})
	require.Contains(t, own.Items[0].Words, "what it is stays with you")
	require.NoError(t, w.Post(ctx, "/api/attention/put-off", desk.PuttingOff{SomeItems: some, Until: "tomorrow"}, nil))
	w.until("")
	aside, _ := w.list(true)
	require.Equal(t, []string{title}, aside)
	w.Pass(23*time.Hour + 30*time.Minute)
	w.SignIn(w.Niche.Address)
	w.until("")
	w.Pass(time.Hour)
	require.Equal(t, item.ID, w.until(title).ID, "it comes back")
	require.NoError(t, do("leave"))
	w.until("")
	w.Restart(nichetest.Nothing, func(*serve.Settings) {})
	w.until("")
	require.NoError(t, do("back"))
	w.until(title)
	require.NoError(t, do("leave"))

	for _, e := range w.look.Events("Family") {
		if strings.Contains(e.Address, name) {
			w.look.Remove("Family", e)
		}
	}
	w.Until("its cause has gone", func() bool { w.Poke("Family"); aside, _ := w.list(true); return len(aside) == 0 })
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, do("back")).Status)
	require.Equal(t, []string{"Ada left “A personal event of Bryn’s lies on a visit”"}, w.deeds("left")[:1])
	add("Dentist", "14:00", "15:30")
	require.NotEqual(t, item.ID, w.until(title).ID, "another one is another")
	var ways api.List[desk.Way]
	require.NoError(t, w.Get(ctx, fmt.Sprintf("/api/bookings/%d/ways", w.bookings()[0]), &ways))
	require.Equal(t, []string{"Move it to Wed 4 Mar, 13:00", "Move it to Wed 4 Mar, 12:00"}, []string{ways.Items[0].Words, ways.Items[1].Words})
	require.NoError(t, w.Post(ctx, fmt.Sprintf("/api/bookings/%d/move", w.bookings()[0]), api.Move{Start: ways.Items[0].Start, Staff: ways.Items[0].Staff.ID}, nil))
	w.until("")
	w.Until("it has moved outside", func() bool { return w.Copies(wednesday) == "read back" })
	w.trouble.Always(http.MethodPut, nichetest.Fault{Unasked: true, Status: http.StatusInsufficientStorage})
	_, err = w.Book(wednesday + "T10:00:00Z")
	require.NoError(t, err)
	w.Until("it fails", func() bool { return strings.Contains(w.Copies(wednesday), "failed") })
	w.Pass(11 * time.Minute)
	some.IDs = []store.ID{w.until("unwritten: ").ID}
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, do("leave")).Status)
}

func (w watched) bookings() (ids []store.ID) {
	_, items := w.list(false)
	return items[0].Bookings
}

// A host that does not answer is one item, whosever calendars lie there.
func TestAHostThatIsDownIsOneItem(t *testing.T) {
	w, _ := open(t)
	cleo := w.AddStaff("Cleo Marsh")
	w.LinkFor(cleo, "http://"+w.Links()[0].At, nichetest.User, nichetest.Key, "Family", "Work")
	w.Until("all is read", func() bool { return w.Count("calendars WHERE state = 'fresh'") >= 4 })
	w.trouble.Always("", nichetest.Fault{Unheard: true})
	w.Pass(20 * time.Minute)
	item := w.until("link: 127.0.0.1:", "calendars of Bryn and Cleo cannot be read")
	require.True(t, strings.HasSuffix(item.Title, " does not answer"))
	require.Nil(t, item.Staff)
	require.True(t, item.Soon)
}

// deeds says what was done to items, the last first.
func (w watched) deeds(deed string) (said []string) {
	var list api.List[desk.TrailEntry]
	require.NoError(w.T, w.Get(w.T.Context(), "/api/trail?kind=item&deed="+deed, &list))
	for _, e := range list.Items {
		said = append(said, e.Words)
	}
	return said
}
