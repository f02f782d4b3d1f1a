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
	"gorm.io/gorm"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/schedule"
	"niche/internal/serve"
	"niche/internal/store"
)

// BenchmarkStartsOverHTTP asks for a service's page with twenty staff members
// over sixty days, each with ten busy spans a day, at 200 requests a second, and
// reports how long the answers took.
func BenchmarkStartsOverHTTP(b *testing.B) {
	const staff, days, busy, rate = 20, 60, 10, 200
	defer debug.SetGCPercent(debug.SetGCPercent(serve.GCPercent)) // as the program does
	d := openDesk(b, nil)
	team := []store.ID{d.staff.ID}
	for i := range staff - 1 {
		team = append(team, d.addStaff(fmt.Sprintf("Staff %d", i+2)))
	}
	require.NoError(b, d.save(0, func(f *api.ServiceFields) {
		f.Staff, f.Step, f.BufferBefore, f.BufferAfter, f.WindowDays = team, 15, 20, 20, days
	}))
	db, err := store.Open(d.data)
	require.NoError(b, err)
	require.NoError(b, db.Write(b.Context(), func(tx *gorm.DB) error {
		for _, id := range team {
			l := store.Link{StaffID: id, Address: "x", Username: fmt.Sprint(id), Secret: []byte{}, Mails: []string{}}
			if err := tx.Create(&l).Error; err != nil {
				return err
			}
			c := store.Calendar{LinkID: l.ID, Href: "/c/", Name: "C", Blocks: true, State: store.Fresh, NextAt: 1 << 40}
			if err := tx.Create(&c).Error; err != nil {
				return err
			}
			for n := range days * busy {
				o := store.Object{CalendarID: c.ID, Href: fmt.Sprint(n)}
				start := span.At(morning).Add(span.Minutes(n * 1440 / busy))
				if err := tx.Create(&o).Error; err != nil {
					return err
				}
				if err := tx.Create(&store.BusySpan{CalendarID: c.ID, Href: o.Href, Start: start, End: start.Add(25)}).Error; err != nil {
					return err
				}
			}
			if err := schedule.PackBusy(tx, c.ID); err != nil {
				return err
			}
		}
		return nil
	}))
	require.NoError(b, db.Close())
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
