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
	"niche/internal/api"
	"niche/internal/demo"
	"niche/internal/store"
)

// addStaff adds somebody who works as the desk's first person does.
func (d *desk) addStaff(name string) store.ID {
	var m api.StaffMember
	require.NoError(d.t, d.Post(d.t.Context(), "/api/staff", api.StaffFields{Name: name, Zone: "Europe/Dublin"}, &m))
	d.hours(m.ID)
	return m.ID
}

// addService adds a service that differs from the desk's first one.
func (d *desk) addService(name string, change func(*api.ServiceFields)) (s api.Service) {
	f := d.service.ServiceFields
	f.Name, f.Slug = name, ""
	change(&f)
	require.NoError(d.t, d.Post(d.t.Context(), "/api/services", f, &s))
	return s
}

// save changes the desk's service.
func (d *desk) save(accept int, change func(*api.ServiceFields)) error {
	f := d.service.ServiceFields
	change(&f)
	err := d.Put(d.t.Context(), fmt.Sprintf("/api/services/%d?accept=%d", d.service.ID, accept), f, &d.service)
	return err
}

func (d *desk) addResource(name, kind string) {
	require.NoError(d.t, d.Post(d.t.Context(), "/api/resources", api.ResourceFields{Name: name, Kind: kind}, nil))
}

// on returns the desk with another of its services in front.
func (d *desk) on(s api.Service) *desk {
	other := *d
	other.service = s
	return &other
}

// ask books for a client with a request of their own.
func (d *desk) ask(b api.NewBooking) (out api.Booked, err error) {
	b.Name, b.Zone, b.Clock = "A client", "Europe/Dublin", "24"
	if b.Email == "" {
		b.Email = "client@clients.example"
	}
	err = demo.NewClient(d.Address).Post(d.t.Context(), "/api/pages/"+d.service.Slug+"/bookings", b, &out)
	return out, err
}

func (d *desk) move(b api.Booked, to string) (out api.Booked, err error) {
	path := strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1) + "/move"
	err = demo.NewClient(d.Address).Post(d.t.Context(), path, api.Move{Start: to}, &out)
	return out, err
}

func (d *desk) cancel(b api.Booked) error {
	return demo.NewClient(d.Address).Post(d.t.Context(), strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1)+"/cancel", nil, nil)
}

const ten, eleven, noon = wednesday + "T10:00:00Z", wednesday + "T11:00:00Z", wednesday + "T12:00:00Z"

func TestEveryRuleIsKeptByThePageAndByTheTakingOfABooking(t *testing.T) {
	const all = "09:00 10:00 11:00 12:00 13:00 14:00 15:00 16:00"
	cap2, cap0 := 1, 0
	for _, c := range []struct {
		name   string
		change func(*api.ServiceFields)
		booked bool // one visit at noon before
		date   string
		starts string
		reason string // of a start at 10:00, where it is refused
	}{
		{"as it is", func(*api.ServiceFields) {}, false, wednesday, all, ""},
		{"a booking in the way", func(*api.ServiceFields) {}, true, wednesday, "09:00 10:00 11:00 13:00 14:00 15:00 16:00", ""},
		{"a cap", func(f *api.ServiceFields) { f.CapPerDay = &cap2 }, true, wednesday, "", "cap"},
		{"a cap of none", func(f *api.ServiceFields) { f.CapPerDay = &cap0 }, false, wednesday, "", "cap"},
		{"a notice in minutes", func(f *api.ServiceFields) { f.NoticeKind, f.Notice = "minutes", 54*60 }, false, wednesday, "14:00 15:00 16:00", "notice"},
		{"a notice by the day before, kept", func(f *api.ServiceFields) { f.NoticeKind, f.NoticeDays, f.NoticeBy = "day", 2, "08:30" }, false, wednesday, all, ""},
		{"a notice by the day before, missed", func(f *api.ServiceFields) { f.NoticeKind, f.NoticeDays, f.NoticeBy = "day", 2, "07:30" }, false, wednesday, "", "notice"},
		{"a window of days", func(f *api.ServiceFields) { f.WindowDays = 1 }, false, wednesday, "", "window"},
		{"a window of dates", func(f *api.ServiceFields) { f.WindowKind, f.WindowFrom = "dates", "2026-03-05" }, false, wednesday, "", "window"},
		{"no window", func(f *api.ServiceFields) { f.WindowKind = "none" }, false, wednesday, all, ""},
		{"buffers inside hours", func(f *api.ServiceFields) { f.BufferBefore, f.BuffersInsideHours = 90, true }, false, wednesday, "11:00 12:00 13:00 14:00 15:00 16:00", "outside-hours"},
		{"a longer step from opening", func(f *api.ServiceFields) { f.Anchor, f.Step = "opening", 150 }, false, wednesday, "09:00 11:30 14:00", "outside-hours"},
		{"a kind of room of which there is none", func(f *api.ServiceFields) { f.Needs = []string{"hall"} }, false, wednesday, "", "resource"},
		{"a pause", func(f *api.ServiceFields) { f.Paused = true }, false, wednesday, "", "paused"},
	} {
		t.Run(c.name, func(t *testing.T) {
			d := openDesk(t, nil)
			if c.booked {
				_, err := d.book(noon)
				require.NoError(t, err)
			}
			require.NoError(t, d.save(1, c.change))
			require.Equal(t, c.starts, d.starts(c.date))
			_, err := d.book(ten)
			if c.reason == "" {
				require.NoError(t, err)
				return
			}
			require.Contains(t, problem(t, err).Reasons, c.reason)
		})
	}
}

