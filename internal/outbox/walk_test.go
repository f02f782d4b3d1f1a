package outbox_test

import (
	"bytes"
	"fmt"
	"math/rand/v2"
	"net/http"
	"path"
	"regexp"
	"slices"
	"strings"
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
	"niche/internal/serve"
	"niche/internal/store"
)

// before opens a desk that is linked to a server through trouble.
func before(t *testing.T, s nichetest.Server) outside {
	trouble := &nichetest.Trouble{}
	through := s.Behind(trouble.Before(t, s.Address))
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Unreachable = "take" }, nichetest.HostAt(through.Address))
	d.Link(through.Address, s.User, s.Key, "Family", "Work")
	return outside{d, t, trouble, nichetest.LookFrom(t, s.Address, s.User, s.Key), through.Address}
}

// Whatever goes wrong between any two steps of a write, once or twice: afterwards there is
// one right copy of each live booking, and none of a cancelled one.
func TestAFaultBetweenAnyTwoSteps(t *testing.T) {
	faults := []struct {
		name  string
		fault nichetest.Fault
	}{
		{"it never arrives", nichetest.Fault{Unasked: true, Unheard: true}},
		{"the line breaks after it", nichetest.Fault{Unheard: true}},
		{"its answer is cut", nichetest.Fault{Cut: true}},
		{"401", nichetest.Fault{Unasked: true, Status: 401}},
		{"403", nichetest.Fault{Unasked: true, Status: 403}},
		{"404", nichetest.Fault{Unasked: true, Status: 404}},
		{"412", nichetest.Fault{Unasked: true, Status: 412}},
		{"423", nichetest.Fault{Unasked: true, Status: 423}},
		{"503", nichetest.Fault{Unasked: true, Status: 503}},
		{"507", nichetest.Fault{Unasked: true, Status: 507}},
		{"500, and it is done", nichetest.Fault{Status: 500}},
		{"201, and it is not done", nichetest.Fault{Unasked: true, Status: 201}},
		{"204, and it is not done", nichetest.Fault{Unasked: true, Status: 204}},
		{"200 with nothing", nichetest.Fault{Unasked: true, Status: 200}},
	}
	for _, open := range []func(testing.TB) nichetest.Server{nichetest.StandIn, nichetest.Radicale} {
		s := open(t)
		t.Run(s.Name, func(t *testing.T) {
			t.Parallel()
			o := before(t, s)
			for m, method := range []string{http.MethodPut, http.MethodGet, http.MethodDelete} {
				for n, f := range faults {
					times := int32(1 + (m+n)%2)
					name := fmt.Sprintf("%s: %s, %d times", method, f.name, times)
					wrong := func() {
						var left atomic.Int32
						left.Store(times)
						o.trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
							if r.Method == method && strings.HasSuffix(r.URL.Path, ".ics") && left.Add(-1) >= 0 {
								return f.fault
							}
							return nichetest.Fault{}
						})
					}
					wrong()
					a, b := o.book("T10:00:00Z"), o.book("T14:00:00Z")
					o.stands()
					require.Equal(t, []string{"10:00 Home tuning · Rosa Osei", "14:00 Home tuning · Rosa Osei"}, o.outside(name), "%s, written", name)
					wrong()
					a = o.move(a, "T11:00:00Z")
					require.NoError(t, o.Cancel(b))
					o.stands()
					require.Equal(t, []string{"11:00 Home tuning · Rosa Osei"}, o.outside(name), "%s, moved and cancelled", name)
					o.trouble.Set(nil)
					require.NoError(t, o.Cancel(a))
					o.stands()
					require.Empty(t, o.outside(name), "%s, nothing is left", name)
				}
			}
		})
	}
}

// outside returns what lies in Work once nobody doubts it.
func (o outside) outside(what string) (list []string) {
	for range 8 {
		if list = o.titles("Work"); o.Count("copies WHERE state IN ('adrift', 'failed')") == 0 {
			return list
		}
		require.Zero(o.t, o.Count("copies WHERE state = 'adrift'"), "%s: %v", what, o.List("SELECT error FROM copies WHERE state = 'adrift'"))
		o.Pass(15 * time.Minute)
		o.stands()
	}
	return list
}

// walk is one walk over everything that happens to bookings, copies and choices.
type walk struct {
	outside
	rng   *rand.Rand
	live  []client.Booked
	steps []string
	made  int
}

func (w *walk) said(format string, args ...any) {
	w.steps = append(w.steps, fmt.Sprintf(format, args...))
}

// Some kinds of steps, by their chances.
const booking, moving, cancelling, editing, passing = 0, 30, 42, 52, 94

// pick returns one of a list, by chance.
func pick[T any](w *walk, list []T) T { return list[w.rng.IntN(len(list))] }

// free returns an offered start, or empty.
func (w *walk) free() string {
	date := pick(w, []string{"2026-03-04", "2026-03-05", "2026-03-06"})
	starts := strings.Fields(w.Starts(date))
	if len(starts) == 0 {
		return ""
	}
	return date + "T" + pick(w, starts) + ":00Z"
}

