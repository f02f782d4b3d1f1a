package ics

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"strings"

	"golang.org/x/text/encoding/unicode"
)

// Limits on one content line, unfolded, in bytes. What is longer is cut: of most
// lines, attached files for one, nothing is needed; a list of dates that is cut
// makes its component unreadable.
const (
	maxLine = 256 << 10
	maxList = 64 << 20
)

// Property is one content line (RFC 5545, section 3.1).
type Property struct {
	Name   string // in upper case
	Value  string // as it stands, text escapes not undone
	params string // as they stand, from the first semicolon on
}

// Param returns a parameter by its name in upper case, of several values the
// first, or "".
func (p Property) Param(name string) string {
	for rest := p.params; rest != ""; {
		key, after, _ := strings.Cut(rest[1:], "=")
		value, more := paramValue(after)
		if strings.EqualFold(key, name) {
			return value
		}
		for strings.HasPrefix(more, ",") {
			_, more = paramValue(more[1:])
		}
		rest = more
	}
	return ""
}

// Text returns the value with the escapes of TEXT undone (section 3.3.11).
func (p Property) Text() string {
	return strings.NewReplacer(`\\`, `\`, `\;`, `;`, `\,`, `,`, `\n`, "\n", `\N`, "\n").Replace(p.Value)
}

// lines reads unfolded content lines. It takes bare LF for CRLF, skips a
// byte-order mark, and reads UTF-16 where that is what the data is.
type lines struct {
	r     *bufio.Reader
	begun bool
	buf   []byte
	cut   bool // whether the last line was cut
}

// begin looks at the first bytes for an encoding other than UTF-8.
func (l *lines) begin() {
	l.begun = true
	first, _ := l.r.Peek(3)
	has := func(mark string) bool { return bytes.HasPrefix(first, []byte(mark)) }
	switch {
	case has("\xef\xbb\xbf"):
		_, _ = l.r.Discard(3)
	case has("\xff\xfe"), has("B\x00"):
		l.r = bufio.NewReaderSize(unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewDecoder().Reader(l.r), buffer)
	case has("\xfe\xff"), has("\x00B"):
		l.r = bufio.NewReaderSize(unicode.UTF16(unicode.BigEndian, unicode.UseBOM).NewDecoder().Reader(l.r), buffer)
	}
}

// next returns the next content line without its end. The bytes are valid until
// the next call.
func (l *lines) next() ([]byte, error) {
	if !l.begun {
		l.begin()
	}
	l.buf, l.cut = l.buf[:0], false
	for {
		part, err := l.r.ReadSlice('\n')
		if n := len(l.buf); n < maxLine || n < maxList && isList(l.buf) {
			l.buf = append(l.buf, part...)
		} else {
			l.cut = true
		}
		if errors.Is(err, bufio.ErrBufferFull) {
			continue
		}
		if err != nil && (err != io.EOF || len(l.buf) == 0) {
			return nil, err
		}
		l.buf = bytes.TrimRight(l.buf, "\r\n")
		if c, _ := l.r.Peek(1); len(c) == 1 && (c[0] == ' ' || c[0] == '\t') {
			_, _ = l.r.Discard(1)
			continue
		}
		if len(l.buf) > 0 {
			return l.buf, nil
		}
		if err != nil {
			return nil, err
		}
	}
}

// isList reports whether a line holds dates by the list, of which there can be
// very many.
func isList(line []byte) bool {
	switch string(upper(line[:nameEnd(line)])) {
	case "EXDATE", "RDATE", "FREEBUSY":
		return true
	}
	return false
}

// upper returns a name in upper case, itself where it is so already.
func upper(name []byte) []byte {
	for _, c := range name {
		if c >= 'a' && c <= 'z' {
			return bytes.ToUpper(name)
		}
	}
	return name
}

// nameEnd returns where the name of a content line ends, 0 for what is no
// content line.
func nameEnd(line []byte) int {
	for i, c := range line {
		switch {
		case c == ':' || c == ';':
			return i
		case c == '-' || c >= '0' && c <= '9' || c >= 'A' && c <= 'Z' || c >= 'a' && c <= 'z':
		default:
			return 0
		}
	}
	return 0
}

// parseLine splits a content line, whose name ends at end, into its parts; ok is
// false for what is no content line.
func parseLine(line string, end int) (p Property, ok bool) {
	p.Name = strings.ToUpper(line[:end])
	rest := line[end:]
	for strings.HasPrefix(rest, ";") {
		_, after, found := strings.Cut(rest[1:], "=")
		if !found {
			return p, false
		}
		_, rest = paramValue(after)
		for strings.HasPrefix(rest, ",") {
			_, rest = paramValue(rest[1:])
		}
	}
	if !strings.HasPrefix(rest, ":") {
		return p, false
	}
	p.params = line[end : len(line)-len(rest)]
	p.Value = rest[1:]
	return p, true
}

func paramValue(s string) (value, rest string) {
	if strings.HasPrefix(s, `"`) {
		value, rest, _ = strings.Cut(s[1:], `"`)
		return value, rest
	}
	end := strings.IndexAny(s, ",;:")
	if end < 0 {
		return s, ""
	}
	return s[:end], s[end:]
}
