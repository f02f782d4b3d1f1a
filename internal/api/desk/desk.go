// Package desk is the API of administrators: the team, services, rooms, closures, links,
// the wall, bookings, and who is at the desk.
package desk

import (
	"log/slog"
	"net/http"
	"slices"
	"strings"
	"time"

	"niche/internal/api"
	"niche/internal/booking"
	"niche/internal/files"
	"niche/internal/footfall"
	"niche/internal/gateway"
	"niche/internal/live"
	"niche/internal/message"
	"niche/internal/people"
	"niche/internal/proof"
	"niche/internal/store"
	"niche/internal/work"
)

// Settings of the administrators' part.
type Settings struct {
	DB       *store.DB
	People   *people.People
	Links    *api.Links
	Runner   *work.Runner
	Bookings *booking.Bookings
	Proofs   *proof.Proofs
	Messages *message.Messages
	Gateways gateway.Gateways
	Files    *files.Files
	Footfall *footfall.Counts

	Hub      *live.Hub
	Outbound *http.Client // for addresses that users give
	Log      *slog.Logger
	Now      func() time.Time
	Secure   bool // cookies are sent over https only
	About    About
}

// Desk is the administrators' part of the API.
type Desk struct {
	Settings
	rules api.Rules
}

// New returns the administrators' part.
func New(s Settings) *Desk {
	return &Desk{s, api.Rules{DB: s.DB, Hub: s.Hub, Runner: s.Runner, Now: s.Now}}
}

// Register adds the resources.
func (s *Desk) Register(r api.Routes) {
	s.registerGate(r.For(api.Readers), r.For(api.Comers))
	a := r.For(api.Administrators)
	s.registerSession(a)
	s.registerAdministrators(a)
	s.registerSettings(a)
	s.registerMail(a)
	s.registerGateways(a)

	s.registerTrail(a)
	s.registerStaff(a)
	s.registerLinks(a)
	s.registerHosts(a)
	s.registerInvitations(a)
	s.registerServices(a)
	s.registerPreview(a)
	s.registerResources(a)
	s.registerArchive(a)
	s.registerClosures(a)
	s.registerWall(a)
	s.registerAttention(a)
	s.registerProofs(a)
	s.registerBookings(a)
	s.registerRelief(a)
	s.registerClients(a)
	s.registerCollections(a)
	s.registerTrials(a)
	s.registerFiles(a)

	s.registerMessages(a)
	s.registerFind(a)
	s.registerHealth(a)
	s.registerBegin(a)
}

// toldApart refuses a name that something else in use bears already, whatever the
// case of its letters. What keeps its name keeps it.
func toldApart(tx store.Tx, record any, id store.ID, was, name string) error {
	if was == name {
		return nil
	}
	names, err := tx.Names(record, id)
	if err != nil {
		return err
	}
	same := func(other string) bool { return strings.EqualFold(strings.TrimSpace(other), strings.TrimSpace(name)) }
	if slices.ContainsFunc(names, same) {
		return api.Wrong("name", "This name is taken. Add something by which the two can be told apart.")
	}
	return nil
}
