package api

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"strings"
	"time"

	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/outbox"
	"niche/internal/people"
	"niche/internal/reading"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Choosing asks for what a calendar is for.
type Choosing struct {
	IDPath
	Over
	Copies string `query:"copies" enum:"keep,remove" doc:"What becomes of copies of visits ahead in a calendar that no longer gets bookings."`
	Body   Choice
}

// Unlinking asks for the end of a link.
type Unlinking struct {
	IDPath
	Copies string `query:"copies" enum:"remove,leave" doc:"What becomes of copies of visits ahead in its calendars."`
}

// Renewing asks for a link to get a new key.
type Renewing struct {
	IDPath
	Body Renewal
}

// Renewal is a new key of a link.
type Renewal struct {
	Password string `json:"password,omitempty" maxLength:"500" doc:"The new app password of an account."`
	Address  string `json:"address,omitempty" maxLength:"2000" doc:"The new address of a published calendar."`
}

// Links is what administrators and staff members do with links alike. Whose a link may
// be, they find out before.
type Links struct {
	DB     *store.DB
	Links  *link.Links
	Runner *work.Runner
	Hub    *live.Hub
	Log    *slog.Logger
	Now    func() time.Time
	// Quiet ends what goes on with a link that is about to be taken away, so that nothing of it stays outside.
	Quiet func(ctx context.Context, link store.ID) error
}

// Link is a staff member's connection to one outside account or feed.
type Link struct {
	ID        store.ID     `json:"id"`
	Kind      string       `json:"kind" enum:"account,feed"`
	Host      string       `json:"host" doc:"What its host is called."`
	At        string       `json:"at" doc:"The host itself."`
	Username  string       `json:"username" doc:"Empty for a feed."`
	SignsInAt store.ID     `json:"signsInAt" doc:"The calendar host at which its owner signed in, and signs in again; 0 for a link with a password or an address."`
	ByConsent bool         `json:"byConsent" doc:"Its owner signed in at the host."`
	CreatedAt span.Instant `json:"createdAt" format:"date-time"`
	Error     string       `json:"error" doc:"Why its calendars could not be listed the last time, in plain words, or empty."`
	Wishes    LinkWishes   `json:"wishes"`
	Closing   bool         `json:"closing" doc:"It is being taken away, and goes once its copies are gone."`
	Left      int          `json:"left" doc:"How many copies are still to be removed, of one that is closing."`
	Calendars []Calendar   `json:"calendars"`
	Proof     *LastProof   `json:"proof,omitempty" doc:"The last one; left out where it was never proved."`
}

// LastProof is the last proof of a link that has come to an end.
type LastProof struct {
	ID    store.ID `json:"id"`
	Held  bool     `json:"held"`
	Words string   `json:"words" doc:"What came of it."`
	When  string   `json:"when"`
}

// Calendar is one calendar inside a link.
type Calendar struct {
	Choice
	Week     []StripDay `json:"week" doc:"The seven days from today; empty where it is not read."`
	ID       store.ID   `json:"id"`
	Version  int64      `json:"version"`
	Name     string     `json:"name"`
	Colour   string     `json:"colour" doc:"As the host states it, #rrggbb, or empty."`
	CanWrite bool       `json:"canWrite"`
	State    string     `json:"state" enum:"waiting,fresh,late,unreachable,refused,gone"`
	Error    string     `json:"error" doc:"In plain words, or empty."`
	ReadAgo  int        `json:"readAgo" doc:"Seconds since it was last read, or -1."`
	NextIn   int        `json:"nextIn" doc:"Seconds until it is read again."`
	Resting  bool       `json:"resting" doc:"Its host did not answer and is left alone until then."`
	Events   int        `json:"events" doc:"Events that are known of."`
	Ahead    int        `json:"ahead" doc:"Busy spans that lie ahead."`
	Copies   int        `json:"copies" doc:"Copies in it of visits that lie ahead."`
	Skipped  int        `json:"skipped" doc:"Events that could not be read."`
	Unread   []Unread   `json:"unread" doc:"The first of them, by date."`
}

