package store

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/stretchr/testify/require"
	"golang.org/x/sync/errgroup"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

func opened(t *testing.T) *DB {
	folder := filepath.Join(t.TempDir(), "data")
	db, err := Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	info, err := os.Stat(folder)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o700), info.Mode().Perm())
	require.NoError(t, db.Write(context.Background(), func(tx Tx) error {
		return tx.db.Exec(`INSERT INTO services (id, slug, name, length, step, created_at) VALUES (1, 's', 's', 60, 30, 0);`).Error
	}))
	return db
}

// insert puts a claim straight into the table, past all checks in Go.
func insert(db *DB, id int, subject string, start, end int) error {
	return db.Write(context.Background(), func(tx Tx) error {
		err := tx.db.Exec(`INSERT INTO visits (id, service_id, uid, start, "end", buffer_before, buffer_after) VALUES (?, 1, ?, ?, ?, 0, 0)`,
			id, id, start, max(end, start+1)).Error
		if err != nil {
			return err
		}
		return tx.db.Exec(`INSERT INTO claims (visit_id, subject, start, "end") VALUES (?, ?, ?, ?)`, id, subject, start, end).Error
	})
}

func TestTheDatabaseRefusesOverlappingClaims(t *testing.T) {
	db := opened(t)
	require.NoError(t, insert(db, 1, "staff:1", 100, 200))
	for i, c := range []struct {
		name       string
		subject    string
		start, end int
		refused    bool
	}{
		{"the same time", "staff:1", 100, 200, true},
		{"inside", "staff:1", 120, 130, true},
		{"around", "staff:1", 50, 250, true},
		{"over the beginning", "staff:1", 50, 101, true},
		{"over the end", "staff:1", 199, 300, true},
		{"touching the beginning", "staff:1", 50, 100, false},
		{"touching the end", "staff:1", 200, 300, false},
		{"somebody else", "staff:2", 100, 200, false},
	} {
		err := insert(db, i+2, c.subject, c.start, c.end)
		if c.refused {
			require.ErrorIs(t, err, ErrOverlap, c.name)
		} else {
			require.NoError(t, err, c.name)
		}
	}
	err := db.Write(context.Background(), func(tx Tx) error {
		return tx.db.Exec(`UPDATE claims SET start = 150, "end" = 250 WHERE visit_id = 1`).Error
	})
	require.ErrorIs(t, err, ErrOverlap, "a claim cannot be moved over another either")
	err = db.Write(context.Background(), func(tx Tx) error {
		return tx.db.Exec(`UPDATE claims SET start = 110, "end" = 190 WHERE visit_id = 1`).Error
	})
	require.NoError(t, err, "a claim is not in its own way")
	require.Error(t, insert(db, 90, "staff:9", 10, 10), "a claim has some length")
}

// Whatever is inserted, moved and deleted in whatever order, no two claims of
// one subject overlap, and only those that would are refused.
func TestClaimsNeverOverlap(t *testing.T) {
	db := opened(t)
	next := 1000
	rapid.Check(t, func(t *rapid.T) {
		ctx := context.Background()
		require.NoError(t, db.Write(ctx, func(tx Tx) error { return tx.db.Exec("DELETE FROM visits").Error }))
		kept := map[int]span.Span{}
		for range rapid.IntRange(1, 25).Draw(t, "steps") {
			start := rapid.IntRange(0, 60).Draw(t, "start")
			s := span.Between(span.Instant(start), span.Instant(start+rapid.IntRange(1, 12).Draw(t, "length")))
			mover := -1
			for id := range kept {
				if rapid.IntRange(0, 5).Draw(t, "act") == 0 {
					mover = id
					break
				}
			}
			free := true
			for id, k := range kept {
				free = free && (id == mover || !k.Overlaps(s))
			}
			var err error
			id := mover
			if mover >= 0 {
				err = db.Write(ctx, func(tx Tx) error {
					return tx.db.Exec(`UPDATE claims SET start = ?, "end" = ? WHERE visit_id = ?`, s.Start(), s.End(), mover).Error
				})
			} else {
				next++
				id = next
				err = insert(db, id, "staff:1", int(s.Start()), int(s.End()))
			}
			if free {
				require.NoError(t, err)
				kept[id] = s
			} else {
				require.ErrorIs(t, err, ErrOverlap)
			}
		}
		var overlaps int
		require.NoError(t, db.Read(ctx).db.Raw(`SELECT COUNT(*) FROM claims a JOIN claims b ON a.id < b.id AND a.subject = b.subject
			AND a.start < b."end" AND b.start < a."end"`).Scan(&overlaps).Error)
		require.Zero(t, overlaps)
	})
}

