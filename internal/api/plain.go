package api

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"net/http"
	"niche/internal/plain"
	"slices"
	"strings"

	"github.com/danielgtaylor/huma/v2"
)

// plainText refuses texts that nobody can see or that make others be seen wrongly,
// wherever they stand in a request: once for all operations, before anything is stored.
// What passes is handed on as it came.
func plainText(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		var faults []error
		address := ctx.URL()
		for name, values := range address.Query() {
			for _, v := range values {
				if what := plain.Fault(v); what != "" {
					faults = append(faults, &huma.ErrorDetail{Location: "query." + name, Message: what})
				}
			}
		}
		if body := ctx.BodyReader(); body != nil && ctx.Operation().RequestBody != nil {
			data, err := io.ReadAll(body)
			if err != nil {
				_ = huma.WriteErr(a, ctx, http.StatusRequestEntityTooLarge, "The request is too large.")
				return
			}
			var v any
			if json.Unmarshal(data, &v) == nil { // what is no JSON is told by whoever reads it
				faults = append(faults, faultsIn("body", "", v)...)
			}
			ctx = reread{ctx, bytes.NewReader(data)}
		}
		if len(faults) > 0 {
			slices.SortFunc(faults, func(a, b error) int { return strings.Compare(a.Error(), b.Error()) })
			_ = huma.WriteErr(a, ctx, http.StatusUnprocessableEntity, "validation failed", faults...)
			return
		}
		next(ctx)
	}
}

// reread is a request whose body has been read once.
type reread struct {
	request
	body io.Reader
}

type request = huma.Context

// BodyReader returns the body from its beginning.
func (r reread) BodyReader() io.Reader { return r.body }

// Unwrap returns the request itself.
func (r reread) Unwrap() huma.Context { return r.request }

// unseen are fields whose texts nobody is shown, and which may hold anything: passwords,
// and files.
var unseen = map[string]bool{"password": true, "current": true, "text": true, "clientSecret": true}

// severalLines are fields whose texts may have more than one line, and what was pasted into them tabs.
var severalLines = map[string]bool{"description": true, "body": true, "note": true, "address": true, "intro": true, "thanks": true, "bring": true}

// faultsIn looks through a value as JSON has it.
func faultsIn(path, field string, v any) (faults []error) {
	switch v := v.(type) {
	case string:
		what := ""
		lines := []string{v}
		if severalLines[field] {
			lines = strings.Split(strings.ReplaceAll(v, "\t", " "), "\n")
		}
		for _, line := range lines {
			if !unseen[field] && what == "" {
				what = plain.Fault(line)
			}
		}
		if what == "" && field == "name" && v != "" && !plain.IsVisible(v) {
			what = "Give it a name that can be seen."
		}
		if what != "" {
			faults = append(faults, &huma.ErrorDetail{Location: path, Message: what})
		}
	case []any:
		for i, each := range v {
			faults = append(faults, faultsIn(fmt.Sprintf("%s[%d]", path, i), field, each)...)
		}
	case map[string]any:
		for name, each := range v {
			if what := plain.Fault(name); what != "" {
				faults = append(faults, &huma.ErrorDetail{Location: path, Message: what})
				continue
			}
			inner := name
			if field == "answers" {
				inner = "body" // under the keys of questions
			}
			faults = append(faults, faultsIn(path+"."+name, inner, each)...)
		}
	}
	return faults
}
