package proof

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"niche/internal/source"
	"niche/internal/store"
)

// The host takes the key, and lists the calendars that are in use. Of a feed, its address
// answers with a calendar.
var signIn = step{
	key: "sign-in", label: "signs in", expected: "The host takes the key and lists the calendars in use.",
	do: func(ctx context.Context, r *run, s *Step) error {
		used := r.of(func(c store.Calendar) bool { return c.Blocks || c.GetsBookings })
		if len(used) == 0 {
			return &fault{"No calendar of this link is for anything.", "Nobody has chosen which calendars block time and which get bookings.", r.there("Choose")}
		}
		if r.link.Kind == store.FeedLink {
			s.Expected = "The address answers with a calendar."
			if err := r.look(ctx); err != nil {
				return err
			}
			s.Seen = "It does."
			return nil
		}
		account, err := r.Links.Account(ctx, r.link)
		if err != nil {
			return r.refused(err, "Listing the calendars")
		}
		var gone, writable []string
		for _, c := range used {
			i := slices.IndexFunc(account.Calendars, func(f source.Calendar) bool { return f.Path == c.Href || f.Address == c.Address })
			switch {
			case i < 0 && !slices.Contains(account.Unclear, c.Href):
				gone = append(gone, "“"+c.Name+"”")
			case i >= 0 && account.Calendars[i].CanWrite:
				writable = append(writable, c.Name)
			case i >= 0:
				r.onlyRead(c.ID)
			}
		}
		if len(gone) > 0 {
			return &fault{fmt.Sprintf("%d calendars are listed, and not %s.", len(account.Calendars), strings.Join(gone, ", ")), "The calendar was deleted at the host, or is no longer shared.", r.there("Choose another one")}
		}
		s.Seen = fmt.Sprintf("%d calendars are listed; of those in use, %s can be written.", len(account.Calendars), all(writable))
		return nil
	},
}

func all(names []string) string {
	if len(names) == 0 {
		return "none"
	}
	return strings.Join(names, ", ")
}

// onlyRead notes that a calendar can only be read by now, whatever was known of it.
func (r *run) onlyRead(id store.ID) {
	for i := range r.calendars {
		if r.calendars[i].ID == id {
			r.calendars[i].CanWrite = false
		}
	}
}
