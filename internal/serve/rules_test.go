package serve_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/casefile"
	"niche/core/hours"
	"niche/core/offer"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/fit"
	"niche/internal/nichetest"
	"niche/internal/store"
)

const ten, eleven, noon = wednesday + "T10:00:00Z", wednesday + "T11:00:00Z", wednesday + "T12:00:00Z"

func TestEveryRuleIsKeptByThePageAndByTheTakingOfABooking(t *testing.T) {
	const all = "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00"
	cap2, cap0 := 1, 0
	for _, c := range []struct {
		name   string
		change func(*desk.ServiceFields)
		booked bool // one visit at noon before
		date   string
		starts string
		reason string // of a start at 10:00, where it is refused
	}{
		{"as it is", func(*desk.ServiceFields) {}, false, wednesday, all, ""},
		{"a booking in the way", func(*desk.ServiceFields) {}, true, wednesday, "09:00 10:00 11:00 13:00 14:00 15:00 16:00", ""},
		{"a cap", func(f *desk.ServiceFields) { f.CapPerDay = &cap2 }, true, wednesday, "", "cap"},
		{"a cap of none", func(f *desk.ServiceFields) { f.CapPerDay = &cap0 }, false, wednesday, "", "cap"},
		{"a notice in minutes", func(f *desk.ServiceFields) { f.Notice = desk.Before(54 * 60) }, false, wednesday, "14:00 15:00 16:00", "notice"},
		{"a notice by the day before, kept", func(f *desk.ServiceFields) { f.Notice.Notice = offer.DaysBefore(2, 8*60+30) }, false, wednesday, all, ""},
		{"a notice by the day before, missed", func(f *desk.ServiceFields) { f.Notice.Notice = offer.DaysBefore(2, 7*60+30) }, false, wednesday, "", "notice"},
		{"a window of days", func(f *desk.ServiceFields) { f.Window = desk.Ahead(1) }, false, wednesday, "", "window"},
		{"a window of dates", func(f *desk.ServiceFields) { f.Window.Window = offer.Dates(hours.DateOf(2026, 3, 5), 0) }, false, wednesday, "", "window"},
		{"no window", func(f *desk.ServiceFields) { f.Window = desk.Window{} }, false, wednesday, all, ""},
		{"buffers inside hours", func(f *desk.ServiceFields) { f.BufferBefore, f.BuffersInsideHours = 90, true }, false, wednesday, "11:00 12:00 13:00 14:00 15:00 16:00", "outside-hours"},
		{"a longer step from opening", func(f *desk.ServiceFields) { f.Anchor, f.Step = "opening", 150 }, false, wednesday, "09:00 11:30 14:00", "outside-hours"},
		{"a kind of room of which there is none", func(f *desk.ServiceFields) { f.Needs = []string{"hall"} }, false, wednesday, "", "resource"},
		{"a pause", func(f *desk.ServiceFields) { f.Paused = true }, false, wednesday, "", "paused"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := nichetest.OpenDesk(t, nil)
			if c.booked {
				_, err := d.Book(noon)
				require.NoError(t, err)
			}
			require.NoError(t, d.Save(1, c.change))
			require.Equal(t, c.starts, d.Starts(c.date))
			_, err := d.Book(ten)
			if c.reason == "" {
				require.NoError(t, err)
				return
			}
			require.Contains(t, nichetest.Problem(t, err).Reasons, c.reason)
		})
	}
}

