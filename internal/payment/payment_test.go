package payment_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/core/hours"
	"niche/core/span"
	"niche/internal/api/client"
	"niche/internal/api/desk"
	"niche/internal/demo"
	"niche/internal/nichetest"
	"niche/internal/serve"
	"niche/internal/standin/payments"
	"niche/internal/store"
)

// open opens a desk whose visits are paid before they stand.
func open(t *testing.T) (*nichetest.Desk, *nichetest.Services) {
	var d *nichetest.Desk
	o := nichetest.OpenServices(t, func() *nichetest.Clock { return d.Clock })
	d = nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Home = "https://desk.example" }, func(f *desk.ServiceFields) { f.Prepaid = 9500 }, o.Host)
	o.Use(d)
	return d, o
}

// key is by which the payment host knows the payment of a booking.
func key(b client.Booked) string { return b.Pay.At[strings.LastIndex(b.Pay.At, "/")+1:] }

func mine(t require.TestingT, d *nichetest.Desk, b client.Booked) (now client.Booked, err error) {
	err = demo.NewClient(d.Address).Get(d.T.Context(), strings.Replace(b.Manage, "/booking/", "/api/my-bookings/", 1), &now)
	return now, err
}

// A start is held while its client pays, and nothing of it is told before; it stands once that has been
// told by a signed notice. Nobody else's notice counts.
func TestAVisitStandsOnceItIsPaid(t *testing.T) {
	d, o := open(t)
	b, err := d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	require.Equal(t, []string{"held", "€95.00", "open", "08:10"}, []string{b.Status, b.Pay.Amount, b.Pay.State, b.Pay.Until})
	require.NotContains(t, d.Starts("2026-03-04"), "10:00")
	require.Zero(t, d.Count("messages"))
	require.Equal(t, b.Pay.At, o.Payments.Payments()[0].Address)

	body := fmt.Sprintf(`{"key":%q,"state":"paid","amount":9500,"currency":"EUR"}`, key(b))
	for _, forged := range []http.Header{{}, {"Notice-Time": {fmt.Sprint(d.Clock.Now().Unix())}, "Notice-Signature": {strings.Repeat("0", 64)}}} {
		req, err := http.NewRequest(http.MethodPost, d.Address+"/api/payments/notices", strings.NewReader(body))
		require.NoError(t, err)
		req.Header = forged
		req.Header.Set("Content-Type", "application/json")
		res, err := http.DefaultClient.Do(req)
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		require.Equal(t, http.StatusForbidden, res.StatusCode)
	}
	require.Error(t, o.Payments.Tell([]byte(strings.Replace(body, "9500", "95", 1))), "the amount is another")
	now, err := mine(t, d, b)
	require.NoError(t, err)
	require.Equal(t, "held", now.Status)

	require.NoError(t, o.Payments.Pay(key(b), false))
	now, err = mine(t, d, b)
	require.NoError(t, err)
	require.Equal(t, []string{"confirmed", "€95.00 is paid. It goes back to you when you cancel until Wed 4 Mar, 10:00."}, []string{now.Status, now.Pay.Back})

	// Nothing is asked of one that is settled, though it was found due a moment before.
	o.Payments.Behave(true)
	d.Exec("UPDATE payments SET next_at = 1")
	d.Pass(0)
	d.Until("it is left alone", func() bool {
		return d.Count(fmt.Sprintf("payments WHERE next_at = %d AND error = ''", int64(store.Never))) == 1
	})
	o.Payments.Behave(false)

	// By the rule of the service, a client who cancels too late has nothing back; the desk always pays back.
	require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Prepaid, f.RefundUntil = 9500, 72*60 }))
	require.NoError(t, d.Cancel(b))
	now, err = mine(t, d, b)
	require.NoError(t, err)
	require.Equal(t, "€95.00 was paid, and is kept: it was cancelled too late.", now.Pay.Back)
	other, err := d.Book("2026-03-04T12:00:00Z")
	require.NoError(t, err)
	require.NoError(t, o.Payments.Pay(key(other), false))
	require.NoError(t, d.Post(t.Context(), fmt.Sprintf("/api/bookings/%d/cancel", d.Count("bookings")), nil, nil))
	d.Until("it has gone back", func() bool { return o.Payments.Payments()[1].State == "refunded" })

	// Where it cannot be paid, nothing is booked.
	o.Payments.Behave(true)
	_, err = d.Book("2026-03-04T14:00:00Z")
	require.Equal(t, http.StatusServiceUnavailable, nichetest.Problem(t, err).Status)
	d.Until("its time is free at once", func() bool { return strings.Contains(d.Starts("2026-03-04"), "14:00") })
}

