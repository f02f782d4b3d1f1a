package outbox_test

import (
	"bytes"
	"fmt"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/outbox"
	"niche/internal/store"
	"niche/internal/wall"
)

const wednesday = "2026-03-04"

// outside is a desk that is linked to a host that can do wrong, and a look at that
// host past what is done wrong.
type outside struct {
	*nichetest.Desk
	t       *testing.T
	trouble *nichetest.Trouble
	look    nichetest.Outside
	address string
}

func open(t *testing.T, change func(*desk.ServiceFields)) outside {
	trouble := &nichetest.Trouble{}
	cloud, host := nichetest.OpenCloud(t, trouble.Guard)
	honest := httptest.NewServer(cloud.Handler())
	t.Cleanup(honest.Close)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) {
		f.Unreachable = "take"
		if change != nil {
			change(f)
		}
	}, nichetest.HostOf(host))
	d.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	return outside{d, t, trouble, nichetest.Look(t, honest), host.URL}
}

func (o outside) book(start string) client.Booked {
	b, err := o.Book(wednesday + start)
	require.NoError(o.t, err)
	return b
}

func (o outside) move(b client.Booked, to string) client.Booked {
	b, err := o.Move(b, wednesday+to)
	require.NoError(o.t, err)
	return b
}

// stands waits until everything is as it is wanted, and nothing is due. Meanwhile time
// passes: a try that failed after it was moved for the last time is made again, however
// long it waits.
func (o outside) stands() {
	o.Until("every copy is done with", func() bool {
		next := o.List("SELECT MIN(next_at) FROM copies WHERE state NOT IN ('read back', 'removed', 'left', 'adrift') HAVING COUNT(*) > 0")
		if len(next) == 0 {
			return true
		}
		due, err := strconv.ParseInt(next[0], 10, 64)
		require.NoError(o.t, err)
		o.Pass(max(10*time.Second, time.Unix(due, 0).Sub(o.Clock.Now())))
		return false
	})
}

// titles returns what lies in a calendar, as "14:00 Home tuning · Rosa Osei".
func (o outside) titles(calendar string) (list []string) {
	for _, e := range o.look.Events(calendar) {
		said := strings.ReplaceAll(strings.ReplaceAll(e.Body, "\r\n ", ""), "\r\n", "\n")
		_, title, _ := strings.Cut(said, "\nSUMMARY:")
		title, _, _ = strings.Cut(title, "\n")
		list = append(list, e.When(o.t).Start().Time().Format("15:04 ")+title)
	}
	slices.Sort(list)
	return list
}

