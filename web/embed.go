// Package web holds the built front end. Without a build, a placeholder page
// stands in, so that the Go code builds and tests without Node.
package web

import (
	"embed"
	"io/fs"
)

//go:embed all:dist
var dist embed.FS

// Files returns the front end's files: book.html, desk.html and assets/. When
// the front end has not been built, ok is false and there is placeholder.html.
func Files() (files fs.FS, ok bool) {
	if _, err := fs.Stat(dist, "dist/app/desk.html"); err != nil {
		files, _ = fs.Sub(dist, "dist")
		return files, false
	}
	files, _ = fs.Sub(dist, "dist/app")
	return files, true
}
