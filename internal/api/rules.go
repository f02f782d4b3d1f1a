package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"niche/core/span"
	"niche/internal/fit"
	"niche/internal/live"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Rules changes the rules by which is offered: for administrators, and for staff members
// who keep their own hours.
type Rules struct {
	DB     *store.DB
	Hub    *live.Hub
	Runner *work.Runner
	Now    func() time.Time
}

// ofStaff reads something of a staff member, with its version, at one moment.
func ofStaff[T any](ctx context.Context, db *store.DB, staff store.ID, thing store.Thing, read func(store.Tx, store.ID) (T, error)) (what T, version int64, err error) {
	err = db.View(ctx, func(tx store.Tx) (err error) {
		if _, err := tx.Staff(staff); err != nil {
			return Found(err, "staff member")
		}
		if what, err = read(tx, staff); err != nil {
			return err
		}
		version, err = tx.Version(thing)
		return err
	})
	return what, version, err
}

// Accepting is how many bookings may stop fitting the rules by a change. A
// change that leaves more is refused with their list, and nothing is saved.
type Accepting struct {
	Accept int `query:"accept" minimum:"0" default:"0" doc:"How many bookings may stop fitting the rules by this change; they are kept all the same."`
}

// shownMisfits is how many bookings are named when a change leaves many outside.
const shownMisfits = 50

// patience is how often a change is judged anew because other rules were changed at
// the same moment, before it is judged while nobody else can change any.
const patience = 5

var errJudgeAgain = errors.New("other rules have changed meanwhile")

// Change changes rules in one transaction, over the version that is expected, and
// tells open screens. The bookings ahead that it touches are judged before, while
// nobody has to wait; in the transaction only what has changed since is. When more
// would stop fitting than are accepted, the change is refused with their list.
// Without a fit.Change none can.
func (s Rules) Change(ctx context.Context, accepting Accepting, over *store.Expected, touched *fit.Change, apply func(tx store.Tx) error) (version int64, err error) {
	now := span.At(s.Now())
	for try := range patience + 1 {
		var judged fit.Judged
		if touched != nil && try < patience {
			err = s.DB.View(ctx, func(tx store.Tx) error {
				judged, err = fit.Judge(tx, now, *touched)
				return err
			})
			if err != nil {
				return 0, err
			}
		}
		err = s.DB.Write(ctx, func(tx store.Tx) error {
			if over != nil {
				if version, err = tx.Meet(*over); err != nil {
					return err
				}
			}
			if touched != nil {
				if err := s.judge(tx, now, *touched, judged, try == patience, accepting.Accept); err != nil {
					return err
				}
			}
			if err := apply(tx); err != nil {
				return err
			}
			horizon, err := schedule.Horizon(tx, now)
			if err != nil {
				return err
			}
			// What reaches further than is known is read before it is offered.
			return errors.Join(tx.ReadSoon(horizon.Add(-(schedule.Spare-4)*24*60)), tx.RulesChanged())
		})
		if !errors.Is(err, errJudgeAgain) {
			break
		}
	}
	if err == nil {
		s.Hub.Tell(live.Rules)
		s.Runner.Wake()
	}
	return version, err
}

// judge refuses a change that leaves more bookings outside the rules than are
// accepted, by a judgement of before if that still holds.
func (s Rules) judge(tx store.Tx, now span.Instant, c fit.Change, judged fit.Judged, anew bool, accept int) (err error) {
	if anew {
		judged, err = fit.Judge(tx, now, c)
	} else if holds, failed := judged.Holds(tx, now, c); !holds && failed == nil {
		return errJudgeAgain
	} else {
		err = failed
	}
	if err == nil && len(judged.Misfits) > accept {
		err = misfits(tx, judged.Misfits)
	}
	for _, m := range judged.Misfits {
		if err == nil {
			err = tx.NoteMisfit(m.Booking.ID, now) // they are kept, and somebody has to look at them
		}
	}
	return err
}

// misfits is the refusal of a change that leaves bookings outside the rules.
func misfits(tx store.Tx, list []fit.Unfit) error {
	zone, err := schedule.Zone(tx)
	if err != nil {
		return err
	}
	text := words.In{Zone: zone}
	p := NewProblem(http.StatusConflict, "Some bookings would no longer fit. They are kept as they are, if you save.")
	p.MisfitCount = len(list)
	for _, m := range list[:min(shownMisfits, len(list))] {
		p.Misfits = append(p.Misfits, m.Words(text))
	}
	return p
}