// Whatever happens to a booking and to its calendar, in the end what is outside is
// what is inside, and nothing of ours is left behind.
func TestWhatIsOutsideIsWhatIsWanted(t *testing.T) {
	later := func(o outside, hours int) { // a write of which the host said nothing may still come
		for range hours * 4 {
			o.Pass(15 * time.Minute)
		}
	}
	for _, c := range []struct {
		name  string
		rules func(*desk.ServiceFields)
		story func(o outside)
		work  []string
	}{
		{"moved", nil, func(o outside) {
			b := o.book("T10:00:00Z")
			o.stands()
			o.move(b, "T14:00:00Z")
		}, []string{"14:00 Home tuning · Rosa Osei"}},
		{"moved and cancelled before anything could be written", nil, func(o outside) {
			o.trouble.Always(http.MethodPut, nichetest.Fault{Status: 503, Unasked: true})
			b := o.move(o.book("T10:00:00Z"), "T14:00:00Z")
			o.move(o.book("T09:00:00Z"), "T11:00:00Z")
			require.NoError(o.t, o.Cancel(b))
			o.trouble.Set(nil)
			o.Pass(time.Hour)
		}, []string{"11:00 Home tuning · Rosa Osei"}},
		{"cancelled while it is being written", nil, func(o outside) {
			hold := make(chan struct{})
			o.trouble.Always(http.MethodPut, nichetest.Fault{Wait: hold})
			b := o.book("T10:00:00Z")
			o.Until("it is sent", func() bool { return slices.Contains(o.trouble.Asked(), http.MethodPut) })
			require.NoError(o.t, o.Cancel(b))
			close(hold)
			o.trouble.Set(nil)
		}, nil},
		{"shared, and one moves to where another is", func(f *desk.ServiceFields) { f.Places = 4 }, func(o outside) {
			first := o.book("T10:00:00Z")
			o.stands()
			second := o.book("T14:00:00Z")
			o.book("T10:00:00Z")
			o.stands()
			o.move(second, "T10:00:00Z")
			o.stands()
			require.NoError(o.t, o.Cancel(first))
		}, []string{"10:00 Home tuning"}},
		{"the calendar gets no more, and the copy is kept right", nil, func(o outside) {
			b := o.book("T10:00:00Z")
			o.stands()
			o.gets("Work", false, "keep")
			o.move(b, "T14:00:00Z")
			o.book("T09:00:00Z") // which goes nowhere
		}, []string{"14:00 Home tuning · Rosa Osei"}},
		{"the same, and another client joins", func(f *desk.ServiceFields) { f.Places = 4 }, func(o outside) {
			first := o.book("T10:00:00Z")
			o.stands()
			o.gets("Work", false, "keep")
			o.book("T10:00:00Z")
			o.stands()
			require.NoError(o.t, o.Cancel(first))
		}, []string{"10:00 Home tuning · Rosa Osei"}},
		{"the calendar gets no more, and then again", nil, func(o outside) {
			b := o.book("T10:00:00Z")
			o.stands()
			o.gets("Work", false, "remove")
			o.stands()
			require.Empty(o.t, o.titles("Work"))
			o.move(b, "T14:00:00Z")
			o.gets("Work", true, "")
		}, []string{"14:00 Home tuning · Rosa Osei"}},
		{"another calendar gets them instead", nil, func(o outside) {
			o.book("T10:00:00Z")
			o.stands()
			o.gets("Family", true, "")
			o.gets("Work", false, "remove")
		}, nil},
		{"a write that is done late, after the copy has gone", nil, func(o outside) {
			var sent bytes.Buffer
			var at string
			o.trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
				if r.Method != http.MethodPut {
					return nichetest.Fault{}
				}
				sent.Reset()
				sent.Write(body)
				at = r.URL.Path
				return nichetest.Fault{Status: http.StatusGatewayTimeout, Unasked: true}
			})
			b := o.book("T10:00:00Z")
			o.Until("it is in doubt", func() bool { return o.Copies(wednesday) == "failed" })
			require.NoError(o.t, o.Cancel(b))
			o.trouble.Set(nil)
			o.Pass(time.Minute)
			_, err := o.look.Calendar("Work").Put(o.t.Context(), at, "", sent.Bytes())
			require.NoError(o.t, err)
			later(o, 2)
		}, nil},
		{"a write that is done late, after a second one and the removal", nil, func(o outside) {
			var sent []byte
			var at string
			var first sync.Once
			token := regexp.MustCompile(`urn:calendar-host:change:\d+`)
			changes := regexp.MustCompile(`(?s)<(\w+:)?response\b.*</(\w+:)?response>`)
			o.trouble.Set(func(r *http.Request, body []byte) (f nichetest.Fault) {
				switch {
				case r.Method == http.MethodPut:
					first.Do(func() {
						sent, at, f = body, r.URL.Path, nichetest.Fault{Status: http.StatusGatewayTimeout, Unasked: true}
					})
				case bytes.Contains(body, []byte("sync-collection")):
					// What is again as it was when it was last read is no change to some hosts.
					known := token.FindString(string(body))
					f.Answer = func(body string) string {
						return token.ReplaceAllString(changes.ReplaceAllString(body, ""), known)
					}
				}
				return f
			})
			b := o.book("T10:00:00Z")
			o.Until("it is in doubt", func() bool { return o.Copies(wednesday) == "failed" })
			o.Pass(time.Minute)
			o.stands()
			require.NoError(o.t, o.Cancel(b))
			o.Until("it is gone", func() bool { return len(o.look.Events("Work")) == 0 })
			_, err := o.look.Calendar("Work").Put(o.t.Context(), at, "", sent)
			require.NoError(o.t, err)
			later(o, 2)
		}, nil},
		{"a removal that is done late, after the copy is wanted again", nil, func(o outside) {
			o.book("T10:00:00Z")
			o.stands()
			o.trouble.Always(http.MethodDelete, nichetest.Fault{Status: http.StatusGatewayTimeout, Unasked: true})
			o.gets("Work", false, "remove")
			o.Until("it is not known to be removed", func() bool { return o.Count("copies WHERE state = 'failed'") == 1 })
			o.gets("Work", true, "")
			o.trouble.Set(nil)
			o.Pass(time.Minute)
			o.Until("it stands again", func() bool { return o.Copies(wednesday) == "read back" })
			o.look.Remove("Work", o.look.Events("Work")[0])
			later(o, 2)
			o.Until("and once more", func() bool { return len(o.look.Events("Work")) == 1 })
		}, []string{"10:00 Home tuning · Rosa Osei"}},
		{"handed over between two who are linked to one calendar", nil, func(o outside) {
			cleo := o.AddStaff("Cleo")
			require.NoError(o.t, o.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, cleo) }))
			o.LinkFor(cleo, o.address, nichetest.User, nichetest.Key, "Family", "Work")
			b, err := o.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Staff: o.Staff.ID, Name: "Rosa Osei"})
			require.NoError(o.t, err)
			o.stands()
			var first sync.Once
			o.trouble.Set(func(r *http.Request, _ []byte) (f nichetest.Fault) {
				if r.Method == http.MethodDelete {
					first.Do(func() { f = nichetest.Fault{Status: 503} })
				}
				return f
			})
			require.NoError(o.t, o.handOver(b, cleo))
			o.Pass(time.Hour)
		}, []string{"10:00 Home tuning · Rosa Osei"}},
		{"versions are spoilt on the way", nil, func(o outside) {
			spoilt := func(etag string) string { return "W/" + strings.TrimSuffix(etag, `"`) + `-gzip"` }
			o.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
				if r.Method == "PROPFIND" || r.Method == "REPORT" {
					return nichetest.Fault{}
				}
				return nichetest.Fault{Change: func(h http.Header) {
					if etag := h.Get("ETag"); etag != "" {
						h.Set("ETag", spoilt(etag))
					}
				}}
			})
			b := o.book("T10:00:00Z")
			o.stands()
			o.move(b, "T14:00:00Z")
			o.stands()
			require.NoError(o.t, o.Cancel(o.book("T09:00:00Z")))
		}, []string{"14:00 Home tuning · Rosa Osei"}},
	} {
		t.Run(c.name, func(t *testing.T) {
			t.Parallel()
			o := open(t, c.rules)
			c.story(o)
			o.stands()
			require.Equal(t, c.work, o.titles("Work"))
			if strings.Contains(c.name, "instead") {
				require.Equal(t, []string{"10:00 Home tuning · Rosa Osei"}, o.titles("Family"))
			}
			require.Empty(t, nichetest.WrongClaims(o.Desk))
		})
	}
}

