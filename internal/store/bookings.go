package store

import (
	"errors"

	"niche/core/offer"
	"niche/core/question"
	"niche/core/span"
)

// BookingStatus is where a booking stands.
type BookingStatus string

// The statuses of a booking. All but Cancelled hold their time. They are changed by
// package booking only.
const (
	Held      BookingStatus = "held"      // claimed, and the last look is under way
	Pending   BookingStatus = "pending"   // waits for the administrator
	Confirmed BookingStatus = "confirmed" //
	Cancelled BookingStatus = "cancelled" //
)

// Booking is a client's booking of places in a visit.
type Booking struct {
	ID          ID
	VisitID     ID
	Reference   string
	TokenHash   string
	KeyHash     string // of the key by which the request is known again; empty without one
	RequestHash string // of what was asked with it
	Status      BookingStatus
	Places      int
	ClientID    ID // 0 while it is held
	ClientName  string

	ClientMail    string
	ClientZone    string
	ClientPhone   string // E.164, or empty
	PhoneDigits   string // the ways in which its digits are typed
	ClientAddress string // where the visit is, of one at the client's

	Answers       []question.Answer `gorm:"serializer:json"`
	ClientClock   string            // 24 or 12, by which the client reads
	Sequence      int               // how often its time has changed since it was confirmed, for its invitation
	Origin        string            // the network of whoever made it; empty where that was not kept
	Picked        string            // how its staff were picked, in a sentence
	CreatedAt     span.Instant      `gorm:"autoCreateTime:false"`
	CancelledAt   span.Instant
	Note          string       // of the desk's, which no client sees
	MissedAt      span.Instant // when it was noted that the client did not come; 0 for not
	Trial         bool         // it tries a service
	MadeBy        string       // who at the desk made it; empty for the client
	MovedByClient int          // how often
	HoldUntil     span.Instant // until when it is held while its client pays; 0 for one that nobody has to pay
	AnswerBy      span.Instant // until when a request is answered, or let go; 0 for no limit
	// What the client has answered to the invitation, and a time that they would rather have.
	PartStat           string // as RFC 5545 has it; empty for none
	AnsweredAt         span.Instant
	AnsweredSequence   int          // of the invitation that was answered
	AnswerStamp        span.Instant // when the answer was made, by its maker's clock; 0 where that was not said
	AnswerComment      string
	WishStart, WishEnd span.Instant
	Overruled          string // why it was taken or moved though rules refused it; empty for not
}

// Booking returns a booking.
func (t Tx) Booking(id ID) (Booking, error) { return one[Booking](t.db.Where("id = ?", id)) }

// BookingByToken returns the one that a token manages.
func (t Tx) BookingByToken(hash string) (Booking, error) {
	return one[Booking](t.db.Where("token_hash = @hash OR id = (SELECT booking_id FROM ways WHERE token_hash = @hash)", map[string]any{"hash": hash}))
}

// BookingByKey returns the one that was made by a request with a key.
func (t Tx) BookingByKey(hash string) (Booking, error) {
	return one[Booking](t.db.Where("key_hash = ? AND key_hash <> ''", hash))
}

// BookingByReference returns the one with a reference.
func (t Tx) BookingByReference(reference string) (Booking, error) {
	return one[Booking](t.db.Where("reference = ?", reference))
}

// AddBooking keeps a new booking.
func (t Tx) AddBooking(b *Booking) error { return t.db.Create(b).Error }

// SaveBooking keeps what has become of a booking.
func (t Tx) SaveBooking(b Booking) error {
	return t.db.Model(&b).Select("visit_id", "status", "picked", "cancelled_at", "sequence", "moved_by_client", "answer_by", "hold_until").Updates(&b).Error
}

// WayTo returns the booking that a way leads to, which was told by mail alone.
func (t Tx) WayTo(hash string) (Booking, error) {
	return one[Booking](t.db.Where("id = (SELECT booking_id FROM ways WHERE token_hash = ?)", hash))
}

// OfMail returns the bookings of a mail address that are not cancelled and end after an instant, in order of their visits.
func (t Tx) OfMail(mail string, after span.Instant) ([]Booking, error) {
	return rows[Booking](t.db.Joins("JOIN visits v ON v.id = bookings.visit_id").Where("bookings.client_mail = ? AND bookings.status IN ('pending', 'confirmed') AND v.\"end\" > ?", mail, after).Order("v.start").Limit(500))
}

// SaveAnswer keeps what a client has answered.
func (t Tx) SaveAnswer(b Booking) error {
	return t.db.Model(&b).Select("part_stat", "answered_at", "answered_sequence", "answer_stamp", "answer_comment", "wish_start", "wish_end").Updates(&b).Error
}

// Answer is what the client has answered to the invitation that is out; empty for nothing.
func (b Booking) Answer() string {
	if b.AnsweredAt == 0 || b.AnsweredSequence != b.Sequence {
		return ""
	}
	return b.PartStat
}