func TestOpeningAgainKeepsWhatWasThere(t *testing.T) {
	folder := t.TempDir()
	for want := range int64(2) {
		db, err := Open(folder)
		require.NoError(t, err)
		var count int64
		require.NoError(t, db.Read(context.Background()).db.Model(&Staff{}).Count(&count).Error)
		require.Equal(t, want, count)
		require.NoError(t, db.Write(context.Background(), func(tx Tx) error {
			return tx.SaveStaff(&Staff{Name: "Mara", Zone: "Europe/Dublin"})
		}))
		require.NoError(t, db.Close())
	}
}

// A database of the time when notice and window were piles of columns says the same
// afterwards.
func TestNoticesAndWindowsAreTakenOver(t *testing.T) {
	folder := t.TempDir()
	db, err := connect(filepath.Join(folder, "niche.db"), "_txlock=immediate", 1)
	require.NoError(t, err)
	list, err := steps(db)
	require.NoError(t, err)
	before := slices.IndexFunc(list, func(m *gormigrate.Migration) bool { return m.ID == "0007_sums" })
	require.NoError(t, gormigrate.New(db, gormigrate.DefaultOptions, list[:before]).Migrate())
	for n, values := range []string{`'none', 5, 1, '18:00', 'none', 3, '2026-01-01', ''`, `'minutes', 240, 1, '18:00', 'days', 60, '', ''`,
		`'day', 240, 2, '24:00', 'dates', 60, '2026-05-01', ''`, `'minutes', 0, 0, '', 'dates', 60, '2026-05-01', '2026-06-30'`} {
		require.NoError(t, db.Exec(`INSERT INTO services (slug, name, length, step, notice_kind, notice_minutes, notice_days, notice_by, window_kind, window_days, window_from, window_to, created_at)
			VALUES (?, 'S', 60, 30, `+values+`, 0)`, fmt.Sprint("s", n)).Error)
	}
	pool, err := db.DB()
	require.NoError(t, err)
	require.NoError(t, pool.Close())
	now, err := Open(folder)
	require.NoError(t, err)
	defer func() { require.NoError(t, now.Close()) }()
	services, err := now.Read(t.Context()).ServicesInUse()
	require.NoError(t, err)
	may, june := hours.DateOf(2026, 5, 1), hours.DateOf(2026, 6, 30)
	for n, want := range []Service{{}, {Notice: offer.MinutesBefore(240), Window: offer.DaysAhead(60)},
		{Notice: offer.DaysBefore(2, hours.DayEnd), Window: offer.Dates(may, 0)}, {Notice: offer.MinutesBefore(0), Window: offer.Dates(may, june)}} {
		require.Equal(t, want.Notice, services[n].Notice)
		require.Equal(t, want.Window, services[n].Window)
	}
}

// A folder belongs to one program at a time, and nobody opens what a later version
// has written.
func TestAFolderThatIsNotOursIsRefused(t *testing.T) {
	folder := t.TempDir()
	db, err := Open(folder)
	require.NoError(t, err)
	_, err = Open(folder)
	require.ErrorIs(t, err, ErrInUse)
	look, err := OpenToRead(folder)
	require.NoError(t, err, "looking is allowed beside it")
	require.Error(t, look.Write(t.Context(), func(tx Tx) error { return tx.SaveBusiness(Business{ID: 1, Name: "x", Zone: "UTC"}) }))
	require.NoError(t, look.Close())
	require.NoError(t, db.Write(t.Context(), func(tx Tx) error {
		return tx.db.Exec("INSERT INTO migrations (id) VALUES ('9999_of_tomorrow')").Error
	}))
	require.NoError(t, db.Close())
	_, err = Open(folder)
	require.ErrorIs(t, err, ErrNewer)
	_, err = OpenToRead(folder)
	require.ErrorIs(t, err, ErrNewer)
	_, err = OpenToRead(t.TempDir())
	require.ErrorContains(t, err, "opening the data folder")
}

