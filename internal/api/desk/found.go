package desk

import (
	"context"
	"encoding/csv"
	"encoding/json"
	"fmt"
	"io"
	"strconv"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/store"
	"niche/internal/words"
)

// FoundBooking is a booking in a list.
type FoundBooking struct {
	ID        store.ID     `json:"id"`
	Visit     store.ID     `json:"visit"`
	Reference string       `json:"reference"`
	Service   string       `json:"service"`
	Start     span.Instant `json:"start" format:"date-time"`
	End       span.Instant `json:"end" format:"date-time"`
	When      string       `json:"when" doc:"The visit, on the business's clock."`
	Date      string       `json:"date" format:"date" doc:"Of the visit, on the business's clock."`
	Staff     string       `json:"staff"`
	Client    string       `json:"client"`
	Email     string       `json:"email"`
	Phone     string       `json:"phone" doc:"E.164, or empty."`
	Places    int          `json:"places"`
	Status    string       `json:"status" enum:"pending,confirmed,cancelled"`
	Trial     bool         `json:"trial" doc:"It tries a service, and is cleaned up by itself."`
	Missed    bool         `json:"missed"`
	Note      string       `json:"note"`
	Copy      string       `json:"copy" doc:"How its copies stand, the worst of them; empty where there is none."`
	Made      string       `json:"made" doc:"When it was made, on the business's clock."`
	MadeBy    string       `json:"madeBy" doc:"Who at the desk made it; empty for the client."`
	Network   string       `json:"network" doc:"Where it was made from; empty where that was not kept."`
	Ahead     bool         `json:"ahead" doc:"The visit has not begun."`
}

// FoundBookings is a part of the bookings that were found.
type FoundBookings struct {
	Items []FoundBooking `json:"items"`
	Next  string         `json:"next" doc:"After which the next part begins, or empty at the end."`
	Order string         `json:"order" enum:"start,startback,made" doc:"The order in which they are: words are found by an index, the last made first."`
}

// BookingQuery says which bookings are wanted.
type BookingQuery struct {
	Text    string   `query:"text" maxLength:"120" doc:"Beginnings of words of names, mail addresses, references and notes."`
	Service store.ID `query:"service"`
	Staff   store.ID `query:"staff"`
	Status  string   `query:"status" enum:"pending,confirmed,cancelled,missed"`
	Copy    string   `query:"copy" enum:"waiting,written,read back,doubted,adrift,failed" doc:"Only those of which a copy is in this state."`
	Period  string   `query:"period" enum:"ahead,past,any" default:"ahead"`
	From    string   `query:"from" doc:"The first date of visits, instead of a period."`
	To      string   `query:"to" doc:"The last date."`
	Network string   `query:"network" maxLength:"60" doc:"Only those made from one network."`
	Order   string   `query:"order" enum:"start,made" default:"start" doc:"By their visits, those that are over the latest first; or as they were made, the last first."`
	Clock   string   `query:"clock" enum:"24,12" default:"24"`
}

// of reads which bookings are wanted, and how times are told.
func (q BookingQuery) of(db store.Tx, now span.Instant) (of store.BookingsOf, text words.In, err error) {
	if text, err = inZone(db, q.Clock); err != nil {
		return of, text, err
	}
	of = store.BookingsOf{Words: q.Text, Service: q.Service, Staff: q.Staff, Status: store.BookingStatus(q.Status), Copy: store.CopyState(q.Copy), Origin: q.Network, Order: store.ByStart}
	if q.Status == "missed" {
		of.Status, of.Missed = "", true
	}
	switch {
	case q.From != "" || q.To != "":
		if of.From, of.To, err = onDates(text, q.From, q.To); err != nil {
			return of, text, err
		}
	case q.Period == "past":
		of.To, of.Order = now, store.ByStartBack
	case q.Period == "any":
		of.Order = store.ByStartBack
	default:
		of.From = now
	}
	if q.Order == "made" {
		of.Order = store.ByMade
	}
	return of, text, nil
}

func (s *Desk) findBookings(ctx context.Context, in *struct {
	BookingQuery
	After string `query:"after" maxLength:"60" doc:"The part after this place."`
}) (*api.Body[FoundBookings], error) {
	db, now := s.DB.Read(ctx), span.At(s.Now())
	of, text, err := in.of(db, now)
	if err != nil {
		return nil, err
	}
	of.Most = store.PageSize + 1
	if in.After != "" {
		start, id, _ := strings.Cut(in.After, ".")
		s, err1 := strconv.ParseInt(start, 10, 64)
		n, err2 := strconv.ParseInt(id, 10, 64)
		if err1 != nil || err2 != nil {
			return nil, api.Wrong("query.after", "This is no place in the list.")
		}
		of.After = store.Place{Start: span.Instant(s), ID: store.ID(n)}
	}
	rows, err := db.FindBookings(of)
	out := FoundBookings{Items: []FoundBooking{}, Order: string(of.Order)}
	if strings.TrimSpace(in.Text) != "" {
		out.Order = string(store.ByMade)
	}
	if len(rows) > store.PageSize {
		rows = rows[:store.PageSize]
		last := rows[len(rows)-1]
		out.Next = fmt.Sprintf("%d.%d", last.Start, last.ID)
	}
	for _, r := range rows {
		out.Items = append(out.Items, renderFound(r, text, now))
	}
	return api.Answer(out, err)
}

