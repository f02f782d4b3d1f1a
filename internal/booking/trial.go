package booking

import (
	"crypto/hmac"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"

	"niche/core/span"
	"niche/internal/store"
)

// trialFor is how long a trial stands, if nobody cleans it up, in minutes.
const trialFor = 30

// Leave is leave to try a service by its page, as a client would: to be asked, to pay, to
// wait for an answer. What is booked by it is marked, and cleaned up.
type Leave struct {
	Service store.ID
	Mail    string // of whoever tries, who alone is told
}

// LetTry gives leave, as a token, for as long as a trial stands.
func (b *Bookings) LetTry(l Leave) string {
	said := fmt.Sprintf("%d %d %s", l.Service, span.At(b.Now()).Add(trialFor), l.Mail)
	return base64.RawURLEncoding.EncodeToString([]byte(said)) + "." + b.Seal("trial", said)
}

// ErrTrialOver says that somebody has no leave to try, or no longer.
var ErrTrialOver = errors.New("there is no leave to try this service, or it has ended")

// Tries reads the leave that a token gives. The error is ErrTrialOver where it gives none.
func (b *Bookings) Tries(token string) (l Leave, err error) {
	packed, seal, _ := strings.Cut(token, ".")
	said, err := base64.RawURLEncoding.DecodeString(packed)
	if err != nil || !hmac.Equal([]byte(seal), []byte(b.Seal("trial", string(said)))) {
		return l, ErrTrialOver
	}
	var until span.Instant
	if _, err = fmt.Sscanf(string(said), "%d %d %s", &l.Service, &until, &l.Mail); err != nil || until <= span.At(b.Now()) {
		return Leave{}, ErrTrialOver
	}
	return l, nil
}
