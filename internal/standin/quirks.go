package standin

import (
	"bytes"
	"regexp"
	"time"
)

// Quirk is what a host makes of what programs write for an account, as some hosts do.
type Quirk string

// The quirks.
const (
	OtherClock    Quirk = "other clock"    // times are kept as they are, and said to be by another clock
	DropsPlace    Quirk = "drops place"    // places are not kept (LOCATION)
	StoresNothing Quirk = "stores nothing" // it says 201, and stores nothing
	MarksFree     Quirk = "marks free"     // events take no time (TRANSP)
	Tires         Quirk = "tires"          // after something was written, no key is taken for a while
)

// tiredFor is how long a host takes no key that tires.
const tiredFor = 20 * time.Second

var (
	clocks = regexp.MustCompile(`;TZID=[A-Za-z_]+/[A-Za-z_]+`)
	places = regexp.MustCompile(`LOCATION:[^\r\n]*(\r\n [^\r\n]*)*\r\n`)
)

// keeps returns what is kept of data that is written for an account.
func (q Quirk) keeps(data []byte) []byte {
	switch q {
	case OtherClock:
		return clocks.ReplaceAll(data, []byte(";TZID=America/New_York"))
	case DropsPlace:
		return places.ReplaceAll(data, nil)
	case MarksFree:
		return bytes.ReplaceAll(data, []byte("TRANSP:OPAQUE"), []byte("TRANSP:TRANSPARENT"))
	}
	return data
}

// tire notes that something was written for an account.
func (c *Cloud) tire(a Account) {
	if a.Quirk != Tires {
		return
	}
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.tired == nil {
		c.tired = map[string]time.Time{}
	}
	c.tired[a.User] = c.now().Add(tiredFor)
}

func (c *Cloud) isTired(user string) bool {
	c.mu.Lock()
	defer c.mu.Unlock()
	return c.now().Before(c.tired[user])
}
