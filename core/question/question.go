// Package question is what a service asks its clients: kinds of questions, the ones that are
// put only after a certain answer to another, and the checking of answers.
//
// An answer is a list of texts, whatever its kind: none where nothing was said, several where
// several can be chosen. It is kept with the wording that its question had then.
package question

import (
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"unicode/utf8"

	"niche/core/hours"
)

// Kind is what sort of answer is wanted.
type Kind string

// The kinds.
const (
	Text      Kind = "text"    // one line
	Long      Kind = "long"    // several lines
	One       Kind = "one"     // one of the options
	Several   Kind = "several" // any of the options
	Number    Kind = "number"
	YesNo     Kind = "yes-no"
	Date      Kind = "date"      // kept as 2026-03-02
	Telephone Kind = "telephone" // kept as E.164
	Address   Kind = "address"   // several lines
	File      Kind = "file"      // pictures or papers, named by tokens
)

// TellsWho reports whether an answer can say who somebody is: what is chosen or counted
// cannot.
func (k Kind) TellsWho() bool { return !slices.Contains([]Kind{One, Several, Number, YesNo, Date}, k) }

// Question is one that a service asks.
type Question struct {
	Key      string   `json:"key" pattern:"^[a-z0-9-]{1,40}$" doc:"By which it is known in addresses, texts and files; it stays when the question is worded anew."`
	Kind     Kind     `json:"kind" enum:"text,long,one,several,number,yes-no,date,telephone,address,file"`
	Label    string   `json:"label" minLength:"1" maxLength:"200" doc:"The question, as clients read it."`
	Help     string   `json:"help" required:"false" maxLength:"500"`
	Required bool     `json:"required" required:"false"`
	Options  []string `json:"options" required:"false" maxItems:"50" doc:"Of one, or several."`
	Least    *float64 `json:"least,omitempty" required:"false" doc:"The smallest number."`
	Most     *float64 `json:"most,omitempty" required:"false" doc:"The largest number."`
	After    string   `json:"after" required:"false" maxLength:"40" doc:"The key of a question before it, of which it depends whether this one is put; empty for always."`
	Said     string   `json:"said" required:"false" maxLength:"200" doc:"The answer to that one upon which it is put; of yes or no, yes or no."`
}

// Answer is what was said, with the wording of the question at that time.
type Answer struct {
	Key   string   `json:"key"`
	Kind  Kind     `json:"kind"`
	Label string   `json:"label"`
	Said  []string `json:"said"`
	Files []Handed `json:"files,omitempty"` // whose names are said
}

// Handed is a file that was handed over.
type Handed struct {
	ID   int64  `json:"id"`
	Name string `json:"name"`
}

// MostFiles is how many files answer one question at most.
const MostFiles = 5

// Words says the answer.
func (a Answer) Words() string { return strings.Join(a.Said, ", ") }

// Line says question and answer in one line.
func (a Answer) Line() string {
	label := strings.TrimSpace(a.Label)
	if !strings.HasSuffix(label, "?") && !strings.HasSuffix(label, ":") {
		label += ":"
	}
	return label + " " + strings.Join(strings.Fields(strings.ReplaceAll(a.Words(), "\n", ", ")), " ")
}

// Fault is what is wrong with something.
type Fault struct {
	Field string // of a question: options, least, after …; of an answer: the key of its question
	At    int    // which question; of an answer 0
	Words string
}

// Limits on answers, in characters.
const (
	shortest = 300
	longest  = 4000
)

var keyShape = regexp.MustCompile(`^[a-z0-9-]{1,40}$`)

// Check says what is wrong with questions: keys and labels have to be told apart, options
// have to be there where one chooses, and what a question depends on has to come before it.
func Check(list []Question) (faults []Fault) {
	for i, q := range list {
		fault := func(field, words string) { faults = append(faults, Fault{field, i, words}) }
		before := list[:i]
		switch {
		case !keyShape.MatchString(q.Key):
			fault("key", "A key is made of small letters, digits and hyphens.")
		case slices.ContainsFunc(before, func(o Question) bool { return o.Key == q.Key }):
			fault("key", "Another question has this key.")
		}
		if strings.TrimSpace(q.Label) == "" {
			fault("label", "Ask something.")
		}
		if q.Kind == One || q.Kind == Several {
			if len(q.Options) < 2 {
				fault("options", "Give at least two options.")
			}
			for n, o := range q.Options {
				if strings.TrimSpace(o) == "" || slices.Contains(q.Options[:n], o) {
					fault("options", "Options are named, each once.")
					break
				}
			}
		}
		if q.Least != nil && q.Most != nil && *q.Least > *q.Most {
			fault("most", "The largest number is smaller than the smallest.")
		}
		if q.After == "" {
			continue
		}
		n := slices.IndexFunc(before, func(o Question) bool { return o.Key == q.After })
		switch {
		case n < 0:
			fault("after", "It depends on a question that does not come before it.")
		case before[n].Kind == YesNo && q.Said != "yes" && q.Said != "no",
			(before[n].Kind == One || before[n].Kind == Several) && !slices.Contains(before[n].Options, q.Said):
			fault("said", "That is no answer to the question that it depends on.")
		case before[n].Kind != YesNo && before[n].Kind != One && before[n].Kind != Several:
			fault("after", "It can depend on a choice, or on yes or no.")
		}
	}
	return faults
}

