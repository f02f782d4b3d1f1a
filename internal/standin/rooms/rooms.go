// Package rooms is a meeting host in small: it makes a room for whoever asks with its key, under
// the key that the asker gives, and shows on a page which rooms there are. It knows nothing of
// the program that asks.
package rooms

import (
	"encoding/json"
	"html/template"
	"net/http"
	"slices"
	"strings"
	"sync"
)

// Key is that by which the host is asked.
const Key = "rooms-key-5521"

// Room is a meeting room.
type Room struct {
	Key     string `json:"key"`
	Name    string `json:"name"`
	Start   string `json:"start"`
	End     string `json:"end"`
	Address string `json:"address"`
}

// Host makes rooms.
type Host struct {
	mu    sync.Mutex
	rooms []Room
	next  int
	down  bool
	made  int
}

// Behave has the host answer that it cannot at present, or as it should.
func (h *Host) Behave(down bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.down = down
}

// Rooms returns those that there are, and how many were ever made.
func (h *Host) Rooms() (list []Room, made int) {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Clone(h.rooms), h.made
}

var page = template.Must(template.New("").Parse(`<!doctype html><html lang="en-GB"><meta name="viewport" content="width=device-width"><title>Rooms</title>
<style>body{font:16px/1.5 sans-serif;max-width:50rem;margin:2rem auto;padding:0 1rem}td,th{padding:.3rem .8rem .3rem 0;text-align:left}</style>
<h1>{{if .Room}}{{.Room.Name}}{{else}}Meeting rooms{{end}}</h1>
{{if .Room}}<p>This is where people meet from {{.Room.Start}} to {{.Room.End}}.</p>{{else}}
<table><tr><th>Room<th>From<th>To<th>Address</tr>{{range .List}}<tr><td>{{.Name}}<td>{{.Start}}<td>{{.End}}<td><a href="{{.Address}}">{{.Address}}</a></tr>{{else}}<tr><td>None</tr>{{end}}</table>
<form method="post" action="mood"><button name="down" value="{{if .Down}}{{else}}1{{end}}">{{if .Down}}Make rooms again{{else}}Answer that it cannot at present{{end}}</button></form>{{end}}`))

// Handler serves the host below an address, without a slash at the end.
func (h *Host) Handler(address func() string) http.Handler {
	mux := http.NewServeMux()
	show := func(w http.ResponseWriter, one *Room) {
		h.mu.Lock()
		defer h.mu.Unlock()
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, struct {
			Room *Room
			List []Room
			Down bool
		}{one, h.rooms, h.down})
	}
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) { show(w, nil) })
	mux.HandleFunc("POST /mood", func(w http.ResponseWriter, r *http.Request) {
		h.Behave(r.FormValue("down") != "")
		http.Redirect(w, r, "./", http.StatusSeeOther)
	})
	mux.HandleFunc("GET /meet/{name}", func(w http.ResponseWriter, r *http.Request) {
		list, _ := h.Rooms()
		i := slices.IndexFunc(list, func(o Room) bool { return strings.HasSuffix(o.Address, "/meet/"+r.PathValue("name")) })
		if i < 0 {
			http.NotFound(w, r)
			return
		}
		show(w, &list[i])
	})
	mux.HandleFunc("/rooms/{key}", func(w http.ResponseWriter, r *http.Request) {
		h.mu.Lock()
		defer h.mu.Unlock()
		if r.Header.Get("Authorization") != "Bearer "+Key {
			http.Error(w, "a key is needed", http.StatusUnauthorized)
			return
		}
		if h.down {
			http.Error(w, "not at present", http.StatusServiceUnavailable)
			return
		}
		key := r.PathValue("key")
		i := slices.IndexFunc(h.rooms, func(o Room) bool { return o.Key == key })
		switch r.Method {
		case http.MethodPut:
			var given Room
			if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&given); err != nil {
				http.Error(w, err.Error(), http.StatusBadRequest)
				return
			}
			if i < 0 {
				h.next++
				h.made++
				h.rooms = append(h.rooms, Room{Key: key, Address: address() + "/meet/" + names[h.next%len(names)] + "-" + digits(h.next)})
				i = len(h.rooms) - 1
			}
			o := &h.rooms[i]
			o.Name, o.Start, o.End = given.Name, given.Start, given.End
			w.Header().Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(o)
		case http.MethodDelete:
			if i < 0 {
				http.NotFound(w, r)
				return
			}
			h.rooms = slices.Delete(h.rooms, i, i+1)
			w.WriteHeader(http.StatusNoContent)
		default:
			w.WriteHeader(http.StatusMethodNotAllowed)
		}
	})
	return mux
}

var names = []string{"walnut", "birch", "larch", "rowan", "alder"}

func digits(n int) string {
	n = n*7919%9000 + 1000
	return string([]byte{byte('0' + n/1000), byte('0' + n/100%10), byte('0' + n/10%10), byte('0' + n%10)})
}
