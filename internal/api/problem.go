package api

import (
	"encoding/json"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/hours"
)

// Problem is an error as it is sent (RFC 9457).
type Problem struct {
	Title       string       `json:"title" doc:"The kind of the problem."`
	Status      int          `json:"status"`
	Detail      string       `json:"detail" doc:"What happened, in a sentence for people."`
	Errors      []FieldError `json:"errors,omitempty" doc:"What is wrong with which field."`
	Reasons     []string     `json:"reasons,omitempty" doc:"The codes of the rules that refuse a start."`
	Nearest     []Start      `json:"nearest,omitempty" doc:"Starts nearby that can be booked."`
	Misfits     []Misfit     `json:"misfits,omitempty" doc:"Bookings that a change of rules would leave outside them, the first of them."`
	MisfitCount int          `json:"misfitCount,omitempty" doc:"How many there are."`
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

// newProblem makes a problem. Values that were sent are not repeated, since
// they may be secrets.
func newProblem(status int, detail string, causes ...error) *Problem {
	p := &Problem{Title: http.StatusText(status), Status: status, Detail: detail}
	for _, c := range causes {
		switch c := c.(type) {
		case nil:
		case huma.ErrorDetailer:
			d := c.ErrorDetail()
			p.Errors = append(p.Errors, FieldError{strings.TrimPrefix(strings.TrimPrefix(d.Location, "body"), "."), d.Message})
		default:
			if status < 500 {
				p.Errors = append(p.Errors, FieldError{"", c.Error()})
			}
		}
	}
	if len(p.Errors) > 0 && detail == "validation failed" {
		p.Detail = "Some fields need another look."
	}
	if status >= 500 {
		p.Detail = "Something went wrong on our side."
	}
	return p
}

// wrong is a problem with one field.
func wrong(field, message string) error {
	p := newProblem(http.StatusUnprocessableEntity, message)
	p.Errors = []FieldError{{field, message}}
	return p
}

// wrongHours is a problem with hours, each fault at its field.
func wrongHours(prefix string, faults []hours.Fault) error {
	p := newProblem(http.StatusUnprocessableEntity, "These hours contradict themselves.")
	for _, f := range faults {
		p.Errors = append(p.Errors, FieldError{prefix + f.Path, f.What})
	}
	return p
}

func writeProblem(w http.ResponseWriter, p *Problem) {
	w.Header().Set("Content-Type", p.ContentType(""))
	w.WriteHeader(p.Status)
	_ = json.NewEncoder(w).Encode(p)
}
