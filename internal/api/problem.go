package api

import (
	"encoding/json"
	"fmt"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
	"niche/internal/fit"
)

// Problem is an error as it is sent (RFC 9457).
type Problem struct {
	Title       string       `json:"title" doc:"The kind of the problem."`
	Status      int          `json:"status"`
	Detail      string       `json:"detail" doc:"What happened, in a sentence for people."`
	Errors      []FieldError `json:"errors,omitempty" doc:"What is wrong with which field."`
	Reasons     []string     `json:"reasons,omitempty" doc:"The codes of the rules that refuse a start."`
	Nearest     []Start      `json:"nearest,omitempty" doc:"Starts nearby that can be booked."`
	Misfits     []fit.Misfit `json:"misfits,omitempty" doc:"Bookings that a change of rules would leave outside them, the first of them."`
	MisfitCount int          `json:"misfitCount,omitempty" doc:"How many there are."`
	Current     any          `json:"current,omitempty" doc:"What somebody else has saved meanwhile, in the shape in which it is read."`
	Version     int64        `json:"version,omitempty" doc:"The version of it."`
	AsksCode    bool         `json:"asksCode,omitempty" doc:"The password is right; a one-time code is asked for too."`
	Host        string       `json:"host,omitempty" doc:"The calendar host to which a search by a mail address has led, of which has to be said whether it is right."`
	Copies      int          `json:"copies,omitempty" doc:"How many copies of visits ahead are outside, of which has to be said what becomes of them."`
}

// FieldError is what is wrong with one field.
type FieldError struct {
	Field   string `json:"field" doc:"The path of the field in the body, or query.NAME."`
	Message string `json:"message"`
}

// Error returns the sentence.
func (p *Problem) Error() string { return p.Detail }

// GetStatus returns the HTTP status.
func (p *Problem) GetStatus() int { return p.Status }

// ContentType names the format of problems.
func (p *Problem) ContentType(string) string { return "application/problem+json" }

// maxFaults is how many faults an answer names.
const maxFaults = 20

// longestPath is how much of the path of a field is repeated.
const longestPath = 120

// NewProblem makes a problem. Values that were sent are not repeated, since
// they may be secrets.
func NewProblem(status int, detail string, causes ...error) *Problem {
	p := &Problem{Title: http.StatusText(status), Status: status, Detail: detail}
	for i, c := range causes {
		if i == maxFaults {
			p.Errors = append(p.Errors, FieldError{"", fmt.Sprintf("There are %d more faults like these.", len(causes)-i)})
			break
		}
		switch c := c.(type) {
		case nil:
		case huma.ErrorDetailer:
			d := c.ErrorDetail()
			path := strings.TrimPrefix(strings.TrimPrefix(d.Location, "body"), ".")
			p.Errors = append(p.Errors, FieldError{shortened(path, longestPath), shortened(plainly(d.Message), 2*longestPath)})
		default:
			if status < 500 {
				p.Errors = append(p.Errors, FieldError{"", c.Error()})
			}
		}
	}
	if len(p.Errors) > 0 && detail == "validation failed" {
		p.Detail = "Some fields need another look."
	}
	switch {
	case status == http.StatusServiceUnavailable:
		p.Detail = "There is too much to do just now. Try again in a moment."
	case status >= 500:
		p.Detail = "Something went wrong on our side."
	}
	return p
}

// plainly says what a check of shapes says, in words for people.
func plainly(message string) string {
	switch message {
	case "expected integer":
		return "This is not a whole number."
	case "expected number":
		return "This is not a number."
	case "expected string":
		return "This is not a text."
	}
	return message
}

func shortened(text string, most int) string {
	if r := []rune(text); len(r) > most {
		return string(r[:most]) + "…"
	}
	return text
}

// Wrong is a problem with one field.
func Wrong(field, message string) error {
	p := NewProblem(http.StatusUnprocessableEntity, message)
	p.Errors = []FieldError{{field, message}}
	return p
}

// WrongHours is a problem with hours, each fault at its field.
func WrongHours(prefix string, faults []hours.Fault) error {
	p := NewProblem(http.StatusUnprocessableEntity, "These hours contradict themselves.")
	for _, f := range faults {
		p.Errors = append(p.Errors, FieldError{prefix + f.Path, f.What})
	}
	return p
}

// WriteProblem sends a problem past the operations.
func WriteProblem(w http.ResponseWriter, p *Problem) {
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}