// A visit or a calendar does not go while copies of it are outside.
func TestCopiesAreNotForgottenWithWhatTheyBelongTo(t *testing.T) {
	db := opened(t)
	exec := func(sql string) error {
		return db.Write(t.Context(), func(tx Tx) error { return tx.db.Exec(sql).Error })
	}
	for _, row := range []string{
		"visits (id, service_id, uid, start, \"end\", buffer_before, buffer_after) VALUES (1, 1, 'u@niche', 1, 2, 0, 0)",
		"staff (id, name, zone, created_at) VALUES (1, 'B', 'UTC', 0)",
		"links (id, staff_id, address, username, secret, principal, home, created_at) VALUES (1, 1, 'a', 'u', x'', '', '', 0)",
		"calendars (id, link_id, href, name, can_write) VALUES (1, 1, '/a/', 'A', 1)",
		"copies (visit_id, calendar_id, path, address, wanted, state) VALUES (1, 1, '/a/u', '/a/u', 0, 'waiting')",
	} {
		require.NoError(t, exec("INSERT INTO "+row))
	}
	require.Error(t, exec("DELETE FROM visits"))
	require.Error(t, exec("DELETE FROM calendars"))
	require.Error(t, exec("DELETE FROM links"))
	require.NoError(t, db.Write(t.Context(), func(tx Tx) error { return tx.ForgetVisit(1) }))
	_, err := db.Read(t.Context()).Visit(1)
	require.NoError(t, err, "it stays without a word where it may not go")
}

// Two who save over the same version: one of them is told.
func TestAVersionIsMetOnce(t *testing.T) {
	db := opened(t)
	meet := func(version int64) (now int64, err error) {
		err = db.Write(t.Context(), func(tx Tx) (err error) {
			now, err = tx.Meet(Expected{StaffHours(7), version})
			return err
		})
		return now, err
	}
	now, err := meet(1)
	require.NoError(t, err)
	require.EqualValues(t, 2, now)
	now, err = meet(1)
	require.ErrorIs(t, err, ErrStale)
	require.EqualValues(t, 2, now)
	_, err = meet(2)
	require.NoError(t, err)
	other, err := db.Read(t.Context()).Versions([]Thing{StaffHours(7), StaffHours(8)})
	require.NoError(t, err)
	require.Equal(t, map[Thing]int64{StaffHours(7): 3, StaffHours(8): 1}, other)
}

// Somebody without a connection asks what those who have them are about to ask too.
// They do not wait for one who can only have what they hold.
func TestWhoHoldsAConnectionWaitsForNobody(t *testing.T) {
	db := opened(t)
	pool, err := db.read.DB()
	require.NoError(t, err)
	ctx, cancel := context.WithTimeout(context.Background(), 10*time.Second)
	defer cancel()
	ask := func(tx Tx) error {
		_, err := tx.ObjectsAt(1, make([]string, 17)) // a statement that nobody has asked yet
		return err
	}
	var all errgroup.Group
	var begun sync.WaitGroup
	waiting := make(chan struct{})
	begun.Add(pool.Stats().MaxOpenConnections)
	for range pool.Stats().MaxOpenConnections {
		all.Go(func() error {
			return db.View(ctx, func(tx Tx) error {
				begun.Done()
				<-waiting
				return ask(tx)
			})
		})
	}
	begun.Wait()
	all.Go(func() error { return ask(db.Read(ctx)) })
	for pool.Stats().WaitCount == 0 {
		runtime.Gosched()
	}
	close(waiting)
	done := make(chan error, 1)
	go func() { done <- all.Wait() }()
	select {
	case err := <-done:
		require.NoError(t, err)
	case <-time.After(10 * time.Second):
		t.Fatal("they wait for each other")
	}
}

// Whoever writes does so in turn; a turn that does not come is said, and leaves nothing.
func TestAWriterWhoseTurnDoesNotComeIsToldSo(t *testing.T) {
	db := opened(t)
	require.NoError(t, db.Write(context.Background(), func(Tx) error {
		ctx, cancel := context.WithCancel(context.Background())
		cancel()
		require.ErrorIs(t, db.Write(ctx, func(Tx) error { panic("not its turn") }), context.Canceled)
		db.patience = time.Millisecond
		require.ErrorIs(t, db.Write(context.Background(), func(Tx) error { panic("not its turn") }), ErrBusy)
		return nil
	}))
	require.NoError(t, insert(db, 1, "room-1", 0, 10))
}

