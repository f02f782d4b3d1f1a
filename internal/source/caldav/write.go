package caldav

import (
	"context"
	"net/http"

	"niche/internal/source"
)

// Get fetches one event.
func (c *Calendar) Get(ctx context.Context, address string) (source.Stored, error) {
	return c.get(ctx, "reading the copy back", address)
}

func (c *Client) get(ctx context.Context, doing, address string) (source.Stored, error) {
	res, body, err := c.whole(ctx, request{doing: doing, method: http.MethodGet, address: address}, http.StatusOK)
	if err != nil {
		return source.Stored{}, err
	}
	return source.Stored{ETag: res.Header.Get("ETag"), Body: body}, nil
}

// Put writes an event.
func (c *Calendar) Put(ctx context.Context, address, etag string, body []byte) (string, error) {
	header := map[string]string{"Content-Type": "text/calendar; charset=utf-8", "If-None-Match": "*"}
	if etag != "" {
		delete(header, "If-None-Match")
		header["If-Match"] = source.Strong(etag)
	}
	res, _, err := c.whole(ctx, request{doing: "writing the copy", method: http.MethodPut, address: address, header: header, body: body},
		http.StatusCreated, http.StatusNoContent, http.StatusOK)
	if err != nil {
		return "", err
	}
	return res.Header.Get("ETag"), nil
}

// Delete removes an event.
func (c *Calendar) Delete(ctx context.Context, address, etag string) error {
	header := map[string]string{}
	if etag != "" {
		header["If-Match"] = source.Strong(etag)
	}
	_, _, err := c.whole(ctx, request{doing: "removing the copy", method: http.MethodDelete, address: address, header: header},
		http.StatusNoContent, http.StatusOK, http.StatusAccepted)
	return err
}
