package proof_test

import (
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/proof"
	"niche/internal/standin"
	"niche/internal/store"
)

// prover is a desk whose links are proved.
type prover struct{ *nichetest.Desk }

// all returns all links with what is proved of them.
func (d prover) all() (p desk.Proofs) {
	require.NoError(d.T, d.Get(d.T.Context(), "/api/proofs", &p))
	return p
}

// of returns what is proved of a link.
func (d prover) of(link store.ID) desk.ProvedLink {
	list := d.all().Links
	i := slices.IndexFunc(list, func(l desk.ProvedLink) bool { return l.Link == link })
	require.GreaterOrEqual(d.T, i, 0)
	return list[i]
}

// ask has links proved, or all.
func (d prover) ask(links ...store.ID) {
	require.NoError(d.T, d.Post(d.T.Context(), "/api/proofs", desk.WhichLinks{Links: append([]store.ID{}, links...)}, nil))
}

// prove proves a link and returns the evidence.
func (d prover) prove(link store.ID) (shown desk.ShownProof) {
	before := d.of(link).Proof
	d.ask(link)
	d.Until("the proof has ended", func() bool {
		l := d.of(link)
		if l.State == "waiting" || l.State == "running" || l.Proof == before {
			return false
		}
		shown = desk.ShownProof{}
		require.NoError(d.T, d.Get(d.T.Context(), fmt.Sprintf("/api/proofs/%d", l.Proof), &shown))
		return true
	})
	return shown
}

// step returns a step of a proof.
func step(p desk.ShownProof, key string) proof.Step {
	return p.Steps[slices.IndexFunc(p.Steps, func(s proof.Step) bool { return s.Key == key })]
}

// traces returns what a proof has left outside, in calendars of an account.
func traces(o nichetest.Outside, calendars ...string) (list []string) {
	for _, c := range calendars {
		for _, e := range o.Events(c) {
			if strings.Contains(e.Body, store.ProofPrefix) || strings.Contains(e.Address, store.ProofPrefix) {
				list = append(list, c+": "+e.Address)
			}
		}
	}
	return list
}

// A link that does what it should is proved on every server: each step holds, with its evidence; and nothing of it stays,
// neither outside nor in any book.
func TestALinkThatHoldsIsProved(t *testing.T) {
	nichetest.EachServer(t, func(t *testing.T, s nichetest.Server) {
		d := prover{nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Places = 4 }, nichetest.HostAt(s.Address))}
		link := d.Link(s.Address, s.User, s.Key, "Family", "Work")
		require.Equal(t, "none", d.of(link.ID).State)
		p := d.prove(link.ID)
		for _, st := range p.Steps {
			require.Equal(t, proof.Held, st.State, "%s: %s %s", st.Key, st.Seen, st.Cause)
			require.NotEmpty(t, st.Seen, st.Key)
		}
		require.Equal(t, "held", p.State)
		offered := func(side proof.Side) bool {
			i := slices.IndexFunc(side.Starts, func(s proof.DayStart) bool { return s.At == p.StartedAt })
			return side.Starts[i].Offered
		}
		lane := step(p, "gone").Lane
		require.True(t, offered(lane.Before))
		require.False(t, offered(lane.After))
		fields := map[string]proof.Field{}
		for _, f := range step(p, "copy").Copies[0].Fields {
			require.True(t, f.Same, "%s: %s", f.Name, f.Copy)
			fields[f.Name] = f
		}
		require.Equal(t, "Niche proof", fields["title"].Copy)
		require.NotEmpty(t, fields["in UTC"].Copy)

		require.Empty(t, traces(nichetest.LookFrom(t, s.Address, s.User, s.Key), "Work", "Family"))
		for _, left := range []string{"visits", "claims", "bookings", "copies", "messages", "trail WHERE kind = 'booking'", "objects WHERE href LIKE '%niche-proof%'", "proofs WHERE left_over"} {
			require.Zero(t, d.Count(left), left)
		}
		again := d.prove(link.ID)
		require.Equal(t, "nothing differs", again.Compared[0].Words)
	})
}

// quirky opens a host of one account, which does something with what is written there.
func quirky(t *testing.T, clock *nichetest.Clock, q standin.Quirk, calendars ...standin.Calendar) (*standin.Cloud, string) {
	cloud, err := standin.Open("", clock.Now, []standin.Account{{User: nichetest.User, Name: "Bryn", Password: nichetest.Key, Zone: "Europe/Dublin", Quirk: q, Calendars: calendars}})
	require.NoError(t, err)
	server := httptest.NewServer(cloud.Handler())
	t.Cleanup(server.Close)
	return cloud, server.URL
}