// Whose turn it is follows from the bookings, whatever is done to them and to whose
// their visits are; and a visit begins with whose it is when it begins itself.
func TestTurnsAndStartsFollow(t *testing.T) {
	ctx := context.Background()
	rapid.Check(t, func(rt *rapid.T) {
		db, err := open(filepath.Join(t.TempDir(), fmt.Sprint(rapid.Uint64().Draw(rt, "name"), ".db")))
		require.NoError(rt, err)
		defer func() { require.NoError(rt, db.Close()) }()
		do := func(query string, values ...any) {
			require.NoError(rt, db.Write(ctx, func(tx Tx) error { return tx.db.Exec(query, values...).Error }))
		}
		do(`INSERT INTO staff (id, name, zone, created_at) VALUES (1, 'a', 'UTC', 0), (2, 'b', 'UTC', 0), (3, 'c', 'UTC', 0)`)
		do(`INSERT INTO services (id, slug, name, length, step, created_at) VALUES (1, 's', 's', 60, 30, 0), (2, 't', 't', 60, 30, 0)`)
		n := 0
		pick := rapid.IntRange(1, 3)
		for range rapid.IntRange(1, 25).Draw(rt, "deeds") {
			n++
			at := rapid.IntRange(1, n).Draw(rt, "which")
			switch rapid.IntRange(0, 7).Draw(rt, "deed") {
			case 0, 1:
				require.NoError(rt, db.Write(ctx, func(tx Tx) error {
					v := Visit{ID: ID(n), ServiceID: ID(rapid.IntRange(1, 2).Draw(rt, "service")), UID: fmt.Sprint(n), Start: span.Instant(n), End: span.Instant(n + 1)}
					staff := []ID{ID(pick.Draw(rt, "staff"))}
					if other := ID(pick.Draw(rt, "staff")); other != staff[0] {
						staff = append(staff, other)
					}
					if err := tx.AddVisit(&v, staff, nil); err != nil {
						return err
					}
					return tx.AddBooking(&Booking{ID: ID(n), VisitID: v.ID, Reference: fmt.Sprint(n), TokenHash: fmt.Sprint(n), Status: Held})
				}))
			case 2:
				do("UPDATE bookings SET status = ? WHERE id = ?", rapid.SampledFrom([]BookingStatus{Confirmed, Pending, Cancelled}).Draw(rt, "status"), at)
			case 3:
				do("DELETE FROM bookings WHERE id = ?", at)
			case 4: // it moves into another visit
				do("UPDATE bookings SET visit_id = (SELECT id FROM visits WHERE id <= ? ORDER BY id DESC LIMIT 1) WHERE id = ? AND EXISTS (SELECT 1 FROM visits WHERE id <= ?)", at, n-1, at)
			case 5:
				require.NoError(rt, db.Write(ctx, func(tx Tx) error {
					var ids []ID
					if err := tx.db.Raw("SELECT v.id FROM visits v WHERE NOT EXISTS (SELECT 1 FROM bookings b WHERE b.visit_id = v.id) OR v.id = ? ORDER BY v.id LIMIT 2", at).Scan(&ids).Error; err != nil || len(ids) < 2 {
						return err
					}
					if err := tx.db.Exec("DELETE FROM bookings WHERE visit_id = ?", ids[1]).Error; err != nil {
						return err
					}
					return tx.TakeOver(ids[0], ids[1])
				}))
			case 6:
				do("UPDATE visits SET start = start - 1 WHERE id = ?", at)
			case 7:
				do("INSERT OR IGNORE INTO visit_staff (visit_id, staff_id) SELECT id, ? FROM visits WHERE id = ?", pick.Draw(rt, "staff"), at)
			}
			for service := ID(1); service <= 2; service++ {
				var want []struct{ StaffID, Last ID }
				require.NoError(rt, db.read.Raw(`SELECT vs.staff_id, MAX(b.id) AS last FROM bookings b JOIN visits v ON v.id = b.visit_id AND v.service_id = ?
					JOIN visit_staff vs ON vs.visit_id = v.id WHERE b.status <> 'cancelled' GROUP BY vs.staff_id`, service).Scan(&want).Error)
				got, err := db.Read(ctx).LastPicked(service)
				require.NoError(rt, err)
				require.Len(rt, got, len(want))
				for _, w := range want {
					require.Equal(rt, w.Last, got[w.StaffID])
				}
			}
			apart, err := scan[int](db.read.Raw("SELECT COUNT(*) FROM visit_staff vs JOIN visits v ON v.id = vs.visit_id WHERE vs.start <> v.start"))
			require.NoError(rt, err)
			require.Zero(rt, apart)
		}
	})
}

