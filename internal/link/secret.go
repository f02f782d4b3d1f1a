package link

import (
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// Keeper encrypts secrets for storage with AES-256-GCM. Its key lies in a file
// of its own, apart from the database, so that a copy of the database alone
// gives nothing away.
type Keeper struct {
	aead cipher.AEAD
}

// OpenKeeper reads the key from a file that only its owner may read, and makes
// the file when it is missing.
func OpenKeeper(path string) (Keeper, error) {
	key, err := os.ReadFile(path)
	if errors.Is(err, fs.ErrNotExist) {
		key, err = makeKey(path)
	}
	if err != nil {
		return Keeper{}, fmt.Errorf("reading the key for secrets: %w", err)
	}
	if len(key) != 32 {
		return Keeper{}, fmt.Errorf("reading the key for secrets: %s does not hold 32 bytes", path)
	}
	block, err := aes.NewCipher(key)
	if err != nil {
		return Keeper{}, err
	}
	aead, err := cipher.NewGCM(block)
	return Keeper{aead}, err
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

// seal encrypts a secret for one owner, whose name must be given again to open it.
func (k Keeper) seal(secret, owner string) []byte {
	nonce := make([]byte, k.aead.NonceSize())
	_, _ = rand.Read(nonce)
	return k.aead.Seal(nonce, nonce, []byte(secret), []byte(owner))
}

func (k Keeper) open(sealed []byte, owner string) (string, error) {
	n := k.aead.NonceSize()
	if len(sealed) < n {
		return "", errors.New("the stored secret is damaged")
	}
	secret, err := k.aead.Open(nil, sealed[:n], sealed[n:], []byte(owner))
	if err != nil {
		return "", errors.New("the stored secret cannot be opened with this key")
	}
	return string(secret), nil
}
