package casefile

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/span"
)

// maxDepth is how deeply values may be nested; a case needs ten.
const maxDepth = 32

// object is a JSON object whose keys have kept their order.
type object struct {
	keys   []string
	values map[string]any
}

// decode reads one JSON value with nothing after it. Objects become *object,
// and a key that stands twice is an error.
func decode(r io.Reader) (any, error) {
	dec := json.NewDecoder(r)
	dec.UseNumber()
	v, err := value(dec, 0)
	if err != nil {
		return nil, err
	}
	if _, err := dec.Token(); err != io.EOF {
		return nil, errors.New("there is something after the end of the case")
	}
	return v, nil
}

func value(dec *json.Decoder, depth int) (any, error) {
	if depth > maxDepth {
		return nil, errors.New("values are nested too deeply")
	}
	t, err := dec.Token()
	if err != nil {
		return nil, err
	}
	switch t {
	case json.Delim('{'):
		o := &object{values: map[string]any{}}
		for dec.More() {
			k, err := dec.Token()
			if err != nil {
				return nil, err
			}
			key := k.(string) // the decoder gives nothing else before a colon
			if _, twice := o.values[key]; twice {
				return nil, fmt.Errorf("the key %q stands twice in one object", key)
			}
			o.keys = append(o.keys, key)
			if o.values[key], err = value(dec, depth+1); err != nil {
				return nil, err
			}
		}
		_, err = dec.Token()
		return o, err
	case json.Delim('['):
		list := []any{}
		for dec.More() {
			v, err := value(dec, depth+1)
			if err != nil {
				return nil, err
			}
			list = append(list, v)
		}
		_, err = dec.Token()
		return list, err
	}
	return t, nil
}

// reader turns a tree into values and collects every fault with its path.
type reader struct {
	faults []hours.Fault
}

func (r *reader) fault(path, format string, a ...any) {
	if path == "" {
		path = "."
	}
	r.faults = append(r.faults, hours.Fault{Path: path, What: fmt.Sprintf(format, a...)})
}

// node is a place in the tree.
type node struct {
	r    *reader
	path string
	v    any
	ok   bool // whether it is there and not null
}

// fields checks that the node is an object with only the known keys.
func (n node) fields(known ...string) node {
	o, ok := n.v.(*object)
	if !ok {
		if n.ok {
			n.r.fault(n.path, "an object is wanted here")
		}
		return node{r: n.r, path: n.path}
	}
	for _, k := range o.keys {
		if !slices.Contains(known, k) {
			n.r.fault(join(n.path, k), "this key is not known here; known are %s", strings.Join(known, ", "))
		}
	}
	return n
}

func join(path, key string) string {
	if path == "" {
		return key
	}
	return path + "." + key
}

// at returns the node of a key, which may be absent or null.
func (n node) at(key string) node {
	child := node{r: n.r, path: join(n.path, key)}
	if o, ok := n.v.(*object); ok {
		child.v = o.values[key]
		child.ok = child.v != nil
	}
	return child
}

// need returns the node of a key that must be there.
func (n node) need(key string) node {
	child := n.at(key)
	if _, ok := n.v.(*object); ok && !child.ok {
		n.r.fault(child.path, "this is missing")
	}
	return child
}

// each returns the nodes of a list; none when it is absent.
func (n node) each() []node {
	if !n.ok {
		return nil
	}
	list, ok := n.v.([]any)
	if !ok {
		n.r.fault(n.path, "a list is wanted here")
		return nil
	}
	out := make([]node, len(list))
	for i, v := range list {
		out[i] = node{n.r, fmt.Sprintf("%s[%d]", n.path, i), v, v != nil}
		if v == nil {
			n.r.fault(out[i].path, "null is not wanted here")
		}
	}
	return out
}

func (n node) text() string {
	s, ok := n.v.(string)
	if n.ok && !ok {
		n.r.fault(n.path, "a text is wanted here")
	}
	return s
}

// name is a text that is not empty.
func (n node) name() string {
	s := n.text()
	if _, isText := n.v.(string); isText && s == "" {
		n.r.fault(n.path, "this must not be empty")
	}
	return s
}

func (n node) yes() bool {
	b, ok := n.v.(bool)
	if n.ok && !ok {
		n.r.fault(n.path, "true or false is wanted here")
	}
	return b
}

// maxNumber is the greatest number that a rule can have: ten years in minutes.
const maxNumber = 10 * 366 * 24 * 60

// number is a whole number not below least; absent, it is the default.
func (n node) number(least, absent int) int {
	if !n.ok {
		return absent
	}
	num, ok := n.v.(json.Number)
	i, err := num.Int64()
	if !ok || err != nil {
		n.r.fault(n.path, "a whole number is wanted here")
		return absent
	}
	if i < int64(least) || i > maxNumber {
		n.r.fault(n.path, "%d does not fit: it must be from %d to %d", i, least, maxNumber)
		return absent
	}
	return int(i)
}

// parsed reads a text by a function that says what is wrong with it.
func parsed[T any](n node, parse func(string) (T, error)) (v T) {
	s := n.text()
	if _, isText := n.v.(string); !isText {
		return v
	}
	v, err := parse(s)
	if err != nil {
		n.r.fault(n.path, "%s", err)
	}
	return v
}

func (n node) instant() span.Instant { return parsed(n, span.Parse) }

func (n node) date() hours.LocalDate { return parsed(n, hours.ParseDate) }

func (n node) zone() hours.Zone { return parsed(n, hours.LoadZone) }

// oneOf is a text out of a few; absent, it is the first.
func oneOf[T ~string](n node, of ...T) T {
	if !n.ok {
		return of[0]
	}
	s := T(n.text())
	if _, isText := n.v.(string); isText && !slices.Contains(of, s) {
		n.r.fault(n.path, "%q is not known here; known are %v", s, of)
	}
	return s
}
