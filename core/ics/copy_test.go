package ics_test

import (
	"bytes"
	"strings"
	"testing"
	"time"

	"github.com/emersion/go-ical"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/ics"
	"niche/core/span"
)

// read returns what a copy says.
func read(t require.TestingT, file string) ics.Said {
	got, err := ics.ReadCopy(strings.NewReader(file), "u-1@niche")
	require.NoError(t, err)
	return got
}

// with returns a copy in which a text is another.
func with(t require.TestingT, file, name string, change func(string) string) string {
	cal, err := ical.NewDecoder(strings.NewReader(file)).Decode()
	require.NoError(t, err)
	p := cal.Children[len(cal.Children)-1].Props.Get(name)
	is, err := p.Text()
	require.NoError(t, err)
	p.SetText(change(is))
	var out bytes.Buffer
	require.NoError(t, ical.NewEncoder(&out).Encode(cal))
	return out.String()
}

// In whichever zone, around jumps of its clocks, and with whatever words: the copy
// says the same when it is read back, also to somebody else, and nothing else does.
func TestABookingIsWrittenAndReadBackAsWhatItSays(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		text := func(label string) string {
			return rapid.StringOfN(rapid.SampledFrom([]rune("aé漢,;:\\\n\"\r\x00\t 🎹")), 0, 90, -1).Draw(t, label)
		}
		zone, err := hours.LoadZone(rapid.SampledFrom([]string{"UTC", "Europe/Dublin", "America/St_Johns", "Australia/Lord_Howe", "America/Havana", "Asia/Kathmandu"}).Draw(t, "zone"))
		require.NoError(t, err)
		near := rapid.SampledFrom([]string{"2026-03-29T00:00:00Z", "2026-10-25T00:00:00Z", "2026-03-08T05:00:00Z", "2026-11-01T05:00:00Z", "2026-10-03T15:30:00Z", "2026-04-04T15:00:00Z", "2031-06-10T10:00:00Z"}).Draw(t, "near")
		start := instant(t, near).Add(span.Minutes(rapid.IntRange(-300, 300).Draw(t, "minutes")))
		b := ics.Booking{UID: "u-1@niche", Visit: span.For(start, 90), Zone: zone, Summary: "x" + text("summary"), Description: text("description"), Location: text("location")}
		b.Tentative = rapid.Bool().Draw(t, "tentative")
		if rapid.Bool().Draw(t, "with a guest") {
			b.Organizer, b.Guests = ics.Guest{Name: text("owner"), Address: ics.Mailto("bryn@castellane.example")}, []ics.Guest{{Name: text("guest"), Address: ics.Mailto("rosa+tuning@clients.example")}}
		}
		file := string(b.Encode())
		require.True(t, b.Carries([]byte(file)))
		for line := range strings.SplitSeq(file, "\r\n") {
			require.LessOrEqual(t, len(line), 75)
		}
		require.Empty(t, b.Said().Differs(read(t, file)))
		require.Equal(t, b.Said().Digest(), read(t, file).Digest())

		moved := b
		moved.Visit = span.For(start+60, 90)
		require.Equal(t, ics.OtherTime, moved.Said().Differs(read(t, file)))
		require.NotEqual(t, moved.Said().Digest(), b.Said().Digest())
		renamed := b
		renamed.Summary = "y" + b.Summary
		require.Equal(t, ics.OtherTitle, renamed.Said().Differs(read(t, file)))

		// What the owner adds stays, whatever the booking says later.
		notes := strings.NewReplacer("\r", "", "\x00", "").Replace(text("notes"))
		added := string(moved.Over([]byte(strings.Replace(with(t, file, "DESCRIPTION", func(d string) string { return d + "\n" + notes }), "END:VEVENT", "COLOR:red\r\nBEGIN:VALARM\r\nTRIGGER:-PT9M\r\nEND:VALARM\r\nEND:VEVENT", 1))))
		require.Empty(t, moved.Said().Differs(read(t, added)))
		require.Contains(t, added, "COLOR:red\r\n")
		require.Contains(t, added, "TRIGGER:-PT9M\r\n")
		with(t, added, "DESCRIPTION", func(d string) string {
			require.True(t, strings.HasSuffix(d, ics.NotesBelow+"\n"+notes), d)
			return d
		})

		others, err := ical.NewDecoder(strings.NewReader(file)).Decode()
		require.NoError(t, err)
		at, err := others.Events()[0].DateTimeStart(time.UTC)
		require.NoError(t, err)
		require.Equal(t, start, span.At(at), file)
	})
}

// Whether somebody comes is for the owner of a calendar to decide in it, but not whether a
// booking is confirmed.
func TestWhatIsNotConfirmedIsTentative(t *testing.T) {
	b := ics.Booking{UID: "u-1@niche", Visit: span.For(0, 60), Summary: "Home tuning"}
	asked := b
	asked.Tentative = true
	require.Empty(t, asked.Said().Differs(read(t, string(asked.Encode()))))
	require.Equal(t, ics.Tentative, b.Said().Differs(read(t, string(asked.Encode()))))
	require.Equal(t, ics.Confirmed, asked.Said().Differs(read(t, string(b.Encode()))))
	require.NotEqual(t, asked.Said().Digest(), b.Said().Digest())
}

