// Package payment has clients pay at a payment host before a booking stands, and pays back.
//
// A start is held while its client pays. What the host says by a signed notice, or when it is
// asked, settles it: paid in time, the booking is confirmed. When the hold ends, the payment is
// taken back at the host, which answers how it stands: so no money is missed whose notice was
// lost. Money that comes later all the same books the start again if it is still free, or goes
// back, and never both: each step is one transaction that begins from the state it needs.
// It is the only package that changes the states of payments.
package payment

import (
	"cmp"
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"net/http"
	"net/url"
	"strconv"
	"time"

	"github.com/google/uuid"

	"niche/core/span"
	"niche/internal/booking"
	"niche/internal/gateway"
	"niche/internal/live"
	"niche/internal/outbound"
	"niche/internal/store"
	"niche/internal/words"
	"niche/internal/work"
)

// Settings of the payments.
type Settings struct {
	DB       *store.DB
	Bookings *booking.Bookings
	Gateways gateway.Gateways
	Hosts    *work.Hosts
	Hub      *live.Hub
	Log      *slog.Logger
	Now      func() time.Time
	Wake     func()
}

// Payments takes payments and pays back.
type Payments struct{ Settings }

// New returns the payments of a database.
func New(s Settings) *Payments { return &Payments{s} }

// Hold is for how long a start is held while its client pays.
const Hold span.Minutes = 10

var host = store.GatewayHost(store.Payments)

// owner binds a request to its payment: it opens for no other.
func owner(key string) string { return "request of payment " + key }

// Charge writes down in the transaction of a hold what its client has to pay.
func (p *Payments) Charge(tx store.Tx, s store.Service, k store.Booking, r booking.Request) error {
	business, err := tx.Business()
	if err != nil {
		return err
	}
	row := store.Payment{Key: uuid.NewString(), BookingID: k.ID, TokenHash: k.TokenHash, Amount: s.Prepaid * int64(k.Places), Currency: business.Currency, State: store.PaymentOpen,
		HoldUntil: k.HoldUntil, MadeAt: span.At(p.Now()), NextAt: k.HoldUntil}
	asked, err := json.Marshal(r)
	if err != nil {
		return err
	}
	row.Request = p.Gateways.Vault.Seal(string(asked), owner(row.Key))
	return tx.AddPayment(&row)
}

// Refund writes down in the transaction in which a booking is cancelled that what was paid for it
// goes back. A client who cancels too late has nothing back.
func (p *Payments) Refund(tx store.Tx, k store.Booking, byClient bool) error {
	row, err := tx.PaymentOf(k.ID)
	if err != nil || row.State != store.PaymentPaid {
		return err
	}
	row.Why = "the visit was cancelled"
	if byClient && !k.Trial { // what was paid for a trial goes back in any case
		v, err := tx.Visit(k.VisitID)
		if err != nil {
			return err
		}
		s, err := tx.Service(v.ServiceID)
		if err != nil {
			return err
		}
		if !Refunded(s, v, span.At(p.Now())) {
			return nil
		}
		row.Why = "the client cancelled in time"
	}
	row.State, row.NextAt = store.PaymentRefundDue, span.At(p.Now())
	_, err = tx.SavePayment(row, store.PaymentPaid)
	return err
}

// Refunded reports whether a client who cancels a visit at an instant has the money back.
func Refunded(s store.Service, v store.Visit, now span.Instant) bool {
	return s.RefundUntil >= 0 && now < v.Start.Add(-s.RefundUntil)
}

// ErrNoHost says that the payment host cannot be used.
var ErrNoHost = errors.New("the payment host cannot be used")

// ask is what the host is asked for.
type ask struct {
	Amount   int64  `json:"amount"` // in the smallest unit
	Currency string `json:"currency"`
	Title    string `json:"title"`
	Return   string `json:"return"` // where the client goes afterwards
}

// Stands is how a payment stands at the host, as it answers and as its notices say.
type Stands struct {
	Key      string `json:"key"`
	State    string `json:"state"` // open, paid, failed, cancelled or refunded
	Amount   int64  `json:"amount"`
	Currency string `json:"currency"`
	Address  string `json:"address"`
}

// check refuses an answer that tells no address at which somebody can pay.
func (s Stands) check() error {
	if u, err := url.Parse(s.Address); err != nil || u.Host == "" || u.Scheme != "https" && u.Scheme != "http" {
		return &outbound.Error{Kind: outbound.BadAnswer, Doing: "reading the address of a payment", Status: 200}
	}
	return nil
}

