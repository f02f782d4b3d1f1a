// Package secret makes what somebody is known by who shows it: tokens for addresses and
// cookies, of which a hash is kept only, and codes that people read out or type in.
package secret

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
)

// New returns a token of 256 bits, which nobody can guess.
func New() string {
	var b [32]byte
	_, _ = rand.Read(b[:]) // never fails
	return base64.RawURLEncoding.EncodeToString(b[:])
}

// Hash returns what is kept of a token.
func Hash(token string) string {
	sum := sha256.Sum256([]byte(token))
	return hex.EncodeToString(sum[:])
}

// Code returns so many letters and digits for people: none of them is mistaken for
// another.
func Code(n int) string {
	const letters = "ABCDEFGHJKMNPQRSTUVWXYZ23456789"
	b := make([]byte, n)
	_, _ = rand.Read(b) // never fails
	for i := range b {
		b[i] = letters[int(b[i])%len(letters)]
	}
	return string(b)
}
