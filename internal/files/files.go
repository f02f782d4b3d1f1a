// Package files keeps what clients hand over with their answers: pictures and papers, in a folder of
// their own beside the database. What a file is, its first bytes say, and not who sends it. One that
// belongs to no booking goes after a day.
package files

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"time"

	"niche/core/span"
	"niche/internal/plain"
	"niche/internal/secret"
	"niche/internal/store"
)

// Limits on files.
const (
	Largest      = 8 << 20        // bytes
	LargestSent  = Largest + 4096 // of a request that hands one over
	mostLoose    = 500            // that belong to no booking
	looseFor     = 24 * 60        // minutes
	longestNames = 120
)

// Files keeps them.
type Files struct {
	DB     *store.DB
	Folder string
	Now    func() time.Time
}

// Errors of a file that is not taken.
var (
	ErrKind  = errors.New("it is no PNG, JPEG or PDF")
	ErrLarge = errors.New("it is too large")
	ErrFull  = errors.New("there are too many files that belong to no booking")
)

// kinds are what is taken, by how it begins.
var kinds = []struct{ begins, mime, ending string }{
	{"\x89PNG\r\n\x1a\n", "image/png", ".png"}, {"\xff\xd8\xff", "image/jpeg", ".jpg"}, {"%PDF-", "application/pdf", ".pdf"},
}

// Keep keeps a file under a name, and returns the token by which whoever has sent it names it.
func (f *Files) Keep(ctx context.Context, name string, data []byte) (token string, row store.File, err error) {
	if len(data) > Largest {
		return "", row, ErrLarge
	}
	for _, k := range kinds {
		if bytes.HasPrefix(data, []byte(k.begins)) {
			row.Type = k.mime
			name = filepath.Base(plain.Clean(name, longestNames))
			if name == "." || name == "/" || name == "" {
				name = "file" + k.ending
			}
		}
	}
	if row.Type == "" {
		return "", row, ErrKind
	}
	loose, err := f.DB.Read(ctx).LooseFiles()
	if err != nil {
		return "", row, err
	}
	if loose >= mostLoose {
		return "", row, ErrFull
	}
	token = secret.New()
	row.TokenHash, row.Name, row.Size, row.Path, row.MadeAt = secret.Hash(token), name, int64(len(data)), secret.Code(20), span.At(f.Now())
	if err := os.MkdirAll(f.Folder, 0o700); err != nil {
		return "", row, fmt.Errorf("making the folder of files: %w", err)
	}
	// The row comes first: a program that is killed in between leaves one that is swept away.
	if err := f.DB.Write(ctx, func(tx store.Tx) error { return tx.AddFile(&row) }); err != nil {
		return "", row, err
	}
	if err := os.WriteFile(filepath.Join(f.Folder, row.Path), data, 0o600); err != nil {
		return "", row, fmt.Errorf("keeping a file: %w", err)
	}
	return token, row, nil
}

// Named returns the file that a token names.
func (f *Files) Named(tx store.Tx, token string) (store.File, bool) {
	row, err := tx.FileByToken(secret.Hash(token))
	return row, err == nil
}

// Read returns what is in a file.
func (f *Files) Read(row store.File) ([]byte, error) {
	return os.ReadFile(filepath.Join(f.Folder, filepath.Base(row.Path)))
}

// Sweep removes files that belong to no booking for a day, and those that are to go.
func (f *Files) Sweep(ctx context.Context) error {
	going, err := f.DB.Read(ctx).GoingFiles(span.At(f.Now()).Add(-looseFor))
	for _, row := range going {
		if gone := os.Remove(filepath.Join(f.Folder, filepath.Base(row.Path))); gone != nil && !errors.Is(gone, fs.ErrNotExist) {
			err = errors.Join(err, gone)
			continue
		}
		err = errors.Join(err, f.DB.Write(ctx, func(tx store.Tx) error { return tx.RemoveFile(row.ID) }))
	}
	if err != nil {
		return fmt.Errorf("sweeping files: %w", err)
	}
	return nil
}