// Try asks a payment host for a payment, and takes that back before anybody could pay.
func Try(ctx context.Context, gateways gateway.Gateways, g store.Gateway, key, title, currency, back string) error {
	var got Stands
	err := gateways.Ask(ctx, g, http.MethodPut, "/payments/"+key, ask{100, currency, title, back}, &got)
	if err == nil {
		err = got.check()
	}
	var after Stands
	taken := gateways.Ask(ctx, g, http.MethodPost, "/payments/"+key+"/cancel", nil, &after)
	if taken == nil && after.State != "cancelled" {
		taken = &outbound.Error{Kind: outbound.BadAnswer, Doing: "taking a payment back", Status: 200}
	}
	return errors.Join(err, taken)
}

// Open asks the host for the page on which the client of a hold pays. Asked twice, it is the
// same. Where the host cannot be used the hold ends at once.
func (p *Payments) Open(ctx context.Context, k store.Booking, title, back string) (store.Payment, error) {
	db := p.DB.Read(ctx)
	row, err := db.PaymentOf(k.ID)
	if err != nil || row.State != store.PaymentOpen || row.Address != "" {
		return row, err
	}
	g, err := db.Gateway(store.Payments)
	var got Stands
	if err == nil {
		at, cancel := context.WithTimeout(ctx, 10*time.Second)
		defer cancel()
		err = p.Gateways.Ask(at, g, http.MethodPut, "/payments/"+url.PathEscape(row.Key), ask{row.Amount, row.Currency, title, back}, &got)
	}
	if err == nil {
		err = got.check()
	}
	if err != nil {
		err = errors.Join(ErrNoHost, err, p.Abandon(context.WithoutCancel(ctx), k.ID))
		return row, fmt.Errorf("opening a payment: %w", err)
	}
	row.Address = got.Address
	err = p.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		_, err := tx.SavePayment(row, store.PaymentOpen)
		return err
	})
	return row, err
}

// Abandon ends the hold of a booking that nobody is going to pay.
func (p *Payments) Abandon(ctx context.Context, held store.ID) error {
	now := span.At(p.Now())
	err := p.DB.Write(ctx, func(tx store.Tx) error {
		row, err := tx.PaymentOf(held)
		if err != nil || row.State != store.PaymentOpen {
			return err
		}
		row.HoldUntil, row.NextAt = now, now
		_, err = tx.SavePayment(row, store.PaymentOpen)
		return err
	})
	p.Wake()
	return err
}

// Notice errors.
var (
	ErrForged  = errors.New("the notice is not signed by the payment host")
	ErrUnknown = errors.New("there is no such payment")
)

// fresh is how far the time of a notice may be from now.
const fresh = 5 * time.Minute

// Sign returns the signature of a notice: HMAC with SHA-256 of its time, a full stop and its body.
func Sign(key string, at int64, body []byte) string {
	mac := hmac.New(sha256.New, []byte(key))
	_, _ = fmt.Fprintf(mac, "%d.", at)
	mac.Write(body)
	return hex.EncodeToString(mac.Sum(nil))
}

// Notice takes a notice of the host. One that was changed on its way, or sent again long after,
// changes nothing; the same one twice counts once.
func (p *Payments) Notice(ctx context.Context, at, signature string, body []byte) error {
	db := p.DB.Read(ctx)
	g, err := db.Gateway(store.Payments)
	if store.IsMissing(err) {
		return ErrForged
	}
	if err != nil {
		return err
	}
	key, err := p.Gateways.NoticeKey(g)
	if err != nil {
		return err
	}
	when, err := strconv.ParseInt(at, 10, 64)
	away := p.Now().Sub(time.Unix(when, 0))
	if err != nil || away > fresh || away < -fresh || !hmac.Equal([]byte(Sign(key, when, body)), []byte(signature)) {
		return ErrForged
	}
	var n Stands
	if err := json.Unmarshal(body, &n); err != nil {
		return ErrForged
	}
	row, err := db.PaymentByKey(n.Key)
	if store.IsMissing(err) {
		return ErrUnknown
	}
	if err != nil {
		return err
	}
	return p.settle(ctx, row.ID, n)
}

