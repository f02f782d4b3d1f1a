// Package store keeps Niche's records in one SQLite database.
//
// It owns the schema, its versions and the transactions, and knows no rule of
// the business but one: two claims on one subject never overlap, which the
// database itself refuses. What may be booked, and what a state means, is
// decided by the packages above.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"github.com/go-gormigrate/gormigrate/v2"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// ErrNotFound says that there is no such record.
var ErrNotFound = gorm.ErrRecordNotFound

// ErrOverlap says that the database refused a claim because another one holds
// some of its time.
var ErrOverlap = errors.New("the time is claimed already")

// DB is the database: one pool that writes, every transaction of which takes
// the write lock at its beginning, and one that only reads.
type DB struct {
	write, read *gorm.DB
}

// Open opens the database in a folder, makes both when they are missing, and
// brings the schema up to date. The folder is made readable for its owner only.
func Open(folder string) (*DB, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("making the data folder: %w", err)
	}
	if err := os.Chmod(folder, 0o700); err != nil {
		return nil, fmt.Errorf("closing the data folder to others: %w", err)
	}
	path := filepath.Join(folder, "niche.db")
	if err := migrate(path); err != nil {
		return nil, fmt.Errorf("bringing %s up to date: %w", path, err)
	}
	write, err := connect(path, "_txlock=immediate", 4, true)
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", path, err)
	}
	read, err := connect(path, "_query_only=true", 8, true)
	if err != nil {
		return nil, fmt.Errorf("opening %s to read: %w", path, err)
	}
	return &DB{write, read}, nil
}

func connect(path, mode string, connections int, prepare bool) (*gorm.DB, error) {
	dsn := "file:" + path + "?_journal_mode=WAL&_busy_timeout=5000&_synchronous=NORMAL&_foreign_keys=on&" + mode
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{
		Logger:                 logger.Discard, // statements hold clients' data
		SkipDefaultTransaction: true,
		PrepareStmt:            prepare,
	})
	if err != nil {
		return nil, err
	}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(connections)
	pool.SetMaxIdleConns(connections)
	return db, nil
}

// Close closes both pools.
func (d *DB) Close() error {
	var errs []error
	for _, g := range []*gorm.DB{d.read, d.write} {
		pool, err := g.DB()
		if err == nil {
			err = pool.Close()
		}
		errs = append(errs, err)
	}
	return errors.Join(errs...)
}

// Read returns the database for reading. It sees what has been committed.
func (d *DB) Read(ctx context.Context) *gorm.DB { return d.read.WithContext(ctx) }

// Write runs fn in one immediate transaction, which is rolled back when fn
// fails. No network call may be made inside.
func (d *DB) Write(ctx context.Context, fn func(tx *gorm.DB) error) error {
	err := d.write.WithContext(ctx).Transaction(fn)
	if err != nil && strings.Contains(err.Error(), "claims of one subject overlap") {
		return ErrOverlap
	}
	return err
}

//go:embed migrations/*.sql
var files embed.FS

// migrate brings the schema up to date, over a connection of its own: a file
// holds many statements, which cannot be prepared as one. A migration, once
// released, is not changed: a new file follows it.
func migrate(path string) error {
	db, err := connect(path, "_txlock=immediate", 1, false)
	if err != nil {
		return err
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	defer func() { _ = pool.Close() }()
	entries, err := files.ReadDir("migrations")
	if err != nil {
		return err
	}
	var steps []*gormigrate.Migration
	for _, e := range entries {
		text, err := files.ReadFile("migrations/" + e.Name())
		if err != nil {
			return err
		}
		steps = append(steps, &gormigrate.Migration{
			ID:      strings.TrimSuffix(e.Name(), ".sql"),
			Migrate: func(tx *gorm.DB) error { return tx.Exec(string(text)).Error },
		})
	}
	options := *gormigrate.DefaultOptions
	options.UseTransaction = true
	return gormigrate.New(db, &options, steps).Migrate()
}