// Where a calendar could not be read when the start was held, and the service has its bookings asked about
// then, being paid does not answer for the administrator.
func TestPayingDoesNotDecideWhatNobodyCouldRead(t *testing.T) {
	var d *nichetest.Desk
	o := nichetest.OpenServices(t, func() *nichetest.Clock { return d.Clock })
	trouble := &nichetest.Trouble{}
	_, cloud := nichetest.OpenCloud(t, trouble.Guard)
	d = nichetest.OpenDeskWith(t, func(s *serve.Settings) { s.Home = "https://desk.example" }, func(f *desk.ServiceFields) { f.Prepaid, f.Unreachable = 9500, "ask" }, o.Host, nichetest.HostOf(cloud))
	o.Use(d)
	d.Link(cloud.URL, nichetest.User, nichetest.Key, "Family", "Work")
	for _, c := range []struct {
		start, unreachable, stands string
		away                       bool
	}{
		{"2026-03-04T10:00:00Z", "ask", "confirmed", false},
		{"2026-03-04T12:00:00Z", "ask", "pending", true},
		{"2026-03-04T14:00:00Z", "take", "confirmed", true},
	} {
		require.NoError(t, d.Save(0, func(f *desk.ServiceFields) { f.Prepaid, f.Unreachable = 9500, c.unreachable }))
		trouble.Set(func(r *http.Request, _ []byte) nichetest.Fault {
			if c.away && strings.Contains(r.URL.Path, "family") {
				return nichetest.Fault{Status: http.StatusServiceUnavailable, Unasked: true}
			}
			return nichetest.Fault{}
		})
		b, err := d.Book(c.start)
		require.NoError(t, err)
		require.Equal(t, "held", b.Status)
		require.NoError(t, o.Payments.Pay(key(b), false))
		now, err := mine(t, d, b)
		require.NoError(t, err)
		require.Equal(t, c.stands, now.Status, c.start)
	}
}

// A host that tells of money that nobody asked for is not believed, not asked without a pause, and told of; the start is free in time.
func TestMoneyThatFitsNoVisitIsToldOf(t *testing.T) {
	t.Run("until it can be booked", func(t *testing.T) {
		fitsNoVisit(t, "paid", func(d *nichetest.Desk, _ *nichetest.Services, _ string) {
			d.Exec("UPDATE payments SET amount = amount - 100")
		})
	})
	t.Run("until it is paid back there", func(t *testing.T) {
		fitsNoVisit(t, "closed", func(d *nichetest.Desk, o *nichetest.Services, key string) {
			req, err := http.NewRequestWithContext(t.Context(), http.MethodPost, "http://"+o.Host+"/payments/payments/"+key+"/refund", nil)
			require.NoError(t, err)
			req.Header.Set("Authorization", "Bearer "+payments.Key)
			res, err := http.DefaultClient.Do(req)
			require.NoError(t, err)
			require.NoError(t, res.Body.Close())
			require.Equal(t, http.StatusOK, res.StatusCode)
		})
	})
}

func fitsNoVisit(t *testing.T, becomes string, settle func(d *nichetest.Desk, o *nichetest.Services, key string)) {
	d, o := open(t)
	b, err := d.Book("2026-03-04T10:00:00Z")
	require.NoError(t, err)
	require.NoError(t, o.Payments.Pay(key(b), true))
	d.Exec("UPDATE payments SET amount = amount + 100")
	d.Pass(11 * time.Minute)
	waits := fmt.Sprintf("payments WHERE state = 'lapsed' AND next_at > %d", d.Clock.Now().Unix())
	d.Until("it is asked again later", func() bool { return d.Count(waits) == 1 })
	d.Until("the start is free", func() bool { return strings.Contains(d.Starts("2026-03-04"), "10:00") })
	told := func() (list []string) {
		var items desk.Attention
		require.NoError(t, d.Get(t.Context(), "/api/attention", &items))
		for _, i := range items.Items {
			if i.Kind == "refund" {
				list = append(list, i.Title+". "+i.Words)
			}
		}
		return list
	}
	require.Empty(t, told())
	d.Pass(2 * time.Hour)
	require.Equal(t, []string{"€96.00 was paid, and nothing is booked for it. The payment host: It tells of another amount than was asked for. Once it is paid back there, or can be booked, this goes: it is asked again by itself. There the payment is known as " + key(b) + "."}, told())
	settle(d, o, key(b))
	d.Pass(time.Hour)
	d.Until("that is seen", func() bool { return d.Count("payments WHERE state = '"+becomes+"'") == 1 })
	require.Empty(t, told())
}

