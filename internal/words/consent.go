package words

import (
	"errors"
	"strings"

	"niche/internal/oauth"
	"niche/internal/outbound"
)

// OfConsent says why nobody could sign in at a host. Return is the address to which
// people come back.
func OfConsent(err error, returnAddress string) string {
	var f *oauth.Fault
	if !errors.As(err, &f) {
		if outbound.KindOf(err) == outbound.Forbidden {
			return "The host let you in, but not to calendars: a scope is missing among those that are asked for."
		}
		return Of(err).Text
	}
	said := ""
	if f.Said != "" {
		said = " It says: “" + clip(f.Said) + "”."
	}
	if strings.Contains(strings.ToLower(f.Code+f.Said), "redirect") {
		return "The host knows another return address. Exactly " + returnAddress + " has to be registered there." + said
	}
	switch f.Code {
	case oauth.OtherIssuer:
		return "The answer came from another host than the one that was asked, so nothing was taken from it. Begin again; if it happens again, the issuer is not right."
	case "access_denied":
		return "You did not consent at the host, so nothing is linked."
	case "invalid_scope":
		return "The host does not know or allow a scope that is asked for." + said
	case "invalid_client":
		return "The host does not accept the client id and secret." + said
	case "unauthorized_client":
		return "The host does not let this client sign people in by a code." + said
	case "invalid_grant":
		return "The host does not take the code: it was used before, took too long, or belongs to another return address." + said
	case "server_error", "temporarily_unavailable":
		return "The host cannot let anybody in at present. Try again in a few minutes."
	case oauth.NoRefresh:
		return "The host let you in for a short while only, and gives no means to stay in. Mostly a scope is missing, as offline_access."
	}
	if f.Err != nil && outbound.IsSilence(f.Err) {
		return Of(f.Err).Text
	}
	return "The host does not let anybody in: " + clip(f.Code) + "." + said
}

// clip keeps what somebody else says short, and on one line.
func clip(text string) string {
	runes := []rune(strings.Join(strings.Fields(text), " "))
	return strings.TrimRight(string(runes[:min(len(runes), 200)]), ".")
}
