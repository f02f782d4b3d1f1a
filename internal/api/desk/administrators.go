package desk

import (
	"context"
	"errors"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/people"
	"niche/internal/store"
)

// ListedAdministrator is an administrator as the others see them.
type ListedAdministrator struct {
	Administrator
	Self    bool   `json:"self" doc:"It is who asks."`
	State   string `json:"state" enum:"in,asked,lapsed" doc:"in: can sign in; asked: has an address at which to choose a password; lapsed: had one."`
	Secured bool   `json:"secured" doc:"With a second factor."`
	Seen    string `json:"seen" doc:"When they were last at the desk, or empty."`
	Until   string `json:"until" doc:"Until when their one-time address is open, or empty."`
	Version int64  `json:"version"`
}

// AdministratorFields is what can be said of an administrator.
type AdministratorFields struct {
	Name  string `json:"name" minLength:"1" maxLength:"120"`
	Email string `json:"email" minLength:"1" maxLength:"254"`
}

// WayIn is a one-time address, told once.
type WayIn struct {
	ID   store.ID `json:"id"`
	Path string   `json:"path" doc:"Of the page on which a password is chosen. It works once, for 7 days, and is not shown again."`
}

// Security is how somebody signs in.
type Security struct {
	SecondFactor bool  `json:"secondFactor"`
	CodesLeft    int   `json:"codesLeft" doc:"Recovery codes that are not used."`
	Hears        Hears `json:"hears"`

	Sessions []api.OwnSession `json:"sessions"`
}

// Hears is what an administrator hears by mail.
type Hears struct {
	Visits    string `json:"visits" enum:"no,once,morning" doc:"Of new, moved and cancelled visits: not at all, at once, or in one mail each morning."`
	Attention bool   `json:"attention" doc:"Each morning, of what needs somebody, if anything does."`
}

// Proof is a password given again, before something that only its owner may do.
type Proof struct {
	Current string `json:"current" minLength:"1" maxLength:"200" doc:"The present password."`
}

// NewPassword changes a password.
type NewPassword struct {
	Proof
	Password string `json:"password" minLength:"10" maxLength:"72"`
}

// Factor is a second factor that is being set up.
type Factor struct {
	Secret  string `json:"secret" doc:"To be typed in by hand."`
	Address string `json:"address" doc:"otpauth://, for a program on the same device."`
	Picture string `json:"picture" doc:"The same as a picture to be read by a camera, data:image/png."`
}

// FactorProof confirms a second factor by one of its codes.
type FactorProof struct {
	Proof
	Secret string `json:"secret" minLength:"1" maxLength:"100"`
	Code   string `json:"code" minLength:"1" maxLength:"40"`
}

// RecoveryCodes are told once.
type RecoveryCodes struct {
	Codes []string `json:"codes"`
}

func (s *Desk) registerAdministrators(a huma.API) {
	huma.Register(a, api.Get("/api/administrators", "listAdministrators", "Who can sign in to the desk"), s.listAdministrators)
	huma.Register(a, api.Post("/api/administrators", "addAdministrator", "Add an administrator", http.StatusCreated), s.addAdministrator)
	huma.Register(a, api.Put("/api/administrators/{id}", "changeAdministrator", "Change an administrator's name and mail address"), s.changeAdministrator)
	huma.Register(a, api.Delete("/api/administrators/{id}", "removeAdministrator", "Remove an administrator"), s.removeAdministrator)
	huma.Register(a, api.Post("/api/administrators/{id}/way-in", "askAdministrator", "Make a new one-time address for an administrator who has not come in yet", http.StatusCreated), s.askAdministrator)
	huma.Register(a, api.Get("/api/me", "getSecurity", "How the one who asks signs in, and where they are signed in"), s.getSecurity)
	huma.Register(a, api.Put("/api/me/password", "changePassword", "Change the own password; all other sessions end"), s.changePassword)
	huma.Register(a, api.Post("/api/me/second-factor/new", "newSecondFactor", "Make the secret of a second factor; nothing is kept of it yet", http.StatusOK), s.newFactor)
	huma.Register(a, api.Put("/api/me/second-factor", "confirmSecondFactor", "Turn a second factor on"), s.confirmFactor)
	huma.Register(a, api.Post("/api/me/second-factor/off", "dropSecondFactor", "Turn the second factor off", http.StatusNoContent), s.dropFactor)
	huma.Register(a, api.Post("/api/me/recovery-codes", "newRecoveryCodes", "Replace the recovery codes", http.StatusOK), s.newCodes)
	huma.Register(a, api.Put("/api/me/messages", "chooseMessages", "Choose what one hears by mail"), s.chooseMessages)
	huma.Register(a, api.Delete("/api/me/sessions/{id}", "endSession", "End one of the own sessions"), s.endSession)
	huma.Register(a, api.Delete("/api/me/sessions", "endOtherSessions", "End all own sessions but this one"), s.endOtherSessions)
}

