package merge

import (
	"bytes"
	"context"
	"regexp"
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
		case c.Kind == RenameRename && c.Base.IsZero(): // nobody says whether it follows its folder: it stays where it was put
		case c.Kind == RenameRename: // under neither name, so that whatever either history settled on is its rename
			edits = append(edits, repo.IndexEntry{Path: c.Path}, repo.IndexEntry{Path: c.From, Mode: c.Base.Mode, ID: c.Base.ID})
		default:
			edits = append(edits, repo.IndexEntry{Path: c.Path, Mode: c.Base.Mode, ID: c.Base.ID})
		}
	}
	return repo.EditTree(ctx, objects, merged.Tree, edits)
}

// The lines between which a base holds what its ancestors disagree in.
const (
	oneAncestor     = "<<<<<<< one ancestor\n"
	betweenThem     = "=======\n"
	anotherAncestor = ">>>>>>> another ancestor\n"
)

// ancestorMarks finds such lines, those too that the repository's own merging writes into a base that waits in its index.
var ancestorMarks = regexp.MustCompile(`(?m)^(<{7,} (one ancestor|Temporary merge branch 1)|={7,}|` +
	`>{7,} (another ancestor|Temporary merge branch 2))\r?$`)

// holdsAncestors says whether a base is none that anybody wrote.
func holdsAncestors(base []byte) bool {
	for _, mark := range ancestorMarks.FindAll(base, -1) {
		if mark[0] == '<' {
			return true
		}
	}
	return false
}

// hideAncestors takes the base from the regions in which the ancestors disagree, so that it is never offered as a text.
func (c *Conflict) hideAncestors(base []byte, chunks []Chunk) {
	if !holdsAncestors(base) {
		return
	}
	c.NoBase = true
	for _, chunk := range chunks {
		if r := chunk.Region; r != nil && slices.ContainsFunc(r.Base, ancestorMarks.Match) {
			r.Base, r.NoBase = nil, true
		}
	}
}

// lookAtBases notes of conflicts about whole files whether their base is a text.
func lookAtBases(ctx context.Context, objects Objects, conflicts []Conflict) error {
	for i := range conflicts {
		c := &conflicts[i]
		if c.Chunks != nil || !c.Base.Mode.IsFile() {
			continue
		}
		base, err := objects.Blob(ctx, c.Base.ID)
		if err != nil {
			return err
		}
		c.hideAncestors(base, nil)
	}
	return nil
}

// marked is a text with its open regions between lines that no file is likely to hold.
func marked(chunks []Chunk) []byte {
	var text [][]byte
	for _, chunk := range chunks {
		text = append(text, chunk.Settled...)
		if r := chunk.Region; r != nil {
			text = append(text, []byte(oneAncestor))
			text = append(text, ended(r.Left, true)...)
			text = append(text, []byte(betweenThem))
			text = append(text, ended(r.Right, true)...)
			text = append(text, []byte(anotherAncestor))
		}
	}
	return bytes.Join(slices.Clip(text), nil)
}
