package desk

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/danielgtaylor/huma/v2"
	"github.com/google/uuid"

	"niche/core/merge"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/meeting"
	"niche/internal/message"
	"niche/internal/payment"
	"niche/internal/store"
	"niche/internal/telephone"
	"niche/internal/words"
)

// GatewayFields is what can be said of a small service outside, but for its keys.
type GatewayFields struct {
	Address string `json:"address" maxLength:"300" doc:"Of its interface, as https://rooms.example/api; empty for none."`
	Body    string `json:"body" maxLength:"2000" required:"false" doc:"Of a text gateway: what it is sent, as JSON with fields in braces."`
}

// GatewayEntry is a small service with keys that are given anew, or not.
type GatewayEntry struct {
	GatewayFields
	Key     string `json:"key,omitempty" maxLength:"500" doc:"By which it is asked; empty to keep the present one."`
	Notices string `json:"notices,omitempty" maxLength:"500" doc:"Of a payment host: the key with which it signs its notices; empty to keep the present one."`
}

// GatewayNow is a small service outside, and how it fares.
type GatewayNow struct {
	Kind string `json:"kind" enum:"rooms,texts,payments"`
	GatewayFields
	HasKey     bool              `json:"hasKey"`
	HasNotices bool              `json:"hasNotices"`
	Version    int64             `json:"version"`
	Waiting    int               `json:"waiting" doc:"How many things could not be done there yet."`
	Error      string            `json:"error" doc:"Why, or empty."`
	Services   []string          `json:"services" doc:"The services that need it."`
	Fields     []merge.TextField `json:"fields" doc:"What the body can name."`
	Usual      string            `json:"usual" doc:"The body where nobody has said otherwise."`
	NoticesTo  string            `json:"noticesTo" doc:"The address to which a payment host sends its notices."`
}

// GatewayTrial is what came of a trial.
type GatewayTrial struct {
	Done  bool   `json:"done"`
	Words string `json:"words"`
}

func (s *Desk) registerGateways(a huma.API) {
	huma.Register(a, api.Get("/api/gateways", "listGateways", "The small services outside: a meeting host, a text gateway, a payment host"), s.listGateways)
	huma.Register(a, api.Get("/api/gateways/{kind}", "getGateway", "A small service outside"), s.getGateway)
	huma.Register(a, api.Put("/api/gateways/{kind}", "changeGateway", "Change a small service outside"), s.changeGateway)
	huma.Register(a, api.Post("/api/gateways/{kind}/trial", "tryGateway", "Try a small service outside as it is saved", http.StatusOK), s.tryGateway)
}

var gatewayKinds = []store.GatewayKind{store.Rooms, store.Texts, store.Payments}

func (s *Desk) listGateways(ctx context.Context, _ *struct{}) (*api.Body[api.List[GatewayNow]], error) {
	out := api.List[GatewayNow]{Items: []GatewayNow{}}
	for _, k := range gatewayKinds {
		g, err := s.gateway(ctx, k)
		if err != nil {
			return nil, err
		}
		out.Items = append(out.Items, g)
	}
	return api.Answer(out, nil)
}

func (s *Desk) getGateway(ctx context.Context, in *KindPath) (*api.Body[GatewayNow], error) {
	return api.Answer(s.gateway(ctx, store.GatewayKind(in.Kind)))
}

func (s *Desk) gateway(ctx context.Context, k store.GatewayKind) (out GatewayNow, err error) {
	out = GatewayNow{Kind: string(k), Services: []string{}, Fields: []merge.TextField{}}
	if k == store.Texts {
		out.Fields, out.Usual = message.TextFields, message.UsualTextBody
	}
	if k == store.Payments {
		out.NoticesTo = s.Messages.Home + "/api/payments/notices"
	}
	err = s.DB.View(ctx, func(tx store.Tx) error {
		g, err := tx.Gateway(k)
		if err != nil && !store.IsMissing(err) {
			return err
		}
		out.Address, out.Body, out.HasKey, out.HasNotices = g.Address, g.Body, len(g.Key) > 0, len(g.Notices) > 0
		if out.Version, err = tx.Version(store.GatewayDetails(k)); err != nil {
			return err
		}
		if out.Waiting, out.Error, err = tx.GatewayFares(k); err != nil {
			return err
		}
		services, err := tx.ServicesInUse()
		for _, v := range services {
			if needs := map[store.GatewayKind]bool{store.Rooms: v.Venue == store.Online, store.Texts: len(v.Messages.ByText) > 0, store.Payments: v.Prepaid > 0}; needs[k] {
				out.Services = append(out.Services, v.Name)
			}
		}
		return err
	})
	return out, err
}

// KindPath names a small service outside in a path.
type KindPath struct {
	Kind string `path:"kind" enum:"rooms,texts,payments"`
}