func TestHoursOneOffDaysAbsencesAndClosures(t *testing.T) {
	d := openDesk(t, nil)
	ctx := t.Context()
	first, second := map[string]casefile.Day{"wed": {Spans: []casefile.WallSpan{{"09:00", "11:00"}}}}, map[string]casefile.Day{"wed": {Spans: []casefile.WallSpan{{"18:00", "02:00"}}, Breaks: []casefile.WallSpan{{"00:00", "01:00"}}}}
	april := "2026-04-30"
	patterns := api.Hours{Patterns: []casefile.Pattern{{From: "2026-03-01", Cycle: []map[string]casefile.Day{first, second}}, {From: "2026-04-01", Until: &april, Cycle: []map[string]casefile.Day{{}}}}}
	require.NoError(t, d.Put(ctx, fmt.Sprintf("/api/staff/%d/hours", d.staff.ID), patterns, nil))
	days := api.Days{OneOffs: []api.OneOff{{OneOff: casefile.OneOff{Date: "2026-03-18", Spans: []casefile.WallSpan{{"12:00", "14:00"}}}}},
		Absences: []api.Absence{{From: "2026-03-25", Until: "2026-05-06", Note: "Sailing"}}}
	require.NoError(t, d.Put(ctx, fmt.Sprintf("/api/staff/%d/days", d.staff.ID), days, nil))
	var got api.Days
	require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/staff/%d/days", d.staff.ID), &got))
	require.Equal(t, days.Absences, got.Absences)
	for date, want := range map[string]string{
		wednesday:    "18:00 19:00 20:00 21:00 22:00 23:00", // 1 March is a Sunday, so Wednesday is in the cycle's second week
		"2026-03-05": "01:00",
		"2026-03-11": "09:00 10:00", "2026-03-18": "12:00 13:00", "2026-03-25": "", "2026-04-08": "", "2026-05-13": "18:00 19:00 20:00 21:00 22:00 23:00",
	} {
		require.Equal(t, want, d.starts(date), date)
	}

	holidays := "BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nUID:a\r\nDTSTART;VALUE=DATE:20200311\r\nRRULE:FREQ=YEARLY\r\nSUMMARY:Harbour day\r\nTRANSP:TRANSPARENT\r\nEND:VEVENT\r\n" +
		"BEGIN:VEVENT\r\nUID:b\r\nDTSTART:20260312T100000Z\r\nSUMMARY:Not a whole day\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
	var found api.Imported
	require.NoError(t, d.Post(ctx, "/api/closures/import", api.Import{Text: holidays}, &found))
	require.Equal(t, []api.Closure{{Date: "2026-03-11", Name: "Harbour day"}, {Date: "2027-03-11", Name: "Harbour day"}}, found.Items)
	require.Equal(t, "text", problem(t, d.Post(ctx, "/api/closures/import", api.Import{Text: "<html>"}, nil)).Errors[0].Field)
	require.Contains(t, problem(t, d.Post(ctx, "/api/closures/import", api.Import{Address: "http://127.0.0.1:1/x.ics"}, nil)).Errors[0].Message, "own network")
	require.NoError(t, d.Put(ctx, "/api/closures", api.Closures{Items: found.Items}, nil))
	require.Empty(t, d.starts("2026-03-11"))

	days.Absences[0].Until = "2026-03-01"
	days.OneOffs[0].Spans[0][1] = "25:00"
	p := problem(t, d.Put(ctx, fmt.Sprintf("/api/staff/%d/days", d.staff.ID), days, nil))
	require.Equal(t, []string{"oneOffs[0].spans[0][1]", "absences[0].until"}, []string{p.Errors[0].Field, p.Errors[1].Field}, "several faults at once")
}