func TestHoursOneOffDaysAbsencesAndClosures(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	ctx := t.Context()
	first, second := map[string]casefile.Day{"wed": {Spans: []casefile.WallSpan{{"09:00", "11:00"}}}}, map[string]casefile.Day{"wed": {Spans: []casefile.WallSpan{{"18:00", "02:00"}}, Breaks: []casefile.WallSpan{{"00:00", "01:00"}}}}
	april := "2026-04-30"
	patterns := api.Hours{Patterns: []casefile.Pattern{{From: "2026-03-01", Cycle: []map[string]casefile.Day{first, second}}, {From: "2026-04-01", Until: &april, Cycle: []map[string]casefile.Day{{}}}}}
	require.NoError(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d/hours", d.Staff.ID), patterns, nil))
	days := api.Days{OneOffs: []api.OneOff{{OneOff: casefile.OneOff{Date: "2026-03-18", Spans: []casefile.WallSpan{{"12:00", "14:00"}}}}},
		Absences: []api.Absence{{From: "2026-03-25", Until: "2026-05-06", Note: "Sailing"}}}
	require.NoError(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d/days", d.Staff.ID), days, nil))
	var got api.Days
	require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/staff/%d/days", d.Staff.ID), &got))
	require.Equal(t, days.Absences, got.Absences)
	for date, want := range map[string]string{
		wednesday:    "18:00 19:00 20:00 21:00 22:00 23:00", // 1 March is a Sunday, so Wednesday is in the cycle's second week
		"2026-03-05": "01:00",
		"2026-03-11": "09:00 10:00", "2026-03-18": "12:00 13:00", "2026-03-25": "", "2026-04-08": "", "2026-05-13": "18:00 19:00 20:00 21:00 22:00 23:00",
	} {
		require.Equal(t, want, d.Starts(date), date)
	}

	holidays := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTART;VALUE=DATE:20200311\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Harbour day\r\nTRANSP:TRANSPARENT\r\nEND:VEVENT\r\n" +
		"BEGIN:VEVENT\r\nUID:b\r\nDTSTART:20260312T100000Z\r\nSUMMARY:Not a whole day\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	var found desk.Imported
	require.NoError(t, d.Post(ctx, "/api/closures/import", desk.Import{Text: holidays}, &found))
	require.Equal(t, []api.Closure{{Date: "2026-03-11", Name: "Harbour day"}, {Date: "2027-03-11", Name: "Harbour day"}}, found.Items)
	require.Equal(t, "text", nichetest.Problem(t, d.Post(ctx, "/api/closures/import", desk.Import{Text: "<html>"}, nil)).Errors[0].Field)
	require.Contains(t, nichetest.Problem(t, d.Post(ctx, "/api/closures/import", desk.Import{Address: "https://127.0.0.1:1/x.ics"}, nil)).Errors[0].Message, "own network")
	require.NoError(t, d.Change(ctx, "/api/closures", desk.Closures{Items: found.Items}, nil))
	require.Empty(t, d.Starts("2026-03-11"))

	days.Absences[0].Until = "2026-03-01"
	days.OneOffs[0].Spans[0][1] = "25:00"
	p := nichetest.Problem(t, d.Change(ctx, fmt.Sprintf("/api/staff/%d/days", d.Staff.ID), days, nil))
	require.Equal(t, []string{"oneOffs[0].spans[0][1]", "absences[0].until"}, []string{p.Errors[0].Field, p.Errors[1].Field}, "several faults at once")
}

func TestHowOneOfSeveralIsPicked(t *testing.T) {
	for _, c := range []struct {
		pick string
		asks []client.NewBooking
		who  string
		why  string
	}{
		{"order", []client.NewBooking{{Start: nichetest.At(ten)}, {Start: nichetest.At(eleven)}, {Start: nichetest.At(eleven)}}, "Bryn Castellane, Bryn Castellane, Cleo", "Nobody else could take it."},
		{"fewest", []client.NewBooking{{Start: nichetest.At(ten)}, {Start: nichetest.At(eleven)}, {Start: nichetest.At(noon)}}, "Bryn Castellane, Cleo, Bryn Castellane", "Fewest visits that day: Bryn Castellane 1, Cleo 1."},
		{"turn", []client.NewBooking{{Start: nichetest.At(ten)}, {Start: nichetest.At(eleven)}, {Start: nichetest.At(noon)}}, "Bryn Castellane, Cleo, Bryn Castellane", "In turn: was picked for this service longest ago."},
		{"last", []client.NewBooking{{Start: nichetest.At(ten), Staff: 2, Email: "a@b.example"}, {Start: nichetest.At(eleven), Email: "c@d.example"}, {Start: nichetest.At(noon), Email: "a@b.example"}}, "Cleo, Bryn Castellane, Cleo", "The client had this person last."},
	} {
		t.Run(c.pick, func(t *testing.T) {
			d := nichetest.OpenDesk(t, nil)
			cleo := d.AddStaff("Cleo")
			require.EqualValues(t, 2, cleo)
			require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Pick = c.pick; f.Staff = append(f.Staff, cleo) }))
			var who []string
			for _, a := range c.asks {
				b, err := d.Ask(a)
				require.NoError(t, err)
				who = append(who, b.With)
			}
			require.Equal(t, c.who, strings.Join(who, ", "))
			var why []string
			for _, l := range d.Wall(wednesday).Lanes {
				for _, v := range l.Visits {
					why = append(why, v.Picked)
				}
			}
			require.Contains(t, why, c.why)
		})
	}
}

