package api

import (
	"errors"
	"net/http"
	"strconv"
	"strings"

	"niche/internal/store"
)

// Over says over which version something is saved (RFC 9110, section 13.1.1). What
// is edited is never saved without it, so that nobody's change goes unseen.
type Over struct {
	IfMatch string `header:"If-Match" doc:"The version that was edited, as \"7\"."`
}

// Expected returns the version of a thing over which is saved.
func (o Over) Expected(thing store.Thing) (*store.Expected, error) {
	text := strings.TrimSpace(o.IfMatch)
	if text == "" {
		return nil, NewProblem(http.StatusPreconditionRequired, "Say which version was edited, by If-Match.")
	}
	n, err := strconv.ParseInt(strings.Trim(text, `"`), 10, 64)
	if err != nil {
		return nil, NewProblem(http.StatusPreconditionFailed, "This is no version of what is saved here.")
	}
	return &store.Expected{Thing: thing, Version: n}, nil
}

// Stale tells of a newer version, and what it says, when saving over it was refused;
// other errors are passed on.
func Stale[T any](err error, current func() (T, error), version func(T) int64) error {
	if !errors.Is(err, store.ErrStale) {
		return err
	}
	now, failed := current()
	if failed != nil {
		return failed
	}
	p := NewProblem(http.StatusPreconditionFailed, "Somebody else has changed this since you opened it. Nothing was saved.")
	p.Current, p.Version = now, version(now)
	return p
}
