// Package store keeps Niche's records in one SQLite database.
//
// It owns the schema, its versions and the transactions, and every query: by
// subject, one file each. It knows no rule of the business but one: two claims on
// one subject never overlap, which the database itself refuses. What may be booked,
// and what a state means, is decided by the packages above.
package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/mattn/go-sqlite3"
	"golang.org/x/sync/semaphore"
	"golang.org/x/sys/unix"
	"gorm.io/driver/sqlite"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// ErrNotFound says that there is no such record.
var ErrNotFound = gorm.ErrRecordNotFound

// ErrOverlap says that the database refused a claim because another one holds
// some of its time.
var ErrOverlap = errors.New("the time is claimed already")

// ErrInUse says that another program works on the data folder.
var ErrInUse = errors.New("another Niche is at work on this data folder")

// ErrNewer says that a later version of the program has written the database.
var ErrNewer = errors.New("the database was written by a newer version of Niche: run that one, or go back to a copy made before")

// ErrBusy says that others were still writing when this one's patience ended. Nothing
// was changed.
var ErrBusy = errors.New("the database is busy")

// DB is the database: one connection that writes, for one writer at a time and in the
// order in which they came, and a pool that only reads.
type DB struct {
	write, read *gorm.DB
	turn        *semaphore.Weighted
	waiting     atomic.Int32
	patience    time.Duration // how long a writer waits for its turn
	lock        *os.File
	Pulses      *Pulses // readings that were not written down
}

// patience is long: a disk can stand still for seconds, and whoever waits then is better
// served late than refused.
const patience = 20 * time.Second

// ID numbers a record of one kind. The zero value is no record.
type ID int64

// Name returns what the core calls a record, whose questions and case files have names.
func (id ID) Name() string { return strconv.FormatInt(int64(id), 10) }

// Named returns the record that the core calls by a name, made by Name.
func Named(name string) ID {
	n, _ := strconv.ParseInt(name, 10, 64)
	return ID(n)
}

// NamedID is a record by name, as it is sent.
type NamedID struct {
	ID   ID     `json:"id"`
	Name string `json:"name"`
}

// Tx is where queries are asked: a transaction, or the database for reading.
type Tx struct {
	db     *gorm.DB
	pulses *Pulses
}

// Open opens the database in a folder, makes both when they are missing, and
// brings the schema up to date. The folder is made readable for its owner only. It
// belongs to one program at a time.
func Open(folder string) (*DB, error) {
	if err := os.MkdirAll(folder, 0o700); err != nil {
		return nil, fmt.Errorf("making the data folder: %w", err)
	}
	if err := os.Chmod(folder, 0o700); err != nil {
		return nil, fmt.Errorf("closing the data folder to others: %w", err)
	}
	lock, err := lockFolder(folder)
	if err != nil {
		return nil, err
	}
	d, err := open(filepath.Join(folder, file))
	if err != nil {
		return nil, errors.Join(err, lock.Close())
	}
	d.lock = lock
	return d, nil
}

// file is the name of the database in the data folder.
const file = "niche.db"

func open(path string) (*DB, error) {
	if err := ownersOnly(path); err != nil {
		return nil, err
	}
	if err := ready(path); err != nil {
		return nil, fmt.Errorf("bringing %s up to date: %w", path, err)
	}
	return pools(path)
}

// blank is a database without records, as the migrations make it: the second new one of a program, as
// tests make many, is a copy of the first.
var blank struct {
	sync.Mutex
	data []byte
}

// ready makes a database or brings it up to date.
func ready(path string) error {
	about, err := os.Stat(path)
	if err != nil {
		return err
	}
	if about.Size() > 0 {
		return migrate(path)
	}
	blank.Lock()
	defer blank.Unlock()
	if blank.data != nil {
		return os.WriteFile(path, blank.data, 0o600)
	}
	if err := migrate(path); err != nil {
		return err
	}
	blank.data, err = os.ReadFile(path)
	return err
}

// pools opens the one connection that writes, and those that read.
func pools(path string) (*DB, error) {
	write, err := connect(path, "_foreign_keys=on&_txlock=immediate", 1)
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", path, err)
	}
	read, err := connect(path, "_foreign_keys=on&_query_only=true", 8)
	if err != nil {
		return nil, fmt.Errorf("opening %s to read: %w", path, err)
	}
	return &DB{write: write, read: read, turn: semaphore.NewWeighted(1), patience: patience, Pulses: &Pulses{}}, nil
}

