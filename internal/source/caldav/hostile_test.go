package caldav_test

import (
	"compress/gzip"
	"context"
	"fmt"
	"io"
	"net/http"
	"net/http/httptest"
	"runtime"
	"runtime/debug"
	"runtime/metrics"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/source"
	"niche/internal/source/caldav"
)

// heapDuring returns the most that the heap grew to while something was done, in bytes.
func heapDuring(do func()) uint64 {
	defer debug.SetGCPercent(debug.SetGCPercent(20))
	runtime.GC()
	read := func() uint64 {
		s := []metrics.Sample{{Name: "/memory/classes/heap/objects:bytes"}}
		metrics.Read(s)
		return s[0].Value.Uint64()
	}
	before, most := read(), uint64(0)
	done, ended := make(chan struct{}), make(chan struct{})
	go func() {
		defer close(ended)
		tick := time.NewTicker(time.Millisecond)
		defer tick.Stop()
		for {
			select {
			case <-done:
				return
			case <-tick.C:
				most = max(most, read())
			}
		}
	}()
	do()
	close(done)
	<-ended
	return most - min(most, before)
}

// A host that means harm gets some megabytes and an error, whatever it answers: packed
// or not, nested, endless, in ever new parts, or in one.
func TestAHostThatMeansHarmTakesNoMemory(t *testing.T) {
	const multistatus = `<d:multistatus xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav">`
	whole := func(inside string) string { return multistatus + inside + "</d:multistatus>" }
	asked, method := 0, ""
	own := `<d:response><d:href>/home/work/</d:href><d:propstat><d:prop><d:resourcetype><d:collection/><c:calendar/></d:resourcetype></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>`
	for _, c := range []struct {
		name string
		say  func(w io.Writer, round int)
	}{
		{"nested for ever", func(w io.Writer, _ int) {
			_, _ = io.WriteString(w, multistatus+"<d:response>")
			for n := 0; n < 4_000_000; n += 100 {
				_, _ = io.WriteString(w, strings.Repeat("<d:prop>", 100))
			}
		}},
		{"one name of sixty megabytes", func(w io.Writer, _ int) {
			_, _ = io.WriteString(w, multistatus+"<d:response><d:href>/home/work/</d:href><d:propstat><d:prop><d:displayname>")
			for range 60 {
				_, _ = io.WriteString(w, strings.Repeat("x", 1<<20))
			}
		}},
		{"one part of ever new addresses", func(w io.Writer, _ int) {
			_, _ = io.WriteString(w, multistatus+"<d:response>")
			for n := range 2_000_000 {
				_, _ = fmt.Fprintf(w, "<d:href>/home/work/%d.ics</d:href>", n)
			}
		}},
		{"half a million parts", func(w io.Writer, _ int) {
			_, _ = io.WriteString(w, multistatus+own)
			for n := range 500_000 {
				_, _ = fmt.Fprintf(w, "<d:response><d:href>/home/work/%d.ics</d:href><d:status>HTTP/1.1 404 Gone</d:status></d:response>", n)
			}
		}},
		{"a partial answer without end", func(w io.Writer, round int) {
			if method != "REPORT" { // calendars, state and list, of which the first reading is made
				_, _ = io.WriteString(w, whole(strings.Replace(own, "<d:resourcetype>", "<d:sync-token>t0</d:sync-token><d:resourcetype>", 1)))
				return
			}
			asked++
			var b strings.Builder
			for n := range 20_000 {
				fmt.Fprintf(&b, "<d:response><d:href>/home/work/%d-%d.ics</d:href><d:propstat><d:prop><d:getetag>e</d:getetag></d:prop><d:status>HTTP/1.1 200 OK</d:status></d:propstat></d:response>", round, n)
			}
			_, _ = io.WriteString(w, whole(own+b.String()+fmt.Sprintf("<d:response><d:href>/home/work/</d:href><d:status>HTTP/1.1 507 More</d:status></d:response><d:sync-token>t%d</d:sync-token>", round)))
		}},
		{"thirty thousand calendars", func(w io.Writer, _ int) {
			_, _ = io.WriteString(w, multistatus+strings.Replace(own, "work/", "", 1))
			for n := range 30_000 {
				_, _ = io.WriteString(w, strings.Replace(own, "work", fmt.Sprint("c", n), 1))
			}
			_, _ = io.WriteString(w, "</d:multistatus>")
		}},
	} {
		t.Run(c.name, func(t *testing.T) {
			round := 0
			host := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
				_, _ = io.Copy(io.Discard, r.Body)
				round, method = round+1, r.Method
				w.Header().Set("Content-Type", "application/xml")
				w.Header().Set("Content-Encoding", "gzip")
				w.WriteHeader(http.StatusMultiStatus)
				z, _ := gzip.NewWriterLevel(w, gzip.BestSpeed)
				c.say(z, round)
				_ = z.Close()
			}))
			defer host.Close()
			client, err := caldav.NewClient(host.Client(), host.URL+"/home/", source.Credentials{User: "u", Password: "k"})
			require.NoError(t, err)
			var calendars int
			grown := heapDuring(func() {
				list, _, _, _ := client.Calendars(t.Context())
				calendars = len(list)
				calendar := client.Calendar("/home/work/")
				none := func(context.Context) (map[string]source.Object, error) { return nil, nil }
				take := func(source.Part) error { return nil }
				news, err := calendar.Read(t.Context(), source.Known{Now: time.Now(), Objects: none}, take)
				if err == nil {
					_, err = calendar.Read(t.Context(), source.Known{Mark: news.Mark, Now: time.Now(), Objects: none}, take)
				}
				if calendars == 0 {
					require.Error(t, err)
				}
			})
			require.LessOrEqual(t, calendars, 200)
			require.LessOrEqual(t, asked, 100)
			require.Less(t, grown, uint64(160<<20), "it grew by %d MB", grown>>20)
		})
	}
	require.Greater(t, asked, 4, "the endless answer was asked for")
}