// What does not hold fails at its step, with its cause and a way to mend it; what comes after is not tried; it is
// cleaned up all the same, and is an item until a proof holds.
func TestEachFailureIsNamed(t *testing.T) {
	work, family := standin.Calendar{ID: "work", Name: "Work"}, standin.Calendar{ID: "family", Name: "Family"}
	for _, c := range []struct {
		name        string
		quirk       standin.Quirk
		after       func(d prover, cloud *standin.Cloud) // what happens once it is linked
		step, cause string
		mended      func(d prover, cloud *standin.Cloud)
	}{
		{name: "no calendar is for anything", step: "sign-in", cause: "Nobody has chosen", after: func(d prover, _ *standin.Cloud) {
			for _, name := range []string{"Work", "Family"} {
				d.Choose(d.Calendar(name), func(c *api.Choice) { c.Blocks, c.GetsBookings = false, false })
			}
		}},
		{name: "no target", step: "booking", cause: "visits would be sold and appear nowhere", after: func(d prover, _ *standin.Cloud) {
			d.Choose(d.Calendar("Work"), func(c *api.Choice) { c.GetsBookings = false })
		}, mended: func(d prover, _ *standin.Cloud) {
			d.Choose(d.Calendar("Work"), func(c *api.Choice) { c.GetsBookings = true })
		}},
		{name: "a target that can only be read", step: "copy", cause: "can only be read", after: func(_ prover, cloud *standin.Cloud) { cloud.LetRead(nichetest.User, "work") }},
		{name: "another clock", quirk: standin.OtherClock, step: "gone", cause: "America/New_York"},
		{name: "places are dropped", quirk: standin.DropsPlace, step: "copy", cause: "changes what is written"},
		{name: "nothing is stored", quirk: standin.StoresNothing, step: "gone", cause: "said that it had stored the event, and has not"},
		{name: "what is written is marked free", quirk: standin.MarksFree, step: "gone", cause: "marks what is written there as free"},
		{name: "all events are marked free", step: "events", cause: "marked free", after: func(d prover, cloud *standin.Cloud) {
			lines := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//T//T//EN\r\nBEGIN:VEVENT\r\nUID:lunch\r\nDTSTAMP:20260101T000000Z\r\nDTSTART:20260302T120000Z\r\nDURATION:PT1H\r\nRRULE:FREQ=DAILY\r\nTRANSP:TRANSPARENT\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
			require.NoError(d.T, cloud.Put(nichetest.User, "family", "lunch.ics", []byte(lines)))
		}},
		{name: "an event that cannot be read", step: "events", cause: "nobody knows what time they take", after: func(d prover, cloud *standin.Cloud) {
			require.NoError(d.T, cloud.Put(nichetest.User, "family", "broken.ics", []byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:x\r\nDTSTART:never\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")))
		}},
		{name: "the key is refused half-way", quirk: standin.Tires, step: "gone", cause: "does not accept"},
		{name: "the key is refused", step: "sign-in", cause: "does not take Bryn’s key", after: func(_ prover, cloud *standin.Cloud) { cloud.Behave(standin.Refusing) },
			mended: func(_ prover, cloud *standin.Cloud) { cloud.Behave(standin.Honest) }},
		{name: "the host is down", step: "sign-in", cause: "cannot serve calendars", after: func(_ prover, cloud *standin.Cloud) { cloud.Behave(standin.Failing) }},
		{name: "the calendars are gone", step: "events", cause: "does not know this calendar", after: func(_ prover, cloud *standin.Cloud) { cloud.Behave(standin.Gone) }},
		{name: "no start is offered", step: "event", cause: "no start of Home tuning is offered", after: func(d prover, _ *standin.Cloud) {
			away := api.Days{OneOffs: []api.OneOff{}, Absences: []api.Absence{{From: "2026-01-01", Until: "2026-12-31", Note: "away"}}}
			require.NoError(d.T, d.Change(d.T.Context(), fmt.Sprintf("/api/staff/%d/days", d.Staff.ID), away, nil))
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			clock := nichetest.NewClock(nichetest.Morning)
			cloud, address := quirky(t, clock, c.quirk, work, family)
			d := prover{nichetest.OpenDesk(t, nil, nichetest.HostAt(address))}
			link := d.Link(address, nichetest.User, nichetest.Key, "Family", "Work")
			if c.after != nil {
				c.after(d, cloud)
			}
			p := d.prove(link.ID)
			require.Equal(t, "failed", p.State, p.Words)
			after := false
			for _, s := range p.Steps[:len(p.Steps)-1] {
				switch {
				case s.Key == c.step:
					require.Equal(t, proof.Failed, s.State)
					require.Contains(t, s.Seen+" "+s.Cause, strings.TrimPrefix(c.cause, "no start"))
					require.NotEmpty(t, s.Mend)
					after = true
				case after:
					require.Equal(t, proof.NotTried, s.State, s.Key)
				default:
					require.Contains(t, []proof.StepState{proof.Held, proof.PassedOver}, s.State, s.Key+": "+s.Seen+s.Cause)
				}
			}
			require.True(t, after, "the step is there")
			require.Zero(t, d.Count("claims"))
			var list desk.Attention
			item := func() bool {
				require.NoError(t, d.Get(t.Context(), "/api/attention", &list))
				return slices.ContainsFunc(list.Items, func(i desk.AttentionItem) bool { return i.Kind == "proof" && i.Proof == p.ID })
			}
			require.True(t, item(), "it is an item")
			if c.mended != nil {
				c.mended(d, cloud)
				require.Equal(t, "held", d.prove(link.ID).State)
				require.False(t, item(), "it has closed")
			}
			cloud.Behave(standin.Honest)
			d.Until("nothing is left outside", func() bool {
				clock.Move(time.Minute)
				d.Pass(time.Minute)
				return d.Count("proofs WHERE left_over") == 0
			})
		})
	}
}

// What can only be read is proved by what it holds, and a feed that is made anew a few times a day is not taken for what
// is there now.
func TestAFeedIsProvedByWhatItHolds(t *testing.T) {
	for refresh, state := range map[string]string{"": "held", "PT6H": "failed"} {
		cloud, address := quirky(t, nichetest.NewClock(nichetest.Morning), "", standin.Calendar{ID: "hall", Name: "Hall", Public: true, Refresh: refresh})
		at := nichetest.Morning.AddDate(0, 0, 2).Add(4 * time.Hour)
		_, err := cloud.Add(nichetest.User, "hall", standin.Event{Title: "Recital", Start: at, End: at.Add(time.Hour)})
		require.NoError(t, err)
		d := prover{nichetest.OpenDesk(t, nil, nichetest.HostAt(address))}
		var link api.Link
		require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/staff/%d/links", d.Staff.ID), api.NewLink{Kind: "feed", Address: address + "/public/" + nichetest.User + "/hall.ics"}, &link))
		p := d.prove(link.ID)
		require.Equal(t, state, p.State, p.Words)
		require.Equal(t, proof.PassedOver, map[string]proof.StepState{"held": step(p, "event").State, "failed": proof.PassedOver}[state])
		if state == "held" {
			require.Contains(t, step(p, "events").Seen, "“Hall” 1")
			require.Contains(t, p.Words, "had nothing to prove")
		} else {
			require.Contains(t, step(p, "events").Seen, "only every 6 h")
		}
	}
}

// Proofs at one host run in turn; who stops them ends those that wait, and has the one that runs clean up; they can be gone
// on with. And the schedule asks for all by itself, and says so when none has come.
func TestProofsAreStoppedGoneOnWithAndScheduled(t *testing.T) {
	work := []standin.Calendar{{ID: "work", Name: "Work"}}
	cloud, err := standin.Open("", time.Now, []standin.Account{{User: "a@x.example", Password: "a", Zone: "Europe/Dublin", Calendars: work}, {User: "b@x.example", Password: "b", Zone: "Europe/Dublin", Calendars: work}})
	require.NoError(t, err)
	trouble := &nichetest.Trouble{}
	server := httptest.NewServer(trouble.Guard(cloud.Handler()))
	t.Cleanup(server.Close)
	d := prover{nichetest.OpenDesk(t, nil, nichetest.HostOf(server))}
	var links []store.ID
	for i, user := range []string{"a", "b"} {
		staff := d.Staff.ID
		if i > 0 {
			staff = d.AddStaff("Mara Quillon")
			require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = append(f.Staff, staff) }))
		}
		links = append(links, d.LinkFor(staff, server.URL, user+"@x.example", user, "Work", "Work").ID)
	}
	open, arrived := make(chan struct{}), make(chan struct{}, 1)
	trouble.Set(func(r *http.Request, body []byte) nichetest.Fault {
		if r.Method != http.MethodPut {
			return nichetest.Fault{}
		}
		select {
		case arrived <- struct{}{}:
		default:
		}
		return nichetest.Fault{Wait: open} // the event is stored, and the answer is late
	})
	d.ask()
	d.ask(links[0]) // what runs is not asked for twice
	<-arrived
	require.Equal(t, []string{"running", "waiting"}, []string{d.all().Links[0].State, d.all().Links[1].State})
	require.NoError(t, d.Post(t.Context(), "/api/proofs/stop", desk.WhichLinks{Links: []store.ID{}}, nil))
	trouble.Set(nil)
	d.Until("both are stopped", func() bool { return d.all().Open == 0 })
	require.Len(t, d.all().Stopped, 2)
	close(open)
	require.Empty(t, traces(nichetest.LookFrom(t, server.URL, "a@x.example", "a"), "Work"), "the one that ran has cleaned up")
	d.ask(d.all().Stopped...)
	d.Until("both have held", func() bool {
		return d.of(links[0]).State == "held" && d.of(links[1]).State == "held"
	})
	require.Empty(t, d.all().Stopped)
	require.Equal(t, 4, d.Count("proofs"))

	// From Monday 08:00 to the next Monday.
	require.NoError(t, d.Put(t.Context(), "/api/proofs/schedule", desk.ProofSchedule{Day: 1, Time: "05:00"}, nil))
	d.Pass(6 * 24 * time.Hour)
	d.SignIn(d.Address) // nobody stays signed in for so long
	d.Until("the clock has been looked at", func() bool { return d.all().Open == 0 })
	require.Equal(t, 4, d.Count("proofs"), "nothing is asked for before its time")
	trouble.Always("", nichetest.Fault{Unasked: true, Status: http.StatusServiceUnavailable})
	d.Pass(24 * time.Hour)
	d.SignIn(d.Address)
	d.Until("both have failed by themselves", func() bool {
		return d.of(links[0]).State == "failed" && d.of(links[1]).State == "failed"
	})
	require.Equal(t, 2, d.Count("proofs WHERE asked_by = ''"), "asked for once")
	// Where none has come since its time, that is said: nobody knows whether the links hold.
	d.Exec("UPDATE proofs SET ended_at = 1, state = 'held'")
	d.Exec("UPDATE businesses SET proof_day = 2, proof_since = CAST(strftime('%s', '2026-03-03T05:00:00Z') AS INTEGER)")
	var list desk.Attention
	require.NoError(t, d.Get(t.Context(), "/api/attention", &list))
	overdue := 0
	for _, i := range list.Items {
		if strings.Contains(i.Title, "was not proved when it should") {
			overdue++
		}
	}
	require.Equal(t, 2, overdue)
}

