// Package words is where sentences for people are made: one place for what desk,
// page and mail say of the same thing.
package words

import (
	"errors"
	"fmt"

	"niche/internal/outbound"
)

// Fault is what a person is told of a failed exchange with a host, and which
// field of the form can mend it: address, username, password, or "" for none.
type Fault struct {
	Field string
	Text  string
}

// ErrOtherKey says that a stored secret was sealed with another key than the one at
// hand.
var ErrOtherKey = errors.New("the stored secret cannot be opened with this key")

// Of turns an error of an account into words.
func Of(err error) Fault {
	var e *outbound.Error
	switch {
	case errors.Is(err, outbound.ErrForbidden):
		return Fault{"address", "This address leads into the server's own network. An administrator of the server can allow the host."}
	case errors.Is(err, ErrOtherKey):
		return Fault{"password", "The password that was given can no longer be opened here, because Niche's key for secrets is another one. Link the account again."}
	case !errors.As(err, &e):
		return Fault{"", "Something went wrong on our side. Try again; nothing was changed."}
	}
	switch e.Kind {
	case outbound.BadAddress:
		return Fault{"address", "There is no calendar account at this address. Check it, or ask the host for its CalDAV address."}
	case outbound.NoSuchHost:
		return Fault{"address", "There is no host of this name. Check how it is spelled."}
	case outbound.InTheOpen:
		return Fault{"address", "This address begins with http://, so that passwords and events could be read on their way. Use https://; or whoever runs the server can allow this host."}
	case outbound.TooOpen:
		return Fault{"address", "This address holds a user name, a password or a question mark. Give the address alone, and the rest in its own fields."}
	case outbound.NotTrusted:
		return Fault{"address", "The host cannot prove that it is who it says: its certificate does not hold."}
	case outbound.NotServed:
		return Fault{"address", "This host does not serve calendars by CalDAV. Ask the host for its CalDAV address, or whether it has one."}
	case outbound.WrongKey:
		return Fault{"password", "The host does not accept this user name and app password."}
	case outbound.Forbidden:
		return Fault{"username", "The host knows this user, but does not allow access to calendars."}
	case outbound.NotReached:
		if e.Status != 0 {
			return Fault{"address", "The host answers, but cannot serve calendars at present. Try again in a few minutes."}
		}
		return Fault{"address", "The host does not answer. It may be down, or listen at another port than the address says."}
	case outbound.CutOff:
		return Fault{"address", "The host's answer broke off in the middle. Try again in a few minutes."}
	case outbound.InPart:
		return Fault{"", "The host hands over only some of the events."}
	case outbound.NotThere:
		return Fault{"address", "The host does not know this calendar any more."}
	case outbound.TooLarge:
		return Fault{"", "The host's answer is too large to be read."}
	case outbound.StorageIsFull:
		return Fault{"", "The account has no room left for another event."}
	case outbound.Changed:
		return Fault{"", "The event was changed outside at the same moment."}
	}
	return Fault{"address", "The host's answer cannot be understood. Check that the address is one for CalDAV."}
}

// OfFeed turns an error of a feed into words.
func OfFeed(err error) Fault {
	var e *outbound.Error
	if !errors.As(err, &e) {
		return Of(err)
	}
	say := func(text string) Fault { return Fault{"address", text} }
	switch e.Kind {
	case outbound.BadAddress:
		return say("This is not a web address.")
	case outbound.NotThere:
		return say("There is nothing at this address.")
	case outbound.NotPublic:
		return say("This calendar is not public. Ask its owner for the public iCalendar address.")
	case outbound.SignInPage:
		return say("This address leads to a web page, mostly one that needs a sign-in. Ask for the public iCalendar address.")
	case outbound.NotCalendar:
		return say("What is at this address is no calendar, or only a part of one.")
	case outbound.TooLarge:
		return say("The calendar is too large to be read.")
	case outbound.BadAnswer:
		return say("The address redirects in a way that cannot be followed.")
	case outbound.CutOff:
		return say("The calendar broke off in the middle. Try again in a few minutes.")
	case outbound.NotServed:
		return say("This host says that it will never hand out what is at this address.")
	case outbound.NotReached:
		if e.Status != 0 {
			return say("The host answers, but cannot serve the calendar at present. Try again in a few minutes.")
		}
		return say("The address does not answer. It may be down, or the address may be wrong.")
	}
	return Of(err)
}

// Guessed adds to a fault of an address that was given without its scheme how it was
// read, since that may be what is wrong.
func (f Fault) Guessed(read string) Fault {
	if f.Field == "address" {
		f.Text += " We tried " + read + "; if that is not it, give the whole address, with https:// or http:// before it."
	}
	return f
}

// OfGateway turns an error of a small service outside into words.
func OfGateway(err error) string {
	var e *outbound.Error
	switch {
	case errors.Is(err, ErrOtherKey):
		return "Its key can no longer be opened here, because Niche's key for secrets is another one. Give it again in the settings."
	case !errors.As(err, &e):
		return Of(err).Text
	}
	switch e.Kind {
	case outbound.NotReached:
		if e.Status != 0 {
			return "It answers that it cannot do this at present."
		}
		return "It does not answer."
	case outbound.CutOff:
		return "Its answer broke off in the middle."
	case outbound.NoSuchHost, outbound.InTheOpen, outbound.NotTrusted, outbound.OwnNetwork:
		return Of(err).Text
	case outbound.WrongKey, outbound.Forbidden:
		return "It does not accept the key."
	}
	if e.Status/100 == 4 {
		return fmt.Sprintf("It refuses this (%d).", e.Status)
	}
	return "Its answer cannot be understood."
}
