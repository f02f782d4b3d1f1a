package link

import (
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

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
		{&outbound.Error{Kind: outbound.BadAddress}, "address", "no calendar account"},
		{&outbound.Error{Kind: outbound.WrongKey}, "password", "does not accept"},
		{&outbound.Error{Kind: outbound.Forbidden}, "username", "does not allow"},
		{&outbound.Error{Kind: outbound.NotReached}, "address", "does not answer"},
		{&outbound.Error{Kind: outbound.NotReached, Status: 503}, "address", "cannot serve calendars at present"},
		{&outbound.Error{Kind: outbound.NotThere}, "address", "does not know this calendar"},
		{&outbound.Error{Kind: outbound.TooLarge}, "", "too large"},
		{&outbound.Error{Kind: outbound.StorageIsFull}, "", "no room left"},
		{&outbound.Error{Kind: outbound.Changed}, "", "changed outside"},
		{&outbound.Error{Kind: outbound.BadAnswer}, "address", "cannot be understood"},
		{fmt.Errorf("dialling: %w", outbound.ErrForbidden), "address", "server's own network"},
		{errors.New("disk"), "", "on our side"},
	} {
		f := Words(fmt.Errorf("linking: %w", c.err))
		require.Equal(t, c.field, f.Field, c.err)
		require.Contains(t, f.Text, c.says)
	}
	for kind, says := range map[outbound.Kind]string{outbound.BadAddress: "not a web address", outbound.NotThere: "nothing at this address", outbound.NotPublic: "not public",
		outbound.SignInPage: "needs a sign-in. Ask for the public iCalendar address", outbound.NotCalendar: "no calendar", outbound.TooLarge: "too large",
		outbound.BadAnswer: "redirects", outbound.NotReached: "does not answer", outbound.OwnNetwork: "cannot be understood"} {
		require.Contains(t, FeedWords(fmt.Errorf("linking: %w", &outbound.Error{Kind: kind})).Text, says)
	}
	require.Contains(t, FeedWords(fmt.Errorf("dialling: %w", outbound.ErrForbidden)).Text, "server's own network")
}
