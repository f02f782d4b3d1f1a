package caldav

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"slices"

	"niche/internal/source"
)

// Calendar is one calendar on the host. It is a source.Reader and a source.Writer.
type Calendar struct {
	*Client
	address string // of the collection, as the host spells it, with its slash
	path    string // the same in one spelling
}

// Calendar returns a calendar by its address on the host.
func (c *Client) Calendar(address string) *Calendar {
	return &Calendar{c, requestable(address), Path(address)}
}

// Read asks what changed, with the cheapest question that the host understands:
// sync-collection (RFC 6578) with the known token; the collection tag; a listing of
// ETags, which always works. What a host forgot, or answers in a way that cannot be
// relied on, falls back by itself.
func (c *Calendar) Read(ctx context.Context, known source.Known, take func(source.Part) error) (source.News, error) {
	var m mark
	if known.Mark != "" && !known.All {
		_ = json.Unmarshal([]byte(known.Mark), &m) // what cannot be read is as if it were not there
	}
	r := reading{Calendar: c, known: known, mark: m, now: known.Now.Unix(), wanted: map[string]found{}, named: map[string]bool{}, unsaid: map[string]bool{}, gone: map[string]bool{}, ahead: map[string]bool{}}
	if m := r.mark; max(m.Listed, m.Since, m.NextSince, m.TagSince) > r.now {
		r.mark = mark{} // the clock has gone back
	}
	if err := r.look(ctx); err != nil {
		return source.News{}, err
	}
	for _, path := range r.mark.Ahead {
		if _, named := r.wanted[path]; !named && !r.gone[path] {
			r.wanted[path] = found{}
		}
	}
	if err := r.alsoWanted(ctx); err != nil {
		return source.News{}, err
	}
	if err := r.fetch(ctx, take); err != nil {
		return source.News{}, err
	}
	for path := range r.gone {
		if err := take(source.Part{Path: path, Gone: true}); err != nil {
			return source.News{}, err
		}
	}
	r.mark.Ahead = slices.Sorted(maps.Keys(r.ahead))
	r.mark.fetched(slices.Collect(maps.Keys(r.wanted)), r.now)
	text, err := json.Marshal(r.mark)
	return source.News{Mark: string(text)}, err
}

// reading is one reading.
type reading struct {
	*Calendar
	known   source.Known
	mark    mark
	now     int64
	objects map[string]source.Object // those that are kept, once they were asked for
	wanted  map[string]found         // what is to be fetched, by path
	named   map[string]bool          // of these, what the host has just said to be there
	unsaid  map[string]bool          // of these, what it no longer lists
	gone    map[string]bool
	ahead   map[string]bool // what is known in a later version than the token is of
}

func (r *reading) kept(ctx context.Context) (map[string]source.Object, error) {
	if r.objects == nil && r.known.Objects != nil {
		var err error
		if r.objects, err = r.known.Objects(ctx); err != nil {
			return nil, err
		}
	}
	return r.objects, nil
}

// look finds out what is to be fetched and what has gone.
func (r *reading) look(ctx context.Context) error {
	anyway, err := r.mustList(ctx)
	if err != nil {
		return err
	}
	if r.mark.Token == "" || anyway {
		return r.byListing(ctx, anyway)
	}
	reliable, err := r.bySync(ctx)
	if reliable || err != nil && (!asksForMore(err) || ctx.Err() != nil) {
		return err
	}
	if err != nil {
		r.mark.forget() // they are no longer known there
	}
	return r.byListing(ctx, true)
}

// mustList reports whether everything is to be listed, whatever tokens and tags say:
// from time to time, and when something still cannot be had that was said to be there,
// less and less often.
func (r *reading) mustList(ctx context.Context) (bool, error) {
	if r.now-r.mark.Listed >= trusted {
		return true, nil
	}
	if len(r.known.Again) == 0 {
		return false, nil
	}
	objects, err := r.kept(ctx)
	return slices.ContainsFunc(r.known.Again, func(path string) bool {
		owed := objects[path].Owed
		return owed > 1 && owed&(owed-1) == 0
	}), err
}

// bySync asks with the last token and, when it is time to, with the base.
func (r *reading) bySync(ctx context.Context) (reliable bool, err error) {
	m := &r.mark
	token, reliable, err := r.since(ctx, m.Token, m.Since)
	if !reliable {
		return false, err
	}
	m.given(token, r.now)
	if !m.isDue(r.now) {
		return true, nil
	}
	if m.Base == "" {
		return false, nil
	}
	wanted, gone := maps.Clone(r.wanted), maps.Clone(r.gone)
	if _, reliable, err := r.since(ctx, m.Base, m.NextSince); !reliable {
		return false, err
	}
	for path, f := range r.wanted {
		if before, named := wanted[path]; !named || !source.SameETag(before.etag, f.etag) {
			r.ahead[path] = true
		}
	}
	for path := range r.gone {
		if !gone[path] {
			r.ahead[path] = true
		}
	}
	if err := r.stillThere(ctx, m.AfterBase); err != nil {
		return false, err
	}
	m.looked()
	m.given(token, r.now)
	return true, nil
}

