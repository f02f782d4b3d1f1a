// Package standin is the outside world in small: a calendar host that speaks
// CalDAV, with pages on which a person plays the other side.
//
// It is honest and small: it keeps every condition it is given, and offers
// nothing that it does not keep. It knows nothing of the program that is linked
// to it, and reads iCalendar data with a package of others.
package standin

import (
	"bytes"
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/emersion/go-ical"
)

// Account is a user of the host with calendars.
type Account struct {
	User      string // also the mail address
	Name      string
	Password  string
	Zone      string
	Calendars []Calendar
	Quirk     Quirk // what the host makes of what programs write there; empty for nothing
}

// Calendar is a collection of events.
type Calendar struct {
	ID       string
	Name     string
	Colour   string
	ReadOnly bool
	Public   bool   // published as a feed
	Refresh  string // how often the feed says that it is made anew, as PT6H; empty for not saying
	Of       string // whose it is that is shared, as user/calendar; empty for an own one
}

// Traits are in what hosts differ.
type Traits struct {
	Name             string
	AppPasswordsOnly bool // nobody signs in there for another program
}

// object is an event resource, or the trace of one that is gone.
type object struct {
	Data    []byte
	ETag    string
	Changed int // the number of the change that made it so
	Gone    bool
}

// state is everything the host keeps.
type state struct {
	Accounts []Account
	Objects  map[string]map[string]object // by collection user/calendar, by name
	Changes  int                          // how many changes there have been
	Grants   []*grant                     // to what people have consented
}

// Cloud is the calendar host.
type Cloud struct {
	people  sync.RWMutex // guards the accounts, which others may hold mu for
	mu      sync.Mutex
	file    string
	now     func() time.Time
	clients []Client
	traits  Traits
	homes   string // the origin under which the calendars lie; empty for the host's own
	mood    Mood
	tired   map[string]time.Time // until when the host takes no key of a user, where that is its quirk
	state
}

// Open opens the host that is kept in a file, and makes it with the accounts
// when there is none. Without a file name, everything is kept in memory.
func Open(file string, now func() time.Time, accounts []Account) (*Cloud, error) {
	c := &Cloud{file: file, now: now, traits: Traits{Name: "Calendar host"}, state: state{Accounts: accounts, Objects: map[string]map[string]object{}}}
	if file == "" {
		return c, nil
	}
	data, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		return c, c.save()
	}
	if err == nil {
		err = json.Unmarshal(data, &c.state)
	}
	if err != nil {
		return nil, fmt.Errorf("opening the calendar host: %w", err)
	}
	return c, nil
}

func (c *Cloud) save() error {
	if c.file == "" {
		return nil
	}
	data, err := json.Marshal(c.state)
	if err != nil {
		return err
	}
	if err := os.WriteFile(c.file+".new", data, 0o600); err != nil {
		return err
	}
	return os.Rename(c.file+".new", c.file)
}

func (c *Cloud) account(user string) (Account, bool) {
	c.people.RLock()
	defer c.people.RUnlock()
	i := slices.IndexFunc(c.Accounts, func(a Account) bool { return a.User == user })
	if i < 0 {
		return Account{}, false
	}
	return c.Accounts[i], true
}

// collection names where the events of an account's calendar are kept.
func (a Account) collection(c Calendar) string { return cmp.Or(c.Of, a.User+"/"+c.ID) }

// collection names where the events of a user's calendar are kept.
func (c *Cloud) collection(user, calendar string) string {
	if a, ok := c.account(user); ok {
		if cal, ok := a.calendar(calendar); ok {
			return a.collection(cal)
		}
	}
	return user + "/" + calendar
}

// With gives the host traits.
func (c *Cloud) With(t Traits) *Cloud {
	c.traits = t
	return c
}

func (a Account) calendar(id string) (Calendar, bool) {
	i := slices.IndexFunc(a.Calendars, func(c Calendar) bool { return c.ID == id })
	if i < 0 {
		return Calendar{}, false
	}
	return a.Calendars[i], true
}

// The ways in which a change can be refused.
var (
	errCondition = errors.New("the condition does not hold")
	errMissing   = errors.New("there is no such event")
	errReadOnly  = errors.New("this calendar can only be read")
	errData      = errors.New("this is no calendar object with one event")
)

// condition is If-Match or If-None-Match: *.
type condition struct {
	match string // an etag, or empty
	fresh bool   // nothing may be there
}

func (k condition) holds(o object, there bool) bool {
	if k.fresh && there {
		return false
	}
	return k.match == "" || there && (k.match == "*" || k.match == o.ETag)
}

