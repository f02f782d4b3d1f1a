package booking

import (
	"context"
	"fmt"
	"runtime"
	"slices"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/store"
)

// inRush calls do while as many wait to write as make a rush.
func inRush(db *store.DB, do func()) {
	var all sync.WaitGroup
	write := func(fn func(store.Tx) error) { all.Go(func() { _ = db.Write(context.Background(), fn) }) }
	waiting := func(n int) {
		for db.Waiting() < n {
			runtime.Gosched()
		}
	}
	holds, letGo := make(chan struct{}), make(chan struct{})
	write(func(store.Tx) error { close(holds); <-letGo; return nil })
	<-holds
	all.Go(do)
	waiting(1)
	for range rush {
		write(func(store.Tx) error { return nil })
	}
	waiting(1 + rush)
	close(letGo)
	all.Wait()
}

// While many wait, claims are asked before the rules. Who is refused then is one whom the rules refuse too, and who is held one whom
// they offer it to, whatever is taken: by one or by all, with buffers, joined or not.
func TestARushChangesNobodysAnswer(t *testing.T) {
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	const day = span.Instant(1_772_409_600) // Monday 2 March 2026
	b := New(t.Context(), Settings{DB: db, Now: func() time.Time { return time.Unix(int64(day), 0) }})
	service := store.Service{Slug: "s", Name: "S", Length: 60, Step: 30, Anchor: "clock", Places: 1, Staffing: "any", Lengths: []span.Minutes{90}, Needs: []string{}}
	var staff []store.ID
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		if err := tx.SaveBusiness(store.Business{ID: 1, Name: "W", Zone: "UTC"}); err != nil {
			return err
		}
		if err := tx.SaveService(&service); err != nil {
			return err
		}
		for i := range 2 {
			s := store.Staff{Name: fmt.Sprint("Person ", i), Zone: "UTC"}
			if err := tx.SaveStaff(&s); err != nil {
				return err
			}
			staff = append(staff, s.ID)
			if err := tx.ReplacePatterns(s.ID, []store.Pattern{{StaffID: s.ID, FromDate: "2026-01-01", Cycle: `[{"mon":{"spans":[["09:00","13:00"]]}}]`}}); err != nil {
				return err
			}
		}
		return tx.ReplacePerformers(service.ID, staff, func(int) int { return 1 })
	}))
	hurried := 0
	rapid.Check(t, func(t *rapid.T) {
		s := service
		s.Staffing = rapid.SampledFrom([]string{"any", "all"}).Draw(t, "staffing")
		s.Places = rapid.SampledFrom([]int{1, 1, 2}).Draw(t, "places")
		s.BufferBefore, s.BufferAfter = span.Minutes(rapid.IntRange(0, 2).Draw(t, "before")*15), span.Minutes(rapid.IntRange(0, 2).Draw(t, "after")*15)
		at := func(label string) span.Instant {
			return day.Add(span.Minutes(rapid.IntRange(8*2, 13*2).Draw(t, label)) * 30)
		}
		var made []store.ID
		require.NoError(t, db.Write(context.Background(), func(tx store.Tx) error {
			for n := range rapid.IntRange(0, 5).Draw(t, "visits") {
				who := rapid.SampledFrom(staff).Draw(t, "who")
				v := store.Visit{ServiceID: s.ID, UID: fmt.Sprint("u", n), BufferBefore: s.BufferBefore, BufferAfter: s.BufferAfter, Start: at("taken")}
				v.End = v.Start.Add(s.Length)
				if taken, err := tx.ClaimsOn([]store.Subject{store.StaffSubject(who)}, v.Occupied(), nil); err != nil || len(taken) > 0 {
					continue
				}
				if err := tx.AddVisit(&v, []store.ID{who}, nil); err != nil {
					return err
				}
				if err := claim(tx, v, []store.Subject{store.StaffSubject(who)}, 0); err != nil {
					return err
				}
				k := store.Booking{VisitID: v.ID, Reference: fmt.Sprint("R", n), TokenHash: fmt.Sprint("t", n), Status: store.Confirmed, Places: 1}
				if err := tx.AddBooking(&k); err != nil {
					return err
				}
				made = append(made, k.ID)
			}
			return tx.SaveService(&s)
		}))
		r := Request{Service: s.ID, Start: at("asked"), Length: rapid.SampledFrom([]span.Minutes{0, 90}).Draw(t, "length"), Places: 1, Staff: rapid.SampledFrom([]store.ID{0, staff[0]}).Draw(t, "asked for")}
		hold := func() (reasons []offer.Code) {
			h, reasons, err := b.hold(context.Background(), r, store.Booking{}, store.Booking{TokenHash: "held"})
			require.NoError(t, err)
			if reasons == nil {
				h.done()
				made = append(made, h.booking.ID)
			}
			return reasons
		}
		forget := func(from int) {
			require.NoError(t, db.Write(context.Background(), func(tx store.Tx) error {
				for _, id := range made[from:] {
					k, err := tx.Booking(id)
					if err != nil {
						return err
					}
					if err := dropHeld(tx, k, day); err != nil {
						return err
					}
				}
				return nil
			}))
			made = made[:from]
		}
		before := len(made)
		calm := hold()
		forget(before)
		var hurry []offer.Code
		inRush(db, func() { hurry = hold() })
		forget(0)
		require.Equal(t, calm == nil, hurry == nil, "calm %v, in a rush %v", calm, hurry)
		if !slices.Equal(calm, hurry) {
			hurried++
			require.Equal(t, []offer.Code{offer.CodeBooked}, hurry)
			require.Contains(t, calm, offer.CodeBooked)
		}
	})
	require.Positive(t, hurried, "nobody was refused by claims alone")
}