// gets changes whether a calendar gets bookings, and what becomes of the copies there.
func (o outside) gets(calendar string, on bool, copies string) {
	c := o.Calendar(calendar)
	choice := c.Choice
	choice.GetsBookings = on
	path := fmt.Sprintf("/api/calendars/%d", c.ID)
	if !on {
		p := nichetest.Problem(o.t, o.Change(o.t.Context(), path, choice, nil))
		require.Positive(o.t, p.Copies, "it is asked what becomes of them")
	}
	require.NoError(o.t, o.Change(o.t.Context(), path+"?copies="+copies, choice, nil))
}

// handOver moves a booking to somebody else, at the same time.
func (o outside) handOver(b client.Booked, to store.ID) error {
	return o.Post(o.t.Context(), fmt.Sprintf("/api/bookings/%d/move", o.Wall(wednesday).Lanes[0].Visits[0].Clients[0].ID),
		api.Move{Start: nichetest.At(wednesday + "T10:00:00Z"), Staff: to}, nil)
}

// What its owner does to a copy outside is noticed at the next reading and said; it
// is neither undone nor taken for right, and the booking can still be moved and
// cancelled.
func TestAStrayedCopyIsNoticedAndSaid(t *testing.T) {
	o := open(t, nil)
	b := o.book("T10:00:00Z")
	o.stands()
	was := o.look.Events("Work")[0]
	says := func(state, note string) {
		o.Until(state+" "+note, func() bool {
			v := o.Wall(wednesday).Lanes[0].Visits[0]
			return v.Copy == state && strings.Contains(v.CopyNote, note)
		})
	}
	now := func() nichetest.Event { return o.look.Events("Work")[0] }
	o.look.Change("Work", now(), "T100000", "T113000")
	o.look.Change("Work", now(), "T110000", "T123000")
	says("adrift", "it lies at 11:30–12:30 on Wed 4 Mar")
	o.look.Change("Work", now(), "Rosa Osei", "Somebody")
	says("adrift", "changed outside")
	o.look.Change("Work", now(), "T113000", "T100000")
	o.look.Change("Work", now(), "T123000", "T110000")
	says("adrift", "its title is another")
	o.look.Change("Work", now(), "Somebody", "Rosa Osei")
	says("read back", "")
	o.look.Change("Work", now(), "END:VEVENT", "CATEGORIES:Mine\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:x\r\nTRIGGER:-PT5M\r\nEND:VALARM\r\nEND:VEVENT")
	o.Until("what the owner adds is no stray", func() bool {
		return o.Copies(wednesday) == "read back" && o.Count("objects WHERE visit_id > 0 AND etag = '"+now().ETag+"'") == 1
	})
	b = o.move(b, "T14:00:00Z")
	o.stands()
	require.Contains(t, now().Body, "CATEGORIES:Mine", "what the owner added is kept")
	require.Contains(t, now().Body, "TRIGGER:-PT5M")
	o.look.Remove("Work", now())
	says("adrift", "removed outside")
	require.Empty(t, o.look.Events("Work"), "and not put back")
	require.NoError(t, o.Cancel(b))
	o.stands()
	require.Empty(t, o.look.Events("Work"))
	require.NotEqual(t, was.Body, "")
}

