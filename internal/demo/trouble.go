package demo

import (
	"context"
	"fmt"
	"strings"
	"time"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/desk"
	"niche/internal/standin"
	"niche/internal/store"
)

// oddName is what the host is called at which something is wrong with each account.
const oddName = "Oddment"

// troubled is somebody whose link does not hold.
type troubled struct {
	name     string
	quirk    standin.Quirk
	noTarget bool // nobody has chosen where bookings go
	readOnly bool // the calendar that gets bookings can only be read by now
	allFree  bool // all events are marked free
	feed     bool // the calendar is published, and made anew a few times a day
}

// trouble is one person for each way in which a link does not hold.
var trouble = []troubled{
	{name: "Orla Finch", noTarget: true},
	{name: "Ruben Strand", readOnly: true},
	{name: "Thea Marlow", quirk: standin.OtherClock},
	{name: "Caspar Dunne", quirk: standin.DropsPlace},
	{name: "Lotte Brink", quirk: standin.StoresNothing},
	{name: "Emil Tarn", allFree: true},
	{name: "Ida Sorrel", feed: true},
	{name: "Joris Venn", quirk: standin.Tires},
	{name: "Freya Holt", quirk: standin.MarksFree},
}

// user is the account of somebody at the odd host.
func (t troubled) user() string {
	return strings.ToLower(strings.Fields(t.name)[0]) + "@oddment.example"
}

// Oddment is a calendar host at which something is wrong with each account.
func Oddment(file string, now func() time.Time) (*standin.Cloud, error) {
	var accounts []standin.Account
	for i, t := range trouble {
		a := standin.Account{User: t.user(), Name: t.name, Password: fmt.Sprintf("odd-%s-%d", strings.Fields(t.name)[0], 3310+i*477), Zone: zone, Quirk: t.quirk,
			Calendars: []standin.Calendar{{ID: "work", Name: "Work", Colour: "#1f6f8b"}}}
		if t.feed {
			a.Calendars[0].Public, a.Calendars[0].Refresh = true, "PT6H"
		}
		accounts = append(accounts, a)
	}
	c, err := standin.Open(file, now, accounts)
	if err != nil {
		return nil, err
	}
	return c.With(standin.Traits{Name: oddName, AppPasswordsOnly: true}), nil
}

// Trouble adds people to the demo whose links do not hold, each in another way. Niche is as Fill has left it.
func Trouble(ctx context.Context, niche *Client, odd *standin.Cloud, address string, now time.Time) error {
	host := desk.HostEntry{HostFields: api.HostFields{Name: oddName, Address: address, Domains: []string{"oddment.example"}}, SignIn: desk.SignInFields{Scopes: []string{}}}
	if err := niche.Post(ctx, "/api/hosts", host, nil); err != nil {
		return fmt.Errorf("naming the odd calendar host: %w", err)
	}
	home, err := hours.LoadZone(zone)
	if err != nil {
		return err
	}
	f := filling{niche: niche, cloud: odd, host: address, monday: home.DateAt(span.At(now)).Monday()}
	var ids []store.ID
	for i, t := range trouble {
		id, err := f.troubled(ctx, t, odd.Accounts[i])
		if err != nil {
			return fmt.Errorf("adding %s: %w", t.name, err)
		}
		ids = append(ids, id)
	}
	s := usual(desk.ServiceFields{Name: "Apprentice tuning", Place: "At your place", Hue: 6, Length: 60, Step: 60, Notice: desk.Before(120), Window: desk.Ahead(30), Unreachable: "ask"})
	s.Staff = ids
	return niche.Post(ctx, "/api/services", s, nil)
}

func (f *filling) troubled(ctx context.Context, t troubled, a standin.Account) (store.ID, error) {
	var member desk.StaffMember
	if err := f.niche.Post(ctx, "/api/staff", desk.StaffFields{Name: t.name, Email: t.user(), Zone: zone}, &member); err != nil {
		return 0, err
	}
	if err := f.hours(ctx, person{week: days(workdays, "09:00-17:00", "")}, member.ID); err != nil {
		return 0, err
	}
	loc, err := time.LoadLocation(zone)
	if err != nil {
		return 0, err
	}
	for day := range 3 {
		at := (f.monday + hours.LocalDate(day)).Time()
		start := time.Date(at.Year(), at.Month(), at.Day(), 12, 0, 0, 0, loc)
		if t.allFree {
			uid := fmt.Sprintf("lunch-%d", day)
			utc := "20060102T150405Z"
			lines := []string{"BEGIN:VCALENDAR", "VERSION:2.0", "PRODID:-//Calendar host//Week page//EN", "BEGIN:VEVENT", "UID:" + uid, "DTSTAMP:" + start.UTC().Format(utc),
				"DTSTART:" + start.UTC().Format(utc), "DURATION:PT1H", "RRULE:FREQ=WEEKLY", "TRANSP:TRANSPARENT", "SUMMARY:Lunch", "END:VEVENT", "END:VCALENDAR", ""}
			if err := f.cloud.Put(t.user(), "work", uid+".ics", []byte(strings.Join(lines, "\r\n"))); err != nil {
				return 0, err
			}
		} else if _, err := f.cloud.Add(t.user(), "work", standin.Event{Title: "Lunch", Start: start, End: start.Add(time.Hour), Weekly: true}); err != nil {
			return 0, err
		}
	}
	if t.feed {
		feed := api.NewLink{Kind: "feed", Address: f.host + "/public/" + t.user() + "/work.ics"}
		return member.ID, f.niche.Post(ctx, fmt.Sprintf("/api/staff/%d/links", member.ID), feed, nil)
	}
	gets := "Work"
	if t.noTarget {
		gets = ""
	}
	if err := f.link(ctx, member.ID, a, gets); err != nil {
		return 0, err
	}
	if t.readOnly {
		f.cloud.LetRead(t.user(), "work")
	}
	return member.ID, nil
}
