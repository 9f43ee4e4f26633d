package repo

import "bytes"

// longestChain is how many differences may have to be put together to read an object: as many as the repository's own packs have.
const longestChain = 50

// chains finds for each tree one that was packed before and is likely to be the same folder of a later commit.
type chains map[string]chainEnd

// chainEnd is the last one of a folder's trees.
type chainEnd struct {
	id    ID
	data  []byte
	depth int // how many differences lead to it
}

// shorten gives the instructions that make a tree of one that was packed before, and which one; ok is false where the tree is as well
// stored whole.
func (c chains) shorten(id ID, tree []byte) (base ID, delta []byte, ok bool) {
	folder, _, _ := bytes.Cut(tree, []byte{0}) // its first name, which tells folders apart well enough
	before, there := c[string(folder)]
	if there && before.depth < longestChain {
		if delta = treeDelta(before.data, tree); len(delta) < len(tree)/2 {
			c[string(folder)] = chainEnd{id, tree, before.depth + 1}
			return before.id, delta, true
		}
	}
	c[string(folder)] = chainEnd{id, tree, 0}
	return ID{}, nil, false
}

// treeDelta writes the instructions of the pack format (gitformat-pack, deltified representation) that make one tree of another. They
// fit trees of which some ids differ, or where a run of entries came or went: O(bytes).
func treeDelta(from, to []byte) []byte {
	delta := appendSize(appendSize(nil, len(from)), len(to))
	start := samePrefix(from, to)
	end := samePrefixReversed(from[start:], to[start:])
	delta = appendCopy(delta, 0, start)
	old, new := from[start:len(from)-end], to[start:len(to)-end]
	for len(old) == len(new) && len(new) > 0 { // only ids differ: each by itself
		differ := 0
		for same := 0; differ+same < len(new) && same < shortestCopy; {
			if old[differ+same] == new[differ+same] {
				same++
				continue
			}
			differ, same = differ+same+1, 0
		}
		delta = appendInsert(delta, new[:differ])
		old, new = old[differ:], new[differ:]
		copied := samePrefix(old, new)
		delta = appendCopy(delta, len(from)-end-len(old), copied)
		old, new = old[copied:], new[copied:]
	}
	delta = appendInsert(delta, new)
	return appendCopy(delta, len(from)-end, end)
}

// shortestCopy is from how many bytes on a copy is shorter than what it copies.
const shortestCopy = 8

// stride is how many bytes are compared at once.
const stride = 64

// samePrefix is how many bytes two texts have in common at the start.
func samePrefix(a, b []byte) int {
	n := 0
	for n+stride <= len(a) && n+stride <= len(b) && bytes.Equal(a[n:n+stride], b[n:n+stride]) {
		n += stride
	}
	for n < len(a) && n < len(b) && a[n] == b[n] {
		n++
	}
	return n
}

// samePrefixReversed is how many they have in common at the end.
func samePrefixReversed(a, b []byte) int {
	n := 0
	for n+stride <= len(a) && n+stride <= len(b) && bytes.Equal(a[len(a)-n-stride:len(a)-n], b[len(b)-n-stride:len(b)-n]) {
		n += stride
	}
	for n < len(a) && n < len(b) && a[len(a)-1-n] == b[len(b)-1-n] {
		n++
	}
	return n
}

// appendSize writes a size, seven bits a byte, the lowest first.
func appendSize(delta []byte, size int) []byte {
	for ; size >= 0x80; size >>= 7 {
		delta = append(delta, byte(size)|0x80)
	}
	return append(delta, byte(size))
}

// mostCopied is how many bytes an instruction copies at most.
const mostCopied = 0xffff

// appendCopy has bytes of the other tree copied.
func appendCopy(delta []byte, offset, size int) []byte {
	for ; size > 0; offset, size = offset+mostCopied, size-mostCopied {
		at := len(delta)
		delta = append(delta, 0x80)
		for bit, value := range [7]int{offset, offset >> 8, offset >> 16, offset >> 24, min(size, mostCopied), min(size, mostCopied) >> 8} {
			if value &= 0xff; value != 0 {
				delta[at] |= 1 << bit
				delta = append(delta, byte(value))
			}
		}
	}
	return delta
}

// mostInserted is how many bytes an instruction inserts at most.
const mostInserted = 0x7f

// appendInsert has bytes inserted.
func appendInsert(delta, text []byte) []byte {
	for len(text) > 0 {
		n := min(len(text), mostInserted)
		delta = append(append(delta, byte(n)), text[:n]...)
		text = text[n:]
	}
	return delta
}
