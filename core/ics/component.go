package ics

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"slices"
	"strings"
)

// Limits on one component. A component that passes them is skipped, and the
// rest is read on.
const (
	maxDepth = 8
	maxProps = 5_000
)

// buffer is how much is read at once, in bytes.
const buffer = 64 << 10

// ErrNotCalendar says that what was read is no iCalendar data at all.
var ErrNotCalendar = errors.New("this is not iCalendar data: it does not begin with BEGIN:VCALENDAR")

// Component is a component of a calendar object (RFC 5545, section 3.6).
type Component struct {
	Name     string
	Props    []Property
	Children []Component
	lists    []list
	size     int    // of the lists, in bytes
	fault    string // why it cannot be used, if so
}

// list is a property whose value is a list of dates, or several of them with the
// same parameters put together: there can be a million.
type list struct {
	Property        // without its value
	values   []byte // separated by commas
}

// Get returns the first property with the name.
func (c Component) Get(name string) (Property, bool) {
	for _, p := range c.Props {
		if p.Name == name {
			return p, true
		}
	}
	return Property{}, false
}

// value returns the value of the first property with the name, trimmed, or "".
func (c Component) value(name string) string {
	p, _ := c.Get(name)
	return strings.TrimSpace(p.Value)
}

// standsAlone reports whether a component stands directly in a calendar, so that
// its beginning inside another one says that the other has no end.
func standsAlone(name string) bool {
	switch name {
	case "VEVENT", "VTODO", "VJOURNAL", "VFREEBUSY", "VTIMEZONE", "VAVAILABILITY", "VCALENDAR":
		return true
	}
	return false
}

// reader yields the components directly inside each VCALENDAR of a stream, and
// after those of one the VCALENDAR itself, with its own properties only.
type reader struct {
	lines  lines
	wants  func(name, line []byte) bool // which properties are kept, by their name; all when nil
	inside bool                         // a VCALENDAR has begun
	seen   bool                         // one was there at all
	begun  string                       // a component that has begun
	ended  bool                         // the VCALENDAR has ended
	again  bool                         // and the next one has begun
	head   Component
}

func newReader(r io.Reader) *reader {
	return &reader{lines: lines{r: bufio.NewReaderSize(r, buffer)}, head: Component{Name: "VCALENDAR"}}
}

// next returns the next component, io.EOF at the end, or ErrNotCalendar.
func (r *reader) next() (Component, error) {
	for {
		if r.ended {
			head := r.head
			r.head, r.inside, r.ended, r.again = Component{Name: "VCALENDAR"}, r.again, false, false
			return head, nil
		}
		if name := r.begun; name != "" {
			r.begun = ""
			return r.component(name)
		}
		line, err := r.lines.next()
		switch {
		case err == io.EOF && !r.seen:
			return Component{}, ErrNotCalendar
		case err == io.EOF && r.inside:
			r.head.fault = "the file ends before the calendar does"
			r.ended = true
			continue
		case err != nil:
			return Component{}, err
		}
		name, value := bound(line)
		switch {
		case name == "BEGIN" && value == "VCALENDAR":
			r.ended, r.again = r.inside, r.inside // the one before has no end
			r.inside, r.seen = true, true
		case !r.seen:
			return Component{}, ErrNotCalendar
		case name == "BEGIN":
			r.begun = value
		case name == "END" && value == "VCALENDAR":
			r.ended = r.inside
		case r.inside:
			r.keep(&r.head, line)
		}
	}
}

// bound reads a BEGIN or END; for other lines the name is "".
func bound(line []byte) (name, value string) {
	end := nameEnd(line)
	if end != 5 && end != 3 || line[end] != ':' {
		return "", ""
	}
	switch string(upper(line[:end])) {
	case "BEGIN":
		name = "BEGIN"
	case "END":
		name = "END"
	default:
		return "", ""
	}
	what := upper(bytes.TrimSpace(line[end+1:]))
	for _, known := range [...]string{"VEVENT", "VALARM", "VCALENDAR"} {
		if string(what) == known {
			return name, known // without a copy: there are very many
		}
	}
	return name, string(what[:min(len(what), 100)])
}

// keep adds a property to a component when it is wanted.
func (r *reader) keep(c *Component, line []byte) {
	end := nameEnd(line)
	if end == 0 || r.wants != nil && !r.wants(line[:end], line) {
		return // a line that is none spoils only itself
	}
	if isList(line[:end+1]) {
		r.keepList(c, line, end)
		return
	}
	p, ok := parseLine(string(line), end)
	switch {
	case !ok:
	case r.lines.cut && r.wants != nil:
		c.fault = "one of its lines is too long"
	case len(c.Props) >= maxProps:
		c.fault = "it has too many lines"
	default:
		c.Props = append(c.Props, p)
	}
}

// keepList adds a list of dates, to the last one when their parameters are the
// same.
func (r *reader) keepList(c *Component, line []byte, end int) {
	// Only the parameters become a string: there is no value of a list that holds a colon.
	colon := bytes.LastIndexByte(line, ':')
	if colon < end {
		return
	}
	p, ok := parseLine(string(line[:colon+1]), end)
	c.size += len(line)
	switch {
	case !ok:
		return
	case r.lines.cut || c.size > maxList || len(c.lists) >= maxProps:
		c.fault = "it has too many dates"
		return
	}
	if n := len(c.lists) - 1; n >= 0 && c.lists[n].Name == p.Name && c.lists[n].params == p.params {
		c.lists[n].values = append(append(c.lists[n].values, ','), line[colon+1:]...)
		return
	}
	c.lists = append(c.lists, list{p, slices.Clone(line[colon+1:])})
}

// component reads up to the END of a component that has begun.
func (r *reader) component(name string) (Component, error) {
	stack := []Component{{Name: name}}
	over := 0 // how many parts have begun below the depth that is kept
	for {
		line, err := r.lines.next()
		if err != nil && err != io.EOF {
			return Component{}, err
		}
		top := len(stack) - 1
		mark, value := bound(line)
		switch {
		case err == io.EOF:
			stack[0].fault = "the file ends inside it"
			return stack[0], nil
		case mark == "BEGIN" && standsAlone(value):
			stack[0].fault = "it has no end"
			if value == "VCALENDAR" {
				r.ended, r.again = true, true
			} else {
				r.begun = value
			}
			return stack[0], nil
		case mark == "END" && value == "VCALENDAR":
			stack[0].fault = "it has no end"
			r.ended = true
			return stack[0], nil
		case mark == "END" && value == name:
			for ; top > 0; top-- {
				stack[top-1].Children = append(stack[top-1].Children, stack[top])
			}
			return stack[0], nil
		case mark == "BEGIN" && len(stack) >= maxDepth:
			stack[0].fault = "its parts are nested too deeply"
			over++
		case mark == "BEGIN":
			stack = append(stack, Component{Name: value})
		case mark == "END" && over > 0:
			over--
		case mark == "END" && stack[top].Name == value:
			if len(stack[top-1].Children) < maxProps {
				stack[top-1].Children = append(stack[top-1].Children, stack[top])
			}
			stack = stack[:top]
		case mark == "" && over == 0:
			r.keep(&stack[top], line)
		}
	}
}
