package caldav

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/icholy/digest"

	"niche/internal/source"
)

// signer puts credentials on requests, in the way that the host asks for: Bearer,
// Digest (RFC 7616) or Basic (RFC 7617).
//
// Over https, Basic goes along with the first request, which spares one; over
// plain http nothing does, so that a host that knows Digest never sees the
// password.
type signer struct {
	source.Credentials
	mu        sync.Mutex
	asked     bool // the host has been asked what it wants
	challenge *digest.Challenge
	count     int // of requests with the challenge's nonce
}

// sign returns what goes into the Authorization header.
func (s *signer) sign(req *http.Request) (string, error) {
	if s.Tokens != nil {
		token, err := s.Tokens.Token(req.Context(), "")
		return "Bearer " + token, err
	}
	s.mu.Lock()
	defer s.mu.Unlock()
	switch {
	case s.Token != "":
		return "Bearer " + s.Token, nil
	case s.challenge != nil:
		s.count++
		c, err := digest.Digest(s.challenge, digest.Options{Method: req.Method, URI: req.URL.RequestURI(), GetBody: req.GetBody,
			Count: s.count, Username: s.User, Password: s.Password})
		if err != nil {
			return "", fmt.Errorf("signing the request as the host asks: %w", err)
		}
		return c.String(), nil
	}
	basic := &http.Request{Header: http.Header{}}
	basic.SetBasicAuth(s.User, s.Password)
	return basic.Header.Get("Authorization"), nil
}

// learn takes the host's challenge from an answer with 401, and reports whether
// it is worth trying again.
func (s *signer) learn(res *http.Response, sent string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = true
	if s.Token != "" {
		return false
	}
	c, err := digest.FindChallenge(res.Header)
	if err != nil || !digest.CanDigest(c) {
		return sent == "" // Basic, which was not sent yet
	}
	// A second refusal with the same credentials is one, unless the host says
	// that it only wants a newer nonce.
	again := !strings.HasPrefix(sent, digest.Prefix) || c.Stale
	s.challenge, s.count = c, 0
	return again
}

// renew has a token that the host does not take followed by another one, and reports
// whether there is one.
func (s *signer) renew(ctx context.Context, sent string) (bool, error) {
	refused := strings.TrimPrefix(sent, "Bearer ")
	token, err := s.Tokens.Token(ctx, refused)
	return err == nil && token != refused, err
}

// unasked reports whether the host should first be asked what it wants.
func (s *signer) unasked(scheme string) bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return !s.asked && scheme != "https" && s.Token == "" && s.Tokens == nil
}

// wantsNothing notes that the host answered without asking for credentials.
func (s *signer) wantsNothing() {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.asked = true
}
