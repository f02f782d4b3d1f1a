package message

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/google/uuid"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/store"
	"niche/internal/words"
)

// The kinds of mail to staff members and administrators that tell of many things.
const (
	VisitNews = "visit"     // what has become of a visit
	Mornings  = "attention" // what needs somebody, each morning
)

// morning is when summaries go out, by the clock of whoever gets them.
const morning = 7 * 60 // minutes

// reader is somebody who hears of visits.
type reader struct {
	staff, administrator store.ID
	name, mail           string
	zone                 string
	tell                 store.Telling
}

func (r reader) about() string {
	if r.administrator != 0 {
		return fmt.Sprintf("administrator %d", r.administrator)
	}
	return fmt.Sprintf("staff %d", r.staff)
}

// in returns the clock by which somebody reads.
func (r reader) in(b store.Business) (words.In, error) {
	zone, err := hours.LoadZone(r.zone)
	return words.In{Zone: zone, Twelve: b.Clock == "12"}, err
}

// known is what somebody knows of a booking.
type known struct {
	Status store.BookingStatus `json:"status,omitempty"` // empty for nothing
	Start  span.Instant        `json:"start,omitempty"`
	End    span.Instant        `json:"end,omitempty"`
	Mine   bool                `json:"mine,omitempty"` // a visit of theirs; of an administrator always
}

// readers returns who hears of a visit: its staff, those who had it before, and administrators.
func readers(tx store.Tx, staff []store.ID) (list []reader, err error) {
	people, err := tx.StaffByIDs(staff)
	if err != nil {
		return nil, err
	}
	for _, s := range people {
		if s.TellVisits != store.NotTold && s.Email != "" && s.ArchivedAt == 0 {
			list = append(list, reader{staff: s.ID, name: s.Name, mail: s.Email, zone: s.Zone, tell: s.TellVisits})
		}
	}
	b, err := tx.Business()
	if err != nil {
		return nil, err
	}
	all, err := tx.Administrators()
	for _, a := range all {
		if a.TellVisits != store.NotTold {
			list = append(list, reader{administrator: a.ID, name: a.Name, mail: a.Email, zone: b.Zone, tell: a.TellVisits})
		}
	}
	return list, err
}

// inform writes down that staff members and administrators are to be told of the news of a booking. What they
// know is kept with it, so that what was taken back before it was told is not told at all.
func (m *Messages) inform(tx store.Tx, n News, v store.Visit) error {
	now, k := span.At(m.Now()), n.Booking
	if k.Trial {
		return nil // it is for whoever tries alone
	}
	present, err := tx.VisitStaff(v.ID)
	if err != nil {
		return err
	}
	list, err := readers(tx, append(slices.Clone(n.Was.Staff), present...))
	if err != nil {
		return err
	}
	for _, r := range list {
		about := fmt.Sprintf("visit of booking %d for %s", k.ID, r.about())
		older, err := tx.MessagesAbout(about, 0)
		if err != nil {
			return err
		}
		waits := false
		for _, o := range older {
			if o.Carrier > 0 {
				if o, err = tx.Message(o.Carrier); err != nil && !store.IsMissing(err) {
					return err
				}
			}
			waits = waits || o.State == store.MessageWaiting
		}
		if waits {
			continue // it says what is so when it goes out
		}
		mine := r.administrator != 0 || slices.Contains(present, r.staff)
		was := known{Status: store.Confirmed, Start: v.Start, End: v.End, Mine: mine}
		switch n.Kind {
		case Received:
			was = known{}
		case Confirmed:
			if was = (known{}); slices.ContainsFunc(older, func(o store.Message) bool { return o.State == store.MessageSent || o.Carrier > 0 }) {
				was = known{Status: store.Pending, Start: v.Start, End: v.End, Mine: true}
			}
		case Changed:
			was = known{Status: store.Confirmed, Start: n.Was.Start, End: n.Was.End, Mine: r.administrator != 0 || slices.Contains(n.Was.Staff, r.staff)}
		}
		text, err := json.Marshal(was)
		if err != nil {
			return err
		}
		at := now.Add(together)
		if r.tell == store.EachMorning {
			zone, err := hours.LoadZone(r.zone)
			if err != nil {
				return err
			}
			at = nextMorning(zone, now)
		}
		row := store.Message{Kind: VisitNews, Channel: store.ByMail, StaffID: r.staff, AdministratorID: r.administrator, About: about, Thing: k.ID, MessageID: fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()),
			Recipient: r.mail, Subject: "Visits", Was: string(text), State: store.MessageWaiting, MadeAt: now, NotBefore: at, NextAt: at, Until: max(v.End, at.Add(2*day))}
		if err := tx.AddMessage(&row); err != nil {
			return err
		}
	}
	return nil
}

// nextMorning is the next time at which summaries go out.
func nextMorning(zone hours.Zone, now span.Instant) span.Instant {
	for d := zone.DateAt(now); ; d++ {
		if at := zone.Over(d, d+1).Starting(d, morning); at > now {
			return at
		}
	}
}

