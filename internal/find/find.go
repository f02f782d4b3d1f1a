// Package find answers what somebody types to get somewhere or to do something: people,
// services, bookings and screens by the beginnings of their words, days, and sentences such
// as "move K7M" or "why friday 14:00 mara". It leads there, and changes nothing itself.
package find

import (
	"fmt"
	"net/url"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/store"
	"niche/internal/words"
)

// Hit is something that was found, with where it leads.
type Hit struct {
	Kind  string `json:"kind" enum:"do,person,client,booking,service,day,screen"`
	Title string `json:"title"`
	About string `json:"about" doc:"What it is, or does."`
	Where string `json:"where" doc:"The path of the screen."`
}

// Asked is what is typed, and by whose clock and habits.
type Asked struct {
	Text  string
	Now   span.Instant
	In    words.In
	Order string // of day and month: dmy, mdy or ymd
}

// each is how many of one kind are found at most.
const each = 6

// screens are those of the desk, with other words by which they are looked for.
var screens = []struct{ title, where, also string }{
	{"Wall", "/", "today day week month"},
	{"Attention", "/attention", "clash drift problems todo"},
	{"Team", "/team", "staff people invite"},
	{"Services", "/services", "rules buffers notice pages"},
	{"Clients", "/clients", "people merge erase"},
	{"Pages", "/pages", "collections addresses visits"},
	{"Proofs", "/proofs", "prove links check"},
	{"House", "/house", "rooms equipment closures holidays"},
	{"Bookings", "/bookings", "clients export find"},
	{"New booking", "/bookings/new", "book add"},
	{"Calendars’ health", "/health", "pulse lag reads writes failures hosts"},
	{"Settings", "/settings", "business mail hosts administrators password"},
	{"Trail", "/trail", "history who changed log"},
}

// Find returns what is found, what is done first.
func Find(tx store.Tx, a Asked) (hits []Hit, err error) {
	text := strings.Fields(strings.ToLower(a.Text))
	if len(text) == 0 {
		return []Hit{}, nil
	}
	f := finding{tx: tx, a: a}
	if f.staff, err = tx.StaffNames(); err != nil {
		return nil, err
	}
	if f.services, err = tx.ServicesInUse(); err != nil {
		return nil, err
	}
	for _, step := range []func([]string) ([]Hit, error){f.deeds, f.people, f.offered, f.bookings, f.clients, f.days, f.screens} {
		some, err := step(text)
		if err != nil {
			return nil, err
		}
		hits = append(hits, some...)
	}
	return append([]Hit{}, hits...), nil
}

// finding is one search.
type finding struct {
	tx       store.Tx
	a        Asked
	staff    map[store.ID]string
	services []store.Service
}

// begins reports whether each of some words is the beginning of a word of a text.
func begins(text string, all []string) bool {
	in := strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return strings.ContainsRune(" ,.’'-", r) })
	return !slices.ContainsFunc(all, func(w string) bool {
		return !slices.ContainsFunc(in, func(t string) bool { return strings.HasPrefix(t, w) })
	})
}

// named returns the people whose names some words begin, by name.
func (f finding) named(all []string) (ids []store.ID) {
	for id, name := range f.staff {
		if begins(name, all) {
			ids = append(ids, id)
		}
	}
	slices.SortFunc(ids, func(a, b store.ID) int { return strings.Compare(f.staff[a], f.staff[b]) })
	return ids[:min(each, len(ids))]
}

func (f finding) people(text []string) (hits []Hit, err error) {
	for _, id := range f.named(text) {
		for _, page := range []struct{ path, about string }{{"week", "week"}, {"calendars", "calendars"}, {"", "hours"}} {
			hits = append(hits, Hit{"person", f.staff[id], page.about, strings.TrimSuffix(fmt.Sprintf("/team/%d/%s", id, page.path), "/")})
			if len(text) < 2 && len(hits) > 1 {
				break // one letter finds many people, and their weeks are what is mostly wanted
			}
		}
	}
	return hits[:min(each, len(hits))], nil
}

func (f finding) offered(text []string) (hits []Hit, err error) {
	for _, s := range f.services {
		if begins(s.Name, text) && len(hits) < each {
			hits = append(hits, Hit{"service", s.Name, "rules", fmt.Sprintf("/services/%d", s.ID)}, Hit{"do", "Book " + s.Name, "at the desk", fmt.Sprintf("/bookings/new?service=%d", s.ID)})
		}
	}
	return hits, nil
}

