package demo

import (
	"cmp"
	"fmt"
	"niche/core/question"
	"slices"
	"strings"
	"time"

	"niche/core/casefile"
	"niche/core/offer"
	"niche/internal/api/desk"
	"niche/internal/standin"
)

// person is a staff member of the demo.
type person struct {
	user, name, zone string
	week             map[string]casefile.Day
	other            map[string]casefile.Day // every second week, if any
	from             int                     // days from the Monday of the first week on which the hours begin
	later            season
	away             absence
	extra            oneOff
	cap              *int
	unlinked         bool
	ownHours         bool   // keeps them without the desk
	tells            string // when they hear of their visits
	feed             bool   // the hall's concerts are linked
	events           []event
}

// season is a pattern of its own, absence and oneOff are what wins over patterns; all
// by days from the Monday of the first week.
type (
	season struct {
		from, until int
		week        map[string]casefile.Day
	}
	absence struct {
		from, until int
		note        string
	}
	oneOff struct {
		day         int
		spans, note string
	}
)

// event is a personal event, by days from the Monday of the first week.
type event struct {
	calendar, title string
	day             int
	from, to        string // empty for the whole day
	weekly          bool
}

// days makes the same day's hours for several days of a week.
func days(keys string, spans, breaks string) map[string]casefile.Day {
	out := map[string]casefile.Day{}
	for i := 0; i+3 <= len(keys); i += 4 {
		out[keys[i:i+3]] = casefile.Day{Spans: wallSpans(spans), Breaks: wallSpans(breaks)}
	}
	return out
}

// wallSpans reads "09:00-17:30 18:00-19:00".
func wallSpans(text string) []casefile.WallSpan {
	var out []casefile.WallSpan
	for ; len(text) >= 11; text = text[min(len(text), 12):] {
		out = append(out, casefile.WallSpan{text[:5], text[6:11]})
	}
	return out
}

func with(a, b map[string]casefile.Day) map[string]casefile.Day {
	for k, v := range b {
		a[k] = v
	}
	return a
}

const workdays = "mon tue wed thu fri"

var people = []person{
	{user: "mara@quillon.example", name: "Mara Quillon", zone: zone, ownHours: true, week: days(workdays, "08:30-17:00", "12:00-12:30"),
		later: season{42, 97, days(workdays, "09:30-16:30", "12:30-13:00")}, away: absence{30, 34, "Lisbon"}, extra: oneOff{12, "10:00-14:00", "Open day"}, events: []event{
			{"family", "School run", 0, "08:30", "09:00", true}, {"family", "Parents’ evening", 3, "16:00", "17:30", false}, {"work", "Delivery of felt", 3, "16:30", "18:00", false},
			{"work", "Call with the timber yard", 1, "10:30", "11:30", false}, {"birthdays", "Wren’s birthday", 4, "", "", false},
			{"work", "Bank", 8, "13:00", "14:00", false}}},
	{user: "ansel@okoro.example", name: "Ansel Okoro", zone: zone, tells: "morning", week: days(workdays, "09:00-13:00 13:45-18:00", ""),
		other: with(days("mon tue wed thu", "09:00-13:00 13:45-18:00", ""), days("fri", "09:00-13:00", "")), events: []event{
			{"personal", "Physiotherapy", 3, "09:00", "09:45", false}, {"personal", "Physiotherapy", 10, "09:00", "09:45", false},
			{"personal", "Choir", 1, "17:00", "19:00", true},
			{"rota", "Pedal check, hall 2", 3, "15:30", "16:30", false}, {"rota", "Rehearsal cover", 8, "15:00", "17:00", false}}},
	{user: "bryn@castellane.example", name: "Bryn Castellane", zone: zone, week: days(workdays, "09:00-17:30", "12:30-13:15"), cap: atMost(4), events: []event{
		{"family", "Dentist", 0, "14:15", "15:30", false}, {"family", "Swimming lesson", 3, "14:30", "15:30", true},
		{"work", "Workshop meeting", 2, "09:00", "10:00", true}, {"family", "Moving house", 11, "", "", false}}},
	{user: "ilse@varga.example", name: "Ilse Varga", zone: zone,
		week: with(days("mon tue thu", "10:00-13:00 14:00-19:00", ""), with(days("wed", "08:30-12:30", ""), with(days("fri", "10:00-15:00", ""), days("sat", "09:00-13:00", "")))), feed: true, extra: oneOff{12, "18:00-01:00", "After the festival"},
		events: []event{{"personal", "Pottery", 3, "16:00", "19:00", true}, {"personal", "Train to Galway", 0, "10:00", "11:30", false}, {"personal", "Lunch with Orla", 7, "12:00", "13:30", false}}},
	{user: "noor@haddad.example", name: "Noor Haddad", zone: "America/St_Johns", week: days(workdays, "09:00-16:00", "12:00-12:30"), events: []event{
		{"personal", "Vet", 0, "13:30", "14:15", false}, {"personal", "Skating", 2, "15:00", "16:00", true}}},
	{user: "piet@lindqvist.example", name: "Piet Lindqvist", zone: zone, week: days("mon tue wed thu", "08:00-16:00", "12:00-12:30"), from: 7, unlinked: true},
}

