package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"niche/internal/link"
	"niche/internal/oauth"
	"niche/internal/people"
	"niche/internal/store"
	"niche/internal/words"
)

// Away is where a browser goes to sign in at a host.
type Away struct {
	Address string `json:"address"`
}

// Returned is what a browser brings back from a host (RFC 6749, section 4.1.2; RFC 9207).
type Returned struct {
	Code        string `json:"code,omitempty" maxLength:"4000"`
	State       string `json:"state" maxLength:"200"`
	Issuer      string `json:"iss,omitempty" maxLength:"500"`
	Error       string `json:"error,omitempty" maxLength:"200"`
	Description string `json:"errorDescription,omitempty" maxLength:"2000"`
}

// Came is what came of it.
type Came struct {
	Host  string   `json:"host" doc:"What the calendar host is called."`
	Tried bool     `json:"tried" doc:"It was only tried, by an administrator."`
	Fault string   `json:"fault" doc:"Why it failed, or empty."`
	Notes []string `json:"notes" doc:"What is worth knowing though it went well."`
	Steps []Tried  `json:"steps" doc:"What was done, of a trial."`
}

// Tried is one step of a sign-in that is tried.
type Tried struct {
	Doing string `json:"doing"`
	Good  bool   `json:"good"`
	Raw   string `json:"raw" doc:"What came back, without secrets."`
}

// SignInAt sends whoever asks to a host, to consent there. Of is a link that is renewed,
// or 0.
func (s *Links) SignInAt(ctx context.Context, host, of store.ID) (Away, error) {
	address, err := s.Links.BeginConsent(ctx, Who(ctx).Session, host, of)
	switch {
	case errors.Is(err, link.ErrNoHome):
		return Away{}, NewProblem(http.StatusConflict, "Niche does not know by which address it is reached, so that nobody could come back from the host. Whoever runs it starts it with --url.")
	case errors.Is(err, link.ErrNoSignIn):
		return Away{}, NewProblem(http.StatusConflict, "Nobody can sign in at this host. Use an app password.")
	}
	return Away{address}, Found(err, "calendar host")
}

// clocksApart is how far two clocks may be apart.
const clocksApart = 2 * time.Minute

// ComeBack makes the link of a staff member who comes back from a host, or tells what came
// of an administrator's trial.
func (s *Links) ComeBack(ctx context.Context, r Returned) (Came, error) {
	who := Who(ctx)
	staff := store.ID(0)
	if who.Role == people.RoleStaff {
		staff = who.ID
	}
	came, err := s.Links.EndConsent(ctx, who.Session, staff, oauth.Back{Code: r.Code, State: r.State, Issuer: r.Issuer, Error: r.Error, Description: r.Description})
	switch {
	case errors.Is(err, link.ErrNoConsent):
		return Came{}, NewProblem(http.StatusConflict, "This way back has been used, has ended, or began in another browser. Begin again.")
	case came.Host.ID == 0 && err != nil:
		return Came{}, err
	}
	out := Came{Host: came.Host.Name, Tried: staff == 0, Notes: []string{}, Steps: []Tried{}}
	if err != nil {
		s.Log.Info("signing in at a host", "host", came.Host.Host, "error", err)
		out.Fault = words.OfConsent(err, s.Links.ReturnAddress())
		if errors.Is(err, link.ErrOtherAccount) {
			out.Fault = "The host answers as another account. Sign in there as the one that was linked, or link this one as a new link."
		}
	}
	for _, step := range came.Steps {
		if out.Tried {
			out.Steps = append(out.Steps, Tried{step.Doing, step.Good, step.Raw})
		}
		if apart := s.Now().Sub(step.At); !step.At.IsZero() && apart.Abs() > clocksApart {
			out.Notes = append(out.Notes, fmt.Sprintf("The clock of the host and the one here are %d minutes apart: tokens may count as ended too early or too late.", int(apart.Abs().Minutes())))
		}
	}
	if err == nil && staff != 0 {
		s.changed()
	}
	return out, nil
}
