package desk

import (
	"cmp"
	"errors"
	"fmt"
	"regexp"
	"strings"
	"unicode"

	"golang.org/x/text/unicode/norm"

	"niche/internal/api"
	"niche/internal/store"
)

var slugShape = regexp.MustCompile(`^[a-z0-9]+(-[a-z0-9]+)*$`)

// longestMade is how long an address that is made of a name may be, with its number.
const longestMade = 80

// slugOf makes the last part of an address from a name: letters without their marks, and visit where none is left. The nth that
// is made of a name ends in its number, but for the first.
func slugOf(name string, nth int) string {
	plain := strings.Map(func(r rune) rune {
		if unicode.Is(unicode.Mn, r) {
			return -1
		}
		return r
	}, norm.NFD.String(strings.ToLower(name)))
	parts := strings.FieldsFunc(plain, func(r rune) bool { return (r < 'a' || r > 'z') && (r < '0' || r > '9') })
	number := ""
	if nth > 1 {
		number = fmt.Sprint("-", nth)
	}
	made := cmp.Or(strings.Join(parts, "-"), "visit")
	if most := longestMade - len(number); len(made) > most {
		// It ends with a whole word, where it has more than one.
		if word := strings.LastIndexByte(made[:most+1], '-'); word > 0 {
			most = word
		}
		made = made[:most]
	}
	return made + number
}

// mostNumbers is how many addresses are tried that are made of one name.
const mostNumbers = 100

// takeSlug takes an address for a page, and returns it: the one that is wanted, or where none is one that is made of the page's
// name, and free.
func takeSlug(tx store.Tx, wanted, name string, now store.FormerSlug) (string, error) {
	if wanted != "" {
		if !slugShape.MatchString(wanted) {
			return "", api.Wrong("slug", "An address is made of small letters, digits and single hyphens.")
		}
		return wanted, takeFree(tx, wanted, now)
	}
	for n := 1; ; n++ {
		made := slugOf(name, n)
		err := takeFree(tx, made, now)
		var taken *api.Problem
		if n == mostNumbers || !errors.As(err, &taken) {
			return made, err
		}
	}
}

// takeFree takes an address for a page: not one that another has, or had. The one that it has now goes on leading to it.
func takeFree(tx store.Tx, slug string, now store.FormerSlug) error {
	same, err := tx.ServiceBySlug(slug)
	if err == nil && (same.ID != now.ServiceID || now.ServiceID == 0) {
		return api.Wrong("slug", fmt.Sprintf("The page of “%s” has this address already.", same.Name))
	}
	if err != nil && !store.IsMissing(err) {
		return err
	}
	other, err := tx.CollectionBySlug(slug)
	if err == nil && (other.ID != now.CollectionID || now.CollectionID == 0) {
		return api.Wrong("slug", fmt.Sprintf("The page of “%s” has this address already.", other.Title))
	}
	if err != nil && !store.IsMissing(err) {
		return err
	}
	former, err := tx.FormerSlug(slug)
	if err == nil && (former.ServiceID != now.ServiceID || former.CollectionID != now.CollectionID) {
		return api.Wrong("slug", "Another page had this address, and people may still have it: it leads there for ever.")
	}
	if err != nil && !store.IsMissing(err) {
		return err
	}
	if err := tx.TakeSlug(slug); err != nil {
		return err
	}
	if now.Slug == "" || now.Slug == slug {
		return nil
	}
	return tx.KeepSlug(now)
}
