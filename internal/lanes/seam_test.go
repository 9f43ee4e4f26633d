package lanes

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"pgregory.net/rapid"
)

func TestSeamRoutes(t *testing.T) {
	for name, test := range map[string]struct {
		threads []Thread
		want    [][]Point
	}{
		"straight": {[]Thread{{0, 0}}, [][]Point{{{0, 0}, {6, 0}}}},
		"ends":     {[]Thread{{3, Ends}}, [][]Point{{{0, 6}, {1, 6}}}},
		"join":     {[]Thread{{0, 0}, {1, 0}}, [][]Point{{{0, 0}, {1, 0}, {1, 0}, {6, 0}}, {{0, 2}, {1, 2}, {1, 0}, {6, 0}}}},
		"swap goes through a gap": {[]Thread{{0, 1}, {1, 0}}, [][]Point{
			{{0, 0}, {2, 0}, {2, 2}, {6, 2}},
			{{0, 2}, {1, 2}, {1, 1}, {5, 1}, {5, 0}, {6, 0}},
		}},
	} {
		t.Run(name, func(t *testing.T) {
			var got [][]Point
			for _, p := range Seam(test.threads, 4).Paths {
				got = append(got, p.Points)
			}
			assert.Equal(t, test.want, got)
		})
	}
}

// TestNoTwoBundlesShareALine: with tracks enough, threads to different rows cross
// but never run along the same piece of a line.
func TestNoTwoBundlesShareALine(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		n := rapid.IntRange(1, 12).Draw(t, "rows")
		var threads []Thread
		for i := range n {
			to := rapid.IntRange(-1, n-1).Draw(t, "to")
			if to < 0 {
				to = Ends
			}
			threads = append(threads, Thread{i, to})
		}
		type piece struct{ a, b Point }
		owner := map[piece]int{}
		for _, path := range Seam(threads, 2*n+4).Paths {
			assert.Equal(t, 2*path.From, path.Points[0].Y)
			if path.To == Ends {
				continue
			}
			assert.Equal(t, Point{2*n + 6, 2 * path.To}, path.Points[len(path.Points)-1])
			for i := 1; i < len(path.Points); i++ {
				at, end := path.Points[i-1], path.Points[i]
				for at != end {
					next := Point{at.X + sign(end.X-at.X), at.Y + sign(end.Y-at.Y)}
					p := piece{at, next}
					if next.X < at.X || next.Y < at.Y {
						p = piece{next, at}
					}
					if who, taken := owner[p]; taken {
						assert.Equal(t, path.To, who, "piece %v", p)
					}
					owner[p] = path.To
					at = next
				}
			}
		}
	})
}

func sign(n int) int { return min(1, max(-1, n)) }