func TestSharedVisitsJointVisitsAndRooms(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, nil, nichetest.HostOf(host))
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	cleo := d.AddStaff("Cleo")
	d.AddResource("The van", "van")
	class := d.On(d.AddService("Care class", func(f *desk.ServiceFields) { f.Places = 4; f.Lengths = []int{90} }))

	first, err := class.Ask(client.NewBooking{Start: nichetest.At(ten), Places: 2})
	require.NoError(t, err)
	_, err = class.Ask(client.NewBooking{Start: nichetest.At(ten), Places: 3})
	require.Equal(t, []string{"places"}, nichetest.Problem(t, err).Reasons)
	second, err := class.Ask(client.NewBooking{Start: nichetest.At(ten)})
	require.NoError(t, err)
	visits := d.Wall(wednesday).Lanes[0].Visits
	require.Len(t, visits, 1, "a shared visit is one")
	require.Equal(t, "3 of 4 places", visits[0].Client)
	d.Until("the copy names both", func() bool {
		e := nichetest.Look(t, host).Events("Work")
		return len(e) == 1 && strings.Contains(e[0].Body, first.Reference) && strings.Contains(strings.ReplaceAll(e[0].Body, "\r\n ", ""), second.Reference)
	})
	_, err = class.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T14:00:00Z"), Length: 90})
	require.NoError(t, err)
	_, err = class.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T15:00:00Z")})
	require.Equal(t, []string{"booked"}, nichetest.Problem(t, err).Reasons, "the longer visit takes half of the next hour")
	require.Equal(t, "length", nichetest.Problem(t, func() error {
		_, err := class.Ask(client.NewBooking{Start: nichetest.At(noon), Length: 75})
		return err
	}()).Errors[0].Field)

	require.NoError(t, d.Cancel(first))
	require.Equal(t, "1 of 4 places", d.Wall(wednesday).Lanes[0].Visits[0].Client)
	moved, err := class.Move(second, noon)
	require.NoError(t, err)
	require.Equal(t, "Wednesday 4 March 2026, 12:00–13:00", moved.When)
	require.Contains(t, d.Starts(wednesday), "10:00", "the old time is free")

	joint := d.On(d.AddService("Piano moving", func(f *desk.ServiceFields) {
		f.Staffing, f.Needs, f.Staff = "all", []string{"van"}, []store.ID{d.Staff.ID, cleo}
	}))
	_, err = joint.Ask(client.NewBooking{Start: nichetest.At(noon)})
	require.Equal(t, []string{"booked"}, nichetest.Problem(t, err).Reasons, "one of the two is busy")
	both, err := joint.Ask(client.NewBooking{Start: nichetest.At(ten)})
	require.NoError(t, err)
	require.Equal(t, "Bryn Castellane and Cleo", both.With)
	alone := d.On(d.AddService("Delivery", func(f *desk.ServiceFields) { f.Needs, f.Staff = []string{"van"}, []store.ID{d.AddStaff("Dov")} }))
	_, err = alone.Ask(client.NewBooking{Start: nichetest.At(ten)})
	require.Equal(t, []string{"resource"}, nichetest.Problem(t, err).Reasons, "the van is out")
	lane := d.Wall(wednesday).Lanes[1]
	require.Equal(t, []string{"Bryn Castellane", "The van"}, lane.Visits[0].With)
	require.NoError(t, d.Cancel(both))
	_, err = alone.Ask(client.NewBooking{Start: nichetest.At(ten)})
	require.NoError(t, err, "and back")
}

