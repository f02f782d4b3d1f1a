package caldav_test

import (
	"context"
	"io"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/nichetest"
	"niche/internal/outbound"
	"niche/internal/source"
	"niche/internal/source/caldav"
)

// mirror keeps what a calendar's readings say, as Niche does.
type mirror struct {
	calendar *caldav.Calendar
	mark     string
	now      time.Time
	objects  map[string]source.Object
	bodies   map[string]string
}

func newMirror(c *caldav.Calendar) *mirror {
	return &mirror{calendar: c, now: time.Now(), objects: map[string]source.Object{}, bodies: map[string]string{}}
}

// read reads once, a minute after the last time.
func (m *mirror) read(ctx context.Context) error { return m.readAfter(ctx, time.Minute) }

func (m *mirror) readAfter(ctx context.Context, pause time.Duration) error {
	m.now = m.now.Add(pause)
	known := source.Known{Mark: m.mark, Now: m.now, Objects: func(context.Context) (map[string]source.Object, error) { return maps.Clone(m.objects), nil }}
	for path, o := range m.objects {
		if o.Owed > 0 {
			known.Again = append(known.Again, path)
		}
	}
	news, err := m.calendar.Read(ctx, known, func(p source.Part) error {
		switch {
		case p.Gone:
			delete(m.objects, p.Path)
			delete(m.bodies, p.Path)
		case p.Fault != nil:
			o := m.objects[p.Path]
			m.objects[p.Path] = source.Object{Address: p.Address, ReadAt: o.ReadAt, Owed: o.Owed + 1}
		default:
			body, err := io.ReadAll(p.Body)
			if err != nil {
				return err
			}
			if !strings.HasPrefix(string(body), "BEGIN:VCALENDAR") {
				o := m.objects[p.Path]
				m.objects[p.Path] = source.Object{Address: p.Address, ReadAt: o.ReadAt, Owed: o.Owed + 1}
				return nil
			}
			m.objects[p.Path] = source.Object{Address: p.Address, ETag: p.ETag, ReadAt: m.now}
			m.bodies[p.Path] = string(body)
		}
		return nil
	})
	if err == nil {
		m.mark = news.Mark
	}
	return err
}

// owed returns the paths of what is there and could not be had.
func (m *mirror) owed() (paths []string) {
	for path, o := range m.objects {
		if o.Owed > 0 {
			paths = append(paths, path)
		}
	}
	slices.Sort(paths)
	return paths
}

// uids returns the UIDs of all that is known, in order.
func (m *mirror) uids() (list []string) {
	for _, body := range m.bodies {
		_, rest, _ := strings.Cut(body, "UID:")
		uid, _, _ := strings.Cut(rest, "\n")
		list = append(list, strings.TrimSpace(uid))
	}
	slices.Sort(list)
	return list
}

func client(t testing.TB, s nichetest.Server) *caldav.Client {
	c, err := caldav.NewClient(outbound.NewClient([]string{nichetest.HostAt(s.Address)}, 10*time.Second), s.Address, source.Credentials{User: s.User, Password: s.Key})
	require.NoError(t, err)
	return c
}

// work returns the calendar Work of an account.
func work(t testing.TB, c *caldav.Client) *caldav.Calendar {
	account, err := c.Discover(t.Context())
	require.NoError(t, err)
	n := slices.IndexFunc(account.Calendars, func(c source.Calendar) bool { return strings.EqualFold(c.Name, "work") })
	require.GreaterOrEqual(t, n, 0, "%v", account.Calendars)
	require.True(t, account.Calendars[n].CanWrite)
	home, err := c.Elsewhere(account.Home)
	require.NoError(t, err)
	return home.Calendar(account.Calendars[n].Address)
}
