package proof

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/schedule"
	"niche/internal/store"
	"niche/internal/words"
)

// step is one step of every proof.
type step struct {
	key      string
	label    string
	expected string
	// needless says why there is nothing to prove by it; empty where there is.
	needless func(r *run) string
	// do does it, and fills what was seen. A *fault is a step that does not hold; any other error
	// is our own.
	do func(ctx context.Context, r *run, s *Step) error
	// time is how long it may take; stepTime when 0.
	time time.Duration
}

// steps are all of them, in the order in which they are done. The last one cleans up, and is done whatever
// came before.
var steps = []step{signIn, eventsBlock, writeEvent, startGone, startBack, takeBooking, readCopy, secondSale, cancelIt, cleanUp}

// stepTime is how long one step may take.
const stepTime = 25 * time.Second

// hurry is how long cleaning up may take when the program ends: the rest is done after its next start.
const hurry = 3 * time.Second

// fault says why a step does not hold, and what mends it.
type fault struct {
	seen, cause string
	mend        *Mend
}

// Error says the cause.
func (f *fault) Error() string { return f.seen + " " + f.cause }

// run is one proof that runs.
type run struct {
	*Proofs
	proof     store.Proof
	report    Report
	link      store.Link
	staff     store.Staff
	calendars []store.Calendar
	zone      hours.Zone // the owner's
	text      words.In   // the business's
	service   store.Service
	start     span.Instant // 0 before one is chosen
	before    Side
	lane      Lane
	events    []written
	visit     store.Visit // of the test booking, once it is taken
	ending    bool        // the program ends: nothing is waited for
	elsewhere string      // calendars of other links of the person's that get bookings
}

// written is an event that the proof wrote.
type written struct {
	calendar store.Calendar
	uid      string
	address  string
}

// prove runs a proof from its first step to its last, which cleans up also when the proof is stopped.
func (p *Proofs) prove(ctx context.Context, proof store.Proof) error {
	r := &run{Proofs: p, proof: proof}
	if err := r.prepare(ctx); err != nil {
		return err
	}
	failed, own := "", error(nil)
	for i, st := range steps {
		s := &r.report.Steps[i]
		last := i == len(steps)-1
		if !last && (failed != "" || ctx.Err() != nil) {
			s.State = NotTried
			continue
		}
		if !last && st.needless != nil {
			if why := st.needless(r); why != "" {
				s.State, s.Seen = PassedOver, why
				continue
			}
		}
		limit := cmp.Or(st.time, stepTime)
		within, cancel := context.WithTimeout(ctx, limit)
		if last {
			cancel()
			within, cancel = context.WithTimeout(context.WithoutCancel(ctx), stepTime)
			if r.ending = ending(ctx); r.ending {
				cancel()
				within, cancel = context.WithTimeout(context.WithoutCancel(ctx), hurry)
			}
		}
		s.State = Running
		if err := r.save(ctx); err != nil {
			cancel()
			return errors.Join(err, r.abandon(ctx))
		}
		began := p.Now()
		err := st.do(within, r, s)
		s.Millis = max(0, p.Now().Sub(began).Milliseconds())
		timedOut := within.Err() != nil && ctx.Err() == nil
		cancel()
		var f *fault
		switch {
		case err == nil:
			s.State = Held
			continue
		case ctx.Err() != nil && !last:
			s.State = NotTried
			continue
		case errors.As(err, &f):
			s.Seen, s.Cause, s.Mend = f.seen, f.cause, f.mend
		case timedOut:
			s.Seen, s.Cause = fmt.Sprintf("Not within %d s.", int(limit.Seconds())), "The host is too slow, or Niche has too much to do."
			s.Mend = r.there("Look at the link")
		default:
			own = errors.Join(own, fmt.Errorf("proving link %d, %s: %w", r.link.ID, st.key, err))
			s.Seen, s.Cause = "It could not be tried.", "Something went wrong on our side; the log of the server says what."
		}
		s.State = Failed
		if failed == "" {
			failed = st.key
		}
	}
	r.conclude(ctx, failed)
	return errors.Join(own, r.save(ctx))
}

