package message

import (
	"cmp"
	"encoding/json"
	"fmt"
	"strings"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/merge"
	"niche/core/span"
	"niche/internal/place"
	"niche/internal/store"
	"niche/internal/words"
)

// Fields are those that texts to clients can name, with what each is.
var Fields = merge.TextFields([][2]string{
	{"client", "the client"},
	{"first", "the client’s first name"},
	{"service", "the service"},
	{"when", "date, times and whose clock they are by"},
	{"day", "the date alone"},
	{"was", "when it was before; of one that was moved"},
	{"with", "who comes or is there"},
	{"wasWith", "who it was with before; of one that was handed over"},
	{"where", "the place: the business’s, the client’s own address, a telephone number, or the address of the meeting online"},
	{"places", "how many places, where there are several"},
	{"answers", "what the client said to the questions, a line each"},
	{"phone", "the client’s telephone number"},
	{"manage", "the address of the client’s own page of it"},
	{"move", "the address on which it is moved"},
	{"cancel", "the address on which it is cancelled"},
	{"calendar", "the address of a calendar of all the client’s visits, for their own calendar to follow"},
	{"reference", "the reference"},
	{"business", "the business"},
})

// Told is a text of its own that a service can have, and what it says if it has none.
type Told struct {
	Kind  string
	Name  string // as the desk calls it
	Usual store.MessageText
}

const (
	visitLines = "{service}\n{when}\nwith {with}\n{where}\n{places}\n{answers}"
	manageIt   = "To see, move or cancel it: {manage}"
	signed     = "{business}\nReference {reference}"
)

// Texts are those that a service has, in the order in which a client gets them.
var Texts = []Told{
	{Received, "Request received", said("We have your request: {service}, {day}",
		"Hello {first},", "thank you. The time is held for you; you hear from us as soon as it is confirmed.", visitLines, manageIt, signed)},
	{Confirmed, "Confirmation", said("Your visit: {service}, {day}",
		"Hello {first},", "your visit is booked.", visitLines, manageIt, signed)},
	{Changed, "Change of time", said("Moved: {service}, now {day}",
		"Hello {first},", "your visit has another time now. It was {was}.", visitLines, manageIt, signed)},
	{HandedOver, "Hand-over", said("Now with {with}: {service}, {day}",
		"Hello {first},", "your visit is at the same time, with {with} and not with {wasWith}.", visitLines, manageIt, signed)},
	{Reminder, "Reminder", said("Soon: {service}, {day}",
		"Hello {first},", "this is to remind you of your visit.", visitLines, manageIt, signed)},
	{TextReminder, "Reminder by text", store.MessageText{Body: "{business}: {service}\n{day}, with {with}\n{where}\nTo move or cancel it: {manage}"}},
	{Room, "Address of the meeting", said("Where we meet: {service}, {day}",
		"Hello {first},", "this is where we meet:", visitLines, manageIt, signed)},
	{Cancelled, "Cancellation", said("Cancelled: {service}, {day}",
		"Hello {first},", "this visit does not take place:", visitLines, signed)},
	{Declined, "Refusal", said("Not confirmed: {service}, {day}",
		"Hello {first},", "we are sorry: we cannot take your visit at this time, and it is not held for you any more.", visitLines, "{business}")},
	{FollowUp, "Follow-up", said("After your visit: {service}",
		"Hello {first},", "thank you for your visit on {day}. If anything is not as it should be, answer this mail.", signed)},
}

// HandedOver is the text of a change that leaves the time as it was.
const HandedOver = "handed over"

func said(subject string, paragraphs ...string) store.MessageText {
	return store.MessageText{Subject: subject, Body: strings.Join(paragraphs, "\n\n")}
}

// TextOf returns what a service says by a kind of text.
func TextOf(service store.Service, kind string) store.MessageText {
	if own, ok := service.Messages.Texts[kind]; ok {
		return own
	}
	for _, t := range Texts {
		if t.Kind == kind {
			return t.Usual
		}
	}
	return store.MessageText{}
}

// Subject of a booking's messages: all that they can tell.
type Subject struct {
	Booking  store.Booking
	Visit    store.Visit
	Service  store.Service
	Business store.Business
	With     []string
	Where    place.Place

	Was     *Was // of one that has changed
	WasWith []string
	Manage  string // the address of the client's own page; empty where that is not told
}

// SubjectOf reads all that can be told of a booking.
func SubjectOf(tx store.Tx, booking store.ID, was string) (s Subject, err error) {
	if s.Booking, err = tx.Booking(booking); err != nil {
		return s, err
	}
	if s.Visit, err = tx.Visit(s.Booking.VisitID); err != nil {
		return s, err
	}
	if s.Service, err = tx.Service(s.Visit.ServiceID); err != nil {
		return s, err
	}
	if s.Business, err = tx.Business(); err != nil {
		return s, err
	}
	if s.Where, err = place.Of(tx, s.Service, s.Visit, s.Booking); err != nil {
		return s, err
	}
	if s.With, err = tx.VisitStaffNames(s.Visit.ID); err != nil || was == "" {
		return s, err
	}
	s.Was = &Was{}
	if err := json.Unmarshal([]byte(was), s.Was); err != nil {
		return s, fmt.Errorf("reading where a visit was: %w", err)
	}
	names, err := tx.StaffNames()
	for _, id := range s.Was.Staff {
		s.WasWith = append(s.WasWith, names[id])
	}
	return s, err
}

