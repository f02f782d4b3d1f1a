package reading

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"io"
	"maps"
	"slices"
	"time"

	"niche/core/ics"
	"niche/core/span"
	"niche/internal/blocking"
	"niche/internal/clash"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/outbox"
	"niche/internal/plain"
	"niche/internal/source"
	"niche/internal/store"
)

// object is an event resource, or an event of a calendar that is one body, as it is
// to be kept.
type object struct {
	store.Object
	uids   []string
	spans  map[string][]ics.Occurrence // by UID
	unread []ics.Skipped
}

func (o *object) add(ev ics.Event) {
	if o.spans == nil {
		o.spans = map[string][]ics.Occurrence{}
	}
	if _, known := o.spans[ev.UID]; !known {
		o.uids = append(o.uids, ev.UID)
	}
	o.spans[ev.UID] = append(o.spans[ev.UID], ev.Occurrences...)
}

// maxUnread is how many events that could not be read are kept of one resource.
const maxUnread = 50

// patience is for how many readings in a row a host may fail at a single event
// before that counts as one that cannot be read, and no longer as a host that fails.
const patience = 5

// Hashed returns what is kept of a UID.
func Hashed(uid string) string { return hashed(uid) }

func hashed(uid string) string {
	sum := sha256.Sum256([]byte(uid))
	return hex.EncodeToString(sum[:])
}

// keeping is what becomes of one reading.
type keeping struct {
	*Readings
	s       *subject
	fresh   []object
	gone    []string
	owed    []store.Object // could not be had, with why
	why     map[string]string
	fault   error // the host fails at some event, and that may pass
	refresh span.Minutes
	changed bool // something was kept
	clashes int
	copies  bool // a copy is to be looked at
}

func (r *Readings) keeping(s *subject) *keeping {
	return &keeping{Readings: r, s: s, why: map[string]string{}}
}

// take takes one part of what the source says.
func (k *keeping) take(ctx context.Context, p source.Part) error {
	switch {
	case p.Whole:
		return k.whole(ctx, p)
	case p.Gone:
		k.gone = append(k.gone, p.Path)
		return nil
	case p.Fault != nil:
		return k.missed(ctx, p)
	}
	body, err := io.ReadAll(p.Body)
	if err != nil {
		return outbound.Failed(ctx, "reading an event", err)
	}
	o, err := k.expand(p, body)
	if err != nil {
		p.Fault = err
		return k.missed(ctx, p)
	}
	k.fresh = append(k.fresh, o)
	k.counts.objects.Inc()
	if len(k.fresh) < atOnce {
		return nil
	}
	return k.keep(ctx, nil)
}

// expand reads the time out of an event and lets go of everything else.
func (k *keeping) expand(p source.Part, body []byte) (object, error) {
	o := object{Object: store.Object{CalendarID: k.s.Calendar.ID, Href: p.Path, Address: p.Address, Etag: p.ETag, ReadAt: k.s.now}}
	scope := k.s.scope
	scope.Suffix = store.UIDSuffix
	reading, err := ics.ReadBusy(bytes.NewReader(body), scope)
	if err != nil {
		return o, &outbound.Error{Kind: outbound.NotCalendar, Doing: "reading an event", Err: err}
	}
	o.Beyond, o.unread = reading.Beyond, reading.Skipped
	for _, ev := range reading.Events {
		o.add(ev)
	}
	for _, uid := range reading.Marked {
		if _, has := o.spans[uid]; !has {
			o.uids = append(o.uids, uid) // a copy that takes no time, or not now
		}
	}
	return o, nil
}

