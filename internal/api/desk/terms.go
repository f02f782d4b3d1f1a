package desk

import (
	"encoding/json"
	"errors"

	"github.com/danielgtaylor/huma/v2"

	"niche/core/offer"
	"niche/core/span"
	"niche/internal/api"
)

// Notice is a service's notice as it is sent. What cannot be read is told at its
// field when the service is saved.
type Notice struct {
	offer.Notice
	fault error
}

// Window is a service's booking window as it is sent.
type Window struct {
	offer.Window
	fault error
}

// UnmarshalJSON reads a notice, or keeps what is wrong with it.
func (n *Notice) UnmarshalJSON(text []byte) error {
	n.fault = json.Unmarshal(text, &n.Notice)
	return nil
}

// UnmarshalJSON reads a booking window, or keeps what is wrong with it.
func (w *Window) UnmarshalJSON(text []byte) error {
	w.fault = json.Unmarshal(text, &w.Window)
	return nil
}

// Schema describes the shapes of a notice.
func (Notice) Schema(huma.Registry) *huma.Schema {
	return shapes("Until when it can be booked: some minutes before, or by a time of day some days before; null for until it starts.",
		shape(map[string]string{"minutes": huma.TypeInteger}, "minutes"),
		shape(map[string]string{"daysBefore": huma.TypeInteger, "by": huma.TypeString}, "daysBefore", "by"))
}

// Schema describes the shapes of a booking window.
func (Window) Schema(huma.Registry) *huma.Schema {
	return shapes("How far ahead it can be booked: some days, or from a date to another, each of which can be left out; null for a year.",
		shape(map[string]string{"days": huma.TypeInteger}, "days"),
		shape(map[string]string{"from": huma.TypeString, "to": huma.TypeString}))
}

// shapes describes a value that has one of several shapes, or is null.
func shapes(doc string, each ...*huma.Schema) *huma.Schema {
	return &huma.Schema{Description: doc, AnyOf: append(each, &huma.Schema{Type: "null"})}
}

func shape(fields map[string]string, required ...string) *huma.Schema {
	s := &huma.Schema{Type: huma.TypeObject, Properties: map[string]*huma.Schema{}, Required: required, AdditionalProperties: false}
	for name, kind := range fields {
		s.Properties[name] = &huma.Schema{Type: kind}
	}
	s.PrecomputeMessages()
	return s
}

// wrongShape is the problem with a field that has none of its shapes; nil where
// nothing is wrong.
func wrongShape(field string, err error) error {
	if err == nil {
		return nil
	}
	var f *offer.Fault
	if errors.As(err, &f) && f.Field != "" {
		field += "." + f.Field
	}
	return api.Wrong(field, err.Error())
}

// Before returns a notice of some minutes.
func Before(minutes span.Minutes) Notice { return Notice{Notice: offer.MinutesBefore(minutes)} }

// Ahead returns a booking window of some days.
func Ahead(days int) Window { return Window{Window: offer.DaysAhead(days)} }
