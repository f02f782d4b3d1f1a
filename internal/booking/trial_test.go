package booking

import (
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/store"
)

// seal makes tokens as the keeper of secrets does, with a key of its own.
func seal(key string) func(purpose, text string) string {
	return func(purpose, text string) string {
		mac := hmac.New(sha256.New, []byte(key))
		mac.Write([]byte(purpose + "\x00" + text))
		return base64.RawURLEncoding.EncodeToString(mac.Sum(nil))
	}
}

// Leave to try holds for the service and the mail address for which it was given, for half an hour, and for nothing else: not once
// any letter of it is another, nor by the key of another Niche, nor by what a request's own key is sealed with.
func TestLeaveToTryIsOnesOwn(t *testing.T) {
	now := time.Unix(1_700_000_000, 0)
	b := New(t.Context(), Settings{Now: func() time.Time { return now }, Seal: seal("ours")})
	other := New(t.Context(), Settings{Now: func() time.Time { return now }, Seal: seal("another's")})
	mails := rapid.StringMatching(`[a-z0-9.+_-]{1,20}@[a-z0-9-]{1,20}(\.[a-z]{2,8}){1,3}`)
	rapid.Check(t, func(t *rapid.T) {
		given := Leave{Service: store.ID(rapid.Int64Range(1, 1<<40).Draw(t, "service")), Mail: mails.Draw(t, "mail")}
		token := b.LetTry(given)
		require.Less(t, len(token), 600, "an address takes it")
		got, err := b.Tries(token)
		require.NoError(t, err)
		require.Equal(t, given, got)
		at := rapid.IntRange(0, len(token)-1).Draw(t, "at")
		letter := rapid.SampledFrom([]byte("ABCxyz019-_.")).Draw(t, "letter")
		changed := token[:at] + string(letter) + token[at+1:]
		if read, err := b.Tries(changed); err == nil {
			// Some bits of the last letter say nothing.
			require.Equal(t, given, read, "%s as %s", token, changed)
		}
		_, err = other.Tries(token)
		require.ErrorIs(t, err, ErrTrialOver)
		packed, _, _ := strings.Cut(token, ".")
		said, err := base64.RawURLEncoding.DecodeString(packed)
		require.NoError(t, err)
		_, err = b.Tries(packed + "." + b.Seal("booking", string(said)))
		require.ErrorIs(t, err, ErrTrialOver, "who chooses the key of a request gives themselves no leave")
	})
	token := b.LetTry(Leave{7, "ada@workshop.example"})
	for _, wrong := range []string{"", ".", "x", token + "x", strings.TrimSuffix(token, token[len(token)-4:]), strings.Repeat("a", 600)} {
		_, err := b.Tries(wrong)
		require.ErrorIs(t, err, ErrTrialOver, wrong)
	}
	now = now.Add(trialFor*time.Minute - time.Second)
	_, err := b.Tries(token)
	require.NoError(t, err)
	now = now.Add(time.Second)
	_, err = b.Tries(token)
	require.ErrorIs(t, err, ErrTrialOver)
}
