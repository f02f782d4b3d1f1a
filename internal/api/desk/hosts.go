package desk

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/link"
	"niche/internal/live"
	"niche/internal/source/caldav"
	"niche/internal/store"
	"niche/internal/words"
)

// CalendarHost is a calendar host that the business knows by a name.
type CalendarHost struct {
	api.NamedHost
	SignIn    SignInFields `json:"signIn"`
	HasSecret bool         `json:"hasSecret" doc:"Whether the host has given a client secret."`
	Version   int64        `json:"version"`
}

// SignInFields is how people sign in at a calendar host, by OAuth 2; with no client id
// they cannot.
type SignInFields struct {
	ClientID    string   `json:"clientId" maxLength:"500" doc:"As which this program is registered there; empty where nobody signs in."`
	Issuer      string   `json:"issuer" maxLength:"500" doc:"By which the host calls itself (RFC 8414), or empty."`
	TellsIssuer bool     `json:"tellsIssuer" doc:"It says with every answer who it is (RFC 9207): one that does not is not believed."`
	Authorize   string   `json:"authorize" maxLength:"500" doc:"The address at which people consent."`
	Token       string   `json:"token" maxLength:"500" doc:"The address at which tokens are had."`
	Revoke      string   `json:"revoke" maxLength:"500" doc:"The address at which they are given back (RFC 7009), or empty."`
	Scopes      []string `json:"scopes" maxItems:"30" doc:"That are asked for."`
}

// HostEntry is what can be said of a calendar host, with a client secret that is given
// anew, or not.
type HostEntry struct {
	api.HostFields
	SignIn       SignInFields `json:"signIn,omitempty"`
	ClientSecret string       `json:"clientSecret,omitempty" maxLength:"500" doc:"Empty to keep the present one."`
}

// CalendarHosts are all of them.
type CalendarHosts struct {
	Items         []CalendarHost `json:"items"`
	ReturnAddress string         `json:"returnAddress" doc:"The address that has to be registered at a host, to which people come back; empty where Niche's own is not known."`
}

// Issuer names a host whose description is looked up.
type Issuer struct {
	Issuer string `json:"issuer" minLength:"1" maxLength:"500"`
}

func signInOf(h store.Host) SignInFields {
	return SignInFields{h.ClientID, h.Issuer, h.TellsIssuer, h.AuthorizeAddress, h.TokenAddress, h.RevokeAddress, append([]string{}, h.Scopes...)}
}

func (s *Desk) registerHosts(a huma.API) {
	huma.Register(a, api.Get("/api/hosts", "listHosts", "The calendar hosts that are known by a name"), s.listHosts)
	huma.Register(a, api.Post("/api/hosts", "addHost", "Name a calendar host", http.StatusCreated), s.addHost)
	huma.Register(a, api.Put("/api/hosts/{id}", "changeHost", "Change a calendar host"), s.changeHost)
	huma.Register(a, api.Post("/api/hosts/metadata", "lookHostUp", "Look up what a host says of how people sign in there", http.StatusOK), s.lookHostUp)
	huma.Register(a, api.Post("/api/hosts/{id}/trial", "tryHost", "Go to a calendar host and sign in there, to try it", http.StatusOK), s.tryHost)
	huma.Register(a, api.Delete("/api/hosts/{id}", "removeHost", "Forget a calendar host; links to it stay"), s.removeHost)
}

// hosts renders calendar hosts with their versions.
func (s *Desk) hosts(tx store.Tx, rows []store.Host) ([]CalendarHost, error) {
	things := make([]store.Thing, len(rows))
	for i, r := range rows {
		things[i] = store.HostDetails(r.ID)
	}
	versions, err := tx.Versions(things)
	out := make([]CalendarHost, len(rows))
	for i, r := range rows {
		named := api.NamedHost{ID: r.ID, HostFields: api.FieldsOfHost(r), LetsSignIn: r.LetsSignIn()}
		out[i] = CalendarHost{named, signInOf(r), len(r.ClientSecret) > 0, versions[things[i]]}
	}
	return out, err
}

func (s *Desk) listHosts(ctx context.Context, _ *struct{}) (*api.Body[CalendarHosts], error) {
	out := CalendarHosts{ReturnAddress: s.Links.Links.ReturnAddress()}
	err := s.DB.View(ctx, func(tx store.Tx) error {
		rows, err := tx.Hosts()
		if err == nil {
			out.Items, err = s.hosts(tx, rows)
		}
		return err
	})
	return api.Answer(out, err)
}

func (s *Desk) host(ctx context.Context, id store.ID) (out CalendarHost, err error) {
	err = s.DB.View(ctx, func(tx store.Tx) error {
		h, err := tx.Host(id)
		if err != nil {
			return api.Found(err, "calendar host")
		}
		all, err := s.hosts(tx, []store.Host{h})
		out = all[0]
		return err
	})
	return out, err
}

func (s *Desk) lookHostUp(ctx context.Context, in *struct{ Body Issuer }) (*api.Body[SignInFields], error) {
	h, err := s.Links.Links.Metadata(ctx, in.Body.Issuer)
	if err != nil {
		return nil, api.Wrong("signIn.issuer", "No description was found there: "+words.Of(err).Text)
	}
	return api.Answer(SignInFields{Issuer: h.Issuer, TellsIssuer: h.TellsIssuer, Authorize: h.Authorize, Token: h.Token, Revoke: h.Revoke, Scopes: append([]string{}, h.Scopes...)}, nil)
}

func (s *Desk) tryHost(ctx context.Context, in *api.IDPath) (*api.Body[api.Away], error) {
	return api.Answer(s.Links.SignInAt(ctx, in.ID, 0))
}