// Unread is an event that could not be read. Its title is not known here.
type Unread struct {
	Date   string `json:"date" doc:"Of its start, or empty where that could not be read either."`
	Reason string `json:"reason"`
}

// NewLink is a CalDAV account or a feed to be linked.
type NewLink struct {
	Kind     string `json:"kind,omitempty" enum:"account,feed" default:"account"`
	Address  string `json:"address,omitempty" maxLength:"2000" doc:"The host or CalDAV address of an account, which is found by its mail address when it is left out; or the iCalendar address of a feed."`
	Username string `json:"username,omitempty" maxLength:"254" doc:"Of an account."`
	Password string `json:"password,omitempty" maxLength:"500" doc:"The app password of an account."`
	Agreed   string `json:"agreed,omitempty" maxLength:"300" doc:"The host to which the search has led, if it lies in another domain than the mail address and is right."`
}

// Choice is what a calendar is for, and how its events count.
type Choice struct {
	Blocks        bool `json:"blocks"`
	GetsBookings  bool `json:"getsBookings"`
	PadBefore     int  `json:"padBefore" required:"false" minimum:"0" maximum:"1440" doc:"Minutes kept free before its events."`
	PadAfter      int  `json:"padAfter" required:"false" minimum:"0" maximum:"1440" doc:"Minutes kept free after its events."`
	TentativeFree bool `json:"tentativeFree" required:"false" doc:"Its tentative events take no time."`
	AllDayFree    bool `json:"allDayFree" required:"false" doc:"Its all-day events take no time."`
	Titles        bool `json:"titles" required:"false" doc:"What its events are called is kept and shown, but for private ones; only its owner opens it."`
	ForeignVisits bool `json:"foreignVisits" required:"false" doc:"Its events are visits that another desk makes, and stand on the wall as such; only of one whose titles are shown."`
}

// Of returns the links of a staff member.
func (s *Links) Of(ctx context.Context, staff store.ID) (out []Link, err error) {
	out = []Link{}
	err = s.DB.View(ctx, func(tx store.Tx) error {
		rows, err := tx.LinksOf(staff)
		if err != nil {
			return err
		}
		now := span.At(s.Now())
		at := make(map[store.ID]int, len(rows))
		ids := make([]store.ID, len(rows))
		for i, r := range rows {
			out = append(out, Link{ID: r.ID, Kind: string(r.Kind), At: r.Host, Username: r.Username, CreatedAt: r.CreatedAt, Wishes: LinkWishes(r.Wishes), Error: r.Error, Closing: r.Closing, Calendars: []Calendar{}})
			if out[i].ByConsent = r.ByConsent; r.HostID != nil {
				out[i].SignsInAt = *r.HostID
			}
			if out[i].Host, err = tx.HostNamed(r); err != nil {
				return err
			}
			ids[i], at[r.ID] = r.ID, i
		}
		calendars, err := tx.CalendarRows(ids, now)
		if err != nil {
			return err
		}
		for _, c := range calendars {
			l := &out[at[c.LinkID]]
			v, err := s.calendar(tx, c, l.At, now)
			if err != nil {
				return err
			}
			l.Calendars, l.Left = append(l.Calendars, v), l.Left+c.Unfinished
		}
		if err := weeks(tx, out, staff, ids, now); err != nil {
			return err
		}
		return lastProofs(tx, out, at, ids)
	})
	return out, err
}

// maxUnread is how many events that could not be read are told of one by one.
const maxUnread = 20