// ownersOnly makes the database readable for its owner only, and so what SQLite puts
// beside it, which gets the same mode.
func ownersOnly(path string) error {
	f, err := os.OpenFile(path, os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return fmt.Errorf("opening %s: %w", path, err)
	}
	if err := f.Close(); err != nil {
		return fmt.Errorf("opening %s: %w", path, err)
	}
	for _, name := range []string{path, path + "-wal", path + "-shm"} {
		if err := os.Chmod(name, 0o600); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("closing %s to others: %w", name, err)
		}
	}
	return nil
}

// OpenToRead opens the database in a folder as it is, beside a program that may be
// at work on it. It can only be read.
func OpenToRead(folder string) (*DB, error) {
	path := filepath.Join(folder, file)
	if _, err := os.Stat(path); err != nil {
		return nil, fmt.Errorf("opening the data folder: %w", err)
	}
	read, err := connect(path, "_query_only=true", 2)
	if err == nil {
		_, err = steps(read)
	}
	if err != nil {
		return nil, fmt.Errorf("opening %s to read: %w", path, err)
	}
	return &DB{write: read, read: read, turn: semaphore.NewWeighted(1), patience: patience, Pulses: &Pulses{}}, nil
}

// OpenBeside opens the database in a folder beside a program that may be at work on it,
// for a change or two. The schema must be the present one.
func OpenBeside(folder string) (*DB, error) {
	path := filepath.Join(folder, file)
	if _, err := os.Stat(path); err != nil {
		return nil, fmt.Errorf("opening the data folder: %w", err)
	}
	d, err := pools(path)
	if err == nil {
		_, err = steps(d.read)
	}
	if err != nil {
		return nil, fmt.Errorf("opening %s: %w", path, err)
	}
	return d, nil
}

// lockFolder takes the folder for this program. The lock goes with the program,
// however it ends.
func lockFolder(folder string) (*os.File, error) {
	lock, err := os.OpenFile(filepath.Join(folder, "niche.lock"), os.O_RDWR|os.O_CREATE, 0o600)
	if err != nil {
		return nil, fmt.Errorf("taking the data folder: %w", err)
	}
	if err := unix.Flock(int(lock.Fd()), unix.LOCK_EX|unix.LOCK_NB); err != nil {
		if errors.Is(err, unix.EWOULDBLOCK) {
			err = ErrInUse
		}
		return nil, errors.Join(fmt.Errorf("taking the data folder %s: %w", folder, err), lock.Close())
	}
	return lock, nil
}

