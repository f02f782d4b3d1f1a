package desk

import (
	"context"
	"fmt"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/store"
)

func (s *Desk) registerFiles(a huma.API) {
	huma.Register(a, api.Get("/api/files/{id}", "getFile", "A file that a client has handed over"), s.getFile)
}

func (s *Desk) getFile(ctx context.Context, in *api.IDPath) (*huma.StreamResponse, error) {
	row, err := s.DB.Read(ctx).File(in.ID)
	if err != nil {
		return nil, api.Found(err, "file")
	}
	if err := s.DB.Write(ctx, func(tx store.Tx) error {
		return tx.Note(span.At(s.Now()), "opened a file of", "booking", row.BookingID, fmt.Sprintf("file %d", row.ID), nil, nil)
	}); err != nil {
		return nil, err
	}
	return api.Attached(s.Files, row)
}
