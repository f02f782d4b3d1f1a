// Package payments is a payment host in small. It asks nobody for money: on a page for each
// payment a person says what becomes of it, as clients and banks do: it succeeds, it fails, it is
// left alone, or it succeeds and the notice of it comes late. It knows nothing of the program that
// asks, but the address to which its notices go and the key with which they are signed.
package payments

import (
	"bytes"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"sync"
	"time"
)

// Keys by which the host is asked, and with which it signs notices.
const (
	Key       = "payments-key-8104"
	NoticeKey = "payments-notices-2277"
)

// Payment is one that somebody has asked for.
type Payment struct {
	Key      string `json:"key"`
	State    string `json:"state"` // open, paid, failed, cancelled, refunded
	Amount   int64  `json:"amount"`
	Currency string `json:"currency"`
	Title    string `json:"title"`
	Return   string `json:"return"`
	Address  string `json:"address"`
	Paid     int    `json:"-"` // how often money came
	Refunds  int    `json:"-"` // and went back
}

// Host takes payments.
type Host struct {
	Now     func() time.Time
	Notices string // the address to which notices go
	mu      sync.Mutex
	list    []Payment
	down    bool
	unsent  [][]byte // notices that are kept back
}

// Behave has the host answer that it cannot at present, or as it should.
func (h *Host) Behave(down bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.down = down
}

// Payments returns those that were asked for, the oldest first.
func (h *Host) Payments() []Payment {
	h.mu.Lock()
	defer h.mu.Unlock()
	return slices.Clone(h.list)
}

func (h *Host) find(key string) *Payment {
	i := slices.IndexFunc(h.list, func(p Payment) bool { return p.Key == key })
	if i < 0 {
		return nil
	}
	return &h.list[i]
}

// Pay has a payment succeed, also one that was taken back; its notice goes out at once, or is
// kept until SendNotices.
func (h *Host) Pay(key string, later bool) error {
	h.mu.Lock()
	p := h.find(key)
	if p == nil || p.State == "paid" || p.State == "refunded" {
		h.mu.Unlock()
		return nil
	}
	p.State = "paid"
	p.Paid++
	body, err := json.Marshal(p)
	if later {
		h.unsent = append(h.unsent, body)
	}
	h.mu.Unlock()
	if err != nil || later {
		return err
	}
	return h.Tell(body)
}

// SendNotices sends those that were kept back, and keeps them to be sent again.
func (h *Host) SendNotices() (err error) {
	h.mu.Lock()
	unsent := slices.Clone(h.unsent)
	h.mu.Unlock()
	for _, body := range unsent {
		if failed := h.Tell(body); failed != nil {
			err = failed
		}
	}
	return err
}