// Put returns the questions that are put, where some have been answered: those that depend on
// nothing, and those whose question was put and answered as they want.
func Put(list []Question, said map[string][]string) (put []Question) {
	for _, q := range list {
		if q.After == "" || slices.ContainsFunc(put, func(o Question) bool { return o.Key == q.After }) && slices.Contains(said[q.After], q.Said) {
			put = append(put, q)
		}
	}
	return put
}

// Read reads answers, by the keys of their questions, and says what is wrong with them. An
// answer to a question that was not put is left out, and one to none that there is is wrong.
// How a telephone number is typed is known by who asks, and so is which file a token names; numbers are returned as E.164.
func Read(list []Question, said map[string][]string, telephone func(string) (string, bool), file func(token string) (Handed, bool)) (answers []Answer, faults []Fault) {
	for key := range said {
		if !slices.ContainsFunc(list, func(q Question) bool { return q.Key == key }) {
			faults = append(faults, Fault{key, 0, "This is not asked (any more)."})
		}
	}
	clean := map[string][]string{}
	for _, q := range list {
		for _, v := range said[q.Key] {
			if v = strings.TrimSpace(v); v != "" {
				clean[q.Key] = append(clean[q.Key], v)
			}
		}
	}
	for _, q := range Put(list, clean) {
		got := clean[q.Key]
		if len(got) == 0 {
			if q.Required {
				faults = append(faults, Fault{q.Key, 0, "This is needed."})
			}
			continue
		}
		if q.Kind == File {
			a, wrong := q.files(got, file)
			if wrong != "" {
				faults = append(faults, Fault{q.Key, 0, wrong})
			} else {
				answers = append(answers, a)
			}
			continue
		}
		kept, wrong := q.read(got, telephone)
		if wrong != "" {
			faults = append(faults, Fault{q.Key, 0, wrong})
			continue
		}
		answers = append(answers, Answer{Key: q.Key, Kind: q.Kind, Label: q.Label, Said: kept})
	}
	return answers, faults
}

// files reads an answer of files.
func (q Question) files(tokens []string, file func(string) (Handed, bool)) (a Answer, wrong string) {
	a = Answer{Key: q.Key, Kind: q.Kind, Label: q.Label}
	for i, t := range tokens {
		h, ok := file(t)
		switch {
		case !ok:
			return a, "A file is not there (any more). Choose it again."
		case i == MostFiles:
			return a, fmt.Sprintf("At most %d files.", MostFiles)
		case slices.ContainsFunc(a.Files, func(o Handed) bool { return o.ID == h.ID }):
			continue
		}
		a.Said, a.Files = append(a.Said, h.Name), append(a.Files, h)
	}
	return a, ""
}

func (q Question) read(got []string, telephone func(string) (string, bool)) (kept []string, wrong string) {
	if len(got) > 1 && q.Kind != Several {
		return nil, "One answer is wanted."
	}
	one := got[0]
	switch q.Kind {
	case One, Several:
		for i, v := range got {
			if !slices.Contains(q.Options, v) || slices.Contains(got[:i], v) {
				return nil, "This is not one of the options."
			}
		}
		// In the order of the options, however they were ticked.
		for _, o := range q.Options {
			if slices.Contains(got, o) {
				kept = append(kept, o)
			}
		}
		return kept, ""
	case YesNo:
		if one != "yes" && one != "no" {
			return nil, "Answer yes or no."
		}
	case Number:
		n, err := strconv.ParseFloat(strings.ReplaceAll(one, ",", "."), 64)
		switch {
		case err != nil || n != n || n > 1e15 || n < -1e15:
			return nil, "This is not a number."
		case q.Least != nil && n < *q.Least:
			return nil, fmt.Sprintf("At least %s.", number(*q.Least))
		case q.Most != nil && n > *q.Most:
			return nil, fmt.Sprintf("At most %s.", number(*q.Most))
		}
		return []string{number(n)}, ""
	case Date:
		d, err := hours.ParseDate(one)
		if err != nil {
			return nil, "This is not a date."
		}
		return []string{d.String()}, ""
	case Telephone:
		e164, ok := telephone(one)
		if !ok {
			return nil, "This is not a telephone number. Begin with + and the country’s number if it is abroad."
		}
		return []string{e164}, ""
	case Text:
		if utf8.RuneCountInString(one) > shortest || strings.ContainsAny(one, "\r\n") {
			return nil, fmt.Sprintf("One line of at most %d characters.", shortest)
		}
	default:
		if utf8.RuneCountInString(one) > longest {
			return nil, fmt.Sprintf("At most %d characters.", longest)
		}
	}
	return []string{one}, ""
}

func number(n float64) string { return strconv.FormatFloat(n, 'f', -1, 64) }
