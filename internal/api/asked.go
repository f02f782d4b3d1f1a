package api

import (
	"net/http"
	"strings"

	"niche/core/question"
	"niche/internal/files"
	"niche/internal/store"
	"niche/internal/telephone"
)

// Asked is what a client says beside a name and a mail address.
type Asked struct {
	Phone   string              `json:"phone,omitempty" required:"false" maxLength:"40" doc:"Typed any way."`
	Address string              `json:"address,omitempty" required:"false" maxLength:"500" doc:"Where the visit is to be, of a service at the client's."`
	Answers map[string][]string `json:"answers,omitempty" required:"false" doc:"To the questions of the service, by their keys."`
}

// Heard is the same as it is kept.
type Heard struct {
	Phone   string // E.164
	Digits  string
	Address string

	Answers []question.Answer
}

// Read checks what was said by what a service asks, beside what is known to be wrong. At the
// desk nothing needs to be said.
func (a Asked) Read(tx store.Tx, kept *files.Files, service store.Service, zone string, atDesk bool, wrongAlready ...FieldError) (h Heard, err error) {
	p := NewProblem(http.StatusUnprocessableEntity, "Something is missing or wrong.")
	p.Errors = wrongAlready
	country := telephone.CountryOf(zone)
	number := func(text string) (string, bool) { return telephone.Read(text, country) }
	wrong := func(field, words string) { p.Errors = append(p.Errors, FieldError{Field: field, Message: words}) }
	switch ok := true; {
	case a.Phone != "":
		if h.Phone, ok = number(a.Phone); !ok {
			wrong("phone", "This is not a telephone number. Begin with + and the country’s number if it is abroad.")
		}
		h.Digits = telephone.Digits(h.Phone)
	case (service.AskPhone == store.MustSay || service.Venue == store.ByTelephone) && !atDesk:
		wrong("phone", "A telephone number is needed.")
	}
	if service.Venue == store.AtTheirs {
		if h.Address = strings.TrimSpace(a.Address); h.Address == "" && !atDesk {
			wrong("address", "Say where the visit is to be.")
		}
	}
	questions := service.Questions
	if atDesk {
		questions = append([]question.Question{}, questions...)
		for i := range questions {
			questions[i].Required = false
		}
	}
	answers, faults := question.Read(questions, a.Answers, number, func(token string) (question.Handed, bool) {
		f, ok := kept.Named(tx, token)
		return question.Handed{ID: int64(f.ID), Name: f.Name}, ok
	})
	for _, f := range faults {
		wrong("answers."+f.Field, f.Words)
	}
	if h.Answers = answers; len(p.Errors) > 0 {
		return h, p
	}
	return h, nil
}
