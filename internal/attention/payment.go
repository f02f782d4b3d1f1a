package attention

import (
	"fmt"

	"niche/internal/store"
	"niche/internal/words"
)

// refundWithin is how long the paying back of money may take, in minutes.
const refundWithin = 60

// Money that should have gone back to a client and has not, and money for which nothing is booked.
var refunds = kind{"refund", "money to settle", func(l look) (list []Item, err error) {
	rows, err := l.tx.IdlePayments(l.now, refundWithin)
	for _, p := range rows {
		i := Item{Item: store.Item{Cause: fmt.Sprintf("refund:%d", p.ID), FoundAt: p.PaidAt}, Hurts: l.now, Booking: p.BookingID}
		i.Title = words.Money(p.Amount, p.Currency) + " could not be paid back"
		i.Words = fmt.Sprintf("It should have gone back to a client: %s. The payment host: %s It is asked again by itself. There the payment is known as %s.", p.Why, p.Error, p.Key)
		if p.State == store.PaymentLapsed {
			i.Title = words.Money(p.Amount, p.Currency) + " was paid, and nothing is booked for it"
			i.Words = fmt.Sprintf("The payment host: %s Once it is paid back there, or can be booked, this goes: it is asked again by itself. There the payment is known as %s.", p.Error, p.Key)
		}
		list = append(list, i)
	}
	return list, err
}}
