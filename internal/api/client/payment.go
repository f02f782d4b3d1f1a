package client

import (
	"context"
	"errors"
	"net/http"
	"net/url"

	"niche/core/question"
	"niche/core/span"
	"niche/internal/api"
	"niche/internal/payment"
	"niche/internal/secret"
	"niche/internal/store"
	"niche/internal/words"
)

// Pay is what a client has to pay before a visit stands, or has paid.
type Pay struct {
	Amount string `json:"amount" doc:"As people write it."`
	State  string `json:"state" enum:"open,lapsed,paid,refund due,refunded"`
	At     string `json:"at" doc:"The address of the page on which it is paid; empty where nothing is to be paid any more."`
	Until  string `json:"until" doc:"Until when the time is held meanwhile."`
	Back   string `json:"back" doc:"What becomes of the money where the visit is cancelled, in a sentence."`
}

// pay tells of the payment for a booking; nil where there is none.
func (s *Client) pay(db store.Tx, k store.Booking, v store.Visit, service store.Service, text words.In) (*Pay, error) {
	row, err := db.PaymentOf(k.ID)
	if err != nil || row.ID == 0 {
		return nil, err
	}
	p := &Pay{Amount: words.Money(row.Amount, row.Currency), State: string(row.State)}
	switch row.State {
	case store.PaymentOpen:
		p.At, p.Until = row.Address, text.Clock(row.HoldUntil)
	case store.PaymentPaid:
		switch {
		case k.Status == store.Cancelled:
			p.Back = p.Amount + " was paid, and is kept: it was cancelled too late."
		case service.RefundUntil < 0:
			p.Back = p.Amount + " is paid. It does not go back when you cancel."
		case payment.Refunded(service, v, span.At(s.Now())):
			p.Back = p.Amount + " is paid. It goes back to you when you cancel until " + text.Moment(v.Start.Add(-service.RefundUntil)) + "."
		default:
			p.Back = p.Amount + " is paid. It is too late for it to go back when you cancel."
		}
	case store.PaymentRefundDue:
		p.Back = p.Amount + " goes back to you."
	case store.PaymentRefunded:
		p.Back = p.Amount + " went back to you on " + text.Moment(row.RefundedAt) + "."
	}
	return p, nil
}

// lapsed tells of a booking that was not paid in time, or whose start was taken when the money
// came, by the address that its client has.
func (s *Client) lapsed(db store.Tx, token string, text words.In) (Booked, error) {
	row, err := db.PaymentByToken(secret.Hash(token))
	if err != nil || row.BookingID != 0 {
		return Booked{}, api.Found(store.ErrNotFound, "booking")
	}
	r, err := s.Payments.Asked(row)
	if err != nil {
		return Booked{}, err
	}
	service, err := db.Service(r.Service)
	if err != nil {
		return Booked{}, err
	}
	business, err := db.Business()
	if err != nil {
		return Booked{}, err
	}
	out := Booked{Status: "lapsed", Business: business.Name, Service: service.Name, Page: api.PagePath(service.Slug), Zone: text.Zone.String(), Places: max(1, r.Places), Name: r.ClientName, Email: r.ClientMail,
		When: text.Local(r.Start).Format("Monday 2 January 2006, ") + text.Stretch(span.For(r.Start, r.Length)).Label, Answers: []question.Answer{}, Pay: &Pay{Amount: words.Money(row.Amount, row.Currency), State: string(row.State)}}
	switch row.State {
	case store.PaymentRefundDue:
		out.Pay.Back = out.Pay.Amount + " came when the time was taken by somebody else, and goes back to you."
	case store.PaymentRefunded:
		out.Pay.Back = out.Pay.Amount + " came when the time was taken by somebody else, and went back to you."
	case store.PaymentClosed, store.PaymentLapsed:
		out.Pay.State = string(store.PaymentLapsed)
	}
	return out, nil
}

// open asks the payment host for the page on which a held booking is paid.
func (s *Client) open(ctx context.Context, k store.Booking, service store.Service, token string) error {
	if k.Status != store.Held || k.HoldUntil == 0 {
		return nil
	}
	_, err := s.Payments.Open(ctx, k, service.Name, s.Home()+"/booking/"+url.PathEscape(token))
	if errors.Is(err, payment.ErrNoHost) {
		s.Log.Error("a payment host cannot be used", "error", err)
		return api.NewProblem(http.StatusServiceUnavailable, "It cannot be paid at present, so nothing was booked. Try again in a few minutes.")
	}
	return err
}

func (s *Client) heardOfPayment(ctx context.Context, in *struct {
	Time      string `header:"Notice-Time" maxLength:"20" doc:"When it was sent, in seconds since 1970."`
	Signature string `header:"Notice-Signature" maxLength:"100" doc:"HMAC with SHA-256 of the time, a full stop and the body, by the key that was agreed upon; hexadecimal."`
	RawBody   []byte
}) (*struct{}, error) {
	err := s.Payments.Notice(ctx, in.Time, in.Signature, in.RawBody)
	switch {
	case errors.Is(err, payment.ErrForged):
		return nil, api.NewProblem(http.StatusForbidden, "This notice is not signed by the payment host, or is too old.")
	case errors.Is(err, payment.ErrUnknown):
		return nil, api.NewProblem(http.StatusNotFound, "There is no such payment.")
	}
	return nil, err
}