// A name with signs that no calendar can keep is written once; a host that keeps other
// words each time is written to five times, and then told of.
func TestACopyIsNotWrittenForEver(t *testing.T) {
	o := open(t, nil)
	puts := func() (n int) {
		for _, m := range o.trouble.Asked() {
			if m == http.MethodPut {
				n++
			}
		}
		return n
	}
	puts()
	_, err := o.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: "Rosa Osei of the Harbour; a, b\\c “d”: é 🎹"})
	require.NoError(t, err)
	o.stands()
	require.Equal(t, "read back", o.Copies(wednesday))
	require.Equal(t, 1, puts())
	require.Len(t, o.titles("Work"), 1)

	o.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
		return nichetest.Fault{Question: func(body string) string { return strings.Replace(body, "SUMMARY:", "SUMMARY:[booked] ", 1) }}
	})
	o.book("T14:00:00Z")
	o.Until("it is told", func() bool { o.Pass(5 * time.Minute); return strings.Contains(o.Copies(wednesday), "adrift") })
	require.Equal(t, 5, puts())
	require.Contains(t, o.Wall(wednesday).Lanes[0].Visits[1].CopyNote, "The host keeps it otherwise each time it is written: its title is another.")
	o.Pass(24 * time.Hour)
	require.Zero(t, puts())
	got, err := ics.ReadCopy(strings.NewReader(o.look.Events("Work")[0].Body), "x")
	require.Error(t, err, "%v", got)
}

// While a host is down, how often it is asked depends on the time that passes and not
// on how much waits; one answer ends that for everything that waits for it.
func TestAnOutageEndsWithOneAnswer(t *testing.T) {
	o := open(t, nil)
	down := nichetest.Fault{Status: http.StatusServiceUnavailable, Unasked: true}
	o.trouble.Always("", down)
	o.trouble.Asked()
	for n := range 5 {
		o.book(fmt.Sprintf("T%02d:00:00Z", 9+n))
	}
	o.Pass(2 * time.Second)
	o.Until("its outage is seen", func() bool { return o.Pulse("Family").State == "unreachable" })
	looks := len(o.trouble.Asked()) // every booking looked, and may
	require.LessOrEqual(t, looks, 30)
	for range 4 {
		o.Pass(2 * time.Second)
		o.Until("a rest is said", func() bool { return o.Calendar("Family").Resting })
		require.LessOrEqual(t, o.Calendar("Family").NextIn, 20, "the rest grows with the outage, not with what waits")
	}
	require.LessOrEqual(t, len(o.trouble.Asked()), 12, "what waits is not asked one by one")
	o.trouble.Set(nil)
	o.Pass(20 * time.Second)
	o.Until("all that waited is done", func() bool {
		return o.Copies(wednesday) == "read back, read back, read back, read back, read back" && o.Pulse("Family").State == "fresh" && o.Pulse("Work").State == "fresh"
	})
	require.False(t, o.Calendar("Family").Resting)
	require.Len(t, o.look.Events("Work"), 5)
}

