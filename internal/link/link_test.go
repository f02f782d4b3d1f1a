package link

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/store"
)

func TestSecretsOpenForTheirOwnerOnly(t *testing.T) {
	path := filepath.Join(t.TempDir(), "keys", "secrets.key")
	db, err := store.Open(t.TempDir())
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	keeper, err := Unlock(t.Context(), db, path, false)
	require.NoError(t, err)
	info, err := os.Stat(path)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := Unlock(t.Context(), db, path, false)
	require.NoError(t, err)
	stranger, err := newKeeper(make([]byte, 32))
	require.NoError(t, err)
	require.Equal(t, keeper.Derive("a", "b"), again.Derive("a", "b"))
	require.NotEqual(t, keeper.Derive("a", "b"), keeper.Derive("a", "c"))
	require.NotEqual(t, keeper.Derive("a", "b"), stranger.Derive("a", "b"))
	rapid.Check(t, func(t *rapid.T) {
		secret, owner := rapid.String().Draw(t, "secret"), rapid.String().Draw(t, "owner")
		sealed := keeper.Seal(secret, owner)
		require.NotEqual(t, sealed, keeper.Seal(secret, owner), "the same secret never looks the same")
		opened, err := again.Open(sealed, owner)
		require.NoError(t, err)
		require.Equal(t, secret, opened)
		_, err = again.Open(sealed, owner+"x")
		require.Error(t, err, "it belongs to its account")
		_, err = stranger.Open(sealed, owner)
		require.Error(t, err)
		at := rapid.IntRange(0, len(sealed)-1).Draw(t, "at")
		sealed[at] ^= 1
		_, err = again.Open(sealed, owner)
		require.Error(t, err, "a changed byte is noticed")
		_, err = again.Open(sealed[:at%12], owner)
		require.Error(t, err)
	})
	require.NoError(t, os.WriteFile(path, []byte("short"), 0o600))
	_, err = Unlock(t.Context(), db, path, false)
	require.ErrorContains(t, err, "does not hold 32 bytes")
}

// A key that is missing or another is never replaced in silence.
func TestAKeyIsMissedWhenThereIsSomethingToOpen(t *testing.T) {
	folder := t.TempDir()
	path := filepath.Join(folder, "keys", "secrets.key")
	db, err := store.Open(folder)
	require.NoError(t, err)
	defer func() { require.NoError(t, db.Close()) }()
	unlock := func(fresh bool) (Keeper, error) { return Unlock(t.Context(), db, path, fresh) }
	first, err := unlock(false)
	require.NoError(t, err)
	l := store.Link{Kind: store.AccountLink, Username: "u", Address: "a", Mails: []string{}}
	l.Secret = first.Seal("secret", owner(l))
	require.NoError(t, db.Write(t.Context(), func(tx store.Tx) error {
		s := store.Staff{Name: "B", Zone: "UTC"}
		if err := tx.SaveStaff(&s); err != nil {
			return err
		}
		l.StaffID = s.ID
		return tx.SaveLink(&l)
	}))
	sealed := func(k Keeper) int {
		n, err := New(db, k, nil, nil, nil).Sealed(db.Read(t.Context()))
		require.NoError(t, err)
		return len(n)
	}
	require.Zero(t, sealed(first))

	right, err := os.ReadFile(path)
	require.NoError(t, err)
	require.NoError(t, os.Remove(path))
	_, err = unlock(false)
	require.ErrorIs(t, err, ErrKeyMissing)
	require.NoFileExists(t, path, "none is made in silence")
	require.NoError(t, os.WriteFile(path, make([]byte, 32), 0o600))
	_, err = unlock(false)
	require.ErrorIs(t, err, ErrKeyWrong)
	other, err := unlock(true)
	require.NoError(t, err)
	require.Equal(t, 1, sealed(other), "what was sealed before is told")
	_, err = unlock(false)
	require.NoError(t, err, "it counts from then on")
	require.NoError(t, os.WriteFile(path, right, 0o600))
	_, err = unlock(false)
	require.ErrorIs(t, err, ErrKeyWrong)
	require.NoError(t, os.Remove(path))
	_, err = unlock(true)
	require.NoError(t, err)
	require.FileExists(t, path)

	// In a folder of before it was kept, any link that opens shows the right key.
	require.NoError(t, os.WriteFile(path, right, 0o600))
	require.True(t, first.opens(nil, []store.Link{l}))
	require.False(t, other.opens(nil, []store.Link{l}))
}

func TestOneAccountIsKnownHoweverItsAddressIsSpelled(t *testing.T) {
	for _, c := range []struct {
		a, b string
		same bool
	}{
		{"https://h.example/dav/bryn/", "https://h.example/dav/bryn", true},
		{"https://h.example/dav/bryn@x.example/", "http://H.example:80/dav/bryn%40x.example", true},
		{"https://h.example:443/dav/", "https://h.example/dav/", true},
		{"https://h.example:8443/dav/", "https://h.example/dav/", false},
		{"https://h.example/dav/bryn/", "https://h.example/dav/noor/", false},
	} {
		require.Equal(t, c.same, same(c.a, c.b), c.a+" "+c.b)
	}
}
