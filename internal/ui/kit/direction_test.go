package kit_test

import (
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/charmbracelet/x/ansi"
	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"

	"bastel/internal/safe"
	"bastel/internal/ui/kit"
)

// Pieces of one line are in its order, whatever parts them.
func TestPiecesThatGoToTheLeft(t *testing.T) {
	segs := func(texts ...string) (list []kit.Seg) {
		for _, text := range texts {
			list = append(list, kit.Seg{Text: safe.Show(text)})
		}
		return list
	}
	const line = "x := \"שלום 12 עולם\" // ok"
	for _, cut := range []int{5, 7, 10, 16, 17, 20, 25} {
		if !utf8.RuneStart(line[cut]) {
			cut++
		}
		row := kit.Row(30, nil, kit.InOrder(segs(line[:cut], line[cut:]))...)
		assert.Equal(t, safe.Visual(line), strings.TrimRight(ansi.Strip(row), " "), cut)
	}
}

// Whatever a row is made of, it is as wide as it shall be, and holds what it shall hold.
func TestRowsKeepTheirColumnsInAnyScript(t *testing.T) {
	pieces := []string{"a", " ", "12", "ü", "漢", "שלום", "ب", "(", ")", "👩‍🚀", "é", "-", "ְ"}
	rapid.Check(t, func(t *rapid.T) {
		text := safe.Line(strings.Join(rapid.SliceOf(rapid.SampledFrom(pieces)).Draw(t, "text"), ""))
		width := rapid.IntRange(1, 60).Draw(t, "width")
		row := ansi.Strip(kit.Row(width, nil, kit.Seg{Text: safe.Show(text)}, kit.Seg{Text: "|"}))
		assert.Equal(t, width, ansi.StringWidth(row))
		sorted := func(text string) []rune {
			runes := []rune(strings.NewReplacer("(", "", ")", "").Replace(text)) // brackets are turned round
			slices.Sort(runes)
			return runes
		}
		assert.Equal(t, sorted(text), sorted(safe.Visual(text)))
	})
}