// settle settles a payment by how it stands at the host.
func (p *Payments) settle(ctx context.Context, id store.ID, n Stands) error {
	row, err := p.DB.Read(ctx).Payment(id)
	if err != nil {
		return err
	}
	if n.State != "paid" || row.State == store.PaymentPaid || row.State == store.PaymentRefundDue || row.State == store.PaymentRefunded {
		return nil
	}
	if n.Amount != row.Amount || n.Currency != row.Currency {
		return fmt.Errorf("payment %d: %w: of %d %s, and %d %s was asked for", id, errOtherAmount, n.Amount, n.Currency, row.Amount, row.Currency)
	}
	ctx = context.WithoutCancel(ctx)
	if row.State == store.PaymentOpen {
		confirmed := false
		err := p.DB.Write(ctx, func(tx store.Tx) error {
			now, err := tx.Payment(id)
			if err != nil || now.State != store.PaymentOpen {
				return err
			}
			if confirmed, err = p.Bookings.Paid(tx, now.BookingID); err != nil || !confirmed {
				return err
			}
			_, err = tx.SavePayment(paid(now, now.BookingID, span.At(p.Now())), store.PaymentOpen)
			return err
		})
		if err != nil || confirmed {
			p.changed()
			return err
		}
		if row, err = p.DB.Read(ctx).Payment(id); err != nil {
			return err
		}
	}
	return p.late(ctx, row)
}

func paid(row store.Payment, booking store.ID, now span.Instant) store.Payment {
	row.State, row.BookingID, row.PaidAt, row.NextAt, row.Error, row.Attempts = store.PaymentPaid, booking, now, store.Never, "", 0
	return row
}

// late books the start of a payment again that came after its hold, or has it paid back.
func (p *Payments) late(ctx context.Context, row store.Payment) error {
	was := row.State
	if was != store.PaymentLapsed && was != store.PaymentClosed {
		return nil
	}
	text, err := p.Gateways.Vault.Open(row.Request, owner(row.Key))
	if err != nil {
		return err
	}
	var r booking.Request
	if err := json.Unmarshal([]byte(text), &r); err != nil {
		return err
	}
	r.TokenHash, r.Key, r.MostAhead = row.TokenHash, "", 0
	r.Paid = func(tx store.Tx, k store.Booking) error {
		done, err := tx.SavePayment(paid(row, k.ID, span.At(p.Now())), was)
		if err == nil && !done {
			return errSettled
		}
		return err
	}
	_, err = p.Bookings.Take(ctx, r)
	var no *booking.NotOffered
	switch {
	case err == nil, errors.Is(err, errSettled):
		p.changed()
		return nil
	case !errors.As(err, &no) && !store.IsMissing(err):
		return err // nothing is known yet: the host is asked again
	}
	row.State, row.PaidAt, row.Why, row.NextAt, row.Error, row.Attempts = store.PaymentRefundDue, span.At(p.Now()), "it came when the start was taken", span.At(p.Now()), "", 0
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		_, err := tx.SavePayment(row, was)
		return err
	})
	p.changed()
	return err
}

// errOtherAmount says that a host tells of money that nobody has asked for.
var errOtherAmount = errors.New("the host tells of another amount")

// toldOf says in words why nothing is booked for what was paid.
func toldOf(err error) string {
	if errors.Is(err, errOtherAmount) {
		return "It tells of another amount than was asked for."
	}
	return "It was paid there, and Niche could not go on with it."
}

// errSettled says that a payment was settled by another notice of the same.
var errSettled = errors.New("the payment was settled meanwhile")

func (p *Payments) changed() {
	p.Hub.Tell(live.Bookings)
	p.Wake()
}

// Queue returns the payments as work: holds that end, and money that goes back.
func (p *Payments) Queue() work.Queue {
	return work.Queue{Name: "payments", Store: store.PaymentQueue, Do: p.do, Forward: func(tx store.Tx, at string, now span.Instant) error {
		if at != host {
			return nil
		}
		return tx.PaymentsForward(now)
	}}
}

// Pauses between tries, and for how long the host is asked about one that lapsed.
const (
	firstPause   = 20 * time.Second
	longestPause = time.Hour
	askedFor     = 14 * 24 * 60 // minutes
)