// What a reading sees of a copy while the copy is being looked at is not lost, in
// whichever order the two are noted.
func TestWhatIsSeenMeanwhileIsLookedAtAgain(t *testing.T) {
	for name, story := range map[string]struct {
		method string
		before func(o outside, b client.Booked) // makes the exchange begin
		change func(o outside, e nichetest.Event) (etag string)
		work   []string
	}{
		"an old write arrives while it is removed": {http.MethodDelete, func(o outside, b client.Booked) {
			require.NoError(o.t, o.Cancel(b))
		}, func(o outside, e nichetest.Event) string {
			etag, err := o.look.Calendar("Work").Put(o.t.Context(), e.Address, "", []byte(e.Body))
			require.NoError(o.t, err)
			return etag
		}, nil},
		"somebody changes it while it is read back": {http.MethodGet, func(o outside, b client.Booked) {
			o.move(b, "T14:00:00Z")
		}, func(o outside, e nichetest.Event) string {
			now := o.look.Events("Work")[0]
			etag, err := o.look.Calendar("Work").Put(o.t.Context(), e.Address, now.ETag, []byte(strings.Replace(now.Body, "SUMMARY:", "SUMMARY:Not ", 1)))
			require.NoError(o.t, err)
			return etag
		}, []string{"14:00 Home tuning · Rosa Osei"}},
	} {
		t.Run(name, func(t *testing.T) {
			o := open(t, nil)
			b := o.book("T10:00:00Z")
			o.stands()
			e := o.look.Events("Work")[0]
			hold, held := make(chan struct{}), make(chan struct{}, 10)
			var written atomic.Bool // what is read back was written before
			written.Store(story.method != http.MethodGet)
			o.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
				if r.Method == http.MethodPut {
					written.Store(true)
				}
				if r.Method != story.method || !written.Load() {
					return nichetest.Fault{}
				}
				return nichetest.Fault{Wait: hold, Carried: func() { held <- struct{}{} }}
			})
			story.before(o, b)
			<-held
			etag := story.change(o, e)
			o.Poke("Work")
			o.Until("the change is read", func() bool { return o.Count("objects WHERE etag = '"+etag+"'") == 1 })
			o.trouble.Set(nil)
			close(hold)
			o.Until("all is as it should be", func() bool { return slices.Equal(o.titles("Work"), story.work) })
			o.stands()
			require.Equal(t, story.work, o.titles("Work"))
		})
	}
}

// What the owner does to a copy outside has a word each; and what becomes of it is as the
// link says: it is asked, and both times are held meanwhile; or the copy is put back; or
// the booking follows, when the rules allow.
func TestWhatOwnersDoToCopies(t *testing.T) {
	const was = "10:00 Home tuning · Rosa Osei"
	for _, c := range []struct {
		name     string
		does     func(o outside, e nichetest.Event)
		note     string
		held     bool   // the time where it lies is held
		followed string // what is outside when the booking follows; empty where it cannot
	}{
		{"moved", func(o outside, e nichetest.Event) {
			o.edit(e, ":20260304T100000", ":20260304T140000", ":20260304T110000", ":20260304T150000")
		}, "it lies at 14:00–15:00", true, "14:00 Home tuning · Rosa Osei"},
		{"moved by an hour, into what is kept free for itself", func(o outside, e nichetest.Event) {
			o.edit(e, "T110000", "T120000", "T100000", "T110000")
		}, "it lies at 11:00–12:00", false, "11:00 Home tuning · Rosa Osei"},
		{"moved out of hours", func(o outside, e nichetest.Event) {
			o.edit(e, "T100000", "T200000", "T110000", "T210000")
		}, "it lies at 20:00–21:00", false, ""},
		{"made longer", func(o outside, e nichetest.Event) { o.edit(e, "T110000", "T150000") }, "it lies at 10:00–15:00", true, ""},
		{"given another title", func(o outside, e nichetest.Event) { o.edit(e, "Rosa Osei", "Somebody") }, "its title is another", false, ""},
		{"removed", func(o outside, e nichetest.Event) { o.look.Remove("Work", e) }, "It was removed outside.", false, ""},
		{"marked free", func(o outside, e nichetest.Event) { o.edit(e, "TRANSP:OPAQUE", "TRANSP:TRANSPARENT") }, "it is marked as free", false, ""},
		{"cancelled", func(o outside, e nichetest.Event) { o.edit(e, "STATUS:CONFIRMED", "STATUS:CANCELLED") }, "it is cancelled", false, ""},
		{"made tentative", func(o outside, e nichetest.Event) { o.edit(e, "STATUS:CONFIRMED", "STATUS:TENTATIVE") }, "it is tentative", false, ""},
		{"declined", func(o outside, e nichetest.Event) {
			o.edit(e, "END:VEVENT", "ATTENDEE;PARTSTAT=DECLINED:mailto:"+nichetest.User+"\r\nEND:VEVENT")
		}, "it is declined", false, ""},
		{"repeated", func(o outside, e nichetest.Event) { o.edit(e, "END:VEVENT", "RRULE:FREQ=DAILY;COUNT=3\r\nEND:VEVENT") }, "it repeats", false, ""},
		{"made to last all day", func(o outside, e nichetest.Event) {
			body := regexp.MustCompile(`DT(START|END);TZID=[^:]*:(\d{8})T\d{6}`).ReplaceAllString(e.Body, "DT$1;VALUE=DATE:$2")
			o.look.Put("Work", e, strings.Replace(body, "DTEND;VALUE=DATE:20260304", "DTEND;VALUE=DATE:20260305", 1))
		}, "it takes all day", false, ""},
		{"taken to another calendar", func(o outside, e nichetest.Event) {
			o.look.New("Family", "copied.ics", e.Body)
			o.look.Remove("Work", e)
		}, "another one lies in “Family”", false, ""},
	} {
		for _, mode := range []string{outbox.Ask, outbox.PutBack, outbox.Follows} {
			if mode == outbox.Follows && c.followed == "" && !c.held && !strings.HasPrefix(c.name, "moved") {
				continue // nothing that could be followed: it is asked
			}
			t.Run(c.name+", "+mode, func(t *testing.T) {
				t.Parallel()
				o := open(t, nil)
				o.mode(mode)
				if strings.Contains(c.name, "another calendar") {
					o.Choose(o.Calendar("Family"), func(f *api.Choice) { f.Blocks = true })
				}
				o.book("T10:00:00Z")
				o.stands()
				require.NotContains(t, o.Starts(wednesday), "10:00")
				c.does(o, o.look.Events("Work")[0])
				visit := func() wall.WallVisit { return o.Wall(wednesday).Lanes[0].Visits[0] }
				switch {
				case mode == outbox.PutBack:
					o.Until("it is put back", func() bool { return o.Count("copies WHERE put_backs = 1 AND state = 'read back'") == 1 })
					o.stands()
					require.Equal(t, []string{was}, o.titles("Work"))
					require.Empty(t, visit().Drifts)
					return
				case mode == outbox.Follows && c.followed != "":
					o.Until("the booking follows", func() bool { return visit().Copy == "read back" && visit().Label[:5] == c.followed[:5] })
					require.Equal(t, []string{c.followed}, o.titles("Work"))
					require.Empty(t, visit().Drifts)
					return
				}
				o.Until("it is told: "+c.note, func() bool { return visit().Copy == "adrift" && strings.Contains(visit().CopyNote, c.note) })
				d := visit().Drifts[0]
				require.NotContains(t, o.Starts(wednesday), "10:00", "the booking's time is held")
				if c.held {
					require.NotContains(t, o.Starts(wednesday), "14:00", "and where the copy lies")
				}
				settle := func(holds string) error {
					return o.Post(t.Context(), fmt.Sprintf("/api/copies/%d/settle", d.Copy), api.Settlement{Holds: holds}, nil)
				}
				if mode == outbox.Follows || c.followed == "" {
					require.Equal(t, http.StatusConflict, nichetest.Problem(t, settle("calendar")).Status)
					require.NoError(t, settle("booking"))
					o.stands()
					require.Equal(t, []string{was}, o.titles("Work"))
					return
				}
				require.NoError(t, settle("calendar"))
				o.stands()
				require.Equal(t, []string{c.followed}, o.titles("Work"))
				require.Equal(t, http.StatusConflict, nichetest.Problem(t, settle("calendar")).Status, "it is settled")
				require.Empty(t, nichetest.WrongClaims(o.Desk))
			})
		}
	}
}

