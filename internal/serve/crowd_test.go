package serve_test

import (
	"errors"
	"fmt"
	"net/http"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// openCrowd is a desk at which some people perform a service: its page has forty starts of each.
func openCrowd(t testing.TB, people int) *nichetest.Desk {
	d := nichetest.OpenDesk(t, nil)
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) {
		f.Pick = "turn"
		for i := range people - 1 {
			f.Staff = append(f.Staff, d.AddStaff(fmt.Sprint("Person ", i)))
		}
	}))
	return d
}

// visitor is a client who opens the page, and books one of its starts. Who is told that it takes too long tries again, as the
// page does, with the same key.
func visitor(t testing.TB, d *nichetest.Desk, n int) (took time.Duration, status int) {
	c := demo.NewClient(d.Address)
	try := func(do func() error) int {
		for {
			began := time.Now()
			err := do()
			took = max(took, time.Since(began))
			var p *api.Problem
			switch {
			case err == nil:
				return http.StatusCreated
			case errors.As(err, &p) && p.Status != http.StatusServiceUnavailable:
				return p.Status
			case t.Context().Err() != nil:
				return 0
			}
		}
	}
	var page client.Page
	try(func() error { return c.Get(t.Context(), "/api/pages/home-tuning?zone=Europe/Dublin", &page) })
	var starts []client.PageStart
	for _, day := range page.Days {
		starts = append(starts, day.Starts...)
	}
	if len(starts) == 0 {
		return took, http.StatusConflict
	}
	ask := client.NewBooking{Start: starts[n*7919%len(starts)].At, Name: fmt.Sprint("Client ", n), Email: fmt.Sprintf("client%d@clients.example", n), Zone: "Europe/Dublin", Clock: "24", Key: fmt.Sprintf("client-%d-of-a-thousand", n)}
	status = try(func() error { return c.Post(t.Context(), "/api/pages/home-tuning/bookings", ask, nil) })
	return took, status
}

// A thousand clients come to one page at the same moment: nobody has what another has, and nobody is lost.
func TestAThousandClientsAtOnce(t *testing.T) {
	d := openCrowd(t, 5)
	var all sync.WaitGroup
	statuses := make([]int, 1000)
	for n := range statuses {
		all.Go(func() { _, statuses[n] = visitor(t, d, n) })
	}
	all.Wait()
	counts := map[int]int{}
	for _, s := range statuses {
		counts[s]++
	}
	t.Logf("answers by status: %v", counts)
	require.Len(t, counts, 2, "each is booked, or told that somebody else was before")
	require.Equal(t, counts[http.StatusCreated], d.Count("bookings WHERE status = 'confirmed'"))
	require.Equal(t, counts[http.StatusCreated], d.Count("clients"))
	require.Equal(t, 1000, counts[http.StatusCreated]+counts[http.StatusConflict])
	require.Greater(t, counts[http.StatusCreated], 100)
	require.Empty(t, nichetest.WrongClaims(d))
}

// BenchmarkCrowd is a thousand clients who come to one page over some time.
func BenchmarkCrowd(b *testing.B) {
	for _, over := range []time.Duration{30 * time.Second, 10 * time.Second, 5 * time.Second} {
		b.Run(over.String(), func(b *testing.B) {
			for b.Loop() {
				d := openCrowd(b, 10)
				var all sync.WaitGroup
				times := make([]time.Duration, 1000)
				for n := range times {
					all.Go(func() {
						time.Sleep(time.Duration(n) * over / 1000)
						times[n], _ = visitor(b, d, n)
					})
				}
				all.Wait()
				slices.Sort(times)
				b.ReportMetric(float64(times[500].Microseconds())/1000, "p50-ms")
				b.ReportMetric(float64(times[990].Microseconds())/1000, "p99-ms")
				b.ReportMetric(float64(times[999].Microseconds())/1000, "max-ms")
			}
		})
	}
}

// BenchmarkCollection asks for a page of forty services, each performed by ten people: one request for all starts.
func BenchmarkCollection(b *testing.B) {
	d := openCrowd(b, 10)
	part := desk.CollectionPart{Services: []store.ID{d.Service.ID}}
	for i := range 39 {
		part.Services = append(part.Services, d.AddService(fmt.Sprint("Service ", i), func(*desk.ServiceFields) {}).ID)
	}
	require.NoError(b, d.Post(b.Context(), "/api/collections", desk.CollectionFields{Title: "All", Parts: []desk.CollectionPart{part}}, nil))
	c := demo.NewClient(d.Address)
	for b.Loop() {
		var seen client.Collected
		require.NoError(b, c.Get(b.Context(), "/api/collections/all", &seen))
		require.Len(b, seen.Parts[0].Services, 40)
	}
}
