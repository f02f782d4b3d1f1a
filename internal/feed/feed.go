// Package feed fetches iCalendar data over HTTP.
package feed

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"net/url"
	"strings"

	"niche/internal/outbound"
)

// maxSize is the largest answer that is read, in bytes.
const maxSize = 32 << 20

// ErrUnfit says that an address leads to no calendar; the text is for people.
var ErrUnfit = errors.New("unfit")

func unfit(format string, a ...any) error {
	return fmt.Errorf("%w: "+format, append([]any{ErrUnfit}, a...)...)
}

// Words returns what an error says to people.
func Words(err error) string {
	if errors.Is(err, outbound.ErrForbidden) {
		return "This address leads into the server's own network."
	}
	if text, ok := strings.CutPrefix(err.Error(), ErrUnfit.Error()+": "); ok {
		return text
	}
	return "The address does not answer. Check it, or try again later."
}

// Fetch fetches what is at an address, following redirects. webcal: stands for
// https:.
func Fetch(ctx context.Context, hc *http.Client, address string) ([]byte, error) {
	address = strings.TrimSpace(address)
	if rest, ok := strings.CutPrefix(address, "webcal:"); ok {
		address = "https:" + rest
	}
	target, err := url.Parse(address)
	if err != nil || target.Host == "" || target.Scheme != "https" && target.Scheme != "http" {
		return nil, unfit("This is not a web address.")
	}
	for range 6 {
		req, err := http.NewRequestWithContext(ctx, http.MethodGet, target.String(), nil)
		if err != nil {
			return nil, unfit("This is not a web address.")
		}
		req.Header.Set("Accept", "text/calendar, */*;q=0.1")
		req.Header.Set("User-Agent", "Niche")
		res, err := hc.Do(req)
		if err != nil {
			return nil, err
		}
		body, err := io.ReadAll(io.LimitReader(res.Body, maxSize+1))
		_ = res.Body.Close()
		switch {
		case err != nil:
			return nil, err
		case res.StatusCode/100 == 3 && res.Header.Get("Location") != "":
			if target, err = target.Parse(res.Header.Get("Location")); err != nil {
				return nil, unfit("The address redirects to something that is no address.")
			}
			continue
		case res.StatusCode == http.StatusNotFound || res.StatusCode == http.StatusGone:
			return nil, unfit("There is nothing at this address.")
		case res.StatusCode == http.StatusUnauthorized || res.StatusCode == http.StatusForbidden:
			return nil, unfit("This calendar is not public.")
		case res.StatusCode != http.StatusOK:
			return nil, unfit("The host answers with an error (%d).", res.StatusCode)
		case len(body) > maxSize:
			return nil, unfit("The calendar is too large to be read.")
		case bytes.HasPrefix(bytes.ToLower(bytes.TrimSpace(body)), []byte("<")):
			return nil, unfit("This is a web page and no calendar. Ask for the public iCalendar address.")
		}
		return body, nil
	}
	return nil, unfit("The address redirects in a circle.")
}
