package serve_test

import (
	"fmt"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/message"
	"niche/internal/nichetest"
)

var ownAddress = regexp.MustCompile(`/(booking|my-bookings)/[\w-]{43}`)

// What is shown beside a text while it is written is what goes out, to the letter: whatever is typed around its fields.
func TestWhatIsSeenBeforeIsWhatGoesOut(t *testing.T) {
	p := openPost(t)
	type seen struct{ subject, body string }
	told := func(subject, body string) seen {
		own := func(text string) string { return ownAddress.ReplaceAllString(strings.TrimSpace(text), "/$1/…") }
		return seen{own(subject), own(body)}
	}
	preview := func(kind string, of desk.MessageText) (out desk.MessageExample) {
		of.Kind = kind
		require.NoError(t, p.Post(t.Context(), fmt.Sprintf("/api/services/%d/message", p.Service.ID), of, &out))
		return out
	}
	got := func(to string, n int) seen {
		var all []seen
		p.Until("the mail came", func() bool {
			all = all[:0]
			for _, m := range p.box.Mails() {
				if m.To[0] == to {
					r := m.Read()
					all = append(all, told(r.Subject, strings.ReplaceAll(r.Parts[0].Text, "\r\n", "\n")))
				}
			}
			return len(all) == n
		})
		return all[0]
	}
	var pieces []string
	for _, f := range message.Fields {
		pieces = append(pieces, "{"+f.Name+"}")
	}
	words := []string{"Hello ", " – “quotes” & <b>bold</b> ", "Grüße, 你好 ", "100 % ", "a; b, c: d\\n ", "https://workshop.example/?a=1&b=2 ", strings.Repeat("long ", 80), "=20=\t", "--"}
	lines := append([]string{"\n", "\n\n", "\n.\n", "\nFrom here on ", "\n> "}, words...)
	template := rapid.Custom(func(t *rapid.T) desk.MessageText {
		of := func(kind string, literal []string, most int) string {
			return strings.Join(rapid.SliceOfN(rapid.SampledFrom(append(literal, pieces...)), 1, most).Draw(t, kind), "")
		}
		return desk.MessageText{Subject: "About " + of("subject", words[:5], 4), Body: "To " + of("body", lines, 12)}
	})
	for n := range 12 {
		texts := []desk.MessageText{template.Example(2 * n), template.Example(2*n + 1)}
		texts[0].Kind, texts[1].Kind = message.Confirmed, message.Cancelled
		for i := range texts {
			if len([]rune(texts[i].Subject)) > 200 {
				texts[i].Subject = "About {service}"
			}
		}
		if err := p.Save(0, func(f *desk.ServiceFields) { f.Messages.Texts = texts }); err != nil {
			t.Fatalf("%d %+v %q", n, *nichetest.Problem(t, err), texts)
		}
		to := fmt.Sprintf("c%d@clients.example", n)
		b, err := p.Ask(client.NewBooking{Start: nichetest.At(fmt.Sprintf("2026-03-%02dT10:00:00Z", 3+n%3)).Add(span.Minutes(60 * 24 * 7 * (n / 3))), Name: "Zoë O’Neill & <Sons>", Email: to, Asked: api.Asked{Phone: "01 555 0177"}})
		require.NoError(t, err)
		for i, kind := range []string{message.Confirmed, message.Cancelled} {
			before := preview(kind, texts[i])
			require.Equal(t, b.Reference, before.Of, "a real booking is told of")
			if kind == message.Cancelled {
				require.NoError(t, p.Cancel(b))
			}
			require.Equal(t, told(before.Subject, before.Body), got(to, i+1), "%s, %q", kind, texts[i])
		}
	}
	// What is not known is refused where it stands.
	for field, text := range map[string]desk.MessageText{
		"body":    {Subject: "About", Body: "Hello {nobody}"},
		"subject": {Subject: "About {nobody}", Body: "Hello"},
	} {
		text.Kind = message.Confirmed
		err := p.Post(t.Context(), fmt.Sprintf("/api/services/%d/message", p.Service.ID), text, nil)
		require.Equal(t, field, nichetest.Problem(t, err).Errors[0].Field)
	}
}
