package link

import (
	"errors"

	"niche/internal/caldav"
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
	var e *caldav.Error
	if errors.Is(err, outbound.ErrForbidden) {
		return Fault{"address", "This address leads into the server's own network. An administrator of the server can allow the host."}
	}
	if !errors.As(err, &e) {
		return Fault{"", "Something went wrong on our side. Try again; nothing was changed."}
	}
	switch e.Kind {
	case caldav.BadAddress:
		return Fault{"address", "There is no calendar account at this address. Check it, or ask the host for its CalDAV address."}
	case caldav.WrongKey:
		return Fault{"password", "The host does not accept this user name and app password."}
	case caldav.Forbidden:
		return Fault{"username", "The host knows this user, but does not allow access to calendars."}
	case caldav.NotReached:
		if e.Status != 0 {
			return Fault{"address", "The host answers, but cannot serve calendars at present. Try again in a few minutes."}
		}
		return Fault{"address", "The host does not answer. Check the address, or try again later."}
	case caldav.NotThere:
		return Fault{"address", "The host does not know this calendar any more."}
	case caldav.TooLarge:
		return Fault{"", "The host's answer is too large to be read."}
	case caldav.StorageIsFull:
		return Fault{"", "The account has no room left for another event."}
	case caldav.Changed:
		return Fault{"", "The event was changed outside at the same moment."}
	}
	return Fault{"address", "The host's answer cannot be understood. Check that the address is one for CalDAV."}
}