func (p *Payments) do(ctx context.Context, id store.ID) error {
	row, err := p.DB.Read(ctx).Payment(id)
	if err != nil {
		return fmt.Errorf("working on payment %d: %w", id, err)
	}
	now := span.At(p.Now())
	switch row.State {
	case store.PaymentOpen:
		if now < row.HoldUntil {
			return nil
		}
	case store.PaymentLapsed, store.PaymentRefundDue:
	default:
		// A notice has settled it since it was found due: nothing is to be asked any more.
		if row.NextAt == store.Never {
			return nil
		}
		row.NextAt, row.Error = store.Never, ""
		return p.keep(ctx, row, row.State)
	}
	g, err := p.DB.Read(ctx).Gateway(store.Payments)
	began, failedBefore := p.Now(), time.Time{}
	if row.Error != "" {
		failedBefore = row.TriedAt.Time()
	}
	var got Stands
	switch {
	case store.IsMissing(err):
		err = &outbound.Error{Kind: outbound.NotServed, Doing: "asking a payment host that is not set up"}
	case err == nil && row.State == store.PaymentRefundDue:
		err = p.Gateways.Ask(ctx, g, http.MethodPost, "/payments/"+url.PathEscape(row.Key)+"/refund", nil, &got)
	case err == nil:
		err = p.Gateways.Ask(ctx, g, http.MethodPost, "/payments/"+url.PathEscape(row.Key)+"/cancel", nil, &got)
		if outbound.KindOf(err) == outbound.NotThere {
			// The host has never heard of it: its asking was cut off.
			got, err = Stands{Key: row.Key, State: "cancelled"}, nil
		}
	}
	if ctx.Err() != nil {
		return ctx.Err()
	}
	was, unbooked := row.State, false
	switch {
	case err == nil && got.State == "paid" && was != store.PaymentRefundDue:
		p.Hosts.Answered(host)
		if err = p.settle(ctx, id, got); err == nil {
			return nil
		}
		row.PaidAt, unbooked = cmp.Or(row.PaidAt, now), true
	case err == nil && got.State == "refunded" && was == store.PaymentRefundDue:
		p.Hosts.Answered(host)
		row.State, row.RefundedAt, row.NextAt, row.Error = store.PaymentRefunded, now, store.Never, ""
		return p.keep(ctx, row, was)
	case err == nil && got.State != "" && got.State != "paid" && was != store.PaymentRefundDue:
		p.Hosts.Answered(host)
		row.State, row.NextAt, row.Error = store.PaymentClosed, store.Never, ""
		return p.end(ctx, row, was)
	case err == nil:
		err = &outbound.Error{Kind: outbound.BadAnswer, Doing: "asking a payment host", Status: http.StatusOK}
	}
	row.TriedAt, row.Error = now, words.OfGateway(err)
	if unbooked {
		row.Error = toldOf(err)
	}
	pause := work.Pause(firstPause, row.Attempts, longestPause)
	if outbound.IsSilence(err) && p.Hosts.Silent(host, began, failedBefore, outbound.RetryAfter(err)) {
		pause = 0
	} else {
		row.Attempts++
	}
	if outbound.HasAnswered(err) {
		p.Hosts.Answered(host)
	}
	row.NextAt = span.NotBefore(p.Now().Add(pause))
	if was != store.PaymentRefundDue && row.PaidAt == 0 && now > row.HoldUntil.Add(askedFor) {
		row.NextAt = store.Never // a notice is still heard
	}
	err = fmt.Errorf("working on payment %d: %w", id, err)
	if was == store.PaymentOpen {
		// The hold ends in time, whatever the host says later.
		row.State = store.PaymentLapsed
		return errors.Join(err, p.end(ctx, row, was))
	}
	return errors.Join(err, p.keep(ctx, row, was))
}

// end keeps what has become of a payment whose hold ends with it.
func (p *Payments) end(ctx context.Context, row store.Payment, was store.PaymentState) error {
	held := row.BookingID
	row.BookingID = 0
	err := p.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		done, err := tx.SavePayment(row, was)
		if err != nil || !done || held == 0 {
			return err
		}
		return p.Bookings.LetGo(tx, held)
	})
	p.changed()
	return err
}

func (p *Payments) keep(ctx context.Context, row store.Payment, was store.PaymentState) error {
	err := p.DB.Write(context.WithoutCancel(ctx), func(tx store.Tx) error {
		_, err := tx.SavePayment(row, was)
		return err
	})
	p.Hub.Tell(live.Bookings)
	return err
}

// Asked returns what was asked for by a payment whose booking does not stand.
func (p *Payments) Asked(row store.Payment) (r booking.Request, err error) {
	text, err := p.Gateways.Vault.Open(row.Request, owner(row.Key))
	if err != nil {
		return r, err
	}
	return r, json.Unmarshal([]byte(text), &r)
}