// calendar renders a calendar.
func (s *Links) calendar(tx store.Tx, c store.CalendarRow, host string, now span.Instant) (Calendar, error) {
	v := Calendar{ID: c.ID, Name: c.Name, Colour: c.Colour, CanWrite: c.CanWrite, State: string(reading.StateOf(c.Calendar, now)), Error: c.Error, ReadAgo: -1,
		NextIn: int(max(0, c.NextAt-now)), Events: c.Events, Ahead: c.Ahead, Copies: c.Copies, Skipped: c.Skipped, Unread: []Unread{}, Week: []StripDay{},
		Choice: Choice{Blocks: c.Blocks, GetsBookings: c.GetsBookings, PadBefore: int(c.PadBefore), PadAfter: int(c.PadAfter),
			TentativeFree: c.TentativeFree, AllDayFree: c.AllDayFree, Titles: c.Titles, ForeignVisits: c.ForeignVisits}}
	if c.ReadAt != 0 {
		v.ReadAgo = int(max(0, now-c.ReadAt))
	}
	if rest := s.Runner.Hosts.Rest(host); !rest.IsZero() {
		v.NextIn, v.Resting = max(v.NextIn, int(rest.Sub(s.Now())/time.Second)+1), true
	}
	var err error
	if v.Version, err = tx.Version(store.CalendarChoice(c.ID)); err != nil {
		return v, err
	}
	if c.Skipped > 0 {
		unread, err := tx.UnreadOf(c.ID, maxUnread)
		if err != nil {
			return v, err
		}
		for _, u := range unread {
			v.Unread = append(v.Unread, Unread{u.Date, u.Reason})
		}
	}
	return v, nil
}

// makeLink makes the link that was asked for, or says what keeps it from being
// made.
func (s *Links) make(ctx context.Context, staff store.ID, l NewLink) (store.Link, words.Fault, error) {
	if l.Kind == string(store.FeedLink) {
		row, err := s.Links.AddFeed(ctx, staff, l.Address)
		return row, words.OfFeed(err), err
	}
	p := NewProblem(http.StatusUnprocessableEntity, "Something is missing.")
	if l.Username == "" {
		p.Errors = append(p.Errors, FieldError{Field: "username", Message: "Give the user name of the account."})
	}
	if l.Password == "" {
		p.Errors = append(p.Errors, FieldError{Field: "password", Message: "Give an app password for the account."})
	}
	if len(p.Errors) > 0 {
		return store.Link{}, words.Fault{}, p
	}
	if l.Address == "" {
		return s.find(ctx, staff, l)
	}
	row, err := s.Links.Add(ctx, staff, l.Address, l.Username, l.Password)
	fault := words.Of(err)
	if !strings.Contains(l.Address, "://") {
		fault = fault.Guessed(link.Whole(l.Address))
	}
	return row, fault, err
}

// find makes the link of a mail address whose host is not said.
func (s *Links) find(ctx context.Context, staff store.ID, l NewLink) (store.Link, words.Fault, error) {
	if !strings.Contains(l.Username, "@") {
		return store.Link{}, words.Fault{}, Wrong("address", "Give the host or CalDAV address; or a mail address as the user, by which it is looked for.")
	}
	row, err := s.Links.Find(ctx, staff, l.Username, l.Password, l.Agreed)
	var elsewhere link.Elsewhere
	switch {
	case errors.As(err, &elsewhere):
		p := NewProblem(http.StatusConflict, "This mail address has its calendars at "+elsewhere.Host+", says the DNS. If that is the host, the app password is sent there.")
		p.Host = elsewhere.Host
		return row, words.Fault{}, p
	case errors.Is(err, link.ErrNotLocated):
		return row, words.Fault{}, Wrong("address", "The calendar host of this mail address could not be found. Give its host or CalDAV address.")
	}
	return row, words.Of(err), err
}

// asksForCopies turns the question what becomes of copies into an answer, and passes
// other errors on.
func asksForCopies(err error, detail string) error {
	var ahead link.CopiesAhead
	if !errors.As(err, &ahead) {
		return err
	}
	p := NewProblem(http.StatusConflict, detail)
	p.Copies = ahead.Count
	return p
}

// Calendar returns a calendar; ErrNotFound where there is none.
func (s *Links) Calendar(ctx context.Context, id store.ID) (out Calendar, err error) {
	err = s.DB.View(ctx, func(tx store.Tx) error {
		c, err := tx.Calendar(id)
		if err != nil {
			return err
		}
		l, err := tx.Link(c.LinkID)
		if err != nil {
			return err
		}
		rows, err := tx.CalendarRows([]store.ID{c.LinkID}, span.At(s.Now()))
		if err != nil {
			return err
		}
		for _, r := range rows {
			if r.ID == id {
				out, err = s.calendar(tx, r, l.Host, span.At(s.Now()))
			}
		}
		return err
	})
	return out, err
}

