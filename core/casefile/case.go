package casefile

import (
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
)

// maxDays is the longest range of dates that a case can ask about.
const maxDays = 3700

// Faults are all contradictions and unreadable values of a case.
type Faults []hours.Fault

// Error names them, one a line.
func (f Faults) Error() string {
	lines := make([]string, len(f))
	for i, one := range f {
		lines[i] = one.Error()
	}
	return strings.Join(lines, "\n")
}

// Read reads a case. The error is Faults when it is JSON but no sound case;
// several are told at once, each with the path of its field.
func Read(in io.Reader) (offer.Question, error) {
	tree, err := decode(in)
	if err != nil {
		return offer.Question{}, fmt.Errorf("reading the case as JSON: %w", err)
	}
	r := &reader{}
	q := r.question(node{r: r, v: tree, ok: true})
	if len(r.faults) > 0 {
		return q, Faults(r.faults)
	}
	return q, nil
}

func (r *reader) question(n node) offer.Question {
	n = n.fields("now", "zone", "from", "to", "closures", "service", "placesAsked", "staff", "resources")
	q := offer.Question{Now: n.need("now").instant(), Zone: n.need("zone").zone(), From: n.need("from").date(), To: n.need("to").date(),
		PlacesAsked: n.at("placesAsked").number(1, 1)}
	if !q.From.IsZero() && !q.To.IsZero() && (q.To < q.From || q.To-q.From >= maxDays) {
		r.fault(join(n.path, "to"), "the range of dates must hold 1 to %d days", maxDays)
	}
	for _, c := range n.at("closures").each() {
		q.Closures = append(q.Closures, c.date())
	}
	q.Service = r.service(n.need("service"))
	for _, s := range n.need("staff").each() {
		q.Staff = append(q.Staff, r.staff(s, q.Staff))
	}
	for _, s := range n.at("resources").each() {
		s = s.fields("id", "kind", "taken")
		res := offer.Resource{ID: s.need("id").name(), Kind: s.need("kind").name()}
		if res.ID != "" && slices.ContainsFunc(q.Resources, func(o offer.Resource) bool { return o.ID == res.ID }) {
			r.fault(s.at("id").path, "%q is named twice", res.ID)
		}
		for _, t := range s.at("taken").each() {
			pair := t.each()
			if len(pair) != 2 {
				r.fault(t.path, "a start and an end are wanted here")
				continue
			}
			res.Taken = append(res.Taken, r.during(pair[0], pair[1], t.path))
		}
		q.Resources = append(q.Resources, res)
	}
	return q
}

// during is the span between two instants, the end not before the start.
func (r *reader) during(start, end node, path string) span.Span {
	a, b := start.instant(), end.instant()
	if b < a {
		r.fault(path, "it ends before it starts")
	}
	return span.Between(a, b)
}

func (r *reader) cap(n node) offer.Cap {
	if !n.ok {
		return offer.Cap{}
	}
	return offer.AtMost(n.number(0, 0))
}

