package client

import (
	"cmp"
	"context"
	"fmt"
	"math"
	"slices"

	"niche/core/colour"
	"niche/core/hours"
	"niche/core/offer"
	"niche/core/question"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/place"
	"niche/internal/schedule"
	"niche/internal/secret"
	"niche/internal/store"
	"niche/internal/words"
)

// Page is what a client sees of a service. Times are in the client's zone.
type Page struct {
	Business  string              `json:"business"`
	Home      string              `json:"home" doc:"The business's zone."`
	Zone      string              `json:"zone" doc:"The zone in which times are shown."`
	Service   string              `json:"service"`
	Title     string              `json:"title" doc:"The heading of the page: the service's name, or words of its own."`
	Choose    string              `json:"choose" doc:"The heading of the starts, or empty."`
	Details   string              `json:"details" doc:"The heading of the form, or empty."`
	Length    string              `json:"length" doc:"As people say it: 90 min."`
	Minutes   int                 `json:"minutes" doc:"The same as a number."`
	Place     string              `json:"place"`
	Staff     []store.NamedID     `json:"staff" doc:"Who can be asked for; empty when all of them take part."`
	Lengths   []PageLength        `json:"lengths" doc:"The lengths that can be chosen; empty when there is one."`
	Places    int                 `json:"places" doc:"The places of one visit."`
	Venue     string              `json:"venue" enum:"ours,theirs,telephone,online" doc:"Of one at theirs, clients are asked for their address."`
	Phone     string              `json:"phone" enum:"no,may,must" doc:"Whether a telephone number is asked for."`
	Intro     string              `json:"intro" doc:"Below the heading; or empty."`
	Next      string              `json:"next" doc:"What the button says once a start is chosen; empty for the usual."`
	Button    string              `json:"button" doc:"What the last button says; empty for the usual."`
	Scheme    string              `json:"scheme" enum:"light,dark," doc:"Empty for as the client likes."`
	Accent    *words.Accent       `json:"accent,omitempty" doc:"Left out for the usual."`
	Form      string              `json:"form" doc:"To be sent with a booking: it says when the page was looked at."`
	ProveMail bool                `json:"proveMail" doc:"The mail address has to be proved by a code."`
	Price     string              `json:"price" doc:"What each place costs, where it is paid before the visit stands; or empty."`
	Asks      []question.Question `json:"asks" doc:"The service's questions."`
	Paused    bool                `json:"paused" doc:"Nothing can be booked for the time being."`
	From      int                 `json:"from" doc:"Minute of the day at which the days begin on the left."`
	To        int                 `json:"to"`
	Marks     []DayMark           `json:"marks"`
	Days      []PageDay           `json:"days"`
	Soonest   []api.Start         `json:"soonest"`
	Earlier   string              `json:"earlier" doc:"The date from which the days before are asked for, or empty."`
	Later     string              `json:"later" doc:"The date from which the days after are asked for, or empty."`
}

// PageLength is a length that can be chosen.
type PageLength struct {
	Minutes int    `json:"minutes"`
	Label   string `json:"label"`
}

// DayMark is an hour on the axis.
type DayMark struct {
	Minute int    `json:"minute"`
	Label  string `json:"label"`
}

// PageDay is one day of a page.
type PageDay struct {
	Date   string      `json:"date" format:"date"`
	Title  string      `json:"title"`
	Sub    string      `json:"sub"`
	Open   []DayPart   `json:"open"`
	Starts []PageStart `json:"starts"`
	Note   string      `json:"note" doc:"Why there is nothing, or empty."`
}

// DayPart is a part of a day in minutes of its clock.
type DayPart struct {
	From int `json:"from"`
	To   int `json:"to"`
}

// PageStart is an offered start.
type PageStart struct {
	At     span.Instant `json:"at" format:"date-time"`
	Minute int          `json:"minute"`
	Label  string       `json:"label"`
	Full   string       `json:"full" doc:"The whole visit: Friday 27 November, 14:00–15:30."`
	Staff  []store.ID   `json:"staff" doc:"Who can take it."`
	Left   int          `json:"left" doc:"Places left."`
}