// Add links what was asked for to a staff member.
func (s *Links) Add(ctx context.Context, staff store.ID, l NewLink) (Link, error) {
	row, f, err := s.make(ctx, staff, l)
	if err != nil {
		if _, told := errors.AsType[*Problem](err); told {
			return Link{}, err
		}
		s.Log.Info("linking an account", "staff", staff, "error", err)
		if f.Field == "" {
			return Link{}, NewProblem(http.StatusBadGateway, f.Text)
		}
		return Link{}, Wrong(f.Field, f.Text)
	}
	s.Runner.Wake()
	s.Hub.Tell(live.Calendars)
	links, err := s.Of(ctx, staff)
	if err != nil {
		return Link{}, err
	}
	for _, l := range links {
		if l.ID == row.ID {
			return l, nil
		}
	}
	return Link{}, errors.New("the new link is not there")
}

// Renew gives a link a new key.
func (s *Links) Renew(ctx context.Context, id store.ID, r Renewal) (Link, error) {
	l, err := s.DB.Read(ctx).Link(id)
	if err != nil {
		return Link{}, Found(err, "link")
	}
	isFeed := l.Kind == store.FeedLink
	key, field, ask, says := r.Password, "password", "Give a new app password for the account.", words.Of
	if isFeed {
		key, field, ask, says = r.Address, "address", "Give the new address of the calendar.", words.OfFeed
	}
	if key == "" {
		return Link{}, Wrong(field, ask)
	}
	if _, err := s.Links.Renew(ctx, id, key); err != nil {
		s.Log.Info("renewing a link", "link", id, "error", err)
		if errors.Is(err, link.ErrByConsent) {
			return Link{}, NewProblem(http.StatusConflict, "This link was made by signing in at the host. Its owner signs in there again, on their own pages.")
		}
		if errors.Is(err, link.ErrOtherAccount) {
			return Link{}, Wrong(field, "The host answers as another account. Link that one as a new link.")
		}
		if store.IsMissing(err) {
			return Link{}, Found(err, "link")
		}
		f := says(err)
		if f.Field != field {
			return Link{}, NewProblem(http.StatusBadGateway, f.Text)
		}
		return Link{}, Wrong(f.Field, f.Text)
	}
	s.changed()
	links, err := s.Of(ctx, l.StaffID)
	if err != nil {
		return Link{}, err
	}
	for _, l := range links {
		if l.ID == id {
			return l, nil
		}
	}
	return Link{}, Found(store.ErrNotFound, "link")
}

// Choose keeps what a calendar is for. Copies says what becomes of those of visits ahead
// in one that no longer gets bookings.
func (s *Links) Choose(ctx context.Context, id store.ID, over Over, copies string, c Choice) (Calendar, error) {
	expected, err := over.Expected(store.CalendarChoice(id))
	if err != nil {
		return Calendar{}, err
	}
	_, _, err = s.Links.Choose(ctx, id, *expected, link.Choice{Blocks: c.Blocks, GetsBookings: c.GetsBookings,
		PadBefore: span.Minutes(c.PadBefore), PadAfter: span.Minutes(c.PadAfter), TentativeFree: c.TentativeFree, AllDayFree: c.AllDayFree,
		Titles: c.Titles, ForeignVisits: c.ForeignVisits, ByOwner: Who(ctx).Role == people.RoleStaff},
		outbox.Ending(copies))
	if errors.Is(err, link.ErrReadOnly) {
		return Calendar{}, Wrong("getsBookings", "This calendar can only be read, so it cannot get bookings.")
	}
	if errors.Is(err, link.ErrNotOpened) {
		return Calendar{}, Wrong("titles", "Only the owner of a calendar opens it, in their own pages.")
	}
	current := func() (Calendar, error) { return s.Calendar(ctx, id) }
	if err != nil {
		err = asksForCopies(err, "Copies of visits ahead lie in this calendar. Say what becomes of them.")
		return Calendar{}, Found(Stale(err, current, func(c Calendar) int64 { return c.Version }), "calendar")
	}
	s.changed()
	return current()
}

