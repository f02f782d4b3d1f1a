package nichetest

import (
	"net/http"
	"net/http/httptest"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/standin/payments"
	"niche/internal/standin/rooms"
	"niche/internal/standin/services"
	"niche/internal/standin/texts"
)

// Services is the small services outside that a desk asks beside calendars and mail.
type Services struct {
	*services.Services
	Host    string // host:port of all of them
	address string
}

// OpenServices opens them, by the clock of a desk that is opened afterwards.
func OpenServices(t interface{ Cleanup(func()) }, clock func() *Clock) *Services {
	o := &Services{Services: services.New(func() time.Time { return clock().Now() })}
	var handler http.Handler
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) { handler.ServeHTTP(w, r) }))
	t.Cleanup(server.Close)
	handler = o.Handler(server.URL)
	o.address, o.Host = server.URL, HostOf(server)
	return o
}

// Use has a desk use all of them.
func (o *Services) Use(d *Desk) {
	o.Payments.Notices = d.Address + "/api/payments/notices"
	for kind, entry := range map[string]desk.GatewayEntry{"rooms": {Key: rooms.Key}, "texts": {Key: texts.Key}, "payments": {Key: payments.Key, Notices: payments.NoticeKey}} {
		entry.Address = o.address + "/" + kind
		require.NoError(d.T, d.Change(d.T.Context(), "/api/gateways/"+kind, entry, nil))
	}
}