func TestHowOneOfSeveralIsPicked(t *testing.T) {
	for _, c := range []struct {
		pick string
		asks []api.NewBooking
		who  string
		why  string
	}{
		{"order", []api.NewBooking{{Start: ten}, {Start: eleven}, {Start: eleven}}, "Bryn Castellane, Bryn Castellane, Cleo", "Nobody else could take it."},
		{"fewest", []api.NewBooking{{Start: ten}, {Start: eleven}, {Start: noon}}, "Bryn Castellane, Cleo, Bryn Castellane", "Fewest visits that day: Bryn Castellane 1, Cleo 1."},
		{"turn", []api.NewBooking{{Start: ten}, {Start: eleven}, {Start: noon}}, "Bryn Castellane, Cleo, Bryn Castellane", "In turn: was picked for this service longest ago."},
		{"last", []api.NewBooking{{Start: ten, Staff: 2, Email: "a@b.example"}, {Start: eleven, Email: "c@d.example"}, {Start: noon, Email: "a@b.example"}}, "Cleo, Bryn Castellane, Cleo", "The client had this person last."},
	} {
		t.Run(c.pick, func(t *testing.T) {
			d := openDesk(t, nil)
			cleo := d.addStaff("Cleo")
			require.EqualValues(t, 2, cleo)
			require.NoError(t, d.save(0, func(f *api.ServiceFields) { f.Pick = c.pick; f.Staff = append(f.Staff, cleo) }))
			var who []string
			for _, a := range c.asks {
				b, err := d.ask(a)
				require.NoError(t, err)
				who = append(who, b.With)
			}
			require.Equal(t, c.who, strings.Join(who, ", "))
			var why []string
			for _, l := range d.wall(wednesday).Lanes {
				for _, v := range l.Visits {
					why = append(why, v.Picked)
				}
			}
			require.Contains(t, why, c.why)
		})
	}
}

func TestSharedVisitsJointVisitsAndRooms(t *testing.T) {
	_, host := openCloud(t, nil)
	d := openDesk(t, nil, hostOf(host))
	d.link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	cleo := d.addStaff("Cleo")
	d.addResource("The van", "van")
	class := d.on(d.addService("Care class", func(f *api.ServiceFields) { f.Places = 4; f.Lengths = []int{90} }))

	first, err := class.ask(api.NewBooking{Start: ten, Places: 2})
	require.NoError(t, err)
	_, err = class.ask(api.NewBooking{Start: ten, Places: 3})
	require.Equal(t, []string{"places"}, problem(t, err).Reasons)
	second, err := class.ask(api.NewBooking{Start: ten})
	require.NoError(t, err)
	visits := d.wall(wednesday).Lanes[0].Visits
	require.Len(t, visits, 1, "a shared visit is one")
	require.Equal(t, "3 of 4 places", visits[0].Client)
	d.until("the copy names both", func() bool {
		e := lookFrom(t, host.URL, "bryn@castellane.example", "app-key-secret").events("Work")
		return len(e) == 1 && strings.Contains(e[0], first.Reference) && strings.Contains(strings.ReplaceAll(e[0], "\r\n ", ""), second.Reference)
	})
	_, err = class.ask(api.NewBooking{Start: wednesday + "T14:00:00Z", Length: 90})
	require.NoError(t, err)
	_, err = class.ask(api.NewBooking{Start: wednesday + "T15:00:00Z"})
	require.Equal(t, []string{"booked"}, problem(t, err).Reasons, "the longer visit takes half of the next hour")
	require.Equal(t, "length", problem(t, func() error { _, err := class.ask(api.NewBooking{Start: noon, Length: 75}); return err }()).Errors[0].Field)

	require.NoError(t, d.cancel(first))
	require.Equal(t, "1 of 4 places", d.wall(wednesday).Lanes[0].Visits[0].Client)
	moved, err := class.move(second, noon)
	require.NoError(t, err)
	require.Equal(t, "Wednesday 4 March 2026, 12:00–13:00", moved.When)
	require.Contains(t, d.starts(wednesday), "10:00", "the old time is free")

	joint := d.on(d.addService("Piano moving", func(f *api.ServiceFields) {
		f.Staffing, f.Needs, f.Staff = "all", []string{"van"}, []store.ID{d.staff.ID, cleo}
	}))
	_, err = joint.ask(api.NewBooking{Start: noon})
	require.Equal(t, []string{"booked"}, problem(t, err).Reasons, "one of the two is busy")
	both, err := joint.ask(api.NewBooking{Start: ten})
	require.NoError(t, err)
	require.Equal(t, "Bryn Castellane and Cleo", both.With)
	alone := d.on(d.addService("Delivery", func(f *api.ServiceFields) { f.Needs, f.Staff = []string{"van"}, []store.ID{d.addStaff("Dov")} }))
	_, err = alone.ask(api.NewBooking{Start: ten})
	require.Equal(t, []string{"resource"}, problem(t, err).Reasons, "the van is out")
	lane := d.wall(wednesday).Lanes[1]
	require.Equal(t, []string{"Bryn Castellane", "The van"}, lane.Visits[0].With)
	require.NoError(t, d.cancel(both))
	_, err = alone.ask(api.NewBooking{Start: ten})
	require.NoError(t, err, "and back")
}