// Guests are named so that no host writes to them, and change with the booking; whom the
// owner has asked along stays.
func TestGuestsAreNamedAndNobodyElseIsTouched(t *testing.T) {
	b := ics.Booking{UID: "u-1@niche", Visit: span.For(0, 60), Summary: "Care class", Organizer: ics.Guest{Name: "Bryn Castellane", Address: ics.Mailto("bryn@castellane.example")},
		Guests: []ics.Guest{{Name: "Rosa \"Rosie\" Osei; the second\r\n", Address: ics.Mailto("Rosa@clients.example")}, {Name: "Lou", Address: ics.Mailto("a%b@clients.example")}, {Name: "Rosa again", Address: ics.Mailto("rosa@clients.example")}}}
	people := func(file []byte) (list []string) {
		cal, err := ical.NewDecoder(bytes.NewReader(file)).Decode()
		require.NoError(t, err)
		for _, name := range []string{"ORGANIZER", "ATTENDEE"} {
			for _, p := range cal.Events()[0].Props[name] {
				list = append(list, name+" "+p.Value+" "+p.Params.Get("CN")+" "+p.Params.Get("SCHEDULE-AGENT"))
			}
		}
		return list
	}
	file := b.Encode()
	require.Equal(t, []string{"ORGANIZER mailto:bryn@castellane.example Bryn Castellane CLIENT", "ATTENDEE mailto:a%25b@clients.example Lou CLIENT",
		"ATTENDEE mailto:Rosa@clients.example Rosa  Rosie  Osei; the second   CLIENT"}, people(file))
	require.True(t, b.Carries(file))
	const added = "ATTENDEE;CN=Own:mailto:friend@own.example\r\n"
	stored := []byte(strings.Replace(string(file), "END:VEVENT", added+"END:VEVENT", 1))
	stored = []byte(strings.Replace(string(stored), ";X-NICHE=1;", ";", 1)) // a host that knows no such parameter
	b.Guests = b.Guests[1:2]
	require.False(t, b.Carries(stored), "one comes no more")
	next := b.Over(stored)
	require.Len(t, people(next), 3)
	require.NotContains(t, string(next), "Rosa")
	require.Contains(t, string(next), added)
	require.Equal(t, string(next), string(b.Over(next)), "doing it twice does it once")
	b.Guests = nil
	require.Equal(t, []string{"ATTENDEE mailto:friend@own.example Own "}, people(b.Over(next)))
	b.Guests = []ics.Guest{{Name: "Lou", Address: ics.Mailto("lou@clients.example")}}
	theirs := strings.Replace(string(b.Over(b.Encode())), "ORGANIZER;X-NICHE=1;SCHEDULE-AGENT=CLIENT;", "ORGANIZER;", 1)
	require.Contains(t, string(b.Over([]byte(theirs))), "ORGANIZER;CN", "who asks others along stays so")
}

// What a host does to words on purpose is no change of the booking.
func TestWordsAreComparedAsAHostCanKeepThem(t *testing.T) {
	long := strings.Repeat("a long word ", 30)
	want := ics.Booking{UID: "u-1@niche", Visit: span.For(0, 60), Summary: "Rosa\r Osei", Description: "one\n two\x07 ", Location: long}.Said()
	for _, c := range []struct {
		name, summary, description, location string
		differs                              ics.Difference
	}{
		{"control characters and spaces", "Rosa Osei", `one\ntwo`, long, ""},
		{"a cut at some length", "Rosa Osei", "one two", long[:255], ""},
		{"a cut at a short length", "Rosa", "one two", long, ics.OtherTitle},
		{"an addition", "Rosa Osei", "one two three", long, ics.OtherDescription},
	} {
		file := "BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:u-1@niche\r\nDTSTART:19700101T000000Z\r\nDTEND:19700101T010000Z\r\nSUMMARY:" + c.summary +
			"\r\nDESCRIPTION:" + c.description + "\r\nLOCATION:" + c.location + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"
		require.Equal(t, c.differs, want.Differs(read(t, file)), c.name)
	}
	_, err := ics.ReadCopy(strings.NewReader("BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n"), "u-1@niche")
	require.ErrorIs(t, err, ics.ErrNoCopy)
}

// A booking that changes leaves alone what its owner added to its copy.
func TestWhatAnOwnerAddedStays(t *testing.T) {
	dublin, err := hours.LoadZone("Europe/Dublin")
	require.NoError(t, err)
	b := ics.Booking{UID: "u-1@niche", Visit: span.For(instant(t, "2026-03-04T14:00:00Z"), 60), Zone: dublin, Summary: "Home tuning"}
	const added = "CATEGORIES:Work,Piano\r\nCOLOR:teal\r\nX-OWN;X-P=\"a;b\":c\r\nBEGIN:VALARM\r\nACTION:DISPLAY\r\nTRIGGER:-PT15M\r\nDESCRIPTION:Go\r\nEND:VALARM\r\n"
	stored := strings.Replace(string(b.Encode()), "END:VEVENT", added+"END:VEVENT", 1)
	stored = strings.Replace(stored, "BEGIN:VEVENT", "BEGIN:VTIMEZONE\r\nTZID:Own\r\nBEGIN:STANDARD\r\nDTSTART:20200101T000000\r\nTZOFFSETFROM:+0000\r\nTZOFFSETTO:+0000\r\nEND:STANDARD\r\nEND:VTIMEZONE\r\nBEGIN:VEVENT", 1)
	b.Visit, b.Summary, b.Sequence = span.For(instant(t, "2026-07-04T14:00:00Z"), 90), "Grand tuning", 3
	next := string(b.Over([]byte(stored)))
	require.Empty(t, b.Said().Differs(read(t, next)))
	require.Contains(t, next, added)
	require.Contains(t, next, "TZID:Own")
	require.Contains(t, next, "DTSTART;TZID=Europe/Dublin:20260704T150000\r\n")
	require.Equal(t, 1, strings.Count(next, "TZID:Europe/Dublin"))
	require.NotContains(t, next, "Home tuning")
	require.Equal(t, next, string(b.Over([]byte(next))), "doing it twice does it once")
	require.True(t, bytes.Equal(b.Encode(), b.Over([]byte("nonsense"))))
}
