package caldav

import (
	"bytes"
	"cmp"
	"context"
	"encoding/xml"
	"errors"
	"maps"
	"net/http"
	"slices"
	"strings"

	"niche/internal/outbound"
	"niche/internal/source"
)

// batch is how many events are fetched with one request.
const batch = 100

// maxTroubled is for how many events a host may fail in one reading before it is
// left alone.
const maxTroubled = 50

// fetch fetches what is wanted by calendar-multiget (RFC 4791, section 7.9), in
// batches. What a batch lacks, or holds in a way that cannot be relied on, is asked
// for on its own.
func (r *reading) fetch(ctx context.Context, take func(source.Part) error) error {
	troubled := 0
	for paths := range slices.Chunk(slices.Sorted(maps.Keys(r.wanted)), batch) {
		got, err := r.multiget(ctx, paths)
		if err != nil {
			return err
		}
		for _, path := range paths {
			f := r.wanted[path]
			p, ok := got[path]
			part := source.Part{Path: path, Address: f.address, ETag: cmp.Or(p.prop.ETag, f.etag), Body: strings.NewReader(p.prop.Data)}
			if !ok || p.status != http.StatusOK || strings.TrimSpace(p.prop.Data) == "" {
				if part, err = r.single(ctx, path, f); err != nil {
					return err
				}
			}
			if part.Fault != nil {
				if troubled++; troubled > maxTroubled {
					return part.Fault
				}
			}
			if r.isAhead(path, f, part) {
				r.ahead[path] = true
			}
			if err := take(part); err != nil {
				return err
			}
		}
	}
	return nil
}

// isAhead reports whether a resource is known in a later version, by what was fetched,
// than the one that was named, or kept so far.
func (r *reading) isAhead(path string, f found, p source.Part) bool {
	if _, kept := r.objects[path]; p.Gone {
		return kept
	}
	if f.etag == "" {
		return !r.named[path]
	}
	return p.ETag != "" && !source.SameETag(p.ETag, f.etag)
}

// multiget fetches some events with one request. What it does not return is to be
// asked for on its own; so is everything, when the host fails at the request as
// such: one odd name can be enough for that.
func (r *reading) multiget(ctx context.Context, paths []string) (map[string]part, error) {
	var b strings.Builder
	for _, path := range paths {
		b.WriteString("<d:href>")
		_ = xml.EscapeText(&b, []byte(r.wanted[path].address))
		b.WriteString("</d:href>")
	}
	got := map[string]part{}
	_, err := r.ask(ctx, query{"fetching events", "REPORT", r.address, "1",
		`<c:calendar-multiget ` + namespaces + `><d:prop><d:getetag/><c:calendar-data/></d:prop>` + b.String() + `</c:calendar-multiget>`}, func(p part) {
		got[p.path] = p
	})
	if err != nil && asksForMore(err) && ctx.Err() == nil {
		return nil, nil
	}
	return got, err
}

// single fetches one event, by all ways in which its address can be spelled.
func (r *reading) single(ctx context.Context, path string, f found) (source.Part, error) {
	part := source.Part{Path: path, Address: f.address}
	var err error
	for _, address := range spellings(f.address) {
		var stored source.Stored
		if stored, err = r.get(ctx, "fetching an event", address); err == nil {
			part.Address, part.ETag, part.Body = address, stored.ETag, bytes.NewReader(stored.Body)
			return part, nil
		}
		if k := outbound.KindOf(err); k != outbound.NotThere && k != outbound.BadAnswer && k != outbound.BadAddress {
			break
		}
	}
	var e *outbound.Error
	switch {
	case !errors.As(err, &e):
		return part, err
	case e.Kind == outbound.NotThere && !r.named[path]:
		part.Gone = true
		return part, nil
	case e.Kind == outbound.WrongKey, outbound.IsSilence(err) && (e.Status == 0 || e.Status == http.StatusTooManyRequests || e.Status == http.StatusServiceUnavailable && e.RetryAfter > 0):
		return part, err // it is not about this event
	}
	part.Fault = err
	return part, nil
}
