package question_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/question"
)

func phone(text string) (string, bool) { return "+" + text, strings.Trim(text, "0123456789") == "" }

func TestAnswersAreReadByTheirKinds(t *testing.T) {
	two, nine := 2.0, 9.5
	asked := []question.Question{
		{Key: "piano", Kind: question.One, Label: "What stands there?", Options: []string{"Upright", "Grand"}, Required: true},
		{Key: "length", Kind: question.Number, Label: "How long is it?", Least: &two, Most: &nine, After: "piano", Said: "Grand", Required: true},
		{Key: "extras", Kind: question.Several, Label: "Also", Options: []string{"Clean", "Voice", "Move"}},
		{Key: "pets", Kind: question.YesNo, Label: "Pets?"},
		{Key: "which", Kind: question.Text, Label: "Which?", After: "pets", Said: "yes"},
		{Key: "since", Kind: question.Date, Label: "Tuned last"},
		{Key: "door", Kind: question.Telephone, Label: "At the door"},
		{Key: "more", Kind: question.Long, Label: "More"},
	}
	require.Empty(t, question.Check(asked))
	for _, c := range []struct{ said, want string }{
		{"", "piano! This is needed."},
		{"piano=Upright", "piano=Upright"},
		{"piano=upright", "piano! This is not one of the options."},
		{"piano=Upright+Upright", "piano! One answer is wanted."},
		{"piano=Grand", "piano=Grand length! This is needed."},
		{"piano=Grand length=1,9", "piano=Grand length! At least 2."},
		{"piano=Grand length=9.50", "piano=Grand length=9.5"},
		{"piano=Grand length=NaN", "piano=Grand length! This is not a number."},
		{"piano=Grand length=1e400", "piano=Grand length! This is not a number."},
		{"piano=Upright length=lots", "piano=Upright"}, // which was not put
		{"piano=Upright extras=Move+Clean", "piano=Upright extras=Clean+Move"},
		{"piano=Upright extras=Move+Move", "piano=Upright extras! This is not one of the options."},
		{"piano=Upright which=a_cat", "piano=Upright"},
		{"piano=Upright pets=yes which=a_cat", "piano=Upright pets=yes which=a_cat"},
		{"piano=Upright pets=no which=a_cat", "piano=Upright pets=no"},
		{"piano=Upright pets=perhaps which=a_cat", "piano=Upright pets! Answer yes or no."},
		{"piano=Upright since=2026-02-30", "piano=Upright since! This is not a date."},
		{"piano=Upright since=2026-02-28", "piano=Upright since=2026-02-28"},
		{"piano=Upright door=12a", "piano=Upright door! This is not a telephone number. Begin with + and the country’s number if it is abroad."},
		{"piano=Upright door=123", "piano=Upright door=+123"},
		{"piano=Upright more=___", "piano=Upright"}, // which says nothing
		{"piano=Upright more=" + strings.Repeat("x", 4001), "piano=Upright more! At most 4000 characters."},
		{"piano=Upright colour=red", "piano=Upright colour! This is not asked (any more)."},
	} {
		said := map[string][]string{}
		for part := range strings.FieldsSeq(c.said) {
			key, values, _ := strings.Cut(part, "=")
			said[key] = strings.Split(strings.ReplaceAll(values, "_", " "), "+")
		}
		answers, faults := question.Read(asked, said, phone, nobodys)
		var got []string
		for _, a := range answers {
			got = append(got, a.Key+"="+strings.ReplaceAll(strings.Join(a.Said, "+"), " ", "_"))
		}
		for _, f := range faults {
			got = append(got, f.Field+"! "+f.Words)
		}
		require.Equal(t, c.want, strings.Join(got, " "), c.said)
	}
}

