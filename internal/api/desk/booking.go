package desk

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"

	"niche/core/hours"
	"niche/core/question"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/people"
	"niche/internal/place"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// ShownBooking is a booking with all that is known of it.
type ShownBooking struct {
	FoundBooking
	ServiceID  store.ID          `json:"serviceId"`
	Length     int               `json:"length" doc:"Of the visit, in minutes."`
	StaffIDs   []store.NamedID   `json:"staffIds"`
	Things     []string          `json:"things" doc:"Rooms and equipment."`
	Place      string            `json:"place"`
	Link       string            `json:"link" doc:"The address of the meeting room of a visit online; empty where there is none (yet)."`
	Room       string            `json:"room" doc:"Why there is no meeting room yet, or empty."`
	Zone       string            `json:"zone" doc:"The client's own."`
	Picked     string            `json:"picked" doc:"How its staff were picked."`
	Overruled  string            `json:"overruled" doc:"Why it was taken or moved though rules refused it; or empty."`
	Until      string            `json:"until" doc:"How long it is until the visit, or since, in words."`
	Others     []FoundBooking    `json:"others" doc:"Others on the same visit."`
	ClientID   store.ID          `json:"clientId" doc:"The client as a person; 0 for one who was erased."`
	Before     int               `json:"before" doc:"How many visits the client had before this one."`
	MissedThen int               `json:"missedThen" doc:"How many of those they missed."`
	Copies     []ShownCopy       `json:"copies"`
	Answers    []question.Answer `json:"answers" doc:"What the client said to the questions, with the wording of then."`
	Coming     string            `json:"coming" doc:"What the client has answered to the invitation that is out, with when; empty where there is none."`
	Wish       *ShownWish        `json:"wish,omitempty" doc:"A time that the client would rather have."`
	Messages   []ShownMessage    `json:"messages" doc:"What its client was told or will be, the newest first."`
	Payment    *ShownPayment     `json:"payment,omitempty" doc:"What was paid for it."`
	Clash      string            `json:"clash" doc:"What lies on the visit, or empty."`
	Happened   []Happened        `json:"happened" doc:"What happened to it, the last first."`
}

// ShownWish is a time that a client would rather have.
type ShownWish struct {
	Start span.Instant `json:"start" format:"date-time"`
	Date  string       `json:"date" format:"date" doc:"On the business's clock."`
	Words string       `json:"words"`
}

// ShownCopy is a copy of a visit, and how it stands.
type ShownCopy struct {
	ID       store.ID `json:"id"`
	Calendar string   `json:"calendar"`
	Staff    string   `json:"staff"`
	Part     string   `json:"part" doc:"before or after for the time around the visit, or empty."`
	State    string   `json:"state" enum:"waiting,written,read back,doubted,adrift,failed,removed,left"`
	Going    bool     `json:"going" doc:"It is to be removed."`
	Words    string   `json:"words" doc:"When it was looked at last, and what is wrong."`
}

// Happened is something that happened to a booking.
type Happened struct {
	At    span.Instant `json:"at" format:"date-time"`
	When  string       `json:"when"`
	Kind  string       `json:"kind" enum:"booking,copy,clash"`
	Words string       `json:"words"`
	More  string       `json:"more" doc:"From what to what, or empty."`
}

