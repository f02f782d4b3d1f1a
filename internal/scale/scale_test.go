package scale_test

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"flag"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"os"
	"path/filepath"
	"runtime/debug"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api"
	pages "niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/scale"
	"niche/internal/serve"
	"niche/internal/store"
)

var (
	tenths = flag.Int("tenths", 0, "how large the business is, in tenths of the whole; 0 measures nothing")
	folder = flag.String("folder", "", "a data folder to be filled once and used again; empty for a new one")
)

// TestTheScaleFills fills a small business, so that the generator itself is right: a
// service has starts, and the claims hold.
func TestTheScaleFills(t *testing.T) {
	d := open(t, scale.Sizes{Staff: 3, Calendars: 9, Spans: 300, Bookings: 60, Ahead: 30}, "")
	require.Equal(t, 60, d.Count("bookings"))
	require.Equal(t, 60, d.Count("claims"))
	require.Empty(t, nichetest.WrongClaims(d))
	var p pages.Page
	require.NoError(t, d.Get(t.Context(), "/api/pages/service-3", &p))
	require.NotEmpty(t, p.Soonest)
}

// open opens a desk over a filled data folder.
func open(t testing.TB, s scale.Sizes, data string) *nichetest.Desk {
	if data == "" {
		data = filepath.Join(t.TempDir(), "data")
	}
	now := func() time.Time { return nichetest.Morning }
	if _, err := os.Stat(filepath.Join(data, "niche.db")); err != nil {
		db, err := store.Open(data)
		require.NoError(t, err)
		require.NoError(t, scale.Fill(t.Context(), db, span.At(nichetest.Morning), s))
		require.NoError(t, db.Close())
	}
	n, err := serve.Start(serve.Settings{Listen: "127.0.0.1:0", Metrics: "127.0.0.1:0", Data: data, Poll: time.Hour, NewKey: true, Unlimited: true, Log: slog.New(slog.DiscardHandler), Now: now})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, n.Stop()) })
	d := &nichetest.Desk{T: t, Data: data, Niche: n}
	d.Client = demo.NewClient(n.Address)
	if n.Code == "" {
		d.SignIn(n.Address)
	} else {
		require.NoError(t, d.Post(t.Context(), "/api/setup", desk.SetUp{Code: n.Code, Business: desk.Business{Name: "Workshop", Zone: "Europe/Dublin"}, Name: "Ada", Email: nichetest.Mail, Password: nichetest.Password}, nil))
	}
	return d
}

// BenchmarkScale measures what grows with a business.
func BenchmarkScale(b *testing.B) {
	if *tenths == 0 {
		b.Skip("no size was given: make bench-scale")
	}
	defer debug.SetGCPercent(debug.SetGCPercent(serve.GCPercent)) // as the program does
	d := open(b, scale.Tenths(*tenths), *folder)
	get := func(path string) (time.Duration, []byte) {
		begun := time.Now()
		res, err := d.HTTP().Get(d.Address + path)
		require.NoError(b, err)
		defer func() { _ = res.Body.Close() }()
		data, err := io.ReadAll(res.Body)
		require.NoError(b, err)
		require.Equal(b, http.StatusOK, res.StatusCode, "%s: %s", path, data)
		return time.Since(begun), data
	}
	median := func(path string) (time.Duration, []byte) {
		var took []time.Duration
		var data []byte
		for range 7 {
			t, body := get(path)
			took, data = append(took, t), body
		}
		slices.Sort(took)
		return took[len(took)/2], data
	}
	say := func(what string, took time.Duration, rest ...any) {
		fmt.Printf("%-34s %8.1f ms %s\n", what, float64(took.Microseconds())/1000, fmt.Sprint(rest...))
	}
	for n, performers := range scale.Services {
		took, _ := median(fmt.Sprintf("/api/pages/service-%d", n+1))
		say(fmt.Sprintf("starts, %d people", min(performers, 100**tenths)), took)
	}
	for _, view := range []string{"/api/wall", "/api/wall/week", "/api/wall/month", "/api/staff", "/api/bookings"} {
		took, data := median(view)
		var packed bytes.Buffer
		z := gzip.NewWriter(&packed)
		_, _ = z.Write(data)
		_ = z.Close()
		say(view, took, len(data)/1000, " kB, packed ", packed.Len()/1000, " kB")
	}
	for _, query := range []string{"text=aro", "text=aros+verl", "text=aro+nobody", "text=c4711", "text=R999", "period=past", "period=any&staff=7", "period=any&service=3", "copy=failed", "status=cancelled&period=any", "text=a&staff=7"} {
		took, data := median("/api/bookings?" + query)
		say("bookings, "+query, took, len(data)/1000, " kB")
	}
	for _, query := range []string{"", "text=aro", "text=aros+verl", "text=c4711", "text=nobody+there"} {
		took, data := median("/api/clients?" + query)
		say("clients, "+query, took, len(data)/1000, " kB")
	}
	begun := time.Now()
	res, err := http.Get(d.Niche.Metrics + "/metrics")
	require.NoError(b, err)
	_, _ = io.Copy(io.Discard, res.Body)
	_ = res.Body.Close()
	say("/metrics", time.Since(begun))

	var p pages.Page
	_, data := get("/api/pages/service-3")
	require.NoError(b, json.Unmarshal(data, &p))
	var starts []span.Instant
	for _, day := range p.Days {
		for _, s := range day.Starts {
			starts = append(starts, s.At)
		}
	}
	book := func(n int) time.Duration {
		body, _ := json.Marshal(pages.NewBooking{Start: starts[n%len(starts)], Name: "A", Email: fmt.Sprintf("n%d@x.example", n), Zone: "UTC", Clock: "24"})
		begun := time.Now()
		res, err := d.HTTP().Post(d.Address+"/api/pages/service-3/bookings", "application/json", bytes.NewReader(body))
		require.NoError(b, err)
		said, _ := io.ReadAll(res.Body)
		_ = res.Body.Close()
		if res.StatusCode >= 500 {
			b.Errorf("booking: %d %s", res.StatusCode, said)
		}
		return time.Since(begun)
	}
	var took []time.Duration
	for n := range 15 {
		took = append(took, book(n))
	}
	slices.Sort(took)
	say("a booking, alone, p50", took[len(took)/2])
	var mu sync.Mutex
	var all sync.WaitGroup
	took = nil
	for n := range 20 {
		all.Go(func() {
			for m := range 5 {
				one := book(100 + n*5 + m)
				mu.Lock()
				took = append(took, one)
				mu.Unlock()
			}
		})
	}
	all.Wait()
	slices.Sort(took)
	say("a booking, 20 at once, p99", took[len(took)*99/100], "p50 ", took[len(took)/2])

	var h api.Hours
	require.NoError(b, d.Get(b.Context(), "/api/staff/1/hours", &h))
	ended := make(chan time.Duration, 1)
	go func() {
		begun := time.Now()
		err := d.Change(b.Context(), "/api/staff/1/hours?accept=100000", h, nil)
		require.NoError(b, err)
		ended <- time.Since(begun)
	}()
	longest := time.Duration(0)
	for done := false; !done; {
		begun := time.Now()
		d.Exec("UPDATE businesses SET name = name")
		longest = max(longest, time.Since(begun))
		select {
		case t := <-ended:
			say("changing somebody's hours", t, "another write waited ", longest)
			done = true
		default:
		}
	}
	info, err := os.Stat(filepath.Join(d.Data, "niche.db"))
	require.NoError(b, err)
	fmt.Printf("%-34s %8.0f MB\n", "the database", float64(info.Size())/1e6)
	b.ReportMetric(0, "ns/op")
}
