package api

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"io/fs"
	"mime"
	"net/http"
	"net/url"
	"path"
	"slices"
	"strings"

	"github.com/gin-gonic/gin"

	"niche/web"
)

// frontEnd serves the built front end. An address that a page had leads to the one that it has. It has three pages: what clients open, what staff
// members have for themselves, and the desk; which part of them is shown is up to their routers.
func frontEnd(router *gin.Engine, moved func(ctx context.Context, slug string) string, first func(context.Context, string, url.Values) (FirstShown, bool)) {
	files, built := web.Files()
	page := func(c *gin.Context) string {
		switch p := c.Request.URL.Path; {
		case !built:
			return "placeholder.html"
		case isClients(p):
			return "book.html"
		case strings.HasPrefix(p, "/link/"), p == "/my", p == "/signed-in", strings.HasPrefix(p, "/my/"):
			return "member.html"
		}
		return "desk.html"
	}
	router.NoMethod(func(c *gin.Context) {
		WriteProblem(c.Writer, NewProblem(http.StatusMethodNotAllowed, "This cannot be done here."))
	})
	router.NoRoute(func(c *gin.Context) {
		p := c.Request.URL.Path
		read := c.Request.Method == http.MethodGet || c.Request.Method == http.MethodHead
		if strings.HasPrefix(p, "/api/") || !read {
			WriteProblem(c.Writer, NewProblem(http.StatusNotFound, "There is nothing at this address."))
			return
		}
		if name := strings.TrimPrefix(path.Clean(p), "/"); strings.HasPrefix(name, "assets/") {
			c.Header("Cache-Control", "public, max-age=31536000, immutable")
			serveFile(c, files, name)
			return
		}
		if p == "/embed.js" {
			c.Header("Cache-Control", "no-cache")
			serveFile(c, files, "embed.js")
			return
		}
		if kind, slug, ok := strings.Cut(p[1:], "/"); ok && (kind == "book" || kind == "choose") && moved != nil {
			if now := moved(c.Request.Context(), slug); now != "" && now != p {
				to := *c.Request.URL
				to.Path, to.RawPath, to.Host, to.Scheme = now, "", "", ""
				c.Redirect(http.StatusMovedPermanently, to.String())
				return
			}
		}
		c.Header("Cache-Control", "no-cache")
		if built && (strings.HasPrefix(p, "/book/") || strings.HasPrefix(p, "/choose/")) {
			if shown, ok := first(c.Request.Context(), p, c.Request.URL.Query()); ok {
				servePage(c, files, shown)
				return
			}
		}
		serveFile(c, files, page(c))
	})
}

// serveFile serves a file in the smallest form that was built and the browser
// takes.
func serveFile(c *gin.Context, files fs.FS, name string) {
	data, err := fs.ReadFile(files, name)
	if err != nil {
		c.Header("Cache-Control", "no-cache")
		WriteProblem(c.Writer, NewProblem(http.StatusNotFound, "There is nothing at this address."))
		return
	}
	sum := sha256.Sum256(data)
	etag := `"` + hex.EncodeToString(sum[:8]) + `"`
	c.Header("ETag", etag)
	c.Header("Vary", "Accept-Encoding")
	if c.GetHeader("If-None-Match") == etag {
		c.Status(http.StatusNotModified)
		return
	}
	for _, coding := range []struct{ name, suffix string }{{"br", ".br"}, {"gzip", ".gz"}} {
		if !strings.Contains(c.GetHeader("Accept-Encoding"), coding.name) {
			continue
		}
		if small, err := fs.ReadFile(files, name+coding.suffix); err == nil {
			c.Header("Content-Encoding", coding.name)
			data = small
			break
		}
	}
	c.Data(http.StatusOK, mime.TypeByExtension(path.Ext(name)), data)
}

// servePage serves the document of a page with how it looks first, and with the same as data, which no browser runs.
func servePage(c *gin.Context, files fs.FS, first FirstShown) {
	page, err := fs.ReadFile(files, "book.html")
	if err != nil {
		WriteProblem(c.Writer, NewProblem(http.StatusNotFound, "There is nothing at this address."))
		return
	}
	const at = `<div id="app"></div>`
	// JSON from Go has no < in it, so that nothing in it can end the element.
	page = bytes.Replace(page, []byte(at), slices.Concat([]byte(`<div id="app">`), first.HTML, []byte(`</div><script type="application/json" id="first">`), first.Data, []byte("</script>")), 1)
	c.Data(http.StatusOK, "text/html; charset=utf-8", page)
}
