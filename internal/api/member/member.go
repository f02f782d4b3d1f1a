// Package member is the API of staff members: an invitation to link a calendar, and
// their own links, calendars and day. Every operation but the invitation's is for who has
// signed in, and touches what is theirs alone.
package member

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/files"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/people"
	"niche/internal/preview"
	"niche/internal/store"
	"niche/internal/wall"
	"niche/internal/words"
	"niche/internal/work"
)

// Settings of the staff members' part.
type Settings struct {
	DB       *store.DB
	People   *people.People
	Links    *api.Links
	Messages *message.Messages
	Bookings *booking.Bookings
	Files    *files.Files

	Runner *work.Runner
	Hub    *live.Hub
	Now    func() time.Time
	Secure bool // cookies are sent over https only
}

// Member is the staff members' part of the API.
type Member struct {
	Settings
	rules api.Rules
}

// New returns the staff members' part.
func New(s Settings) *Member {
	return &Member{s, api.Rules{DB: s.DB, Hub: s.Hub, Runner: s.Runner, Now: s.Now}}
}

// Register adds the resources.
func (s *Member) Register(r api.Routes) {
	read, come, own := r.For(api.Readers), r.For(api.Comers), r.For(api.Members)
	huma.Register(read, api.Get("/api/invitations/{token}", "getInvitation", "For whom an invitation to link a calendar is"), s.getInvitation)
	huma.Register(come, api.Post("/api/invitations/{token}", "acceptInvitation", "Come in by an invitation, which is used up by it", http.StatusCreated), s.acceptInvitation)
	huma.Register(come, api.Post("/api/invitations/{token}/no", "declineInvitation", "Answer an invitation with no", http.StatusNoContent), s.declineInvitation)
	huma.Register(come, api.Post("/api/my/asked", "askIn", "Ask for a one-time address by mail", http.StatusAccepted), s.askIn)
	huma.Register(come, api.Post("/api/my/session/{token}", "comeInByMail", "Come in by a one-time address, which is used up by it", http.StatusCreated), s.comeIn)
	huma.Register(come, api.Post("/api/my/session", "signInOwn", "Sign in to the own pages by a password", http.StatusCreated), s.signIn)
	huma.Register(own, api.Put("/api/my/password", "changeMyPassword", "Choose an own password, or give it up"), s.repass)
	huma.Register(own, api.Put("/api/my/messages", "chooseMyMessages", "Choose when one hears of own visits by mail"), s.chooseMessages)
	huma.Register(own, api.Get("/api/my", "getMyself", "Who is signed in as a staff member"), s.getMyself)
	huma.Register(own, api.Delete("/api/my/session", "leave", "Sign out"), s.leave)
	huma.Register(own, api.Get("/api/my/sessions", "listMySessions", "Where one is signed in"), s.listSessions)
	huma.Register(own, api.Delete("/api/my/sessions/{id}", "endMySession", "End an own session"), s.endSession)
	huma.Register(own, api.Delete("/api/my/sessions", "endMyOtherSessions", "End all own sessions but this one"), s.endOtherSessions)
	huma.Register(own, api.Get("/api/my/links", "listMyLinks", "The own links"), s.listLinks)
	huma.Register(own, api.Post("/api/my/links", "addMyLink", "Link an own calendar account or published calendar", http.StatusCreated), s.addLink)
	huma.Register(own, api.Post("/api/my/links/{id}/key", "renewMyLink", "Give an own link a new app password, or a new address", http.StatusOK), s.renewLink)
	huma.Register(own, api.Post("/api/my/hosts/{id}/sign-in", "signInAtHost", "Go to a calendar host and sign in there, for a new link or one that is renewed", http.StatusOK), s.signInAt)
	huma.Register(come, api.Post("/api/signed-in", "comeBack", "Come back from a calendar host, as whoever went there", http.StatusOK), s.comeBack)
	huma.Register(own, api.Delete("/api/my/links/{id}", "removeMyLink", "Take an own link away"), s.removeLink)
	huma.Register(own, api.Put("/api/my/calendars/{id}", "chooseMyCalendar", "Choose what an own calendar is for"), s.chooseCalendar)
	huma.Register(own, api.Put("/api/my/links/{id}/wishes", "wishOfMyLink", "Choose what copies in own calendars are like"), s.wish)
	huma.Register(own, api.Post("/api/my/copies/{id}/settle", "settleMyCopy", "Say what holds where a copy in an own calendar differs from its booking", http.StatusNoContent), s.settle)
	huma.Register(own, api.Get("/api/my/costs", "getMyCosts", "What the own calendars cost"), s.getCosts)
	huma.Register(own, api.Get("/api/my/hours", "getMyHours", "The own hours"), s.getHours)
	huma.Register(own, api.Put("/api/my/hours", "changeMyHours", "Change the own hours, where that is allowed"), s.changeHours)
	huma.Register(own, api.Get("/api/my/days", "getMyDays", "The own one-off days and absences"), s.getDays)
	huma.Register(own, api.Put("/api/my/days", "changeMyDays", "Change the own one-off days and absences, where that is allowed"), s.changeDays)
	huma.Register(own, api.Get("/api/my/closures", "listMyClosures", "When the business is closed"), s.listClosures)
	huma.Register(own, api.Get("/api/my/attention", "listMyAttention", "What one has to look at oneself"), s.listItems)
	huma.Register(own, api.Post("/api/my/bookings/{id}/decision", "decideMyBooking", "Confirm or decline a booking of an own visit that waits for it", http.StatusNoContent), s.decide)
	huma.Register(own, api.Get("/api/my/files/{id}", "getMyFile", "A file that the client of an own visit has handed over"), s.getFile)
	huma.Register(own, api.Get("/api/my/day", "getMyDay", "An own day"), s.getDay)
}