// In whatever order holds end, money comes, notices are lost, late or sent twice, others take the start and
// the host goes away: money that is kept has a visit, and a visit of a client has its money.
func TestMoneyAndVisitsGoTogether(t *testing.T) {
	d, o := open(t)
	day := hours.DateOf(2026, time.March, 9)
	rapid.Check(t, func(rt *rapid.T) {
		for day++; day.Weekday() == time.Saturday || day.Weekday() == time.Sunday; day++ {
		}
		start := day.String() + "T10:00:00Z"
		if day.String() > "2026-03-28" {
			start = day.String() + "T09:00:00Z"
		}
		first := len(o.Payments.Payments())
		var asked []client.Booked
		for range rapid.IntRange(3, 12).Draw(rt, "steps") {
			does := rapid.SampledFrom([]string{"book", "book", "pay", "pay", "pay, unheard", "notices", "time", "time", "away", "back", "cancel", "desk"}).Draw(rt, "step")
			var one client.Booked
			if len(asked) > 0 {
				one = asked[rapid.IntRange(0, len(asked)-1).Draw(rt, "whose")]
			}
			switch does {
			case "book":
				if b, err := d.Ask(client.NewBooking{Start: nichetest.At(start), Name: "Client", Email: fmt.Sprintf("c%d@clients.example", len(asked))}); err == nil {
					asked = append(asked, b)
				}
			case "pay", "pay, unheard":
				if one.Pay != nil {
					_ = o.Payments.Pay(key(one), does != "pay")
				}
			case "notices":
				_ = o.Payments.SendNotices()
			case "time":
				d.Pass(6 * time.Minute)
				d.Until("holds that are over have ended", func() bool {
					return d.Count(fmt.Sprintf("bookings WHERE status = 'held' AND hold_until <= %d", d.Clock.Now().Unix())) == 0
				})
			case "away", "back":
				o.Payments.Behave(does == "away")
			case "cancel":
				if one.Pay != nil {
					_ = d.Cancel(one)
				}
			case "desk":
				_ = d.Post(d.T.Context(), "/api/bookings", desk.DeskBooking{DeskStart: desk.DeskStart{Start: nichetest.At(start)}, Service: d.Service.ID, Name: "Desk", Email: "desk@clients.example"}, nil)
			}
		}
		o.Payments.Behave(false)
		_ = o.Payments.SendNotices()
		// What is due is tried in its time, by a host that may have to rest once more after what was under way. Sessions end meanwhile.
		next := func() (due span.Instant) {
			d.SQL(fmt.Sprintf("SELECT COALESCE(MIN(next_at), 0) FROM payments WHERE next_at < %d", int64(store.Never)), &due)
			return due
		}
		for due := next(); due > 0; due = next() {
			d.Pass(max(0, due.Time().Sub(d.Clock.Now())))
			require.Eventually(rt, func() bool { d.Pass(time.Minute); return next() != due }, time.Minute, 10*time.Millisecond)
		}
		d.SignIn(d.Address)
		stands := 0
		for _, p := range o.Payments.Payments()[first:] {
			kept := d.Count(fmt.Sprintf("payments p JOIN bookings b ON b.id = p.booking_id WHERE p.key = '%s' AND p.state = 'paid' AND b.status = 'confirmed'", p.Key))
			require.Equal(rt, p.Paid-p.Refunds, kept, "%+v", p)
			require.LessOrEqual(rt, p.Refunds, p.Paid)
			stands += kept
		}
		require.LessOrEqual(rt, stands, 1)
		require.Empty(rt, nichetest.WrongClaims(d))
	})
}
