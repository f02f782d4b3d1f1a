// Package api is what every resource of Niche has in common over HTTP: who asks and
// what they may, limits, errors as problem details (RFC 9457) that name the field,
// versions, and the built front end. The resources themselves lie in the packages
// below it, by audience: desk for administrators, client for anyone with the address
// of a page or of a booking. They add themselves as parts; this package asks none.
//
// Handlers are thin: they read the request, call the package that decides, and render
// its answer.
package api

import (
	"context"
	"errors"
	"log/slog"
	"net/http"
	"net/netip"
	"net/url"

	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"
	"github.com/klauspost/compress/gzhttp"
	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"niche/internal/allow"
	"niche/internal/live"
	"niche/internal/people"
	"niche/internal/store"
)

// Limits on one request.
const (
	maxBody     = 1 << 20 // bytes
	handlerTime = 30 * time.Second
)

// Settings of a server.
type Settings struct {
	People   *people.People
	Hub      *live.Hub
	Counters []prometheus.Collector
	Log      *slog.Logger
	Now      func() time.Time
	Secure   bool   // it is reached over https: cookies are sent there only
	Host     string // the only name by which it may be asked; empty for any
	Proxies  []netip.Prefix
	Limits   Limits
	Framing  func(ctx context.Context, slug string) []string // the sites, by their origins, that may show a page in a frame
	Metrics  string                                          // the token that opens /metrics; empty when it is on a listener of its own
	Version  string
	First    func(ctx context.Context, path string, query url.Values) (FirstShown, bool) // what goes along with the document of a page; false for nothing
	Moved    func(ctx context.Context, slug string) string                               // the path of the page that has an address, or had it; empty for one that none had
}

// FirstShown is what goes along with the document of a clients' page: how it looks before any program runs, and the
// same as JSON.
type FirstShown struct{ HTML, Data []byte }

// Part is the resources of one audience.
type Part interface {
	Register(r Routes)
}

// server is what all parts share.
type server struct {
	Settings
	asked *allow.Table // what networks ask without having signed in
}

// Routes is where a part registers its operations: under the policy that says who may.
type Routes struct{ api huma.API }

// For returns the place for operations of one policy.
func (r Routes) For(p Policy) huma.API {
	g := huma.NewGroup(r.api)
	g.UseSimpleModifier(func(o *huma.Operation) {
		if o.Metadata == nil {
			o.Metadata = map[string]any{}
		}
		o.Metadata[policyKey] = p
		// By then the body has been read, within the time that the server gives to it. A
		// deadline on what follows would end the request itself, as if its sender had gone.
		o.BodyReadTimeout = -1
		if o.Extensions == nil {
			o.Extensions = map[string]any{}
		}
		o.Extensions["x-policy"] = p.Name
	})
	return g
}

// New returns the handler for all of Niche.
func New(s Settings, parts ...Part) http.Handler {
	gin.SetMode(gin.ReleaseMode)
	router := gin.New()
	router.HandleMethodNotAllowed = true
	srv := &server{Settings: s, asked: allow.New(20_000, s.Now)}
	errorsAsProblems()
	router.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, fault any) {
		s.Log.Error("a handler failed", "path", c.FullPath(), "fault", fault)
		WriteProblem(c.Writer, NewProblem(http.StatusInternalServerError, ""))
	}), srv.guard)
	a := humagin.New(router, config(s.Version))
	a.UseMiddleware(srv.admit(a), plainText(a))
	for _, p := range parts {
		p.Register(Routes{a})
	}
	router.GET("/api/changes", srv.changes)
	if s.Metrics != "" {
		router.GET("/metrics", gin.WrapH(withToken(s.Metrics, MetricsHandler(s.Counters))))
	}
	frontEnd(router, s.Moved, func(ctx context.Context, path string, query url.Values) (FirstShown, bool) {
		// Who asks too often gets the document alone.
		if s.First == nil || srv.asked.Take(From(ctx).Network+" "+Readers.Name, Readers.rate(s.Limits)) > 0 {
			return FirstShown{}, false
		}
		return s.First(ctx, path, query)
	})
	return http.NewCrossOriginProtection().Handler(packed(router))
}

// packed packs answers of JSON for browsers that take them so. What an answer weighs
// then differs by chance, so that nothing can be told from it of secrets inside.
func packed(next http.Handler) http.Handler {
	wrap, err := gzhttp.NewWrapper(gzhttp.ContentTypes([]string{"application/json", "application/problem+json", "text/csv", "text/html"}), gzhttp.MinSize(1400), gzhttp.RandomJitter(32, 0, false))
	if err != nil {
		panic(err) // the settings are ours
	}
	return wrap(next)
}

