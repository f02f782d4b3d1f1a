package serve_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/files"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// Files are what their first bytes say; only signed-in eyes see them, and they go with their client.
func TestFilesAreHandedOver(t *testing.T) {
	d := nichetest.OpenDesk(t, nil)
	hand := func(name string, data []byte) (int, client.HandedOver) {
		res, err := http.Post(d.Address+"/api/pages/home-tuning/files?name="+name, "application/octet-stream", bytes.NewReader(data))
		require.NoError(t, err)
		defer func() { require.NoError(t, res.Body.Close()) }()
		var out client.HandedOver
		_ = json.NewDecoder(res.Body).Decode(&out)
		return res.StatusCode, out
	}
	png := append([]byte("\x89PNG\r\n\x1a\n"), bytes.Repeat([]byte{7}, 2<<20)...)
	status, _ := hand("a.png", png)
	require.Equal(t, http.StatusConflict, status, "nobody asks for any")
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) {
		f.Questions = []question.Question{{Key: "photo", Kind: question.File, Label: "A picture of it?", Required: true}}
	}))
	for name, data := range map[string][]byte{"a.png": []byte("<script>"), "b.pdf": []byte("MZ\x90"), "c.svg": []byte("<svg/>"), "d.png": append(bytes.Clone(png), make([]byte, files.Largest)...)} {
		status, _ = hand(name, data)
		require.Contains(t, []int{http.StatusUnprocessableEntity, http.StatusRequestEntityTooLarge}, status, name)
	}
	status, got := hand("..%2F..%2Fmy%20piano.png", png)
	require.Equal(t, http.StatusCreated, status)
	require.Equal(t, "my piano.png", got.Name)
	answers := func(token string) api.Asked {
		return api.Asked{Answers: map[string][]string{"photo": strings.Fields(token)}}
	}
	for _, wrong := range []string{"", "nobody-has-this-token"} {
		_, err := d.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Asked: answers(wrong)})
		require.Equal(t, "answers.photo", nichetest.Problem(t, err).Errors[0].Field)
	}
	b, err := d.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: "Rosa Osei", Asked: answers(got.Token)})
	require.NoError(t, err)
	require.Equal(t, "my piano.png", b.Answers[0].Words())
	shown := finder{d}.shown(finder{d}.idOf("rosa"))
	path := fmt.Sprintf("/api/files/%d", shown.Answers[0].Files[0].ID)
	res, err := http.Get(d.Address + path)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, http.StatusUnauthorized, res.StatusCode)
	own := d.Own(d.Staff.ID)
	require.NoError(t, own.Get(t.Context(), "/api/my", nil))
	other := d.Own(d.AddStaff("Mara Quillon"))
	require.Equal(t, http.StatusNotFound, nichetest.Problem(t, other.Get(t.Context(), strings.Replace(path, "/api/", "/api/my/", 1), nil)).Status)
	req, err := http.NewRequest(http.MethodGet, d.Address+path, nil)
	require.NoError(t, err)
	res, err = d.HTTP().Do(req)
	require.NoError(t, err)
	data, err := io.ReadAll(res.Body)
	require.NoError(t, err)
	require.NoError(t, res.Body.Close())
	require.Equal(t, png, data)
	require.Equal(t, []string{"image/png", `attachment; filename="my piano.png"`, "nosniff"}, []string{res.Header.Get("Content-Type"), res.Header.Get("Content-Disposition"), res.Header.Get("X-Content-Type-Options")})
	require.NoError(t, d.Cancel(b))
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/clients/%d/erase", shown.ClientID), nil, nil))
	left, err := os.ReadDir(filepath.Join(d.Data, "files"))
	require.NoError(t, err)
	require.Empty(t, left)
}

// A trial goes through everything that a client's booking does, to whoever tries, is marked everywhere, makes nobody a
// client, and leaves nothing. Nobody else has leave to try, nor longer than it stands.
func TestATrialGoesThroughEverythingAndLeavesNothing(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p, o := openServices(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) {
		f.Venue, f.Prepaid, f.RefundUntil, f.ApproveWithin = "online", 5000, -1, 60
	}))
	leave := func(of store.ID) url.Values {
		var page desk.TrialPage
		require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/services/%d/trial", of), nil, &page))
		u, err := url.Parse(page.Address)
		require.NoError(t, err)
		return u.Query()
	}
	own := leave(p.Service.ID)
	ask := client.NewBooking{Start: nichetest.At("2026-03-02T10:00:00Z"), Name: own.Get("name"), Email: own.Get("mail"), Trial: own.Get("trial")}
	for name, wrong := range map[string]func(b *client.NewBooking){
		"another's address": func(b *client.NewBooking) { b.Email = "rosa@clients.example" },
		"made up":           func(b *client.NewBooking) { b.Trial = "MSAyIGE." + strings.Repeat("a", 43) },
		"another service": func(b *client.NewBooking) {
			b.Trial = leave(p.AddService("Concert tuning", func(*desk.ServiceFields) {}).ID).Get("trial")
		},
	} {
		other := ask
		wrong(&other)
		_, err := p.Ask(other)
		require.Error(t, err, name)
	}
	b, err := p.Ask(ask)
	require.NoError(t, err)
	require.Equal(t, "held", b.Status)
	stands := func() (trial desk.Trial) {
		require.NoError(t, p.Get(t.Context(), fmt.Sprintf("/api/services/%d/trial", p.Service.ID), &trial))
		return trial
	}
	require.Equal(t, desk.Trial{Held: true}, stands())
	require.NoError(t, o.Payments.Pay(b.Pay.At[strings.LastIndex(b.Pay.At, "/")+1:], false))
	trial := stands()
	require.Equal(t, "pending", finder{p.Desk}.shown(trial.Booking).Status, "it waits for an answer")
	p.Until("that is told", func() bool { return len(p.heard(nichetest.Mail)) == 1 })
	require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/decision", trial.Booking), desk.Decision{Accept: true}, nil))
	p.Until("all of it stands", func() bool {
		list, _ := o.Rooms.Rooms()
		return p.Copies("2026-03-02") == "read back" && len(list) == 1 && len(p.heard(nichetest.Mail)) == 2
	})
	require.Contains(t, p.heard(nichetest.Mail)[1], "Trial: Your visit: Home tuning")
	require.Contains(t, nichetest.Look(t, host).Events("Work")[0].Body, "SUMMARY:Trial: ")
	require.Zero(t, p.Count("clients"))
	require.True(t, finder{p.Desk}.shown(trial.Booking).Trial)
	require.NoError(t, p.Cancel(b), "as a client, to whom nothing would go back")
	p.Until("nothing is left", func() bool {
		list, _ := o.Rooms.Rooms()
		return len(nichetest.Look(t, host).Events("Work")) == 0 && len(list) == 0 && finder{p.Desk}.shown(trial.Booking).Payment.State == "refunded"
	})
	var happened []string
	for _, h := range (finder{p.Desk}).shown(trial.Booking).Happened {
		happened = append(happened, h.Words)
	}
	require.Subset(t, happened, []string{"€50.00 was paid", "€50.00 went back"})
	require.Empty(t, finder{p.Desk}.find("period=any&text=trial"))
	require.Contains(t, p.Starts("2026-03-02"), "10:00")
	p.Pass(31 * time.Minute)
	_, err = p.Ask(ask)
	require.Equal(t, http.StatusConflict, nichetest.Problem(t, err).Status, "the leave has ended")
}