// gather has one message carry the others that are due to the same reader. It reports whether that
// is the one at hand.
func (m *Messages) gather(ctx context.Context, row store.Message, now span.Instant) (carries bool, err error) {
	err = m.DB.Write(ctx, func(tx store.Tx) error {
		list, err := tx.NewsFor(row.StaffID, row.AdministratorID, now)
		if err != nil {
			return err
		}
		if len(list) == 0 || list[0].ID != row.ID {
			return nil // another carries it, or will
		}
		carries = true
		for _, other := range list[1:] {
			other.Carrier = row.ID
			if err := tx.Carried(other, now); err != nil {
				return err
			}
		}
		return nil
	})
	return carries, err
}

// errNothing says that there is nothing to tell any more.
var errNothing = errors.New("there is nothing to tell")

// visitLetter tells of all that a message carries.
func (m *Messages) visitLetter(tx store.Tx, row store.Message) (Letter, error) {
	b, err := tx.Business()
	if err != nil {
		return Letter{}, err
	}
	r, err := readerOf(tx, row, b)
	if err != nil {
		return Letter{}, err
	}
	text, err := r.in(b)
	if err != nil {
		return Letter{}, err
	}
	carried, err := tx.CarriedBy(row.ID)
	if err != nil {
		return Letter{}, err
	}
	type line struct {
		at          span.Instant
		title, said string
	}
	var lines []line
	var told []telling
	for _, one := range append([]store.Message{row}, carried...) {
		var was known
		if err := json.Unmarshal([]byte(one.Was), &was); err != nil {
			return Letter{}, fmt.Errorf("reading what somebody knows: %w", err)
		}
		s, err := SubjectOf(tx, one.Thing, "")
		if store.IsMissing(err) {
			continue
		}
		if err != nil {
			return Letter{}, err
		}
		staff, err := tx.VisitStaff(s.Visit.ID)
		if err != nil {
			return Letter{}, err
		}
		is := known{Status: s.Booking.Status, Start: s.Visit.Start, End: s.Visit.End, Mine: r.administrator != 0 || slices.Contains(staff, r.staff)}
		told = append(told, telling{one, is})
		what, when := became(was, is, text)

		if what == "" {
			continue
		}
		title := fmt.Sprintf("%s: %s, %s", what, s.Service.Name, when)
		more := []string{s.Booking.ClientName}
		if s.Where.Words != "" && s.Service.Venue != store.AtOurs {
			more = append(more, s.Where.Words)
		}
		if r.administrator != 0 || !slices.Contains(staff, r.staff) {
			more = append(more, "with "+words.List(s.With, "and"))
		}
		said := title + "\n" + strings.Join(more, ", ")
		if r.administrator != 0 {
			said += "\n" + m.Home + fmt.Sprintf("/bookings/%d", s.Booking.ID)
		}
		lines = append(lines, line{s.Visit.Start, title, said})
	}
	if len(lines) == 0 {
		return Letter{}, errNothing
	}
	slices.SortStableFunc(lines, func(a, b line) int { return int(a.at - b.at) })
	first, _, _ := strings.Cut(r.name, " ")
	paragraphs := []string{"Hello " + first + ","}
	for _, l := range lines {
		paragraphs = append(paragraphs, l.said)
	}
	if r.staff != 0 {
		paragraphs = append(paragraphs, "Your days: "+m.Home+"/my")
	}
	subject := lines[0].title
	if len(lines) > 1 {
		subject = words.Counted(len(lines), "change") + " to visits: " + b.Name
	}
	return Letter{Subject: subject, Body: strings.Join(paragraphs, "\n\n") + "\n", told: told}, nil
}

// telling is what somebody has been told of a visit.
type telling struct {
	row   store.Message
	known known
}

// overtook writes down anew what became of visits while a mail about them was on its way.
func (m *Messages) overtook(tx store.Tx, told []telling) error {
	for _, t := range told {
		s, err := SubjectOf(tx, t.row.Thing, "")
		if store.IsMissing(err) {
			continue
		}
		if err != nil {
			return err
		}
		staff, err := tx.VisitStaff(s.Visit.ID)
		if err != nil {
			return err
		}
		is := known{Status: s.Booking.Status, Start: s.Visit.Start, End: s.Visit.End, Mine: t.row.AdministratorID != 0 || slices.Contains(staff, t.row.StaffID)}
		if what, _ := became(t.known, is, words.In{}); what == "" {
			continue
		}
		was, err := json.Marshal(t.known)
		if err != nil {
			return err
		}
		now := span.At(m.Now())
		again := t.row
		again.ID, again.Carrier, again.Was, again.MessageID, again.State, again.Error, again.Attempts = 0, 0, string(was), fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()), store.MessageWaiting, "", 0
		again.MadeAt, again.NotBefore, again.NextAt, again.SettledAt, again.Until = now, now.Add(together), now.Add(together), 0, max(s.Visit.End, now.Add(2*day))
		if err := tx.AddMessage(&again); err != nil {
			return err
		}
	}
	return nil
}

