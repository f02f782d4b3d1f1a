package standin

import (
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strconv"
	"strings"
)

// The paths of the host.
const (
	davRoot    = "/dav/"
	principals = davRoot + "users/"
	homes      = davRoot + "calendars/"
	tokenStart = "urn:calendar-host:change:"
)

// Handler serves CalDAV and the week pages.
func (c *Cloud) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("/.well-known/caldav", func(w http.ResponseWriter, r *http.Request) {
		http.Redirect(w, r, davRoot, http.StatusMovedPermanently)
	})
	mux.HandleFunc(davRoot, c.moody(func(w http.ResponseWriter, r *http.Request) {
		if c.homes != "" && strings.HasPrefix(r.URL.Path, homes) {
			http.NotFound(w, r)
			return
		}
		c.dav(w, r)
	}))
	mux.HandleFunc("POST /mood", func(w http.ResponseWriter, r *http.Request) {
		r.Body = http.MaxBytesReader(w, r.Body, 4<<10)
		c.Behave(Mood(r.PostFormValue("mood")))
		http.Redirect(w, r, "/", http.StatusSeeOther)
	})
	mux.HandleFunc("GET /public/{user}/{calendar}", c.feed)
	if !c.traits.AppPasswordsOnly {
		c.oauth(mux)
	}
	c.pages(mux)
	return mux
}

// Homes serves the calendars, and nothing else, where they lie under another origin than
// the accounts: from then on they are there alone.
func (c *Cloud) Homes(origin string) http.Handler {
	c.homes = origin
	mux := http.NewServeMux()
	mux.HandleFunc(homes, c.moody(c.dav))
	return mux
}

