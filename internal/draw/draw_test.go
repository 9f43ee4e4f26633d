package draw_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"os/exec"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"bastel/internal/draw"
	"bastel/internal/lanes"
)

func written(t assert.TestingT, p draw.Picture, format draw.Format) string {
	var out bytes.Buffer
	missing, err := draw.Write(&out, p, format, draw.Dark)
	assert.NoError(t, err)
	assert.Empty(t, missing)
	return out.String()
}

// seam is a picture of n commits, each becoming part of an entry, or of none.
func seam(entries []int) draw.Seam {
	s := draw.Seam{Title: "branch", Subtitle: "planned"}
	last := 0
	for i, to := range entries {
		s.Left = append(s.Left, draw.Row{Mark: fmt.Sprint(i + 1), Title: "commit", Faded: to < 0})
		if to < 0 {
			to = lanes.Ends
		}
		last = max(last, to)
		s.Threads = append(s.Threads, lanes.Thread{From: i, To: to})
	}
	for i := range last + 1 {
		s.Right = append(s.Right, draw.Row{Mark: fmt.Sprint(i + 1), Title: "entry"})
	}
	return s
}

// paths counts the lines in an SVG that is well formed.
func paths(t require.TestingT, svg string) (strokes int) {
	decoder := xml.NewDecoder(strings.NewReader(svg))
	for {
		token, err := decoder.Token()
		if errors.Is(err, io.EOF) {
			return strokes
		}
		require.NoError(t, err)
		if start, ok := token.(xml.StartElement); ok && start.Name.Local == "path" {
			for _, a := range start.Attr {
				ground := strings.Contains(a.Value, "stroke:#111418") // below each thread, so that what it crosses has a gap
				if a.Name.Local == "style" && strings.Contains(a.Value, "fill:none") && !ground {
					strokes++
				}
			}
		}
	}
}

// TestOneThreadForEachSource: whatever becomes of the commits, the drawing has one line
// for each of them.
func TestOneThreadForEachSource(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		entries := rapid.SliceOfN(rapid.IntRange(-1, 8), 1, 30).Draw(t, "entries")
		faded := 0
		for _, to := range entries {
			if to < 0 {
				faded++
			}
		}
		const legend = 2
		assert.Equal(t, len(entries)+faded+legend, paths(t, written(t, seam(entries), draw.SVG)),
			"a thread each, and a line through what is left out")
	})
}

func TestLongTitlesAndManyCommits(t *testing.T) {
	s := seam(make([]int, 200))
	s.Left[0].Title = strings.Repeat("a very long title ", 20)
	s.Title = "<odd> & \"named\""
	svg := written(t, s, draw.SVG)
	assert.Contains(t, svg, "…")
	assert.Contains(t, svg, "&lt;odd&gt; &amp; ")
	assert.Contains(t, svg, "'Liberation Sans',Arial")
	pdf := written(t, s, draw.PDF)
	assert.Equal(t, 8, strings.Count(pdf, "/Type /Page\n"), "200 rows, 26 on a page")
	assert.True(t, strings.HasPrefix(pdf, "%PDF-"))
	assert.Contains(t, pdf, "/FontFile2")
	grid := draw.Grid{Title: "g", Columns: []string{"one", "two"}, Files: []draw.GridRow{{Name: "f", Knots: []int{0, 1},
		Strong: [][2]int{{0, 1}}}}}
	assert.Equal(t, 2+2, paths(t, written(t, grid, draw.SVG)))
}

// TestAHueForEachResult: threads of one result have one colour, those of the next ones others, and each lies over a line of
// the ground.
func TestAHueForEachResult(t *testing.T) {
	svg := written(t, seam([]int{0, 1, 0, 2}), draw.SVG)
	var hues []string
	for _, style := range regexp.MustCompile(`stroke:(#[0-9A-F]{6});stroke-width:1\.6`).FindAllStringSubmatch(svg, -1) {
		hues = append(hues, style[1])
	}
	require.Len(t, hues, 4)
	assert.Equal(t, hues[0], hues[1], "two commits become one")
	assert.Len(t, map[string]bool{hues[0]: true, hues[2]: true, hues[3]: true}, 3)
	assert.Equal(t, 4, strings.Count(svg, "stroke:#111418"))
}

