package api

import (
	"context"
	"net/http"

	"gorm.io/gorm"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/live"
	"niche/internal/store"
)

// Accepting is how many bookings may stop fitting the rules by a change. A
// change that leaves more is refused with their list, and nothing is saved.
type Accepting struct {
	Accept int `query:"accept" minimum:"0" default:"0" doc:"How many bookings may stop fitting the rules by this change; they are kept all the same."`
}

// Misfit is a booking that a change of rules would leave outside them.
type Misfit struct {
	ID        store.ID `json:"id"`
	Reference string   `json:"reference"`
	Client    string   `json:"client"`
	Service   string   `json:"service"`
	Staff     string   `json:"staff"`
	When      string   `json:"when"`
	Reasons   []string `json:"reasons"`
}

// shownMisfits is how many bookings are named when a change leaves many outside.
const shownMisfits = 50

// change changes rules in one transaction, and tells open screens. The bookings
// that fitted before and would not any more are counted first: when there are
// more than accepted, the change is refused with their list.
func (s *server) change(ctx context.Context, accepting Accepting, apply func(tx *gorm.DB) error) error {
	now := span.At(s.Now())
	err := s.DB.Write(ctx, func(tx *gorm.DB) error {
		before, err := booking.Misfits(tx, now)
		if err != nil {
			return err
		}
		if err := apply(tx); err != nil {
			return err
		}
		after, err := booking.Misfits(tx, now)
		if err != nil {
			return err
		}
		known := map[store.ID]bool{}
		for _, m := range before {
			known[m.Booking.ID] = true
		}
		var fresh []booking.Misfit
		for _, m := range after {
			if !known[m.Booking.ID] {
				fresh = append(fresh, m)
			}
		}
		if len(fresh) <= accepting.Accept {
			return nil
		}
		return s.misfits(tx, fresh)
	})
	if err == nil {
		s.Hub.Tell(live.Rules)
		s.Engine.Wake()
	}
	return err
}

// misfits is the refusal of a change that leaves bookings outside the rules.
func (s *server) misfits(tx *gorm.DB, list []booking.Misfit) error {
	var b store.Business
	if err := tx.Take(&b).Error; err != nil {
		return err
	}
	zone, err := hours.LoadZone(b.Zone)
	if err != nil {
		return err
	}
	text := texts{zone: zone}
	p := newProblem(http.StatusConflict, "Some bookings would no longer fit. They are kept as they are, if you save.")
	p.MisfitCount = len(list)
	for _, m := range list[:min(shownMisfits, len(list))] {
		p.Misfits = append(p.Misfits, renderMisfit(m, text))
	}
	return p
}

func renderMisfit(m booking.Misfit, text texts) Misfit {
	out := Misfit{ID: m.Booking.ID, Reference: m.Booking.Reference, Client: m.Booking.ClientName, Service: m.Service, Staff: m.Staff,
		When: text.local(m.Visit.Start).Format("Mon 2 Jan 2006, ") + text.stretch(m.Visit.During()).Label, Reasons: []string{}}
	for _, r := range m.Reasons {
		out.Reasons = append(out.Reasons, string(r))
	}
	return out
}