func (r *reader) service(n node) offer.Service {
	n = n.fields("id", "length", "step", "anchor", "bufferBefore", "bufferAfter", "buffersInsideHours", "notice", "window",
		"capPerDay", "places", "needs", "staffing")
	minutes := func(m node, least int) span.Minutes { return span.Minutes(m.number(least, least)) }
	s := offer.Service{ID: n.need("id").name(), Length: minutes(n.need("length"), 1), Step: minutes(n.need("step"), 1),
		Anchor:       oneOf(n.at("anchor"), offer.OnClock, offer.OnOpening),
		BufferBefore: minutes(n.at("bufferBefore"), 0), BufferAfter: minutes(n.at("bufferAfter"), 0),
		BuffersInsideHours: n.at("buffersInsideHours").yes(), CapPerDay: r.cap(n.at("capPerDay")),
		Places: n.at("places").number(1, 1), Staffing: oneOf(n.at("staffing"), offer.AnyOne, offer.AllOfThem)}
	for _, k := range n.at("needs").each() {
		kind := k.name()
		if slices.Contains(s.Needs, kind) {
			r.fault(k.path, "%q is needed twice", kind)
		}
		s.Needs = append(s.Needs, kind)
	}
	if w := n.at("notice"); w.ok {
		w = w.fields("minutes", "daysBefore", "by")
		byDay := w.at("daysBefore").ok || w.at("by").ok
		switch {
		case byDay && w.at("minutes").ok:
			r.fault(w.path, "notice is either minutes, or daysBefore and by")
		case byDay:
			s.Notice = offer.DaysBefore(w.need("daysBefore").number(0, 0), parsed(w.need("by"), hours.ParseWall))
		default:
			s.Notice = offer.MinutesBefore(minutes(w.need("minutes"), 0))
		}
	}
	if w := n.at("window"); w.ok {
		w = w.fields("days", "from", "to")
		dates := w.at("from").ok || w.at("to").ok
		switch {
		case dates && w.at("days").ok:
			r.fault(w.path, "the window is either days, or from and to")
		case dates:
			from, to := w.at("from").date(), w.at("to").date()
			s.Window = offer.Dates(from, to)
			if !to.IsZero() && to < from {
				r.fault(w.at("to").path, "the window ends before it starts")
			}
		default:
			s.Window = offer.DaysAhead(w.need("days").number(0, 0))
		}
	}
	return s
}

func (r *reader) staff(n node, before []offer.Staff) offer.Staff {
	n = n.fields("id", "zone", "capPerDay", "patterns", "oneOffs", "busy", "bookings")
	s := offer.Staff{ID: n.need("id").name(), Schedule: hours.Schedule{Zone: n.need("zone").zone()}, CapPerDay: r.cap(n.at("capPerDay"))}
	if s.ID != "" && slices.ContainsFunc(before, func(o offer.Staff) bool { return o.ID == s.ID }) {
		r.fault(n.at("id").path, "%q is named twice", s.ID)
	}
	for _, p := range n.at("patterns").each() {
		s.Schedule.Patterns = append(s.Schedule.Patterns, r.pattern(p))
	}
	for _, o := range n.at("oneOffs").each() {
		o = o.fields("date", "spans")
		day := hours.OneOff{Date: o.need("date").date(), Spans: r.wallSpans(o.need("spans"))}
		if !day.Date.IsZero() && slices.ContainsFunc(s.Schedule.OneOffs, func(e hours.OneOff) bool { return e.Date == day.Date }) {
			r.fault(o.at("date").path, "%s is named twice", day.Date)
		}
		for _, f := range day.Check() {
			r.fault(join(o.path, f.Path), "%s", f.What)
		}
		s.Schedule.OneOffs = append(s.Schedule.OneOffs, day)
	}
	for _, b := range n.at("busy").each() {
		b = b.fields("start", "end", "calendar", "padBefore", "padAfter", "unread")
		s.Busy = append(s.Busy, offer.Calendar{Name: b.at("calendar").text(), PadBefore: span.Minutes(b.at("padBefore").number(0, 0)),
			PadAfter: span.Minutes(b.at("padAfter").number(0, 0)), Unread: b.at("unread").yes(), Spans: []span.Span{r.during(b.need("start"), b.need("end"), b.path)}})
	}
	for _, b := range n.at("bookings").each() {
		b = b.fields("id", "service", "start", "end", "bufferBefore", "bufferAfter", "places")
		k := offer.Booking{ID: b.at("id").text(), Service: b.need("service").name(), During: r.during(b.need("start"), b.need("end"), b.path),
			BufferBefore: span.Minutes(b.at("bufferBefore").number(0, 0)), BufferAfter: span.Minutes(b.at("bufferAfter").number(0, 0)),
			Places: b.at("places").number(1, 1)}
		s.Bookings = append(s.Bookings, k)
	}
	return s
}