func renderFound(r store.FoundBooking, text words.In, now span.Instant) FoundBooking {
	return FoundBooking{ID: r.ID, Visit: r.VisitID, Reference: r.Reference, Service: r.Service, Start: r.Start, End: r.End, Staff: r.Staff, Client: r.ClientName, Email: r.ClientMail, Phone: r.ClientPhone,
		When: text.Local(r.Start).Format("Mon 2 Jan 2006, ") + text.Stretch(span.Between(r.Start, r.End)).Label, Date: text.Local(r.Start).Format("2006-01-02"),
		Places: r.Places, Status: string(r.Status), Missed: r.MissedAt > 0, Trial: r.Trial, Note: r.Note, Copy: string(r.Copy), Made: text.Moment(r.CreatedAt), MadeBy: r.MadeBy, Network: r.Origin, Ahead: r.Start > now}
}

// exported is how many bookings one file has at most; where there are more, its name says so.
const exported = 50_000

func (s *Desk) exportBookings(ctx context.Context, in *struct {
	BookingQuery
	Format string `query:"format" enum:"csv,ics,json" default:"csv"`
}) (*huma.StreamResponse, error) {
	db, now := s.DB.Read(ctx), span.At(s.Now())
	of, text, err := in.of(db, now)
	if err != nil {
		return nil, err
	}
	of.Most = exported + 1
	rows, err := db.FindBookings(of)
	if err != nil {
		return nil, err
	}
	rows, name := cut("bookings", rows)
	kind := map[string]string{"csv": "text/csv; charset=utf-8", "json": "application/json", "ics": "text/calendar; charset=utf-8"}[in.Format]
	return &huma.StreamResponse{Body: func(ctx huma.Context) {
		ctx.SetHeader("Content-Disposition", `attachment; filename="`+name+`.`+in.Format+`"`)
		ctx.SetHeader("Content-Type", kind)
		to := ctx.BodyWriter()
		switch in.Format {
		case "json":
			list := make([]FoundBooking, 0, len(rows))
			for _, r := range rows {
				list = append(list, renderFound(r, text, now))
			}
			_ = json.NewEncoder(to).Encode(list)
		case "ics":
			_, _ = to.Write(calendarOf(rows, text.Zone))
		default:
			writeBookings(to, rows)
		}
	}}, nil
}

// writeBookings writes bookings as rows, with instants of RFC 3339 in UTC.
func writeBookings(to io.Writer, rows []store.FoundBooking) {
	w := csv.NewWriter(to)
	w.UseCRLF = true // RFC 4180
	_ = w.Write([]string{"reference", "status", "missed", "start", "end", "service", "staff", "client", "mail", "places", "copy", "note", "made", "made by", "cancelled", "telephone", "answers"})
	for _, r := range rows {
		missed, cancelled := "", ""
		var answers []string
		for _, a := range r.Answers {
			answers = append(answers, a.Line())
		}
		if r.MissedAt > 0 {
			missed = "missed"
		}
		if r.CancelledAt > 0 {
			cancelled = r.CancelledAt.String()
		}
		_ = w.Write([]string{r.Reference, string(r.Status), missed, r.Start.String(), r.End.String(), cell(r.Service), cell(r.Staff), cell(r.ClientName), cell(r.ClientMail), fmt.Sprint(r.Places),
			string(r.Copy), cell(r.Note), r.CreatedAt.String(), cell(r.MadeBy), cancelled, cell(r.ClientPhone), cell(strings.Join(answers, "\n"))})
	}
	w.Flush()
}

// calendarOf writes bookings that are not cancelled as one calendar.
func calendarOf(rows []store.FoundBooking, zone hours.Zone) []byte {
	var list []ics.Booking
	for _, r := range rows {
		if r.Status == store.Cancelled {
			continue
		}
		list = append(list, ics.Booking{UID: strings.ToLower(r.Reference) + "-export" + store.UIDSuffix, Stamp: r.CreatedAt, Visit: span.Between(r.Start, r.End), Zone: zone,
			Summary: r.Service + " · " + r.ClientName, Description: fmt.Sprintf("%s, %s\n%s, with %s", r.ClientName, r.ClientMail, r.Reference, r.Staff), Tentative: r.Status == store.Pending})
	}
	return ics.Calendar(list)
}

// cut cuts a list that is asked for as a file at what a file holds, and names the file: one that lacks something says so.
func cut[T any](name string, rows []T) ([]T, string) {
	if len(rows) > exported {
		return rows[:exported], fmt.Sprintf("%s-first-%d-only", name, exported)
	}
	return rows, name
}