// TokenPath is the token of an invitation.
type TokenPath struct {
	Token string `path:"token" maxLength:"100"`
}

// Invitation is for whom an invitation is.
type Invitation struct {
	Business string `json:"business"`
	Name     string `json:"name" doc:"Of the staff member."`
	Until    string `json:"until" doc:"The last day on which it works, by their own clock."`
	AtDesk   bool   `json:"atDesk" doc:"Whether an administrator is signed in in this browser, who would be signed out by it."`
}

// Declining is a no to an invitation.
type Declining struct {
	Why string `json:"why,omitempty" maxLength:"300"`
}

// Myself is a staff member, as they see themselves.
type Myself struct {
	ID       store.ID        `json:"id"`
	Name     string          `json:"name"`
	Email    string          `json:"email"`
	Business string          `json:"business"`
	Zone     string          `json:"zone" doc:"Whose clock counts for them."`
	Clock    string          `json:"clock" enum:"24,12"`
	Today    string          `json:"today"`
	OwnHours bool            `json:"ownHours" doc:"Whether the own hours and days may be changed."`
	Tells    string          `json:"tells" enum:"no,once,morning" doc:"When one hears of own visits by mail: not at all, at once, or in one mail each morning."`
	Password bool            `json:"password" doc:"Whether there is an own password."`
	Hosts    []api.NamedHost `json:"hosts" doc:"Calendar hosts that need no address."`
}

// signedIn sets the cookies along with who has come in, signedOut those of who has gone.
type (
	signedIn struct {
		SetCookie []http.Cookie `header:"Set-Cookie"`
		Body      Myself
	}
	signedOut struct {
		SetCookie []http.Cookie `header:"Set-Cookie"`
	}
)

func refusal(err error) error {
	if errors.Is(err, people.ErrOtherBrowser) {
		return api.NewProblem(http.StatusConflict, "This address works only in the browser in which you asked for it. Open it there, or ask for a new one here.")
	}
	if errors.Is(err, people.ErrNoWayIn) {
		return api.NewProblem(http.StatusNotFound, "This address has been used, or has ended. Ask for a new one.")
	}
	return api.Unproven(err)
}

func (s *Member) getInvitation(ctx context.Context, in *TokenPath) (*api.Body[Invitation], error) {
	i, err := s.People.InvitedBy(ctx, in.Token)
	if err != nil {
		return nil, refusal(err)
	}
	zone, err := hours.LoadZone(i.Staff.Zone)
	if err != nil {
		return nil, err
	}
	b, err := s.DB.Read(ctx).Business()
	return api.Answer(Invitation{b.Name, i.Staff.Name, i.Until.Time().In(zone.Location()).Format("2 January"), api.Who(ctx).Role == people.RoleAdministrator}, err)
}

