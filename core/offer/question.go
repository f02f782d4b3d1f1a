// Package offer turns rules into starts: which are offered, and why each of
// the others is refused.
//
// A Question holds everything that counts, as values: the present instant, the
// service's rules, and for each staff member open time, busy spans and
// bookings. Answer goes through all candidate starts; Explain tells the whole
// trail of one. Each rule is one value in the table in rules.go, which brings
// its check, its code, its sentence and its column of the slot budget.
//
// The package reads no clock and keeps nothing. What belongs to the taking of
// a booking (claims, assignment) is left to others.
package offer

import (
	"niche/core/hours"
	"niche/core/span"
)

// Question asks which visits of a service could begin on a range of dates.
type Question struct {
	Now         span.Instant
	Zone        hours.Zone      // the business's: dates, notice by days and the window are its own
	From, To    hours.LocalDate // both included, in Zone
	Closures    []hours.LocalDate
	Service     Service
	PlacesAsked int // 0 counts as 1
	Staff       []Staff
	Resources   []Resource
}

// Anchor says from where the steps between starts are counted.
type Anchor string

// The anchors.
const (
	OnClock   Anchor = "clock"   // minutes of the day that are multiples of the step
	OnOpening Anchor = "opening" // the beginning of each piece of open time, and steps from it
)

// Staffing says how many of the staff members a visit takes.
type Staffing string

// The kinds of staffing.
const (
	AnyOne    Staffing = "any"
	AllOfThem Staffing = "all"
)

// Service is what is sold, with its rules.
type Service struct {
	ID                        string
	Length, Step              span.Minutes // at least 1
	Anchor                    Anchor
	BufferBefore, BufferAfter span.Minutes
	BuffersInsideHours        bool
	Notice                    Notice
	Window                    Window
	CapPerDay                 Cap
	Places                    int      // per visit; 0 counts as 1
	Needs                     []string // kinds of resource
	Staffing                  Staffing
}

// Cap is a greatest number of visits a day. The zero value is no cap.
type Cap struct {
	limited bool
	visits  int
}

// AtMost returns a cap of n visits a day.
func AtMost(n int) Cap { return Cap{true, n} }

// Visits returns the number of visits, and whether there is a cap at all.
func (c Cap) Visits() (int, bool) { return c.visits, c.limited }

// Staff is one person who can perform the service.
type Staff struct {
	ID        string
	Schedule  hours.Schedule
	CapPerDay Cap // over all services
	Busy      []Calendar
	Bookings  []Booking
}

// Calendar is the time that a personal calendar's events take.
type Calendar struct {
	Name                string
	PadBefore, PadAfter span.Minutes // kept free around its events
	Spans               []span.Span
	Unread              bool // the spans are not events but time that has not been read
}

// Blocked returns the time that an event makes unusable: none for one of no
// length. This is what blocking means, for starts and for whatever else asks.
func (c *Calendar) Blocked(event span.Span) span.Span {
	if event.IsEmpty() {
		return event
	}
	return event.Widen(c.PadBefore, c.PadAfter)
}

// Blocks returns the first event that makes some of the time unusable.
func (c *Calendar) Blocks(time span.Span) (event span.Span, blocks bool) {
	for _, event := range c.Spans {
		if c.Blocked(event).Overlaps(time) {
			return event, true
		}
	}
	return event, false
}

// Booking is one that holds time: held, pending or confirmed. Cancelled ones
// are left out of a question.
type Booking struct {
	ID                        string
	Service                   string
	During                    span.Span // the visit
	BufferBefore, BufferAfter span.Minutes
	Places                    int // 0 counts as 1
}

func (b *Booking) occupied() span.Span { return b.During.Widen(b.BufferBefore, b.BufferAfter) }

// Resource is a room or a piece of equipment of some kind.
type Resource struct {
	ID    string
	Kind  string
	Taken []span.Span
}

func (q *Question) places() int { return max(1, q.Service.Places) }

func (q *Question) asked() int { return max(1, q.PlacesAsked) }

// Visit returns the visit that begins at t.
func (s Service) Visit(t span.Instant) span.Span { return span.For(t, s.Length) }

// Occupied returns the visit that begins at t with its buffers.
func (s Service) Occupied(t span.Instant) span.Span {
	return s.Visit(t).Widen(s.BufferBefore, s.BufferAfter)
}