// Wish is the time that the client would rather have, as long as the visit has not moved since.
func (b Booking) Wish() (start, end span.Instant, ok bool) {
	return b.WishStart, b.WishEnd, b.WishStart > 0 && b.AnsweredSequence == b.Sequence && b.Status == Confirmed
}

// AnsweredOtherwise returns the confirmed bookings ahead whose clients say that they do not come, or wish another time.
func (t Tx) AnsweredOtherwise(now span.Instant) ([]OnVisit, error) {
	return scan[[]OnVisit](t.db.Raw(`SELECT b.id, b.answered_at AS at, v.id AS visit_id, v.start, v."end" AS until, s.name AS service, b.client_name AS client, p.id AS staff_id, p.name AS staff,
			b.wish_start AS "from", b.wish_end AS "to", b.answer_comment AS words
		FROM bookings b JOIN visits v ON v.id = b.visit_id JOIN services s ON s.id = v.service_id JOIN visit_staff vs ON vs.visit_id = v.id JOIN staff p ON p.id = vs.staff_id
		WHERE b.answered_at > 0 AND b.status = 'confirmed' AND v.start > ? AND b.answered_sequence = b.sequence AND (b.part_stat = 'DECLINED' OR b.wish_start > 0)
		GROUP BY b.id ORDER BY v.start, b.id LIMIT ?`, now, most))
}

// DeleteBooking forgets a booking.
func (t Tx) DeleteBooking(id ID) error { return t.db.Delete(&Booking{}, id).Error }

// BookingsOn returns the bookings that hold places of a visit, the oldest first.
func (t Tx) BookingsOn(visit ID) ([]Booking, error) {
	return rows[Booking](t.db.Where("visit_id = ? AND status <> ?", visit, Cancelled).Order("id"))
}

// EverOn counts the bookings that a visit has or had.
func (t Tx) EverOn(visit ID) (n int64, err error) {
	err = t.db.Model(&Booking{}).Where("visit_id = ?", visit).Count(&n).Error
	return n, err
}

// BookingsWith returns the bookings with a status.
func (t Tx) BookingsWith(status BookingStatus) ([]Booking, error) {
	return rows[Booking](t.db.Where("status = ?", status).Order("id"))
}

// testBooking is the service of which the test bookings of proofs are: no other shares a visit
// with them, and no cap of a service counts them.
const testBooking = "proof"

// BookedNear returns the bookings that hold the staff members' time near the
// window, but for those of some visits; the test bookings of proofs among them.
func (t Tx) BookedNear(staff []ID, window span.Span, but []ID) (map[ID][]offer.Booking, error) {
	q := t.db.Raw(`SELECT vs.staff_id, b.id, v.service_id, v.start, v."end", v.buffer_before, v.buffer_after, b.places
		FROM visit_staff vs CROSS JOIN visits v ON v.id = vs.visit_id
		JOIN bookings b ON b.visit_id = v.id AND b.status <> 'cancelled'
		WHERE vs.staff_id IN @staff AND vs.start >= @from AND vs.start < @to AND vs.visit_id NOT IN @but
		UNION ALL SELECT vs.staff_id, -v.id, @test, v.start, v."end", v.buffer_before, v.buffer_after, 1
		FROM visits v JOIN visit_staff vs ON vs.visit_id = v.id WHERE v.proof_id > 0 AND vs.staff_id IN @staff AND vs.start >= @from AND vs.start < @to AND v.id NOT IN @but
			AND EXISTS (SELECT 1 FROM claims c WHERE c.visit_id = v.id) ORDER BY 4`,
		map[string]any{"staff": staff, "from": window.Start(), "to": window.End(), "but": append([]ID{0}, but...), "test": testBooking})
	out := map[ID][]offer.Booking{}
	err := each(q, func(scan func(...any) error) error {
		var id ID
		var b offer.Booking
		var start, end span.Instant
		err := scan(&id, &b.ID, &b.Service, &start, &end, &b.BufferBefore, &b.BufferAfter, &b.Places)
		b.During = span.Between(start, end)
		out[id] = append(out[id], b)
		return err
	})
	return out, err
}

// LastPicked returns the number of the last booking of a service of each staff member, or
// of some.
func (t Tx) LastPicked(service ID, of ...ID) (map[ID]ID, error) {
	q := t.db.Model(&turn{}).Select("staff_id", "booking_id").Where("service_id = ? AND booking_id > 0", service)
	if len(of) > 0 {
		q = q.Where("staff_id IN ?", of)
	}
	out := map[ID]ID{}
	err := each(q, func(scan func(...any) error) error {
		var staff, last ID
		err := scan(&staff, &last)
		out[staff] = last
		return err
	})
	return out, err
}

// turn is a person's last booking of a service.
type turn struct{ ServiceID, StaffID, BookingID ID }