func (s *Member) acceptInvitation(ctx context.Context, in *TokenPath) (*signedIn, error) {
	who, err := s.People.Accept(ctx, in.Token, api.From(ctx))
	return s.let(ctx, who, err)
}

func (s *Member) declineInvitation(ctx context.Context, in *struct {
	TokenPath
	Body Declining
}) (*struct{}, error) {
	return nil, refusal(s.People.Decline(ctx, in.Token, in.Body.Why, api.From(ctx)))
}

// AskingIn asks for a one-time address.
type AskingIn struct {
	Email string `json:"email" minLength:"1" maxLength:"254"`
}

// asked sets what the browser keeps that has asked.
type asked struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
}

func (s *Member) askIn(ctx context.Context, in *struct{ Body AskingIn }) (*asked, error) {
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		return nil, api.Wrong("email", "This is not a mail address.")
	}
	db := s.DB.Read(ctx)
	there, err := db.HasMailServer()
	if err != nil {
		return nil, err
	}
	if !there || s.Messages.Home == "" {
		return nil, api.NewProblem(http.StatusConflict, "No mail goes out from here yet. Ask at your desk for an address.")
	}
	b, err := db.Business()
	if err != nil {
		return nil, err
	}
	kept, err := s.People.AskIn(ctx, email, func(tx store.Tx, to store.Staff, token string, ends span.Instant) error {
		return s.Messages.Put(tx, s.Messages.WayIn(b.Name, to, token, ends))
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Messages)
	s.Runner.Wake()
	return &asked{[]http.Cookie{api.AskedCookie(s.Secure, kept)}}, nil
}

func (s *Member) comeIn(ctx context.Context, in *TokenPath) (*signedIn, error) {
	from := api.From(ctx)
	who, err := s.People.ComeInBy(ctx, in.Token, from.Asked, from)
	return s.let(ctx, who, err)
}

// let answers somebody who comes in, or says why they do not.
func (s *Member) let(ctx context.Context, in people.In, err error) (*signedIn, error) {
	if err != nil {
		return nil, refusal(err)
	}
	me, err := s.myself(ctx, in.ID)
	return &signedIn{SetCookie: api.Cookies(s.Secure, in), Body: me}, err
}

// SigningIn is a mail address and an own password.
type SigningIn struct {
	Email    string `json:"email" minLength:"1" maxLength:"254"`
	Password string `json:"password" minLength:"1" maxLength:"200"`
}

func (s *Member) signIn(ctx context.Context, in *struct{ Body SigningIn }) (*signedIn, error) {
	who, err := s.People.SignInOwn(ctx, in.Body.Email, in.Body.Password, api.From(ctx))
	return s.let(ctx, who, err)
}

// Repassing chooses an own password.
type Repassing struct {
	Current  string `json:"current,omitempty" maxLength:"200" doc:"The present password; not asked for within a quarter of an hour of coming in."`
	Password string `json:"password" maxLength:"72" doc:"Empty for none any more."`
}

func (s *Member) repass(ctx context.Context, in *struct{ Body Repassing }) (*signedIn, error) {
	who, err := s.People.RepassOwn(ctx, api.Who(ctx), in.Body.Current, in.Body.Password, api.From(ctx))
	switch {
	case errors.Is(err, people.ErrWrong):
		return nil, api.Wrong("current", "This is not your present password.")
	case errors.Is(err, people.ErrNoMail):
		return nil, api.NewProblem(http.StatusConflict, "Your desk has no mail address of yours, with which you would sign in. Ask there for it first.")
	}
	return s.let(ctx, who, err)
}

