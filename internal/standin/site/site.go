// Package site is a small web site of a business, of another origin than the program whose page
// it shows in a frame, or opens over itself. It knows nothing of that program but the address
// of its script.
package site

import (
	"embed"
	"html/template"
	"net/http"
)

//go:embed site.html
var files embed.FS

var page = template.Must(template.ParseFS(files, "site.html"))

// Handler returns the site, which shows a page of the program at an address.
func Handler(program, shown, over string) http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) {
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, struct{ Program, Shown, Over string }{program, shown, over})
	})
	return mux
}
