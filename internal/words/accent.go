package words

import "niche/core/colour"

// Accent is the accent of a page, by day and in dark, with the colour of what stands on it.
type Accent struct {
	Light   string `json:"light"`
	OnLight string `json:"onLight"`
	Dark    string `json:"dark"`
	OnDark  string `json:"onDark"`
}

// The pages' own colours, as the theme has them.
var (
	pageLight, _ = colour.Parse("#eef1f1")
	pageDark, _  = colour.Parse("#111b1f")
	ink, _       = colour.Parse("#14262c")
)

// AccentOf mends an accent until it can be read on the pages, by day and in dark.
func AccentOf(c colour.Colour) Accent {
	light, dark := colour.Against(c, pageLight), colour.Against(c, pageDark)
	return Accent{light.String(), colour.On(light, ink).String(), dark.String(), colour.On(dark, ink).String()}
}