// rota is a calendar that a hall's own desk fills: visits of another desk.
const rota = "Cedar Hall rota"

// Accounts returns the demo's accounts at the calendar host.
func Accounts() []standin.Account {
	var out []standin.Account
	for i, p := range people {
		a := standin.Account{User: p.user, Name: p.name, Password: fmt.Sprintf("app-%s-%d", p.name[:4], 4817+i*613), Zone: p.zone}
		switch p.user {
		case "mara@quillon.example", "bryn@castellane.example":
			a.Calendars = []standin.Calendar{{ID: "work", Name: "Work", Colour: "#1f6f8b"}, {ID: "family", Name: "Family", Colour: "#a4508b"},
				{ID: "birthdays", Name: "Birthdays", Colour: "#8a8f3c", ReadOnly: true}}
		case "ansel@okoro.example":
			a.Calendars = []standin.Calendar{{ID: "work", Name: "Work", Colour: "#1f6f8b"}, {ID: "personal", Name: "Personal", Colour: "#b3621b"},
				{ID: "rota", Name: rota, Colour: "#5b3f8f"}}
		default:
			a.Calendars = []standin.Calendar{{ID: "work", Name: "Work", Colour: "#1f6f8b"}, {ID: "personal", Name: "Personal", Colour: "#b3621b"}}
		}
		out = append(out, a)
	}
	return append(out, standin.Account{User: hall, Name: "Cedar Hall", Password: "stage-door-20", Zone: zone,
		Calendars: []standin.Calendar{{ID: "concerts", Name: "Cedar Hall concerts", Colour: "#5b3f8f", Public: true}}})
}

// domains are those of the mail addresses that have their calendars at the cloud.
func domains() (list []string) {
	for _, p := range people {
		_, domain, _ := strings.Cut(p.user, "@")
		if !slices.Contains(list, domain) {
			list = append(list, domain)
		}
	}
	return list
}

// harbourName is what the other calendar host is called.
const harbourName = "Harbour"

// Harbour is the other calendar host: it takes app passwords alone, and calendars that
// others share.
func Harbour(file string, now func() time.Time) (*standin.Cloud, error) {
	const boat, piet, ansel = "boat", "piet@harbour.example", "ansel@harbour.example"
	c, err := standin.Open(file, now, []standin.Account{
		{User: ansel, Name: "Ansel Okoro", Password: "harbour-Ansel-2290", Zone: zone, Calendars: []standin.Calendar{{ID: "bench", Name: "Workbench", Colour: "#7a5c1e"}, {ID: "quartet", Name: "Quartet", Colour: "#3c6e47"}}},
		{User: piet, Name: "Piet Lindqvist", Password: "harbour-Piet-7155", Zone: zone, Calendars: []standin.Calendar{{ID: boat, Name: "Boat", Colour: "#1f6f8b"},
			{ID: "bench", Name: "Workbench of Ansel", Colour: "#7a5c1e", Of: ansel + "/bench", ReadOnly: true}, {ID: "quartet", Name: "Quartet", Colour: "#3c6e47", Of: ansel + "/quartet"}}}})
	if err != nil {
		return nil, err
	}
	return c.With(standin.Traits{Name: harbourName, AppPasswordsOnly: true}), nil
}

