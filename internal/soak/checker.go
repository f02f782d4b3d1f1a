// Package soak tries Niche as a whole for as long as one likes: clients, owners of
// calendars, hosts that do wrong, kills. This file is its checker. It shares no code
// with the program: it reads the database, the hosts, and what the clients and owners
// wrote down, and says what contradicts the promises.
package soak

import (
	"cmp"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/xml"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/emersion/go-ical"
	_ "github.com/mattn/go-sqlite3" // the database's driver
)

// Facts are what is found in the database, at the hosts and in the notes of those who
// took part, at a moment when nothing is under way. Times are seconds since 1970.
type Facts struct {
	Visits    []Visit
	Bookings  []Booking
	Claims    []Claim
	Copies    []Copy
	Calendars []Calendar
	Answers   []Answer
	Owned     []Owned
	Rude      []string // answers that nobody should get
}

// Visit is a visit, with those and that which it takes.
type Visit struct {
	ID            int64
	UID           string
	Start, End    int64
	Before, After int64 // buffers, in seconds
	Places        int   // of its service
	Needs         int   // how many rooms and things its service needs
	Subjects      []string
}

// Booking is a booking as it is stored.
type Booking struct {
	ID, Visit                  int64
	Reference, Status, KeyHash string
	Places                     int
}

// Claim is a claim.
type Claim struct {
	Visit      int64
	Subject    string
	Start, End int64
}

// Copy is what Niche says of a copy.
type Copy struct {
	Visit, Calendar int64
	State           string
	Wanted          bool
}

// Calendar is a calendar in use: what Niche says of it and knows of it, and what is in
// it.
type Calendar struct {
	ID           int64
	Staff        int64
	Name, State  string
	Blocks, Gets bool
	Address      string // as Niche has it, of its link's host
	Owed         int    // events that Niche could not have
	Known        []Span
	Events       []Event
}

// Span is a stretch of time.
type Span struct{ Start, End int64 }

// Event is an event as its host has it.
type Event struct {
	Span
	UID, Description string
}

// Answer is what a client was told the last time that a booking was taken or moved.
type Answer struct {
	Key, Reference string
	Refused        bool   // no booking was made
	Unknown        bool   // there was no answer
	Status         string // last told, or several that can be
	Start, Length  int64
	Careful        bool // its service wants no booking while a calendar cannot be read
	Begun, Ended   time.Time
}

// Owned is an event of an owner, by the owner's notes: in a calendar from when the
// host had said that it is, until its removal began.
type Owned struct {
	Span
	Staff     int64
	UID       string
	Put, Gone time.Time // Gone is zero while it is there
}

