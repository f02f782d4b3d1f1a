package link

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hmac"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"niche/internal/store"
	"niche/internal/words"
)

// Keeper encrypts secrets for storage with AES-256-GCM. Its key lies in a file
// of its own, apart from the database, so that a copy of the database alone
// gives nothing away.
type Keeper struct {
	aead cipher.AEAD
	key  []byte
}

// The reasons for which a key cannot be used.
var (
	ErrKeyMissing = errors.New("the key for secrets is missing, and without it the passwords of links cannot be opened. Put the file back, or start once with --new-key: then a new key is made, and every link must be given its password again")
	ErrKeyWrong   = errors.New("this is not the key with which the passwords of links were sealed. Put the right file back, or start once with --new-key: then this one counts from now on, and every link must be given its password again")
)

// keyCheck is the name of the setting that tells whether a key is the right one.
const keyCheck = "key-check"

// Unlock reads the key from a file that only its owner may read. A data folder that
// has no secrets yet gets a new key. Otherwise the key must be there and be the right
// one; with fresh, it may be new or another from now on.
func Unlock(ctx context.Context, db *store.DB, path string, fresh bool) (Keeper, error) {
	tx := db.Read(ctx)
	check, err := tx.Setting(keyCheck)
	if err != nil {
		return Keeper{}, fmt.Errorf("reading the key for secrets: %w", err)
	}
	links, err := tx.AllLinks()
	if err != nil {
		return Keeper{}, fmt.Errorf("reading the key for secrets: %w", err)
	}
	unused := check == nil && len(links) == 0
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		if !unused && !fresh {
			return Keeper{}, fmt.Errorf("%s: %w", path, ErrKeyMissing)
		}
		key, err = makeKey(path)
	}
	if err != nil {
		return Keeper{}, fmt.Errorf("reading the key for secrets: %w", err)
	}
	k, err := newKeeper(key)
	if err != nil {
		return k, fmt.Errorf("reading the key for secrets from %s: %w", path, err)
	}
	if !unused && !fresh && !k.opens(check, links) {
		return Keeper{}, fmt.Errorf("%s: %w", path, ErrKeyWrong)
	}
	if k.opens(check, nil) {
		return k, nil
	}
	return k, db.Write(ctx, func(tx store.Tx) error { return tx.SaveSetting(keyCheck, k.Seal(keyCheck, keyCheck)) })
}

func newKeeper(key []byte) (Keeper, error) {
	if len(key) != 32 {
		return Keeper{}, errors.New("it does not hold 32 bytes")
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return Keeper{}, err
	}
	aead, err := cipher.NewGCM(block)
	return Keeper{aead, key}, err
}

// opens reports whether the key is the one with which a data folder was sealed. One
// of before the check was kept is known by any of its links.
func (k Keeper) opens(check []byte, links []store.Link) bool {
	if check != nil {
		_, err := k.Open(check, keyCheck)
		return err == nil
	}
	for _, l := range links {
		if _, err := k.Open(l.Secret, owner(l)); err == nil {
			return true
		}
	}
	return false
}

func makeKey(path string) ([]byte, error) {
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return nil, err
	}
	key := make([]byte, 32)
	_, _ = rand.Read(key) // never fails
	f, err := os.OpenFile(path, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o600)
	if err != nil {
		return nil, err
	}
	_, err = f.Write(key)
	return key, errors.Join(err, f.Sync(), f.Close())
}

// Seal encrypts a secret for one owner, whose name must be given again to open it.
func (k Keeper) Seal(secret, owner string) []byte {
	nonce := make([]byte, k.aead.NonceSize())
	_, _ = rand.Read(nonce)
	return k.aead.Seal(nonce, nonce, []byte(secret), []byte(owner))
}

func (k Keeper) Open(sealed []byte, owner string) (string, error) {
	n := k.aead.NonceSize()
	if len(sealed) < n {
		return "", words.ErrOtherKey
	}
	secret, err := k.aead.Open(nil, sealed[:n], sealed[n:], []byte(owner))
	if err != nil {
		return "", words.ErrOtherKey
	}
	return string(secret), nil
}

// Derive returns a token that nobody can guess who does not have the key, and that
// is always the same for a purpose and a text.
func (k Keeper) Derive(purpose, text string) string {
	mac := hmac.New(sha256.New, k.key)
	_, _ = fmt.Fprintf(mac, "%s\x00%s", purpose, text)
	return base64.RawURLEncoding.EncodeToString(mac.Sum(nil)[:24])
}

// Sealed returns the links that were sealed with another key than the one at hand.
func (l *Links) Sealed(tx store.Tx) (sealed []store.Link, err error) {
	links, err := tx.AllLinks()
	for _, link := range links {
		if _, err := l.keeper.Open(link.Secret, owner(link)); err != nil {
			sealed = append(sealed, link)
		}
	}
	return sealed, err
}