// A link that is taken away while it is proved takes the proof with it, and nothing stays outside or holds time.
func TestALinkGoesWhileItIsProved(t *testing.T) {
	trouble := &nichetest.Trouble{}
	_, server := nichetest.OpenCloud(t, trouble.Guard)
	d := prover{nichetest.OpenDesk(t, nil, nichetest.HostOf(server))}
	link := d.Link(server.URL, nichetest.User, nichetest.Key, "Family", "Work")
	for _, at := range []int32{1, 2} { // the event, and the copy of the test booking
		open, arrived := make(chan struct{}), make(chan struct{})
		var puts atomic.Int32
		trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
			if r.Method != http.MethodPut || puts.Add(1) != at {
				return nichetest.Fault{}
			}
			close(arrived)
			return nichetest.Fault{Wait: open}
		})
		d.ask(link.ID)
		<-arrived
		gone := make(chan error, 1)
		go func() {
			gone <- d.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/links/%d?copies=leave", link.ID), nil, nil)
		}()
		d.Until("it is being stopped, or has gone", func() bool { l := d.all().Links; return len(l) == 0 || l[0].State != "waiting" })
		trouble.Set(nil)
		close(open)
		require.NoError(t, <-gone)
		look := nichetest.Look(t, server)
		d.Until("nothing of it is left", func() bool {
			d.Pass(time.Minute)
			return d.Count("claims") == 0 && len(traces(look, "Work", "Family")) == 0 && len(d.all().Links) == 0
		})
		link = d.Link(server.URL, nichetest.User, nichetest.Key, "Family", "Work")
	}
	var list api.List[desk.TrailEntry]
	said := func() (said []string) {
		require.NoError(t, d.Get(t.Context(), "/api/trail?kind=link", &list))
		for _, e := range list.Items {
			if strings.Contains(e.Words, "Niche proof") {
				said = append(said, e.Words)
			}
		}
		return said
	}
	require.Empty(t, said())
	// Where the host lets nothing be removed, the link goes all the same, and it is said what stays.
	trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
		if r.Method == http.MethodDelete {
			return nichetest.Fault{Status: http.StatusServiceUnavailable, Unasked: true}
		}
		return nichetest.Fault{}
	})
	d.ask(link.ID)
	d.Until("the proof has ended", func() bool { return d.of(link.ID).State == "failed" })
	require.NoError(t, d.Do(t.Context(), http.MethodDelete, fmt.Sprintf("/api/links/%d?copies=leave", link.ID), nil, nil))
	require.Len(t, said(), 1)
}

