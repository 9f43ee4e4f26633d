package diff

// mostPaired bounds the work of Pairs: larger blocks are paired by place.
const mostPaired = 10000

// Pairs says which lines of a block that was replaced became which of the new ones: pairs of places
// that do not cross, so that the sum of their likeness is largest. Lines that are nothing like each other are
// paired too while none is better, in their order. O(old*new), up to mostPaired.
func Pairs(oldLines, newLines [][]byte) [][2]int {
	n, m := len(oldLines), len(newLines)
	if n*m > mostPaired {
		pairs := make([][2]int, min(n, m))
		for i := range pairs {
			pairs[i] = [2]int{i, i}
		}
		return pairs
	}
	olds, news := bagsOf(oldLines), bagsOf(newLines)
	best := make([][]int, n+1) // best[i][j]: the largest sum of old[i:] with new[j:]
	like := make([][]int, n)
	best[n] = make([]int, m+1)
	for i := n - 1; i >= 0; i-- {
		best[i], like[i] = make([]int, m+1), make([]int, m)
		for j := m - 1; j >= 0; j-- {
			like[i][j] = 1 + olds[i].with(news[j])
			best[i][j] = max(best[i+1][j], best[i][j+1], best[i+1][j+1]+like[i][j])
		}
	}
	var pairs [][2]int
	for i, j := 0, 0; i < n && j < m; {
		switch best[i][j] {
		case best[i+1][j+1] + like[i][j]:
			pairs = append(pairs, [2]int{i, j})
			i, j = i+1, j+1
		case best[i+1][j]:
			i++
		default:
			j++
		}
	}
	return pairs
}

// bag is a line by the words in it; white space counts for nothing.
type bag struct {
	size  int
	words map[string]int
}

func bagsOf(lines [][]byte) []bag {
	bags := make([]bag, len(lines))
	for i, line := range lines {
		bags[i].words = map[string]int{}
		for _, word := range Tokens(line) {
			if !blank(word) {
				bags[i].words[string(word)]++
				bags[i].size += len(word)
			}
		}
	}
	return bags
}

// with is the share of the two that is common, in percent.
func (b bag) with(o bag) int {
	if b.size+o.size == 0 {
		return 100
	}
	common := 0
	for word, n := range b.words {
		common += len(word) * min(n, o.words[word])
	}
	return 200 * common / (b.size + o.size)
}