// step does one thing, of some kinds.
func (w *walk) step(kinds ...int) {
	ctx := w.t.Context()
	n := w.rng.IntN(100)
	if len(kinds) > 0 {
		n = pick(w, kinds)
	}
	switch {
	case n < 30:
		if at := w.free(); at != "" {
			b, err := w.Book(at)
			w.said("book %s: %v", at, err)
			if err == nil {
				w.live = append(w.live, b)
			}
		}
	case n < 42 && len(w.live) > 0:
		if at := w.free(); at != "" {
			i := w.rng.IntN(len(w.live))
			b, err := w.Move(w.live[i], at)
			w.said("move %s to %s: %v", w.live[i].Reference, at, err)
			if err == nil {
				w.live[i] = b
			}
		}
	case n < 52 && len(w.live) > 0:
		i := w.rng.IntN(len(w.live))
		w.said("cancel %s: %v", w.live[i].Reference, w.Cancel(w.live[i]))
		w.live = slices.Delete(w.live, i, i+1)
	case n < 68:
		w.edit()
	case n < 74:
		wishes := api.LinkWishes{Drift: pick(w, []string{outbox.Ask, outbox.PutBack, outbox.Follows}), Alarm: pick(w, []int{0, 10}), Private: w.rng.IntN(2) == 0,
			Clients: pick(w, []store.Clients{store.ClientsNamed, store.ClientsAsGuests, store.ClientsUnnamed}), Buffers: w.rng.IntN(2) == 0}
		w.said("wish %+v", wishes)
		w.wish(wishes)
	case n < 79:
		c := w.Calendar(pick(w, []string{"Work", "Family"}))
		choice := c.Choice
		choice.GetsBookings = !choice.GetsBookings
		how := pick(w, []outbox.Ending{outbox.Keep, outbox.Remove, outbox.Leave})
		w.said("%s gets bookings %t, %s: %v", c.Name, choice.GetsBookings, how, w.Change(ctx, fmt.Sprintf("/api/calendars/%d?copies=%s", c.ID, how), choice, nil))
	case n < 87:
		f := pick(w, []nichetest.Fault{{}, {}, {}, {Unasked: true, Status: 503}, {Status: 500}, {Unheard: true}, {Unasked: true, Status: 412}, {Cut: true}, {Unasked: true, Status: 201}})
		method := pick(w, []string{http.MethodPut, http.MethodGet, http.MethodDelete, "REPORT"})
		w.said("%s: %d, not asked %t, not heard %t, cut %t", method, f.Status, f.Unasked, f.Unheard, f.Cut)
		w.trouble.Always(method, f)
	case n < 92:
		w.settle()
	case n < 94:
		w.said("restart")
		w.Restart(nichetest.Nothing, func(*serve.Settings) {})
	default:
		by := pick(w, []time.Duration{time.Minute, 10 * time.Minute, time.Hour})
		w.said("%s pass", by)
		w.Pass(by)
	}
}

var clocks = regexp.MustCompile(`T(\d\d)(\d\d)00\b`)

// edit does to some event what owners do.
func (w *walk) edit() {
	calendar := pick(w, []string{"Work", "Family"})
	list := w.look.Events(calendar)
	if len(list) == 0 {
		return
	}
	e := pick(w, list)
	what := pick(w, []string{"move", "rename", "remove", "free", "cancel", "copy", "note"})
	w.said("%s %s in %s", what, path.Base(e.Address), calendar)
	body := e.Body
	switch what {
	case "move":
		body = clocks.ReplaceAllStringFunc(body, func(s string) string {
			return fmt.Sprintf("T%02d%s00", min(23, 1+int(s[1]-'0')*10+int(s[2]-'0')), s[3:5])
		})
	case "rename":
		body = strings.Replace(body, "SUMMARY:", "SUMMARY:My ", 1)
	case "remove":
		w.said("%v", w.look.Calendar(calendar).Delete(w.t.Context(), e.Address, e.ETag))
		return
	case "free":
		body = strings.Replace(body, "TRANSP:OPAQUE", "TRANSP:TRANSPARENT", 1)
	case "cancel":
		body = strings.Replace(body, "STATUS:CONFIRMED", "STATUS:CANCELLED", 1)
	case "copy":
		w.made++
		other := map[string]string{"Work": "Family", "Family": "Work"}[calendar]
		_, err := w.look.Calendar(other).Put(w.t.Context(), w.look.Place(other, fmt.Sprintf("mine-%d.ics", w.made)), "", []byte(body))
		w.said("%v", err)
		return
	case "note":
		body = strings.Replace(body, "END:VEVENT", "COLOR:teal\r\nEND:VEVENT", 1)
	}
	_, err := w.look.Calendar(calendar).Put(w.t.Context(), e.Address, e.ETag, []byte(body)) // unless it is another by now
	w.said("%v", err)
}

