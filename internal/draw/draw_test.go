package draw_test

import (
	"bytes"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
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
	assert.NoError(t, draw.Write(&out, p, format, draw.Dark))
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
				if a.Name.Local == "style" && strings.Contains(a.Value, "fill:none") {
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
		assert.Equal(t, len(entries)+faded+legend, paths(t, written(t, seam(entries), draw.SVG)), "a thread each, and a line through what is left out")
	})
}

func TestLongTitlesAndManyCommits(t *testing.T) {
	s := seam(make([]int, 200))
	s.Left[0].Title = strings.Repeat("a very long title ", 20)
	s.Title = "<odd> & \"named\""
	svg := written(t, s, draw.SVG)
	assert.Contains(t, svg, "…")
	assert.Contains(t, svg, "&lt;odd&gt; &amp; ")
	assert.Contains(t, svg, "@font-face", "the font comes along")
	pdf := written(t, s, draw.PDF)
	assert.Equal(t, 8, strings.Count(pdf, "/Type /Page\n"), "200 rows, 26 on a page")
	assert.True(t, strings.HasPrefix(pdf, "%PDF-"))
	assert.Contains(t, pdf, "/FontFile2")
	grid := draw.Grid{Title: "g", Columns: []string{"one", "two"}, Files: []draw.GridRow{{Name: "f", Knots: []int{0, 1}, Strong: [][2]int{{0, 1}}}}}
	assert.Equal(t, 2+2, paths(t, written(t, grid, draw.SVG)))
}

// TestHistory: a line for each parent, on every page that it runs over, and a dot that all
// readers of SVG draw for each commit.
func TestHistory(t *testing.T) {
	parents := make([][]int, 60)
	line := draw.Line{Heading: "before"}
	for i := range parents {
		parents[i] = []int{i + 1}
		line.Knots = append(line.Knots, draw.Knot{Title: fmt.Sprint("commit ", i), Note: "id", Own: i < 5})
	}
	parents[4], parents[59] = []int{59}, []int{lanes.Ends}
	line.Graph = lanes.History(parents, 5)
	h := draw.History{Title: "topic", Subtitle: "and main", Before: line, After: draw.Line{Heading: "after", Knots: line.Knots[:1], Graph: lanes.History([][]int{{lanes.Ends}})}}
	svg := written(t, h, draw.SVG)
	assert.Equal(t, 60+1+1, paths(t, svg), "the parents, and the legend")
	assert.Equal(t, 2*61, strings.Count(svg, "A"+"4.2,4.2"), "dots in halves")
	assert.Equal(t, 3, strings.Count(written(t, h, draw.PDF), "/Type /Page\n"))
}

func TestFormats(t *testing.T) {
	for name, want := range map[string]draw.Format{"a.svg": draw.SVG, "b.PDF": draw.PDF, "c.png": "", "svg": ""} {
		got, err := draw.FormatOf(name)
		assert.Equal(t, want, got)
		assert.Equal(t, want == "", errors.Is(err, draw.ErrFormat))
	}
}