// abandon cleans up after a proof whose link was taken away meanwhile: nobody asks for what came of it.
func (r *run) abandon(ctx context.Context) error {
	within, cancel := context.WithTimeout(context.WithoutCancel(ctx), stepTime)
	defer cancel()
	_, err := r.Bookings.DropTest(within, r.proof.ID)
	return errors.Join(err, r.removeEvents(within))
}

// conclude says what came of the proof.
func (r *run) conclude(ctx context.Context, failed string) {
	r.proof.EndedAt = span.At(r.Now())
	held, took, over := 0, int64(0), 0
	for _, s := range r.report.Steps {
		took += s.Millis
		switch s.State {
		case Held:
			held++
		case PassedOver:
			over++
		}
	}
	switch {
	case ctx.Err() != nil && failed == "":
		r.proof.State, r.proof.Words = store.ProofStopped, "stopped"
		if !errors.Is(context.Cause(ctx), errStopped) {
			r.proof.Words = "broken off: Niche was stopped in the middle of it"
		}
	case failed != "":
		i := slices.IndexFunc(r.report.Steps, func(s Step) bool { return s.Key == failed })
		r.proof.State, r.proof.Words = store.ProofFailed, fmt.Sprintf("“%s” failed: %s %s", r.report.Steps[i].Label, r.report.Steps[i].Seen, r.report.Steps[i].Cause)
	default:
		r.proof.State, r.proof.Words = store.ProofHeld, fmt.Sprintf("all %d steps held in %s", held, seconds(took))
		if over > 0 {
			r.proof.Words = fmt.Sprintf("%d steps held in %s, %d had nothing to prove", held, seconds(took), over)
		}
	}
}

// prepare reads what the proof is about.
func (r *run) prepare(ctx context.Context) (err error) {
	tx := r.DB.Read(ctx)
	if r.link, err = tx.Link(r.proof.LinkID); err != nil {
		return err
	}
	if r.staff, err = tx.Staff(r.link.StaffID); err != nil {
		return err
	}
	if r.calendars, err = tx.CalendarsOf(r.link.ID); err != nil {
		return err
	}
	others, err := tx.CalendarsOfStaff(r.staff.ID)
	if err != nil {
		return err
	}
	var names []string
	for _, c := range others {
		if c.GetsBookings && c.LinkID != r.link.ID {
			names = append(names, "“"+c.Name+"”")
		}
	}
	r.elsewhere = strings.Join(names, ", ")
	if r.zone, err = hours.LoadZone(r.staff.Zone); err != nil {
		return err
	}
	b, err := tx.Business()
	if err != nil {
		return err
	}
	r.text.Twelve = b.Clock == "12"
	if r.text.Zone, err = hours.LoadZone(b.Zone); err != nil {
		return err
	}
	host, err := tx.HostNamed(r.link)
	if err != nil {
		return err
	}
	r.report = Report{Staff: store.NamedID{ID: r.staff.ID, Name: r.staff.Name}, Host: host, Zone: r.staff.Zone, Blocks: r.names(blocks), Gets: r.names(gets)}
	for _, st := range steps {
		r.report.Steps = append(r.report.Steps, Step{Key: st.key, Label: st.label, State: Waiting, Expected: st.expected})
	}
	r.proof.State, r.proof.BegunAt, r.proof.Words, r.proof.LeftOver = store.ProofRunning, span.At(r.Now()), "runs", true
	return nil
}

// save keeps how far the proof is, and tells the screens.
func (r *run) save(ctx context.Context) error {
	text, err := json.Marshal(r.report)
	if err != nil {
		return err
	}
	r.proof.Report = string(text)
	err = r.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		if present, err := tx.Proof(r.proof.ID); store.IsMissing(err) || err == nil && r.proof.State == store.ProofRunning && present.State != store.ProofWaiting && present.State != store.ProofRunning {
			return fmt.Errorf("proof %d is no longer wanted: %w", r.proof.ID, store.ErrNotFound)
		} else if err != nil {
			return err
		}
		return tx.SaveProof(r.proof)
	})
	r.Hub.Tell(live.Proofs)
	return err
}

func blocks(c store.Calendar) bool { return c.Blocks }
func gets(c store.Calendar) bool   { return c.GetsBookings }