// SlugPath is the last part of a page's address.
type SlugPath struct {
	Slug string `path:"slug" maxLength:"80"`
}

func (s *Client) bySlug(db store.Tx, slug string) (store.Service, error) {
	row, err := db.ServiceBySlug(slug)
	if store.IsMissing(err) {
		// An address that a page had is one of it for ever.
		var former store.FormerSlug
		if former, err = db.FormerSlug(slug); err == nil {
			row, err = db.Service(former.ServiceID)
		}
	}
	return row, api.Found(err, "page")
}

// pageDays is how many days a page shows at once.
const pageDays = 7

// PageQuery says of which page which days are wanted.
type PageQuery struct {
	SlugPath
	From   string   `query:"from" doc:"The first date, in the client's zone; today when empty."`
	Zone   string   `query:"zone" doc:"The client's zone; the business's when empty."`
	Staff  store.ID `query:"staff" doc:"Only starts of this staff member; 0 for anyone."`
	Length int      `query:"length" minimum:"0" maximum:"1440" doc:"One of the service's lengths; the first when 0."`
	Places int      `query:"places" minimum:"0" maximum:"1000" doc:"Places asked for."`
	Moving string   `query:"moving" maxLength:"100" doc:"The token of a booking that is to be moved: it does not stand in its own way."`
	Clock  string   `query:"clock" enum:"12,24" default:"24"`
}

func (s *Client) getPage(ctx context.Context, in *PageQuery) (*api.Body[Page], error) {
	return api.Answer(s.page(ctx, in))
}

// page returns what a client sees, which all share who ask for it at the same moment.
func (s *Client) page(ctx context.Context, in *PageQuery) (Page, error) {
	return s.pages.Do(ctx, *in, func(ctx context.Context) (Page, error) { return s.lay(ctx, in) })
}

// lay reads what a page shows.
func (s *Client) lay(ctx context.Context, in *PageQuery) (Page, error) {
	w, err := s.wanted(s.DB.Read(ctx), in)
	if err != nil {
		return Page{}, err
	}
	service, business, home, zone, staff := w.service, w.business, w.home, w.zone, w.staff
	today := zone.DateAt(w.now)
	// By the client's clock the last date can be the one after.
	last := max(today, schedule.Rules(service, home.DateAt(w.now)).Window.Last(home.DateAt(w.now))+1)
	first := today
	if in.From != "" {
		if first, err = hours.ParseDate(in.From); err != nil {
			return Page{}, api.Wrong("query.from", err.Error())
		}
		first = min(max(first, today), last)
	}
	page := Page{Business: business.Name, Home: home.String(), Zone: zone.String(), Service: service.Name, Place: place.Usually(service), Venue: string(service.Venue),
		Length: words.Length(w.length), Minutes: int(w.length), Staff: []store.NamedID{}, Soonest: []api.Start{}, Lengths: []PageLength{}, Places: service.Places, Paused: service.Paused,
		Phone: string(asksPhone(service)), Asks: append([]question.Question{}, service.Questions...)}
	page.Title, page.Choose, page.Details = cmp.Or(service.Look.Title, service.Name), service.Look.Choose, service.Look.Details
	page.Next = service.Look.Next
	page.Intro, page.Button, page.Scheme, page.Form, page.ProveMail = service.Look.Intro, service.Look.Book, service.Look.Scheme, s.formAt(w.now), service.ProveMail
	if c, ok := colour.Parse(service.Look.Accent); ok {
		accent := words.AccentOf(c)
		page.Accent = &accent
	}
	if service.Prepaid > 0 && !w.moving {
		page.Price = words.Money(service.Prepaid, business.Currency)
	}
	if len(service.Lengths) > 0 && !w.moving {
		for _, l := range append([]span.Minutes{service.Length}, service.Lengths...) {
			page.Lengths = append(page.Lengths, PageLength{int(l), words.Length(l)})
		}
	}
	for _, m := range staff {
		if service.Staffing == string(offer.AllOfThem) {
			break
		}
		page.Staff = append(page.Staff, store.NamedID{ID: m.ID, Name: m.Name})
	}
	// A date of the client's zone can reach into three dates of the business's.
	q, err := s.question(w, today-1, last+1)
	if err != nil {
		return Page{}, err
	}
	a := q.Answer()
	view := pageView{api.OfferView{In: words.In{Zone: zone, Twelve: in.Clock == "12"}, Today: today, Length: w.length}, a}
	view.fill(&page, first, min(first+pageDays-1, last))
	if first > today {
		page.Earlier = max(first-pageDays, today).String()
	}
	if next := first + pageDays; next <= last {
		page.Later = next.String()
	}
	return page, nil
}

