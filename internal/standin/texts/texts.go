// Package texts is a gateway for texts to telephones in small: it takes a text for whoever asks
// with its key, once for each name that the asker gives it, passes nothing on, and shows on a
// page what came. It knows nothing of the program that asks.
package texts

import (
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"
)

// Key is that by which the gateway is asked.
const Key = "texts-key-3307"

// Text is a text that came.
type Text struct {
	At   time.Time `json:"at"`
	Name string    `json:"name"`
	To   string    `json:"to"`
	Text string    `json:"text"`
}

// Gateway takes texts.
type Gateway struct {
	Now  func() time.Time
	mu   sync.Mutex
	list []Text
	mood int // the status with which it answers; 0 for taking them
}

// Behave has the gateway answer with a status, or take texts by 0.
func (g *Gateway) Behave(status int) {
	g.mu.Lock()
	defer g.mu.Unlock()
	g.mood = status
}

// Texts returns what came, the oldest first.
func (g *Gateway) Texts() []Text {
	g.mu.Lock()
	defer g.mu.Unlock()
	return slices.Clone(g.list)
}

var page = template.Must(template.New("").Parse(`<!doctype html><html lang="en-GB"><meta name="viewport" content="width=device-width"><title>Texts</title>
<style>body{font:16px/1.5 sans-serif;max-width:40rem;margin:2rem auto;padding:0 1rem}article{border-top:1px solid #ccc;padding:.6rem 0}</style>
<h1>Texts to telephones</h1>{{range .}}<article><b>{{.To}}</b> <small>{{.At.Format "Mon 2 Jan, 15:04"}}</small><br>{{.Text}}</article>{{else}}<p>None came yet.</p>{{end}}`))

// Handler serves the gateway.
func (g *Gateway) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		list := g.Texts()
		slices.Reverse(list)
		_ = page.Execute(w, list)
	})
	mux.HandleFunc("PUT /messages/{name}", func(w http.ResponseWriter, r *http.Request) {
		g.mu.Lock()
		defer g.mu.Unlock()
		if r.Header.Get("Authorization") != "Bearer "+Key {
			http.Error(w, "a key is needed", http.StatusUnauthorized)
			return
		}
		if g.mood != 0 {
			http.Error(w, "not this one", g.mood)
			return
		}
		t := Text{At: g.Now(), Name: r.PathValue("name")}
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&t); err != nil || !strings.HasPrefix(t.To, "+") || t.Text == "" {
			http.Error(w, "to and text are needed", http.StatusUnprocessableEntity)
			return
		}
		t.At, t.Name = g.Now(), r.PathValue("name")
		if !slices.ContainsFunc(g.list, func(o Text) bool { return o.Name == t.Name }) {
			g.list = append(g.list, t)
		}
		w.WriteHeader(http.StatusAccepted)
	})
	return mux
}