// of returns the calendars of the link that are for something.
func (r *run) of(is func(store.Calendar) bool) (list []store.Calendar) {
	for _, c := range r.calendars {
		if is(c) {
			list = append(list, c)
		}
	}
	return list
}

func (r *run) names(is func(store.Calendar) bool) []string {
	names := []string{}
	for _, c := range r.of(is) {
		names = append(names, c.Name)
	}
	return names
}

// canTry returns the calendars in which an event of the proof's can block time.
func (r *run) canTry() []store.Calendar {
	if r.link.Kind != store.AccountLink {
		return nil
	}
	return r.of(func(c store.Calendar) bool { return c.Blocks && c.CanWrite })
}

// first is how the owner is called.
func (r *run) first() string { return words.FirstName(r.staff.Name) }

// there leads to the person's calendars.
func (r *run) there(what string) *Mend {
	return &Mend{what, fmt.Sprintf("/team/%d/calendars", r.staff.ID)}
}

// refused says why the host did not do something with a calendar.
func (r *run) refused(err error, doing string) error {
	if !isOutside(err) {
		return err
	}
	f := &fault{seen: doing + ": it did not work.", cause: words.Of(err).Text, mend: r.there("Look at the link")}
	if r.link.Kind == store.FeedLink {
		f.cause = words.OfFeed(err).Text
	}
	switch outbound.KindOf(err) {
	case outbound.WrongKey:
		f.cause = fmt.Sprintf("The host does not take %s’s key any more.", r.first())
		f.mend = r.there("Ask " + r.first() + " to sign in again")
	case outbound.Forbidden:
		f.cause = "The host lets nobody write there, or takes the key for something else."
	}
	return f
}

// isOutside reports whether an error is a host's, and not our own.
func isOutside(err error) bool {
	return outbound.KindOf(err) != 0 || errors.Is(err, outbound.ErrForbidden) || errors.Is(err, words.ErrOtherKey)
}

// ahead is how many days ahead a start is looked for, and near within how many it is found at best.
const ahead, near = 60, 14

// choose chooses a start that is offered: of the shortest service that one person can perform alone if there is one, and the last
// of the coming two weeks, which is least in anybody's way.
func (r *run) choose(ctx context.Context) error {
	tx := r.DB.Read(ctx)
	services, err := tx.PerformedBy(r.staff.ID)
	if err != nil {
		return err
	}
	if len(services) == 0 {
		return &fault{"No start can be tried.", r.first() + " performs no service that can be booked.", &Mend{"Say who performs what", "/services"}}
	}
	slices.SortStableFunc(services, func(a, b store.Service) int { return cmp.Or(lots(a)-lots(b), int(a.Length-b.Length)) })
	now := span.At(r.Now())
	today := r.text.Zone.DateAt(now)
	var names []string
	for _, s := range services {
		names = append(names, s.Name)
		q, err := schedule.Question(tx, schedule.Asked{Now: now, Service: s, From: today, To: today + ahead, Staff: []store.Staff{r.staff}})
		if err != nil {
			return err
		}
		q.Service.Staffing = offer.AnyOne
		for _, o := range q.Answer().Offers() {
			if day := r.text.Zone.DateAt(o.At); r.start == 0 || r.service.ID == s.ID && day <= today+near {
				r.service, r.start = s, o.At
			}
		}
		if r.start != 0 {
			break
		}
	}
	if r.start == 0 {
		return &fault{"No start can be tried.", fmt.Sprintf("In the coming %d days no start of %s is offered with %s.", ahead, words.List(names, "or"), r.first()), &Mend{"See why", fmt.Sprintf("/team/%d/week", r.staff.ID)}}
	}
	r.report.Service, r.report.StartedAt = r.service.Name, r.start
	r.report.Start = r.text.Local(r.start).Format("Monday 2 January, ") + r.text.Clock(r.start)
	r.before, err = r.side(ctx)
	return err
}

// lots orders services by how many people, places and things their visits take.
func lots(s store.Service) int {
	n := len(s.Needs)
	if s.Staffing == string(offer.AllOfThem) {
		n += 2
	}
	if s.Places > 1 {
		n++
	}
	return n
}

