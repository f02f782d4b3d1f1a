// Package client is the API of clients: the pages on which services are booked, and a
// client's own booking, which whoever has its address manages.
package client

import (
	"context"
	"log/slog"
	"net/http"
	"sync/atomic"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"golang.org/x/sync/semaphore"

	"niche/core/span"
	"niche/internal/allow"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/files"
	"niche/internal/footfall"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/payment"
	"niche/internal/store"
	"niche/internal/together"
)

// Settings of the clients' part.
type Settings struct {
	DB       *store.DB
	Bookings *booking.Bookings
	Payments *payment.Payments
	Limits   api.Limits
	Footfall *footfall.Counts
	Files    *files.Files
	Hub      *live.Hub    // tells of changes
	Outbound *http.Client // for addresses that clients give
	Messages *message.Messages
	Sign     func(text string) string // of what forms carry
	Wake     func()
	Home     func() string // the address by which Niche is reached; empty where nobody has said it
	Log      *slog.Logger
	Now      func() time.Time
}

// Client is the clients' part of the API.
type Client struct {
	Settings
	taken    *allow.Table // bookings by mail address, by page and by booking
	watching atomic.Int32 // how many wait for a start to be taken
	looking  *semaphore.Weighted

	// Answers that all share who ask for them at the same moment.
	pages       *together.Runs[PageQuery, Page]
	collections *together.Runs[collectionQuery, Collected]
	days        *together.Runs[dayQuery, []span.Instant]
}

// rest is between two answers to the same question.
const rest = 10 * time.Millisecond

// New returns the clients' part, which answers until the context ends.
func New(ctx context.Context, s Settings) *Client {
	return &Client{Settings: s, taken: allow.New(20_000, s.Now), looking: semaphore.NewWeighted(1), pages: together.New[PageQuery, Page](ctx, rest),
		collections: together.New[collectionQuery, Collected](ctx, rest), days: together.New[dayQuery, []span.Instant](ctx, rest)}
}

// Wait waits until no answer is under way. Nobody may ask any more.
func (s *Client) Wait() {
	s.pages.Wait()
	s.collections.Wait()
	s.days.Wait()
}

// Register adds the resources.
func (s *Client) Register(r api.Routes) {
	read, act := r.For(api.Readers), r.For(api.Clients)
	huma.Register(read, api.Get("/api/pages/{slug}", "getPage", "The offered starts of a service"), s.getPage)
	huma.Register(read, api.Get("/api/pages/{slug}/watch", "watchStart", "Wait for a start to be taken by somebody else"), s.watchStart)
	huma.Register(read, api.Get("/api/collections/{slug}", "getCollection", "The services of a collection with their next starts"), s.getCollection)
	huma.Register(read, api.Post("/api/pages/{slug}/steps", "countStep", "Count how far somebody came on a page", http.StatusNoContent), s.countStep)
	upload := api.Post("/api/pages/{slug}/files", "handOver", "Hand a file over, as an answer to a question", http.StatusCreated)
	upload.MaxBodyBytes = files.LargestSent
	huma.Register(act, upload, s.handOver)
	huma.Register(act, api.Post("/api/busy", "lookBeside", "When a client is busy by a calendar of their own; nothing of it is kept", http.StatusOK), s.lookBeside)
	huma.Register(act, api.Post("/api/pages/{slug}/bookings", "book", "Book a start", http.StatusCreated), s.book)
	huma.Register(read, api.Get("/api/my-bookings/{token}", "getMyBooking", "A client's own booking"), s.getMyBooking)
	huma.Register(read, api.Get("/api/my-bookings/{token}/visit.ics", "getMyVisit", "An own booking for a calendar, which follows its changes"), s.getMyVisit)
	huma.Register(read, api.Get("/api/my-bookings/{token}/all.ics", "getMyVisits", "All bookings of a mail address for a calendar; by an address that was told by mail"), s.getMyVisits)
	huma.Register(act, api.Post("/api/my-bookings/{token}/move", "moveMyBooking", "Move an own booking", http.StatusOK), s.moveMyBooking)
	huma.Register(r.For(api.Hosts), api.Post("/api/payments/notices", "heardOfPayment", "A payment host tells how a payment stands", http.StatusNoContent), s.heardOfPayment)
	huma.Register(act, api.Post("/api/my-bookings/{token}/cancel", "cancelMyBooking", "Cancel an own booking", http.StatusOK), s.cancelMyBooking)
}
