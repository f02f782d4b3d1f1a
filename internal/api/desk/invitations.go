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
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/words"
)

// Linking is how far somebody is with linking a calendar.
type Linking struct {
	State string `json:"state" enum:"none,asked,lapsed,opened,declined,linked,chosen" doc:"none: nobody asked; lapsed: the address has ended unused; opened: they came in; chosen: some calendar blocks time or gets bookings."`
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

func (s *Desk) invite(ctx context.Context, in *api.IDPath) (*api.Body[WayIn], error) {
	token, err := s.People.Invite(ctx, in.ID)
	if errors.Is(err, people.ErrArchived) {
		return nil, api.NewProblem(http.StatusConflict, "This person is archived. Take them back into use first.")
	}
	if err != nil {
		return nil, api.Found(err, "staff member")
	}
	s.Hub.Tell(live.Calendars)
	return api.Answer(WayIn{in.ID, InvitationPath(token)}, nil)
}

// Invited is somebody who was asked, with the address to hand over.
type Invited struct {
	WayIn
	Name string `json:"name"`
}

func (s *Desk) inviteAll(ctx context.Context, _ *struct{}) (*api.Body[api.List[Invited]], error) {
	staff, err := s.DB.Read(ctx).StaffUnlinked()
	if err != nil {
		return nil, err
	}
	out := api.List[Invited]{Items: []Invited{}}
	for _, m := range staff {
		token, err := s.People.Invite(ctx, m.ID)
		if errors.Is(err, people.ErrArchived) || store.IsMissing(err) {
			continue // since it was looked
		}
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, Invited{WayIn{m.ID, InvitationPath(token)}, m.Name})
	}
	s.Hub.Tell(live.Calendars)
	return api.Answer(out, nil)
}

func (s *Desk) withdraw(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	err := s.People.Withdraw(ctx, in.ID)
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