// wanted is what a client looks for on a page.
type wanted struct {
	db         store.Tx
	now        span.Instant
	service    store.Service
	business   store.Business
	home, zone hours.Zone
	staff      []store.Staff // who perform the service
	asked      store.ID      // who of them is asked for; 0 for anyone
	length     span.Minutes
	places     int
	moving     bool // a visit is moved, and does not stand in its own way
	without    schedule.Without
}

// wanted reads what a client looks for.
func (s *Client) wanted(db store.Tx, in *PageQuery) (w wanted, err error) {
	w = wanted{db: db, now: span.At(s.Now()), places: in.Places}
	if w.service, err = s.bySlug(db, in.Slug); err != nil {
		return w, err
	}
	if w.business, err = db.Business(); err != nil {
		return w, err
	}
	if w.home, err = hours.LoadZone(w.business.Zone); err != nil {
		return w, err
	}
	w.zone = w.home
	if in.Zone != "" {
		if w.zone, err = hours.LoadZone(in.Zone); err != nil {
			return w, api.Wrong("query.zone", err.Error())
		}
	}
	if w.length, err = lengthOf(w.service, in.Length, "query.length"); err != nil {
		return w, err
	}
	moved, isMove, err := s.moving(db, in.Moving)
	if err != nil {
		return w, err
	}
	if w.moving = isMove; isMove {
		w.length, w.places, w.without = moved.Length, moved.Places, moved.Without
	}
	if w.service.Staffing != string(offer.AllOfThem) {
		w.asked = in.Staff
	}
	w.staff, err = db.Performers(w.service.ID)
	return w, err
}

// question makes the question about what is wanted from one date of the business's to another. Nobody is
// asked while the service is not to be booked.
func (s *Client) question(w wanted, from, to hours.LocalDate) (offer.Question, error) {
	staff := w.staff
	if w.asked != 0 {
		staff = slices.DeleteFunc(slices.Clone(staff), func(m store.Staff) bool { return m.ID != w.asked })
	}
	q, err := schedule.Question(w.db, schedule.Asked{Now: w.now, Service: w.service, Length: w.length, Places: w.places, From: from, To: to, Staff: staff, Without: w.without})
	if w.service.Paused {
		q.Staff = nil
	}
	return q, err
}

// asksPhone says whether clients are asked for a telephone number: who is called has to say it.
func asksPhone(s store.Service) store.Asking {
	if s.Venue == store.ByTelephone {
		return store.MustSay
	}
	return s.AskPhone
}

// always is all time.
var always = span.Between(math.MinInt64, math.MaxInt64)

// pageView lays an answer out by days of the client's zone.
type pageView struct {
	api.OfferView
	answer offer.Answer
}