// stretch returns the time of the visit that is tried.
func (r *run) stretch() span.Span { return span.For(r.start, r.service.Length) }

// question asks for the person's starts on the day that is tried.
func (r *run) question(ctx context.Context) (offer.Question, error) {
	day := r.text.Zone.DateAt(r.start)
	q, err := schedule.Question(r.DB.Read(ctx), schedule.Asked{Now: span.At(r.Now()), Service: r.service, From: day, To: day, Staff: []store.Staff{r.staff}})
	q.Service.Staffing = offer.AnyOne
	return q, err
}

// side returns what takes the day's time now, and which starts are offered; with what else the lane needs.
func (r *run) side(ctx context.Context) (Side, error) {
	out := Side{Busy: []words.Stretch{}, Starts: []DayStart{}}
	q, err := r.question(ctx)
	if err != nil {
		return out, err
	}
	day := q.From
	o := r.text.Zone.Over(day, day+1)
	whole := span.Between(o.Starting(day, 0), o.Starting(day+1, 0))
	lane := q.Answer().Lanes[0]
	first, last := whole.End(), whole.Start()
	r.lane.Open = []words.Stretch{}
	for _, p := range lane.Open.Spans() {
		if p = p.Clip(whole); !p.IsEmpty() {
			r.lane.Open = append(r.lane.Open, r.text.Stretch(p))
			first, last = min(first, p.Start()), max(last, p.End())
		}
	}
	if len(r.lane.Open) == 0 {
		first, last = r.start, r.start.Add(r.service.Length)
	}
	// Whole hours, with one of wall on each side.
	const hour = 3600
	from, to := max(whole.Start(), whole.Start()+(first-whole.Start())/hour*hour-hour), min(whole.End(), whole.Start()+(last-whole.Start()+hour-1)/hour*hour+hour)
	r.lane.Day, r.lane.From, r.lane.To, r.lane.Hours = r.text.Local(r.start).Format("Monday 2 January"), from, to, []string{}
	for at := from; at < to; at += hour {
		r.lane.Hours = append(r.lane.Hours, r.text.Hour(at))
	}
	for _, c := range q.Staff[0].Busy {
		for _, b := range c.Spans {
			if b = b.Clip(whole); !b.IsEmpty() {
				out.Busy = append(out.Busy, r.text.Stretch(b))
			}
		}
	}
	for _, b := range q.Staff[0].Bookings {
		if d := b.During.Clip(whole); !d.IsEmpty() {
			out.Busy = append(out.Busy, r.text.Stretch(d))
		}
	}
	for _, s := range lane.Starts {
		if whole.Contains(s.At) {
			out.Starts = append(out.Starts, DayStart{s.At, r.text.Clock(s.At), s.Refused == 0, string(s.Refused.First())})
		}
	}
	return out, nil
}

// why returns for which reasons the start is refused now; none when it is offered.
func (r *run) why(ctx context.Context) (codes []offer.Code, err error) {
	q, err := r.question(ctx)
	if err != nil {
		return nil, err
	}
	for _, v := range q.Explain(r.start, 0).Reasons() {
		codes = append(codes, v.Code)
	}
	return codes, nil
}

// look has the person's calendars read now.
func (r *run) look(ctx context.Context) error {
	read, err := r.Readings.Look(ctx, stepTime, r.staff.ID)
	if err != nil || read {
		return err
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	list, err := r.DB.Read(ctx).CalendarsOfStaff(r.staff.ID)
	if err != nil {
		return err
	}
	for _, c := range list {
		if c.Blocks && c.Error != "" {
			f := &fault{fmt.Sprintf("“%s” could not be read.", c.Name), c.Error, r.there("Look at the link")}
			if c.State == store.Refused {
				f.mend = r.there("Ask " + r.first() + " to sign in again")
			}
			return f
		}
	}
	return &fault{"Not every calendar could be read.", "Some calendar that blocks " + r.first() + "’s time did not answer.", r.there("Look at the link")}
}

// clock writes the start that is tried.
func (r *run) clock() string { return r.text.Clock(r.start) }