func (r *reader) pattern(n node) hours.Pattern {
	n = n.fields("from", "until", "cycle")
	p := hours.Pattern{From: n.need("from").date(), Until: n.at("until").date()}
	for _, w := range n.need("cycle").each() {
		w = w.fields(hours.DayKeys[1], hours.DayKeys[2], hours.DayKeys[3], hours.DayKeys[4], hours.DayKeys[5], hours.DayKeys[6], hours.DayKeys[0])
		var week hours.Week
		for i, key := range hours.DayKeys {
			d := w.at(key)
			if !d.ok {
				continue
			}
			d = d.fields("spans", "breaks")
			known := len(r.faults)
			day := hours.Day{Spans: r.wallSpans(d.at("spans")), Breaks: r.wallSpans(d.at("breaks"))}
			if len(r.faults) == known { // contradictions among times that could not be read mean nothing
				week[i] = day
			}
		}
		p.Cycle = append(p.Cycle, week)
	}
	for _, f := range p.Check() {
		if path := join(n.path, f.Path); !slices.ContainsFunc(r.faults, func(o hours.Fault) bool { return o.Path == path }) {
			r.fault(path, "%s", f.What)
		}
	}
	return p
}

func (r *reader) wallSpans(n node) (out []hours.WallSpan) {
	for _, s := range n.each() {
		pair := s.each()
		if len(pair) != 2 {
			if _, isList := s.v.([]any); isList {
				r.fault(s.path, `two times are wanted here, as in ["09:00", "17:30"]`)
			}
			continue
		}
		out = append(out, hours.WallSpan{From: parsed(pair[0], hours.ParseWall), To: parsed(pair[1], hours.ParseWall)})
	}
	return out
}

// Answer is the answer to a case, ready to be written as JSON.
type Answer struct {
	Offers   []Offer   `json:"offers"`
	Refusals []Refusal `json:"refusals"`
	Budget   Budget    `json:"budget"`
}

// Offer is an offered start.
type Offer struct {
	Start      span.Instant `json:"start"`
	Staff      []string     `json:"staff"`
	PlacesLeft int          `json:"placesLeft"`
}

// Refusal is a refused start of one staff member.
type Refusal struct {
	Start   span.Instant `json:"start"`
	Staff   string       `json:"staff"`
	Reasons []Reason     `json:"reasons"`
}

// Reason is why.
type Reason struct {
	Code   offer.Code `json:"code"`
	Detail string     `json:"detail"`
}

// Budget is the slot budget, with the codes in the order of the rules.
type Budget offer.Budget

// MarshalJSON writes the budget as one flat object.
func (b Budget) MarshalJSON() ([]byte, error) {
	var out strings.Builder
	fmt.Fprintf(&out, `{"candidates":%d,"offered":%d`, b.Candidates, b.Offered)
	for _, c := range offer.Codes() {
		fmt.Fprintf(&out, `,%q:%d`, c, b.Lost[c])
	}
	return []byte(out.String() + "}"), nil
}

// Solve answers a case.
func Solve(q offer.Question) Answer {
	a := q.Answer()
	out := Answer{Offers: []Offer{}, Refusals: []Refusal{}, Budget: Budget(a.Budget())}
	for _, o := range a.Offers() {
		out.Offers = append(out.Offers, Offer{o.At, o.Staff, o.Left})
	}
	for _, t := range q.Refusals(a) {
		r := Refusal{Start: t.At, Staff: t.Staff, Reasons: []Reason{}}
		for _, v := range t.Verdicts {
			r.Reasons = append(r.Reasons, Reason{v.Code, v.Detail})
		}
		out.Refusals = append(out.Refusals, r)
	}
	return out
}

// Write writes the answer as indented JSON.
func (a Answer) Write(w io.Writer) error {
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	enc.SetEscapeHTML(false)
	return enc.Encode(a)
}
