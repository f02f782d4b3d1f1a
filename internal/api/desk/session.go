package desk

import (
	"cmp"
	"context"
	"errors"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/fit"
	"niche/internal/outbox"
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/telephone"
	"niche/internal/words"
)

// Session says who is signed in, and whether the desk has to be set up first.
type Session struct {
	SetUpNeeded   bool            `json:"setUpNeeded"`
	Administrator *Administrator  `json:"administrator,omitempty"`
	Business      *Business       `json:"business,omitempty"`
	Reasons       []Reason        `json:"reasons" doc:"What the reasons say for which starts are refused, and bookings no longer fit."`
	MailReady     bool            `json:"mailReady" doc:"Whether mail goes out: there is a mail server, and an address to lead to."`
	Unsent        int             `json:"unsent" doc:"How many messages could not go out."`
	Sealed        []store.NamedID `json:"sealed" doc:"Whose links have passwords that cannot be opened with the present key: they must be linked again."`
}

// Reason is what one reason says.
type Reason struct {
	Code  string `json:"code"`
	Words string `json:"words" doc:"In a few words."`
}

// allReasons are those of the rules, and of what is found when rules change.
func allReasons() []Reason {
	list := []Reason{{string(fit.NotPerformed), "nobody performs it any more"}}
	for _, r := range offer.Rules() {
		list = append(list, Reason{string(r.Code), r.Brief})
	}
	return list
}

// Administrator is who is signed in.
type Administrator struct {
	ID    store.ID `json:"id"`
	Name  string   `json:"name"`
	Email string   `json:"email"`
}

// Business is whose desk it is, and how it writes days and times.
type Business struct {
	Name     string `json:"name" minLength:"1" maxLength:"120"`
	Zone     string `json:"zone" maxLength:"60" doc:"IANA time zone."`
	Clock    string `json:"clock,omitempty" enum:"24,12" default:"24" doc:"Of how many hours."`
	Phone    string `json:"phone,omitempty" maxLength:"40" doc:"Of who is called when something cannot be done online, typed any way; empty for none."`
	Currency string `json:"currency,omitempty" maxLength:"3" doc:"Of what clients pay, by its code (ISO 4217); EUR when empty."`
	Order    string `json:"order,omitempty" enum:"dmy,mdy,ymd" default:"dmy" doc:"Of day, month and year in a date."`
}

// row reads the fields into a record.
func (b Business) row(row store.Business, prefix string) (store.Business, error) {
	if _, err := hours.LoadZone(b.Zone); err != nil {
		return row, api.Wrong(prefix+"zone", "This is not a time zone that is known here, as in Europe/Dublin.")
	}
	row.Phone = ""
	if b.Phone != "" {
		var ok bool
		if row.Phone, ok = telephone.Read(b.Phone, telephone.CountryOf(b.Zone)); !ok {
			return row, api.Wrong(prefix+"phone", "This is not a telephone number. Begin with + and the country’s number if it is abroad.")
		}
	}
	row.Currency = cmp.Or(b.Currency, "EUR")
	if _, ok := words.MoneyDigits(row.Currency); !ok {
		return row, api.Wrong(prefix+"currency", "This is not the code of a currency, as EUR.")
	}
	row.ID, row.Name, row.Zone, row.Clock, row.DateOrder = 1, b.Name, b.Zone, b.Clock, b.Order
	return row, nil
}

func renderBusiness(b store.Business) Business {
	phone := b.Phone
	if phone != "" {
		phone = telephone.Words(phone, telephone.CountryOf(b.Zone))
	}
	return Business{Name: b.Name, Zone: b.Zone, Clock: b.Clock, Phone: phone, Currency: b.Currency, Order: b.DateOrder}
}

// SetUp makes the first administrator.
type SetUp struct {
	Code     string   `json:"code" minLength:"1" maxLength:"40" doc:"The set-up code, which the program has printed and written into its data folder."`
	Business Business `json:"business"`
	Name     string   `json:"name" minLength:"1" maxLength:"120"`
	Email    string   `json:"email" minLength:"1" maxLength:"254"`
	Password string   `json:"password" minLength:"10" maxLength:"72"`
}