func (s *Desk) getBooking(ctx context.Context, in *struct {
	api.IDPath
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[ShownBooking], error) {
	db := s.DB.Read(ctx)
	text, err := inZone(db, in.Clock)
	if err != nil {
		return nil, err
	}
	out, err := s.showBooking(db, in.ID, text)
	return api.Answer(out, api.Found(err, "booking"))
}

func (s *Desk) showBooking(db store.Tx, id store.ID, text words.In) (out ShownBooking, err error) {
	k, err := db.Booking(id)
	if err != nil || k.Status == store.Held {
		return out, cmp.Or(err, store.ErrNotFound)
	}
	v, err := db.Visit(k.VisitID)
	if err != nil {
		return out, err
	}
	service, err := db.Service(v.ServiceID)
	if err != nil {
		return out, err
	}
	at, err := place.Of(db, service, v, k)
	if err != nil {
		return out, err
	}
	now := span.At(s.Now())
	found := func(b store.Booking) FoundBooking {
		return renderFound(store.FoundBooking{Booking: b, Service: service.Name, Start: v.Start, End: v.End}, text, now)
	}
	out = ShownBooking{FoundBooking: found(k), ServiceID: service.ID, Length: int(v.During().Minutes()), Place: at.Words, Link: at.Link, Zone: k.ClientZone, Picked: k.Picked, Overruled: k.Overruled,
		StaffIDs: []store.NamedID{}, Things: []string{}, Others: []FoundBooking{}, Copies: []ShownCopy{}, Happened: []Happened{}, Until: until(v, now)}
	ids, err := db.VisitStaff(v.ID)
	if err != nil {
		return out, err
	}
	names, err := db.StaffNames()
	if err != nil {
		return out, err
	}
	var who []string
	for _, id := range ids {
		out.StaffIDs, who = append(out.StaffIDs, store.NamedID{ID: id, Name: names[id]}), append(who, names[id])
	}
	out.Staff = words.List(who, "and")
	things, err := db.VisitResources([]store.ID{v.ID})
	if err != nil {
		return out, err
	}
	for _, t := range things {
		r, err := db.Resource(t.ResourceID)
		if err != nil {
			return out, err
		}
		out.Things = append(out.Things, r.Name)
	}
	on, err := db.BookingsOn(v.ID)
	if err != nil {
		return out, err
	}
	for _, o := range on {
		if o.ID != k.ID && o.Status != store.Held {
			out.Others = append(out.Others, found(o))
		}
	}
	earlier, err := db.ClientBefore(k.ClientID, v.Start)
	if err != nil {
		return out, err
	}
	if k.ClientID != 0 {
		client, err := db.Client(k.ClientID)
		if err != nil {
			return out, err
		}
		out.ClientID = client.Root
	}
	out.Answers = append([]question.Answer{}, k.Answers...)
	if out.Messages, err = shownMessages(db, k.ID, text); err != nil {
		return out, err
	}
	server, err := db.MailServer()
	if err != nil && !store.IsMissing(err) {
		return out, err
	}
	out.Coming, out.Wish = coming(k, out.Messages, s.Messages.Hears && server.Answers != "" && !service.Messages.NoInvite, text)
	out.Before, out.MissedThen = earlier.Before, earlier.Missed
	paid, err := db.PaymentOf(k.ID)
	if err != nil {
		return out, err
	}
	if paid.ID != 0 {
		out.Payment = &ShownPayment{words.Money(paid.Amount, paid.Currency), string(paid.State), k.ID, text.Moment(paid.MadeAt), paid.Error}
	}
	meeting, err := db.MeetingOf(v.ID)
	if err != nil {
		return out, err
	}
	if meeting.ID != 0 && !meeting.Made {
		out.Room = cmp.Or(meeting.Error, "The meeting room is being made.")
	}
	return out, happenings(db, &out, k, v, text)
}

// coming says what a client has answered, and what they wish. That there is no answer yet is
// only known where answers are heard.
func coming(k store.Booking, sent []ShownMessage, hears bool, text words.In) (said string, wish *ShownWish) {
	if start, end, ok := k.Wish(); ok {
		wish = &ShownWish{start, text.Local(start).Format("2006-01-02"), text.Local(start).Format("Mon 2 Jan, ") + text.Stretch(span.Between(start, end)).Label}
	}
	if answer := words.OfAnswer(k.Answer()); answer != "" {
		said = answer + ", answered " + text.Moment(k.AnsweredAt)
		if k.AnswerComment != "" {
			said += ": “" + k.AnswerComment + "”"
		}
		return said, wish
	}
	invited := slices.ContainsFunc(sent, func(m ShownMessage) bool { return m.State == string(store.MessageSent) && m.Invited })
	if invited && hears && k.Status == store.Confirmed {
		said = "no answer yet"
	}
	return said, wish
}

// happenings fills what stands outside, and what happened.
func happenings(db store.Tx, out *ShownBooking, k store.Booking, v store.Visit, text words.In) error {
	add := func(at span.Instant, kind, said, more string) {
		if at > 0 {
			out.Happened = append(out.Happened, Happened{at, text.Moment(at), kind, said, more})
		}
	}
	copies, err := db.CopiesWithPlaces(v.ID)
	if err != nil {
		return err
	}
	for _, c := range copies {
		shown := ShownCopy{ID: c.ID, Calendar: c.Calendar, Staff: c.Staff, Part: string(c.Part), State: string(c.State), Going: !c.Wanted, Words: c.Error}
		if c.TriedAt > 0 {
			shown.Words = strings.TrimSpace("looked at " + text.Moment(c.TriedAt) + ". " + c.Error)
		}
		out.Copies = append(out.Copies, shown)
		if c.Part == store.VisitItself && c.Wanted {
			add(c.TriedAt, "copy", fmt.Sprintf("Copy in %s: %s", c.Calendar, c.State), c.Error)
		}
	}
	clashes, err := db.OpenClashesOf(v.ID)
	if err != nil {
		return err
	}
	for _, c := range clashes {
		in, err := db.Calendar(c.CalendarID)
		if err != nil {
			return err
		}
		out.Clash = fmt.Sprintf("A personal event in “%s” lies on it, %s.", in.Name, text.Stretch(span.Between(c.Start, c.End)).Label)
		add(c.FoundAt, "clash", out.Clash, "")
	}
	paid, err := db.PaymentOf(k.ID)
	if err != nil {
		return err
	}
	if paid.PaidAt > 0 {
		add(paid.PaidAt, "booking", words.Money(paid.Amount, paid.Currency)+" was paid", "")
	}
	if paid.RefundedAt > 0 {
		add(paid.RefundedAt, "booking", words.Money(paid.Amount, paid.Currency)+" went back", paid.Why)
	}
	rows, err := db.Trail(store.TrailOf{Kinds: []string{"booking"}, Thing: k.ID, Most: store.PageSize})
	if err != nil {
		return err
	}
	for _, r := range rows {
		e := renderEntry(r, text)
		var more []string
		for _, c := range e.Changes {
			if c.Field == "start" || c.Field == "anyway" {
				more = append(more, changed(c))
			}
		}
		who := cmp.Or(e.Who, "Niche")
		if r.Deed == "took" && k.MadeBy == "" && r.Role == string(people.RoleAdministrator) {
			// Somebody of the desk may book on the clients' page too: that is no booking of the desk's.
			more = append(more, "on the page, in a browser in which "+who+" was signed in")
			who = "a client"
		}
		add(r.At, "booking", words.Capital(words.OfBooking(who, r.Deed)), strings.Join(more, "; "))
	}
	slices.SortStableFunc(out.Happened, func(a, b Happened) int { return cmp.Compare(b.At, a.At) })
	return nil
}

// changed says what became of a field.
func changed(c TrailChange) string {
	switch {
	case c.Field == "anyway":
		return fmt.Sprintf("rules were overruled: “%v”", c.To)
	case c.From == nil:
		return fmt.Sprintf("%v", c.To)
	}
	return fmt.Sprintf("from %v to %v", c.From, c.To)
}

// until says how far a visit is away.
func until(v store.Visit, now span.Instant) string {
	away := func(seconds span.Instant) string {
		switch days := seconds / 86400; {
		case days > 1:
			return fmt.Sprintf("%d days", days)
		case seconds >= 2*3600:
			return words.Count(int(seconds/3600), "hour")
		}
		return words.Count(int(max(1, seconds/60)), "minute")
	}
	switch {
	case v.Start > now:
		return "in " + away(v.Start-now)
	case v.End > now:
		return "now"
	}
	return away(now-v.End) + " ago"
}

// PlacesOf are the starts of one person to which a booking could move, or could not.
type PlacesOf struct {
	Staff  store.ID    `json:"staff"`
	Starts []MovePlace `json:"starts"`
}

// MovePlace is one of them.
type MovePlace struct {
	At      span.Instant `json:"at" format:"date-time"`
	Label   string       `json:"label"`
	Reasons []string     `json:"reasons" doc:"Codes of why it is refused; empty when it is offered."`
}

func (s *Desk) listPlaces(ctx context.Context, in *struct {
	api.IDPath
	Date  string `query:"date" format:"date" required:"true"`
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[api.List[PlacesOf]], error) {
	date, err := hours.ParseDate(in.Date)
	if err != nil {
		return nil, api.Wrong("query.date", "This is not a date, as in 2026-03-02.")
	}
	text, err := inZone(s.DB.Read(ctx), in.Clock)
	if err != nil {
		return nil, err
	}
	found, err := s.Bookings.Places(ctx, in.ID, date)
	if errors.Is(err, booking.ErrNotMovable) {
		return nil, api.NewProblem(http.StatusConflict, "Only a confirmed booking can be moved.")
	}
	if err != nil {
		return nil, api.Found(err, "booking")
	}
	out := api.List[PlacesOf]{Items: []PlacesOf{}}
	for staff, places := range found {
		p := PlacesOf{staff, []MovePlace{}}
		for _, pl := range places {
			m := MovePlace{pl.At, text.Clock(pl.At), []string{}}
			for _, c := range pl.Reasons {
				m.Reasons = append(m.Reasons, string(c))
			}
			p.Starts = append(p.Starts, m)
		}
		out.Items = append(out.Items, p)
	}
	slices.SortFunc(out.Items, func(a, b PlacesOf) int { return cmp.Compare(a.Staff, b.Staff) })
	return api.Answer(out, nil)
}

// BookingNote is what the desk notes of a booking.
type BookingNote struct {
	Note   string `json:"note" maxLength:"2000" doc:"No client sees it."`
	Missed bool   `json:"missed" doc:"The client did not come."`
}

func (s *Desk) noteBooking(ctx context.Context, in *struct {
	api.IDPath
	Body BookingNote
}) (*struct{}, error) {
	err := s.Bookings.Note(ctx, in.ID, strings.TrimSpace(in.Body.Note), in.Body.Missed)
	if errors.Is(err, booking.ErrNotOver) {
		return nil, api.Wrong("missed", "Nobody can have missed a visit that has not begun, or was cancelled.")
	}
	return nil, api.Found(err, "booking")
}

// DeskBooking is a booking that is made at the desk.
type DeskBooking struct {
	api.Asked
	DeskStart
	Service store.ID `json:"service"`
	Staff   store.ID `json:"staff" minimum:"0" doc:"With whom; 0 for anyone."`
	Length  int      `json:"length,omitempty" minimum:"0" maximum:"1440" doc:"One of the service's lengths; the first when left out."`
	Places  int      `json:"places,omitempty" minimum:"0" maximum:"1000"`
	Name    string   `json:"name" minLength:"1" maxLength:"120"`
	Email   string   `json:"email" maxLength:"254" doc:"The client's mail address; it is needed, since what they are told goes there."`
	Note    string   `json:"note,omitempty" maxLength:"2000" doc:"No client sees it."`
	Anyway  string   `json:"anyway,omitempty" maxLength:"300" doc:"Why rules are overruled: all but another booking of the same time. It needs somebody with whom."`
	Key     string   `json:"key,omitempty" minLength:"16" maxLength:"100" doc:"Made at random: the same request sent again with it gets the same booking."`
}

// AtDesk is a booking that was made at the desk.
type AtDesk struct {
	ID        store.ID `json:"id"`
	Reference string   `json:"reference"`
	Status    string   `json:"status"`
	When      string   `json:"when"`
}

func (s *Desk) bookAtDesk(ctx context.Context, in *struct{ Body DeskBooking }) (*api.Body[AtDesk], error) {
	db := s.DB.Read(ctx)
	service, err := db.Service(in.Body.Service)
	if err != nil {
		return nil, api.Found(err, "service")
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		return nil, api.Wrong("email", "This is not a mail address.")
	}
	length := span.Minutes(in.Body.Length)
	if length != 0 && length != service.Length && !slices.Contains(service.Lengths, length) {
		return nil, api.Wrong("length", "This service has no visits of this length.")
	}
	anyway := strings.TrimSpace(in.Body.Anyway)
	if anyway != "" && in.Body.Staff == 0 {
		return nil, api.Wrong("staff", "Say with whom: rules are overruled for somebody.")
	}
	start, err := in.Body.at(zone)
	if err != nil {
		return nil, err
	}
	heard, err := in.Body.Asked.Read(db, s.Files, service, zone.String(), true)
	if err != nil {
		return nil, err
	}
	taken, err := s.Bookings.Take(ctx, booking.Request{Key: in.Body.Key, Service: service.ID, Start: start, Length: cmp.Or(length, service.Length), Places: in.Body.Places, Staff: in.Body.Staff,
		ClientName: strings.TrimSpace(in.Body.Name), ClientMail: email, ClientZone: zone.String(), MadeBy: api.Who(ctx).Name, Anyway: anyway,
		Phone: heard.Phone, PhoneDigits: heard.Digits, Address: heard.Address, Answers: heard.Answers})
	text := words.In{Zone: zone}
	if errors.Is(err, booking.ErrKeyUsed) {
		return nil, api.NewProblem(http.StatusConflict, "This was sent before, for another booking.")
	}
	if err != nil {
		return nil, api.Refused(err, text, span.At(s.Now()), cmp.Or(length, service.Length))
	}
	if note := strings.TrimSpace(in.Body.Note); note != "" {
		if err := s.Bookings.Note(context.WithoutCancel(ctx), taken.Booking.ID, note, false); err != nil {
			s.Log.Error("noting on a new booking", "error", err) // it is booked all the same
		}
	}
	return api.Answer(AtDesk{taken.Booking.ID, taken.Booking.Reference, string(taken.Booking.Status), text.Moment(start)}, nil)
}