func (s *Desk) changeGateway(ctx context.Context, in *struct {
	KindPath
	api.Over
	Body GatewayEntry
}) (*api.Body[GatewayNow], error) {
	kind := store.GatewayKind(in.Kind)
	over, err := in.Expected(store.GatewayDetails(kind))
	if err != nil {
		return nil, err
	}
	err = s.DB.Write(ctx, func(tx store.Tx) error {
		before, err := tx.Gateway(kind)
		missing := store.IsMissing(err)
		if err != nil && !missing {
			return err
		}
		var was any
		if !missing {
			was = GatewayFields{before.Address, before.Body}
		}
		if _, err := tx.Meet(*over); err != nil {
			return err
		}
		now := span.At(s.Now())
		if in.Body.Address == "" {
			return errors.Join(tx.RemoveGateway(kind), tx.Note(now, "removed", "gateway", 0, in.Kind, was, nil))
		}
		row, err := s.readGateway(kind, in.Body, before)
		if err != nil {
			return err
		}
		return errors.Join(tx.SaveGateway(row), tx.MessagesForward(store.ByText, now), tx.MeetingsForward(now), tx.PaymentsForward(now),
			tx.Note(now, "changed", "gateway", 0, in.Kind, was, GatewayFields{row.Address, row.Body}))
	})
	current := func() (GatewayNow, error) { return s.gateway(ctx, kind) }
	if err != nil {
		return nil, api.Stale(err, current, func(n GatewayNow) int64 { return n.Version })
	}
	s.Hub.Tell(live.Messages)
	s.Runner.Wake()
	return api.Answer(current())
}

// readGateway reads an entry into a record. Without a key the one before is kept, as long as it
// is for the same address.
func (s *Desk) readGateway(kind store.GatewayKind, e GatewayEntry, before store.Gateway) (row store.Gateway, err error) {
	u, err := url.Parse(strings.TrimSpace(e.Address))
	if err != nil || u.Host == "" || u.Scheme != "http" && u.Scheme != "https" || u.User != nil || u.RawQuery != "" || u.Fragment != "" {
		return row, api.Wrong("address", "This is not the address of an interface, as https://rooms.example/api.")
	}
	row = store.Gateway{Kind: kind, Address: strings.TrimSuffix(u.String(), "/")}
	if kind == store.Texts {
		row.Body = e.Body
		if strings.TrimSpace(row.Body) == "" {
			row.Body = message.UsualTextBody
		}
		if err := knownFields("body", row.Body, message.TextFields); err != nil {
			return row, err
		}
		if _, err := message.TextBody(row.Body, "+353", "“Text”\n\\", "1"); err != nil || !strings.Contains(row.Body, "{to}") || !strings.Contains(row.Body, "{text}") {
			return row, api.Wrong("body", "This has to be JSON with {to} and {text} in it, inside of quotation marks.")
		}
	}
	same := before.Address == row.Address
	switch {
	case e.Key != "":
		row = s.Gateways.WithKey(row, e.Key)
	case same:
		row.Key = before.Key
	}
	switch {
	case kind != store.Payments:
	case e.Notices != "":
		row = s.Gateways.WithNotices(row, e.Notices)
	case same && len(before.Notices) > 0:
		row.Notices = before.Notices
	default:
		return row, api.Wrong("notices", "Without this key nobody can tell a notice of the host from another's.")
	}
	return row, nil
}

func (s *Desk) tryGateway(ctx context.Context, in *struct {
	KindPath
	Body struct {
		To string `json:"to" required:"false" maxLength:"40" doc:"Of a text gateway: the telephone number."`
	}
}) (*api.Body[GatewayTrial], error) {
	kind := store.GatewayKind(in.Kind)
	db := s.DB.Read(ctx)
	g, err := db.Gateway(kind)
	if err != nil {
		return nil, api.Found(err, "service outside")
	}
	business, err := db.Business()
	if err != nil {
		return nil, err
	}
	now, name := span.At(s.Now()), "A trial of "+business.Name
	key, done := "trial-"+uuid.NewString(), ""
	switch kind {
	case store.Rooms:
		done = "A room was made there, and taken down again."
		err = meeting.Try(ctx, s.Gateways, g, key, name, span.For(now, 30))
	case store.Payments:
		done = "A payment was asked for there, and taken back again."
		err = payment.Try(ctx, s.Gateways, g, key, name, business.Currency, s.Messages.Home)
	default:
		country := telephone.CountryOf(business.Zone)
		to, ok := telephone.Read(in.Body.To, country)
		if !ok {
			return nil, api.Wrong("to", "This is not a telephone number. Begin with + and the country’s number if it is abroad.")
		}
		done = fmt.Sprintf("It has taken a text to %s.", telephone.Words(to, country))
		err = message.TryText(ctx, s.Gateways, g, key, to, name)
	}
	if err != nil {
		return api.Answer(GatewayTrial{false, words.OfGateway(err)}, nil)
	}
	return api.Answer(GatewayTrial{true, done}, nil)
}