// Who changes a copy again and again means it: it is put back some times, and then asked.
func TestACopyIsNotPutBackForEver(t *testing.T) {
	o := open(t, nil)
	o.mode(outbox.PutBack)
	o.book("T10:00:00Z")
	o.stands()
	for range 3 {
		o.look.Remove("Work", o.look.Events("Work")[0])
		o.Until("it is put back", func() bool {
			return len(o.look.Events("Work")) == 1 && o.Copies(wednesday) == "read back"
		})
	}
	o.look.Remove("Work", o.look.Events("Work")[0])
	o.Until("it is asked", func() bool {
		return strings.Contains(o.Wall(wednesday).Lanes[0].Visits[0].CopyNote, "It was put back 3 times already.")
	})
	d := o.Wall(wednesday).Lanes[0].Visits[0].Drifts[0]
	require.NoError(t, o.Post(t.Context(), fmt.Sprintf("/api/copies/%d/settle", d.Copy), api.Settlement{Holds: "neither"}, nil))
	o.stands()
	require.Empty(t, o.look.Events("Work"))
	require.Equal(t, "none", o.Copies(wednesday))
}

// mode says what becomes of copies that are changed outside.
func (o outside) mode(how string) { o.wish(api.LinkWishes{Drift: how, Clients: store.ClientsNamed}) }

// wish says what copies are like.
func (o outside) wish(w api.LinkWishes) {
	require.NoError(o.t, o.Do(o.t.Context(), http.MethodPut, fmt.Sprintf("/api/links/%d/wishes", o.Links()[0].ID), w, nil))
}

