// Package scale fills a data folder with a business of any size, so that what grows with
// it can be measured. It goes through the packages that the program itself writes by.
package scale

import (
	"context"
	"fmt"
	"math/rand/v2"

	"niche/core/hours"
	"niche/core/offer"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/store"
)

// Sizes of a business.
type Sizes struct {
	Staff     int
	Calendars int // over all staff, one of three gets bookings and the others block
	Spans     int // busy spans over all calendars
	Bookings  int // over all staff
	Ahead     int // how many of them lie ahead
}

// Tenths returns the sizes of a business of so many tenths.
func Tenths(n int) Sizes { return Sizes{100 * n, 300 * n, 300_000 * n, 100_000 * n, 5_500 * n} }

// Services are the services of a filled business, with by how many of its staff each is
// performed, as parts of a thousand of the largest size.
var Services = []int{20, 200, 1000}

const week = `[{"mon":{"spans":[["09:00","17:00"]]},"tue":{"spans":[["09:00","17:00"]]},"wed":{"spans":[["09:00","17:00"]]},"thu":{"spans":[["09:00","17:00"]]},"fri":{"spans":[["09:00","17:00"]]}}]`

// Fill fills an empty database. Bookings are an hour long; those ahead lie in the coming
// weeks, the others in the years before.
func Fill(ctx context.Context, db *store.DB, now span.Instant, s Sizes) error {
	zone, err := hours.LoadZone("Europe/Dublin")
	if err != nil {
		return err
	}
	roll := rand.New(rand.NewPCG(1, 2))
	err = db.Write(ctx, func(tx store.Tx) error {
		if err := tx.SaveBusiness(store.Business{ID: 1, Name: "Workshop", Zone: "Europe/Dublin", Clock: "24", DateOrder: "dmy", AheadPerMail: 5}); err != nil {
			return err
		}
		var staff []store.ID
		for n := range s.Staff {
			row := store.Staff{Name: fmt.Sprintf("Staff %04d", n+1), Zone: "Europe/Dublin", CreatedAt: now}
			if err := tx.SaveStaff(&row); err != nil {
				return err
			}
			staff = append(staff, row.ID)
			if err := tx.ReplacePatterns(row.ID, []store.Pattern{{StaffID: row.ID, FromDate: "2020-01-01", Cycle: week}}); err != nil {
				return err
			}
		}
		for n, performers := range Services {
			row := store.Service{Slug: fmt.Sprint("service-", n+1), Name: fmt.Sprint("Service ", n+1), Length: 60, Step: 30, Anchor: "clock", Window: offer.DaysAhead(60),
				Places: 1, Lengths: []span.Minutes{}, Needs: []string{}, Staffing: "any", Pick: store.PickTurn, Unreachable: store.TakeIt, CreatedAt: now}
			if err := tx.SaveService(&row); err != nil {
				return err
			}
			if err := tx.ReplacePerformers(row.ID, staff[:min(performers, len(staff))], func(int) int { return 1 }); err != nil {
				return err
			}
		}
		return nil
	})
	if err != nil {
		return fmt.Errorf("filling with people: %w", err)
	}
	for n := range s.Calendars {
		if err := calendar(ctx, db, now, store.ID(n%s.Staff+1), n/s.Staff%3 == 2, s.Spans/max(1, s.Calendars*2/3), roll); err != nil {
			return fmt.Errorf("filling with calendars: %w", err)
		}
	}
	monday := zone.DateAt(now).Monday()
	for part := 0; part < s.Bookings; part += 5000 {
		err := db.Write(ctx, func(tx store.Tx) error {
			for n := part; n < min(part+5000, s.Bookings); n++ {
				if err := booking(tx, zone, monday, n, s); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return fmt.Errorf("filling with bookings: %w", err)
		}
	}
	return nil
}

func calendar(ctx context.Context, db *store.DB, now span.Instant, staff store.ID, gets bool, spans int, roll *rand.Rand) error {
	return db.Write(ctx, func(tx store.Tx) error {
		l := store.Link{StaffID: staff, Kind: store.AccountLink, Address: "https://calendars.example", Host: "calendars.example", Username: fmt.Sprint(staff), Secret: []byte{}, Mails: []string{}, NextAt: store.Never, CreatedAt: now}
		if err := tx.SaveLink(&l); err != nil {
			return err
		}
		c := store.Calendar{LinkID: l.ID, Href: "/c/", Name: "Calendar", Blocks: !gets, GetsBookings: gets, CanWrite: true, Watched: true, State: store.Fresh, ReadAt: now, TriedAt: now, KnownTo: store.Never, NextAt: store.Never}
		if err := tx.SaveCalendar(&c); err != nil || gets {
			return err
		}
		objects, busy := make([]store.Object, spans), make([]store.BusySpan, spans)
		for n := range spans {
			start := now + span.Instant(roll.Int64N(400*86400)-20*86400)
			href := fmt.Sprintf("/c/%d.ics", n)
			objects[n] = store.Object{CalendarID: c.ID, Href: href, Address: href, Etag: fmt.Sprint(n)}
			busy[n] = store.BusySpan{CalendarID: c.ID, Href: href, Start: start, End: start + 1800}
		}
		if err := tx.AddObjects(objects, busy, nil); err != nil {
			return err
		}
		return blocking.Pack(tx, c.ID)
	})
}

// booking adds the nth booking: the last ones lie ahead, hour by hour through each
// person's days, and the others before.
func booking(tx store.Tx, zone hours.Zone, monday hours.LocalDate, n int, s Sizes) error {
	ahead := n >= s.Bookings-s.Ahead
	k := n
	if ahead {
		k -= s.Bookings - s.Ahead
	}
	staff, nth := store.ID(k%s.Staff+1), k/s.Staff
	day := monday + 7 + hours.LocalDate(nth/4/5*7+nth/4%5)
	if !ahead {
		day = monday - 7 - hours.LocalDate(nth/4/5*7+nth/4%5)
	}
	o := zone.Over(day, day)
	start := o.Starting(day, 9*60+nth%4*120)
	service := store.ID(len(Services))
	v := store.Visit{ServiceID: service, UID: fmt.Sprintf("%d@scale", n), Start: start, End: start + 3600}
	if err := tx.AddVisit(&v, []store.ID{staff}, nil); err != nil {
		return err
	}
	if err := tx.AddClaim(store.Claim{VisitID: v.ID, Subject: store.StaffSubject(staff), Start: v.Start, End: v.End}); err != nil {
		return err
	}
	b := store.Booking{VisitID: v.ID, Reference: fmt.Sprint("R", n), TokenHash: fmt.Sprint("t", n), Status: store.Confirmed, Places: 1, ClientName: name(n), ClientMail: fmt.Sprintf("c%d@clients.example", n%50_000), ClientZone: "Europe/Dublin", CreatedAt: start - 86400}
	return tx.AddBooking(&b)
}

// syllables are what names are made of.
var syllables = []string{"ro", "sa", "ver", "li", "no", "mar", "ti", "ann", "bo", "kel", "dun", "fin", "ost", "ha", "wen"}

// name makes up one of some ten thousand names, some of them often.
func name(n int) string {
	part := func(k int) string { return syllables[k%len(syllables)] }
	return "A" + part(n) + part(n/7) + " " + part(n/11) + part(n/13) + part(n/5)
}
