package blocking_test

import (
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/store"
)

// open opens a database with one person, a calendar that blocks and one that does not.
func open(t *testing.T) *store.DB {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		s := store.Staff{Name: "Bryn", Zone: "Europe/Dublin"}
		require.NoError(t, tx.SaveStaff(&s))
		l := store.Link{StaffID: s.ID, Address: "a", Mails: []string{}, Secret: []byte{}}
		require.NoError(t, tx.SaveLink(&l))
		for _, c := range []store.Calendar{{Name: "Family", Blocks: true, PadBefore: 2, KnownTo: 6000}, {Name: "Other", KnownTo: 6000}} {
			c.LinkID, c.Href = l.ID, c.Name
			require.NoError(t, tx.SaveCalendar(&c))
		}
		return nil
	}))
	return db
}

// What is packed says what the rows say, for any window and by any choices: events
// that count, those of no length left out, and after what is known nothing is free.
func TestWhatBlocksIsWhatTheRowsSay(t *testing.T) {
	db := open(t)
	ctx := t.Context()
	rapid.Check(t, func(t *rapid.T) {
		var rows []store.BusySpan
		for range rapid.IntRange(0, 12).Draw(t, "spans") {
			start := span.Instant(rapid.Int64Range(-100, 5000).Draw(t, "start"))
			rows = append(rows, store.BusySpan{CalendarID: 1, Href: "x", Start: start, End: start + span.Instant(rapid.Int64Range(0, 900).Draw(t, "length")),
				Tentative: rapid.Bool().Draw(t, "tentative"), AllDay: rapid.Bool().Draw(t, "all day")})
		}
		tentativeFree, allDayFree := rapid.Bool().Draw(t, "tentative free"), rapid.Bool().Draw(t, "all day free")
		require.NoError(t, db.Write(ctx, func(tx store.Tx) error {
			require.NoError(t, tx.ForgetObjects(1, []string{"x"}))
			require.NoError(t, tx.AddObjects([]store.Object{{CalendarID: 1, Href: "x"}}, rows, nil))
			c, err := tx.Calendar(1)
			require.NoError(t, err)
			c.TentativeFree, c.AllDayFree = tentativeFree, allDayFree
			require.NoError(t, tx.SaveChoice(c))
			return blocking.Pack(tx, 1)
		}))
		from := span.Instant(rapid.Int64Range(-200, 7000).Draw(t, "from"))
		window := span.Between(from, from+span.Instant(rapid.Int64Range(1, 3000).Draw(t, "to")))
		blocked := func(at span.Instant) bool {
			if at >= 6000 {
				return true
			}
			for _, r := range rows {
				counts := r.Start < r.End && !(tentativeFree && r.Tentative) && !(allDayFree && r.AllDay)
				if counts && at >= r.Start-120 && at < r.End {
					return true
				}
			}
			return false
		}
		busy, err := blocking.Of(db.Read(ctx), []store.ID{1}, window)
		require.NoError(t, err)
		for at := window.Start(); at < window.End(); at += 7 {
			is := false
			for _, c := range busy[1] {
				require.EqualValues(t, 1, c.ID, "only what blocks counts")
				_, blocks := c.Blocks(span.Between(at, at+1))
				is = is || blocks
			}
			require.Equal(t, blocked(at), is, at)
		}
	})
}