// ReadDatabase reads what Niche has stored.
func (f *Facts) ReadDatabase(ctx context.Context, path string) error {
	db, err := sql.Open("sqlite3", "file:"+path+"?mode=ro&_busy_timeout=10000")
	if err != nil {
		return err
	}
	defer func() { _ = db.Close() }()
	rows := func(query string, each func(scan func(...any) error) error) {
		if err != nil {
			return
		}
		var rs *sql.Rows
		if rs, err = db.QueryContext(ctx, query); err != nil {
			return
		}
		defer func() { _ = rs.Close() }()
		for rs.Next() {
			if err = each(rs.Scan); err != nil {
				return
			}
		}
		err = rs.Err()
	}
	rows(`SELECT v.id, v.uid, v.start, v."end", 60 * v.buffer_before, 60 * v.buffer_after, s.places, s.needs, s.staffing FROM visits v JOIN services s ON s.id = v.service_id`,
		func(scan func(...any) error) error {
			var v Visit
			var needs, staffing string
			err := scan(&v.ID, &v.UID, &v.Start, &v.End, &v.Before, &v.After, &v.Places, &needs, &staffing)
			v.Needs = strings.Count(needs, `"`) / 2
			f.Visits = append(f.Visits, v)
			return err
		})
	takes := func(scan func(...any) error) error {
		var id, visit int64
		var kind string
		err := scan(&visit, &kind, &id)
		for n := range f.Visits {
			if f.Visits[n].ID == visit {
				f.Visits[n].Subjects = append(f.Visits[n].Subjects, fmt.Sprint(kind, ":", id))
			}
		}
		return err
	}
	rows(`SELECT visit_id, 'staff', staff_id FROM visit_staff UNION ALL SELECT visit_id, 'resource', resource_id FROM visit_resources`, takes)
	rows(`SELECT id, visit_id, reference, status, key_hash, places FROM bookings`, func(scan func(...any) error) error {
		var b Booking
		err := scan(&b.ID, &b.Visit, &b.Reference, &b.Status, &b.KeyHash, &b.Places)
		f.Bookings = append(f.Bookings, b)
		return err
	})
	rows(`SELECT visit_id, subject, start, "end" FROM claims`, func(scan func(...any) error) error {
		var c Claim
		err := scan(&c.Visit, &c.Subject, &c.Start, &c.End)
		f.Claims = append(f.Claims, c)
		return err
	})
	rows(`SELECT visit_id, calendar_id, state, wanted FROM copies`, func(scan func(...any) error) error {
		var c Copy
		err := scan(&c.Visit, &c.Calendar, &c.State, &c.Wanted)
		f.Copies = append(f.Copies, c)
		return err
	})
	rows(`SELECT c.id, l.staff_id, c.name, c.state, c.blocks, c.gets_bookings, c.address, (SELECT COUNT(*) FROM objects o WHERE o.calendar_id = c.id AND o.owed > 0)
		FROM calendars c JOIN links l ON l.id = c.link_id WHERE c.blocks OR c.gets_bookings`, func(scan func(...any) error) error {
		var c Calendar
		err := scan(&c.ID, &c.Staff, &c.Name, &c.State, &c.Blocks, &c.Gets, &c.Address, &c.Owed)
		f.Calendars = append(f.Calendars, c)
		return err
	})
	rows(`SELECT calendar_id, start, "end" FROM busy_spans`, func(scan func(...any) error) error {
		var id int64
		var s Span
		err := scan(&id, &s.Start, &s.End)
		for n := range f.Calendars {
			if f.Calendars[n].ID == id {
				f.Calendars[n].Known = append(f.Calendars[n].Known, s)
			}
		}
		return err
	})
	return err
}

// ReadHost reads a calendar's events at its host (RFC 4791, section 7.8).
func (c *Calendar) ReadHost(ctx context.Context, address, user, password string) error {
	const ask = `<c:calendar-query xmlns:d="DAV:" xmlns:c="urn:ietf:params:xml:ns:caldav"><d:prop><d:getetag/><c:calendar-data/></d:prop><c:filter><c:comp-filter name="VCALENDAR"/></c:filter></c:calendar-query>`
	req, err := http.NewRequestWithContext(ctx, "REPORT", address, strings.NewReader(ask))
	if err != nil {
		return err
	}
	req.SetBasicAuth(user, password)
	req.Header.Set("Content-Type", "application/xml")
	req.Header.Set("Depth", "1")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode != http.StatusMultiStatus {
		return fmt.Errorf("asking for what is at %s: %s", address, res.Status)
	}
	var answer struct {
		Responses []struct {
			Data []string `xml:"propstat>prop>calendar-data"`
		} `xml:"response"`
	}
	if err := xml.NewDecoder(res.Body).Decode(&answer); err != nil {
		return err
	}
	for _, r := range answer.Responses {
		for _, data := range r.Data {
			cal, err := ical.NewDecoder(strings.NewReader(data)).Decode()
			if err != nil {
				return err
			}
			for _, e := range cal.Events() {
				start, err1 := e.DateTimeStart(time.UTC)
				end, err2 := e.DateTimeEnd(time.UTC)
				uid, err3 := e.Props.Text(ical.PropUID)
				words, err4 := e.Props.Text(ical.PropDescription)
				if err := cmp.Or(err1, err2, err3, err4); err != nil {
					return err
				}
				c.Events = append(c.Events, Event{Span{start.Unix(), end.Unix()}, uid, words})
			}
		}
	}
	return nil
}

