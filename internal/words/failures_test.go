package words_test

import (
	"errors"
	"fmt"
	"testing"

	"github.com/stretchr/testify/require"

	"niche/internal/outbound"
	"niche/internal/words"
)

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
		{&outbound.Error{Kind: outbound.NoSuchHost}, "address", "no host of this name"},
		{&outbound.Error{Kind: outbound.NotTrusted}, "address", "certificate"},
		{&outbound.Error{Kind: outbound.NotServed, Status: 501}, "address", "does not serve calendars by CalDAV"},
		{&outbound.Error{Kind: outbound.CutOff}, "address", "broke off"},
		{&outbound.Error{Kind: outbound.InPart}, "", "only some of the events"},
		{words.ErrOtherKey, "password", "Link the account again"},
		{&outbound.Error{Kind: outbound.NotThere}, "address", "does not know this calendar"},
		{&outbound.Error{Kind: outbound.TooLarge}, "", "too large"},
		{&outbound.Error{Kind: outbound.StorageIsFull}, "", "no room left"},
		{&outbound.Error{Kind: outbound.Changed}, "", "changed outside"},
		{&outbound.Error{Kind: outbound.BadAnswer}, "address", "cannot be understood"},
		{fmt.Errorf("dialling: %w", outbound.ErrForbidden), "address", "server's own network"},
		{errors.New("disk"), "", "on our side"},
	} {
		f := words.Of(fmt.Errorf("linking: %w", c.err))
		require.Equal(t, c.field, f.Field, c.err)
		require.Contains(t, f.Text, c.says)
	}
	for kind, says := range map[outbound.Kind]string{outbound.BadAddress: "not a web address", outbound.NotThere: "nothing at this address", outbound.NotPublic: "not public",
		outbound.SignInPage: "needs a sign-in. Ask for the public iCalendar address", outbound.NotCalendar: "no calendar", outbound.TooLarge: "too large",
		outbound.BadAnswer: "redirects", outbound.CutOff: "broke off", outbound.NotServed: "never", outbound.NotReached: "does not answer", outbound.OwnNetwork: "cannot be understood"} {
		require.Contains(t, words.OfFeed(fmt.Errorf("linking: %w", &outbound.Error{Kind: kind})).Text, says)
	}
	require.Contains(t, words.OfFeed(fmt.Errorf("dialling: %w", outbound.ErrForbidden)).Text, "server's own network")
}