func (s *Desk) addHost(ctx context.Context, in *struct{ Body HostEntry }) (*api.Body[CalendarHost], error) {
	return s.saveHost(ctx, 0, nil, in.Body)
}

func (s *Desk) changeHost(ctx context.Context, in *struct {
	api.IDPath
	api.Over
	Body HostEntry
}) (*api.Body[CalendarHost], error) {
	over, err := in.Expected(store.HostDetails(in.ID))
	if err != nil {
		return nil, err
	}
	return s.saveHost(ctx, in.ID, over, in.Body)
}

// readHost reads the fields into a record.
func (s *Desk) readHost(f HostEntry, row *store.Host) error {
	address, err := caldav.Address(f.Address)
	if err != nil {
		return api.Wrong("address", words.Of(err).Text)
	}
	row.Name, row.Address, row.Host, row.Domains = f.Name, link.Whole(f.Address), strings.ToLower(address.Host), []string{}
	for i, d := range f.Domains {
		d = strings.ToLower(strings.TrimPrefix(strings.TrimSpace(d), "@"))
		if !strings.Contains(strings.Trim(d, "."), ".") || strings.ContainsAny(d, " /@:") {
			return api.Wrong(fmt.Sprintf("domains[%d]", i), "This is not the domain of a mail address, as in castellane.example.")
		}
		if !slices.Contains(row.Domains, d) {
			row.Domains = append(row.Domains, d)
		}
	}
	return s.readSignIn(f, row)
}

// readSignIn reads how people sign in at a host. The client secret of before is kept
// where none is given, as long as it is for the same client there.
func (s *Desk) readSignIn(f HostEntry, row *store.Host) error {
	before := *row
	in := f.SignIn
	row.ClientID, row.Issuer, row.TellsIssuer = in.ClientID, in.Issuer, in.TellsIssuer
	row.AuthorizeAddress, row.TokenAddress, row.RevokeAddress, row.Scopes = in.Authorize, in.Token, in.Revoke, append([]string{}, in.Scopes...)
	if in.ClientID == "" {
		row.ClientSecret = nil
		return nil
	}
	for _, at := range []struct {
		field, text string
		needed      bool
	}{{"authorize", in.Authorize, true}, {"token", in.Token, true}, {"revoke", in.Revoke, false}} {
		if at.text == "" && !at.needed {
			continue
		}
		if u, err := url.Parse(at.text); err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" || u.User != nil || u.Fragment != "" {
			return api.Wrong("signIn."+at.field, "This is not a web address, as in https://calendar.example/authorize.")
		}
	}
	for i, scope := range in.Scopes {
		if scope == "" || strings.ContainsAny(scope, " \"\\") {
			return api.Wrong(fmt.Sprintf("signIn.scopes[%d]", i), "This is not a scope.")
		}
	}
	switch same := before.ClientID == row.ClientID && before.TokenAddress == row.TokenAddress; {
	case f.ClientSecret != "":
		*row = s.Links.Links.WithClientSecret(*row, f.ClientSecret)
	case !same:
		row.ClientSecret = nil
	}
	return nil
}

func (s *Desk) saveHost(ctx context.Context, id store.ID, over *store.Expected, f HostEntry) (*api.Body[CalendarHost], error) {
	now := span.At(s.Now())
	row := store.Host{CreatedAt: now}
	err := s.DB.Write(ctx, func(tx store.Tx) (err error) {
		var before any
		deed := "added"
		if id != 0 {
			if row, err = tx.Host(id); err != nil {
				return api.Found(err, "calendar host")
			}
			if _, err := tx.Meet(*over); err != nil {
				return err
			}
			before, deed = hostInTrail(row), "changed"
		}
		if err := s.readHost(f, &row); err != nil {
			return err
		}
		all, err := tx.Hosts()
		if err != nil {
			return err
		}
		if id == 0 && len(all) >= store.MaxHosts {
			return api.NewProblem(http.StatusConflict, "There are as many calendar hosts as there can be.")
		}
		for _, h := range all {
			switch {
			case h.ID == id:
			case strings.EqualFold(h.Name, row.Name):
				return api.Wrong("name", "Another calendar host has this name.")
			case h.Host == row.Host:
				return api.Wrong("address", fmt.Sprintf("“%s” is at this address already.", h.Name))
			}
			for i, d := range row.Domains {
				if h.ID != id && slices.Contains(h.Domains, d) {
					return api.Wrong(fmt.Sprintf("domains[%d]", i), fmt.Sprintf("“%s” serves these mail addresses already.", h.Name))
				}
			}
		}
		if err := tx.SaveHost(&row); err != nil {
			return err
		}
		return tx.Note(now, deed, "host", row.ID, row.Name, before, hostInTrail(row))
	})
	current := func() (CalendarHost, error) { return s.host(ctx, row.ID) }
	if err != nil {
		return nil, api.Stale(err, current, func(h CalendarHost) int64 { return h.Version })
	}
	s.Hub.Tell(live.Calendars)
	return api.Answer(current())
}

// hostInTrail is what the trail keeps of a host: no secret.
func hostInTrail(h store.Host) any {
	return struct {
		api.HostFields
		SignInFields
	}{api.FieldsOfHost(h), signInOf(h)}
}

func (s *Desk) removeHost(ctx context.Context, in *api.IDPath) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		row, err := tx.Host(in.ID)
		if err != nil {
			return api.Found(err, "calendar host")
		}
		if err := tx.DeleteHost(row.ID); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "removed", "host", row.ID, row.Name, hostInTrail(row), nil)
	})
	s.Hub.Tell(live.Calendars)
	return nil, err
}