// hall is the account of a hall that publishes its concerts, at which Ilse turns
// the pages.
// hostName is what the calendar cloud is called.
const hostName = "Cloudlet"

const hall = "stage@cedar-hall.example"

var concerts = []event{{"concerts", "Quartet", 1, "19:30", "21:30", false}, {"concerts", "Matinee for schools", 4, "13:15", "14:45", false},
	{"concerts", "Piano recital", 5, "10:00", "12:00", false}, {"concerts", "Choir festival", 9, "09:30", "12:30", false}}

// late are personal events of Ilse's that arrive when everything has been booked,
// on top of a visit.
var late = []event{{"personal", "Boiler repair", 0, "15:45", "16:45", false}}

// service is a service of the demo with the numbers of who performs it.
type service struct {
	desk.ServiceFields
	performers []int
}

var services = []service{
	{usual(desk.ServiceFields{Name: "Home tuning", Place: "At your place", Venue: "theirs", Hue: 0, Length: 90, Step: 30, BufferBefore: 20, BufferAfter: 20,
		Notice: desk.Before(240), Window: desk.Ahead(60), CapPerDay: atMost(3), Pick: "fewest", Unreachable: "ask", Phone: "may",
		Messages: desk.Messages{Reminders: []int{24 * 60}, ByText: []int{2 * 60}}, Questions: []question.Question{
			{Key: "piano", Kind: question.One, Label: "What kind of piano is it?", Options: []string{"Upright", "Grand", "I do not know"}},
			{Key: "since", Kind: question.Text, Label: "When was it tuned last?"},
			{Key: "faults", Kind: question.YesNo, Label: "Does anything buzz or stick?"},
			{Key: "which", Kind: question.Long, Label: "What, and where?", Help: "The notes, if you know them.", After: "faults", Said: "yes"}}}), []int{0, 1, 2, 3}},
	{usual(desk.ServiceFields{Name: "Concert tuning", Place: "At the hall", Hue: 1, Length: 60, Step: 30, BufferBefore: 30, BufferAfter: 30,
		Notice: desk.Notice{Notice: offer.DaysBefore(1, 18*60)}, Window: desk.Ahead(90), Unreachable: "take"}), []int{0, 3}},
	{usual(desk.ServiceFields{Name: "Video appraisal", Place: "Online", Venue: "online", Hue: 2, Length: 30, Lengths: []int{45}, Step: 30, BufferBefore: 5, BufferAfter: 5,
		Notice: desk.Before(60), Window: desk.Ahead(30), Pick: "last", Unreachable: "ask"}), []int{4, 1}},
	{usual(desk.ServiceFields{Name: "Grand regulation", Place: "At our workshop", Room: "workshop bay", Hue: 4, Length: 240, Step: 30, BuffersInsideHours: true,
		Notice: desk.Before(2880), Window: desk.Ahead(90), Needs: []string{"workshop bay"}, Pick: "turn", Unreachable: "ask"}), []int{2, 0}},
	{usual(desk.ServiceFields{Name: "Care class", Place: "At our workshop", Hue: 3, Length: 75, Step: 15, Anchor: "opening", BufferBefore: 15, BufferAfter: 15,
		Notice: desk.Before(120), Window: desk.Ahead(60), Places: 8, CapPerDay: atMost(1), Unreachable: "take"}), []int{3}},
	{usual(desk.ServiceFields{Name: "Piano moving", Place: "From your place to another", Hue: 5, Length: 180, Step: 60, BufferBefore: 30, BufferAfter: 30,
		Notice: desk.Before(4320), Window: desk.Ahead(90), Needs: []string{"van"}, Staffing: "all", Unreachable: "ask", Phone: "must",
		Questions: []question.Question{{Key: "from", Kind: question.Address, Label: "Where does it stand?", Required: true},
			{Key: "to", Kind: question.Address, Label: "Where is it to go?", Required: true},
			{Key: "stairs", Kind: question.Number, Label: "How many stairs are there, both places together?", Required: true}}}), []int{1, 2}},
}

