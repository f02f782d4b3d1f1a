// Package api serves Niche over HTTP: the desk's and the clients' resources as
// JSON, described by one OpenAPI document, and the built front end.
//
// Handlers are thin: they read the request, call the package that decides, and
// render its answer. Errors are problem details (RFC 9457) that name the field.
package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"
	"golang.org/x/time/rate"
	"gorm.io/gorm"

	"niche/internal/booking"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/store"
	"niche/internal/sync"
)

// Limits on one request.
const (
	maxBody     = 1 << 20 // bytes
	handlerTime = 30 * time.Second
)

// Settings of a server.
type Settings struct {
	DB       *store.DB
	Links    *link.Links
	Engine   *sync.Engine
	Bookings *booking.Bookings
	Hub      *live.Hub
	Outbound *http.Client // for addresses that users give
	Log      *slog.Logger
	Now      func() time.Time
	Secure   bool // the desk is reached over https: cookies are sent there only
	Version  string
}

// server holds what handlers need.
type server struct {
	Settings
	signIns *signInLimit
}

// New returns the handler for all of Niche.
func New(s Settings) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	router := gin.New()
	router.HandleMethodNotAllowed = true
	srv := &server{Settings: s, signIns: newSignInLimit(s.Now)}
	huma.NewErrorWithContext = func(ctx huma.Context, status int, message string, causes ...error) huma.StatusError {
		switch {
		case errors.Is(ctx.Context().Err(), context.Canceled): // whoever asked has gone
		case status >= http.StatusInternalServerError:
			s.Log.Error("a request failed", "operation", ctx.Operation().OperationID, "error", errors.Join(causes...))
		}
		return newProblem(status, message, causes...)
	}
	router.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, fault any) {
		s.Log.Error("a handler failed", "path", c.FullPath(), "fault", fault)
		writeProblem(c.Writer, newProblem(http.StatusInternalServerError, "Something went wrong on our side."))
	}), srv.guard)
	srv.register(humagin.New(router, config(s.Version)))
	router.GET("/api/changes", srv.changes)
	metrics := prometheus.NewRegistry()
	metrics.MustRegister(s.Engine, collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	router.GET("/metrics", srv.metrics(promhttp.HandlerFor(metrics, promhttp.HandlerOpts{})))
	frontEnd(router)
	return http.NewCrossOriginProtection().Handler(router)
}

// Description returns the OpenAPI document, from which the front end's types
// are generated.
func Description() ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	a := humagin.New(gin.New(), config("1"))
	(&server{}).register(a)
	return a.OpenAPI().MarshalJSON()
}

func config(version string) huma.Config {
	huma.DefaultArrayNullable = false
	huma.NewError = func(status int, message string, causes ...error) huma.StatusError {
		return newProblem(status, message, causes...)
	}
	c := huma.DefaultConfig("Niche", version)
	c.DocsPath, c.SchemasPath, c.OpenAPIPath, c.CreateHooks = "", "", "", nil
	return c
}

// guard limits what any request may cost and sets the headers that every
// answer has.
func (s *server) guard(c *gin.Context) {
	c.Request.Body = http.MaxBytesReader(c.Writer, c.Request.Body, maxBody)
	if c.Request.URL.Path != "/api/changes" {
		ctx, cancel := context.WithTimeout(c.Request.Context(), handlerTime)
		defer cancel()
		c.Request = c.Request.WithContext(ctx)
	}
	h := c.Writer.Header()
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "same-origin")
	h.Set("Content-Security-Policy", "default-src 'self'; img-src 'self' data:; style-src 'self' 'unsafe-inline'; frame-ancestors 'self'; base-uri 'none'; form-action 'self'")
	if strings.HasPrefix(c.Request.URL.Path, "/api/") {
		h.Set("Cache-Control", "no-store")
	}
	c.Next()
}