// LastWith returns whom a client had last, or 0.
func (t Tx) LastWith(mail string) (ID, error) {
	return scan[ID](t.db.Raw(`SELECT vs.staff_id FROM bookings b JOIN visits v ON v.id = b.visit_id JOIN visit_staff vs ON vs.visit_id = v.id
		WHERE b.client_id IN (SELECT f.id FROM client_mails m JOIN clients c ON c.id = m.client_id JOIN clients f ON f.root = c.root WHERE m.mail = ?) AND b.status <> 'cancelled' ORDER BY v.start DESC, vs.staff_id LIMIT 1`, mail))
}

// Ahead is a booking that lies ahead, once for each of its staff.
type Ahead struct {
	Visit
	BookingID ID
	StaffID   ID
}

// AheadOf says which bookings ahead are asked for: those of a staff member, of a
// service, or where both are 0 of all, that begin in one of the windows.
type AheadOf struct {
	Staff, Service ID
	Windows        []span.Span
}

// BookingsAhead returns the bookings that lie ahead and are pending or confirmed,
// in order of services, starts and bookings.
func (t Tx) BookingsAhead(of AheadOf) (list []Ahead, err error) {
	for _, w := range of.Windows {
		q := `SELECT v.*, b.id AS booking_id, vs.staff_id FROM visits v JOIN bookings b ON b.visit_id = v.id AND b.status IN ('pending', 'confirmed')
			JOIN visit_staff vs ON vs.visit_id = v.id WHERE `
		values := []any{w.Start(), w.End()}
		if of.Staff != 0 {
			q, values = q+"vs.start >= ? AND vs.start < ? AND vs.staff_id = ?", append(values, of.Staff)
		} else {
			q += "v.start >= ? AND v.start < ?"
		}
		if of.Service != 0 {
			q, values = q+" AND v.service_id = ?", append(values, of.Service)
		}
		some, err := scan[[]Ahead](t.db.Raw(q+" ORDER BY v.service_id, v.start, b.id, vs.staff_id", values...))
		if err != nil {
			return nil, err
		}
		list = append(list, some...)
	}
	return list, nil
}

// Case is how a booking was decided.
type Case struct {
	ID        ID
	BookingID ID
	DecidedAt span.Instant
	Start     span.Instant
	AllRead   bool   // whether the last look could read every calendar
	Packed    []byte // the case file
}

// AddCase keeps how a booking was decided.
func (t Tx) AddCase(c Case) error { return t.db.Create(&c).Error }

// LastCase returns how a booking was decided the last time; ErrNotFound when that
// was before cases were kept.
func (t Tx) LastCase(booking ID) (Case, error) {
	return one[Case](t.db.Where("booking_id = ?", booking).Order("id DESC"))
}

// MovedBooking is what is known of a client's booking that is to be moved.
type MovedBooking struct {
	Visit
	Places int
	Others int // who are on the visit besides
}

// BookingToMove returns what is known of the booking that a token manages;
// ErrNotFound when there is none.
func (t Tx) BookingToMove(tokenHash string) (MovedBooking, error) {
	m, err := scan[MovedBooking](t.db.Raw(`SELECT v.*, b.places, (SELECT COUNT(*) FROM bookings o WHERE o.visit_id = v.id AND o.id <> b.id AND o.status <> 'cancelled') AS others
		FROM bookings b JOIN visits v ON v.id = b.visit_id WHERE b.token_hash = ? OR b.id = (SELECT booking_id FROM ways WHERE token_hash = ?)`, tokenHash, tokenHash))
	if err == nil && m.ID == 0 {
		err = ErrNotFound
	}
	return m, err
}

// IsMissing reports whether an error says that there is no such record.
func IsMissing(err error) bool { return errors.Is(err, ErrNotFound) }

// BookedAhead returns how many bookings of a mail address lie ahead.
func (t Tx) BookedAhead(mail string, now span.Instant) (n int64, err error) {
	return scan[int64](t.db.Raw(`SELECT COUNT(*) FROM bookings b JOIN visits v ON v.id = b.visit_id
		WHERE b.client_mail = ? AND b.status <> 'cancelled' AND v.start > ?`, mail, now))
}

// LastTrial returns the last booking by which somebody has tried a service since an instant, as far as its id and status; zero for none.
func (t Tx) LastTrial(service ID, mail string, since span.Instant) (Booking, error) {
	return scan[Booking](t.db.Raw(`SELECT b.id, b.status FROM bookings b JOIN visits v ON v.id = b.visit_id
		WHERE b.trial AND b.created_at > ? AND b.client_mail = ? AND v.service_id = ? ORDER BY b.created_at DESC, b.id DESC LIMIT 1`, since, mail, service))
}

// TrialsBefore returns the trials that stand since before an instant.
func (t Tx) TrialsBefore(before span.Instant) ([]ID, error) {
	return scan[[]ID](t.db.Raw("SELECT id FROM bookings WHERE trial AND created_at < ? AND status IN ('pending', 'confirmed')", before))
}