// in returns the clock by which the client reads.
func (s Subject) in() (words.In, error) {
	zone, err := hours.LoadZone(s.Booking.ClientZone)
	return words.In{Zone: zone, Twelve: s.Booking.ClientClock == "12"}, err
}

// Letter is what a client is sent.
type Letter struct {
	Subject string
	Body    string
	Method  ics.Method // of the invitation; empty for none
	Invite  []byte
	told    []telling // of one that tells of visits
}

// Letter writes a kind of message.
func (s Subject) Letter(kind string) (Letter, error) {
	x, err := s.in()
	if err != nil {
		return Letter{}, err
	}
	text := kind
	if kind == Changed && s.Was != nil && s.Was.Start == s.Visit.Start && s.Was.End == s.Visit.End {
		text = HandedOver
	}
	t, v := TextOf(s.Service, text), s.values(x)
	if s.Booking.Trial {
		t.Subject = "Trial: " + t.Subject
	}
	l := Letter{Subject: strings.ReplaceAll(merge.Fill(t.Subject, v), "\n", " "), Body: merge.Fill(t.Body, v) + "\n"}
	return l, nil
}

// values are those of the fields.
func (s Subject) values(x words.In) map[string]string {
	when := func(v span.Span) string {
		return x.Local(v.Start()).Format("Monday 2 January 2006, ") + x.Stretch(v).Label + ", " + words.City(x.Zone) + " time"
	}
	v := map[string]string{
		"client": s.Booking.ClientName, "first": words.FirstName(s.Booking.ClientName), "service": s.Service.Name, "when": when(s.Visit.During()),
		"day": x.Local(s.Visit.Start).Format("Monday 2 January, ") + x.Clock(s.Visit.Start), "with": words.List(s.With, "and"), "wasWith": words.List(s.WasWith, "and"),
		"where": s.Where.Words, "reference": s.Booking.Reference, "business": s.Business.Name, "manage": s.Manage,
	}
	var answers []string
	for _, a := range s.Booking.Answers {
		answers = append(answers, a.Line())
	}
	v["answers"], v["phone"] = strings.Join(answers, "\n"), s.Booking.ClientPhone
	if s.Booking.Places > 1 {
		v["places"] = words.Counted(s.Booking.Places, "place")
	}
	if s.Was != nil {
		v["was"] = when(span.Between(s.Was.Start, s.Was.End))
	}
	if s.Manage != "" {
		v["move"], v["cancel"] = s.Manage+"?do=move", s.Manage+"?do=cancel"
		v["calendar"] = strings.Replace(s.Manage, "/booking/", "/api/my-bookings/", 1) + "/all.ics"
	}
	return v
}

// Invite adds a calendar invitation to a letter, from an address of the business to which
// answers go.
func (s Subject) Invite(l Letter, kind string, organizer string, now span.Instant) (Letter, error) {
	l.Method = map[string]ics.Method{Confirmed: ics.Request, Changed: ics.Request, Room: ics.Request, Cancelled: ics.Cancel}[kind]
	if l.Method == "" || s.Service.Messages.NoInvite {
		l.Method = ""
		return l, nil
	}
	i, err := s.entry(now)
	if err != nil {
		return l, err
	}
	i.Method, i.Organizer = l.Method, ics.Guest{Name: s.Business.Name, Address: ics.Mailto(organizer)}
	if l.Method == ics.Cancel {
		i.URL = ""
	}
	l.Invite = i.Encode()
	return l, nil
}

// entry is the visit as it stands in the client's calendar.
func (s Subject) entry(now span.Instant) (ics.Invitation, error) {
	x, err := s.in()
	about := []string{}
	if len(s.With) > 0 {
		about = append(about, "With "+words.List(s.With, "and"))
	}
	about = append(about, "Reference "+s.Booking.Reference)
	if s.Manage != "" && s.Booking.Status != store.Cancelled {
		about = append(about, "To move or cancel it: "+s.Manage)
	}
	return ics.Invitation{UID: uid(s.Booking), Stamp: now, Sequence: s.Booking.Sequence, Visit: s.Visit.During(), Zone: x.Zone, Summary: s.Service.Name + ", " + s.Business.Name,
		Description: strings.Join(about, "\n"), Location: s.Where.Words, URL: s.Manage, Tentative: s.Booking.Status == store.Pending,
		Client: ics.Guest{Name: cmp.Or(s.Booking.ClientName, s.Booking.ClientMail), Address: ics.Mailto(s.Booking.ClientMail)}}, err
}

// Calendar returns bookings of a client as a calendar that tells of them: the cancelled ones
// are not in it. Of the one that is managed at an address, that is told.
func Calendar(tx store.Tx, list []store.Booking, managed store.ID, manage string, now span.Instant) ([]byte, error) {
	name := ""
	var entries []ics.Invitation
	for _, k := range list {
		if k.Status != store.Confirmed && k.Status != store.Pending {
			continue
		}
		s, err := SubjectOf(tx, k.ID, "")
		if err != nil {
			return nil, err
		}
		if k.ID == managed {
			s.Manage = manage
		}
		entry, err := s.entry(now)
		if err != nil {
			return nil, err
		}
		name, entries = s.Business.Name, append(entries, entry)
	}
	return ics.Published(name, entries), nil
}