func TestMovingKeepsTheOldClaimUntilTheNewOneStands(t *testing.T) {
	_, host := openCloud(t, nil)
	d := openDesk(t, func(f *api.ServiceFields) { f.Step, f.BufferAfter = 30, 15 }, hostOf(host))
	d.link(host.URL, "bryn@castellane.example", "app-key-secret", "Family", "Work")
	b, err := d.book(ten)
	require.NoError(t, err)
	d.until("the copy is read back", func() bool { return fmt.Sprint(d.copies(wednesday)) == "[read back]" })
	uid := func() string {
		events := lookFrom(t, host.URL, "bryn@castellane.example", "app-key-secret").events("Work")
		require.Len(t, events, 1)
		_, rest, _ := strings.Cut(events[0], "UID:")
		id, _, _ := strings.Cut(rest, "\r\n")
		return id
	}
	before := uid()
	moved, err := d.move(b, wednesday+"T10:30:00Z")
	require.NoError(t, err, "a move over its own old time")
	require.Equal(t, "Wednesday 4 March 2026, 10:30–11:30", moved.When)
	require.Equal(t, b.Reference, moved.Reference)
	d.until("the copy is written anew", func() bool { return fmt.Sprint(d.copies(wednesday)) == "[read back]" })
	require.Equal(t, before, uid(), "it keeps its UID for ever")

	_, err = d.book(wednesday + "T13:00:00Z")
	require.NoError(t, err)
	_, err = d.move(b, wednesday+"T12:30:00Z")
	require.Equal(t, []string{"booked"}, problem(t, err).Reasons)
	require.Equal(t, "10:30–11:30", d.wall(wednesday).Lanes[0].Visits[0].Label, "a refused move changes nothing")
	require.NoError(t, d.cancel(b))
	_, err = d.move(b, ten)
	require.Equal(t, http.StatusConflict, problem(t, err).Status)
	require.Empty(t, wrongClaims(t, d))
}

func TestAChangeOfRulesNamesTheBookingsThatNoLongerFit(t *testing.T) {
	d := openDesk(t, nil)
	b, err := d.book(ten)
	require.NoError(t, err)
	nobody := problem(t, d.save(0, func(f *api.ServiceFields) { f.Staff = []store.ID{} }))
	require.Equal(t, []string{"not-performed"}, nobody.Misfits[0].Reasons)
	path := fmt.Sprintf("/api/staff/%d/hours", d.staff.ID)
	afternoons := api.Hours{Patterns: []casefile.Pattern{{From: "2020-01-01", Cycle: []map[string]casefile.Day{{"wed": {Spans: []casefile.WallSpan{{"13:00", "17:00"}}}}}}}}
	p := problem(t, d.Put(t.Context(), path, afternoons, nil))
	require.Equal(t, http.StatusConflict, p.Status)
	require.Equal(t, 1, p.MisfitCount)
	require.Equal(t, []api.Misfit{{ID: 1, Reference: b.Reference, Client: "Rosa Osei", Service: "Home tuning", Staff: "Bryn Castellane", When: "Wed 4 Mar 2026, 10:00–11:00", Reasons: []string{"outside-hours"}}}, p.Misfits)
	require.Contains(t, d.starts(wednesday), "09:00", "nothing was saved")
	require.NoError(t, d.Put(t.Context(), path+"?accept=1", afternoons, nil))
	require.Equal(t, "13:00 14:00 15:00 16:00", d.starts(wednesday))
	require.Equal(t, "confirmed", d.wall(wednesday).Lanes[0].Visits[0].Status, "and the booking stands")
	require.NoError(t, d.save(0, func(f *api.ServiceFields) { f.BufferAfter = 10 }), "what did not fit before is not counted again")
}

