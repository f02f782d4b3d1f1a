// Package gateway asks the small services outside that Niche needs beside calendars and mail: a
// meeting host, a text gateway, a payment host. Each is an address and a key; what is asked is
// a few operations of HTTP with JSON, all of which can be asked twice and happen once, since a
// line can break after the service has done what was wanted.
package gateway

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"strings"

	"niche/internal/outbound"
	"niche/internal/store"
)

// Vault seals what may not be read in the database.
type Vault interface {
	Seal(secret, owner string) []byte
	Open(sealed []byte, owner string) (string, error)
}

// Gateways asks them.
type Gateways struct {
	Vault Vault
	HTTP  *http.Client
}

// longest is how much of an answer is read, in bytes.
const longest = 64 << 10

// owner binds a key to the service: it opens for no other address.
func owner(g store.Gateway, what string) string {
	return fmt.Sprintf("%s of %s at %s", what, g.Kind, g.Address)
}

// WithKey returns a service that is asked with a key.
func (s Gateways) WithKey(g store.Gateway, key string) store.Gateway {
	g.Key = s.Vault.Seal(key, owner(g, "key"))
	return g
}

// WithNotices returns a service that signs what it sends with a key.
func (s Gateways) WithNotices(g store.Gateway, key string) store.Gateway {
	g.Notices = s.Vault.Seal(key, owner(g, "notices"))
	return g
}

// NoticeKey returns the key with which a service signs what it sends.
func (s Gateways) NoticeKey(g store.Gateway) (string, error) {
	return s.Vault.Open(g.Notices, owner(g, "notices"))
}

// Ask sends a request about one thing of a service, which it knows by a key of ours, and reads
// its answer into a value if there is one. The error is an *outbound.Error where the service
// has refused, or was not reached.
func (s Gateways) Ask(ctx context.Context, g store.Gateway, method, path string, body any, into any) error {
	data, ok := body.([]byte)
	if !ok && body != nil {
		var err error
		if data, err = json.Marshal(body); err != nil {
			return fmt.Errorf("asking for %s: %w", g.Kind, err)
		}
	}
	doing := method + " " + path + " of the host of " + string(g.Kind)
	req, err := http.NewRequestWithContext(ctx, method, strings.TrimSuffix(g.Address, "/")+path, bytes.NewReader(data))
	if err != nil {
		return &outbound.Error{Kind: outbound.BadAddress, Doing: doing}
	}
	if data != nil {
		req.Header.Set("Content-Type", "application/json")
	}
	if len(g.Key) > 0 {
		key, err := s.Vault.Open(g.Key, owner(g, "key"))
		if err != nil {
			return err
		}
		req.Header.Set("Authorization", "Bearer "+key)
	}
	res, err := s.HTTP.Do(req)
	if err != nil {
		return outbound.Failed(ctx, doing, err)
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode/100 != 2 {
		return outbound.Refused(doing, res)
	}
	answer, err := io.ReadAll(outbound.Limit(res.Body, longest))
	if err != nil {
		return outbound.Failed(ctx, doing, err)
	}
	if into != nil {
		if err := json.Unmarshal(answer, into); err != nil {
			return &outbound.Error{Kind: outbound.BadAnswer, Doing: doing, Status: res.StatusCode}
		}
	}
	return nil
}