func (s *Member) myself(ctx context.Context, id store.ID) (Myself, error) {
	db := s.DB.Read(ctx)
	m, err := db.Staff(id)
	if err != nil {
		return Myself{}, err
	}
	b, err := db.Business()
	if err != nil {
		return Myself{}, err
	}
	zone, err := hours.LoadZone(m.Zone)
	if err != nil {
		return Myself{}, err
	}
	hosts, err := api.NamedHosts(db)
	return Myself{m.ID, m.Name, m.Email, b.Name, m.Zone, b.Clock, zone.DateAt(span.At(s.Now())).String(), m.OwnHours, string(m.TellVisits), m.PasswordHash != "", hosts}, err
}

// OwnNews says when a staff member hears of own visits by mail.
type OwnNews struct {
	Tells string `json:"tells" enum:"no,once,morning"`
}

func (s *Member) chooseMessages(ctx context.Context, in *struct{ Body OwnNews }) (*api.Body[Myself], error) {
	id := api.Who(ctx).ID
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		m, err := tx.Staff(id)
		if err != nil {
			return err
		}
		before := OwnNews{string(m.TellVisits)}
		m.TellVisits = store.Telling(in.Body.Tells)
		if _, err := tx.Changed(store.StaffDetails(id)); err != nil {
			return err
		}
		return errors.Join(tx.SaveStaff(&m), tx.Note(span.At(s.Now()), "changed", "staff", m.ID, m.Name, before, in.Body))
	})
	if err != nil {
		return nil, err
	}
	s.Hub.Tell(live.Rules)
	return api.Answer(s.myself(ctx, id))
}

func (s *Member) getMyself(ctx context.Context, _ *struct{}) (*api.Body[Myself], error) {
	return api.Answer(s.myself(ctx, api.Who(ctx).ID))
}

func (s *Member) leave(ctx context.Context, _ *struct{}) (*signedOut, error) {
	err := s.People.SignOut(ctx, api.Who(ctx))
	return &signedOut{api.Cookies(s.Secure, people.In{})}, err
}

func (s *Member) listSessions(ctx context.Context, _ *struct{}) (*api.Body[api.List[api.OwnSession]], error) {
	list, err := api.OwnSessions(ctx, s.DB.Read(ctx))
	return api.Answer(api.List[api.OwnSession]{Items: list}, err)
}

func (s *Member) endSession(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	return nil, s.People.EndSession(ctx, api.Who(ctx), in.ID)
}

func (s *Member) endOtherSessions(ctx context.Context, _ *struct{}) (*struct{}, error) {
	return nil, s.People.EndOthers(ctx, api.Who(ctx))
}

func (s *Member) listLinks(ctx context.Context, _ *struct{}) (*api.Body[api.List[api.Link]], error) {
	links, err := s.Links.Of(ctx, api.Who(ctx).ID)
	return api.Answer(api.List[api.Link]{Items: links}, err)
}

func (s *Member) addLink(ctx context.Context, in *struct{ Body api.NewLink }) (*api.Body[api.Link], error) {
	return api.Answer(s.Links.Add(ctx, api.Who(ctx).ID, in.Body))
}

// own refuses what is not the own link: as if it were not there.
func (s *Member) own(ctx context.Context, link store.ID) error {
	l, err := s.DB.Read(ctx).Link(link)
	if err == nil && l.StaffID != api.Who(ctx).ID {
		err = store.ErrNotFound
	}
	return api.Found(err, "link")
}

func (s *Member) chooseCalendar(ctx context.Context, in *api.Choosing) (*api.Body[api.Calendar], error) {
	c, err := s.DB.Read(ctx).Calendar(in.ID)
	if err == nil {
		err = s.own(ctx, c.LinkID)
	}
	if err != nil {
		return nil, api.Found(err, "calendar")
	}
	return api.Answer(s.Links.Choose(ctx, in.ID, in.Over, in.Copies, in.Body))
}

func (s *Member) renewLink(ctx context.Context, in *api.Renewing) (*api.Body[api.Link], error) {
	if err := s.own(ctx, in.ID); err != nil {
		return nil, err
	}
	return api.Answer(s.Links.Renew(ctx, in.ID, in.Body))
}

func (s *Member) signInAt(ctx context.Context, in *struct {
	api.IDPath
	Link store.ID `query:"link" doc:"An own link that is renewed; left out for a new one."`
}) (*api.Body[api.Away], error) {
	if in.Link != 0 {
		if err := s.own(ctx, in.Link); err != nil {
			return nil, err
		}
	}
	return api.Answer(s.Links.SignInAt(ctx, in.ID, in.Link))
}