// put writes an event under a condition.
func (c *Cloud) put(collection, name string, data []byte, k condition) (etag string, created bool, err error) {
	if _, err := decode(data); err != nil {
		return "", false, errData
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	old, there := c.live(collection, name)
	if !k.holds(old, there) {
		return "", false, errCondition
	}
	o, err := c.place(collection, name, data)
	return o.ETag, !there, err
}

// place keeps data as the newest change. The caller holds the lock.
func (c *Cloud) place(collection, name string, data []byte) (object, error) {
	sum := sha256.Sum256(data)
	c.Changes++
	o := object{Data: data, ETag: fmt.Sprintf(`"%d-%s"`, c.Changes, hex.EncodeToString(sum[:4])), Changed: c.Changes}
	if c.Objects[collection] == nil {
		c.Objects[collection] = map[string]object{}
	}
	c.Objects[collection][name] = o
	return o, c.save()
}

// remove removes an event under a condition.
func (c *Cloud) remove(collection, name string, k condition) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	old, there := c.live(collection, name)
	if !there {
		return errMissing
	}
	if !k.holds(old, there) {
		return errCondition
	}
	c.Changes++
	c.Objects[collection][name] = object{Changed: c.Changes, Gone: true}
	return c.save()
}

func (c *Cloud) live(collection, name string) (object, bool) {
	o, ok := c.Objects[collection][name]
	return o, ok && !o.Gone
}

// named is an object with its name.
type named struct {
	Name string
	object
}

// since returns what changed in a collection after a change, in order, and the
// number of the last change.
func (c *Cloud) since(collection string, after int) (list []named, last int) {
	c.mu.Lock()
	defer c.mu.Unlock()
	for name, o := range c.Objects[collection] {
		if o.Changed > after {
			list = append(list, named{name, o})
		}
	}
	slices.SortFunc(list, func(a, b named) int { return cmp.Compare(a.Changed, b.Changed) })
	return list, c.Changes
}

// tag changes whenever something in the collection does.
func (c *Cloud) tag(collection string) int {
	list, _ := c.since(collection, 0)
	if len(list) == 0 {
		return 0
	}
	return list[len(list)-1].Changed
}

func (c *Cloud) get(collection, name string) (object, bool) {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.live(collection, name)
}

// decode reads a calendar object with one event.
func decode(data []byte) (ical.Event, error) {
	cal, err := ical.NewDecoder(bytes.NewReader(data)).Decode()
	if err != nil {
		return ical.Event{}, err
	}
	events := cal.Events()
	if len(events) == 0 {
		return ical.Event{}, errData
	}
	return events[0], nil
}

// Event is an event as a person enters it.
type Event struct {
	Title  string
	Start  time.Time
	End    time.Time
	AllDay bool
	Weekly bool
}

// encode returns the event as a calendar object, its times on the wall clock
// of their zone.
func (e Event) encode(uid string, stamp time.Time) []byte {
	escape := strings.NewReplacer(`\`, `\\`, ";", `\;`, ",", `\,`, "\n", `\n`, "\r", "")
	when := func(name string, t time.Time) string {
		if e.AllDay {
			return name + ";VALUE=DATE:" + t.Format("20060102")
		}
		return name + ";TZID=" + t.Location().String() + ":" + t.Format("20060102T150405")
	}
	lines := []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Calendar host//Week page//EN", "BEGIN:VEVENT", "UID:" + uid,
		"DTSTAMP:" + stamp.UTC().Format("20060102T150405Z"), when("DTSTART", e.Start), when("DTEND", e.End), "SUMMARY:" + escape.Replace(e.Title)}
	if e.Weekly {
		lines = append(lines, "RRULE:FREQ=WEEKLY")
	}
	return []byte(strings.Join(append(lines, "END:VEVENT", "END:VCALENDAR", ""), "\r\n"))
}

// Add puts a new event into a calendar of a user, as its owner would, and
// returns its name.
func (c *Cloud) Add(user, calendar string, e Event) (string, error) {
	c.mu.Lock()
	uid := fmt.Sprintf("event-%d-%d", c.Changes+1, c.now().UnixNano())
	c.mu.Unlock()
	name := uid + ".ics"
	_, _, err := c.put(c.collection(user, calendar), name, e.encode(uid, c.now()), condition{fresh: true})
	return name, err
}

// SetPassword gives a user another app password.
func (c *Cloud) SetPassword(user, password string) {
	c.people.Lock()
	defer c.people.Unlock()
	for i, a := range c.Accounts {
		if a.User == user {
			c.Accounts[i].Password = password
		}
	}
}

// LetRead lets a calendar of a user only be read from now on.
func (c *Cloud) LetRead(user, calendar string) {
	c.people.Lock()
	defer c.people.Unlock()
	for i, a := range c.Accounts {
		for n, k := range a.Calendars {
			if a.User == user && k.ID == calendar {
				c.Accounts[i].Calendars[n].ReadOnly = true
			}
		}
	}
}

// Put puts data under a name into a calendar of a user, whatever it is: a host's
// files can come from elsewhere.
func (c *Cloud) Put(user, calendar, name string, data []byte) error {
	c.mu.Lock()
	defer c.mu.Unlock()
	_, err := c.place(c.collection(user, calendar), name, data)
	return err
}
