package merge

import (
	"bytes"
	"context"
	"slices"

	"bastel/internal/repo"
)

// Ancestor makes one content of two best common ancestors, to be the base of a merge of
// histories that parted and met more than once. Where they conflict it holds both
// sides' lines between markers, so that whatever either history made of them counts as a
// change; of what is no text it holds what both came from.
func Ancestor(ctx context.Context, objects Objects, options Options, base, left, right repo.ID) (repo.ID, error) {
	merged, err := TreesWith(ctx, objects, options, base, left, right)
	if err != nil {
		return repo.ID{}, err
	}
	var edits []repo.IndexEntry
	for _, c := range merged.Conflicts {
		switch {
		case c.Chunks != nil:
			edits = append(edits, repo.IndexEntry{Path: c.Path, Mode: c.Left.Mode, ID: objects.Put(repo.KindBlob, marked(c.Chunks))})
		case c.Kind != RenameRename:
			edits = append(edits, repo.IndexEntry{Path: c.Path, Mode: c.Base.Mode, ID: c.Base.ID})
		}
	}
	return repo.EditTree(ctx, objects, merged.Tree, edits)
}

// marked is a text with its open regions between lines that no file is likely to hold.
func marked(chunks []Chunk) []byte {
	var text [][]byte
	for _, chunk := range chunks {
		text = append(text, chunk.Settled...)
		if r := chunk.Region; r != nil {
			text = append(text, []byte("<<<<<<< one ancestor\n"))
			text = append(text, ended(r.Left, true)...)
			text = append(text, []byte("=======\n"))
			text = append(text, ended(r.Right, true)...)
			text = append(text, []byte(">>>>>>> another ancestor\n"))
		}
	}
	return bytes.Join(slices.Clip(text), nil)
}
