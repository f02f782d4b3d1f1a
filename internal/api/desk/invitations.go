package desk

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/words"
)

// Linking is how far somebody is with linking a calendar.
type Linking struct {
	State string `json:"state" enum:"none,asked,lapsed,opened,declined,linked,chosen,proved" doc:"none: nobody asked; lapsed: the address has ended unused; opened: they came in; chosen: some calendar blocks time or gets bookings; proved: since that, each link was proved and held."`
	When  string `json:"when" doc:"Since when, on the business's clock, or empty."`
	Words string `json:"words" doc:"The same in a few words."`
	Why   string `json:"why" doc:"Why they declined, if they said it."`
}

// InvitationPath is the page behind an invitation.
func InvitationPath(token string) string { return "/link/" + token }

func (s *Desk) registerInvitations(a huma.API) {
	huma.Register(a, api.Post("/api/staff/{id}/invitation", "invite", "Ask somebody to link a calendar; an address of before ends", http.StatusCreated), s.invite)
	huma.Register(a, api.Post("/api/invitations", "inviteAll", "Ask everyone who has no link", http.StatusCreated), s.inviteAll)
	huma.Register(a, api.Delete("/api/staff/{id}/invitation", "withdrawInvitation", "Withdraw an invitation that nobody has used"), s.withdraw)
}

// Asking says how somebody is asked.
type Asking struct {
	ByMail bool `json:"byMail,omitempty" doc:"The address goes to them by mail, and is told to nobody else."`
}

// tell returns what is to be done with the address that somebody is given: nothing, or
// to send it to them by mail.
func (s *Desk) tell(tx store.Tx, a Asking) (people.Telling, error) {
	if !a.ByMail {
		return func(tx store.Tx, to store.Staff, _ string, _ span.Instant) error {
			return s.Messages.Overtake(tx, message.AboutLinking(to.ID))
		}, nil
	}
	there, err := tx.HasMailServer()
	if err == nil && (!there || s.Messages.Home == "") {
		err = api.NewProblem(http.StatusConflict, "No mail goes out yet. Set up the mail server under Settings, or hand the address over yourself.")
	}
	if err != nil {
		return nil, err
	}
	b, err := tx.Business()
	return func(tx store.Tx, to store.Staff, token string, ends span.Instant) error {
		if to.Email == "" {
			return api.NewProblem(http.StatusConflict, to.Name+" has no mail address. Give one under Details, or hand the address over yourself.")
		}
		return s.Messages.Put(tx, s.Messages.Invitation(b.Name, to, token, ends))
	}, err
}

func (s *Desk) invite(ctx context.Context, in *struct {
	api.IDPath
	Body *Asking `required:"false"`
}) (*api.Body[WayIn], error) {
	a := Asking{}
	if in.Body != nil {
		a = *in.Body
	}
	tell, err := s.tell(s.DB.Read(ctx), a)
	if err != nil {
		return nil, err
	}
	token, err := s.People.Invite(ctx, in.ID, tell)
	if errors.Is(err, people.ErrArchived) {
		return nil, api.NewProblem(http.StatusConflict, "This person is archived. Take them back into use first.")
	}
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	s.invited()
	if a.ByMail {
		return api.Answer(WayIn{ID: in.ID}, nil)
	}
	return api.Answer(WayIn{in.ID, InvitationPath(token)}, nil)
}

// invited tells open screens, and the queue of messages.
func (s *Desk) invited() {
	s.Hub.Tell(live.Calendars)
	s.Hub.Tell(live.Messages)
	s.Runner.Wake()
}

// Invited is somebody who was asked, with the address to hand over, or the mail address
// to which it goes.
type Invited struct {
	WayIn
	Name string `json:"name"`
	Mail string `json:"mail" doc:"Where the address goes; empty for one to hand over."`
}

// AllInvited are those who were asked, and those who were left out for want of a mail
// address.
type AllInvited struct {
	Items  []Invited `json:"items"`
	NoMail []string  `json:"noMail" doc:"The names of who was left out, having no mail address."`
}

func (s *Desk) inviteAll(ctx context.Context, in *struct {
	Body *Asking `required:"false"`
}) (*api.Body[AllInvited], error) {
	a := Asking{}
	if in.Body != nil {
		a = *in.Body
	}
	db := s.DB.Read(ctx)
	tell, err := s.tell(db, a)
	if err != nil {
		return nil, err
	}
	staff, err := db.StaffUnlinked()
	if err != nil {
		return nil, err
	}
	out := AllInvited{Items: []Invited{}, NoMail: []string{}}
	for _, m := range staff {
		if a.ByMail && m.Email == "" {
			out.NoMail = append(out.NoMail, m.Name)
			continue
		}
		token, err := s.People.Invite(ctx, m.ID, tell)
		if errors.Is(err, people.ErrArchived) || store.IsMissing(err) {
			continue // since it was looked
		}
		if err != nil {
			return nil, err
		}
		v := Invited{WayIn: WayIn{m.ID, InvitationPath(token)}, Name: m.Name}
		if a.ByMail {
			v.Path, v.Mail = "", m.Email
		}
		out.Items = append(out.Items, v)
	}
	s.invited()
	return api.Answer(out, nil)
}

func (s *Desk) withdraw(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	err := s.People.Withdraw(ctx, in.ID, func(tx store.Tx) error { return s.Messages.Overtake(tx, message.AboutLinking(in.ID)) })
	if errors.Is(err, people.ErrNoWayIn) {
		return nil, api.NewProblem(http.StatusConflict, "They have come in already, so there is nothing to withdraw.")
	}
	s.Hub.Tell(live.Calendars)
	return nil, api.Found(err, "invitation")
}

// linkingOf says how far somebody is.
func linkingOf(l store.Linking, zone hours.Zone, now span.Instant) Linking {
	at := func(state, said string, since span.Instant) Linking {
		v := Linking{State: state, Words: said}
		if since > 1 {
			v.When = words.In{Zone: zone}.Local(since).Format("Mon 2 Jan")
			v.Words += " " + v.When
		}
		return v
	}
	switch {
	case l.ProvedAt > 0 && l.ProvedAt >= l.ChosenAt:
		return at("proved", "proved", l.ProvedAt)
	case l.ChosenAt > 0:
		return at("chosen", "chosen", l.ChosenAt)
	case l.LinkedAt > 0:
		return at("linked", "linked", l.LinkedAt)
	case l.DeclinedAt > 0:
		v := at("declined", "declined", l.DeclinedAt)
		v.Why = l.Why
		return v
	case l.OpenedAt > 0:
		return at("opened", "opened", l.OpenedAt)
	case l.AskedAt == 0:
		return Linking{State: "none"}
	case l.ExpiresAt <= now:
		return at("lapsed", "asked in vain", l.AskedAt)
	}
	return at("asked", "asked", l.AskedAt)
}
