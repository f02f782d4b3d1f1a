package nichetest

import (
	"net/http"
	"net/http/httptest"
	"time"

	"github.com/stretchr/testify/require"

	"niche/internal/api/desk"
	"niche/internal/standin/payments"
	"niche/internal/standin/rooms"
	"niche/internal/standin/texts"
)

// Services is the small services outside that a desk asks beside calendars and mail.
type Services struct {
	Rooms    *rooms.Host
	Texts    *texts.Gateway
	Payments *payments.Host
	Host     string // host:port of all of them
	address  string
}

// OpenServices opens them, by the clock of a desk that is opened afterwards.
func OpenServices(t interface{ Cleanup(func()) }, clock func() *Clock) *Services {
	o := &Services{Rooms: &rooms.Host{}, Texts: &texts.Gateway{}, Payments: &payments.Host{}}
	now := func() *Clock { return clock() }
	mux := http.NewServeMux()
	server := httptest.NewServer(mux)
	t.Cleanup(server.Close)
	o.address, o.Host = server.URL, HostOf(server)
	o.Texts.Now = func() (at time.Time) { return now().Now() }
	o.Payments.Now = o.Texts.Now
	at := func(path string) func() string { return func() string { return server.URL + path } }
	mux.Handle("/rooms/", http.StripPrefix("/rooms", o.Rooms.Handler(at("/rooms"))))
	mux.Handle("/texts/", http.StripPrefix("/texts", o.Texts.Handler()))
	mux.Handle("/payments/", http.StripPrefix("/payments", o.Payments.Handler(at("/payments"))))
	return o
}

// Use has a desk use all of them.
func (o *Services) Use(d *Desk) {
	ctx := d.T.Context()
	o.Payments.Notices = d.Address + "/api/payments/notices"
	for kind, entry := range map[string]desk.GatewayEntry{"rooms": {Key: rooms.Key}, "texts": {Key: texts.Key}, "payments": {Key: payments.Key, Notices: payments.NoticeKey}} {
		entry.Address = o.address + "/" + kind
		require.NoError(d.T, d.Change(ctx, "/api/gateways/"+kind, entry, nil))
	}
}