// Tell sends a signed notice.
func (h *Host) Tell(body []byte) error {
	at := h.Now().Unix()
	mac := hmac.New(sha256.New, []byte(NoticeKey))
	_, _ = fmt.Fprintf(mac, "%d.%s", at, body)
	req, err := http.NewRequest(http.MethodPost, h.Notices, bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	req.Header.Set("Notice-Time", fmt.Sprint(at))
	req.Header.Set("Notice-Signature", hex.EncodeToString(mac.Sum(nil)))
	res, err := (&http.Client{Timeout: 20 * time.Second}).Do(req)
	if err != nil {
		return err
	}
	defer func() { _ = res.Body.Close() }()
	if res.StatusCode/100 != 2 {
		return fmt.Errorf("the notice was answered %d", res.StatusCode)
	}
	return nil
}

var page = template.Must(template.New("").Funcs(template.FuncMap{"money": money}).Parse(`<!doctype html><html lang="en-GB"><meta name="viewport" content="width=device-width"><title>Pay</title>
<style>body{font:17px/1.5 sans-serif;max-width:34rem;margin:2rem auto;padding:0 1rem}button,a.b{display:block;width:100%;box-sizing:border-box;margin:.5rem 0;padding:.7rem;font:inherit;text-align:center;border:1px solid #555;border-radius:.4rem;background:#fff;color:#222;text-decoration:none}button:first-of-type{background:#234;color:#fff}td,th{padding:.3rem .8rem .3rem 0;text-align:left}</style>
{{if .One}}<h1>{{money .One.Amount .One.Currency}}</h1><p>{{.One.Title}}. This is a stand-in for a payment host: say what becomes of the payment.</p>
{{if eq .One.State "open" "failed"}}{{if eq .One.State "failed"}}<p><b>The payment failed.</b> Try again, or leave it.</p>{{end}}<form method="post">
<button name="do" value="pay">Pay</button><button name="do" value="fail">Have it fail</button><button name="do" value="later">Pay, and let the notice of it come late</button></form><a class="b" href="{{.One.Return}}">Leave without paying</a>
{{else}}<p>It is <b>{{.One.State}}</b>.</p>{{if eq .One.State "cancelled"}}<form method="post"><button name="do" value="pay">Pay all the same, too late</button></form>{{end}}<a class="b" href="{{.One.Return}}">Back</a>{{end}}
{{else}}<h1>Payments</h1><table><tr><th>What<th>Amount<th>State</tr>{{range .List}}<tr><td><a href="pay/{{.Key}}">{{.Title}}</a><td>{{money .Amount .Currency}}<td>{{.State}}</tr>{{else}}<tr><td>None yet</tr>{{end}}</table>
<form method="post" action="mood"><button name="down" value="{{if .Down}}{{else}}1{{end}}">{{if .Down}}Work again{{else}}Answer that it cannot at present{{end}}</button><button name="send" value="1">Send the notices that were kept back</button></form>{{end}}`))

func money(amount int64, currency string) string {
	return fmt.Sprintf("%d.%02d %s", amount/100, amount%100, currency)
}

// Handler serves the host, which is reached at an address without a slash at the end.
func (h *Host) Handler(address func() string) http.Handler {
	mux := http.NewServeMux()
	show := func(w http.ResponseWriter, one *Payment) {
		h.mu.Lock()
		down := h.down
		h.mu.Unlock()
		w.Header().Set("Content-Type", "text/html; charset=utf-8")
		_ = page.Execute(w, struct {
			One  *Payment
			List []Payment
			Down bool
		}{one, h.Payments(), down})
	}
	mux.HandleFunc("GET /{$}", func(w http.ResponseWriter, _ *http.Request) { show(w, nil) })
	mux.HandleFunc("POST /mood", func(w http.ResponseWriter, r *http.Request) {
		if r.FormValue("send") != "" {
			_ = h.SendNotices()
		} else {
			h.Behave(r.FormValue("down") != "")
		}
		http.Redirect(w, r, "./", http.StatusSeeOther)
	})
	mux.HandleFunc("/pay/{key}", func(w http.ResponseWriter, r *http.Request) {
		h.mu.Lock()
		found := h.find(r.PathValue("key"))
		if found == nil {
			h.mu.Unlock()
			http.NotFound(w, r)
			return
		}
		p := *found
		if r.Method == http.MethodPost && r.FormValue("do") == "fail" && p.State == "open" {
			found.State = "failed"
			p = *found
		}
		h.mu.Unlock()
		if do := r.FormValue("do"); r.Method == http.MethodPost && (do == "pay" || do == "later") {
			_ = h.Pay(p.Key, do == "later")
			http.Redirect(w, r, p.Return, http.StatusSeeOther)
			return
		}
		show(w, &p)
	})
	mux.HandleFunc("PUT /payments/{key}", h.asked(func(w http.ResponseWriter, r *http.Request, p *Payment) *Payment {
		var given Payment
		if err := json.NewDecoder(http.MaxBytesReader(w, r.Body, 1<<16)).Decode(&given); err != nil || given.Amount <= 0 || len(given.Currency) != 3 {
			http.Error(w, "an amount and a currency are needed", http.StatusUnprocessableEntity)
			return nil
		}
		if p == nil {
			key := r.PathValue("key")
			h.list = append(h.list, Payment{Key: key, State: "open", Amount: given.Amount, Currency: given.Currency, Title: given.Title, Return: given.Return, Address: address() + "/pay/" + key})
			p = &h.list[len(h.list)-1]
		}
		return p
	}))
	mux.HandleFunc("GET /payments/{key}", h.asked(func(_ http.ResponseWriter, _ *http.Request, p *Payment) *Payment { return p }))
	mux.HandleFunc("POST /payments/{key}/cancel", h.asked(func(_ http.ResponseWriter, _ *http.Request, p *Payment) *Payment {
		if p != nil && (p.State == "open" || p.State == "failed") {
			p.State = "cancelled"
		}
		return p
	}))
	mux.HandleFunc("POST /payments/{key}/refund", h.asked(func(_ http.ResponseWriter, _ *http.Request, p *Payment) *Payment {
		if p != nil && p.State == "paid" {
			p.State = "refunded"
			p.Refunds++
		}
		return p
	}))
	return mux
}

// asked answers what a program asks with its key: how a payment stands after something was done
// with it.
func (h *Host) asked(do func(http.ResponseWriter, *http.Request, *Payment) *Payment) http.HandlerFunc {
	return func(w http.ResponseWriter, r *http.Request) {
		h.mu.Lock()
		defer h.mu.Unlock()
		if r.Header.Get("Authorization") != "Bearer "+Key {
			http.Error(w, "a key is needed", http.StatusUnauthorized)
			return
		}
		if h.down {
			http.Error(w, "not at present", http.StatusServiceUnavailable)
			return
		}
		p := h.find(r.PathValue("key"))
		if p == nil && r.Method != http.MethodPut {
			http.NotFound(w, r)
			return
		}
		if p = do(w, r, p); p != nil {
			w.Header().Set("Content-Type", "application/json")
			_ = json.NewEncoder(w).Encode(p)
		}
	}
}