// register declares all resources.
func (s *server) register(a huma.API) {
	a.UseMiddleware(s.requireSession(a))
	s.registerSession(a)
	s.registerStaff(a)
	s.registerDays(a)
	s.registerLinks(a)
	s.registerServices(a)
	s.registerPreview(a)
	s.registerWhy(a)
	s.registerResources(a)
	s.registerArchive(a)
	s.registerClosures(a)
	s.registerWall(a)
	s.registerBookings(a)
	s.registerWallSpans(a)
	s.registerPage(a)
	s.registerMyBooking(a)
}

// open marks an operation that needs no session.
var open = map[string]any{"open": true}

// get, post, put and remove describe operations in one line.
func get(path, id, summary string) huma.Operation {
	return huma.Operation{Method: http.MethodGet, Path: path, OperationID: id, Summary: summary}
}

func post(path, id, summary string, status int) huma.Operation {
	return huma.Operation{Method: http.MethodPost, Path: path, OperationID: id, Summary: summary, DefaultStatus: status}
}

func put(path, id, summary string) huma.Operation {
	return huma.Operation{Method: http.MethodPut, Path: path, OperationID: id, Summary: summary}
}

func opened(o huma.Operation) huma.Operation {
	o.Metadata = open
	return o
}

// body wraps an answer.
type body[T any] struct {
	Body T
}

// answer renders a value, or the error.
func answer[T any](v T, err error) (*body[T], error) {
	if err != nil {
		return nil, err
	}
	return &body[T]{v}, nil
}

// IDPath is the number of a record in a path.
type IDPath struct {
	ID store.ID `path:"id" minimum:"1"`
}

const pageSize = 100

// list is a part of a list.
type list[T any] struct {
	Items []T `json:"items"`
	Next  int `json:"next" doc:"The next part, or 0 at the end."`
}

// paged cuts one more than a page down to the page.
func paged[R, T any](rows []R, page int, render func(R) T) list[T] {
	out := list[T]{Items: make([]T, 0, len(rows))}
	if len(rows) > pageSize {
		rows, out.Next = rows[:pageSize], page+1
	}
	for _, r := range rows {
		out.Items = append(out.Items, render(r))
	}
	return out
}

// toldApart refuses a name that something else in use bears already, whatever the
// case of its letters. What keeps its name keeps it.
func toldApart(tx *gorm.DB, record any, id store.ID, was, name string) error {
	if was == name {
		return nil
	}
	var names []string
	if err := tx.Model(record).Where("id <> ? AND archived_at = 0", id).Pluck("name", &names).Error; err != nil {
		return err
	}
	same := func(other string) bool { return strings.EqualFold(strings.TrimSpace(other), strings.TrimSpace(name)) }
	if slices.ContainsFunc(names, same) {
		return wrong("name", "This name is taken. Add something by which the two can be told apart.")
	}
	return nil
}

// found turns a missing record into 404, and passes other errors on.
func found(err error, what string) error {
	if errors.Is(err, store.ErrNotFound) {
		return newProblem(http.StatusNotFound, "There is no such "+what+".")
	}
	return err
}

// signInLimit slows down the guessing of passwords: a handful of tries at once
// for each mail address and for each host, and then one every few seconds.
type signInLimit struct {
	now  func() time.Time
	mu   chan struct{}
	seen map[string]*rate.Limiter
}

const (
	signInBurst = 8
	signInEvery = 6 * time.Second
	signInKept  = 10_000
)

func newSignInLimit(now func() time.Time) *signInLimit {
	l := &signInLimit{now: now, mu: make(chan struct{}, 1), seen: map[string]*rate.Limiter{}}
	return l
}

// allow counts a try, and reports whether it may go on.
func (l *signInLimit) allow(keys ...string) bool {
	l.mu <- struct{}{}
	defer func() { <-l.mu }()
	if len(l.seen) > signInKept {
		clear(l.seen)
	}
	ok := true
	for _, k := range keys {
		if l.seen[k] == nil {
			l.seen[k] = rate.NewLimiter(rate.Every(signInEvery), signInBurst)
		}
		ok = l.seen[k].AllowN(l.now(), 1) && ok
	}
	return ok
}
