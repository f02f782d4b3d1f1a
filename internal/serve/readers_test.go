package serve_test

import (
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/core/offer"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// Programs of others read from a server the times that were booked: in three zones,
// before and after the clocks there jump, by an hour and by half of one.
func TestReadersOfOthersFindTheTimesOnAServer(t *testing.T) {
	if os.Getenv("NICHE_SERVERS") != "all" {
		t.Skip("only make test-servers asks programs of others")
	}
	for _, name := range []string{"khal", "vdirsyncer", "/usr/bin/python3"} {
		if _, err := exec.LookPath(name); err != nil {
			t.Skip(name + " cannot be had here")
		}
	}
	s := nichetest.Radicale(t)
	d := nichetest.OpenDesk(t, nil, nichetest.HostAt(s.Address))
	var want []string
	var staff []store.ID
	people := []struct{ name, zone, before, after string }{
		{"Bryn", "Europe/Dublin", "2026-03-27", "2026-03-30"},
		{"Cleo", "America/St_Johns", "2026-03-06", "2026-03-09"},
		{"Dai", "Australia/Lord_Howe", "2026-04-03", "2026-04-06"},
	}
	for _, p := range people {
		var m desk.StaffMember
		require.NoError(t, d.Post(t.Context(), "/api/staff", desk.StaffFields{Name: p.name, Zone: p.zone}, &m))
		d.Hours(m.ID)
		d.LinkFor(m.ID, s.Address, s.User, s.Key, "Family", "Work")
		staff = append(staff, m.ID)
	}
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff, f.Window = staff, desk.Window{Window: offer.DaysAhead(60)} }))
	for i, p := range people {
		zone, err := time.LoadLocation(p.zone)
		require.NoError(t, err)
		for _, date := range []string{p.before, p.after} {
			start, err := time.ParseInLocation("2006-01-02 15:04", date+" 11:00", zone)
			require.NoError(t, err)
			_, err = d.Ask(client.NewBooking{Start: nichetest.At(start.UTC().Format(time.RFC3339)), Staff: staff[i], Name: p.name + " " + date, Email: fmt.Sprintf("c%d@clients.example", i)})
			require.NoError(t, err, "%s %s", p.name, date)
			want = append(want, start.UTC().Format("2006-01-02 15:04")+" "+start.UTC().Add(time.Hour).Format("2006-01-02 15:04"))
		}
	}
	slices.Sort(want)
	d.Until("all copies are outside", func() bool { return d.Count("copies WHERE state = 'read back'") == len(want) })

	folder := t.TempDir()
	write := func(name, text string) string {
		path := filepath.Join(folder, name)
		require.NoError(t, os.WriteFile(path, []byte(text), 0o600))
		return path
	}
	asks := func(name string, args ...string) string {
		program := nichetest.Needs(t, name)
		cmd := exec.CommandContext(t.Context(), program, args...)
		cmd.Env = append(os.Environ(), "LC_ALL=C.UTF-8", "TZ=UTC", "HOME="+folder, "XDG_DATA_HOME="+folder)
		cmd.Stdin = strings.NewReader("y\ny\ny\n")
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, string(out))
		return string(out)
	}
	times := func(text string) (list []string) {
		for line := range strings.SplitSeq(text, "\n") {
			if line = strings.TrimSpace(line); strings.HasPrefix(line, "2026-") {
				list = append(list, line)
			}
		}
		slices.Sort(list)
		return list
	}
	address := s.Address + s.Home + s.Work + "/"
	local := filepath.Join(folder, "work")
	require.NoError(t, os.Mkdir(local, 0o700))
	syncs := write("vdirsyncer.conf", fmt.Sprintf("[general]\nstatus_path = \"%s/status\"\n[pair work]\na = \"here\"\nb = \"there\"\ncollections = null\n"+
		"[storage here]\ntype = \"filesystem\"\npath = \"%s\"\nfileext = \".ics\"\n[storage there]\ntype = \"caldav\"\nurl = \"%s\"\nusername = \"%s\"\npassword = \"%s\"\n",
		folder, local, address, s.User, s.Key))
	asks("vdirsyncer", "-c", syncs, "discover")
	asks("vdirsyncer", "-c", syncs, "sync")
	lists := write("khal.conf", fmt.Sprintf("[calendars]\n[[work]]\npath = %s\ntype = calendar\n[sqlite]\npath = %s/khal.db\n[locale]\nlocal_timezone = UTC\ndefault_timezone = UTC\n"+
		"timeformat = %%H:%%M\ndateformat = %%Y-%%m-%%d\nlongdateformat = %%Y-%%m-%%d\ndatetimeformat = %%Y-%%m-%%d %%H:%%M\nlongdatetimeformat = %%Y-%%m-%%d %%H:%%M\n", local, folder))
	require.Equal(t, want, times(asks("khal", "-c", lists, "list", "--day-format", "", "--format", "{start-long} {end-long}", "2026-03-01", "60d")))

	script := write("read.py", `
import caldav, sys
from datetime import timezone
at = lambda v: v.astimezone(timezone.utc).strftime("%Y-%m-%d %H:%M")
for e in caldav.DAVClient(url=sys.argv[1], username=sys.argv[2], password=sys.argv[3]).calendar(url=sys.argv[1]).events():
    v = e.vobject_instance.vevent
    print(at(v.dtstart.value), at(v.dtend.value))
`)
	require.Equal(t, want, times(asks("/usr/bin/python3", script, address, s.User, s.Key)))
}