// missed notes an event that is there and could not be had. What is known of it
// stays, and it is asked for again. As long as that may pass, the reading as a whole
// has not gone well: nobody knows what time the event takes.
func (k *keeping) missed(ctx context.Context, p source.Part) error {
	known, err := k.DB.Read(ctx).ObjectsAt(k.s.Calendar.ID, []string{p.Path})
	if err != nil {
		return err
	}
	o := store.Object{CalendarID: k.s.Calendar.ID, Href: p.Path, Address: p.Address, Beyond: true}
	if len(known) > 0 {
		o = known[0]
	}
	o.Owed, o.Etag = o.Owed+1, "" // whatever version it has is wanted
	kind := outbound.KindOf(p.Fault)
	switch {
	case kind == outbound.NotCalendar && o.Owed > 1:
		// It has said so twice, and is asked again only when it changes.
		nonsense := object{Object: o, unread: []ics.Skipped{{Reason: "it is no iCalendar data"}}}
		nonsense.Owed, nonsense.Etag, nonsense.Beyond, nonsense.ReadAt = 0, p.ETag, false, k.s.now
		k.fresh = append(k.fresh, nonsense)
		return nil
	case kind == outbound.NotThere && o.Owed < 2:
		// Most likely it was removed while it was being read; the next reading tells.
		o.Skipped = 0
		k.owed = append(k.owed, o)
		return nil
	case kind != outbound.NotThere && kind != outbound.Forbidden && kind != outbound.NotCalendar && o.Owed < patience:
		k.fault = errors.Join(&outbound.Error{Kind: outbound.InPart, Doing: "fetching the events", Err: errors.New("an event could not be had")}, p.Fault)
	}
	o.Skipped = 1
	k.owed = append(k.owed, o)
	k.why[p.Path] = "the host lists it but does not hand it over"
	if kind == outbound.NotCalendar {
		k.why[p.Path] = "it is no iCalendar data"
	}
	return nil
}

// whole takes a calendar that is one body, and finds out which of its events take
// other time than what is kept of them, and which have gone. Events are known by
// their UID, hashed.
func (k *keeping) whole(ctx context.Context, p source.Part) error {
	reading, err := source.ReadWhole(ctx, p.Body, k.s.scope)
	if err != nil {
		return err
	}
	k.refresh = reading.Refresh
	known, err := k.DB.Read(ctx).Objects(k.s.Calendar.ID)
	if err != nil {
		return err
	}
	versions := make(map[string]string, len(known))
	for _, o := range known {
		versions[o.Href] = o.Etag
	}
	now := map[string]*object{}
	of := func(path string) *object {
		if now[path] == nil {
			now[path] = &object{Object: store.Object{CalendarID: k.s.Calendar.ID, Href: path, ReadAt: k.s.now}}
		}
		return now[path]
	}
	for _, ev := range reading.Events {
		of(hashed(ev.UID)).add(ev)
	}
	if len(reading.Skipped) > 0 {
		of(store.UnreadHref).unread = reading.Skipped
	}
	for _, path := range slices.Sorted(maps.Keys(now)) {
		o := now[path]
		if o.Etag = o.digest(); versions[path] != o.Etag {
			k.fresh = append(k.fresh, *o)
		}
	}
	for path := range versions {
		if now[path] == nil {
			k.gone = append(k.gone, path)
		}
	}
	k.counts.objects.Add(float64(len(k.fresh)))
	return nil
}

// digest returns what differs when the object's time does.
func (o object) digest() string {
	var b []byte
	for _, uid := range o.uids {
		for _, oc := range o.spans[uid] {
			b = binary.LittleEndian.AppendUint64(b, uint64(oc.During.Start()))
			b = binary.LittleEndian.AppendUint64(b, uint64(oc.During.End()))
			flags := byte(0)
			if oc.AllDay {
				flags |= 1
			}
			if oc.Tentative {
				flags |= 2
			}
			b = append(append(b, flags), oc.Title...)
		}
	}
	for _, s := range o.unread {
		b = append(append(b, s.Date.String()...), s.Reason...)
	}
	return hashed(string(b))[:32]
}

