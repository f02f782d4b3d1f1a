package ics

import (
	"cmp"
	"errors"
	"io"
	"slices"

	"niche/core/hours"
	"niche/core/span"
)

// NamedDay is a date with what a public calendar calls it.
type NamedDay struct {
	Date hours.LocalDate
	Name string
}

// ReadDays reads the whole-day events of a public calendar, such as one of public
// holidays, between two dates. Unlike ReadBusy it keeps names, so it is not
// for personal calendars. Events with times are left out, and what cannot be
// read is skipped.
func ReadDays(r io.Reader, from, to hours.LocalDate) (days []NamedDay, skipped []Skipped, err error) {
	o := hours.Zone{}.Over(from, to)
	s := newScope(Scope{Window: span.Between(o.Starting(from, 0), o.Ending(to+1, 0))})
	in := newReader(r)
	in.wants = func(name, line []byte) bool { return string(name) == "SUMMARY" || s.wants(name, line) }
	for {
		c, err := in.next()
		if errors.Is(err, io.EOF) {
			break
		}
		if err != nil {
			return nil, nil, err
		}
		if c.Name != "VEVENT" {
			continue
		}
		e, err := s.parse(c)
		if err != nil {
			skipped = append(skipped, Skipped{c.value("UID"), e.start.date, err.Error()})
			continue
		}
		if !e.start.allDay {
			continue
		}
		e.allFree = false // holidays are often marked as free time
		s.out = s.out[:0]
		s.expand([]*event{&e}, func(_ *event, err error) {
			skipped = append(skipped, Skipped{e.uid, e.start.date, err.Error()})
		})
		name, _ := c.Get("SUMMARY")
		for _, oc := range s.out {
			for i := oc.During.Start(); i < oc.During.End(); i = i.Add(24 * 60) {
				if d := s.utc.DateAt(i); d >= from && d <= to {
					days = append(days, NamedDay{d, name.Text()})
				}
			}
		}
	}
	slices.SortStableFunc(days, func(a, b NamedDay) int { return cmp.Compare(a.Date, b.Date) })
	return slices.CompactFunc(days, func(a, b NamedDay) bool { return a.Date == b.Date }), skipped, nil
}
