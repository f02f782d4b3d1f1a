package client

import (
	"context"
	"crypto/hmac"
	"fmt"
	"net/http"
	"net/url"
	"strconv"
	"strings"

	"niche/core/span"
	"niche/internal/api"
	"niche/internal/secret"
	"niche/internal/store"
)

// Limits on forms: nobody reads and fills one in less, and nobody takes longer, in seconds.
const (
	soonestSent = 3
	latestSent  = 24 * 3600
)

// formAt returns what a page gives to be sent with a booking: when it was looked at, signed.
func (s *Client) formAt(now span.Instant) string {
	at := strconv.FormatInt(int64(now), 10)
	return at + "." + s.Sign(at)
}

// byPerson refuses what no person has sent: a field is filled that nobody sees, or the form was sent in less
// time than it takes to read it.
func (s *Client) byPerson(b NewBooking) error {
	if !s.Limits.Forms {
		return nil
	}
	at, signature, _ := strings.Cut(b.Form, ".")
	when, err := strconv.ParseInt(at, 10, 64)
	age := int64(span.At(s.Now())) - when
	switch {
	case b.Website != "":
		return api.NewProblem(http.StatusUnprocessableEntity, "This does not look like a booking. Load the page again, and leave out what is not asked for.")
	case err != nil || !hmac.Equal([]byte(signature), []byte(s.Sign(at))) || age > latestSent:
		return api.NewProblem(http.StatusUnprocessableEntity, "This page has been open for too long. Load it again; what you typed can be typed again.")
	case age < soonestSent:
		return api.NewProblem(http.StatusUnprocessableEntity, "This was sent within a moment of opening the page. Wait for a few seconds, and send it again.")
	}
	return nil
}

// Limits on codes.
const (
	codeMinutes = 15 // that a code works
	mostCodes   = 4  // in that time, of one address
	mostTries   = 5  // of one code
)

// prove asks somebody to prove by a code that a mail address is theirs, or sees whether the code is right.
func (s *Client) prove(ctx context.Context, b store.Business, mail, code string) error {
	now, whose := span.At(s.Now()), secret.Hash("code for "+mail)
	code = strings.ToUpper(strings.NewReplacer(" ", "", "-", "").Replace(code))
	known, err := s.DB.Read(ctx).MailCodesOf(whose, now)
	if err != nil {
		return err
	}
	if code != "" {
		for _, c := range known {
			if c.Tries >= mostTries {
				continue
			}
			if hmac.Equal([]byte(secret.Hash(code+" "+mail)), []byte(c.CodeHash)) {
				return nil
			}
			if err := s.DB.Write(ctx, func(tx store.Tx) error { return tx.TryMailCode(c.ID) }); err != nil {
				return err
			}
		}
		return api.Wrong("code", "This is not the code in the mail, or it has ended. Leave the field empty to get another.")
	}
	can, err := s.DB.Read(ctx).HasMailServer()
	if err != nil {
		return err
	}
	if !can || s.Home() == "" {
		return api.NewProblem(http.StatusServiceUnavailable, "Your mail address has to be proved by a mail, and none goes out at present. Ask "+b.Name+".")
	}
	if len(known) >= mostCodes {
		return api.Wrong("code", "Several codes have been sent to this address. Type the one in the newest mail, or try again in a quarter of an hour.")
	}
	fresh := secret.Code(6)
	err = s.DB.Write(ctx, func(tx store.Tx) error {
		c := store.MailCode{MailHash: whose, CodeHash: secret.Hash(fresh + " " + mail), MadeAt: now, ExpiresAt: now.Add(codeMinutes)}
		if err := tx.AddMailCode(c, now); err != nil {
			return err
		}
		return s.Messages.PutCode(tx, b.Name, mail, fresh, c.ExpiresAt)
	})
	if err != nil {
		return err
	}
	s.Wake()
	return api.Wrong("code", fmt.Sprintf("A code was sent to %s, to see that it is yours. Type it here; the time is not held meanwhile.", mail))
}

// leadTo returns where a client is led on to, with the reference and what the service has that address told.
func leadTo(service store.Service, k store.Booking, v store.Visit) string {
	u, err := url.Parse(service.Afterwards.LeadTo)
	if err != nil || service.Afterwards.LeadTo == "" {
		return ""
	}
	q := u.Query()
	q.Set("reference", k.Reference)
	for _, what := range service.Afterwards.Tells {
		value := map[string]string{"service": service.Name, "start": v.Start.String(), "status": string(k.Status), "name": k.ClientName, "mail": k.ClientMail}[what]
		if key, ok := strings.CutPrefix(what, "answer."); ok {
			for _, a := range k.Answers {
				if a.Key == key {
					value = a.Words()
				}
			}
		}
		if value != "" {
			q.Set(what, value)
		}
	}
	u.RawQuery = q.Encode()
	return u.String()
}
