package member

import (
	"context"
	"net/http"

	"niche/internal/api"
)

func (s *Member) getHours(ctx context.Context, _ *struct{}) (*api.Body[api.HoursNow], error) {
	return api.Answer(s.rules.HoursOf(ctx, api.Who(ctx).ID))
}

func (s *Member) getDays(ctx context.Context, _ *struct{}) (*api.Body[api.DaysNow], error) {
	return api.Answer(s.rules.DaysOf(ctx, api.Who(ctx).ID))
}

func (s *Member) listClosures(ctx context.Context, _ *struct{}) (*api.Body[api.List[api.Closure]], error) {
	return api.Answer(s.rules.Closures(ctx))
}

// keepsHours refuses changes where the desk keeps somebody's hours.
func (s *Member) keepsHours(ctx context.Context) error {
	m, err := s.DB.Read(ctx).Staff(api.Who(ctx).ID)
	if err == nil && !m.OwnHours {
		err = api.NewProblem(http.StatusForbidden, "Your desk keeps your hours. Ask there for a change.")
	}
	return err
}

func (s *Member) changeHours(ctx context.Context, in *api.ChangingHours) (*api.Body[api.HoursNow], error) {
	if err := s.keepsHours(ctx); err != nil {
		return nil, err
	}
	return api.Answer(s.rules.ChangeHours(ctx, api.Who(ctx).ID, in))
}

func (s *Member) changeDays(ctx context.Context, in *api.ChangingDays) (*api.Body[api.DaysNow], error) {
	if err := s.keepsHours(ctx); err != nil {
		return nil, err
	}
	return api.Answer(s.rules.ChangeDays(ctx, api.Who(ctx).ID, in))
}