// Remove takes a link away. Copies says what becomes of those of visits ahead in its
// calendars.
func (s *Links) Remove(ctx context.Context, id store.ID, copies string) error {
	if err := s.Quiet(ctx, id); err != nil {
		return fmt.Errorf("ending the proof of a link: %w", err)
	}
	if err := s.Links.Remove(ctx, id, outbox.Ending(copies)); err != nil {
		return Found(asksForCopies(err, "Copies of visits ahead lie in calendars of this link. Say what becomes of them."), "link")
	}
	s.changed()
	return nil
}

// LinkWishes are what the owner of a link wishes of the copies in it.
type LinkWishes struct {
	Drift   string        `json:"drift" enum:"ask,put back,follow" doc:"What becomes of copies that are changed outside: it is asked, they are put back, or their bookings follow when the rules allow."`
	Alarm   int           `json:"alarm" minimum:"0" maximum:"10080" doc:"How many minutes before a visit its copy reminds; 0 for not."`
	Private bool          `json:"private" doc:"Copies are marked as private, so that others who see the calendar see no words."`
	Clients store.Clients `json:"clients" enum:"named,guests,unnamed" doc:"Copies name clients in words, as attendees too to whom no calendar host writes, or by references of bookings alone."`
	Pending bool          `json:"pending" doc:"Visits that are only asked for are written too, as tentative."`
	Buffers bool          `json:"buffers" doc:"The time kept before and after a visit is written too, as events of their own."`
}

// Wishing asks for them.
type Wishing struct {
	IDPath
	Body LinkWishes
}

// Wish keeps what is wished of the copies in a link.
func (s *Links) Wish(ctx context.Context, id store.ID, w LinkWishes) error {
	if err := s.Links.Wish(ctx, id, store.Wishes(w)); err != nil {
		return Found(err, "link")
	}
	s.changed()
	return nil
}

// Settling asks what holds where a copy differs from its booking.
type Settling struct {
	IDPath
	Body Settlement
}

// Settlement says what holds.
type Settlement struct {
	Holds string `json:"holds" enum:"booking,calendar,neither" doc:"booking: the copy is put right; calendar: the booking moves to where the copy lies; neither: the copy stays as it is, and is looked after no more."`
}

// Settled turns what came of settling into an answer.
func Settled(err error) error {
	var cannot booking.ErrCannotFollow
	switch {
	case errors.As(err, &cannot):
		return NewProblem(http.StatusConflict, "The booking cannot move there: "+cannot.Why)
	case errors.Is(err, outbox.ErrSettled):
		return NewProblem(http.StatusConflict, "This has been settled already.")
	}
	return Found(err, "copy")
}

func (s *Links) changed() {
	s.Runner.Wake()
	s.Hub.Tell(live.Calendars)
	s.Hub.Tell(live.Bookings)
}

// HostFields is what can be said of a calendar host.
type HostFields struct {
	Name    string   `json:"name" minLength:"1" maxLength:"60" doc:"What people call it."`
	Address string   `json:"address" minLength:"1" maxLength:"500" doc:"The host or CalDAV address at which its accounts are looked for."`
	Domains []string `json:"domains" maxItems:"30" doc:"Of the mail addresses that it serves."`
}

// FieldsOfHost returns what is said of a calendar host.
func FieldsOfHost(h store.Host) HostFields {
	return HostFields{h.Name, h.Address, append([]string{}, h.Domains...)}
}

// NamedHost is a calendar host that somebody who links need not know the address of.
type NamedHost struct {
	ID store.ID `json:"id"`
	HostFields
	LetsSignIn bool `json:"letsSignIn" doc:"Whether people can sign in there, so that no password is needed here."`
}

// NamedHosts returns the calendar hosts that are known by a name.
func NamedHosts(tx store.Tx) ([]NamedHost, error) {
	rows, err := tx.Hosts()
	out := []NamedHost{}
	for _, h := range rows {
		out = append(out, NamedHost{h.ID, FieldsOfHost(h), h.LetsSignIn()})
	}
	return out, err
}
