package repo

import (
	"bytes"
	"context"
	"fmt"
)

// EntryPair is what two folders have under one name in one form: a file and a folder of one name are two pairs. What one of
// them does not have is zero.
type EntryPair struct{ Old, New Entry }

// TreeDifferences lists where two tree objects differ, in the order of the format. Their ids are idLen bytes long. Most of
// two versions of a folder is the same, and is passed over as bytes: O(bytes), and a few allocations a difference.
func TreeDifferences(old, new []byte, idLen int) (pairs []EntryPair, err error) {
	for {
		same, err := sameEntries(old, new, idLen)
		if err != nil {
			return nil, err
		}
		if old, new = old[same:], new[same:]; len(old) == 0 && len(new) == 0 {
			return pairs, nil
		}
		a, afterOld, err := firstEntry(old, idLen)
		if err != nil {
			return nil, err
		}
		b, afterNew, err := firstEntry(new, idLen)
		if err != nil {
			return nil, err
		}
		order := Compare(a, b)
		switch {
		case len(new) == 0 || len(old) > 0 && order < 0:
			b, afterNew = Entry{}, new
		case len(old) == 0 || order > 0:
			a, afterOld = Entry{}, old
		}
		pairs = append(pairs, EntryPair{a, b})
		old, new = afterOld, afterNew
	}
}

// sameEntries is how many bytes the entries take with which two trees both begin.
func sameEntries(a, b []byte, idLen int) (int, error) {
	same, at := samePrefix(a, b), 0
	for at < same {
		length := bytes.IndexByte(a[at:], 0)
		end := at + length + 1 + idLen
		if length < 0 || end > len(a) {
			return 0, fmt.Errorf("tree entry at byte %d: %w", at, ErrBadObject)
		}
		if end > same {
			break
		}
		at = end
	}
	return at, nil
}

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

// firstEntry reads the entry with which a tree begins; of an empty one it is zero.
func firstEntry(tree []byte, idLen int) (e Entry, rest []byte, err error) {
	if len(tree) == 0 {
		return Entry{}, nil, nil
	}
	span, err := spanOf(tree, idLen)
	if err != nil {
		return Entry{}, nil, err
	}
	return Entry{span.mode, string(tree[span.name : span.id-1]), ID{string(tree[span.id:span.end])}}, tree[span.end:], nil
}

// entryNamed looks a tree object through for a name; the zero entry: it has none. O(bytes).
func entryNamed(tree []byte, name string, idLen int) (Entry, error) {
	for len(tree) > 0 {
		span, err := spanOf(tree, idLen)
		if err != nil {
			return Entry{}, err
		}
		if string(tree[span.name:span.id-1]) == name {
			return Entry{span.mode, name, ID{string(tree[span.id:span.end])}}, nil
		}
		tree = tree[span.end:]
	}
	return Entry{}, nil
}

// Differences lists where two folders differ; the zero id is the empty one.
func (o *Overlay) Differences(ctx context.Context, old, new ID) ([]EntryPair, error) {
	a, err := o.folder(ctx, old)
	if err != nil {
		return nil, err
	}
	b, err := o.folder(ctx, new)
	if err != nil {
		return nil, err
	}
	pairs, err := TreeDifferences(a, b, o.repo.idLen)
	if err != nil {
		return nil, fmt.Errorf("compare trees %s and %s: %w", old, new, err)
	}
	return pairs, nil
}

// folder reads a tree as it is stored.
func (o *Overlay) folder(ctx context.Context, id ID) ([]byte, error) {
	if id.IsZero() {
		return nil, nil
	}
	object, err := o.Object(ctx, id)
	if err == nil && object.Kind != KindTree {
		err = fmt.Errorf("%s is a %s, not a tree: %w", id.Short(), object.Kind, ErrBadObject)
	}
	return object.Data, err
}
