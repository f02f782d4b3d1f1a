package desk

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"reflect"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/live"
	"niche/internal/proof"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// Proofs is all links with what is proved of them, the least sure first.
type Proofs struct {
	Links    []ProvedLink  `json:"links"`
	Words    string        `json:"words" doc:"How many hold, in a sentence."`
	Open     int           `json:"open" doc:"How many proofs wait or run."`
	Stopped  []store.ID    `json:"stopped" doc:"Links whose last proof was stopped: it can be gone on with."`
	Schedule ProofSchedule `json:"schedule"`
}

// ProvedLink is a link with its last proof.
type ProvedLink struct {
	Link  store.ID      `json:"link"`
	Staff store.NamedID `json:"staff"`
	Host  string        `json:"host"`
	// What is in use, each name once.
	Calendars []string `json:"calendars" doc:"Names of the calendars in use."`
	About     string   `json:"about" doc:"What its calendars are for, in words."`
	State     string   `json:"state" enum:"waiting,running,failed,none,held" doc:"Of the proof that waits or runs, or else of the last."`
	Words     string   `json:"words" doc:"What came of the last, or that there was none."`
	When      string   `json:"when" doc:"When the last ended, in a word or two; or empty."`
	Proof     store.ID `json:"proof" doc:"The one that runs, or else the last; 0 for none."`
}

// ProofSchedule says when everybody's links are proved by themselves.
type ProofSchedule struct {
	Day  int    `json:"day" minimum:"0" maximum:"7" doc:"A weekday from 1 for Monday; 0 for never."`
	Time string `json:"time" pattern:"^([01][0-9]|2[0-3]):[0-5][0-9]$" doc:"On the business's clock."`
}

// WhichLinks names links; all where there are none.
type WhichLinks struct {
	Links []store.ID `json:"links" maxItems:"1000"`
}

// ShownProof is a proof, and how it differs from earlier ones.
type ShownProof struct {
	proof.Report
	When     string         `json:"when" doc:"When it began, in words."`
	Compared []ComparedWith `json:"compared"`
}

// ComparedWith is how a proof differs from an earlier one.
type ComparedWith struct {
	Proof store.ID `json:"proof"`
	With  string   `json:"with" doc:"Which it is, as the last one, Monday 23 November."`
	Words string   `json:"words"`
}

// PastProof is an earlier proof of a link.
type PastProof struct {
	ID    store.ID `json:"id"`
	State string   `json:"state"`
	Words string   `json:"words"`
	When  string   `json:"when"`
	By    string   `json:"by" doc:"Whose wish it was, in words."`
}