// Faults says what contradicts the promises.
func (f *Facts) Faults() []string {
	c := check{Facts: f, visits: map[int64]Visit{}, on: map[int64][]Booking{}}
	for _, v := range f.Visits {
		c.visits[v.ID] = v
	}
	for _, b := range f.Bookings {
		if b.Status != "cancelled" {
			c.on[b.Visit] = append(c.on[b.Visit], b)
		}
	}
	c.faults = append(c.faults, f.Rude...)
	c.claims()
	c.places()
	c.answers()
	c.busy()
	c.copies()
	return c.faults
}

type check struct {
	*Facts
	visits map[int64]Visit
	on     map[int64][]Booking // that are not cancelled
	faults []string
}

func (c *check) say(format string, args ...any) {
	c.faults = append(c.faults, fmt.Sprintf(format, args...))
}

// claims: those of one subject lie apart, and each visit that somebody is on has
// exactly the claims that it needs, by itself and as they are stored.
func (c *check) claims() {
	apart := func(what string, list []Claim) {
		slices.SortFunc(list, func(a, b Claim) int { return cmp.Or(cmp.Compare(a.Subject, b.Subject), cmp.Compare(a.Start, b.Start)) })
		for n := 1; n < len(list); n++ {
			if a, b := list[n-1], list[n]; a.Subject == b.Subject && b.Start < a.End {
				c.say("%s of %s overlap: visit %d and visit %d", what, a.Subject, a.Visit, b.Visit)
			}
		}
	}
	var needed []Claim
	for id := range c.on {
		v, ok := c.visits[id]
		if !ok {
			c.say("somebody is booked on visit %d, which is not there", id)
			continue
		}
		things := 0
		for _, s := range v.Subjects {
			needed = append(needed, Claim{id, s, v.Start - v.Before, v.End + v.After})
			if strings.HasPrefix(s, "resource:") {
				things++
			}
		}
		if things != v.Needs {
			c.say("visit %d needs %d rooms or things and has %d", id, v.Needs, things)
		}
		if things == len(v.Subjects) {
			c.say("visit %d has nobody who takes it", id)
		}
	}
	apart("visits", needed)
	apart("claims", slices.Clone(c.Claims))
	for _, n := range needed {
		if !slices.Contains(c.Claims, n) {
			c.say("visit %d has no claim on %s for its whole time", n.Visit, n.Subject)
		}
	}
	for _, n := range c.Claims {
		if !slices.Contains(needed, n) {
			c.say("a claim of visit %d on %s is nobody's", n.Visit, n.Subject)
		}
	}
}

func (c *check) places() {
	for id, list := range c.on {
		sold := 0
		for _, b := range list {
			sold += b.Places
			if b.Status == "held" {
				c.say("booking %s is still held", b.Reference)
			}
		}
		if sold > c.visits[id].Places {
			c.say("visit %d has %d places and %d are sold", id, c.visits[id].Places, sold)
		}
	}
}

// answers: each accepted answer is stored as it was told, each stored booking was
// answered, and what was refused was not stored.
func (c *check) answers() {
	stored, answered := map[string]Booking{}, map[string]bool{}
	for _, b := range c.Bookings {
		stored[b.KeyHash] = b
	}
	for _, a := range c.Answers {
		sum := sha256.Sum256([]byte("key " + a.Key))
		hash := hex.EncodeToString(sum[:])
		answered[hash] = true
		b, there := stored[hash]
		switch {
		case a.Unknown:
		case a.Refused && there:
			c.say("booking %s is stored, and its client was refused", b.Reference)
		case a.Refused:
		case !there:
			c.say("booking %s was accepted and is not stored", a.Reference)
		default:
			v := c.visits[b.Visit]
			if b.Reference != a.Reference || !slices.Contains(strings.Split(a.Status, ","), b.Status) || b.Status != "cancelled" && (v.Start != a.Start || v.End-v.Start != a.Length) {
				c.say("booking %s, %s at %d for %d s, is stored as %s, %s at %d for %d s", a.Reference, a.Status, a.Start, a.Length, b.Reference, b.Status, v.Start, v.End-v.Start)
			}
			if a.Careful && b.Status == "confirmed" {
				c.sold(a, v)
			}
		}
	}
	for _, b := range c.Bookings {
		if !answered[b.KeyHash] {
			c.say("booking %s is stored, and nobody asked for it", b.Reference)
		}
	}
}