func when(i span.Instant) string {
	if i == 0 {
		return ""
	}
	return i.String()
}

func (s *Desk) listAdministrators(ctx context.Context, _ *struct{}) (*api.Body[api.List[ListedAdministrator]], error) {
	all, err := s.administrators(ctx)
	return api.Answer(api.List[ListedAdministrator]{Items: all}, err)
}

func (s *Desk) administrators(ctx context.Context) ([]ListedAdministrator, error) {
	rows, err := s.People.List(ctx)
	if err != nil {
		return nil, err
	}
	things := make([]store.Thing, len(rows))
	for i, r := range rows {
		things[i] = store.AdministratorDetails(r.ID)
	}
	versions, err := s.DB.Read(ctx).Versions(things)
	out := []ListedAdministrator{}
	for i, r := range rows {
		a := ListedAdministrator{Administrator: Administrator{r.ID, r.Name, r.Email}, Self: r.ID == api.Who(ctx).ID, State: "lapsed",
			Secured: len(r.SecondFactor) > 0, Seen: when(r.SeenAt), Until: when(r.Invited), Version: versions[things[i]]}
		switch {
		case r.PasswordHash != "":
			a.State = "in"
		case r.Invited > 0:
			a.State = "asked"
		}
		out = append(out, a)
	}
	return out, err
}

// EnterPath is the page behind a one-time address.
func EnterPath(token string) string { return "/enter/" + token }

func (s *Desk) addAdministrator(ctx context.Context, in *struct{ Body AdministratorFields }) (*api.Body[WayIn], error) {
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		return nil, api.Wrong("email", "This is not a mail address.")
	}
	id, token, err := s.People.Add(ctx, in.Body.Name, email)
	return api.Answer(WayIn{id, EnterPath(token)}, refusal(err))
}

func (s *Desk) askAdministrator(ctx context.Context, in *api.IDPath) (*api.Body[WayIn], error) {
	token, err := s.People.AskAgain(ctx, in.ID)
	if err == people.ErrNoWayIn {
		return nil, api.NewProblem(http.StatusConflict, "They have chosen a password already. Whoever runs the server can give a way back in: niche admin reset.")
	}
	return api.Answer(WayIn{in.ID, EnterPath(token)}, refusal(err))
}

func (s *Desk) changeAdministrator(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Body AdministratorFields
}) (*api.Body[ListedAdministrator], error) {
	over, err := in.Expected(store.AdministratorDetails(in.ID))
	if err != nil {
		return nil, err
	}
	email, ok := people.MailAddress(in.Body.Email)
	if !ok {
		return nil, api.Wrong("email", "This is not a mail address.")
	}
	current := func() (ListedAdministrator, error) { return s.administrator(ctx, in.ID) }
	if err := s.People.Change(ctx, in.ID, *over, in.Body.Name, email); err != nil {
		return nil, refusal(api.Stale(err, current, func(a ListedAdministrator) int64 { return a.Version }))
	}
	return api.Answer(current())
}

