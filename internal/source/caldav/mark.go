package caldav

import "slices"

// mark is what is remembered of a calendar from one reading to the next.
//
// The question is asked with the last token. But a token can hide what changes in the
// moment in which it is given: some hosts make it of whole seconds, and with some a
// change that began before is only seen after. So, once that moment has passed, the
// question is asked again with a token from before it, the base, of which the same has
// been made sure; or, when there is none, everything is listed again.
type mark struct {
	Token     string `json:"token,omitempty"`
	Since     int64  `json:"since,omitempty"` // when it was given, in seconds since 1970
	Base      string `json:"base,omitempty"`  // hides nothing; "" before there is one
	Next      string `json:"next,omitempty"`  // the first token after the base, which may; "" when the last is the base
	NextSince int64  `json:"nextSince,omitempty"`
	// What was fetched after the base, and after the next one, was given. Some hosts do
	// not name to the base what came and went since.
	AfterBase []string `json:"afterBase,omitempty"`
	AfterNext []string `json:"afterNext,omitempty"`
	// What is known in another version than the last token is of. If it goes back to that
	// one, nothing has changed for a host that makes its tokens of the content.
	Ahead []string `json:"ahead,omitempty"`

	Tag        string `json:"tag,omitempty"`
	TagSince   int64  `json:"tagSince,omitempty"`
	TagSettled bool   `json:"tagSettled,omitempty"`
	Listed     int64  `json:"listed,omitempty"` // when everything was listed
}

// given notes the token that came with an answer.
func (m *mark) given(token string, now int64) {
	if token != m.Token {
		m.Token, m.Since = token, now
	}
	if m.Next == "" && token != m.Base {
		m.Next, m.NextSince, m.AfterNext = token, now, nil
	}
}

// isDue reports whether it is time to look again at the moment of the next token.
func (m *mark) isDue(now int64) bool { return m.Next != "" && now-m.NextSince >= grain }

// looked notes that this has been done: what the next token hid is known.
func (m *mark) looked() {
	m.Base, m.AfterBase, m.Next, m.AfterNext = m.Next, m.AfterNext, "", nil
	if m.Base == m.Token {
		m.AfterBase = nil
	}
}

// fetched notes what was fetched in a reading.
func (m *mark) fetched(paths []string, now int64) {
	if m.Next != "" && m.Base != "" {
		m.AfterBase = also(m.AfterBase, paths)
	}
	if m.Next != "" && m.NextSince != now {
		m.AfterNext = also(m.AfterNext, paths)
	}
	if len(m.AfterBase)+len(m.AfterNext)+len(m.Ahead) > maxAfter {
		*m = mark{Listed: m.Listed} // then everything is listed
	}
}

// also adds paths to those that are remembered, each once.
func also(list, paths []string) []string {
	list = append(list, paths...)
	slices.Sort(list)
	return slices.Compact(list)
}

// maxAfter is how many paths are remembered.
const maxAfter = 1000

// forget forgets the tokens.
func (m *mark) forget() {
	*m = mark{Tag: m.Tag, TagSince: m.TagSince, TagSettled: m.TagSettled, Listed: m.Listed}
}

// grain is how long, in seconds, a change can stay hidden behind a token or a tag
// that was given at the same time.
const grain = 15

// suspected is how long, in seconds, it is believed that something has changed that
// looks as it did.
const suspected = 3600

// trusted is how long, in seconds, tokens and tags are believed before everything
// is listed again.
const trusted = 24 * 3600
