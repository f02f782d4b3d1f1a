// Package merge fills texts that people write with fields in braces, as "{service} for
// {client}": which fields there are is said by whoever fills them.
package merge

import (
	"fmt"
	"slices"
	"strings"
)

// TextField is one that a text can name, with what it is for people.
type TextField struct {
	Name  string `json:"name"`
	About string `json:"about"`
}

// TextFields returns fields by their names and what each is.
func TextFields(list [][2]string) (fields []TextField) {
	for _, f := range list {
		fields = append(fields, TextField{Name: f[0], About: f[1]})
	}
	return fields
}

// Unknown says that a text names a field that there is not.
type Unknown struct {
	Field string
	At    int // in characters, from 0
}

// Error names the field.
func (u Unknown) Error() string { return fmt.Sprintf("there is no field {%s}", u.Field) }

// Check reports whether all fields in a text are known; the error is an Unknown. A brace
// that no field follows is a brace.
func Check(text string, known []TextField) error {
	at := 0
	for part := range parts(text) {
		if part.field && !slices.ContainsFunc(known, func(f TextField) bool { return f.Name == part.text }) {
			return Unknown{part.text, at}
		}
		at += len([]rune(part.text))
		if part.field {
			at += len("{}")
		}
	}
	return nil
}

// between are characters that join what stands before and after a field: they go with a
// field that is empty.
const between = " ·,;:–-|/()"

// Fill returns a text with its fields filled. A line in which some field is empty loses
// what joined it to the rest at its ends, and goes altogether if nothing else is left. A
// value with several lines keeps them.
func Fill(text string, values map[string]string) string {
	var lines []string
	for line := range strings.SplitSeq(text, "\n") {
		var out strings.Builder
		hollow := false
		for part := range parts(line) {
			if !part.field {
				out.WriteString(part.text)
				continue
			}
			v := values[part.text]
			hollow = hollow || v == ""
			out.WriteString(v)
		}
		said := out.String()
		if hollow {
			if said = strings.Trim(strings.ReplaceAll(said, "()", ""), between); said == "" {
				continue
			}
		}
		lines = append(lines, said)
	}
	return strings.TrimSpace(strings.Join(lines, "\n"))
}

// piece is a piece of a text.
type piece struct {
	text  string
	field bool
}

// parts yields the pieces of a text in their order.
func parts(text string) func(yield func(piece) bool) {
	return func(yield func(piece) bool) {
		for text != "" {
			open := strings.IndexByte(text, '{')
			end := -1
			if open >= 0 {
				end = strings.IndexAny(text[open+1:], "{}\n")
			}
			switch {
			case open < 0:
				yield(piece{text, false})
				return
			case end < 0 || text[open+1+end] != '}' || end == 0:
				if !yield(piece{text[:open+1], false}) {
					return
				}
				text = text[open+1:]
			default:
				if open > 0 && !yield(piece{text[:open], false}) {
					return
				}
				if !yield(piece{text[open+1 : open+1+end], true}) {
					return
				}
				text = text[open+end+2:]
			}
		}
	}
}
