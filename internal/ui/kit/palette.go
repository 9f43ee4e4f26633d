package kit

// Palette is a choice of colours by its name; the empty one has the usual ones.
type Palette string

// The palettes.
const (
	Contrast    Palette = "contrast"     // each text as far from its ground as can be
	ColourBlind Palette = "colour-blind" // told apart whatever colours the eyes tell apart
)

// colours are those of a theme, as the terminal's numbers or in hexadecimal.
type colours struct {
	cool, warm, accent, trouble, dim, quiet string

	selected, onSelected string // the row under the cursor; onSelected empty: what stands on it keeps its colour
	added, removed       string // grounds; empty: none, and no colours of code

	keyword, text, number, named string // of code
}

// colours gives those of a look. A terminal with few colours has none to be chosen among.
func (l Look) colours() colours {
	switch {
	case l.Sixteen:
		return sixteen(l.Ground)
	case l.Ground == Unknown:
		return colours{cool: "#4595B8", warm: "#BE7F22", accent: "#21A884", trouble: "#CF5588", dim: "#77838E", quiet: "#77838E",
			selected: "#34495A", onSelected: "#F1F5F7"}
	}
	light := l.Ground == Light
	switch l.Palette {
	case Contrast:
		return contrasting(light)
	case ColourBlind:
		return universal(light)
	}
	return usual(light)
}

func usual(light bool) colours {
	if light {
		return colours{cool: "#1B6A8C", warm: "#8F5300", accent: "#00745A", trouble: "#A3245C", dim: "#66717B", quiet: "#9AA5AE",
			selected: "#DDE9EE", added: "#FAF0DF", removed: "#E3EEF3", keyword: "#6E4A8E", text: "#4F6B2A", number: "#93501F", named: "#20567F"}
	}
	return colours{cool: "#74B6D4", warm: "#E2AA62", accent: "#62DDB8", trouble: "#F08BB4", dim: "#84909B", quiet: "#4D5964",
		selected: "#22303A", added: "#2A2319", removed: "#16242D", keyword: "#B9A2D8", text: "#A8BC84", number: "#D5A583", named: "#93B9D6"}
}

// contrasting has a contrast of 7 for all that is to be read, which WCAG 2.1 calls enhanced.
func contrasting(light bool) colours {
	if light {
		return colours{cool: "#00405E", warm: "#5C3200", accent: "#00493A", trouble: "#7A0A3E", dim: "#3D4750", quiet: "#66717B",
			selected: "#D2E6F0", added: "#FFF3DF", removed: "#E6F1F7", keyword: "#4C2A6C", text: "#2F470E", number: "#6A300A", named: "#0C3C60"}
	}
	return colours{cool: "#A9DEFA", warm: "#FFD08A", accent: "#86FFDA", trouble: "#FFB8D6", dim: "#C6CED5", quiet: "#98A4AF",
		selected: "#0E3448", added: "#2A1F0C", removed: "#0B2230", keyword: "#DCCBF5", text: "#D0E6A8", number: "#FFD2AE", named: "#BBDDF7"}
}

// universal has the hues of M. Okabe and K. Ito, Color Universal Design (2008): blue against orange, yellow or a bluish green
// for what is chosen, white or black for trouble. They differ in lightness too.
func universal(light bool) colours {
	if light {
		return colours{cool: "#005A8F", warm: "#8A4B00", accent: "#005A3C", trouble: "#111111", dim: "#66717B", quiet: "#9AA5AE",
			selected: "#E2ECF2", added: "#FBF0DC", removed: "#E2EFF7", keyword: "#7A3E66", text: "#00634A", number: "#8A4B00", named: "#005A8F"}
	}
	return colours{cool: "#56B4E9", warm: "#E69F00", accent: "#F0E442", trouble: "#FFFFFF", dim: "#8B97A1", quiet: "#4D5964",
		selected: "#22303A", added: "#2B2310", removed: "#10242F", keyword: "#D9A3C4", text: "#5CCBA6", number: "#E8B65A", named: "#8CC8EE"}
}

// sixteen are those that every terminal has. Users choose what they look like; here they are the ones that can be read as xterm has
// them. There are too few for grounds under lines; the row under the cursor has one colour for all that stands on it.
func sixteen(ground Background) colours {
	switch ground {
	case Light:
		return colours{cool: "4", warm: "1", accent: "0", trouble: "5", dim: "8", quiet: "8", selected: "7", onSelected: "0"}
	case Dark:
		return colours{cool: "14", warm: "11", accent: "10", trouble: "13", dim: "7", quiet: "8", selected: "7", onSelected: "0"}
	}
	return colours{cool: "12", warm: "1", accent: "13", trouble: "9", dim: "8", quiet: "8", selected: "7", onSelected: "0"}
}
