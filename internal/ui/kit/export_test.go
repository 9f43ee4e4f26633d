package kit

import "image/color"

// Colour is the colour of the text, Ground that under it; nil is the terminal's own.
func (s Style) Colour() color.Color { return s.fore.colour }
func (s Style) Ground() color.Color { return s.back.colour }
