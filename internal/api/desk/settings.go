package desk

import (
	"context"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/store"
)

// defaultAhead is how many bookings ahead one mail address may have, unless the business
// says otherwise.
const defaultAhead = 5

// BusinessSettings is what can be said of the business as a whole.
type BusinessSettings struct {
	Business
	Ahead int `json:"ahead" minimum:"1" maximum:"1000" doc:"How many bookings ahead one mail address may have."`
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
	out.BusinessSettings = BusinessSettings{renderBusiness(b), b.AheadPerMail}
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
	if err != nil {
		return nil, err
	}
	_, err = s.change(ctx, Accepting{}, over, nil, func(tx store.Tx) error {
		before, err := settingsOf(tx)
		if err != nil {
			return err
		}
		if err := tx.SaveBusiness(next); err != nil {
			return err
		}
		return tx.Note(span.At(s.Now()), "changed", "settings", 0, next.Name, before.BusinessSettings, in.Body)
	})
	current := func() (SettingsNow, error) { return s.settings(ctx) }
	if err != nil {
		return nil, api.Stale(err, current, func(n SettingsNow) int64 { return n.Version })
	}
	return api.Answer(current())
}

func (s *Desk) getAbout(ctx context.Context, _ *struct{}) (*api.Body[About], error) {
	out := s.About
	var err error
	out.Database, out.Bytes, err = s.DB.Read(ctx).About()
	return api.Answer(out, err)
}