// TestHistory: two lines with a thread from each commit to what it became, on every page.
func TestHistory(t *testing.T) {
	h := draw.History{Title: "topic", Before: draw.Line{Heading: "before"}, After: draw.Line{Heading: "after"}}
	for i := range 60 {
		h.Before.Knots = append(h.Before.Knots, draw.Knot{Mark: fmt.Sprint(i), Title: fmt.Sprint("commit ", i), Note: "id", Own: i >= 5})
		to := i
		if i == 7 {
			to = lanes.Ends
		}
		h.Threads = append(h.Threads, lanes.Thread{From: i, To: to})
	}
	h.After.Knots = h.Before.Knots
	svg := written(t, h, draw.SVG)
	assert.Equal(t, 60+2, paths(t, svg), "a thread each, and the legend")
	assert.False(t, strings.Contains(svg, "<!--"), "no credit in a comment")
	assert.Equal(t, 3, strings.Count(written(t, h, draw.PDF), "/Type /Page\n"))
}

func TestFormats(t *testing.T) {
	for name, want := range map[string]draw.Format{"a.svg": draw.SVG, "b.PDF": draw.PDF, "c.png": "", "svg": ""} {
		got, err := draw.FormatOf(name)
		assert.Equal(t, want, got)
		assert.Equal(t, want == "", errors.Is(err, draw.ErrFormat))
	}
}

// TestChartPictures: a piece of thread for each mark and name, none for brackets, the same bytes each time.
func TestChartPictures(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		c := draw.Chart{Title: "origin/main"}
		threads := 2 // of the legend
		side := func(name string) (h draw.Hung) {
			for range rapid.IntRange(0, 6).Draw(t, name) {
				text := rapid.SampledFrom([]string{"1", "·56·", "[", "]", "board", "港"}).Draw(t, "text")
				h.Pieces = append(h.Pieces, draw.HungPiece{Text: text})
				if text != "[" && text != "]" {
					threads++
				}
			}
			return h
		}
		for range rapid.IntRange(0, 5).Draw(t, "rows") {
			c.Rows = append(c.Rows, draw.ChartRow{Line: true, Title: "commit", Hidden: 3, Left: side("left"), Right: side("right")})
		}
		svg := written(t, c, draw.SVG)
		assert.Equal(t, threads, paths(t, svg))
		assert.Equal(t, svg, written(t, c, draw.SVG))
	})
}

// TestTextsOfEveryScript: a PDF has its texts as texts, in the weight that they have; an SVG is small; what no font has is
// marked and named.
func TestTextsOfEveryScript(t *testing.T) {
	s := seam([]int{0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11})
	s.Title = "Größe – “…” Привет"
	svg := written(t, s, draw.SVG)
	assert.Contains(t, svg, "Größe – ")
	assert.Less(t, len(svg), 100_000)
	pdf := written(t, s, draw.PDF)
	assert.Equal(t, pdf, written(t, s, draw.PDF), "the same bytes")
	assert.Equal(t, 2, strings.Count(pdf, "/FontFile2 "), "regular and bold")
	nobody := s
	nobody.Title = "\U0010FFFD"
	var out bytes.Buffer
	missing, err := draw.Write(&out, nobody, draw.PDF, draw.Light)
	require.NoError(t, err)
	assert.Equal(t, []rune{0x10FFFD}, missing)
	assert.Contains(t, readOut(t, pdf), s.Title)
	s.Title = "שלום עולם"
	assert.Contains(t, readOut(t, written(t, s, draw.PDF)), s.Title, "what goes to the left")
}

// readOut is the text of a PDF as other programs read it; where there is none that does, the tests of it pass by.
func readOut(t *testing.T, pdf string) string {
	t.Helper()
	tool, err := exec.LookPath("pdftotext")
	if err != nil {
		t.Skip("pdftotext is not installed")
	}
	cmd := exec.Command(tool, "-", "-")
	cmd.Stdin = strings.NewReader(pdf)
	text, err := cmd.Output()
	require.NoError(t, err)
	return string(text)
}