// settle says what holds where it is asked.
func (w *walk) settle() {
	for _, date := range []string{"2026-03-04", "2026-03-05", "2026-03-06"} {
		for _, v := range w.Wall(date).Lanes[0].Visits {
			for _, d := range v.Drifts {
				holds := pick(w, []string{"booking", "calendar", "neither"})
				err := w.Post(w.t.Context(), fmt.Sprintf("/api/copies/%d/settle", d.Copy), api.Settlement{Holds: holds}, nil)
				w.said("settle %d: %s: %v", d.Copy, holds, err)
				return
			}
		}
	}
}

// wrongs compares what is outside with what is inside.
func (w *walk) wrongs() (wrong []string) {
	there := map[string]string{} // by calendar and name
	for _, calendar := range []string{"Work", "Family"} {
		for _, e := range w.look.Events(calendar) {
			there[strings.ToLower(calendar)+" "+path.Base(e.Address)] = e.Body
		}
	}
	say := func(format string, args ...any) { wrong = append(wrong, fmt.Sprintf(format, args...)) }
	known := map[string]bool{}
	for _, row := range w.List(`SELECT LOWER(c.name) || '|' || k.path || '|' || k.wanted || '|' || k.state || '|' || k.drift || '|' || k.error || '|' || k.part || '|' || v.uid || '|' || v.start || '|' || v."end"
			|| '|' || EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status = 'confirmed') || '|' || c.gets_bookings || '|' || l.buffers
			|| '|' || COALESCE((SELECT GROUP_CONCAT(b.reference) FROM bookings b WHERE b.visit_id = v.id AND b.status = 'confirmed'), '')
		FROM copies k JOIN visits v ON v.id = k.visit_id JOIN calendars c ON c.id = k.calendar_id JOIN links l ON l.id = c.link_id`) {
		f := strings.Split(row, "|")
		at := f[0] + " " + path.Base(f[1])
		known[at] = true
		body, is := there[at]
		switch wanted, live := f[2] == "1", f[10] == "1"; {
		case f[3] == "left": // on purpose
		case !wanted && is:
			say("%s is not wanted (%s), and there", at, f[3])
		case wanted && !live:
			say("%s is wanted, of a booking that is none", at)
		case wanted && f[4] != "": // an open difference
			if f[3] != "adrift" || f[5] == "" {
				say("%s differs (%s), and nothing says so: %s", at, f[4], f[3])
			}
		case wanted && !is:
			say("%s is wanted (%s), and not there", at, f[3])
		case wanted:
			got, err := ics.ReadCopy(bytes.NewReader([]byte(body)), store.Part(f[6]).UID(f[7]))
			if when := fmt.Sprint(int64(got.During().Start()), "|", int64(got.During().End())); err != nil || f[6] == "" && when != f[8]+"|"+f[9] {
				say("%s lies at %s instead of %s|%s (%v)", at, when, f[8], f[9], err)
			}
			for _, reference := range strings.Split(f[13], ",") {
				if f[6] == "" && !strings.Contains(strings.ReplaceAll(body, "\r\n ", ""), reference) {
					say("%s does not name %s", at, reference)
				}
			}
		}
	}
	for at := range there {
		if !known[at] && !strings.Contains(at, " mine-") {
			say("%s is there, and nobody knows of it", at)
		}
	}
	for _, uid := range w.List(`SELECT v.uid FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status = 'confirmed' JOIN visit_staff s ON s.visit_id = v.id JOIN links l ON l.staff_id = s.staff_id JOIN calendars c ON c.link_id = l.id AND c.gets_bookings
		WHERE NOT EXISTS (SELECT 1 FROM copies k WHERE k.visit_id = v.id AND k.calendar_id = c.id AND k.part = '' AND (k.wanted OR k.state = 'left'))`) {
		say("%s is wanted nowhere", uid)
	}
	return append(wrong, nichetest.WrongClaims(w.Desk)...)
}

// However bookings, owners, choices, hosts and the program itself go about it: in the end
// what is outside is what is inside, or it is told why not.
func TestWhateverHappensOutsideIsInsideInTheEnd(t *testing.T) {
	for seed := range uint64(6) {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			t.Parallel()
			w := &walk{outside: open(t, func(f *desk.ServiceFields) { f.BufferBefore, f.BufferAfter = 0, 30 }), rng: rand.New(rand.NewPCG(seed, 20260304))}
			for range 80 {
				w.step()
			}
			w.trouble.Set(nil)
			for range 15 { // what would be put right by a choice that has everything written anew
				w.step(booking, moving, cancelling, editing, editing, editing, passing)
			}
			var wrong []string
			for range 12 { // what a host was asked and did not answer may still come, for an hour
				w.Pass(15 * time.Minute)
				again := func() {
					w.Poke("Work")
					w.Poke("Family")
				}
				again()
				w.Until("all is read", func() bool {
					for _, p := range w.Wall("").Pulse {
						if p.State != "fresh" {
							w.Pass(time.Minute) // what failed in part is tried again
							again()
							return false
						}
					}
					return true
				})
				w.stands()
				wrong = w.wrongs()
			}
			require.Empty(t, wrong, "%s\n", strings.Join(w.steps, "\n"))
			require.NotZero(t, w.Count("bookings"))
		})
	}
}
