package link

import (
	"errors"

	"niche/internal/outbound"
)

// Fault is what a person is told of a failed exchange with a host, and which
// field of the form can mend it: address, username, password, or "" for none.
type Fault struct {
	Field string
	Text  string
}

// Words turns an error of a link into words for people. It is the one place
// that does.
func Words(err error) Fault {
	var e *outbound.Error
	if errors.Is(err, outbound.ErrForbidden) {
		return Fault{"address", "This address leads into the server's own network. An administrator of the server can allow the host."}
	}
	if !errors.As(err, &e) {
		return Fault{"", "Something went wrong on our side. Try again; nothing was changed."}
	}
	switch e.Kind {
	case outbound.BadAddress:
		return Fault{"address", "There is no calendar account at this address. Check it, or ask the host for its CalDAV address."}
	case outbound.WrongKey:
		return Fault{"password", "The host does not accept this user name and app password."}
	case outbound.Forbidden:
		return Fault{"username", "The host knows this user, but does not allow access to calendars."}
	case outbound.NotReached:
		if e.Status != 0 {
			return Fault{"address", "The host answers, but cannot serve calendars at present. Try again in a few minutes."}
		}
		return Fault{"address", "The host does not answer. Check the address, or try again later."}
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

// FeedWords turns an error of a feed into words for people.
func FeedWords(err error) Fault {
	var e *outbound.Error
	if !errors.As(err, &e) {
		return Words(err)
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
	case outbound.NotReached:
		if e.Status != 0 {
			return say("The host answers, but cannot serve the calendar at present. Try again in a few minutes.")
		}
		return say("The address does not answer. Check it, or try again later.")
	}
	return Words(err)
}
