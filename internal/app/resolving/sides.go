package resolving

import (
	"context"
	"fmt"
	"slices"

	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
)

// waitingSide names a side, and where its commits are to be looked for.
type waitingSide struct {
	name string
	tip  repo.ID // zero: not known
	not  repo.ID
	only bool // the tip is the one commit that it is about
	back bool // it is what was before that
}

// waitingSides says what the sides are: the left one is HEAD's.
func (a *App) waitingSides(ctx context.Context, w *PendingMerge) (sides [2]waitingSide, err error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return sides, err
	}
	here := "HEAD"
	if head.Ref != "" {
		here = "your branch " + head.Branch()
	}
	sides = [2]waitingSide{{name: here, tip: head.Commit}, {name: otherWithoutCommit(w.Operation)}}
	for _, known := range []struct{ file, name string }{
		{repo.MergeHead, "the branch merged in"}, {repo.RebaseHead, "your commit"}, {repo.CherryPickHead, "the commit that is taken"},
		{repo.RevertHead, "what was before the commit"},
	} {
		id, more, err := a.Repo.OperationHead(known.file)
		if err != nil {
			return sides, err
		}
		if id.IsZero() {
			continue
		}
		if more { // which of them wrote a text is not known
			sides[1] = waitingSide{name: "the branch merged in"}
			break
		}
		sides[1] = waitingSide{name: known.name, tip: id, not: head.Commit, only: known.file != repo.MergeHead,
			back: known.file == repo.RevertHead}
		sides[0].not = id
		if known.file == repo.RebaseHead {
			sides[0].name, w.First = "what was replayed so far", mend.Right
		}
		break
	}
	return sides, nil
}

// otherWithoutCommit is the other side of what waits where no file says which commit it is.
func otherWithoutCommit(operation string) string {
	switch operation {
	case "":
		return "the stash"
	case "patch series":
		return "the patch"
	}
	return "what is applied"
}

func (a *App) waitingStories(ctx context.Context, c merge.Conflict, sides [2]waitingSide) (RegionHistory, error) {
	var stories [2]SideHistory
	for i, side := range sides {
		ids := []repo.ID{}
		switch {
		case side.only:
			ids = append(ids, side.tip)
		case !side.tip.IsZero() && !side.not.IsZero():
			found, err := a.Repo.RevList(ctx, fmt.Sprintf("--max-count=%d", mostNamed), side.tip.String(), "^"+side.not.String(), "--",
				":(top,literal)"+c.Path)
			if err != nil {
				return RegionHistory{}, err
			}
			slices.Reverse(found)
			ids = found
		}
		story, err := a.story(ctx, side.name, ids)
		if err != nil {
			return RegionHistory{}, err
		}
		switch {
		case ![2]repo.Entry{c.Left, c.Right}[i].IsZero(): // it is there: nothing is asked
		case side.back:
			story.Absent = hasNone
		case side.only: // what a single commit lacks it took away
			story.Absent = deletedIt
		default:
			if story.Absent, err = a.absent(ctx, side.tip, c); err != nil {
				return RegionHistory{}, err
			}
		}
		stories[i] = story
	}
	return RegionHistory{stories[0], stories[1]}, nil
}