// end keeps what is left, and that the calendar has been read; or, where the host
// failed at single events, that it has been read in part.
func (k *keeping) end(ctx context.Context, news source.News) error {
	refresh := max(k.refresh, span.Minutes(news.Refresh/time.Minute))
	if k.refresh == 0 && news.Refresh == 0 && len(k.fresh)+len(k.gone) == 0 {
		refresh = k.s.Calendar.Refresh // nothing new was said
	}
	if k.fault != nil {
		return errors.Join(k.keep(ctx, nil), k.fault)
	}
	return k.keep(ctx, func(c *store.Calendar) {
		c.State, c.Error, c.Failures, c.Mark = store.Fresh, "", 0, news.Mark
		c.KnownFor, c.Refresh = k.s.readFor, refresh
		if k.s.all || k.s.again {
			c.KnownTo = k.s.scope.Window.End()
		}
		c.ReadAt, c.TriedAt, c.NextAt = k.s.now, span.At(k.Now()), k.next(k.s, refresh)
	})
}

// keep stores what was taken so far in one transaction, and with done that the
// calendar has been read. Where nothing changed, nothing but that is written.
func (k *keeping) keep(ctx context.Context, done func(*store.Calendar)) error {
	id := k.s.Calendar.ID
	k.clashes, k.copies = 0, false
	changed := len(k.fresh)+len(k.gone)+len(k.owed) > 0
	if !changed && !k.s.all && !k.s.again {
		if done == nil {
			return nil
		}
		was := k.s.Calendar
		done(&k.s.Calendar)
		if k.isKept(was) {
			k.DB.Pulses.Keep(id, k.pulse())
			return nil
		}
		return k.noted(k.DB.Single(ctx, k.note))
	}
	err := k.DB.Write(ctx, func(tx store.Tx) error {
		now := span.At(k.Now())
		if err := k.replace(tx, now); err != nil {
			return err
		}
		if done != nil && (k.s.all || k.s.again) {
			changed = true
			if err := tx.ForgetPast(id, k.s.scope.Window.Start()); err != nil {
				return err
			}
		}
		if changed {
			if err := blocking.Pack(tx, id); err != nil {
				return err
			}
			var err error
			if k.clashes, err = clash.OfCalendar(tx, id, now); err != nil {
				return err
			}
			if k.clashes > 0 && k.Clashed != nil {
				if err := k.Clashed(tx, id, now); err != nil {
					return err
				}
			}
			if k.s.Calendar.Skipped, err = tx.SkippedOf(id); err != nil {
				return err
			}
		}
		first := k.s.Calendar.KnownTo == 0
		if done != nil {
			done(&k.s.Calendar)
			if first {
				if err := k.chooseFirst(tx); err != nil {
					return err
				}
			}
		}
		return k.note(tx)
	})
	if err = k.noted(err); err != nil {
		return err
	}
	k.changed = k.changed || len(k.fresh)+len(k.gone) > 0
	k.fresh, k.gone, k.owed = k.fresh[:0], k.gone[:0], k.owed[:0]
	if k.clashes > 0 || k.copies {
		k.Hub.Tell(live.Bookings)
	}
	if k.copies {
		k.Wake()
	}
	return nil
}

// chooseFirst lets a calendar block nothing that was read for the first time, can only be
// read, and has nothing but events that take no time, as one of birthdays: unless somebody
// has chosen.
func (k *keeping) chooseFirst(tx store.Tx) error {
	c := k.s.Calendar
	if c.CanWrite || !c.Blocks || k.s.Link.Kind != store.AccountLink {
		return nil
	}
	version, err := tx.Version(store.CalendarChoice(c.ID))
	if err != nil || version > 1 {
		return err
	}
	events, busy, err := tx.CountEvents(c.ID)
	if err != nil || events == 0 || busy > 0 {
		return err
	}
	c.Blocks = false
	return errors.Join(tx.SaveChoice(c), tx.Watching(k.s.Link.StaffID, span.At(k.Now())))
}

// isKept reports whether what the reading notes of its calendar stands there already, but
// for times that need not be written down yet: the calendar is not due by what stands
// there, and that is not old.
func (k *keeping) isKept(was store.Calendar) bool {
	now := k.s.Calendar
	old := now.ReadAt < was.TriedAt || now.ReadAt-was.TriedAt >= unnoted(k.Poll)
	if old || was.NextAt <= now.ReadAt {
		return false
	}
	now.ReadAt, now.TriedAt, now.NextAt = was.ReadAt, was.TriedAt, was.NextAt
	return was == now
}

