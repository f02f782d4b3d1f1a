package store

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"gorm.io/gorm"

	"niche/core/span"
)

// Doer is who does something: whom the trail names.
type Doer struct {
	Role   string // administrator, client, operator; empty for Niche itself
	ID     ID
	Name   string
	Origin string // the network it came from; empty for none
}

type doerKey struct{}

// By returns a context in which everything is done by somebody.
func By(ctx context.Context, d Doer) context.Context { return context.WithValue(ctx, doerKey{}, d) }

// Entry is one line of the trail: who did what to which thing.
type Entry struct {
	ID      ID
	At      span.Instant
	Role    string
	WhoID   ID
	Who     string
	Origin  string
	Deed    string // a word of Deeds
	Kind    string // a word of Kinds
	Thing   ID     // of which record; 0 when there is one only
	Name    string // as the thing was called then
	Changes string // JSON: a list of Change
}

// TableName names the table.
func (Entry) TableName() string { return "trail" }

// Change is what became of one field.
type Change struct {
	Field string `json:"field"`
	From  any    `json:"from,omitempty"`
	To    any    `json:"to,omitempty"`
}

// Note adds a line to the trail, by whoever the transaction is done for. What has not
// changed is not noted: with a before and an after that say the same, nothing is.
func (t Tx) Note(at span.Instant, deed, kind string, thing ID, name string, before, after any) error {
	changes, err := differences(before, after)
	if err != nil {
		return fmt.Errorf("noting what was done to %s %d: %w", kind, thing, err)
	}
	if before != nil && after != nil && len(changes) == 0 {
		return nil
	}
	text, err := json.Marshal(changes)
	if err != nil {
		return fmt.Errorf("noting what was done to %s %d: %w", kind, thing, err)
	}
	d, _ := t.db.Statement.Context.Value(doerKey{}).(Doer)
	return t.db.Create(&Entry{At: at, Role: d.Role, WhoID: d.ID, Who: d.Name, Origin: d.Origin, Deed: deed, Kind: kind, Thing: thing, Name: name, Changes: string(text)}).Error
}

// longestKept is how much of a field the trail keeps, in bytes of its JSON.
const longestKept = 16 << 10

// differences compares two records field by field, as JSON has them. A nil is one that
// has no fields.
func differences(before, after any) ([]Change, error) {
	from, order, err := fields(before)
	if err != nil {
		return nil, err
	}
	to, more, err := fields(after)
	if err != nil {
		return nil, err
	}
	for _, name := range more {
		if _, ok := from[name]; !ok {
			order = append(order, name)
		}
	}
	changes := []Change{}
	for _, name := range order {
		a, b := from[name], to[name]
		if string(a) == string(b) || empty(a) && empty(b) {
			continue
		}
		c := Change{Field: name}
		if !empty(a) {
			c.From = kept(a)
		}
		if !empty(b) {
			c.To = kept(b)
		}
		changes = append(changes, c)
	}
	return changes, nil
}

func empty(raw json.RawMessage) bool {
	switch string(raw) {
	case "", "null", `""`, "[]", "{}":
		return true
	}
	return false
}

func kept(raw json.RawMessage) any {
	if len(raw) > longestKept {
		return "too long to be kept here"
	}
	return raw
}

func fields(v any) (map[string]json.RawMessage, []string, error) {
	if v == nil {
		return nil, nil, nil
	}
	text, err := json.Marshal(v)
	if err != nil {
		return nil, nil, err
	}
	out := map[string]json.RawMessage{}
	if err := json.Unmarshal(text, &out); err != nil {
		return nil, nil, err
	}
	// The order in which the fields stand in the record.
	var names []string
	d := json.NewDecoder(strings.NewReader(string(text)))
	_, _ = d.Token()
	for d.More() {
		name, err := d.Token()
		if err != nil {
			return nil, nil, err
		}
		names = append(names, name.(string))
		var skip json.RawMessage
		if err := d.Decode(&skip); err != nil {
			return nil, nil, err
		}
	}
	return out, names, nil
}

// TrailOf says which lines of the trail are wanted; what is zero does not matter.
type TrailOf struct {
	Kinds    []string
	Thing    ID
	Role     string
	Who      ID
	Deed     string
	From, To span.Instant
	Before   ID // lines before this one, of those that are older
	Most     int
}

// Trail returns lines of the trail, the newest first.
func (t Tx) Trail(of TrailOf) ([]Entry, error) {
	q := t.db.Order("at DESC, id DESC").Limit(of.Most)
	for _, c := range []struct {
		on     bool
		clause string
		value  any
	}{
		{len(of.Kinds) > 0, "kind IN ?", of.Kinds}, {of.Thing != 0, "thing = ?", of.Thing}, {of.Role != "", "role = ?", of.Role}, {of.Who != 0, "who_id = ?", of.Who},
		{of.Deed != "", "deed = ?", of.Deed}, {of.From != 0, "at >= ?", of.From}, {of.To != 0, "at < ?", of.To}, {of.Before != 0, "(at, id) < (SELECT at, id FROM trail WHERE id = ?)", of.Before},
	} {
		if c.on {
			q = q.Where(c.clause, c.value)
		}
	}
	return rows[Entry](q.Session(&gorm.Session{}))
}