// SignIn is a mail address and a password, and a one-time code where there is a second
// factor.
type SignIn struct {
	Email    string `json:"email" minLength:"1" maxLength:"254"`
	Password string `json:"password" minLength:"1" maxLength:"200"`
	Code     string `json:"code,omitempty" maxLength:"40" doc:"A one-time code, or a recovery code."`
}

// Entrance is for whom a one-time address is.
type Entrance struct {
	Business string `json:"business"`
	Name     string `json:"name"`
	Email    string `json:"email"`
}

// Entering chooses a password.
type Entering struct {
	Password string `json:"password" minLength:"10" maxLength:"72"`
}

// WayInPath is the token of a one-time address.
type WayInPath struct {
	Token string `path:"token" maxLength:"100"`
}

// signedIn sets the cookies along with the session.
type signedIn struct {
	SetCookie []http.Cookie `header:"Set-Cookie"`
	Body      Session
}

func (s *Desk) registerGate(read, come huma.API) {
	huma.Register(read, api.Get("/api/session", "getSession", "Who is signed in"), s.getSession)
	huma.Register(come, api.Post("/api/setup", "setUp", "Make the first administrator", http.StatusCreated), s.setUp)
	huma.Register(come, api.Post("/api/session", "signIn", "Sign in", http.StatusCreated), s.signIn)
	huma.Register(read, api.Get("/api/ways-in/{token}", "getWayIn", "For whom a one-time address is"), s.getWayIn)
	huma.Register(come, api.Post("/api/ways-in/{token}", "comeIn", "Choose a password at a one-time address", http.StatusCreated), s.comeIn)
}

func (s *Desk) registerSession(a huma.API) {
	huma.Register(a, api.Delete("/api/session", "signOut", "Sign out"), s.signOut)
}

func (s *Desk) getSession(ctx context.Context, _ *struct{}) (*api.Body[Session], error) {
	if who := api.Who(ctx); who.Role == people.RoleAdministrator {
		return api.Answer(s.session(ctx, who))
	}
	count, err := s.DB.Read(ctx).AdministratorCount()
	return api.Answer(Session{SetUpNeeded: count == 0, Reasons: []Reason{}, Sealed: []store.NamedID{}}, err)
}

func (s *Desk) session(ctx context.Context, who people.Principal) (Session, error) {
	db := s.DB.Read(ctx)
	b, err := db.Business()
	if err != nil {
		return Session{}, err
	}
	business := renderBusiness(b)
	out := Session{Reasons: allReasons(), Administrator: &Administrator{who.ID, who.Name, who.Mail}, Business: &business, Sealed: []store.NamedID{}}
	there, err := db.HasMailServer()
	if err != nil {
		return out, err
	}
	counts, err := db.CountMessages(span.At(s.Now()).Add(-refusedFor))
	if err != nil {
		return out, err
	}
	out.MailReady, out.Unsent = there && s.Messages.Home != "", counts.Waiting+counts.Refused
	sealed, err := s.Links.Links.Sealed(db)
	if err != nil || len(sealed) == 0 {
		return out, err
	}
	names, err := db.StaffNames()
	for _, l := range sealed {
		if who := (store.NamedID{ID: l.StaffID, Name: names[l.StaffID]}); !slices.Contains(out.Sealed, who) {
			out.Sealed = append(out.Sealed, who)
		}
	}
	return out, err
}

// let answers somebody who comes in, or says why they do not.
func (s *Desk) let(ctx context.Context, in people.In, err error) (*signedIn, error) {
	if err != nil {
		return nil, refusal(err)
	}
	out, err := s.session(ctx, in.Principal)
	return &signedIn{SetCookie: api.Cookies(s.Secure, in), Body: out}, err
}

