package api

import (
	"errors"
	"fmt"
	"io/fs"
	"mime"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/internal/files"
	"niche/internal/store"
)

// Attached returns a file that a client has handed over, to be kept and never shown as part of a page.
func Attached(f *files.Files, row store.File) (*huma.StreamResponse, error) {
	data, err := f.Read(row)
	if errors.Is(err, fs.ErrNotExist) {
		return nil, NewProblem(http.StatusNotFound, "What was in this file is not there any more.")
	}
	if err != nil {
		return nil, fmt.Errorf("reading a file: %w", err)
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Type", row.Type)
		ctx.SetHeader("Content-Security-Policy", "sandbox; default-src 'none'")
		ctx.SetHeader("Content-Disposition", mime.FormatMediaType("attachment", map[string]string{"filename": row.Name}))
		_, _ = ctx.BodyWriter().Write(data)
	}}, nil
}
