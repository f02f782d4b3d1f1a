package serve_test

import (
	"fmt"
	"math/rand/v2"
	"net/http"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/span"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
	"niche/internal/store"
)

// A day of somebody who is away is planned and handed over. Whatever the day, with caps, one bay for two services, buffers of two kinds
// and a class of several clients: all that the plan says can be had, in turn; and of what it leaves, nothing can go anywhere.
func TestADayIsHandedOverAsPlanned(t *testing.T) {
	for seed := range uint64(4) {
		t.Run(fmt.Sprint("seed ", seed), func(t *testing.T) {
			t.Parallel()
			random := rand.New(rand.NewPCG(seed, 7))
			d := finder{nichetest.OpenDesk(t, func(f *desk.ServiceFields) { f.Step, f.BufferAfter = 30, 15 })}
			ctx, away := t.Context(), d.Staff.ID
			d.AddResource("Bay", "bay")
			all := []store.ID{away, d.AddStaff("Mara Quillon"), d.AddStaff("Ansel Okoro"), d.AddStaff("Ilse Varga")}
			two := 2
			require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Staff, f.CapPerDay = all, &two }))
			services := []*nichetest.Desk{d.Desk,
				d.On(d.AddService("Regulation", func(f *desk.ServiceFields) {
					f.Needs, f.Length, f.Staff, f.CapPerDay = []string{"bay"}, 90, all[:3], nil
				})),
				d.On(d.AddService("Class", func(f *desk.ServiceFields) {
					f.Places, f.Length, f.BufferBefore, f.Staff, f.CapPerDay = 3, 75, 30, all[:2], nil
				})),
				d.On(d.AddService("Moving", func(f *desk.ServiceFields) { f.Staffing, f.Staff, f.CapPerDay = "all", all[:2], nil })),
			}
			taken := 0
			for range 60 { // most of which the rules refuse
				at := nichetest.At(wednesday + "T09:00:00Z").Add(span.Minutes(30 * random.IntN(16)))
				of, who := services[random.IntN(len(services))], all[0]
				if random.IntN(3) == 0 {
					who = all[random.IntN(len(all))]
				}
				if _, err := of.Ask(client.NewBooking{Start: at, Staff: who}); err == nil {
					taken++
				}
			}
			require.Greater(t, taken, 3)
			plan := func(reach string) (r desk.Relief) {
				require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/staff/%d/relief?from=%s&until=%s&reach=%s", away, wednesday, wednesday, reach), &r))
				return r
			}
			found := func(r desk.Relief) (n int) {
				for _, v := range r.Visits {
					if v.Found {
						n++
					}
				}
				return n
			}
			same, day, week := plan("time"), plan("day"), plan("week")
			require.LessOrEqual(t, found(same), found(day))
			require.LessOrEqual(t, found(day), found(week))
			require.Equal(t, len(week.Visits), found(week), "a week is empty enough for all")
			for _, v := range same.Visits {
				require.True(t, !v.Found || v.Same && v.Staff.ID != away)
			}
			handed := map[store.ID]bool{}
			for _, v := range day.Visits {
				if !v.Found {
					continue
				}
				require.NoError(t, d.Post(ctx, fmt.Sprintf("/api/staff/%d/relief", away), desk.Relieving{Visit: v.Visit, Start: v.To, Staff: v.Staff.ID}, nil), "%s: %s", v.Words, v.Goes)
				handed[v.Visit] = true
				for _, k := range v.Bookings {
					now := d.shown(k.ID)
					require.Equal(t, v.To, now.Start)
					require.Contains(t, now.StaffIDs, v.Staff)
				}
			}
			for _, v := range day.Visits {
				if handed[v.Visit] || len(v.Bookings) > 1 {
					continue
				}
				var places struct{ Items []desk.PlacesOf }
				require.NoError(t, d.Get(ctx, fmt.Sprintf("/api/bookings/%d/places?date=%s", v.Bookings[0].ID, wednesday), &places))
				for _, lane := range places.Items {
					if lane.Staff != away {
						require.False(t, slices.ContainsFunc(lane.Starts, func(p desk.MovePlace) bool { return len(p.Reasons) == 0 }) && v.Service != "Moving", "%s of %s could go to %d", v.Service, v.Words, lane.Staff)
					}
				}
			}
			for _, v := range day.Visits {
				if handed[v.Visit] {
					gone := nichetest.Problem(t, d.Post(ctx, fmt.Sprintf("/api/staff/%d/relief", away), desk.Relieving{Visit: v.Visit, Start: v.Start}, nil))
					require.Equal(t, http.StatusUnprocessableEntity, gone.Status, "it is somebody else's now")
				}
			}
		})
	}
}
