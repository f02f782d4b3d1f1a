// Package colour reads colours and mends them until they can be read: the contrast of two is
// that of WCAG 2.2 (relative luminance), and a colour that is too close to another is made
// darker or lighter, keeping its hue, as little as is needed.
package colour

import (
	"fmt"
	"math"
	"strconv"
)

// Colour is a colour of sRGB, each part from 0 to 1.
type Colour struct{ R, G, B float64 }

// Parse reads #rrggbb.
func Parse(text string) (Colour, bool) {
	if len(text) != 7 || text[0] != '#' {
		return Colour{}, false
	}
	n, err := strconv.ParseUint(text[1:], 16, 32)
	if err != nil {
		return Colour{}, false
	}
	return Colour{float64(n>>16) / 255, float64(n>>8&255) / 255, float64(n&255) / 255}, true
}

// String writes it as #rrggbb.
func (c Colour) String() string {
	part := func(v float64) int { return int(math.Round(min(max(v, 0), 1) * 255)) }
	return fmt.Sprintf("#%02x%02x%02x", part(c.R), part(c.G), part(c.B))
}

// luminance is the relative luminance (WCAG 2.2).
func (c Colour) luminance() float64 {
	linear := func(v float64) float64 {
		if v <= 0.04045 {
			return v / 12.92
		}
		return math.Pow((v+0.055)/1.055, 2.4)
	}
	return 0.2126*linear(c.R) + 0.7152*linear(c.G) + 0.0722*linear(c.B)
}

// Contrast returns the ratio of contrast of two colours, from 1 to 21.
func Contrast(a, b Colour) float64 {
	x, y := a.luminance(), b.luminance()
	return (max(x, y) + 0.05) / (min(x, y) + 0.05)
}

// Readable is the contrast of text that everybody can read.
const Readable = 4.5

// Against returns a colour with at least the contrast to another that text needs: the colour itself where
// it has that, or else the nearest that is darker or lighter; towards white where the other is dark.
func Against(c, other Colour) Colour {
	if Contrast(c, other) >= Readable {
		return c
	}
	to := Colour{}
	if other.luminance() < 0.18 {
		to = Colour{1, 1, 1}
	}
	for step := 1; step <= 100; step++ {
		share := float64(step) / 100
		mixed, _ := Parse(Colour{c.R + (to.R-c.R)*share, c.G + (to.G-c.G)*share, c.B + (to.B-c.B)*share}.String())
		if Contrast(mixed, other) >= Readable {
			return mixed
		}
	}
	return to
}

// On returns the colour of text on another: dark ink or white, whichever is read better.
func On(c, ink Colour) Colour {
	white := Colour{1, 1, 1}
	if Contrast(c, ink) > Contrast(c, white) {
		return ink
	}
	return white
}