// sold: no start was sold over an event that was there before it was asked for and
// after it was answered.
func (c *check) sold(a Answer, v Visit) {
	for _, o := range c.Owned {
		if slices.Contains(v.Subjects, fmt.Sprint("staff:", o.Staff)) && o.Start < v.End && v.Start < o.End && o.Put.Before(a.Begun) && (o.Gone.IsZero() || o.Gone.After(a.Ended)) {
			c.say("booking %s at %d was sold over the event %s, there since %s; asked %s, answered %s", a.Reference, v.Start, o.UID,
				o.Put.Format("15:04:05.000"), a.Begun.Format("15:04:05.000"), a.Ended.Format("15:04:05.000"))
		}
	}
}

// busy: every event of a calendar that blocks is known, and nothing else.
func (c *check) busy() {
	for _, k := range c.Calendars {
		if k.State != "fresh" || k.Owed > 0 {
			c.say("calendar %d, %s, is %s, and %d of its events could not be had", k.ID, k.Name, k.State, k.Owed)
		}
		if !k.Blocks {
			continue
		}
		var outside []Span
		for _, e := range k.Events {
			outside = append(outside, e.Span)
			if !slices.Contains(k.Known, e.Span) {
				c.say("event %s at %d in calendar %d, %s, does not block", e.UID, e.Start, k.ID, k.Name)
			}
		}
		for _, s := range k.Known {
			if !slices.Contains(outside, s) {
				c.say("calendar %d, %s, is busy at %d, where there is no event", k.ID, k.Name, s.Start)
			}
		}
		for _, o := range c.Owned {
			if o.Staff == k.Staff && o.Gone.IsZero() != slices.ContainsFunc(k.Events, func(e Event) bool { return e.UID == o.UID }) {
				c.say("the notes on event %s do not agree with its host", o.UID)
			}
		}
	}
}

// copies: in each calendar that gets bookings there is one event for each confirmed
// visit of its owner, at its time, naming exactly those who are booked; and nothing
// of ours is anywhere else.
func (c *check) copies() {
	for _, k := range c.Copies {
		if k.State != "read back" && (k.Wanted || k.State != "removed" && k.State != "waiting") {
			c.say("the copy of visit %d in calendar %d is %s", k.Visit, k.Calendar, k.State)
		}
	}
	for _, k := range c.Calendars {
		if !k.Gets {
			continue
		}
		here := map[string]int{}
		for _, e := range k.Events {
			here[e.UID]++
		}
		for _, v := range c.Visits {
			confirmed := slices.ContainsFunc(c.on[v.ID], func(b Booking) bool { return b.Status == "confirmed" })
			wanted := 0
			if confirmed && slices.Contains(v.Subjects, fmt.Sprint("staff:", k.Staff)) {
				wanted = 1
			}
			if here[v.UID] != wanted {
				c.say("visit %d is %d times in calendar %d, %s, and should be %d times", v.ID, here[v.UID], k.ID, k.Name, wanted)
			}
			delete(here, v.UID)
			for _, e := range k.Events {
				if e.UID != v.UID || wanted == 0 {
					continue
				}
				if e.Start != v.Start || e.End != v.End {
					c.say("the copy of visit %d in calendar %d is at %d and should be at %d", v.ID, k.ID, e.Start, v.Start)
				}
				for _, b := range c.Bookings {
					if strings.Contains(e.Description, b.Reference) != (b.Visit == v.ID && b.Status == "confirmed") {
						c.say("the copy of visit %d in calendar %d is wrong about booking %s", v.ID, k.ID, b.Reference)
					}
				}
			}
		}
		for uid := range here {
			c.say("%s in calendar %d, %s, was left behind", uid, k.ID, k.Name)
		}
	}
}
