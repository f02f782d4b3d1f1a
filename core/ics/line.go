package ics

import (
	"bufio"
	"bytes"
	"errors"
	"io"
	"strings"
)

// maxLine is the longest content line that is read, unfolded. Longer ones
// (attached files) are cut: what counts for time is short.
const maxLine = 256 << 10

// Property is one content line (RFC 5545, section 3.1).
type Property struct {
	Name   string            // in upper case
	Params map[string]string // by name in upper case; of several values the first
	Value  string            // as it stands, text escapes not undone
}

// Text returns the value with the escapes of TEXT undone (section 3.3.11).
func (p Property) Text() string {
	return strings.NewReplacer(`\\`, `\`, `\;`, `;`, `\,`, `,`, `\n`, "\n", `\N`, "\n").Replace(p.Value)
}

// lines reads unfolded content lines. It takes bare LF for CRLF, and skips a
// byte-order mark.
type lines struct {
	r     *bufio.Reader
	begun bool
	buf   []byte
}

// next returns the next content line without its end. The bytes are valid until
// the next call.
func (l *lines) next() ([]byte, error) {
	if !l.begun {
		l.begun = true
		if bom, _ := l.r.Peek(3); bytes.Equal(bom, []byte("\xef\xbb\xbf")) {
			_, _ = l.r.Discard(3)
		}
	}
	l.buf = l.buf[:0]
	for {
		part, err := l.r.ReadSlice('\n')
		if len(l.buf) < maxLine {
			l.buf = append(l.buf, part...)
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

// parseLine splits a content line into name, parameters and value; ok is false
// for what is no content line.
func parseLine(line string) (p Property, ok bool) {
	end := strings.IndexAny(line, ":;")
	if end <= 0 {
		return p, false
	}
	p.Name = strings.ToUpper(line[:end])
	rest := line[end:]
	for strings.HasPrefix(rest, ";") {
		name, after, found := strings.Cut(rest[1:], "=")
		if !found {
			return p, false
		}
		value, more := paramValue(after)
		for strings.HasPrefix(more, ",") {
			_, more = paramValue(more[1:])
		}
		if p.Params == nil {
			p.Params = map[string]string{}
		}
		p.Params[strings.ToUpper(name)] = value
		rest = more
	}
	if !strings.HasPrefix(rest, ":") {
		return p, false
	}
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
