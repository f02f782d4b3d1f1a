package desk

import (
	"context"
	"fmt"
	"net/http"
	"net/url"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/merge"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/outbox"
	"niche/internal/store"
)

// defaultAhead is how many bookings ahead one mail address may have, unless the business
// says otherwise.
const defaultAhead = 5

// BusinessSettings is what can be said of the business as a whole.
type BusinessSettings struct {
	Business
	Outside OutsideTexts `json:"outside,omitempty" doc:"What copies of visits say in outside calendars; kept as they are when left out."`
	LeadsTo []string     `json:"leadsTo,omitempty" required:"false" maxItems:"20" doc:"Hosts to which clients may be led on once they have booked, as workshop.example."`
	Ahead   int          `json:"ahead" minimum:"1" maximum:"1000" doc:"How many bookings ahead one mail address may have."`
}

// OutsideTexts are what copies of visits say in outside calendars, with fields in braces.
type OutsideTexts struct {
	Title       string `json:"title" maxLength:"200"`
	Place       string `json:"place" maxLength:"300"`
	Description string `json:"description" maxLength:"2000"`
}

// OutsideExample is what a copy would say.
type OutsideExample struct {
	OutsideTexts
	Of     string            `json:"of" doc:"Of which booking; empty where there is none, and one is made up."`
	Fields []merge.TextField `json:"fields"`
}

// check refuses a field that there is not, where it stands.
func (o OutsideTexts) check(prefix string) error {
	if strings.TrimSpace(o.Title) == "" {
		return api.Wrong(prefix+"title", "A title is needed, by which the visit is known.")
	}
	for _, t := range [][2]string{{"title", o.Title}, {"place", o.Place}, {"description", o.Description}} {
		if err := knownFields(prefix+t[0], t[1], outbox.Fields); err != nil {
			return err
		}
	}
	return nil
}

// SettingsNow are the settings as they are saved.
type SettingsNow struct {
	BusinessSettings
	Version int64 `json:"version"`
}

// About is the program itself.
type About struct {
	Version  string       `json:"version"`
	Go       string       `json:"go"`
	Database string       `json:"database" doc:"The version of SQLite."`
	ZoneData string       `json:"zoneData" doc:"Where the data of time zones come from, and which they are."`
	Folder   string       `json:"folder" doc:"The data folder on the server."`
	Bytes    int64        `json:"bytes" doc:"The size of the database."`
	Began    span.Instant `json:"began" format:"date-time" doc:"Since when the program runs."`
}

func (s *Desk) registerSettings(a huma.API) {
	huma.Register(a, api.Get("/api/settings", "getSettings", "The business as a whole"), s.getSettings)
	huma.Register(a, api.Put("/api/settings", "changeSettings", "Change the business as a whole"), s.changeSettings)
	huma.Register(a, api.Post("/api/settings/outside", "showOutside", "What a copy of a visit would say outside", http.StatusOK), s.showOutside)
	huma.Register(a, api.Get("/api/about", "getAbout", "The program itself"), s.getAbout)
}

func (s *Desk) getSettings(ctx context.Context, _ *struct{}) (*api.Body[SettingsNow], error) {
	return api.Answer(s.settings(ctx))
}

func (s *Desk) settings(ctx context.Context) (out SettingsNow, err error) {
	err = s.DB.View(ctx, func(tx store.Tx) error {
		out, err = settingsOf(tx)
		return err
	})
	return out, err
}

func settingsOf(tx store.Tx) (out SettingsNow, err error) {
	b, err := tx.Business()
	if err != nil {
		return out, err
	}
	out.BusinessSettings = BusinessSettings{renderBusiness(b), OutsideTexts{b.CopyTitle, b.CopyPlace, b.CopyDescription}, append([]string{}, b.LeadsTo...), b.AheadPerMail}
	out.Version, err = tx.Version(store.Settings)
	return out, err
}

func (s *Desk) changeSettings(ctx context.Context, in *struct {
	api.Over
	Body BusinessSettings
}) (*api.Body[SettingsNow], error) {
	over, err := in.Expected(store.Settings)
	if err != nil {
		return nil, err
	}
	next, err := in.Body.row(store.Business{AheadPerMail: in.Body.Ahead}, "")
	for i, host := range in.Body.LeadsTo {
		host = strings.ToLower(strings.TrimSpace(host))
		if u, wrong := url.Parse("https://" + host); wrong != nil || u.Host != host || host == "" || strings.ContainsAny(host, "*'; ,@") {
			return nil, api.Wrong(fmt.Sprintf("leadsTo[%d]", i), "This is not the name of a host alone, as workshop.example.")
		}
		next.LeadsTo = append(next.LeadsTo, host)
	}
	texts := in.Body.Outside
	if err == nil && texts != (OutsideTexts{}) {
		err = texts.check("outside.")
	}
	if err != nil {
		return nil, err
	}
	_, err = s.rules.Change(ctx, api.Accepting{}, over, nil, func(tx store.Tx) error {
		before, err := settingsOf(tx)
		if err != nil {
			return err
		}
		now, err := tx.Business()
		if err != nil {
			return err
		}
		next.ProofDay, next.ProofMinute, next.ProofSince = now.ProofDay, now.ProofMinute, now.ProofSince
		if texts == (OutsideTexts{}) {
			texts = before.Outside
		}
		next.CopyTitle, next.CopyPlace, next.CopyDescription = texts.Title, texts.Place, texts.Description
		if err := tx.SaveBusiness(next); err != nil {
			return err
		}
		if texts != before.Outside {
			if err := outbox.Rewrite(tx, 0, span.At(s.Now())); err != nil {
				return err
			}
		}
		after := in.Body
		after.Outside = texts
		return tx.Note(span.At(s.Now()), "changed", "settings", 0, next.Name, before.BusinessSettings, after)
	})
	current := func() (SettingsNow, error) { return s.settings(ctx) }
	if err != nil {
		return nil, api.Stale(err, current, func(n SettingsNow) int64 { return n.Version })
	}
	s.Runner.Wake()
	return api.Answer(current())
}

func (s *Desk) showOutside(ctx context.Context, in *struct{ Body OutsideTexts }) (*api.Body[OutsideExample], error) {
	if err := in.Body.check(""); err != nil {
		return nil, err
	}
	db := s.DB.Read(ctx)
	says, err := db.AnySays(span.At(s.Now()))
	if err != nil {
		return nil, err
	}
	out := OutsideExample{Fields: outbox.Fields}
	if len(says.Bookings) == 0 {
		says.Service, says.Bookings = store.Service{Name: "Home tuning", Place: "At the client’s"}, []store.Booking{{ClientName: "Rosa Osei", ClientMail: "rosa@clients.example", Reference: "K7M-2QXA", Places: 1}}
	} else {
		out.Of = says.Bookings[0].Reference
	}
	if says.Place, err = outbox.PlaceOf(db, says); err != nil {
		return nil, err
	}
	said := outbox.Said(outbox.Texts(in.Body), says)
	out.OutsideTexts = OutsideTexts(said)
	return api.Answer(out, nil)
}

func (s *Desk) getAbout(ctx context.Context, _ *struct{}) (*api.Body[About], error) {
	out := s.About
	var err error
	out.Database, out.Bytes, err = s.DB.Read(ctx).About()
	return api.Answer(out, err)
}