func TestMovingKeepsTheOldClaimUntilTheNewOneStands(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	d := nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Step, f.BufferAfter = 30, 15 }, nichetest.HostOf(host))
	d.Link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	b, err := d.Book(ten)
	require.NoError(t, err)
	d.Until("the copy is read back", func() bool { return d.Copies(wednesday) == "read back" })
	uid := func() string {
		events := nichetest.Look(t, host).Events("Work")
		require.Len(t, events, 1)
		_, rest, _ := strings.Cut(events[0].Body, "UID:")
		id, _, _ := strings.Cut(rest, "\r\n")
		return id
	}
	before := uid()
	moved, err := d.Move(b, wednesday+"T10:30:00Z")
	require.NoError(t, err, "a move over its own old time")
	require.Equal(t, "Wednesday 4 March 2026, 10:30–11:30", moved.When)
	require.Equal(t, b.Reference, moved.Reference)
	d.Until("the copy is written anew", func() bool { return d.Copies(wednesday) == "read back" })
	require.Equal(t, before, uid(), "it keeps its UID for ever")

	_, err = d.Book(wednesday + "T13:00:00Z")
	require.NoError(t, err)
	_, err = d.Move(b, wednesday+"T12:30:00Z")
	require.Equal(t, []string{"booked"}, nichetest.Problem(t, err).Reasons)
	require.Equal(t, "10:30–11:30", d.Wall(wednesday).Lanes[0].Visits[0].Label, "a refused move changes nothing")
	require.NoError(t, d.Cancel(b))
	_, err = d.Move(b, ten)
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, err).Status)
	require.Empty(t, nichetest.WrongClaims(d))
}

func TestAChangeOfRulesNamesTheBookingsThatNoLongerFit(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	b, err := d.Book(ten)
	require.NoError(t, err)
	nobody := nichetest.Problem(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff = []store.ID{} }))
	require.Equal(t, []string{"not-performed"}, nobody.Misfits[0].Reasons)
	path := fmt.Sprintf("/api/staff/%d/hours", d.Staff.ID)
	afternoons := api.Hours{Patterns: []casefile.Pattern{{From: "2020-01-01", Cycle: []map[string]casefile.Day{{"wed": {Spans: []casefile.WallSpan{{"13:00", "17:00"}}}}}}}}
	p := nichetest.Problem(t, d.Change(t.Context(), path, afternoons, nil))
	require.Equal(t, http.StatusConflict, p.Status)
	require.Equal(t, 1, p.MisfitCount)
	require.Equal(t, []fit.Misfit{{ID: 1, Reference: b.Reference, Client: "Rosa Osei", Service: "Home tuning", Staff: "Bryn Castellane", When: "Wed 4 Mar 2026, 10:00–11:00", Reasons: []string{"outside-hours"}}}, p.Misfits)
	require.Contains(t, d.Starts(wednesday), "09:00", "nothing was saved")
	require.NoError(t, d.Change(t.Context(), path+"?accept=1", afternoons, nil))
	require.Equal(t, "13:00 14:00 15:00 16:00", d.Starts(wednesday))
	require.Equal(t, "confirmed", d.Wall(wednesday).Lanes[0].Visits[0].Status, "and the booking stands")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.BufferAfter = 10 }), "what did not fit before is not counted again")
}

