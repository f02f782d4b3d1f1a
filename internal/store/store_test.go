package store_test

import (
	"context"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"gorm.io/gorm"
	"pgregory.net/rapid"

	"niche/core/span"
	"niche/internal/store"
)

func open(t *testing.T) *store.DB {
	folder := filepath.Join(t.TempDir(), "data")
	db, err := store.Open(folder)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, db.Close()) })
	info, err := os.Stat(folder)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o700), info.Mode().Perm())
	require.NoError(t, db.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Exec(`INSERT INTO services (id, slug, name, length, step, created_at) VALUES (1, 's', 's', 60, 30, 0);`).Error
	}))
	return db
}

// insert puts a claim straight into the table, past all checks in Go.
func insert(db *store.DB, id int, subject string, start, end int) error {
	return db.Write(context.Background(), func(tx *gorm.DB) error {
		err := tx.Exec(`INSERT INTO visits (id, service_id, uid, start, "end", buffer_before, buffer_after) VALUES (?, 1, ?, ?, ?, 0, 0)`,
			id, id, start, max(end, start+1)).Error
		if err != nil {
			return err
		}
		return tx.Exec(`INSERT INTO claims (visit_id, subject, start, "end") VALUES (?, ?, ?, ?)`, id, subject, start, end).Error
	})
}

func TestTheDatabaseRefusesOverlappingClaims(t *testing.T) {
	db := open(t)
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
			require.ErrorIs(t, err, store.ErrOverlap, c.name)
		} else {
			require.NoError(t, err, c.name)
		}
	}
	err := db.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Exec(`UPDATE claims SET start = 150, "end" = 250 WHERE visit_id = 1`).Error
	})
	require.ErrorIs(t, err, store.ErrOverlap, "a claim cannot be moved over another either")
	err = db.Write(context.Background(), func(tx *gorm.DB) error {
		return tx.Exec(`UPDATE claims SET start = 110, "end" = 190 WHERE visit_id = 1`).Error
	})
	require.NoError(t, err, "a claim is not in its own way")
	require.Error(t, insert(db, 90, "staff:9", 10, 10), "a claim has some length")
}

// Whatever is inserted, moved and deleted in whatever order, no two claims of
// one subject overlap, and only those that would are refused.
func TestClaimsNeverOverlap(t *testing.T) {
	db := open(t)
	next := 1000
	rapid.Check(t, func(t *rapid.T) {
		ctx := context.Background()
		require.NoError(t, db.Write(ctx, func(tx *gorm.DB) error { return tx.Exec("DELETE FROM visits").Error }))
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
				err = db.Write(ctx, func(tx *gorm.DB) error {
					return tx.Exec(`UPDATE claims SET start = ?, "end" = ? WHERE visit_id = ?`, s.Start(), s.End(), mover).Error
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
				require.ErrorIs(t, err, store.ErrOverlap)
			}
		}
		var overlaps int
		require.NoError(t, db.Read(ctx).Raw(`SELECT COUNT(*) FROM claims a JOIN claims b ON a.id < b.id AND a.subject = b.subject
			AND a.start < b."end" AND b.start < a."end"`).Scan(&overlaps).Error)
		require.Zero(t, overlaps)
	})
}

func TestOpeningAgainKeepsWhatWasThere(t *testing.T) {
	folder := t.TempDir()
	for want := range int64(2) {
		db, err := store.Open(folder)
		require.NoError(t, err)
		var count int64
		require.NoError(t, db.Read(context.Background()).Model(&store.Staff{}).Count(&count).Error)
		require.Equal(t, want, count)
		require.NoError(t, db.Write(context.Background(), func(tx *gorm.DB) error {
			return tx.Create(&store.Staff{Name: "Mara", Zone: "Europe/Dublin"}).Error
		}))
		require.NoError(t, db.Close())
	}
}
