package serve_test

import (
	"fmt"
	"io"
	"net/http"
	"runtime/debug"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/blocking"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

// BenchmarkStartsOverHTTP asks for a service's page with twenty staff members
// over sixty days, each with ten busy spans a day, at 200 requests a second, and
// reports how long the answers took.
func BenchmarkStartsOverHTTP(b *testing.B) {
	const staff, days, busy, rate = 20, 60, 10, 200
	defer debug.SetGCPercent(debug.SetGCPercent(serve.GCPercent)) // as the program does
	d := nichetest.OpenDesk(b, nil)
	team := []store.ID{d.Staff.ID}
	for i := range staff - 1 {
		team = append(team, d.AddStaff(fmt.Sprintf("Staff %d", i+2)))
	}
	require.NoError(b, d.Save(0, func(f *desk.ServiceFields) {
		f.Staff, f.Step, f.BufferBefore, f.BufferAfter, f.Window = team, 15, 20, 20, desk.Ahead(days)
	}))
	d.Restart(func(db *store.DB) {
		require.NoError(b, db.Write(b.Context(), func(tx store.Tx) error {
			for _, id := range team {
				l := store.Link{StaffID: id, Address: "x", Username: fmt.Sprint(id), Secret: []byte{}, Mails: []string{}, NextAt: store.Never}
				require.NoError(b, tx.SaveLink(&l))
				c := store.Calendar{LinkID: l.ID, Href: "/c/", Name: "C", Blocks: true, State: store.Fresh, KnownTo: store.Never, NextAt: store.Never}
				require.NoError(b, tx.SaveCalendar(&c))
				var objects []store.Object
				var spans []store.BusySpan
				for n := range days * busy {
					start := span.At(nichetest.Morning).Add(span.Minutes(n * 1440 / busy))
					objects = append(objects, store.Object{CalendarID: c.ID, Href: fmt.Sprint(n)})
					spans = append(spans, store.BusySpan{CalendarID: c.ID, Href: fmt.Sprint(n), Start: start, End: start.Add(25)})
				}
				require.NoError(b, tx.AddObjects(objects, spans, nil))
				require.NoError(b, blocking.Pack(tx, c.ID))
			}
			return nil
		}))
	}, func(*serve.Settings) {})
	client := &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 64}}
	url := d.Address + "/api/pages/home-tuning"
	var took []time.Duration
	for b.Loop() {
		var mu sync.Mutex
		var all sync.WaitGroup
		tick := time.NewTicker(time.Second / rate)
		for range 5 * rate {
			<-tick.C
			all.Go(func() {
				begun := time.Now()
				res, err := client.Get(url)
				if err == nil {
					_, err = io.Copy(io.Discard, res.Body)
					_ = res.Body.Close()
				}
				mu.Lock()
				defer mu.Unlock()
				took = append(took, time.Since(begun))
				if err != nil || res.StatusCode != http.StatusOK {
					b.Errorf("asking for starts: %v", err)
				}
			})
		}
		tick.Stop()
		all.Wait()
	}
	slices.Sort(took)
	b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, "p50-ms")
	b.ReportMetric(float64(took[len(took)*99/100].Microseconds())/1000, "p99-ms")
	b.ReportMetric(0, "ns/op")
}

// BenchmarkChangingSomebodyWithManyBookings changes a staff member who has 4 800
// bookings ahead: first a mail address, which touches no booking, then the hours, which
// touch all; and reports the longest that another write had to wait meanwhile.
func BenchmarkChangingSomebodyWithManyBookings(b *testing.B) {
	const bookings = 4800
	d := nichetest.OpenDesk(b, nil)
	numbers := fmt.Sprintf("WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < %d) ", bookings)
	start := fmt.Sprintf("%d + 7200 * i", nichetest.Morning.Unix())
	d.Exec(numbers + `INSERT INTO visits (id, service_id, uid, start, "end", buffer_before, buffer_after) SELECT i, 1, i, ` + start + `, ` + start + ` + 3600, 0, 0 FROM n`)
	d.Exec(numbers + `INSERT INTO visit_staff (visit_id, staff_id) SELECT i, 1 FROM n`)
	d.Exec(numbers + `INSERT INTO claims (visit_id, subject, start, "end") SELECT i, 'staff:1', ` + start + `, ` + start + ` + 3600 FROM n`)
	d.Exec(numbers + `INSERT INTO bookings (visit_id, reference, token_hash, status, client_name, client_mail, client_zone, created_at) SELECT i, i, i, 'confirmed', 'A', 'a@x.example', 'UTC', 0 FROM n`)
	measure := func(name, path string, body any) {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				ended := make(chan error, 1)
				go func() { ended <- d.Change(b.Context(), path, body, nil) }()
				longest := time.Duration(0)
				for done := false; !done; {
					begun := time.Now()
					d.Exec("UPDATE businesses SET name = name")
					longest = max(longest, time.Since(begun))
					select {
					case err := <-ended:
						require.NoError(b, err)
						done = true
					default:
					}
				}
				b.ReportMetric(float64(longest.Microseconds())/1000, "ms-longest-wait")
			}
		})
	}
	path := fmt.Sprintf("/api/staff/%d", d.Staff.ID)
	measure("address", path, desk.StaffFields{Name: "Bryn", Zone: "Europe/Dublin", Email: "bryn@x.example"})
	var hours api.Hours
	require.NoError(b, d.Get(b.Context(), path+"/hours", &hours))
	measure("hours", path+"/hours?accept=100000", api.Hours{Patterns: hours.Patterns})
}