func (s *Member) comeBack(ctx context.Context, in *struct{ Body api.Returned }) (*api.Body[api.Came], error) {
	if api.Who(ctx).Session == 0 {
		return nil, api.NewProblem(http.StatusUnauthorized, "You are not signed in here any more. Come in, and begin again.")
	}
	return api.Answer(s.Links.ComeBack(ctx, in.Body))
}

func (s *Member) wish(ctx context.Context, in *api.Wishing) (*struct{}, error) {
	if err := s.own(ctx, in.ID); err != nil {
		return nil, err
	}
	return nil, s.Links.Wish(ctx, in.ID, in.Body)
}

func (s *Member) settle(ctx context.Context, in *api.Settling) (*struct{}, error) {
	db := s.DB.Read(ctx)
	c, err := db.Copy(in.ID)
	if err != nil {
		return nil, api.Found(err, "copy")
	}
	calendar, err := db.Calendar(c.CalendarID)
	if err == nil {
		err = s.own(ctx, calendar.LinkID)
	}
	if err != nil {
		return nil, api.Found(err, "copy")
	}
	return nil, api.Settled(s.Bookings.Settle(ctx, in.ID, booking.Settling(in.Body.Holds)))
}

func (s *Member) removeLink(ctx context.Context, in *api.Unlinking) (*struct{}, error) {
	if err := s.own(ctx, in.ID); err != nil {
		return nil, err
	}
	return nil, s.Links.Remove(ctx, in.ID, in.Copies)
}

func (s *Member) getCosts(ctx context.Context, _ *struct{}) (*api.Body[preview.Costs], error) {
	db := s.DB.Read(ctx)
	m, err := db.Staff(api.Who(ctx).ID)
	if err != nil {
		return nil, err
	}
	return api.Answer(preview.CostsOf(db, m, span.At(s.Now())))
}

// OwnDay is an own day: what is open, busy and booked.
type OwnDay struct {
	Date  string        `json:"date"`
	Title string        `json:"title"`
	Words string        `json:"words" doc:"What the day holds, in a sentence."`
	Lane  wall.WallLane `json:"lane"`
}

func (s *Member) getDay(ctx context.Context, in *struct {
	Date  string `query:"date" maxLength:"10" doc:"A date on the own clock; today when empty."`
	Clock string `query:"clock" enum:"24,12" default:"24"`
}) (*api.Body[OwnDay], error) {
	db, now := s.DB.Read(ctx), span.At(s.Now())
	m, err := db.Staff(api.Who(ctx).ID)
	if err != nil {
		return nil, err
	}
	zone, err := hours.LoadZone(m.Zone)
	if err != nil {
		return nil, err
	}
	date := zone.DateAt(now)
	if in.Date != "" {
		if date, err = hours.ParseDate(in.Date); err != nil {
			return nil, api.Wrong("query.date", "This is not a date, as in 2026-03-02.")
		}
	}
	text := words.In{Zone: zone, Twelve: in.Clock == "12"}
	lane, err := wall.LaneOf(db, text, date, m)
	if err != nil {
		return nil, err
	}
	return api.Answer(OwnDay{date.String(), date.Time().Format("Monday 2 January"), words.OfDay(len(lane.Visits), firstLabel(lane)), lane}, nil)
}

// firstLabel is when the first visit of a day begins, or empty.
func firstLabel(l wall.WallLane) string {
	if len(l.Visits) == 0 {
		return ""
	}
	return l.Visits[0].Label
}

func (s *Member) getFile(ctx context.Context, in *api.IDPath) (*huma.StreamResponse, error) {
	db := s.DB.Read(ctx)
	row, err := db.File(in.ID)
	if err != nil {
		return nil, api.Found(err, "file")
	}
	mine, err := db.HasVisitOf(api.Who(ctx).ID, row.BookingID)
	if err == nil && !mine {
		err = api.Found(store.ErrNotFound, "file")
	}
	if err != nil {
		return nil, err
	}
	return api.Attached(s.Files, row)
}
