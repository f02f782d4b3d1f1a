package client

import (
	"context"
	"errors"
	"net/http"
	"slices"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/files"
)

// HandedOver is a file that was handed over.
type HandedOver struct {
	Token string `json:"token" doc:"By which it is named as an answer."`
	Name  string `json:"name"`
	Size  int64  `json:"size" doc:"In bytes."`
}

func (s *Client) handOver(ctx context.Context, in *struct {
	SlugPath
	Name    string `query:"name" maxLength:"200"`
	RawBody []byte `contentType:"application/octet-stream"`
}) (*api.Body[HandedOver], error) {
	service, err := s.bySlug(s.DB.Read(ctx), in.Slug)
	if err != nil {
		return nil, err
	}
	if !asksForFiles(service.Questions) {
		return nil, api.NewProblem(http.StatusConflict, "No file is asked for here.")
	}
	token, row, err := s.Files.Keep(ctx, in.Name, in.RawBody)
	switch {
	case errors.Is(err, files.ErrKind):
		return nil, api.Wrong("file", "This is no picture (PNG, JPEG) and no PDF.")
	case errors.Is(err, files.ErrLarge):
		return nil, api.Wrong("file", "This file is larger than 8 MB.")
	case errors.Is(err, files.ErrFull):
		return nil, api.NewProblem(http.StatusServiceUnavailable, "No file can be taken at present. Book without it, and hand it over later.")
	}
	return api.Answer(HandedOver{token, row.Name, row.Size}, err)
}

func asksForFiles(list []question.Question) bool {
	return slices.ContainsFunc(list, func(q question.Question) bool { return q.Kind == question.File })
}