// refusal says why somebody does not come in, or may not do something about people.
func refusal(err error) error {
	switch {
	case err == nil:
		return nil
	case errors.Is(err, people.ErrSetUp):
		return api.NewProblem(http.StatusConflict, "Niche has been set up already. Sign in instead.")
	case errors.Is(err, people.ErrSetUpCode):
		return api.Wrong("code", "This is not the set-up code. The program has printed it where it was started, and keeps it in the file setup-code of its data folder.")
	case errors.Is(err, people.ErrNoCode):
		p := api.NewProblem(http.StatusUnauthorized, "Give a one-time code too.")
		p.AsksCode = true
		return p
	case errors.Is(err, people.ErrWrongCode):
		p := api.NewProblem(http.StatusUnauthorized, "This code is not right, or was used already.")
		p.AsksCode, p.Errors = true, []api.FieldError{{Field: "code", Message: p.Detail}}
		return p
	case errors.Is(err, people.ErrSealed):
		p := api.NewProblem(http.StatusUnauthorized, "One-time codes cannot be checked, because Niche's key for secrets is another one. Use a recovery code; or whoever runs the server gives a way back in: niche admin reset.")
		p.AsksCode, p.Errors = true, []api.FieldError{{Field: "code", Message: p.Detail}}
		return p
	case errors.Is(err, people.ErrMailTaken):
		return api.Wrong("email", "Another administrator has this mail address.")
	case errors.Is(err, people.ErrLast):
		return api.NewProblem(http.StatusConflict, "The last administrator who can sign in cannot be removed.")
	case errors.Is(err, people.ErrTooMany):
		return api.NewProblem(http.StatusConflict, "There are as many administrators as there can be.")
	case errors.Is(err, people.ErrNoWayIn):
		return api.NewProblem(http.StatusNotFound, "This address has been used, or has ended. Ask an administrator for a new one.")
	case errors.Is(err, people.ErrNoFactor):
		return api.NewProblem(http.StatusConflict, "There is no second factor.")
	case errors.Is(err, people.ErrFactorThere):
		return api.NewProblem(http.StatusConflict, "There is a second factor already.")
	}
	return api.Found(api.Unproven(err), "administrator")
}

func (s *Desk) setUp(ctx context.Context, in *struct{ Body SetUp }) (*signedIn, error) {
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		return nil, api.Wrong("email", "This is not a mail address.")
	}
	business, err := in.Body.Business.row(store.Business{AheadPerMail: defaultAhead, CopyTitle: outbox.DefaultTexts.Title, CopyPlace: outbox.DefaultTexts.Place, CopyDescription: outbox.DefaultTexts.Description}, "business.")
	if err != nil {
		return nil, err
	}
	who, err := s.People.SetUp(ctx, in.Body.Code, business, in.Body.Name, email, in.Body.Password, api.From(ctx))
	return s.let(ctx, who, err)
}

func (s *Desk) signIn(ctx context.Context, in *struct{ Body SignIn }) (*signedIn, error) {
	who, err := s.People.SignIn(ctx, in.Body.Email, in.Body.Password, in.Body.Code, api.From(ctx))
	return s.let(ctx, who, err)
}

func (s *Desk) signOut(ctx context.Context, _ *struct{}) (*signedIn, error) {
	err := s.People.SignOut(ctx, api.Who(ctx))
	return &signedIn{SetCookie: api.Cookies(s.Secure, people.In{}), Body: Session{Reasons: []Reason{}, Sealed: []store.NamedID{}}}, err
}

func (s *Desk) getWayIn(ctx context.Context, in *WayInPath) (*api.Body[Entrance], error) {
	a, err := s.People.Behind(ctx, in.Token)
	if err != nil {
		return nil, refusal(err)
	}
	b, err := s.DB.Read(ctx).Business()
	return api.Answer(Entrance{b.Name, a.Name, a.Email}, err)
}

func (s *Desk) comeIn(ctx context.Context, in *struct {
	WayInPath
	Body Entering
}) (*signedIn, error) {
	who, err := s.People.ComeIn(ctx, in.Token, in.Body.Password, api.From(ctx))
	return s.let(ctx, who, err)
}
