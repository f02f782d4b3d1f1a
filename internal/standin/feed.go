package standin

import (
	"bytes"
	"fmt"
	"net/http"
	"strings"

	"github.com/emersion/go-ical"
)

// feed publishes a calendar under an address of its own, for everybody, as
// /public/USER/CALENDAR.ics.
func (c *Cloud) feed(w http.ResponseWriter, r *http.Request) {
	id, isFile := strings.CutSuffix(r.PathValue("calendar"), ".ics")
	account, known := c.account(r.PathValue("user"))
	calendar, there := account.calendar(id)
	if !known || !there || !isFile {
		http.NotFound(w, r)
		return
	}
	if !calendar.Public {
		http.Error(w, "not public", http.StatusForbidden)
		return
	}
	collection := account.User + "/" + calendar.ID
	list, last := c.since(collection, 0)
	etag := fmt.Sprintf(`"%d"`, last)
	w.Header().Set("ETag", etag)
	if r.Header.Get("If-None-Match") == etag {
		w.WriteHeader(http.StatusNotModified)
		return
	}
	all := ical.NewCalendar()
	all.Props.SetText(ical.PropVersion, "2.0")
	all.Props.SetText(ical.PropProductID, "-//Calendar host//Feed//EN")
	all.Props.SetText(ical.PropName, calendar.Name)
	if calendar.Refresh != "" {
		refresh := ical.NewProp(ical.PropRefreshInterval)
		refresh.Params.Set(ical.ParamValue, "DURATION")
		refresh.Value = calendar.Refresh
		all.Props.Set(refresh)
	}
	for _, o := range list {
		if o.Gone {
			continue
		}
		if event, err := decode(o.Data); err == nil {
			all.Children = append(all.Children, event.Component)
		}
	}
	var body bytes.Buffer
	body.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Calendar host//Feed//EN\r\nNAME:" + calendar.Name + "\r\nEND:VCALENDAR\r\n")
	if len(all.Children) > 0 { // the encoder refuses a calendar without events
		body.Reset()
		if err := ical.NewEncoder(&body).Encode(all); err != nil {
			http.Error(w, "the calendar cannot be written", http.StatusInternalServerError)
			return
		}
	}
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	_, _ = w.Write(body.Bytes())
}
