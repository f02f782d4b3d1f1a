package store

import (
	"niche/core/span"
)

// PaymentState is where a payment stands. They are changed by package payment only.
type PaymentState string

// The states of a payment.
const (
	PaymentOpen      PaymentState = "open"       // its start is held while the client pays
	PaymentLapsed    PaymentState = "lapsed"     // the hold has ended, and the host has not said yet that nobody pays any more
	PaymentClosed    PaymentState = "closed"     // the host has taken it back
	PaymentPaid      PaymentState = "paid"       // its booking stands, or stood
	PaymentRefundDue PaymentState = "refund due" // the money goes back
	PaymentRefunded  PaymentState = "refunded"
)

// Payment is what a client pays before a booking stands.
type Payment struct {
	ID         ID
	Key        string
	BookingID  ID
	TokenHash  string
	Request    []byte // sealed
	Amount     int64  // in the smallest unit of the currency
	Currency   string // ISO 4217
	State      PaymentState
	Address    string
	HoldUntil  span.Instant
	MadeAt     span.Instant
	PaidAt     span.Instant
	RefundedAt span.Instant
	Why        string
	Error      string
	Attempts   int
	TriedAt    span.Instant
	NextAt     span.Instant
}

// PaymentQueue is the payments of which something is to be asked or done at the host.
var PaymentQueue = Queue{"payments w JOIN (SELECT '(payments)' AS host) l", "w.next_at < 9000000000000000000"}

// AddPayment keeps a new payment.
func (t Tx) AddPayment(p *Payment) error { return t.db.Create(p).Error }

// Payment returns a payment.
func (t Tx) Payment(id ID) (Payment, error) { return one[Payment](t.db.Where("id = ?", id)) }

// PaymentByKey returns the one that the host knows by a key.
func (t Tx) PaymentByKey(key string) (Payment, error) {
	return one[Payment](t.db.Where("key = ?", key))
}

// PaymentByToken returns the last one of a client's own address.
func (t Tx) PaymentByToken(hash string) (Payment, error) {
	return one[Payment](t.db.Where("token_hash = ?", hash).Order("id DESC"))
}

// PaymentOf returns the last payment for a booking; the zero value where there is none.
func (t Tx) PaymentOf(booking ID) (Payment, error) {
	list, err := rows[Payment](t.db.Where("booking_id = ? AND booking_id > 0", booking).Order("id DESC").Limit(1))
	if err != nil || len(list) == 0 {
		return Payment{}, err
	}
	return list[0], nil
}

// SavePayment keeps what has become of a payment, as long as it is still in the state in which it
// was; it reports whether it was.
func (t Tx) SavePayment(p Payment, was PaymentState) (bool, error) {
	done := t.db.Model(&Payment{}).Where("id = ? AND state = ?", p.ID, was).
		Select("booking_id", "state", "address", "hold_until", "paid_at", "refunded_at", "why", "error", "attempts", "tried_at", "next_at").Updates(&p)
	return done.RowsAffected > 0, done.Error
}

// PaymentsForward makes all payments due that wait for the host, and not for a hold to end.
func (t Tx) PaymentsForward(now span.Instant) error {
	return t.db.Exec("UPDATE payments SET next_at = MIN(next_at, ?) WHERE next_at < ? AND state <> 'open'", now, Never).Error
}

// IdlePayments returns the payments that, for longer than a while, could not be paid back, or have been paid without that anything
// could be booked for them.
func (t Tx) IdlePayments(now span.Instant, while span.Minutes) ([]Payment, error) {
	return rows[Payment](t.db.Where("next_at < 9000000000000000000 AND state IN ? AND error <> '' AND paid_at > 0 AND paid_at <= ?", []PaymentState{PaymentRefundDue, PaymentLapsed}, now.Add(-while)).Order("id").Limit(most))
}
