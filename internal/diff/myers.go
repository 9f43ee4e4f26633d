package diff

// myers compares a part with the linear-space algorithm of E. W. Myers, "An
// O(ND) Difference Algorithm and Its Variations", Algorithmica 1 (1986), section
// 4b: the middle of a shortest edit path splits the part in two.
func (c *comparison) myers(aLow, aHigh, bLow, bHigh int) {
	var done bool
	if aLow, aHigh, bLow, bHigh, done = c.trim(aLow, aHigh, bLow, bHigh); done {
		return
	}
	x, y, ok := middle(c.a[aLow:aHigh], c.b[bLow:bHigh])
	if !ok {
		c.mark(aLow, aHigh, bLow, bHigh)
		return
	}
	c.myers(aLow, aLow+x, bLow, bLow+y)
	c.myers(aLow+x, aHigh, bLow+y, bHigh)
}

// maxCost bounds the search: parts that differ in more lines than this, all of
// them frequent ones, are split where the search has got furthest, which keeps
// the time in O(lines * maxCost).
const maxCost = 1024

// middle finds a point on a shortest edit path where the forward and the backward
// search meet. Both parts are non-empty and differ at both ends; the point is
// neither corner. ok is false only if no useful point exists.
func middle(a, b []int32) (x, y int, ok bool) {
	n, m := len(a), len(b)
	delta := n - m
	odd := delta&1 != 0
	limit := min((n+m+1)/2, maxCost)
	offset := limit + 1
	forward := make([]int, 2*offset+1)
	backward := make([]int, 2*offset+1)
	for d := 0; d <= limit; d++ {
		for k := -d; k <= d; k += 2 {
			x := step(forward, offset, k, d)
			for x < n && x-k < m && x >= 0 && x-k >= 0 && a[x] == b[x-k] {
				x++
			}
			forward[offset+k] = x
			back := delta - k // the same diagonal, seen from the other end
			if odd && back >= -(d-1) && back <= d-1 && x <= n && x-k <= m && x+backward[offset+back] >= n {
				return split(x, x-k, n, m)
			}
		}
		for k := -d; k <= d; k += 2 {
			x := step(backward, offset, k, d)
			for x < n && x-k < m && x >= 0 && x-k >= 0 && a[n-1-x] == b[m-1-x+k] {
				x++
			}
			backward[offset+k] = x
			front := delta - k
			if !odd && front >= -d && front <= d && x <= n && x-k <= m && x+forward[offset+front] >= n {
				return split(n-x, m-x+k, n, m)
			}
		}
	}
	return furthest(forward, offset, limit, n, m)
}

func step(v []int, offset, k, d int) int {
	if d == 0 {
		return 0
	}
	if k == -d || k != d && v[offset+k-1] < v[offset+k+1] {
		return v[offset+k+1]
	}
	return v[offset+k-1] + 1
}

func split(x, y, n, m int) (int, int, bool) {
	if x == 0 && y == 0 || x == n && y == m {
		return 0, 0, false
	}
	return x, y, true
}

// furthest is the point of the forward search that is nearest to the end.
func furthest(forward []int, offset, limit, n, m int) (x, y int, ok bool) {
	best := -1
	for k := -limit; k <= limit; k += 2 {
		px := min(forward[offset+k], n)
		py := px - k
		if py > m {
			px, py = m+k, m
		}
		if px >= 0 && py >= 0 && px+py > best {
			best, x, y = px+py, px, py
		}
	}
	if best < 0 {
		return 0, 0, false
	}
	return split(x, y, n, m)
}
