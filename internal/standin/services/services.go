// Package services puts the small services outside together at one address: a meeting host, a text
// gateway and a payment host, each below its name, with a page that leads to what each shows.
package services

import (
	"net/http"
	"time"

	"niche/internal/standin/payments"
	"niche/internal/standin/rooms"
	"niche/internal/standin/texts"
)

// Services are all of them.
type Services struct {
	Rooms    *rooms.Host
	Texts    *texts.Gateway
	Payments *payments.Host
}

// New returns them, by a clock.
func New(now func() time.Time) *Services {
	return &Services{&rooms.Host{}, &texts.Gateway{Now: now}, &payments.Host{Now: now}}
}

const page = `<!doctype html><html lang="en-GB"><meta name="viewport" content="width=device-width"><title>Services outside</title>
<style>body{font:17px/1.6 sans-serif;max-width:34rem;margin:2rem auto;padding:0 1rem}</style>
<h1>Services outside</h1><p><a href="rooms/">Meeting rooms</a><br><a href="texts/">Texts to telephones</a><br><a href="payments/">Payments</a></p>`

// Handler serves them at an address, without a slash at the end.
func (s *Services) Handler(address string) http.Handler {
	mux := http.NewServeMux()
	at := func(path string) func() string { return func() string { return address + path } }
	mux.Handle("/rooms/", http.StripPrefix("/rooms", s.Rooms.Handler(at("/rooms"))))
	mux.Handle("/texts/", http.StripPrefix("/texts", s.Texts.Handler()))
	mux.Handle("/payments/", http.StripPrefix("/payments", s.Payments.Handler(at("/payments"))))
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_, _ = w.Write([]byte(page))
	})
	return mux
}