// A database of before knows its clients as people after it was brought up to date: one for each mail address, as they
// were called last.
func TestBookingsOfBeforeHaveClients(t *testing.T) {
	for _, version := range []string{"0028_answer_stamp", "0034_files"} {
		t.Run(version, func(t *testing.T) { bookingsOfBeforeHaveClients(t, version) })
	}
}

func bookingsOfBeforeHaveClients(t *testing.T, version string) {
	path := filepath.Join(t.TempDir(), "before.db")
	db, err := connect(path, "_txlock=immediate", 1)
	require.NoError(t, err)
	list, err := steps(db)
	require.NoError(t, err)
	options := *gormigrate.DefaultOptions
	options.UseTransaction = true
	require.NoError(t, gormigrate.New(db, &options, list).MigrateTo(version))
	for _, q := range []string{
		"INSERT INTO services (id, slug, name, length, step, created_at) VALUES (1, 's', 's', 60, 30, 0)",
		"INSERT INTO visits (id, service_id, uid, start, \"end\", buffer_before, buffer_after) VALUES (1, 1, 'u', 10, 20, 0, 0)",
		"INSERT INTO former_slugs (slug, service_id, since) VALUES ('old', 1, 5)",
	} {
		require.NoError(t, db.Exec(q).Error, q)
	}
	for i, who := range [][3]string{{"Rosa", "rosa@x.example", ""}, {"Ben", "ben@x.example", "+35315550100"}, {"Rosa Osei", "rosa@x.example", "+35315550177"}} {
		require.NoError(t, db.Exec(`INSERT INTO bookings (id, visit_id, reference, token_hash, key_hash, request_hash, status, places, client_name, client_mail, client_zone, client_phone, created_at)
			VALUES (?, 1, ?, ?, '', '', 'confirmed', 1, ?, ?, 'UTC', ?, ?)`, i+1, i, i, who[0], who[1], who[2], i).Error)
	}
	pool, err := db.DB()
	require.NoError(t, err)
	require.NoError(t, pool.Close())
	now, err := open(path)
	require.NoError(t, err)
	defer func() { require.NoError(t, now.Close()) }()
	tx := now.Read(t.Context())
	for words, name := range map[string]string{"rosa": "Rosa Osei", "ben": "Ben", "01 555 0177": ""} {
		found, err := tx.FindClients(words, 1, 100)
		require.NoError(t, err)
		if name != "" {
			require.Len(t, found, 1, words)
			require.Equal(t, name, found[0].Name)
		}
	}
	client, err := tx.ClientByMail("rosa@x.example")
	require.NoError(t, err)
	require.Equal(t, []any{"+35315550177", client.ID}, []any{client.Phone, client.Root})
	bookings, err := tx.BookingsOfClient(client.ID, 10)
	require.NoError(t, err)
	require.Len(t, bookings, 2)
	former, err := tx.FormerSlug("old")
	require.NoError(t, err)
	require.Equal(t, ID(1), former.ServiceID)
	require.NoError(t, now.Write(t.Context(), func(tx Tx) error {
		return tx.AddBooking(&Booking{VisitID: 1, Reference: "new", TokenHash: "new", Status: Confirmed, Places: 1, ClientName: "Ida", ClientMail: "ida@x.example", ClientZone: "UTC"})
	}))
	ida, err := tx.ClientByMail("ida@x.example")
	require.NoError(t, err)
	bookings, err = tx.BookingsOfClient(ida.ID, 10)
	require.NoError(t, err)
	require.Len(t, bookings, 1)
}
