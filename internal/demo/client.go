package demo

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"net/http/cookiejar"
	"strings"
	"time"

	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/store"
)

// Client uses Niche over HTTP, as a person's browser does.
type Client struct {
	Address string // http://host:port
	http    *http.Client
}

// NewClient returns a client that is not signed in.
func NewClient(address string) *Client {
	jar, _ := cookiejar.New(nil) // fails never
	return &Client{address, &http.Client{Jar: jar, Timeout: time.Minute}}
}

// HTTP returns the client with the cookies of this one, for what has no shape of ours.
func (c *Client) HTTP() *http.Client { return c.http }

// Do sends a request and reads the answer into out, unless that is nil. A
// problem is returned as an *api.Problem.
func (c *Client) Do(ctx context.Context, method, path string, in, out any) error {
	return c.do(ctx, method, path, "", in, out)
}

func (c *Client) do(ctx context.Context, method, path, over string, in, out any) error {
	var body io.Reader
	if in != nil {
		data, err := json.Marshal(in)
		if err != nil {
			return err
		}
		body = bytes.NewReader(data)
	}
	req, err := http.NewRequestWithContext(ctx, method, c.Address+path, body)
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	if over != "" {
		req.Header.Set("If-Match", over)
	}
	res, err := c.http.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	data, err := io.ReadAll(res.Body)
	if err != nil {
		return err
	}
	if res.StatusCode >= 400 {
		problem := &api.Problem{}
		if err := json.Unmarshal(data, problem); err != nil {
			return fmt.Errorf("%s %s: %d", method, path, res.StatusCode)
		}
		return problem
	}
	if out == nil {
		return nil
	}
	return json.Unmarshal(data, out)
}

// Get reads what is at a path.
func (c *Client) Get(ctx context.Context, path string, out any) error {
	return c.Do(ctx, http.MethodGet, path, nil, out)
}

// Post sends something to a path.
func (c *Client) Post(ctx context.Context, path string, in, out any) error {
	return c.Do(ctx, http.MethodPost, path, in, out)
}

// Put replaces what is at a path.
func (c *Client) Put(ctx context.Context, path string, in, out any) error {
	return c.Do(ctx, http.MethodPut, path, in, out)
}

// Save saves over a version of what is at a path.
func (c *Client) Save(ctx context.Context, path string, version int64, in, out any) error {
	return c.do(ctx, http.MethodPut, path, fmt.Sprintf("%q", fmt.Sprint(version)), in, out)
}

// Change saves over whatever version of what is at a path there is.
func (c *Client) Change(ctx context.Context, path string, in, out any) error {
	var now struct{ Version int64 }
	bare, _, _ := strings.Cut(path, "?")
	if err := c.Get(ctx, bare, &now); err != nil {
		return err
	}
	return c.Save(ctx, path, now.Version, in, out)
}

// patience is how long Until waits.
const patience = time.Minute

// Until waits until ok says yes. It asks again whenever the stream of changes
// says that something changed, and so needs a client that is signed in.
func (c *Client) Until(ctx context.Context, ok func() (bool, error)) error {
	ctx, cancel := context.WithTimeout(ctx, patience)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, c.Address+"/api/changes", nil)
	if err != nil {
		return err
	}
	res, err := c.http.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusOK {
		return fmt.Errorf("listening to changes: %d", res.StatusCode)
	}
	news := make([]byte, 4096)
	for {
		if done, err := ok(); done || err != nil {
			return err
		}
		if _, err := res.Body.Read(news); err != nil {
			return fmt.Errorf("waiting for a change: %w", err)
		}
	}
}

// Own signs a staff member in to their own pages, by an invitation that an administrator
// makes.
func Own(ctx context.Context, administrator *Client, staff store.ID) (*Client, error) {
	var way desk.WayIn
	if err := administrator.Post(ctx, fmt.Sprintf("/api/staff/%d/invitation", staff), nil, &way); err != nil {
		return nil, err
	}
	me := NewClient(administrator.Address)
	return me, me.Post(ctx, "/api/invitations/"+strings.TrimPrefix(way.Path, "/link/"), nil, nil)
}