// A kill at any moment leaves nothing behind: after a restart the calendars hold nothing of the proof, and its time is free.
func TestAKillLeavesNothingBehind(t *testing.T) {
	program := nichetest.Program(t)
	trouble := &nichetest.Trouble{}
	_, server := nichetest.OpenCloud(t, trouble.Guard)
	d := prover{&nichetest.Desk{T: t, Data: filepath.Join(t.TempDir(), "data")}}
	p := &nichetest.Process{T: t, Address: nichetest.FreeAddress(t), Path: program, Log: t.Output()}
	p.Args = []string{"serve", "--listen", p.Address, "--data", d.Data, "--allow-host", nichetest.HostOf(server), "--poll", "1h", "--unlimited"}
	p.Start()
	d.Fill("http://"+p.Address, nil)
	link := d.Link(server.URL, nichetest.User, nichetest.Key, "Family", "Work")
	look := nichetest.Look(t, server)
	prove := func(args ...string) (int, string) {
		out, err := nichetest.Command(t, program, append([]string{"prove", "--data", d.Data}, args...)...).Output()
		var ended *exec.ExitError
		if errors.As(err, &ended) {
			return ended.ExitCode(), string(out)
		}
		require.NoError(t, err)
		return 0, string(out)
	}

	kills := 0
	for at := int32(1); ; at++ {
		var exchanges atomic.Int32
		killed := make(chan struct{}, 1)
		trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
			if exchanges.Add(1) != at {
				return nichetest.Fault{}
			}
			return nichetest.Fault{Carried: func() { p.Kill(); killed <- struct{}{} }, Unheard: true}
		})
		_ = d.Post(t.Context(), "/api/proofs", desk.WhichLinks{Links: []store.ID{link.ID}}, nil) // the kill may come before its answer
		ended := false
		for !ended {
			select {
			case <-killed:
				ended = true
			default:
				var list desk.Proofs
				err := d.Get(t.Context(), "/api/proofs", &list)
				ended = err == nil && list.Open == 0
			}
		}
		trouble.Set(nil)
		if exchanges.Load() < at {
			break // it has come to its end before
		}
		kills++
		p.Start()
		d.SignIn("http://" + p.Address)
		d.Until(fmt.Sprintf("nothing is left after a kill at exchange %d", at), func() bool {
			return d.Count("claims") == 0 && d.of(link.ID).State != "running" && len(traces(look, "Work", "Family")) == 0
		})
	}
	require.Greater(t, kills, 12, "it was killed in each of its steps")
	require.Equal(t, "held", d.of(link.ID).State)

	code, out := prove("--staff", "bryn castellane")
	require.Zero(t, code)
	require.Contains(t, out, "held    Bryn Castellane at ")
	code, _ = prove("--staff", "Nobody")
	require.Equal(t, 2, code)
	trouble.Always(http.MethodPut, nichetest.Fault{Unasked: true, Status: http.StatusForbidden})
	code, out = prove("--json")
	require.Equal(t, 1, code)
	require.Contains(t, out, `"state": "failed"`)
	trouble.Set(nil)
	require.Zero(t, p.Stop())
	code, _ = prove("--within", "1s")
	require.Equal(t, 3, code)
}