// stillThere has paths asked for that are kept and were not named.
func (r *reading) stillThere(ctx context.Context, paths []string) error {
	if len(paths) == 0 {
		return nil
	}
	objects, err := r.kept(ctx)
	for _, path := range paths {
		o, kept := objects[path]
		if _, named := r.wanted[path]; kept && !named && !r.gone[path] {
			r.wanted[path] = found{o.Address, o.ETag}
		}
	}
	return err
}

// since asks what changed since a token was given, and returns the next one; where
// nothing has, the one that was given is as good and stays. The answer cannot be relied on
// when it names as changed what has not, or very much: some hosts answer a token that
// they do not know with all that they have.
func (r *reading) since(ctx context.Context, token string, given int64) (next string, reliable bool, err error) {
	ch, err := r.sync(ctx, token)
	if err != nil {
		return "", false, err
	}
	if len(ch.changed) > 0 {
		objects, err := r.kept(ctx)
		if err != nil {
			return "", false, err
		}
		if len(ch.changed) > 2 && len(ch.changed)*2 > len(objects) {
			return "", false, nil
		}
		for path, f := range ch.changed {
			o, kept := objects[path]
			if !kept || o.Owed > 0 || f.etag == "" || !source.SameETag(o.ETag, f.etag) {
				continue
			}
			if o.ReadAt.Unix() < given-grain || r.now-r.mark.Listed >= suspected {
				return "", false, nil
			}
		}
	}
	r.differs(ch)
	if ch.isNone() {
		return token, true, nil
	}
	return ch.token, true, nil
}

// differs notes what is to be fetched, whatever its version, for a host may give an
// old one to a new event; and what has gone.
func (r *reading) differs(ch changes) {
	for path, f := range ch.changed {
		r.wanted[path], r.named[path] = f, true
		delete(r.gone, path)
	}
	for path := range ch.gone {
		r.gone[path] = true
		delete(r.wanted, path)
	}
}

// byListing asks for the state of the calendar, and lists it unless its tag says
// that nothing has changed.
func (r *reading) byListing(ctx context.Context, anyway bool) error {
	now, err := r.state(ctx)
	if err != nil {
		return err
	}
	m := &r.mark
	if !anyway && m.Tag != "" && m.Tag == now.CollectionTag && m.TagSettled && (now.SyncToken == "" || m.Token == "") {
		return nil
	}
	objects, err := r.kept(ctx)
	if err != nil {
		return err
	}
	ch, err := r.wholly(ctx, objects)
	if err != nil {
		return err
	}
	for path, f := range ch.changed {
		o, kept := objects[path]
		if !kept || r.known.All || f.etag == "" || !source.SameETag(o.ETag, f.etag) {
			r.wanted[path], r.named[path] = f, true
		}
	}
	for path := range r.wanted {
		if _, there := ch.changed[path]; !there {
			delete(r.wanted, path)
		}
	}
	r.gone = ch.gone
	if len(ch.gone) <= maxTroubled {
		// The host did not say that they have gone: they are asked for.
		r.gone = map[string]bool{}
		for path := range ch.gone {
			r.wanted[path], r.unsaid[path] = found{objects[path].Address, objects[path].ETag}, true
		}
	}
	m.Listed = r.now
	if err := r.afterListing(ctx, now.SyncToken); err != nil {
		return err
	}
	if now.CollectionTag != m.Tag {
		m.Tag, m.TagSince, m.TagSettled = now.CollectionTag, r.now, false
	} else if r.now-m.TagSince >= grain {
		m.TagSettled = true
	}
	return nil
}

// afterListing asks what changed while everything was listed, since a token that was
// given before.
func (r *reading) afterListing(ctx context.Context, token string) error {
	m := &r.mark
	if token == "" {
		m.forget()
		return nil
	}
	ch, err := r.sync(ctx, token)
	switch {
	case err != nil && (!asksForMore(err) || ctx.Err() != nil):
		return err
	case err != nil:
		m.forget()
		return nil
	}
	r.differs(ch)
	if m.isDue(r.now) {
		m.looked() // it is in the listing
	}
	if !ch.isNone() {
		token = ch.token
	}
	m.given(token, r.now)
	return nil
}

// alsoWanted adds what could not be had before, and what is asked for again.
func (r *reading) alsoWanted(ctx context.Context) error {
	for _, path := range r.known.Again {
		if _, already := r.wanted[path]; !already && !r.gone[path] {
			r.wanted[path] = found{}
		}
	}
	objects := r.objects
	if len(r.known.Again)+len(r.mark.Ahead) > 0 {
		var err error
		if objects, err = r.kept(ctx); err != nil {
			return err
		}
	}
	for path, f := range r.wanted {
		if f.address == "" {
			f.address, f.etag = cmp.Or(objects[path].Address, path), objects[path].ETag
			r.wanted[path] = f
		}
		if objects[path].Owed > 0 && !r.unsaid[path] {
			r.named[path] = true // it was there, and nobody said that it has gone
		}
	}
	return nil
}

var _ interface {
	source.Reader
	source.Writer
} = (*Calendar)(nil)