// edit replaces texts in a copy in one go.
func (o outside) edit(e nichetest.Event, pairs ...string) {
	body := e.Body
	for i := 0; i < len(pairs); i += 2 {
		require.True(o.t, strings.Contains(body, pairs[i]), pairs[i])
		body = strings.Replace(body, pairs[i], pairs[i+1], 1)
	}
	o.look.Put("Work", e, body)
}

// What a copy says follows the texts of the business and the wishes of its owner, also
// where it was written before; what the owner added stays.
func TestCopiesSayWhatIsWished(t *testing.T) {
	o := open(t, nil)
	o.book("T10:00:00Z")
	o.stands()
	body := func() string {
		o.stands()
		list := o.look.Events("Work")
		require.Len(t, list, 1)
		return strings.NewReplacer("\r\n ", "", "\r\n", "\n").Replace(list[0].Body)
	}
	require.Contains(t, body(), "\nSUMMARY:Home tuning · Rosa Osei\n")
	o.edit(o.look.Events("Work")[0], "END:VEVENT", "COLOR:teal\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nDESCRIPTION:own\r\nTRIGGER:-PT7M\r\nEND:VALARM\r\nEND:VEVENT")
	o.Until("the addition is no stray", func() bool {
		return o.Copies(wednesday) == "read back" && o.Count("objects WHERE visit_id > 0 AND etag = '"+o.look.Events("Work")[0].ETag+"'") == 1
	})
	require.Equal(t, api.LinkWishes{Drift: outbox.Ask, Clients: store.ClientsNamed}, o.Links()[0].Wishes, "nothing is wished at first")
	wish := o.wish
	wish(api.LinkWishes{Drift: outbox.Ask, Alarm: 30, Private: true, Clients: store.ClientsUnnamed})
	said := body()
	for _, line := range []string{"SUMMARY:Home tuning", "CLASS:PRIVATE", "TRIGGER:-PT30M", "TRIGGER:-PT7M", "COLOR:teal"} {
		require.Contains(t, said, "\n"+line+"\n")
	}
	require.NotContains(t, said, "Rosa")
	require.Equal(t, "", strings.Join(regexp.MustCompile("ATTENDEE|ORGANIZER").FindAllString(said, -1), " "))
	wish(api.LinkWishes{Drift: outbox.Ask, Clients: store.ClientsAsGuests})
	require.Contains(t, body(), `ATTENDEE;X-NICHE=1;SCHEDULE-AGENT=CLIENT;CN="Rosa Osei";ROLE=REQ-PARTICIPANT;PARTSTAT=ACCEPTED;RSVP=FALSE:mailto:rosa@clients.example`)
	wish(api.LinkWishes{Drift: outbox.Ask, Clients: store.ClientsNamed})
	said = body()
	require.NotContains(t, said, "ATTENDEE")
	require.Contains(t, said, "Rosa Osei")
	require.NotContains(t, said, "CLASS:PRIVATE")
	require.NotContains(t, said, "TRIGGER:-PT30M")
	require.Contains(t, said, "TRIGGER:-PT7M")

	var settings desk.SettingsNow
	require.NoError(t, o.Get(t.Context(), "/api/settings", &settings))
	settings.Outside = desk.OutsideTexts{Title: "{client}: {service}", Place: "{place}", Description: "Ask for {nobody}"}
	p := nichetest.Problem(t, o.Change(t.Context(), "/api/settings", settings.BusinessSettings, nil))
	require.Equal(t, []api.FieldError{{Field: "outside.description", Message: "There is no field {nobody} (character 9)."}}, p.Errors)
	settings.Outside.Description = "{clients}\nby {business}"
	require.NoError(t, o.Change(t.Context(), "/api/settings", settings.BusinessSettings, nil))
	said = body()
	require.Contains(t, said, "\nSUMMARY:Rosa Osei: Home tuning\n")
	require.Contains(t, said, `by Workshop\n`)
	require.Contains(t, said, "COLOR:teal")
	var shown desk.OutsideExample
	require.NoError(t, o.Post(t.Context(), "/api/settings/outside", settings.Outside, &shown))
	require.Equal(t, "Rosa Osei: Home tuning", shown.Title)
	require.NotEmpty(t, shown.Of)
}

