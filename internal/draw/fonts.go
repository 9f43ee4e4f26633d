package draw

import (
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"codeberg.org/go-fonts/liberation/liberationsansbold"
	"codeberg.org/go-fonts/liberation/liberationsansregular"
	"golang.org/x/image/font"
	"golang.org/x/image/font/opentype"
	"golang.org/x/image/font/sfnt"
	"golang.org/x/image/math/fixed"
	"golang.org/x/text/width"
	"gonum.org/v1/plot/vg"
)

// typeface is a font with what it is made from.
type typeface struct {
	name  string
	bytes []byte
	font  *opentype.Font
}

func parseFace(name string, bytes []byte) (*typeface, error) {
	parsed, err := opentype.Parse(bytes)
	if err != nil {
		return nil, fmt.Errorf("read the font %s: %w", name, err)
	}
	return &typeface{name, bytes, parsed}, nil
}

func (t *typeface) has(r rune) bool {
	var buffer sfnt.Buffer
	glyph, err := t.font.GlyphIndex(&buffer, r)
	return err == nil && glyph != 0
}

// advance is how far a rune of a size goes.
func (t *typeface) advance(r rune, size vg.Length) vg.Length {
	const fine = 1000 // units to an em: sizes are not whole numbers
	var buffer sfnt.Buffer
	glyph, err := t.font.GlyphIndex(&buffer, r)
	if err != nil {
		return size / 2
	}
	advance, err := t.font.GlyphAdvance(&buffer, glyph, fixed.I(fine), font.HintingNone)
	if err != nil {
		return size / 2
	}
	return vg.Length(advance) / 64 / fine * size
}

// fontSet are the fonts of a picture: two that come with the program, and those of the machine that have what these lack.
type fontSet struct {
	regular, bold *typeface
	search        bool // whether the machine's fonts are looked into
	more          []*typeface
	files         []string // of the machine that were not looked into yet; nil: none were looked for yet
	known         map[rune]*typeface
	missing       []rune // that no font has
}

func newFonts(search bool) (*fontSet, error) {
	regular, err := parseFace("Liberation Sans", liberationsansregular.TTF)
	if err != nil {
		return nil, err
	}
	bold, err := parseFace("Liberation Sans Bold", liberationsansbold.TTF)
	return &fontSet{regular: regular, bold: bold, search: search, known: map[rune]*typeface{}}, err
}

// own is the font of the program for a weight.
func (f *fontSet) own(isBold bool) *typeface {
	if isBold {
		return f.bold
	}
	return f.regular
}

// of is the font that has a rune; nil: none, here or on the machine.
func (f *fontSet) of(r rune, isBold bool) *typeface {
	if own := f.own(isBold); own.has(r) {
		return own
	}
	if face, looked := f.known[r]; looked || !f.search {
		return face
	}
	f.known[r] = f.find(r)
	if f.known[r] == nil {
		f.missing = append(f.missing, r)
	}
	return f.known[r]
}

// find looks for a font of the machine that has a rune: in those that are open, then in the files, in their order.
func (f *fontSet) find(r rune) *typeface {
	for _, face := range f.more {
		if face.has(r) {
			return face
		}
	}
	if f.files == nil {
		f.files = fontFiles()
	}
	for len(f.files) > 0 {
		name := f.files[0]
		f.files = f.files[1:]
		bytes, err := os.ReadFile(name)
		if err != nil {
			continue
		}
		face, err := parseFace(fmt.Sprint("other", len(f.more)), bytes)
		if err != nil {
			continue
		}
		f.more = append(f.more, face)
		if face.has(r) {
			return face
		}
	}
	return nil
}

// mostFonts bounds how many files are looked into.
const mostFonts = 1000

// fontFiles lists the TrueType fonts of the machine, from where systems keep them.
func fontFiles() []string {
	dirs := []string{"/usr/share/fonts", "/usr/local/share/fonts", "/Library/Fonts", "/System/Library/Fonts"}
	if home, err := os.UserHomeDir(); err == nil {
		dirs = append(dirs, filepath.Join(home, ".local/share/fonts"), filepath.Join(home, ".fonts"), filepath.Join(home, "Library/Fonts"))
	}
	found := []string{}
	for _, dir := range dirs {
		_ = filepath.WalkDir(dir, func(name string, entry fs.DirEntry, err error) error {
			if err == nil && !entry.IsDir() && strings.EqualFold(filepath.Ext(name), ".ttf") && len(found) < mostFonts {
				found = append(found, name)
			}
			return nil // what cannot be read has no font
		})
	}
	slices.Sort(found)
	return found
}

// size is how wide a text is. What the program's fonts lack is about as wide as in other fonts.
func (f *fontSet) size(text string, size vg.Length, isBold bool) (total vg.Length) {
	for _, r := range text {
		face := f.of(r, isBold)
		switch kind := width.LookupRune(r).Kind(); {
		case face != nil:
			total += face.advance(r, size)
		case kind == width.EastAsianWide || kind == width.EastAsianFullwidth:
			total += size
		default:
			total += size * 6 / 10
		}
	}
	return total
}
