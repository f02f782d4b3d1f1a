package people

import (
	"bytes"
	"context"
	"crypto/hmac"
	"crypto/rand"
	"encoding/base32"
	"encoding/base64"
	"fmt"
	"image/png"
	"strings"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"

	"niche/internal/secret"
	"niche/internal/store"
)

// One-time codes are those of RFC 6238 with the values that every program for them
// takes: SHA-1, six digits, steps of 30 seconds. The step before and the one after are
// taken too, for clocks that are a little off; none is taken twice (section 5.2).
const (
	step          = 30
	recoveryCodes = 10
)

// Factor is a second factor that is being set up.
type Factor struct {
	Secret  string // to be typed in by hand
	Address string // otpauth://
	Picture string // data:image/png;base64, of the address
}

func factorOwner(id store.ID) string { return fmt.Sprintf("second factor of administrator %d", id) }

// NewFactor makes the secret of a second factor. Nothing is kept of it until it is
// confirmed.
func (p *People) NewFactor(ctx context.Context, who Principal) (Factor, error) {
	business, err := p.DB.Read(ctx).Business()
	if err != nil {
		return Factor{}, err
	}
	// A colon would end the issuer.
	key, err := totp.Generate(totp.GenerateOpts{Issuer: strings.ReplaceAll("Niche, "+business.Name, ":", " "), AccountName: who.Mail, Rand: rand.Reader})
	if err != nil {
		return Factor{}, fmt.Errorf("making a second factor: %w", err)
	}
	return drawn(key)
}

func drawn(key *otp.Key) (Factor, error) {
	image, err := key.Image(240, 240)
	if err != nil {
		return Factor{}, fmt.Errorf("drawing a second factor: %w", err)
	}
	var b bytes.Buffer
	if err := png.Encode(&b, image); err != nil {
		return Factor{}, fmt.Errorf("drawing a second factor: %w", err)
	}
	return Factor{key.Secret(), key.URL(), "data:image/png;base64," + base64.StdEncoding.EncodeToString(b.Bytes())}, nil
}

// stepOf returns the step of a one-time code that is right now, or 0.
func (p *People) stepOf(secret, code string) int64 {
	now := p.Now().Unix() / step
	for _, s := range []int64{now, now - 1, now + 1} {
		want, err := hotp.GenerateCodeCustom(secret, uint64(s), hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1})
		if err == nil && hmac.Equal([]byte(want), []byte(code)) {
			return s
		}
	}
	return 0
}

// bare is a code without the blanks and hyphens by which people group it.
func bare(code string) string {
	return strings.NewReplacer(" ", "", "-", "").Replace(strings.ToUpper(code))
}

// secondFactor checks a one-time or recovery code, if one is asked of somebody, and uses
// it up.
func (p *People) secondFactor(tx store.Tx, a store.Administrator, code string) error {
	if len(a.SecondFactor) == 0 {
		return nil
	}
	code = bare(code)
	if code == "" {
		return ErrNoCode
	}
	key, sealed := p.Vault.Open(a.SecondFactor, factorOwner(a.ID))
	if sealed == nil {
		if s := p.stepOf(key, code); s > 0 {
			used, err := tx.UseStep(a.ID, s)
			if err == nil && !used {
				err = ErrWrongCode
			}
			return err
		}
	}
	used, err := tx.UseRecoveryCode(a.ID, secret.Hash(code), p.now())
	switch {
	case err != nil || used:
		return err
	case sealed != nil:
		return ErrSealed
	}
	return ErrWrongCode
}

// ConfirmFactor turns a second factor on, once a code shows that it works, and returns
// the recovery codes. Other sessions of the same person end.
func (p *People) ConfirmFactor(ctx context.Context, who Principal, secret, code string) (codes []string, err error) {
	if _, err := base32.StdEncoding.WithPadding(base32.NoPadding).DecodeString(secret); err != nil || len(secret) < 26 {
		return nil, ErrWrongCode
	}
	s := p.stepOf(secret, bare(code))
	if s == 0 {
		return nil, ErrWrongCode
	}
	codes, hashes := newRecoveryCodes()
	err = p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(who.ID)
		if err != nil {
			return err
		}
		if len(a.SecondFactor) > 0 {
			return ErrFactorThere
		}
		a.SecondFactor, a.LastStep = p.Vault.Seal(secret, factorOwner(a.ID)), s
		if err := tx.SaveAdministrator(&a); err != nil {
			return err
		}
		if err := tx.ReplaceRecoveryCodes(a.ID, hashes); err != nil {
			return err
		}
		if err := endOthers(tx, who); err != nil {
			return err
		}
		return tx.Note(p.now(), "secured", "administrator", a.ID, a.Name, nil, nil)
	})
	p.sessions()
	return codes, err
}

// NewRecoveryCodes replaces the recovery codes of somebody with a second factor.
func (p *People) NewRecoveryCodes(ctx context.Context, who Principal) (codes []string, err error) {
	codes, hashes := newRecoveryCodes()
	return codes, p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(who.ID)
		if err != nil {
			return err
		}
		if len(a.SecondFactor) == 0 {
			return ErrNoFactor
		}
		if err := tx.ReplaceRecoveryCodes(a.ID, hashes); err != nil {
			return err
		}
		return tx.Note(p.now(), "renewed recovery codes", "administrator", a.ID, a.Name, nil, nil)
	})
}

// DropFactor turns a second factor off.
func (p *People) DropFactor(ctx context.Context, who Principal) error {
	return p.DB.Write(ctx, func(tx store.Tx) error {
		a, err := tx.Administrator(who.ID)
		if err != nil {
			return err
		}
		if len(a.SecondFactor) == 0 {
			return nil
		}
		return p.dropFactor(tx, a)
	})
}

func (p *People) dropFactor(tx store.Tx, a store.Administrator) error {
	if len(a.SecondFactor) == 0 {
		return nil
	}
	a.SecondFactor, a.LastStep = nil, 0
	if err := tx.SaveAdministrator(&a); err != nil {
		return err
	}
	if err := tx.ReplaceRecoveryCodes(a.ID, nil); err != nil {
		return err
	}
	return tx.Note(p.now(), "unsecured", "administrator", a.ID, a.Name, nil, nil)
}

// newRecoveryCodes returns codes as they are shown, and what is kept of them.
func newRecoveryCodes() (codes, hashes []string) {
	for range recoveryCodes {
		var b [10]byte
		_, _ = rand.Read(b[:])
		text := base32.StdEncoding.EncodeToString(b[:])
		codes = append(codes, text[:4]+"-"+text[4:8]+"-"+text[8:12]+"-"+text[12:])
		hashes = append(hashes, secret.Hash(text))
	}
	return codes, hashes
}