// The time before and after a visit stands outside too where that is wished: it comes, goes
// and moves with the visit, is put right, and blocks nothing.
func TestTheTimeBeforeAndAfterIsWritten(t *testing.T) {
	o := open(t, func(f *desk.ServiceFields) { f.BufferBefore, f.BufferAfter = 15, 30 })
	o.Choose(o.Calendar("Work"), func(f *api.Choice) { f.Blocks = true })
	const title = "Home tuning · Rosa Osei"
	b := o.book("T10:00:00Z")
	o.stands()
	require.Equal(t, []string{"10:00 " + title}, o.titles("Work"))
	starts := o.Starts(wednesday)
	with := api.LinkWishes{Drift: outbox.Ask, Clients: store.ClientsNamed, Buffers: true}
	o.wish(with)
	o.stands()
	require.Equal(t, []string{"09:45 Before: " + title, "10:00 " + title, "11:00 After: " + title}, o.titles("Work"))
	o.Until("it is read", func() bool { return o.Count("objects WHERE visit_id > 0") == 3 })
	require.Equal(t, starts, o.Starts(wednesday), "what is kept free already is not kept free twice")
	b = o.move(b, "T14:00:00Z")
	o.stands()
	three := []string{"13:45 Before: " + title, "14:00 " + title, "15:00 After: " + title}
	require.Equal(t, three, o.titles("Work"))
	for _, e := range o.look.Events("Work") {
		if strings.Contains(e.Body, "After: ") {
			o.look.Remove("Work", e)
		}
	}
	o.Until("it is put back, without a question", func() bool { return o.Count("copies WHERE put_backs = 1 AND state = 'read back'") == 1 })
	require.Equal(t, three, o.titles("Work"))
	require.Empty(t, o.Wall(wednesday).Lanes[0].Visits[0].Drifts)
	with.Buffers = false
	o.wish(with)
	o.stands()
	require.Equal(t, []string{"14:00 " + title}, o.titles("Work"))
	with.Buffers = true
	o.wish(with)
	o.stands()
	require.Equal(t, three, o.titles("Work"), "they come back")
	require.NoError(t, o.Cancel(b))
	o.stands()
	require.Empty(t, o.titles("Work"))
}

// A visit that is only asked for stands outside as tentative where that is wished, and then
// as what is decided.
func TestWhatIsAskedForIsTentative(t *testing.T) {
	for _, accept := range []bool{true, false} {
		o := open(t, func(f *desk.ServiceFields) { f.Unreachable = "ask" })
		o.Until("it is read", func() bool { return o.Pulse("Family").State == "fresh" })
		o.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
			if strings.Contains(r.URL.Path, "family") {
				return nichetest.Fault{Status: 503, Unasked: true}
			}
			return nichetest.Fault{}
		})
		b := o.book("T10:00:00Z")
		require.Equal(t, "pending", b.Status)
		o.stands()
		require.Empty(t, o.titles("Work"))
		o.wish(api.LinkWishes{Drift: outbox.Ask, Clients: store.ClientsNamed, Pending: true})
		o.stands()
		require.Equal(t, []string{"10:00 Asked for: Home tuning · Rosa Osei"}, o.titles("Work"))
		require.Contains(t, o.look.Events("Work")[0].Body, "STATUS:TENTATIVE")
		o.trouble.Set(nil)
		v := o.Wall(wednesday).Lanes[0].Visits[0]
		require.NoError(t, o.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/decision", v.Clients[0].ID), desk.Decision{Accept: accept}, nil))
		o.stands()
		if !accept {
			require.Empty(t, o.titles("Work"))
			continue
		}
		require.Equal(t, []string{"10:00 Home tuning · Rosa Osei"}, o.titles("Work"))
		require.Contains(t, o.look.Events("Work")[0].Body, "STATUS:CONFIRMED")
	}
}

// A copy of a copy that its owner makes is told, and is neither busy time nor a stray.
func TestACopyOfACopyIsTold(t *testing.T) {
	o := open(t, nil)
	o.Choose(o.Calendar("Family"), func(f *api.Choice) { f.Blocks = true })
	b := o.book("T10:00:00Z")
	o.stands()
	o.look.New("Family", "mine-too.ics", strings.NewReplacer("T10", "T13", "T11", "T14").Replace(o.look.Events("Work")[0].Body))
	extra := func() string { return o.Wall(wednesday).Lanes[0].Visits[0].Extra }
	o.Until("it is told", func() bool { return strings.Contains(extra(), "lies in “Family”") })
	require.Equal(t, "read back", o.Copies(wednesday))
	require.Contains(t, o.Starts(wednesday), "13:00", "it takes no time")
	o.move(b, "T15:00:00Z")
	o.stands()
	require.Len(t, o.look.Events("Family"), 1, "it is not touched")
	o.look.Remove("Family", o.look.Events("Family")[0])
	o.Until("it is told no more", func() bool { return extra() == "" })
}
