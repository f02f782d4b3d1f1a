package message

import (
	"fmt"
	"html"
	"net/url"
	"regexp"
	"strings"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/store"
)

// Text is what a mail says: paragraphs with an empty line between them. One that is an
// address and nothing else is made a link.
type Text struct {
	Subject string
	Body    string
}

// The kinds of mail, and how each is told apart from others about the same.
const (
	LinkCalendar = "link" // an invitation to link a calendar
	SignInAgain  = "again"
	ComeIn       = "come in"
	LiesOn       = "lies"
	WasMoved     = "moved"
)

// AboutLinking is what an invitation of somebody is about.
func AboutLinking(staff store.ID) string { return fmt.Sprintf("linking of %d", staff) }

// until says an instant as a day or a moment on the clock of somebody.
func until(s store.Staff, at span.Instant, layout string) string {
	zone, err := hours.LoadZone(s.Zone)
	if err != nil {
		return at.Time().UTC().Format(layout + " MST")
	}
	return at.Time().In(zone.Location()).Format(layout)
}

func letter(to store.Staff, subject string, paragraphs ...string) Text {
	first, _, _ := strings.Cut(to.Name, " ")
	return Text{subject, strings.Join(append([]string{"Hello " + first + ","}, paragraphs...), "\n\n") + "\n"}
}

// Invitation asks somebody to link a calendar at the address with a token.
func (m *Messages) Invitation(business string, to store.Staff, token string, ends span.Instant) Mail {
	return Mail{Kind: LinkCalendar, Staff: to, About: AboutLinking(to.ID), Until: ends, Text: letter(to, "Link your calendar: "+business,
		business+" asks you to link your calendar, so that nobody books you while you are busy, and your visits stand where you look.",
		m.Home+"/link/"+url.PathEscape(token),
		"This address is for you alone, works once, and ends on "+until(to, ends, "Monday 2 January")+". On its page you can also say that you do not want to link anything.")}
}

// WayIn is the mail with a one-time address, by which a staff member comes in.
func (m *Messages) WayIn(business string, to store.Staff, token string, ends span.Instant) Mail {
	return Mail{Kind: ComeIn, Staff: to, About: fmt.Sprintf("way in of %d", to.ID), Until: ends, Text: letter(to, "Your way in: "+business,
		"By this address you come to your own pages at "+business+":",
		m.Home+"/my/in/"+url.PathEscape(token),
		"It works once, until "+until(to, ends, "15:04")+", in the browser in which you asked for it.",
		"If it was not you who asked, leave it alone: nobody comes in without it.")}
}

// Again asks the owner of a link whose key is no longer taken to renew it.
func (m *Messages) Again(business string, to store.Staff, link store.ID, host string, now span.Instant) Mail {
	return Mail{Kind: SignInAgain, Staff: to, About: fmt.Sprintf("key of link %d", link), Thing: link, Daily: true, Until: now.Add(7 * day), Text: letter(to, "Sign in again at "+host+": "+business,
		host+" no longer lets Niche in to your calendars. Until you sign in again, nobody sees here when you are busy, and your visits are not written there.",
		m.Home+"/my/calendars",
		"Your calendars, what they are for and the visits in them stay as they are.")}
}

// Lies tells the owner of a calendar that something takes the time of a visit of theirs.
// What it is, nobody knows here.
func (m *Messages) Lies(business string, to store.Staff, calendar, visit string, v store.Visit, on span.Span) Mail {
	return Mail{Kind: LiesOn, Staff: to, About: fmt.Sprintf("visit %d and %s", v.ID, calendar), Thing: v.ID, Daily: true, Until: v.End, Text: letter(to, "Something lies on a visit: "+business,
		fmt.Sprintf("In your calendar “%s”, something takes %s. At that time you have a visit: %s, %s.", calendar, spanOf(to, on), visit, spanOf(to, v.During())),
		"If the visit cannot be kept, tell your desk; or move what is in your calendar.",
		m.Home+"/my?date="+until(to, v.Start, "2006-01-02"))}
}

// Moved asks the owner of a calendar which holds: the visit, or its copy that is
// otherwise now.
func (m *Messages) Moved(business string, to store.Staff, calendar, visit string, v store.Visit, how string) Mail {
	return Mail{Kind: WasMoved, Staff: to, About: fmt.Sprintf("copy of visit %d in %s", v.ID, calendar), Thing: v.ID, Daily: true, Until: v.End, Text: letter(to, "Which holds? A visit was changed in your calendar: "+business,
		fmt.Sprintf("The visit %s, %s, is otherwise in your calendar “%s” now. %s At your desk it is as it was.", visit, spanOf(to, v.During()), calendar, how),
		"Say which holds:",
		m.Home+"/my?date="+until(to, v.Start, "2006-01-02"))}
}

func spanOf(to store.Staff, s span.Span) string {
	return until(to, s.Start(), "15:04") + "–" + until(to, s.End(), "15:04 on Mon 2 Jan")
}

// address finds addresses in a text.
var address = regexp.MustCompile(`https?://[^\s<>"]+[^\s<>".,;:!?)]`)

// page returns the text as HTML, with its addresses as links.
func page(text string) string {
	var b strings.Builder
	b.WriteString("<!doctype html><html lang=\"en-GB\"><body style=\"font-family:sans-serif;line-height:1.5;max-width:36em\">")
	for p := range strings.SplitSeq(strings.TrimSpace(text), "\n\n") {
		at := 0
		b.WriteString("<p>")
		say := func(text string) { b.WriteString(strings.ReplaceAll(html.EscapeString(text), "\n", "<br>")) }
		for _, found := range address.FindAllStringIndex(p, -1) {
			say(p[at:found[0]])
			to := html.EscapeString(p[found[0]:found[1]])
			fmt.Fprintf(&b, "<a href=\"%s\">%s</a>", to, to)
			at = found[1]
		}
		say(p[at:])
		b.WriteString("</p>")
	}
	b.WriteString("</body></html>")
	return b.String()
}