// usual fills in what is the same for most services.
func usual(f desk.ServiceFields) desk.ServiceFields {
	f.Anchor, f.Staffing, f.Pick, f.Places = cmp.Or(f.Anchor, "clock"), cmp.Or(f.Staffing, "any"), cmp.Or(f.Pick, "order"), max(1, f.Places)
	f.Lengths, f.Needs = append([]int{}, f.Lengths...), append([]string{}, f.Needs...)
	return f
}

func atMost(n int) *int { return &n }

// resources are the rooms and equipment of the demo, and closures the days on
// which it is closed, by days from the Monday of the first week.
var (
	resources = []desk.ResourceFields{{Name: "Bay by the window", Kind: "workshop bay"}, {Name: "Bay at the back", Kind: "workshop bay"}, {Name: "The van", Kind: "van"}}
	closures  = map[int]string{19: "Stocktaking", 47: "Piano fair"}
)

// visit is a booking of the demo, by days from the Monday of the first week.
type visit struct {
	service, day int
	at           string // Dublin time
	person       int    // -1 for all who are needed
	client       string
}

var visits = []visit{
	{0, 0, "09:30", 0, "Rosa Osei"}, {1, 0, "15:00", 0, "Cedar Hall"}, {0, 0, "10:00", 1, "Luc Moreau"}, {2, 0, "16:30", 1, "Tomi Adeyemi"},
	{0, 0, "09:30", 2, "Sam Whitlock"}, {0, 0, "15:00", 3, "Greta Lunde"}, {2, 0, "13:30", 4, "Pia Lund"}, {2, 0, "18:00", 4, "Kit Baptiste"},
	{0, 1, "08:30", 0, "Ines Duarte"}, {0, 1, "13:30", 0, "Hugo Brandt"}, {0, 1, "09:30", 1, "Maeve Kinsella"}, {0, 1, "10:00", 2, "Dara Flynn"}, {0, 1, "14:30", 3, "Una Breen"}, {2, 1, "14:00", 4, "Jonas Weil"},
	{0, 2, "09:30", 0, "Aoife Mercer"}, {1, 2, "15:30", 0, "Linden Hall"}, {0, 2, "14:00", 1, "Noel Tierney"}, {0, 2, "13:30", 2, "Vera Stone"}, {0, 2, "09:00", 3, "Elin Moss"},
	{0, 3, "09:00", 0, "Rosa Osei"}, {0, 3, "10:30", 1, "Cormac Daly"}, {0, 3, "09:30", 2, "Sunniva Berg"}, {1, 3, "14:00", 3, "Cedar Hall"}, {2, 3, "17:00", 4, "Ravi Anand"},
	{0, 4, "10:00", 0, "Otto Lind"}, {0, 4, "14:00", 2, "Clodagh Roe"}, {2, 4, "15:00", 4, "Mina Park"}, {0, 4, "11:00", 3, "Fionn Hale"},
	{3, 7, "13:30", 2, "Priory School"}, {5, 9, "14:00", -1, "Marta Quist"},
	{4, 1, "10:00", 3, "Ida Holm"}, {4, 1, "10:00", 3, "Per Nilsen"}, {4, 1, "10:00", 3, "Lea Roth"}, {4, 1, "10:00", 3, "Ben Auer"}, {4, 7, "14:00", 3, "Ida Holm"},
	{0, 7, "10:00", 0, "Ada Winter"}, {0, 7, "14:30", 1, "Bea Sol"}, {0, 8, "09:30", 2, "Ivo Maric"}, {1, 9, "16:00", 0, "Linden Hall"}, {0, 9, "10:30", 1, "Tess Arden"}, {2, 10, "14:00", 4, "Lou Verne"},
}

// footfall is how far people came on pages.
var footfall = []struct {
	slug                            string
	opened, chosen, details, booked int
}{{"all-we-do", 58, 0, 0, 0}, {"home-tuning", 46, 33, 25, 22}, {"concert-tuning", 9, 7, 6, 5}, {"video-appraisal", 31, 22, 14, 11}, {"grand-regulation", 17, 6, 2, 1}, {"care-class", 24, 15, 11, 5}, {"piano-moving", 12, 8, 2, 1}}