func (f finding) clients(text []string) (hits []Hit, err error) {
	if len([]rune(strings.Join(text, ""))) < 2 {
		return nil, nil
	}
	rows, err := f.tx.FindClients(strings.Join(text, " "), 1, f.a.Now)
	for _, r := range rows[:min(each, len(rows))] {
		hits = append(hits, Hit{"client", r.Name, words.Counted(r.Visits, "visit"), fmt.Sprintf("/clients/%d", r.ID)})
	}
	return hits, err
}

func (f finding) screens(text []string) (hits []Hit, err error) {
	for _, s := range screens {
		if begins(s.title+" "+s.also, text) {
			hits = append(hits, Hit{"screen", s.title, "", s.where})
		}
	}
	return hits, nil
}

// found are bookings that some words find.
func (f finding) found(text []string, status store.BookingStatus) ([]store.FoundBooking, error) {
	if len([]rune(strings.Join(text, ""))) < 2 {
		return nil, nil
	}
	return f.tx.FindBookings(store.BookingsOf{Words: strings.Join(text, " "), Status: status, Most: each})
}

func (f finding) bookings(text []string) (hits []Hit, err error) {
	rows, err := f.found(text, "")
	for _, r := range rows {
		about := r.Service + " with " + r.Staff + ", " + r.Reference
		if r.Status != store.Confirmed {
			about += ", " + string(r.Status)
		}
		hits = append(hits, Hit{"booking", r.ClientName + ", " + f.a.In.Moment(r.Start), about, fmt.Sprintf("/bookings/%d", r.ID)})
	}
	return hits, err
}

// verbs are what can be done with a booking.
var verbs = map[string]string{"move": "Move", "cancel": "Cancel", "note": "Note something on"}

// deeds reads sentences of what is to be done.
func (f finding) deeds(text []string) (hits []Hit, err error) {
	verb, rest := text[0], text[1:]
	switch {
	case verbs[verb] != "" && len(rest) > 0:
		rows, err := f.found(rest, store.Confirmed)
		for _, r := range rows {
			hits = append(hits, Hit{"do", verbs[verb] + " " + r.ClientName + "’s " + r.Service, f.a.In.Moment(r.Start) + " with " + r.Staff + ", " + r.Reference, fmt.Sprintf("/bookings/%d?do=%s", r.ID, verb)})
		}
		return hits, err
	case verb == "why":
		return f.why(rest)
	case verb == "book" || verb == "new":
		for _, s := range f.services {
			if len(hits) < each && begins(s.Name, rest) {
				hits = append(hits, Hit{"do", "Book " + s.Name, "at the desk", fmt.Sprintf("/bookings/new?service=%d", s.ID)})
			}
		}
	case verb == "prove":
		all, err := f.tx.Provables()
		for _, p := range all {
			if len(rest) == 0 || begins(p.Staff, rest) {
				hits = append(hits, Hit{"do", "Prove " + words.FirstName(p.Staff) + "’s link", words.List(append(p.Gets(), p.Blocks()...), "and"), fmt.Sprintf("/proofs?link=%d", p.LinkID)})
			}
		}
		return hits[:min(each, len(hits))], err
	case verb == "hand" || verb == "sick":
		rest = slices.DeleteFunc(rest, func(w string) bool { return w == "over" })
		for _, id := range f.named(rest) {
			hits = append(hits, Hit{"do", "Hand over " + words.FirstName(f.staff[id]) + "’s visits", "of a day or some", fmt.Sprintf("/team/%d/away", id)})
		}
	case verb == "ask" && len(rest) > 0:
		for _, id := range f.named(rest) {
			hits = append(hits, Hit{"do", "Ask " + words.FirstName(f.staff[id]) + " to link a calendar", "", fmt.Sprintf("/team/%d/calendars", id)})
		}
	}
	return hits, nil
}

var clockTime = regexp.MustCompile(`^([01]?[0-9]|2[0-3])[:.]([0-5][0-9])$`)