// became says what has become of a visit for somebody who knew something of it, and when it is; nothing where
// they know all that is so.
func became(was, is known, text words.In) (what, when string) {
	at := func(k known) string {
		return text.Local(k.Start).Format("Mon 2 Jan, ") + text.Stretch(span.Between(k.Start, k.End)).Label
	}
	stood := was.Mine && (was.Status == store.Confirmed || was.Status == store.Pending)
	stands := is.Mine && (is.Status == store.Confirmed || is.Status == store.Pending)
	switch {
	case !stood && !stands:
		return "", ""
	case !stood && is.Status == store.Pending:
		return "Asked for", at(is)
	case !stood:
		return "New", at(is)
	case stands && was.Status == store.Pending && is.Status == store.Confirmed:
		return "Confirmed", at(is)
	case stands && (was.Start != is.Start || was.End != is.End):
		return "Moved", at(is) + " (it was " + at(was) + ")"
	case stands:
		return "", ""
	case is.Status == store.Cancelled:
		return "Cancelled", at(was)
	}
	return "Not yours any more", at(was)
}

func readerOf(tx store.Tx, row store.Message, b store.Business) (reader, error) {
	if row.AdministratorID != 0 {
		a, err := tx.Administrator(row.AdministratorID)
		return reader{administrator: a.ID, name: a.Name, zone: b.Zone}, err
	}
	s, err := tx.Staff(row.StaffID)
	return reader{staff: s.ID, name: s.Name, zone: s.Zone}, err
}

// Need is something that somebody has to look at, as a summary tells of it.
type Need struct{ Title, Words string }

// needsLetter tells what needs somebody now.
func (m *Messages) needsLetter(ctx context.Context, tx store.Tx, row store.Message) (Letter, error) {
	if m.Needs == nil {
		return Letter{}, errNothing
	}
	list, err := m.Needs(ctx)
	if err != nil {
		return Letter{}, err
	}
	if len(list) == 0 {
		return Letter{}, errNothing
	}
	a, err := tx.Administrator(row.AdministratorID)
	if err != nil {
		return Letter{}, err
	}
	b, err := tx.Business()
	if err != nil {
		return Letter{}, err
	}
	first, _, _ := strings.Cut(a.Name, " ")
	paragraphs := []string{"Hello " + first + ",", "this needs somebody at " + b.Name + ":"}
	const most = 20
	for _, n := range list[:min(most, len(list))] {
		paragraphs = append(paragraphs, n.Title+"\n"+n.Words)
	}
	if len(list) > most {
		paragraphs = append(paragraphs, fmt.Sprintf("and %d more.", len(list)-most))
	}
	paragraphs = append(paragraphs, "See to it: "+m.Home+"/attention")
	title := list[0].Title
	if len(list) > 1 {
		title = fmt.Sprintf("%d things need somebody", len(list))
	}
	return Letter{Subject: title + ": " + b.Name, Body: strings.Join(paragraphs, "\n\n") + "\n"}, nil
}

// PlanMornings writes down the next summary of each administrator who wants one, and takes back those of who
// does not any more.
func (m *Messages) PlanMornings(tx store.Tx) error {
	if m.Home == "" {
		return nil
	}
	b, err := tx.Business()
	if store.IsMissing(err) {
		return nil // nobody has set anything up yet
	}
	if err != nil {
		return err
	}
	zone, err := hours.LoadZone(b.Zone)
	if err != nil {
		return err
	}
	all, err := tx.Administrators()
	if err != nil {
		return err
	}
	now := span.At(m.Now())
	for _, a := range all {
		about := fmt.Sprintf("mornings of administrator %d", a.ID)
		if !a.TellAttention {
			if err := m.Overtake(tx, about); err != nil {
				return err
			}
			continue
		}
		older, err := tx.MessagesAbout(about, 0)
		if err != nil {
			return err
		}
		at := nextMorning(zone, now)
		if slices.ContainsFunc(older, func(o store.Message) bool { return o.State == store.MessageWaiting && o.Until > now }) {
			continue
		}
		row := store.Message{Kind: Mornings, Channel: store.ByMail, AdministratorID: a.ID, About: about, MessageID: fmt.Sprintf("%s@%s", uuid.NewString(), m.domain()), Recipient: a.Email,
			Subject: "What needs somebody", State: store.MessageWaiting, MadeAt: now, NotBefore: at, NextAt: at, Until: at.Add(day - 1)}
		if err := tx.AddMessage(&row); err != nil {
			return err
		}
	}
	return nil
}

// planned plans the next summary, once one has gone out or was not needed.
func (m *Messages) planned(ctx context.Context, row store.Message) error {
	if row.Kind != Mornings {
		return nil
	}
	return m.DB.Write(context.WithoutCancel(ctx), m.PlanMornings)
}

// Look plans what is to be told each morning; it is asked for now and then.
func (m *Messages) Look(ctx context.Context) error {
	missing, err := m.DB.Read(ctx).MorningsMissing(span.At(m.Now()))
	if err != nil || !missing {
		return err
	}
	return m.DB.Write(ctx, m.PlanMornings)
}