func (k *keeping) pulse() store.Pulse {
	return store.Pulse{Host: k.s.Link.Host, ReadAt: k.s.Calendar.ReadAt, NextAt: k.s.Calendar.NextAt}
}

// note writes down how the reading went. When the calendar is to be read next is kept
// beside: it comes due by what is written down only if it is not written down again in
// time, which would be soon.
func (k *keeping) note(tx store.Tx) error {
	c := k.s.Calendar
	if c.State == store.Fresh {
		c.NextAt = max(c.NextAt, c.TriedAt+2*unnoted(k.Poll))
	}
	return tx.NoteReading(c)
}

// noted keeps beside what has been written down, if it has.
func (k *keeping) noted(err error) error {
	if err == nil && k.s.Calendar.State == store.Fresh && k.s.Calendar.Watched {
		k.DB.Pulses.Keep(k.s.Calendar.ID, k.pulse())
	}
	return err
}

// replace replaces what is stored of changed events. Own copies, known by their
// UID wherever they turn up, are never busy time; what has become of them is told to
// the outbox.
func (k *keeping) replace(tx store.Tx, now span.Instant) error {
	id := k.s.Calendar.ID
	if len(k.gone) > 0 {
		known, err := tx.ObjectsAt(id, k.gone)
		if err != nil {
			return err
		}
		for _, o := range known {
			if o.VisitID != 0 {
				news, err := outbox.Missed(tx, id, o.VisitID, o.Href, now)
				if err != nil {
					return err
				}
				k.copies = k.copies || news
			}
		}
	}
	paths := slices.Clone(k.gone)
	var uids []string
	for _, o := range k.fresh {
		paths = append(paths, o.Href)
		uids = append(uids, o.uids...)
	}
	if err := tx.ForgetObjects(id, paths); err != nil {
		return err
	}
	own, err := tx.VisitsByUID(uids)
	if err != nil {
		return err
	}
	// Its owner may have closed the calendar while it was read.
	present, err := tx.Calendar(id)
	if err != nil {
		return err
	}
	title := func(oc ics.Occurrence) string {
		if !present.Titles {
			return ""
		}
		return plain.Clean(oc.Title, source.MaxName)
	}
	var objects []store.Object
	var spans []store.BusySpan
	var unread []store.Unread
	for _, o := range k.fresh {
		o.Skipped = len(o.unread)
		if len(o.uids) > 0 {
			o.UIDHash = hashed(o.uids[0])
		}
		for _, uid := range o.uids {
			if visit, ours := own[uid]; ours {
				o.VisitID = visit
				news, err := outbox.Seen(tx, id, visit, o.Href, o.Etag, now)
				if err != nil {
					return err
				}
				k.copies = k.copies || news
				continue
			}
			for _, oc := range o.spans[uid] {
				spans = append(spans, store.BusySpan{CalendarID: id, Href: o.Href, Start: oc.During.Start(), End: oc.During.End(), AllDay: oc.AllDay, Tentative: oc.Tentative, Title: title(oc)})
			}
		}
		for _, u := range o.unread[:min(len(o.unread), maxUnread)] {
			unread = append(unread, store.Unread{CalendarID: id, Href: o.Href, Date: u.Date.String(), Reason: u.Reason})
		}
		objects = append(objects, o.Object)
	}
	if err := tx.AddObjects(objects, spans, unread); err != nil {
		return err
	}
	for _, o := range k.owed {
		if err := tx.SaveObject(o); err != nil {
			return err
		}
		var list []store.Unread
		if why := k.why[o.Href]; why != "" {
			list = []store.Unread{{CalendarID: id, Href: o.Href, Reason: why}}
		}
		if err := tx.ReplaceUnread(id, o.Href, list); err != nil {
			return err
		}
	}
	return nil
}