func (s *Desk) administrator(ctx context.Context, id store.ID) (ListedAdministrator, error) {
	all, err := s.administrators(ctx)
	i := slices.IndexFunc(all, func(a ListedAdministrator) bool { return a.ID == id })
	if err == nil && i < 0 {
		err = api.Found(store.ErrNotFound, "administrator")
	}
	if err != nil {
		return ListedAdministrator{}, err
	}
	return all[i], nil
}

func (s *Desk) removeAdministrator(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	return nil, refusal(s.People.Remove(ctx, in.ID))
}

func (s *Desk) getSecurity(ctx context.Context, _ *struct{}) (*api.Body[Security], error) {
	db, who := s.DB.Read(ctx), api.Who(ctx)
	a, err := db.Administrator(who.ID)
	if err != nil {
		return nil, err
	}
	left, err := db.RecoveryCodesLeft(who.ID)
	if err != nil {
		return nil, err
	}
	out := Security{SecondFactor: len(a.SecondFactor) > 0, CodesLeft: int(left), Hears: Hears{string(a.TellVisits), a.TellAttention}}
	out.Sessions, err = api.OwnSessions(ctx, db)
	return api.Answer(out, err)
}

func (s *Desk) chooseMessages(ctx context.Context, in *struct{ Body Hears }) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(api.Who(ctx).ID)
		if err != nil {
			return err
		}
		before := Hears{string(a.TellVisits), a.TellAttention}
		a.TellVisits, a.TellAttention = store.Telling(in.Body.Visits), in.Body.Attention
		return errors.Join(tx.SaveAdministrator(&a), s.Messages.PlanMornings(tx), tx.Note(span.At(s.Now()), "changed", "own messages", a.ID, a.Name, before, in.Body))
	})
	s.Runner.Wake()
	return nil, err
}

// again asks for the present password.
func (s *Desk) again(ctx context.Context, p Proof) error {
	err := s.People.Again(ctx, api.Who(ctx), p.Current, api.From(ctx))
	if err == people.ErrWrong {
		return api.Wrong("current", "This is not your present password.")
	}
	return refusal(err)
}

func (s *Desk) changePassword(ctx context.Context, in *struct{ Body NewPassword }) (*signedIn, error) {
	if err := s.again(ctx, in.Body.Proof); err != nil {
		return nil, err
	}
	who, err := s.People.Repass(ctx, api.Who(ctx), in.Body.Password, api.From(ctx))
	return s.let(ctx, who, err)
}

func (s *Desk) newFactor(ctx context.Context, _ *struct{}) (*api.Body[Factor], error) {
	f, err := s.People.NewFactor(ctx, api.Who(ctx))
	return api.Answer(Factor(f), err)
}

func (s *Desk) confirmFactor(ctx context.Context, in *struct{ Body FactorProof }) (*api.Body[RecoveryCodes], error) {
	if err := s.again(ctx, in.Body.Proof); err != nil {
		return nil, err
	}
	codes, err := s.People.ConfirmFactor(ctx, api.Who(ctx), in.Body.Secret, in.Body.Code)
	if err == people.ErrWrongCode {
		return nil, api.Wrong("code", "This code is not right. Look whether the clocks of both devices are, and take the next one.")
	}
	return api.Answer(RecoveryCodes{codes}, refusal(err))
}

func (s *Desk) dropFactor(ctx context.Context, in *struct{ Body Proof }) (*struct{}, error) {
	if err := s.again(ctx, in.Body); err != nil {
		return nil, err
	}
	return nil, refusal(s.People.DropFactor(ctx, api.Who(ctx)))
}

func (s *Desk) newCodes(ctx context.Context, in *struct{ Body Proof }) (*api.Body[RecoveryCodes], error) {
	if err := s.again(ctx, in.Body); err != nil {
		return nil, err
	}
	codes, err := s.People.NewRecoveryCodes(ctx, api.Who(ctx))
	return api.Answer(RecoveryCodes{codes}, refusal(err))
}

func (s *Desk) endSession(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	return nil, s.People.EndSession(ctx, api.Who(ctx), in.ID)
}

func (s *Desk) endOtherSessions(ctx context.Context, _ *struct{}) (*struct{}, error) {
	return nil, s.People.EndOthers(ctx, api.Who(ctx))
}
