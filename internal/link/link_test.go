package link

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"niche/internal/caldav"
	"niche/internal/outbound"
)

func TestSecretsOpenForTheirOwnerOnly(t *testing.T) {
	path := filepath.Join(t.TempDir(), "keys", "secrets.key")
	keeper, err := OpenKeeper(path)
	require.NoError(t, err)
	info, err := os.Stat(path)
	require.NoError(t, err)
	require.Equal(t, os.FileMode(0o600), info.Mode().Perm())
	again, err := OpenKeeper(path)
	require.NoError(t, err)
	stranger, err := OpenKeeper(filepath.Join(t.TempDir(), "other.key"))
	require.NoError(t, err)
	rapid.Check(t, func(t *rapid.T) {
		secret, owner := rapid.String().Draw(t, "secret"), rapid.String().Draw(t, "owner")
		sealed := keeper.seal(secret, owner)
		require.NotEqual(t, sealed, keeper.seal(secret, owner), "the same secret never looks the same")
		opened, err := again.open(sealed, owner)
		require.NoError(t, err)
		require.Equal(t, secret, opened)
		_, err = again.open(sealed, owner+"x")
		require.Error(t, err, "it belongs to its account")
		_, err = stranger.open(sealed, owner)
		require.Error(t, err)
		at := rapid.IntRange(0, len(sealed)-1).Draw(t, "at")
		sealed[at] ^= 1
		_, err = again.open(sealed, owner)
		require.Error(t, err, "a changed byte is noticed")
		_, err = again.open(sealed[:at%12], owner)
		require.Error(t, err)
	})
	require.NoError(t, os.WriteFile(path, []byte("short"), 0o600))
	_, err = OpenKeeper(path)
	require.ErrorContains(t, err, "does not hold 32 bytes")
}

func TestEveryFailureHasWordsAndAField(t *testing.T) {
	for _, c := range []struct {
		err   error
		field string
		says  string
	}{
		{&caldav.Error{Kind: caldav.BadAddress}, "address", "no calendar account"},
		{&caldav.Error{Kind: caldav.WrongKey}, "password", "does not accept"},
		{&caldav.Error{Kind: caldav.Forbidden}, "username", "does not allow"},
		{&caldav.Error{Kind: caldav.NotReached}, "address", "does not answer"},
		{&caldav.Error{Kind: caldav.NotReached, Status: 503}, "address", "cannot serve calendars at present"},
		{&caldav.Error{Kind: caldav.NotThere}, "address", "does not know this calendar"},
		{&caldav.Error{Kind: caldav.TooLarge}, "", "too large"},
		{&caldav.Error{Kind: caldav.StorageIsFull}, "", "no room left"},
		{&caldav.Error{Kind: caldav.Changed}, "", "changed outside"},
		{&caldav.Error{Kind: caldav.BadAnswer}, "address", "cannot be understood"},
		{fmt.Errorf("dialling: %w", outbound.ErrForbidden), "address", "server's own network"},
		{errors.New("disk"), "", "on our side"},
	} {
		f := Words(fmt.Errorf("linking: %w", c.err))
		require.Equal(t, c.field, f.Field, c.err)
		require.Contains(t, f.Text, c.says)
	}
}
