package ics

import (
	"bufio"
	"errors"
	"fmt"
	"io"
	"strings"
)

// Limits on one component. A component that passes them is skipped, and the
// rest is read on.
const (
	maxDepth = 8
	maxLines = 20_000
)

// ErrNotCalendar says that what was read is no iCalendar data at all.
var ErrNotCalendar = errors.New("this is not iCalendar data: it does not begin with BEGIN:VCALENDAR")

// Component is a component of a calendar object (RFC 5545, section 3.6).
type Component struct {
	Name     string
	Props    []Property
	Children []Component
	fault    string // why it cannot be used, if so
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

// value returns the value of the first property with the name, or "".
func (c Component) value(name string) string {
	p, _ := c.Get(name)
	return p.Value
}

// reader yields the components directly inside each VCALENDAR of a stream.
type reader struct {
	lines  lines
	inside bool // a VCALENDAR has begun
	seen   bool // one was there at all
}

func newReader(r io.Reader) *reader {
	return &reader{lines: lines{r: bufio.NewReaderSize(r, 32<<10)}}
}

// next returns the next component, io.EOF at the end, or ErrNotCalendar.
func (r *reader) next() (Component, error) {
	for {
		raw, err := r.lines.next()
		if err == io.EOF && !r.seen {
			return Component{}, ErrNotCalendar
		}
		if err != nil {
			return Component{}, err
		}
		p, ok := parseLine(string(raw))
		value := strings.ToUpper(strings.TrimSpace(p.Value))
		switch {
		case !r.inside && ok && p.Name == "BEGIN" && value == "VCALENDAR":
			r.inside, r.seen = true, true
		case !r.seen:
			return Component{}, ErrNotCalendar
		case ok && p.Name == "END" && value == "VCALENDAR":
			r.inside = false
		case ok && p.Name == "BEGIN" && value != "VCALENDAR":
			return r.component(value)
		}
	}
}

// component reads up to the END of a component that has begun.
func (r *reader) component(name string) (Component, error) {
	stack := []*Component{{Name: name}}
	depth, count := 1, 0
	for {
		raw, err := r.lines.next()
		if err == io.EOF {
			stack[0].fault = "the file ends inside it"
			return *stack[0], nil
		}
		if err != nil {
			return Component{}, err
		}
		if count++; count > maxLines {
			stack[0].fault = fmt.Sprintf("it has more than %d lines", maxLines)
			stack[0].Children = nil
			stack = stack[:1]
		}
		p, ok := parseLine(string(raw))
		if !ok {
			continue // a line that is none spoils only itself
		}
		top := stack[len(stack)-1]
		switch p.Name {
		case "BEGIN":
			if depth++; depth > maxDepth {
				stack[0].fault = "its parts are nested too deeply"
			} else {
				stack = append(stack, &Component{Name: strings.ToUpper(strings.TrimSpace(p.Value))})
			}
		case "END":
			if depth--; depth == 0 {
				return *stack[0], nil
			}
			if depth < len(stack) {
				stack = stack[:len(stack)-1]
				parent := stack[len(stack)-1]
				parent.Children = append(parent.Children, *top)
			}
		default:
			if count <= maxLines && depth == len(stack) {
				top.Props = append(top.Props, p)
			}
		}
	}
}