// ProofSchema returns the JSON Schema of a proof's evidence, as it is exported.
func ProofSchema() ([]byte, error) {
	defs := huma.NewMapRegistry("#/$defs/", huma.DefaultSchemaNamer)
	top := defs.Schema(reflect.TypeFor[proof.Report](), true, "")
	return json.MarshalIndent(map[string]any{"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "A proof of a link", "$ref": top.Ref, "$defs": defs.Map()}, "", "  ")
}

func (s *Desk) registerProofs(a huma.API) {
	huma.Register(a, api.Get("/api/proofs", "getProofs", "All links, with what is proved of them"), s.getProofs)
	huma.Register(a, api.Post("/api/proofs", "prove", "Have links proved", http.StatusNoContent), s.prove)
	huma.Register(a, api.Post("/api/proofs/stop", "stopProofs", "Stop the proofs of links", http.StatusNoContent), s.stopProofs)
	huma.Register(a, api.Put("/api/proofs/schedule", "scheduleProofs", "Say when everybody's links are proved by themselves"), s.scheduleProofs)
	huma.Register(a, api.Get("/api/proofs/{id}", "getProof", "A proof with its evidence"), s.getProof)
	huma.Register(a, api.Get("/api/proofs/{id}/export", "exportProof", "The evidence of a proof as a file"), s.exportProof)
	huma.Register(a, api.Get("/api/links/{id}/proofs", "listProofs", "The proofs of a link, the last first"), s.listProofs)
}

// sureness orders links: the least sure first.
var sureness = []string{"running", "waiting", "failed", "none", "held"}

func (s *Desk) getProofs(ctx context.Context, _ *struct{}) (*api.Body[Proofs], error) {
	db := s.DB.Read(ctx)
	rows, err := db.Provables()
	if err != nil {
		return nil, err
	}
	b, err := db.Business()
	if err != nil {
		return nil, err
	}
	text, err := inZone(db, b.Clock)
	if err != nil {
		return nil, err
	}
	now := span.At(s.Now())
	out := Proofs{Links: []ProvedLink{}, Stopped: []store.ID{}, Schedule: scheduleOf(b)}
	ended := map[store.ID]span.Instant{}
	held, failed := 0, 0
	for _, r := range rows {
		host, err := db.HostNamed(store.Link{Host: r.Host, Address: r.Account})
		if err != nil {
			return nil, err
		}
		l := ProvedLink{Link: r.LinkID, Staff: store.NamedID{ID: r.StaffID, Name: r.Staff}, Host: host, Calendars: inUse(r), About: about(r), State: "none", Words: "never proved", Proof: r.ProofID}
		ended[r.LinkID] = r.EndedAt
		if r.ProofID != 0 {
			l.State, l.Words, l.When = string(r.State), r.Words, day(text, r.EndedAt, now)
		}
		switch l.State {
		case "held":
			held++
		case "failed":
			failed++
		}
		if r.OpenID != 0 {
			l.State, out.Open = string(r.OpenState), out.Open+1
			if r.OpenState == store.ProofRunning {
				l.Proof = r.OpenID
			}
		}
		if r.StoppedID != 0 {
			out.Stopped = append(out.Stopped, r.LinkID)
		}
		out.Links = append(out.Links, l)
	}
	slices.SortStableFunc(out.Links, func(a, b ProvedLink) int {
		return cmp.Or(cmp.Compare(slices.Index(sureness, a.State), slices.Index(sureness, b.State)), cmp.Compare(ended[a.Link], ended[b.Link]))
	})
	out.Words = holding(len(rows), held, failed)
	return api.Answer(out, nil)
}

// holding says how many links hold.
func holding(all, held, failed int) string {
	never := all - held - failed
	var parts []string
	if held > 0 {
		parts = append(parts, fmt.Sprintf("%d of %s held when it was proved last", held, words.Count(all, "link")))
	}
	if failed > 0 {
		parts = append(parts, fmt.Sprintf("%d failed", failed))
	}
	if never > 0 {
		parts = append(parts, fmt.Sprintf("%d were never proved", never))
		if never == 1 {
			parts[len(parts)-1] = "one was never proved"
		}
	}
	if all == 0 {
		return "No calendar is linked yet, so there is nothing to prove."
	}
	line := strings.Join(parts, "; ") + "."
	return strings.ToUpper(line[:1]) + line[1:]
}

// inUse returns the names of the calendars of a link that are for something.
func inUse(p store.Provable) []string {
	names := append(p.Gets(), p.Blocks()...)
	slices.Sort(names)
	return slices.Compact(names)
}

// about says what the calendars of a link are for.
func about(p store.Provable) string {
	gets, blocks := words.List(p.Gets(), "and"), words.List(p.Blocks(), "and")
	switch {
	case gets != "" && blocks != "":
		return fmt.Sprintf("%s %s bookings; %s %s time", gets, verb(p.Gets(), "get"), blocks, verb(p.Blocks(), "block"))
	case gets != "":
		return fmt.Sprintf("%s %s bookings; nothing blocks", gets, verb(p.Gets(), "get"))
	case blocks != "":
		return fmt.Sprintf("%s %s time", blocks, verb(p.Blocks(), "block"))
	}
	return "Its calendars are for nothing yet"
}

// verb is what one or several do.
func verb(who []string, does string) string {
	if len(who) == 1 {
		return does + "s"
	}
	return does
}

// day writes when something was: today 05:00, Sun 22 Nov.
func day(text words.In, at, now span.Instant) string {
	switch days := text.Zone.DateAt(now) - text.Zone.DateAt(at); {
	case days == 0:
		return "today " + text.Clock(at)
	case days < 300:
		return text.Local(at).Format("Mon 2 Jan")
	}
	return text.Local(at).Format("2 Jan 2006")
}

func scheduleOf(b store.Business) ProofSchedule {
	return ProofSchedule{b.ProofDay, fmt.Sprintf("%02d:%02d", b.ProofMinute/60, b.ProofMinute%60)}
}

func (s *Desk) prove(ctx context.Context, in *struct{ Body WhichLinks }) (*struct{}, error) {
	err := s.DB.Write(ctx, func(tx store.Tx) error {
		_, err := proof.Ask(tx, in.Body.Links, api.Who(ctx).Name, span.At(s.Now()))
		return err
	})
	if errors.Is(err, proof.ErrNoLinks) {
		return nil, api.NewProblem(http.StatusConflict, "There is no such link: it has been taken away, or its owner is archived.")
	}
	if err != nil {
		return nil, err
	}
	s.Proofs.Wake()
	return nil, nil
}

func (s *Desk) stopProofs(ctx context.Context, in *struct{ Body WhichLinks }) (*struct{}, error) {
	return nil, s.Proofs.Stop(ctx, in.Body.Links)
}

func (s *Desk) scheduleProofs(ctx context.Context, in *struct{ Body ProofSchedule }) (*struct{}, error) {
	at, err := hours.ParseWall(in.Body.Time)
	if err != nil {
		return nil, api.Wrong("time", "This is not a time of day, as 05:00.")
	}
	now := span.At(s.Now())
	err = s.DB.Write(ctx, func(tx store.Tx) error {
		b, err := tx.Business()
		if err != nil {
			return err
		}
		before := scheduleOf(b)
		b.ProofDay, b.ProofMinute, b.ProofSince = in.Body.Day, int(at), now
		if err := tx.SaveBusiness(b); err != nil {
			return err
		}
		return tx.Note(now, "changed", "proofs", 0, "", before, in.Body)
	})
	s.Hub.Tell(live.Proofs)
	return nil, err
}

func (s *Desk) getProof(ctx context.Context, in *api.IDPath) (*api.Body[ShownProof], error) {
	db := s.DB.Read(ctx)
	p, err := db.Proof(in.ID)
	if err != nil {
		return nil, api.Found(err, "proof")
	}
	out := ShownProof{Compared: []ComparedWith{}}
	if out.Report, err = proof.ReportOf(p); err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	text := words.In{Zone: zone}
	if p.BegunAt > 0 {
		out.When = text.Local(p.BegunAt).Format("Monday 2 January, ") + text.Clock(p.BegunAt)
	}
	if p.State != store.ProofHeld && p.State != store.ProofFailed {
		return api.Answer(out, nil)
	}
	seen := store.ID(0)
	for _, good := range []bool{false, true} {
		before, err := db.ProofBefore(p, good)
		if store.IsMissing(err) || err == nil && before.ID == seen {
			continue
		}
		if err != nil {
			return nil, err
		}
		seen = before.ID
		earlier, err := proof.ReportOf(before)
		if err != nil {
			return nil, err
		}
		which := "the last one, "
		if good {
			which = "the last one that held, "
		}
		out.Compared = append(out.Compared, ComparedWith{before.ID, which + text.Moment(before.EndedAt), proof.Compared(out.Report, earlier)})
	}
	return api.Answer(out, nil)
}

func (s *Desk) exportProof(ctx context.Context, in *api.IDPath) (*huma.StreamResponse, error) {
	p, err := s.DB.Read(ctx).Proof(in.ID)
	if err != nil {
		return nil, api.Found(err, "proof")
	}
	report, err := proof.ReportOf(p)
	if err != nil {
		return nil, err
	}
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Disposition", fmt.Sprintf(`attachment; filename="proof-%d.json"`, p.ID))
		ctx.SetHeader("Content-Type", "application/json")
		_ = json.NewEncoder(ctx.BodyWriter()).Encode(report)
	}}, nil
}

func (s *Desk) listProofs(ctx context.Context, in *struct {
	api.IDPath
	api.Listing
}) (*api.Body[api.List[PastProof]], error) {
	db := s.DB.Read(ctx)
	rows, err := db.ProofsOf(in.ID, in.Part())
	if err != nil {
		return nil, err
	}
	zone, err := schedule.Zone(db)
	if err != nil {
		return nil, err
	}
	text := words.In{Zone: zone}
	return api.Answer(api.Paged(rows, in.Page, func(p store.Proof) PastProof {
		return PastProof{p.ID, string(p.State), p.Words, text.Moment(max(p.EndedAt, p.AskedAt)), cmp.Or(p.AskedBy, "by itself")}
	}), nil)
}
