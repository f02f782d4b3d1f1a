package serve_test

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"runtime/debug"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/store"
)

// openCrowd is a desk at which some people perform a service: its page has forty starts of each.
func openCrowd(t testing.TB, people int) *nichetest.Desk {
	before := debug.SetGCPercent(serve.GCPercent) // as the program does
	t.Cleanup(func() { debug.SetGCPercent(before) })
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
// page does, with the same key. Looked and booked are how long the slowest answers took.
func visitor(t testing.TB, d *nichetest.Desk, n int) (looked, booked time.Duration, status int) {
	c := demo.NewClient(d.Address)
	try := func(took *time.Duration, do func() error) int {
		for {
			began := time.Now()
			err := do()
			*took = max(*took, time.Since(began))
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
	try(&looked, func() error { return c.Get(t.Context(), "/api/pages/home-tuning?zone=Europe/Dublin", &page) })
	var starts []client.PageStart
	for _, day := range page.Days {
		starts = append(starts, day.Starts...)
	}
	if len(starts) == 0 {
		return looked, looked, http.StatusConflict
	}
	ask := client.NewBooking{Start: starts[n*7919%len(starts)].At, Name: fmt.Sprint("Client ", n), Email: fmt.Sprintf("client%d@clients.example", n), Zone: "Europe/Dublin", Clock: "24", Key: fmt.Sprintf("client-%d-of-a-thousand", n)}
	status = try(&booked, func() error { return c.Post(t.Context(), "/api/pages/home-tuning/bookings", ask, nil) })
	return looked, booked, status
}

// A thousand clients come to one page at the same moment: nobody has what another has, and nobody is lost.
func TestAThousandClientsAtOnce(t *testing.T) {
	d := openCrowd(t, 5)
	statuses := make([]int, 1000)
	crowd(func(n int) (looked time.Duration) {
		looked, _, statuses[n] = visitor(t, d, n)
		return looked
	})
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

// BenchmarkCrowd is a thousand clients who come to one page over some time, and book as soon as they see it.
func BenchmarkCrowd(b *testing.B) {
	for _, c := range []struct {
		people int
		over   time.Duration
	}{{10, 10 * time.Second}, {10, 7 * time.Second}, {10, 5 * time.Second}, {3, 3 * time.Second}, {1, time.Second}, {10, 0}, {1, 0}} {
		b.Run(fmt.Sprintf("%d starts over %v", 40*c.people, c.over), func(b *testing.B) {
			for b.Loop() {
				d := openCrowd(b, c.people)
				books := make([]time.Duration, 1000)
				looks := crowd(func(n int) (looked time.Duration) {
					time.Sleep(time.Duration(n) * c.over / 1000)
					looked, books[n], _ = visitor(b, d, n)
					return looked
				})
				reportParts(b, "page", looks)
				reportParts(b, "booking", books)
			}
		})
	}
}

// BenchmarkInstant is a thousand clients who ask in the same instant: for a page, which they read, and for nothing at a server that
// does nothing, which is what it takes the machine to ask and answer at all.
func BenchmarkInstant(b *testing.B) {
	d := openCrowd(b, 10)
	nothing := httptest.NewServer(http.HandlerFunc(func(http.ResponseWriter, *http.Request) {}))
	defer nothing.Close()
	for name, address := range map[string]string{"page": d.Address + "/api/pages/home-tuning?zone=Europe/Dublin", "nothing": nothing.URL} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				reportParts(b, name, crowd(func(int) time.Duration {
					began := time.Now()
					answer, err := http.Get(address)
					if err == nil {
						_, err = io.Copy(io.Discard, answer.Body)
						err = errors.Join(err, answer.Body.Close())
					}
					if err != nil {
						b.Error(err)
					}
					return time.Since(began)
				}))
			}
		})
	}
}

// crowd lets a thousand come at once, and returns how long each took by their own word.
func crowd(come func(n int) time.Duration) []time.Duration {
	var all sync.WaitGroup
	times := make([]time.Duration, 1000)
	for n := range times {
		all.Go(func() { times[n] = come(n) })
	}
	all.Wait()
	return times
}

// reportParts reports in what time half and nearly all of a thousand were answered.
func reportParts(b *testing.B, name string, times []time.Duration) {
	slices.Sort(times)
	for _, part := range []int{50, 99} {
		b.ReportMetric(float64(times[10*part].Microseconds())/1000, fmt.Sprintf("%s-p%d-ms", name, part))
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

// BenchmarkWatched books beside a thousand clients who have chosen a start each and are told when somebody else takes it.
func BenchmarkWatched(b *testing.B) {
	d := openCrowd(b, 10)
	var page client.Page
	require.NoError(b, demo.NewClient(d.Address).Get(b.Context(), "/api/pages/home-tuning?zone=Europe/Dublin", &page))
	var starts []span.Instant
	for _, day := range page.Days {
		for _, s := range day.Starts {
			starts = append(starts, s.At)
		}
	}
	ctx, end := context.WithCancel(b.Context())
	var watchers sync.WaitGroup
	for n := range 1000 {
		watchers.Go(func() {
			c := demo.NewClient(d.Address)
			for ctx.Err() == nil {
				var seen client.Watched
				_ = c.Get(ctx, "/api/pages/home-tuning/watch?start="+starts[n%len(starts)].String(), &seen)
				if !seen.Waited {
					return
				}
			}
		})
	}
	n := 0
	for b.Loop() {
		n++
		_ = demo.NewClient(d.Address).Post(b.Context(), "/api/pages/home-tuning/bookings", client.NewBooking{Start: starts[n%len(starts)], Name: "Somebody", Email: fmt.Sprintf("somebody%d@clients.example", n), Zone: "Europe/Dublin", Clock: "24"}, nil)
	}
	end()
	watchers.Wait()
}