// MetricsHandler serves the program's metrics in the text format of Prometheus.
func MetricsHandler(counters []prometheus.Collector) http.Handler {
	metrics := prometheus.NewRegistry()
	metrics.MustRegister(counters...)
	metrics.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}))
	return promhttp.HandlerFor(metrics, promhttp.HandlerOpts{})
}

// Describe returns the OpenAPI document of all parts, from which the front end's types
// are generated.
func Describe(parts ...Part) ([]byte, error) { return Document(parts...).MarshalJSON() }

// Document returns the same, to be gone through.
func Document(parts ...Part) *huma.OpenAPI {
	gin.SetMode(gin.ReleaseMode)
	errorsAsProblems()
	a := humagin.New(gin.New(), config("1"))
	for _, p := range parts {
		p.Register(Routes{a})
	}
	return a.OpenAPI()
}

func config(version string) huma.Config {
	c := huma.DefaultConfig("Niche", version)
	c.DocsPath, c.SchemasPath, c.OpenAPIPath, c.CreateHooks = "", "", "", nil
	return c
}

// loggerKey carries the log of the server that a request came to.
type loggerKey struct{}

// errorsAsProblems has all errors sent as problems, and lists never null. The library
// keeps both in variables of the whole program, so that they are set once; what differs
// between servers comes with the request.
var errorsAsProblems = sync.OnceFunc(func() {
	huma.DefaultArrayNullable = false
	huma.NewError = func(status int, message string, causes ...error) huma.StatusError {
		return NewProblem(status, message, causes...)
	}
	huma.NewErrorWithContext = func(ctx huma.Context, status int, message string, causes ...error) huma.StatusError {
		cause := errors.Join(causes...)
		log, _ := ctx.Context().Value(loggerKey{}).(*slog.Logger)
		late := errors.Is(ctx.Context().Err(), context.DeadlineExceeded)
		switch {
		case log == nil, status < http.StatusInternalServerError, errors.Is(ctx.Context().Err(), context.Canceled): // whoever asked has gone
		case late || errors.Is(cause, store.ErrBusy):
			log.Warn("a request took too long", "operation", ctx.Operation().OperationID, "error", cause)
			ctx.SetHeader("Retry-After", "2")
			return NewProblem(http.StatusServiceUnavailable, "")
		default:
			log.Error("a request failed", "operation", ctx.Operation().OperationID, "error", cause)
		}
		return NewProblem(status, message, causes...)
	}
})

// Get, Post, Put and Delete describe operations in one line.
func Get(path, id, summary string) huma.Operation {
	return huma.Operation{Method: http.MethodGet, Path: path, OperationID: id, Summary: summary}
}

// Post describes an operation that is answered with a status.
func Post(path, id, summary string, status int) huma.Operation {
	return huma.Operation{Method: http.MethodPost, Path: path, OperationID: id, Summary: summary, DefaultStatus: status}
}

// Put describes an operation that changes something.
func Put(path, id, summary string) huma.Operation {
	return huma.Operation{Method: http.MethodPut, Path: path, OperationID: id, Summary: summary}
}

// Delete describes an operation that takes something away.
func Delete(path, id, summary string) huma.Operation {
	return huma.Operation{Method: http.MethodDelete, Path: path, OperationID: id, Summary: summary}
}

// Body wraps an answer.
type Body[T any] struct {
	Body T
}

// Answer renders a value, or the error.
func Answer[T any](v T, err error) (*Body[T], error) {
	if err != nil {
		return nil, err
	}
	return &Body[T]{v}, nil
}

// IDPath is the number of a record in a path.
type IDPath struct {
	ID store.ID `path:"id" minimum:"1"`
}

// List is a part of a list.
type List[T any] struct {
	Items []T `json:"items"`
	Next  int `json:"next" doc:"The next part, or 0 at the end."`
}

// Paged cuts one more than a page down to the page.
func Paged[R, T any](rows []R, page int, render func(R) T) List[T] {
	out := List[T]{Items: make([]T, 0, len(rows))}
	if len(rows) > store.PageSize {
		rows, out.Next = rows[:store.PageSize], page+1
	}
	for _, r := range rows {
		out.Items = append(out.Items, render(r))
	}
	return out
}

// Listing asks for a part of a list of what is in use, or of what is archived.
type Listing struct {
	Page     int  `query:"page" minimum:"1" maximum:"100000" default:"1" doc:"The part of the list, from 1."`
	Archived bool `query:"archived" doc:"What has been archived, instead of what is in use."`
}

// Part is what the store is asked for.
func (l Listing) Part() store.Listing { return store.Listing{Page: l.Page, Archived: l.Archived} }

// PagePath returns the path of a service's public page.
func PagePath(slug string) string { return "/book/" + slug }

// Found turns a missing record into 404, and passes other errors on.
func Found(err error, what string) error {
	if store.IsMissing(err) {
		return NewProblem(http.StatusNotFound, "There is no such "+what+".")
	}
	return err
}
