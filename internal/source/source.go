// Package source says what a calendar outside can be asked: to be read, and by
// some kinds to be written. The kinds stand in the packages below it, and package
// link picks the one that fits a link; nobody else asks of which kind a calendar is.
//
// A source knows nothing of bookings, and keeps nothing: what it wants to remember
// from one reading to the next it hands over as a mark, in a form of its own.
package source

import (
	"context"
	"io"
	"strings"
	"time"
)

// Credentials are what a host knows a user by: a user name with a password, or a
// token. The zero value is nobody.
type Credentials struct {
	User     string
	Password string
	Token    string // for Bearer (RFC 6750), instead of the others
	Tokens   Tokens // the same, where a token ends and is followed by another
}

// Tokens gives a token that is good at present. Refused is one that the host has just
// not taken, or empty.
type Tokens interface {
	Token(ctx context.Context, refused string) (string, error)
}

// Reader reads one calendar.
type Reader interface {
	// Read asks what differs from what is known, as cheaply as the host allows, and
	// hands each part to take as it comes. The error is an *outbound.Error where the
	// host is to blame, and then nothing counts as gone that was not handed over as
	// such.
	Read(ctx context.Context, known Known, take func(Part) error) (News, error)
}

// Known is what is remembered of a calendar.
type Known struct {
	Mark string    // what the reader noted the last time; empty the first time
	Now  time.Time // when the reading begins
	All  bool      // everything is wanted again, whatever the host says
	// Objects returns the resources that are kept, by path. It is asked only when
	// something may have changed.
	Objects func(context.Context) (map[string]Object, error)
	// Again are paths of resources that are wanted whatever the host says of them.
	Again []string
}

// Object is a resource of a calendar as it is kept.
type Object struct {
	Address string // its path as the host spells it
	ETag    string
	ReadAt  time.Time
	Owed    int // for how many readings in a row it could not be had
}

// Part is a resource of a calendar that differs.
type Part struct {
	Path    string    // in one spelling, whatever the host's: its name here
	Address string    // as the host spells it
	ETag    string    //
	Body    io.Reader // what it says, to be read before take returns; nil where Gone or Fault says so
	Whole   bool      // it is all of the calendar: what is not in it has gone
	Gone    bool      // the host has it no more
	Fault   error     // why it could not be had, though it is there
}

// News is how a reading ended.
type News struct {
	Mark    string
	Refresh time.Duration // how seldom the host wishes to be asked; 0 when it does not say
}

// Stored is a resource as it is outside, with its version.
type Stored struct {
	ETag string
	Body []byte
}

// Writer writes single resources of a calendar, under conditions.
type Writer interface {
	// Get fetches a resource.
	Get(ctx context.Context, address string) (Stored, error)
	// Put writes a resource: a new one when etag is empty, and otherwise the version
	// with this etag. It returns the new one, which not every host tells. The kind
	// outbound.Changed says that the condition failed.
	Put(ctx context.Context, address, etag string, body []byte) (string, error)
	// Delete removes the version of a resource with this etag, any version when it is
	// empty. The kind outbound.NotThere says that it had gone already.
	Delete(ctx context.Context, address, etag string) error
}

// Account is what is found out about a user at a host.
type Account struct {
	Principal string
	Home      string   // the address under which the calendars lie
	Mails     []string // the user's addresses, without mailto:
	Calendars []Calendar
	Unclear   []string // paths of what may be calendars, but could not be read
	More      int      // how many calendars there are beside those, which are more than are taken
}

// Calendar is a calendar of an account that can hold events.
type Calendar struct {
	Path     string // in one spelling
	Address  string // as the host spells it
	Name     string
	Colour   string // #rrggbb, or empty
	CanWrite bool
}

// Limits on what is taken from an account.
const (
	MaxCalendars = 200
	MaxName      = 200 // characters
)

// SameETag compares two ETags. Servers that pack what others answer make them weak
// on the way (RFC 9110, section 8.8.1), so that is passed over.
func SameETag(a, b string) bool { return Strong(a) == Strong(b) }

// IsWeak reports whether no condition can be held with an ETag.
func IsWeak(etag string) bool { return strings.HasPrefix(etag, "W/") }

// Strong returns an ETag without the mark of a weak one.
func Strong(etag string) string { return strings.TrimPrefix(strings.TrimSpace(etag), "W/") }
