package serve_test

import (
	"encoding/json"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/question"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/nichetest"
)

// What a service asks is checked where a client says it, kept with the wording of then, and
// told to whoever needs it: at the desk, in the copy outside, in the client's mail.
func TestWhatIsAskedIsToldOn(t *testing.T) {
	_, host := nichetest.OpenCloud(t, nil)
	p := openPost(t, nichetest.HostOf(host))
	p.Link(host.URL, nichetest.User, nichetest.Key, "Family", "Work")
	asks := []question.Question{
		{Key: "piano", Kind: question.One, Label: "What stands there?", Options: []string{"Upright", "Grand"}, Required: true},
		{Key: "length", Kind: question.Number, Label: "Its length in cm", After: "piano", Said: "Grand"},
		{Key: "way", Kind: question.Address, Label: "Where to?", Required: true},
	}
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Questions, f.Phone = asks, "must" }))
	wrong := nichetest.Problem(t, p.Save(0, func(f *desk.ServiceFields) { f.Questions = []question.Question{asks[1], asks[0]} }))
	require.Equal(t, "questions[0].after", wrong.Errors[0].Field)

	var page client.Page
	require.NoError(t, p.Get(t.Context(), "/api/pages/"+p.Service.Slug, &page))
	require.Equal(t, asks, page.Asks)
	require.Equal(t, "must", page.Phone)

	_, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Asked: api.Asked{Answers: map[string][]string{"piano": {"Harp"}, "colour": {"red"}}}})
	problem := nichetest.Problem(t, err)
	fields := map[string]bool{}
	for _, e := range problem.Errors {
		fields[e.Field] = true
	}
	require.Equal(t, http.StatusUnprocessableEntity, problem.Status)
	require.Equal(t, map[string]bool{"phone": true, "answers.piano": true, "answers.way": true, "answers.colour": true}, fields, "all that is wrong at once, each at its place")

	booked, err := p.Ask(client.NewBooking{Start: nichetest.At(wednesday + "T10:00:00Z"), Name: "Rosa Osei", Email: "rosa@clients.example",
		Asked: api.Asked{Phone: "087 123-4567", Answers: map[string][]string{"piano": {"Grand"}, "length": {"180,5"}, "way": {"2 Sea Road\nHowth"}}}})
	require.NoError(t, err)
	require.Equal(t, "087 123 4567", booked.Phone)
	require.Len(t, booked.Answers, 3)

	// Worded anew, the question stays as it was when it was answered.
	asks[0].Label = "Which piano?"
	require.NoError(t, p.Save(0, func(f *desk.ServiceFields) { f.Questions, f.Phone = asks, "no" }))
	d := finder{p.Desk}
	for _, typed := range []string{"087 123 45", "0871234567", "+353 87 123", "00353871234567", "rosa 087"} {
		require.Equal(t, []string{"Rosa Osei"}, d.find("text="+strings.ReplaceAll(strings.ReplaceAll(typed, "+", "%2B"), " ", "%20")), typed)
	}
	require.Empty(t, d.find("text=1234599"))
	shown := d.shown(d.idOf("rosa"))
	require.Equal(t, "+353871234567", shown.Phone)
	require.Equal(t, "What stands there?", shown.Answers[0].Label)
	require.Equal(t, []string{"180.5"}, shown.Answers[1].Said)

	const lines = "What stands there? Grand\nIts length in cm: 180.5\nWhere to? 2 Sea Road, Howth"
	p.Until("the copy stands", func() bool { return p.Copies(wednesday) == "read back" })
	copies := nichetest.Look(t, host).Events("Work")
	require.Len(t, copies, 1)
	said := strings.NewReplacer("\r\n ", "", `\,`, ",", `\n`, "\n").Replace(copies[0].Body)
	require.Contains(t, said, lines)
	require.Contains(t, said, "+353871234567")
	p.Until("the mail is there", func() bool { return len(p.told()) == 1 })
	require.Contains(t, strings.ReplaceAll(p.box.Mails()[0].Read().Parts[0].Text, "\r\n", "\n"), lines)

	// At the desk nothing has to be said, and what is said is checked all the same.
	atDesk := desk.DeskBooking{DeskStart: desk.DeskStart{Start: nichetest.At(wednesday + "T14:00:00Z")}, Service: p.Service.ID, Name: "Lea Roth", Email: "lea@clients.example"}
	require.NoError(t, p.Post(t.Context(), "/api/bookings", atDesk, nil))
	atDesk.Start, atDesk.Phone = nichetest.At(wednesday+"T16:00:00Z"), "no number"
	require.Equal(t, "phone", nichetest.Problem(t, p.Post(t.Context(), "/api/bookings", atDesk, nil)).Errors[0].Field)

	// A request that is sent again with other answers is another request.
	same := client.NewBooking{Start: nichetest.At(wednesday + "T12:00:00Z"), Key: "k-0123456789abcdef", Asked: api.Asked{Answers: map[string][]string{"piano": {"Upright"}, "way": {"x"}}}}
	first, err := p.Ask(same)
	require.NoError(t, err)
	again, err := p.Ask(same)
	require.NoError(t, err)
	require.Equal(t, first.Reference, again.Reference)
	same.Answers = map[string][]string{"piano": {"Grand"}, "way": {"x"}}
	_, err = p.Ask(same)
	require.Equal(t, "key", nichetest.Problem(t, err).Errors[0].Field)
	body, err := json.Marshal(same)
	require.NoError(t, err)
	require.Contains(t, string(body), `"answers"`, "the shape that clients send")
}
