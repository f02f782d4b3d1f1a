package merge_test

import (
	"testing"

	"github.com/stretchr/testify/require"

	"niche/core/merge"
)

// Fields are filled, an empty one takes what joined it along, and an unknown one is
// refused where it stands.
func TestTextsAreFilled(t *testing.T) {
	values := map[string]string{"service": "Home tuning", "client": "Rosa {client} Osei", "clients": "Rosa\nBen", "place": "", "rooms": ""}
	known := merge.TextFields([][2]string{{"service"}, {"client"}, {"clients"}, {"place"}, {"rooms"}})
	for _, c := range []struct {
		name, text, want, unknown string
		at                        int
	}{
		{"plain", "A visit", "A visit", "", 0},
		{"fields", "{service} · {client}", "Home tuning · Rosa {client} Osei", "", 0},
		{"an empty field at the end", "{service} · {place}", "Home tuning", "", 0},
		{"an empty field at the start", "{place} – {service}", "Home tuning", "", 0},
		{"an empty field in brackets", "{service} ({place})", "Home tuning", "", 0},
		{"a line of empty fields", "{service}\n{place}, {rooms}\nBring tools", "Home tuning\nBring tools", "", 0},
		{"several lines", "{clients}", "Rosa\nBen", "", 0},
		{"nothing", "{place}", "", "", 0},
		{"braces that are none", "{ {service} } {} {\n}", "{ Home tuning } {} {\n}", "", 0},
		{"an unknown field", "für {nobody}", "", "nobody", 4},
		{"one with spaces", "{ service }", "", " service ", 0},
	} {
		err := merge.Check(c.text, known)
		if c.unknown != "" {
			require.Equal(t, merge.Unknown{Field: c.unknown, At: c.at}, err, c.name)
			continue
		}
		require.NoError(t, err, c.name)
		require.Equal(t, c.want, merge.Fill(c.text, values), c.name)
	}
}
