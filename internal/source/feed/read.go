package feed

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"niche/internal/source"
)

// Feed is one feed. It is a source.Reader.
type Feed struct {
	http    *http.Client
	address string
}

// New returns the feed at an address. Nothing is asked yet.
func New(hc *http.Client, address string) *Feed { return &Feed{hc, address} }

// mark is what is remembered of a feed. Validators that were made in the moment of
// a change can be the same after another one in that moment, since many hosts make
// them of whole seconds. They are settled, and sent, only once a later answer had the
// same.
type mark struct {
	Known
	Since   int64 `json:"since,omitempty"` // when they came first, in seconds since 1970
	Settled bool  `json:"settled,omitempty"`
}

// grain is how long, in seconds, a change can stay hidden behind validators.
const grain = 15

// Read fetches the feed, if it has changed, as one part.
func (f *Feed) Read(ctx context.Context, known source.Known, take func(source.Part) error) (source.News, error) {
	var m mark
	if known.Mark != "" {
		_ = json.Unmarshal([]byte(known.Mark), &m) // what cannot be read is as if it were not there
	}
	now := known.Now.Unix()
	asked := m.Known
	if known.All || len(known.Again) > 0 || !m.Settled || m.Since > now {
		asked = Known{}
	}
	got, err := Get(ctx, f.http, f.address, asked)
	if err != nil {
		return source.News{}, err
	}
	if got.Known != m.Known || m.Since > now {
		m = mark{Known: got.Known, Since: now}
	} else {
		m.Settled = m.Settled || now-m.Since >= grain
	}
	text, err := json.Marshal(m)
	if err != nil {
		return source.News{}, err
	}
	news := source.News{Mark: string(text), Refresh: got.MaxAge}
	if got.Body == nil {
		return news, nil
	}
	err = take(source.Part{Body: got.Body, Whole: true})
	_ = got.Body.Close()
	return news, err
}

// MaxRefresh is the longest that an answer is believed to stay fresh.
const MaxRefresh = 24 * time.Hour