// wrongClaims returns what contradicts the promise in the database: claims that
// overlap, places sold twice, claims without a booking, and bookings whose time
// is not wholly claimed for everybody and everything.
func wrongClaims(t *testing.T, d *desk) (wrong []string) {
	db, err := store.Open(d.data)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	for what, query := range map[string]string{
		"claims overlap": `SELECT a.id FROM claims a JOIN claims b ON a.id < b.id AND a.subject = b.subject AND a.start < b."end" AND b.start < a."end"`,
		"places sold twice": `SELECT v.id FROM visits v JOIN services s ON s.id = v.service_id JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
			GROUP BY v.id HAVING SUM(b.places) > MAX(s.places)`,
		"a claim without a booking": `SELECT c.id FROM claims c WHERE NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = c.visit_id AND b.status <> 'cancelled')`,
		"a held booking left over":  `SELECT id FROM bookings WHERE status = 'held'`,
		"a visit without a booking": `SELECT id FROM visits v WHERE NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id) AND NOT EXISTS (SELECT 1 FROM copies c WHERE c.visit_id = v.id)`,
		"time not claimed": `SELECT n.visit_id FROM (SELECT visit_id, 'staff:' || staff_id AS subject FROM visit_staff UNION ALL SELECT visit_id, 'resource:' || resource_id FROM visit_resources) n
			JOIN visits v ON v.id = n.visit_id WHERE EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled')
			AND NOT EXISTS (SELECT 1 FROM claims c WHERE c.visit_id = v.id AND c.subject = n.subject AND c.start = v.start - 60 * v.buffer_before AND c."end" = v."end" + 60 * v.buffer_after)`,
		"a visit without its room": `SELECT v.id FROM visits v JOIN services s ON s.id = v.service_id WHERE EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id AND b.status <> 'cancelled')
			AND json_array_length(s.needs) <> (SELECT COUNT(*) FROM visit_resources r WHERE r.visit_id = v.id)`,
	} {
		var ids []int64
		require.NoError(t, db.Read(t.Context()).Raw(query).Scan(&ids).Error)
		if len(ids) > 0 {
			wrong = append(wrong, fmt.Sprintf("%s: %v", what, ids))
		}
	}
	return wrong
}

// Three hundred clients at once book, move and cancel visits of all kinds, as a
// seed says. Whatever happens in whatever order, the promise holds afterwards.
func TestThreeHundredClientsAtOnce(t *testing.T) {
	const seed, clients = 20260302, 300
	d := openDesk(t, nil)
	team := []store.ID{d.staff.ID}
	for i := range 9 {
		team = append(team, d.addStaff(fmt.Sprintf("Staff %d", i+2)))
	}
	d.addResource("Bay 1", "bay")
	d.addResource("Bay 2", "bay")
	d.addResource("The van", "van")
	limit := 3
	services := []api.Service{
		d.addService("Tuning", func(f *api.ServiceFields) {
			f.Staff, f.Pick, f.Step, f.BufferBefore, f.BufferAfter = team, "fewest", 30, 20, 20
		}),
		d.addService("Capped", func(f *api.ServiceFields) { f.Staff, f.Pick, f.CapPerDay = team[:4], "turn", &limit }),
		d.addService("Class", func(f *api.ServiceFields) { f.Staff, f.Places = team[2:5], 8 }),
		d.addService("Regulation", func(f *api.ServiceFields) { f.Staff, f.Needs, f.Step = team[4:], []string{"bay"}, 30 }),
		d.addService("Moving", func(f *api.ServiceFields) { f.Staff, f.Staffing, f.Needs = team[5:7], "all", []string{"van"} }),
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
			mine := d.on(s)
			b, err := mine.ask(api.NewBooking{Start: start, Places: places})
			note("book", s.Name, err)
			if err != nil {
				return
			}
			if moves {
				_, err := mine.move(b, to)
				note("move", s.Name, err)
			}
			if cancels {
				note("cancel", s.Name, mine.cancel(b))
			}
		})
	}
	close(begin)
	all.Wait()
	require.Empty(t, wrongClaims(t, d), "seed %d", seed)
	for _, r := range refusals {
		p := problem(t, r.err)
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