// dav answers CalDAV requests of one signed-in user, who sees nothing of others.
func (c *Cloud) dav(w http.ResponseWriter, r *http.Request) {
	user, password, _ := r.BasicAuth()
	account, ok := c.account(user)
	ok = ok && password == account.Password && !c.isTired(user)
	if token, bears := strings.CutPrefix(r.Header.Get("Authorization"), "Bearer "); bears && !c.traits.AppPasswordsOnly {
		var opens bool
		if account, opens, ok = c.byToken(token); ok && !opens {
			w.Header().Set("WWW-Authenticate", `Bearer error="insufficient_scope", scope="`+Scope+`"`)
			http.Error(w, "not for this", http.StatusForbidden)
			return
		}
	}
	if !ok {
		w.Header().Add("WWW-Authenticate", `Basic realm="Calendar host"`)
		if !c.traits.AppPasswordsOnly {
			w.Header().Add("WWW-Authenticate", `Bearer realm="Calendar host"`)
		}
		http.Error(w, "sign in", http.StatusUnauthorized)
		return
	}
	w.Header().Set("DAV", "1, 3, calendar-access, sync-collection")
	t, ok := c.target(account, r.URL.Path)
	if !ok {
		http.NotFound(w, r)
		return
	}
	switch r.Method {
	case http.MethodOptions:
		w.Header().Set("Allow", "OPTIONS, PROPFIND, REPORT, GET, PUT, DELETE")
	case "PROPFIND":
		c.propfind(w, r, t)
	case "REPORT":
		c.report(w, r, t)
	case http.MethodGet, http.MethodHead:
		o, ok := c.get(t.collection(), t.object)
		if !ok {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("ETag", o.ETag)
		w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
		_, _ = w.Write(o.Data)
	case http.MethodPut:
		c.write(w, r, t)
	case http.MethodDelete:
		if t.object == "" || t.calendar.ReadOnly {
			http.Error(w, errReadOnly.Error(), http.StatusForbidden)
			return
		}
		answerWrite(w, http.StatusNoContent, c.remove(t.collection(), t.object, conditionOf(r)))
	default:
		http.Error(w, "not done here", http.StatusMethodNotAllowed)
	}
}

// target is what a path names.
type target struct {
	kind     string // root, principal, home, calendar or object
	account  Account
	calendar Calendar
	object   string
}

func (t target) collection() string { return t.account.collection(t.calendar) }

func (c *Cloud) target(a Account, path string) (target, bool) {
	t := target{account: a}
	if path == davRoot {
		t.kind = "root"
		return t, true
	}
	if strings.TrimSuffix(path, "/") == principals+a.User {
		t.kind = "principal"
		return t, true
	}
	rest, ok := strings.CutPrefix(path, homes+a.User)
	if !ok || rest != "" && rest[0] != '/' {
		return t, false
	}
	calendar, object, _ := strings.Cut(strings.TrimPrefix(rest, "/"), "/")
	if calendar == "" {
		t.kind = "home"
		return t, true
	}
	if t.calendar, ok = a.calendar(calendar); !ok || strings.Contains(object, "/") {
		return t, false
	}
	t.kind, t.object = "calendar", object
	if object != "" {
		t.kind = "object"
	}
	return t, true
}

func (t target) href() string {
	user := url.PathEscape(t.account.User)
	switch t.kind {
	case "root":
		return davRoot
	case "principal":
		return principals + user + "/"
	case "home":
		return homes + user + "/"
	}
	return homes + user + "/" + url.PathEscape(t.calendar.ID) + "/" + url.PathEscape(t.object)
}

// element is a piece of XML to be written.
type element struct {
	name  string // with its prefix: d, c, s or a
	attr  string
	text  string
	inner []element
}

func (e element) write(b *strings.Builder) {
	b.WriteString("<" + e.name + e.attr + ">")
	_ = xml.EscapeText(b, []byte(e.text))
	for _, i := range e.inner {
		i.write(b)
	}
	b.WriteString("</" + e.name + ">")
}

func el(name string, inner ...element) element { return element{name: name, inner: inner} }

func text(name, value string) element { return element{name: name, text: value} }

func response(href string, props ...element) element {
	return el("d:response", text("d:href", href), el("d:propstat", el("d:prop", props...), text("d:status", "HTTP/1.1 200 OK")))
}

func writeMultistatus(w http.ResponseWriter, inner ...element) {
	var b strings.Builder
	b.WriteString(xml.Header)
	m := element{name: "d:multistatus", inner: inner,
		attr: ` xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav" xmlns:s="http://calendarserver.org/ns/" xmlns:a="http://apple.com/ns/ical/"`}
	m.write(&b)
	w.Header().Set("Content-Type", "application/xml; charset=utf-8")
	w.WriteHeader(http.StatusMultiStatus)
	_, _ = io.WriteString(w, b.String())
}

// props returns what a resource says of itself.
func (c *Cloud) props(t target) []element {
	self := target{kind: "principal", account: t.account}
	all := []element{el("d:current-user-principal", text("d:href", self.href()))}
	switch t.kind {
	case "principal":
		home := target{kind: "home", account: t.account}
		all = append(all, el("d:resourcetype", el("d:principal")), text("d:displayname", t.account.Name),
			el("c:calendar-home-set", text("d:href", c.homes+home.href())), el("c:calendar-user-address-set", text("d:href", "mailto:"+t.account.User)))
	case "root", "home":
		all = append(all, el("d:resourcetype", el("d:collection")))
	case "calendar":
		can := []element{el("d:privilege", el("d:read"))}
		if !t.calendar.ReadOnly {
			can = append(can, el("d:privilege", el("d:write")))
		}
		_, last := c.since(t.collection(), 0)
		all = append(all, el("d:resourcetype", el("d:collection"), el("c:calendar")), text("d:displayname", t.calendar.Name),
			text("a:calendar-color", t.calendar.Colour), el("d:current-user-privilege-set", can...),
			el("c:supported-calendar-component-set", element{name: "c:comp", attr: ` name="VEVENT"`}),
			text("d:sync-token", tokenStart+strconv.Itoa(last)), text("s:getctag", strconv.Itoa(c.tag(t.collection()))))
	}
	return all
}

func (c *Cloud) propfind(w http.ResponseWriter, r *http.Request, t target) {
	if t.kind == "object" {
		o, ok := c.get(t.collection(), t.object)
		if !ok {
			http.NotFound(w, r)
			return
		}
		writeMultistatus(w, response(t.href(), text("d:getetag", o.ETag)))
		return
	}
	out := []element{response(t.href(), c.props(t)...)}
	if r.Header.Get("Depth") == "1" {
		switch t.kind {
		case "home":
			for _, cal := range t.account.Calendars {
				child := target{kind: "calendar", account: t.account, calendar: cal}
				out = append(out, response(child.href(), c.props(child)...))
			}
		case "calendar":
			list, _ := c.since(t.collection(), 0)
			for _, o := range list {
				if !o.Gone {
					child := t
					child.kind, child.object = "object", o.Name
					out = append(out, response(child.href(), text("d:getetag", o.ETag)))
				}
			}
		}
	}
	writeMultistatus(w, out...)
}

// report answers calendar-multiget and sync-collection.
func (c *Cloud) report(w http.ResponseWriter, r *http.Request, t target) {
	var q struct {
		XMLName xml.Name
		Hrefs   []string `xml:"DAV: href"`
		Token   string   `xml:"DAV: sync-token"`
	}
	if err := xml.NewDecoder(io.LimitReader(r.Body, 4<<20)).Decode(&q); err != nil || t.kind != "calendar" {
		http.Error(w, "no report that is known here", http.StatusBadRequest)
		return
	}
	switch q.XMLName.Local {
	case "calendar-multiget":
		var out []element
		for _, h := range q.Hrefs {
			u, err := url.Parse(h)
			child, ok := target{}, false
			if err == nil {
				child, ok = c.target(t.account, u.Path)
			}
			o, there := object{}, false
			if ok {
				o, there = c.get(child.collection(), child.object)
			}
			if !there {
				out = append(out, el("d:response", text("d:href", h), text("d:status", "HTTP/1.1 404 Not Found")))
				continue
			}
			out = append(out, response(h, text("d:getetag", o.ETag), text("c:calendar-data", string(o.Data))))
		}
		if c.behaves() == Partial {
			kept := out[:0]
			for i, e := range out {
				if i%2 == 0 {
					kept = append(kept, e)
				}
			}
			out = kept
		}
		writeMultistatus(w, out...)
	case "sync-collection":
		after, err := 0, error(nil)
		if q.Token != "" {
			after, err = strconv.Atoi(strings.TrimPrefix(q.Token, tokenStart))
		}
		list, last := c.since(t.collection(), after)
		if err != nil || after > last || q.Token != "" && c.behaves() == Forgets {
			w.Header().Set("Content-Type", "application/xml; charset=utf-8")
			w.WriteHeader(http.StatusForbidden)
			_, _ = io.WriteString(w, xml.Header+`<d:error xmlns:d="DAV:"><d:valid-sync-token/></d:error>`)
			return
		}
		out := []element{text("d:sync-token", tokenStart+strconv.Itoa(last))}
		for _, o := range list {
			child := t
			child.kind, child.object = "object", o.Name
			if o.Gone {
				out = append(out, el("d:response", text("d:href", child.href()), text("d:status", "HTTP/1.1 404 Not Found")))
			} else {
				out = append(out, response(child.href(), text("d:getetag", o.ETag)))
			}
		}
		writeMultistatus(w, out...)
	default:
		w.WriteHeader(http.StatusForbidden)
		_, _ = io.WriteString(w, xml.Header+`<d:error xmlns:d="DAV:"><d:supported-report/></d:error>`)
	}
}

func conditionOf(r *http.Request) condition {
	return condition{match: r.Header.Get("If-Match"), fresh: r.Header.Get("If-None-Match") == "*"}
}

func (c *Cloud) write(w http.ResponseWriter, r *http.Request, t target) {
	if t.object == "" || t.calendar.ReadOnly {
		http.Error(w, errReadOnly.Error(), http.StatusForbidden)
		return
	}
	data, err := io.ReadAll(http.MaxBytesReader(w, r.Body, 1<<20))
	if err != nil {
		http.Error(w, "too large", http.StatusRequestEntityTooLarge)
		return
	}
	if t.account.Quirk == StoresNothing {
		w.WriteHeader(http.StatusCreated)
		return
	}
	defer c.tire(t.account)
	etag, created, err := c.put(t.collection(), t.object, t.account.Quirk.keeps(data), conditionOf(r))
	status := http.StatusNoContent
	if created {
		status = http.StatusCreated
	}
	if err == nil {
		w.Header().Set("ETag", etag)
	}
	answerWrite(w, status, err)
}

func answerWrite(w http.ResponseWriter, status int, err error) {
	switch {
	case err == nil:
		w.WriteHeader(status)
	case errors.Is(err, errCondition):
		http.Error(w, err.Error(), http.StatusPreconditionFailed)
	case errors.Is(err, errMissing):
		http.Error(w, err.Error(), http.StatusNotFound)
	case errors.Is(err, errData):
		http.Error(w, err.Error(), http.StatusBadRequest)
	default:
		http.Error(w, fmt.Sprintf("keeping the change: %v", err), http.StatusInternalServerError)
	}
}