func TestQuestionsAreSound(t *testing.T) {
	one := question.Question{Key: "a", Kind: question.One, Label: "A", Options: []string{"x", "y"}}
	for _, c := range []struct {
		change func(q *question.Question)
		want   string
	}{
		{func(q *question.Question) {}, ""},
		{func(q *question.Question) { q.Key = "a" }, "key"},
		{func(q *question.Question) { q.Key = "A b" }, "key"},
		{func(q *question.Question) { q.Label = " " }, "label"},
		{func(q *question.Question) { q.Kind = question.Several }, "options"},
		{func(q *question.Question) { q.Kind, q.Options = question.One, []string{"x", "x"} }, "options"},
		{func(q *question.Question) { low, high := 3.0, 2.0; q.Least, q.Most = &low, &high }, "most"},
		{func(q *question.Question) { q.After, q.Said = "a", "x" }, ""},
		{func(q *question.Question) { q.After, q.Said = "a", "z" }, "said"},
		{func(q *question.Question) { q.After = "b" }, "after"},
		{func(q *question.Question) { q.After = "nobody" }, "after"},
	} {
		b := question.Question{Key: "b", Kind: question.Text, Label: "B"}
		c.change(&b)
		var fields []string
		for _, f := range question.Check([]question.Question{one, b}) {
			require.Equal(t, 1, f.At)
			fields = append(fields, f.Field)
		}
		require.Equal(t, c.want, strings.Join(fields, " "))
	}
}

// What is put depends on what was put: nothing is asked, or kept, below a question that was
// itself not put.
func TestNothingIsKeptThatWasNotAsked(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		var asked []question.Question
		said := map[string][]string{}
		for i := range rapid.IntRange(1, 8).Draw(t, "questions") {
			q := question.Question{Key: fmt.Sprint("q", i), Kind: question.YesNo, Label: "?", Required: rapid.Bool().Draw(t, "required")}
			if i > 0 && rapid.Bool().Draw(t, "depends") {
				q.After, q.Said = fmt.Sprint("q", rapid.IntRange(0, i-1).Draw(t, "on")), rapid.SampledFrom([]string{"yes", "no"}).Draw(t, "upon")
			}
			asked = append(asked, q)
			if v := rapid.SampledFrom([]string{"", "yes", "no"}).Draw(t, "said"); v != "" {
				said[q.Key] = []string{v}
			}
		}
		require.Empty(t, question.Check(asked))
		answers, faults := question.Read(asked, said, phone, nobodys)
		kept := map[string]string{}
		for _, a := range answers {
			kept[a.Key] = a.Said[0]
		}
		wrong := map[string]bool{}
		for _, f := range faults {
			wrong[f.Field] = true
		}
		for _, q := range asked {
			put := q.After == "" || kept[q.After] == q.Said
			require.Equal(t, put && len(said[q.Key]) > 0, kept[q.Key] != "", q.Key)
			require.Equal(t, put && q.Required && len(said[q.Key]) == 0, wrong[q.Key], q.Key)
		}
	})
}

// nobodys knows the files a, b, c … of which each is named after its token.
func nobodys(token string) (question.Handed, bool) {
	return question.Handed{ID: int64(token[0]), Name: token + ".png"}, len(token) == 1 && token != "x"
}

func TestFilesAreNamedByWhoHasSentThem(t *testing.T) {
	asked := []question.Question{{Key: "photo", Kind: question.File, Label: "A picture?", Required: true}}
	for _, c := range []struct {
		said  string
		names string
		wrong string
	}{
		{"", "", "This is needed."},
		{"a b a", "a.png b.png", ""},
		{"a x", "", "A file is not there (any more). Choose it again."},
		{"a b c d e f", "", "At most 5 files."},
	} {
		answers, faults := question.Read(asked, map[string][]string{"photo": strings.Fields(c.said)}, nil, nobodys)
		wrong, names := "", ""
		if len(faults) > 0 {
			wrong = faults[0].Words
		}
		if len(answers) > 0 {
			names = strings.Join(answers[0].Said, " ")
			require.Len(t, answers[0].Files, len(answers[0].Said))
		}
		require.Equal(t, c.wrong, wrong, c.said)
		require.Equal(t, c.names, names, c.said)
	}
}