// connect opens a pool. What is deleted is overwritten in the file too: secrets, and what an
// owner no longer wants to be known. Each connection keeps its own prepared statements: a store of
// them that all share makes whoever holds a connection wait for one who prepares the
// same statement and has none yet.
func connect(path, mode string, connections int) (*gorm.DB, error) {
	dsn := "file:" + path + "?_journal_mode=WAL&_busy_timeout=20000&_synchronous=NORMAL&_secure_delete=on&_stmt_cache_size=200&" + mode
	db, err := gorm.Open(sqlite.Open(dsn), &gorm.Config{
		Logger:                 logger.Discard, // statements hold clients' data
		SkipDefaultTransaction: true,
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

// Close closes both pools, and lets go of the folder.
func (d *DB) Close() error {
	var errs []error
	for _, g := range []*gorm.DB{d.read, d.write} {
		pool, err := g.DB()
		if err == nil {
			err = pool.Close()
		}
		errs = append(errs, err)
	}
	if d.lock != nil {
		errs = append(errs, d.lock.Close())
	}
	return errors.Join(errs...)
}

// Read returns the database for reading. Each query sees what has been committed
// when it is asked.
func (d *DB) Read(ctx context.Context) Tx { return Tx{d.read.WithContext(ctx), d.Pulses} }

// View runs fn in one transaction that only reads: all its queries see the same
// moment, and nobody waits for them.
func (d *DB) View(ctx context.Context, fn func(tx Tx) error) error {
	return d.read.WithContext(ctx).Transaction(func(g *gorm.DB) error { return fn(Tx{g, d.Pulses}) })
}

// Write runs fn in one immediate transaction, which is rolled back when fn
// fails. No network call may be made inside, nor another Write. It returns ErrBusy
// when its turn did not come.
func (d *DB) Write(ctx context.Context, fn func(tx Tx) error) error {
	return d.inTurn(ctx, func() error {
		return d.write.WithContext(ctx).Transaction(func(g *gorm.DB) error { return fn(Tx{g, d.Pulses}) })
	})
}

// Single runs fn, which asks for one statement that changes something and so needs no
// transaction.
func (d *DB) Single(ctx context.Context, fn func(tx Tx) error) error {
	return d.inTurn(ctx, func() error { return fn(Tx{d.write.WithContext(ctx), d.Pulses}) })
}

// Waiting returns how many wait for their turn to write.
func (d *DB) Waiting() int { return int(d.waiting.Load()) }

func (d *DB) inTurn(ctx context.Context, do func() error) error {
	patience, cancel := context.WithTimeout(ctx, d.patience)
	defer cancel()
	d.waiting.Add(1)
	err := d.turn.Acquire(patience, 1)
	d.waiting.Add(-1)
	if err != nil {
		if ctx.Err() != nil {
			return fmt.Errorf("waiting to write: %w", ctx.Err())
		}
		return ErrBusy
	}
	defer d.turn.Release(1)
	err = do()
	var fault sqlite3.Error
	switch {
	case err == nil:
		return nil
	case strings.Contains(err.Error(), "claims of one subject overlap"):
		return ErrOverlap
	case errors.As(err, &fault) && (fault.Code == sqlite3.ErrBusy || fault.Code == sqlite3.ErrLocked):
		return errors.Join(ErrBusy, err)
	}
	return err
}

//go:embed migrations/*.sql
var files embed.FS

// migrate brings the schema up to date, over a connection of its own. A migration, once
// released, is not changed: a new file follows it. While one runs, foreign keys are
// checked at its end only, so that tables can be made anew.
func migrate(path string) error {
	db, err := connect(path, "_txlock=immediate", 1)
	if err != nil {
		return err
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	defer func() { _ = pool.Close() }()
	list, err := steps(db)
	if err != nil {
		return err
	}
	options := *gormigrate.DefaultOptions
	options.UseTransaction = true
	return gormigrate.New(db, &options, list).Migrate()
}

// steps returns all migrations, or ErrNewer when the database has seen others.
func steps(db *gorm.DB) (list []*gormigrate.Migration, err error) {
	entries, err := files.ReadDir("migrations")
	if err != nil {
		return nil, err
	}
	for _, e := range entries {
		text, err := files.ReadFile("migrations/" + e.Name())
		if err != nil {
			return nil, err
		}
		list = append(list, &gormigrate.Migration{ID: strings.TrimSuffix(e.Name(), ".sql"), Migrate: func(tx *gorm.DB) error {
			if err := tx.Exec(string(text)).Error; err != nil {
				return err
			}
			broken, err := scan[int](tx.Raw("SELECT COUNT(*) FROM pragma_foreign_key_check"))
			if err == nil && broken > 0 {
				err = fmt.Errorf("%d records would refer to nothing", broken)
			}
			return err
		}})
	}
	if !db.Migrator().HasTable(gormigrate.DefaultOptions.TableName) {
		return list, nil
	}
	var done []string
	if err := db.Table(gormigrate.DefaultOptions.TableName).Pluck("id", &done).Error; err != nil {
		return nil, err
	}
	for _, id := range done {
		if !slices.ContainsFunc(list, func(m *gormigrate.Migration) bool { return m.ID == id }) {
			return nil, ErrNewer
		}
	}
	return list, nil
}

// rows reads what a query finds.
func rows[T any](q *gorm.DB) (list []T, err error) {
	err = q.Find(&list).Error
	return list, err
}

// scan reads what a query of SQL finds.
func scan[T any](q *gorm.DB) (v T, err error) {
	err = q.Scan(&v).Error
	return v, err
}

// each reads the rows that a query finds one by one, where they are too many to be taken
// apart by their names.
func each(q *gorm.DB, row func(scan func(...any) error) error) error {
	found, err := q.Rows()
	if err != nil {
		return err
	}
	defer func() { _ = found.Close() }()
	for found.Next() {
		if err := row(found.Scan); err != nil {
			return err
		}
	}
	return found.Err()
}

// one reads the record that a query finds, or returns ErrNotFound.
func one[T any](q *gorm.DB) (row T, err error) {
	err = q.Take(&row).Error
	return row, err
}

// inParts calls do for parts of a list that is too long for one statement.
func inParts[T any](list []T, do func(part []T) error) error {
	for part := range slices.Chunk(list, 500) {
		if err := do(part); err != nil {
			return err
		}
	}
	return nil
}