// why leads to why a start of somebody is offered or not: friday 14:00 mara.
func (f finding) why(rest []string) (hits []Hit, err error) {
	minute, at := -1, ""
	var others []string
	for _, w := range rest {
		if m := clockTime.FindStringSubmatch(w); m != nil {
			h, _ := strconv.Atoi(m[1])
			n, _ := strconv.Atoi(m[2])
			minute, at = h*60+n, fmt.Sprintf("%02d:%02d", h, n)
		} else {
			others = append(others, w)
		}
	}
	date, people, ok := f.split(others)
	if !ok || len(people) == 0 && minute >= 0 {
		return nil, nil
	}
	for _, id := range f.named(people) {
		services, err := f.tx.PerformedBy(id)
		if err != nil {
			return nil, err
		}
		where := fmt.Sprintf("/team/%d/week?date=%s", id, date)
		title := "Why is nothing offered with " + words.FirstName(f.staff[id]) + "?"
		if minute >= 0 {
			start := f.a.In.Zone.Over(date, date+1).Starting(date, minute)
			where = fmt.Sprintf("/?date=%s&why=%s", date, url.QueryEscape(fmt.Sprintf("%d@%s", id, start)))
			title = fmt.Sprintf("Why is %s offered, or not, with %s?", at, words.FirstName(f.staff[id]))
		}
		if len(services) > 0 {
			where += fmt.Sprintf("&service=%d", services[0].ID)
		}
		hits = append(hits, Hit{"do", title, date.Time().Format("Monday 2 January"), where})
	}
	return hits, nil
}

// split reads a day at the beginning or the end of some words, today without any; the rest are names.
func (f finding) split(text []string) (date hours.LocalDate, rest []string, ok bool) {
	today := f.a.In.Zone.DateAt(f.a.Now)
	for n := min(3, len(text)); n > 0; n-- {
		if d, is := Day(strings.Join(text[:n], " "), today, f.a.Order); is {
			return d, text[n:], true
		}
		if d, is := Day(strings.Join(text[len(text)-n:], " "), today, f.a.Order); is {
			return d, text[:len(text)-n], true
		}
	}
	return today, text, len(text) > 0
}

func (f finding) days(text []string) ([]Hit, error) {
	d, ok := Day(strings.Join(text, " "), f.a.In.Zone.DateAt(f.a.Now), f.a.Order)
	if !ok {
		return nil, nil
	}
	return []Hit{{"day", d.Time().Format("Monday 2 January 2006"), "on the wall", "/?date=" + d.String()}}, nil
}

// Day reads a day as people type it: today, tomorrow, friday, 26 nov, 26/11, 2026-11-26. A day without a year is the next
// such day, and a weekday the next one, today included.
func Day(text string, today hours.LocalDate, order string) (hours.LocalDate, bool) {
	switch text = strings.TrimSpace(strings.ToLower(text)); text {
	case "":
		return 0, false
	case "today":
		return today, true
	case "tomorrow":
		return today + 1, true
	case "yesterday":
		return today - 1, true
	}
	if d, err := hours.ParseDate(text); err == nil {
		return d, true
	}
	for n := range hours.LocalDate(7) {
		day := strings.ToLower((today + n).Time().Weekday().String())
		if len(text) >= 3 && strings.HasPrefix(day, text) {
			return today + n, true
		}
	}
	layouts := []string{"2 Jan 2006", "2 January 2006", "Jan 2 2006", "January 2 2006", "2/1/2006"}
	if order == "mdy" {
		layouts[4] = "1/2/2006"
	}
	for _, l := range layouts {
		if t, err := time.Parse(l, titled(text)); err == nil {
			return hours.DateOf(t.Year(), t.Month(), t.Day()), true
		}
		short := strings.TrimSuffix(strings.TrimSuffix(l, " 2006"), "/2006")
		if t, err := time.Parse(short, titled(text)); err == nil {
			year := today.Time().Year()
			if d := hours.DateOf(year, t.Month(), t.Day()); d >= today-60 {
				return d, true
			}
			return hours.DateOf(year+1, t.Month(), t.Day()), true
		}
	}
	return 0, false
}

// titled writes the words of a text with capitals, as the names of months are.
func titled(text string) string {
	parts := strings.Fields(text)
	for i, p := range parts {
		parts[i] = strings.ToUpper(p[:1]) + p[1:]
	}
	return strings.Join(parts, " ")
}
