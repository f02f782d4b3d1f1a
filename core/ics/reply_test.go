package ics_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/ics"
)

// Answers as several programs write them, and what is none.
func TestAnswersAreRead(t *testing.T) {
	for _, c := range []struct{ name, method, event, want string }{
		{"accepted", "REPLY", "UID:u1\nSEQUENCE:2\nATTENDEE;PARTSTAT=ACCEPTED:mailto:Rosa@Clients.example", "u1 2 rosa@clients.example ACCEPTED"},
		{"perhaps, with words", "REPLY", "UID:u1\nATTENDEE;CN=\"Osei, Rosa\";PARTSTAT=TENTATIVE:MAILTO:rosa@clients.example\nCOMMENT:I may be\\, late", "u1 0 rosa@clients.example TENTATIVE I may be, late"},
		{"declined, folded", "REPLY", "UID:u1\nATTENDEE;PARTSTAT=DECL\n INED:mailto:rosa%40clients.example", "u1 0 rosa@clients.example DECLINED"},
		{"in small letters", "reply", "UID:u1\nATTENDEE;PARTSTAT=accepted:mailto:rosa@clients.example", "u1 0 rosa@clients.example ACCEPTED"},
		{"another time", "COUNTER", "UID:u1\nDTSTART;TZID=Europe/Dublin:20260304T140000\nDTEND;TZID=Europe/Dublin:20260304T150000\nATTENDEE;PARTSTAT=TENTATIVE:mailto:rosa@clients.example",
			"u1 0 rosa@clients.example  wish 2026-03-04T14:00:00Z–2026-03-04T15:00:00Z"},
		{"another time without one", "COUNTER", "UID:u1\nATTENDEE:mailto:rosa@clients.example", "!"},
		{"the invitation itself", "REQUEST", "UID:u1\nATTENDEE;PARTSTAT=ACCEPTED:mailto:rosa@clients.example", "!"},
		{"no method", "", "UID:u1\nATTENDEE;PARTSTAT=ACCEPTED:mailto:rosa@clients.example", "!"},
		{"two people", "REPLY", "UID:u1\nATTENDEE;PARTSTAT=ACCEPTED:mailto:a@x.example\nATTENDEE;PARTSTAT=ACCEPTED:mailto:b@x.example", "!"},
		{"two events", "REPLY", "UID:u1\nATTENDEE;PARTSTAT=ACCEPTED:mailto:a@x.example\nEND:VEVENT\nBEGIN:VEVENT\nUID:u2", "!"},
		{"nobody", "REPLY", "UID:u1", "!"},
		{"an answer of another kind", "REPLY", "UID:u1\nATTENDEE;PARTSTAT=DELEGATED:mailto:a@x.example", "!"},
	} {
		method := ""
		if c.method != "" {
			method = "METHOD:" + c.method + "\n"
		}
		text := "BEGIN:VCALENDAR\nVERSION:2.0\n" + method + "BEGIN:VEVENT\n" + c.event + "\nEND:VEVENT\nEND:VCALENDAR\n"
		a, err := ics.ReadAnswer(strings.NewReader(strings.ReplaceAll(text, "\n", "\r\n")))
		if c.want == "!" {
			require.Error(t, err, c.name)
			continue
		}
		require.NoError(t, err, c.name)
		got := strings.TrimSpace(strings.Join([]string{a.UID, map[bool]string{true: "2", false: "0"}[a.Sequence == 2], a.Mail, string(a.PartStat), a.Comment}, " "))
		if !a.Wish.IsEmpty() {
			got += "  wish " + a.Wish.Start().String() + "–" + a.Wish.End().String()
		}
		require.Equal(t, c.want, got, c.name)
	}
	for _, text := range []string{"", "no calendar", "BEGIN:VCALENDAR\r\nMETHOD:REPLY\r\nBEGIN:VEVENT\r\nUID:u1\r\n"} {
		_, err := ics.ReadAnswer(strings.NewReader(text))
		require.Error(t, err)
	}
}