// fill adds the days from..to, the axis and the soonest starts.
func (v pageView) fill(page *Page, from, to hours.LocalDate) {
	for _, o := range v.answer.OffersIn(always, 3) {
		page.Soonest = append(page.Soonest, v.Start(o))
	}
	var all []span.Span
	for _, l := range v.answer.Lanes {
		all = append(all, l.Open.Spans()...)
	}
	open := span.Of(all)
	offsets := v.Zone.Over(from, to+1)
	page.From, page.To = 24*60, 0
	for d := from; d <= to; d++ {
		day := span.Between(offsets.Starting(d, 0), offsets.Ending(d+1, 0))
		out := PageDay{Date: d.String(), Title: v.title(d), Sub: v.sub(d), Open: []DayPart{}, Starts: []PageStart{}}
		minute := func(i span.Instant) int {
			date, m := offsets.Wall(i)
			return m + 1440*int(date-d)
		}
		for _, p := range open.Clip(day).Spans() {
			part := DayPart{minute(p.Start()), minute(p.End())}
			out.Open = append(out.Open, part)
			page.From, page.To = min(page.From, part.From), max(page.To, part.To)
		}
		for _, o := range v.answer.OffersIn(day, math.MaxInt) {
			out.Starts = append(out.Starts, PageStart{o.At, minute(o.At), v.Clock(o.At), v.Full(o.At), api.IDs(o.Staff), o.Left})
		}
		if len(out.Starts) == 0 {
			out.Note = v.nothing(day, len(out.Open) > 0)
			if page.Paused {
				out.Note = "Not bookable at present"
			}
		}
		page.Days = append(page.Days, out)
	}
	if page.To <= page.From {
		page.From, page.To = 9*60, 17*60
	}
	page.From, page.To = max(0, (page.From-30)/60*60), min(1440, (page.To+89)/60*60)
	page.Marks = []DayMark{}
	for m := (page.From/60 + 1) * 60; m < page.To; m += 60 {
		label := fmt.Sprintf("%02d:00", m/60)
		if v.Twelve {
			label = fmt.Sprintf("%d %s", (m/60+11)%12+1, []string{"am", "pm"}[m/720])
		}
		page.Marks = append(page.Marks, DayMark{m, label})
	}
}

func (v pageView) title(d hours.LocalDate) string {
	if d-v.Today < 2 {
		return v.DayName(d)
	}
	return d.Weekday().String()
}

// sub is the rest of a day's name.
func (v pageView) sub(d hours.LocalDate) string {
	if d-v.Today < 2 {
		return d.Time().Format("Mon 2 Jan")
	}
	return d.Time().Format("2 Jan")
}

// nothing says why a day has no start.
func (v pageView) nothing(day span.Span, open bool) string {
	if !open {
		return "Closed"
	}
	counts := map[offer.Code]int{}
	for _, l := range v.answer.Lanes {
		for _, s := range l.Starts {
			if day.Contains(s.At) {
				counts[s.Refused.First()]++
			}
		}
	}
	others := len(counts)
	for _, c := range []offer.Code{offer.CodePast, offer.CodeNotice, offer.CodeWindow} {
		if counts[c] > 0 {
			others--
		}
	}
	switch {
	case others > 0:
		for _, o := range v.answer.OffersIn(span.Between(day.End(), always.End()), 1) {
			return "Fully taken – next is " + v.Local(o.At).Format("Monday ") + v.Clock(o.At)
		}
		return "Fully taken"
	case counts[offer.CodeWindow] > 0:
		return "Not open for booking yet"
	}
	return "Too short notice to book online"
}

// moving is what is known of a client's booking that is to be moved: its length
// and places, and the visit that does not stand in the way because nobody else
// is on it.
type moving struct {
	Length  span.Minutes
	Places  int
	Without schedule.Without
}

func (s *Client) moving(db store.Tx, token string) (m moving, ok bool, err error) {
	if token == "" {
		return m, false, nil
	}
	row, err := db.BookingToMove(secret.Hash(token))
	if store.IsMissing(err) {
		return m, false, nil
	}
	if err != nil {
		return m, false, err
	}
	m = moving{Length: row.During().Minutes(), Places: row.Places}
	if row.Others == 0 {
		m.Without.Visits = []store.ID{row.ID}
	}
	return m, true, nil
}
