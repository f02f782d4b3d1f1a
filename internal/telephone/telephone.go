// Package telephone reads telephone numbers, any way that they are typed, and writes them.
// They are kept as E.164. One that is typed without the number of its country is one of the
// business's own.
package telephone

import (
	_ "embed"
	"strings"

	"github.com/nyaruka/phonenumbers"
)

// countries are those of the time zones, as the tz database has them in zone.tab.
//
//go:embed countries.txt
var countries string

// CountryOf returns the country (ISO 3166) in which a zone lies; empty where that is not known.
func CountryOf(zone string) string {
	for line := range strings.Lines(countries) {
		if country, name, ok := strings.Cut(strings.TrimSpace(line), " "); ok && name == zone {
			return country
		}
	}
	return ""
}

// Read reads a number that was typed in a country, and returns it as E.164; false for one that
// nobody can have.
func Read(text, country string) (e164 string, ok bool) {
	n, err := phonenumbers.Parse(text, country)
	if err != nil || !phonenumbers.IsValidNumber(n) || n.GetExtension() != "" {
		return "", false
	}
	return phonenumbers.Format(n, phonenumbers.E164), true
}

// Words writes a number for people: as in its own country, or with the country's number
// elsewhere.
func Words(e164, country string) string {
	n, err := phonenumbers.Parse(e164, country)
	if err != nil {
		return e164
	}
	if phonenumbers.GetRegionCodeForNumber(n) == country {
		return phonenumbers.Format(n, phonenumbers.NATIONAL)
	}
	return phonenumbers.Format(n, phonenumbers.INTERNATIONAL)
}

// Digits returns the ways in which the digits of a number are typed, by whose beginnings it is
// found: with the country's number, and as in its country.
func Digits(e164 string) string {
	n, err := phonenumbers.Parse(e164, "")
	if err != nil {
		return ""
	}
	only := func(text string) string {
		return strings.Map(func(r rune) rune {
			if r < '0' || r > '9' {
				return -1
			}
			return r
		}, text)
	}
	own := only(phonenumbers.Format(n, phonenumbers.NATIONAL))
	return strings.Join([]string{only(e164), own, strings.TrimPrefix(own, "0")}, " ")
}