// Three hundred clients at once book, move and cancel visits of all kinds, as a
// seed says. Whatever happens in whatever order, the promise holds afterwards.
func TestThreeHundredClientsAtOnce(t *testing.T) {
	const seed, clients = 20260302, 300
	d := nichetest.OpenDesk(t, nil)
	team := []store.ID{d.Staff.ID}
	for i := range 9 {
		team = append(team, d.AddStaff(fmt.Sprintf("Staff %d", i+2)))
	}
	d.AddResource("Bay 1", "bay")
	d.AddResource("Bay 2", "bay")
	d.AddResource("The van", "van")
	limit := 3
	services := []desk.Service{
		d.AddService("Tuning", func(f *desk.ServiceFields) {
			f.Staff, f.Pick, f.Step, f.BufferBefore, f.BufferAfter = team, "fewest", 30, 20, 20
		}),
		d.AddService("Capped", func(f *desk.ServiceFields) { f.Staff, f.Pick, f.CapPerDay = team[:4], "turn", &limit }),
		d.AddService("Class", func(f *desk.ServiceFields) { f.Staff, f.Places = team[2:5], 8 }),
		d.AddService("Regulation", func(f *desk.ServiceFields) { f.Staff, f.Needs, f.Step = team[4:], []string{"bay"}, 30 }),
		d.AddService("Moving", func(f *desk.ServiceFields) { f.Staff, f.Staffing, f.Needs = team[5:7], "all", []string{"van"} }),
	}
	may := map[string][]string{"Tuning": {"booked"}, "Capped": {"booked", "cap"}, "Class": {"booked"}, "Regulation": {"booked", "resource"}, "Moving": {"booked", "resource"}}
	var starts []string
	for hour := 9; hour < 17; hour++ {
		starts = append(starts, fmt.Sprintf("%sT%02d:00:00Z", wednesday, hour))
	}
	type refusal struct {
		service string
		err     error
	}
	var mu sync.Mutex
	var refusals []refusal
	done := map[string]int{}
	note := func(what, service string, err error) {
		mu.Lock()
		defer mu.Unlock()
		if err != nil {
			refusals = append(refusals, refusal{service, err})
			what += " refused"
		}
		done[what]++
	}
	var all sync.WaitGroup
	begin := make(chan struct{})
	for n := range clients {
		all.Go(func() {
			r := rand.New(rand.NewPCG(seed, uint64(n)))
			s := services[r.IntN(len(services))]
			start, places := starts[r.IntN(len(starts))], 1
			if s.Places > 1 {
				places = 1 + r.IntN(3)
			}
			moves, cancels, to := r.IntN(3) == 0, r.IntN(4) == 0, starts[r.IntN(len(starts))]
			<-begin
			mine := d.On(s)
			b, err := mine.Ask(client.NewBooking{Start: nichetest.At(start), Places: places})
			note("book", s.Name, err)
			if err != nil {
				return
			}
			if moves {
				_, err := mine.Move(b, to)
				note("move", s.Name, err)
			}
			if cancels {
				note("cancel", s.Name, mine.Cancel(b))
			}
		})
	}
	close(begin)
	all.Wait()
	require.Empty(t, nichetest.WrongClaims(d), "seed %d", seed)
	for _, r := range refusals {
		p := nichetest.Problem(t, r.err)
		require.Equal(t, http.StatusConflict, p.Status, p.Detail)
		require.NotEmpty(t, p.Reasons)
		for _, reason := range p.Reasons {
			// Where there is one place, a booking at the same start also means that none is left.
			require.True(t, reason == "places" || slices.Contains(may[r.service], reason), "%s was refused for %v", r.service, p.Reasons)
		}
	}
	for _, what := range []string{"book", "book refused", "move", "move refused", "cancel"} {
		require.NotZero(t, done[what], "the seed makes clients do everything: %v", done)
	}
}
