package soak

import (
	"crypto/sha256"
	"encoding/hex"
	"go/build"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
)

func at(clock string) time.Time {
	t, err := time.Parse("15:04", clock)
	if err != nil {
		panic(err)
	}
	return t
}

func hash(key string) string {
	sum := sha256.Sum256([]byte("key " + key))
	return hex.EncodeToString(sum[:])
}

// sound are facts in which nothing is wrong: two people, a shared visit in a room, a
// cancelled booking and one that was refused, an event of an owner.
func sound() *Facts {
	return &Facts{
		Visits: []Visit{{ID: 1, UID: "v1", Start: 100, End: 200, After: 50, Places: 3, Needs: 1, Subjects: []string{"staff:1", "resource:1"}},
			{ID: 2, UID: "v2", Start: 300, End: 400, Places: 1, Subjects: []string{"staff:2"}}},
		Bookings: []Booking{{1, 1, "AAA", "confirmed", hash("k1"), 2}, {2, 1, "BBB", "confirmed", hash("k2"), 1}, {3, 2, "CCC", "cancelled", hash("k3"), 1}},
		Claims:   []Claim{{1, "staff:1", 100, 250}, {1, "resource:1", 100, 250}},
		Copies:   []Copy{{1, 1, "read back", true}, {2, 3, "removed", false}},
		Calendars: []Calendar{
			{ID: 1, Staff: 1, Name: "Work", State: "fresh", Gets: true, Events: []Event{{Span{100, 200}, "v1", "AAA and BBB"}}},
			{ID: 2, Staff: 1, Name: "Family", State: "fresh", Blocks: true, Known: []Span{{500, 600}}, Events: []Event{{Span{500, 600}, "o1", ""}}},
			{ID: 3, Staff: 2, Name: "Work", State: "fresh", Gets: true}},
		Answers: []Answer{{Key: "k1", Reference: "AAA", Status: "confirmed", Start: 100, Length: 100, Careful: true, Begun: at("10:00"), Ended: at("10:01")},
			{Key: "k2", Reference: "BBB", Status: "confirmed", Start: 100, Length: 100}, {Key: "k3", Reference: "CCC", Status: "cancelled", Start: 300, Length: 100}, {Key: "k4", Refused: true}},
		Owned: []Owned{{Span{500, 600}, 1, "o1", at("09:00"), time.Time{}}},
	}
}

// Whatever contradicts the promises is found, and nothing else.
func TestTheCheckerFindsEachFault(t *testing.T) {
	require.Empty(t, sound().Faults())
	for says, spoil := range map[string]func(f *Facts){
		"claims of staff:1 overlap": func(f *Facts) { f.Claims = append(f.Claims, Claim{1, "staff:1", 240, 260}) },
		"visits of staff:1 overlap": func(f *Facts) {
			f.Bookings[2].Status, f.Visits[1].Start, f.Visits[1].Subjects[0] = "confirmed", 249, "staff:1"
		},
		"no claim on resource:1":                      func(f *Facts) { f.Claims = f.Claims[:1] },
		"is nobody's":                                 func(f *Facts) { f.Claims = append(f.Claims, Claim{2, "staff:2", 300, 400}) },
		"needs 1 rooms or things and has 0":           func(f *Facts) { f.Visits[0].Subjects = f.Visits[0].Subjects[:1] },
		"nobody who takes it":                         func(f *Facts) { f.Visits[0].Subjects = f.Visits[0].Subjects[1:] },
		"3 places and 4 are sold":                     func(f *Facts) { f.Bookings[1].Places = 2 },
		"still held":                                  func(f *Facts) { f.Bookings[1].Status = "held" },
		"accepted and is not stored":                  func(f *Facts) { f.Answers = append(f.Answers, Answer{Key: "k5", Reference: "EEE"}) },
		"nobody asked for it":                         func(f *Facts) { f.Answers = f.Answers[:2] },
		"its client was refused":                      func(f *Facts) { f.Answers[1] = Answer{Key: "k2", Refused: true} },
		"booking AAA, confirmed at 90":                func(f *Facts) { f.Answers[0].Start = 90 },
		"sold over the event o1":                      func(f *Facts) { f.Owned[0].Span = Span{150, 160} },
		"in calendar 2, Family, does not":             func(f *Facts) { f.Calendars[1].Known = nil },
		"where there is no event":                     func(f *Facts) { f.Calendars[1].Known = append(f.Calendars[1].Known, Span{700, 800}) },
		"is unreachable":                              func(f *Facts) { f.Calendars[0].State = "unreachable" },
		"1 of its events could not be had":            func(f *Facts) { f.Calendars[0].Owed = 1 },
		"do not agree with its host":                  func(f *Facts) { f.Owned[0].Gone = at("11:00") },
		"the copy of visit 1 in calendar 1 is adrift": func(f *Facts) { f.Copies[0].State = "adrift" },
		"is 0 times in calendar 1":                    func(f *Facts) { f.Calendars[0].Events = nil },
		"is 2 times in calendar 1":                    func(f *Facts) { e := f.Calendars[0].Events; f.Calendars[0].Events = append(e, e[0]) },
		"is 1 times in calendar 3":                    func(f *Facts) { f.Calendars[2].Events = []Event{{Span{300, 400}, "v2", "CCC"}} },
		"is at 110 and should be at 100":              func(f *Facts) { f.Calendars[0].Events[0].Start = 110 },
		"wrong about booking BBB":                     func(f *Facts) { f.Calendars[0].Events[0].Description = "AAA" },
		"wrong about booking CCC":                     func(f *Facts) { f.Calendars[0].Events[0].Description = "AAA BBB CCC" },
		"was left behind":                             func(f *Facts) { f.Calendars[0].Events = append(f.Calendars[0].Events, Event{UID: "v9"}) },
		"answered 500":                                func(f *Facts) { f.Rude = []string{"it was answered 500"} },
	} {
		f := sound()
		spoil(f)
		require.Contains(t, strings.Join(f.Faults(), "\n"), says)
	}
	// An event that came while the booking was being asked for, or went before, is no fault.
	f := sound()
	f.Owned[0].Span, f.Owned[0].Put, f.Calendars[1].Events[0].Span, f.Calendars[1].Known[0] = Span{150, 160}, at("10:00"), Span{150, 160}, Span{150, 160}
	require.Empty(t, f.Faults())

	p, err := build.ImportDir(".", 0)
	require.NoError(t, err)
	require.NotContains(t, strings.Join(p.Imports, " "), "niche/", "it shares no code with the program")
}
