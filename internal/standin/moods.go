package standin

import (
	"net/http"
	"net/http/httptest"
	"strconv"
	"strings"
	"time"
)

// Mood is how the host behaves towards programs, as a person chooses it on its page.
type Mood string

// The moods.
const (
	Honest   Mood = "honest"
	Slow     Mood = "slow"     // each answer takes some seconds
	Failing  Mood = "failing"  // it cannot answer now (503)
	Refusing Mood = "refusing" // no key is taken any more (401)
	Forgets  Mood = "forgets"  // it knows no token that it gave (RFC 6578, section 3.2)
	ReadOnly Mood = "readonly" // nothing can be written (403)
	Gone     Mood = "gone"     // there are no calendars any more (404)
	Cuts     Mood = "cuts"     // connections break in the middle of answers
	Partial  Mood = "partial"  // of the events that are asked for, every other is left out
	Lies     Mood = "lies"     // it says that it has stored what it has not
)

// Moods are all of them, in words.
var Moods = []struct {
	Mood  Mood
	Words string
}{
	{Honest, "works as it should"}, {Slow, "is slow"}, {Failing, "cannot answer now"}, {Refusing, "takes no key any more"}, {Forgets, "forgets its tokens"},
	{ReadOnly, "lets nobody write"}, {Gone, "has lost its calendars"}, {Cuts, "breaks off its answers"}, {Partial, "leaves parts out"}, {Lies, "says it stores, and does not"},
}

// slowness is how long a slow host takes for an answer.
const slowness = 3 * time.Second

// Behave changes the mood.
func (c *Cloud) Behave(m Mood) {
	c.mu.Lock()
	defer c.mu.Unlock()
	c.mood = m
}

func (c *Cloud) behaves() Mood {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.mood == "" {
		return Honest
	}
	return c.mood
}

// moody answers as the host's mood is.
func (c *Cloud) moody(next http.HandlerFunc) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		writes := r.Method == http.MethodPut || r.Method == http.MethodDelete
		switch mood := c.behaves(); {
		case mood == Slow:
			select {
			case <-time.After(slowness):
			case <-r.Context().Done():
				return
			}
		case mood == Failing:
			http.Error(w, "come back later", http.StatusServiceUnavailable)
			return
		case mood == Refusing:
			w.Header().Set("WWW-Authenticate", `Basic realm="Calendar host"`)
			http.Error(w, "sign in", http.StatusUnauthorized)
			return
		case mood == ReadOnly && writes:
			http.Error(w, "not for you", http.StatusForbidden)
			return
		case mood == Gone && strings.Count(strings.Trim(r.URL.Path, "/"), "/") > 2:
			http.NotFound(w, r)
			return
		case mood == Lies && r.Method == http.MethodPut:
			w.WriteHeader(http.StatusCreated)
			return
		case mood == Lies && r.Method == http.MethodDelete:
			w.WriteHeader(http.StatusNoContent)
			return
		case mood == Cuts:
			got := httptest.NewRecorder()
			next(got, r)
			for k, v := range got.Header() {
				w.Header()[k] = v
			}
			body := got.Body.Bytes()
			w.Header().Set("Content-Length", strconv.Itoa(len(body)))
			w.WriteHeader(got.Code)
			_, _ = w.Write(body[:len(body)/2])
			panic(http.ErrAbortHandler)
		}
		next(w, r)
	}
}
