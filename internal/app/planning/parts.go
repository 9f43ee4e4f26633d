package planning

import (
	"context"
	"encoding/json"
	"fmt"

	"bastel/internal/app"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// PartsOf spreads out what a commit changes, to be sorted into parts.
func (a *App) PartsOf(ctx context.Context, id repo.ID) (*tray.CommitParts, error) {
	commit, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, err
	}
	before, err := a.TreeOf(ctx, commit.Parent())
	if err != nil {
		return nil, err
	}
	parts, err := tray.NewCommitParts(ctx, a.Repo.NewOverlay(), before, commit.Tree)
	if err != nil {
		return nil, err
	}
	if err := parts.Sort(a.keptParts()[id.String()].moves()); err != nil {
		return parts, parts.Sort(nil) // what was kept is of no use: it begins anew
	}
	return parts, nil
}

// partsFile holds how commits are being sorted into parts that are not in a plan yet.
const partsFile = "parts.json"

// partsKept are the steps for one commit, in their order.
type partsKept []struct {
	From, To tray.Layer
	Selected []partKept
}

// partKept is what a step is about. The path is bytes: it need not be text.
type partKept struct {
	Path  []byte       `json:",omitempty"`
	Hunk  string       `json:",omitempty"`
	Lines map[int]bool `json:",omitempty"`
}

func (k partsKept) moves() []tray.PartMove {
	moves := make([]tray.PartMove, len(k))
	for i, step := range k {
		moves[i] = tray.PartMove{From: step.From, To: step.To}
		for _, s := range step.Selected {
			moves[i].Selected = append(moves[i].Selected, tray.Selection{Path: string(s.Path), Hunk: s.Hunk, Lines: s.Lines})
		}
	}
	return moves
}

// keptParts reads the file. What cannot be read is passed over, as other drafts are.
func (a *App) keptParts() map[string]partsKept {
	kept := map[string]partsKept{}
	if json.Unmarshal([]byte(a.ReadState(partsFile)), &kept) != nil {
		return map[string]partsKept{}
	}
	return kept
}

// KeepParts keeps how a commit is being sorted into parts, for the next time; no steps: there is nothing to keep.
func (a *App) KeepParts(id repo.ID, moves []tray.PartMove) error {
	kept := a.keptParts()
	steps := make(partsKept, len(moves))
	for i, move := range moves {
		steps[i].From, steps[i].To = move.From, move.To
		for _, s := range move.Selected {
			steps[i].Selected = append(steps[i].Selected, partKept{[]byte(s.Path), s.Hunk, s.Lines})
		}
	}
	if kept[id.String()] = steps; len(steps) == 0 {
		delete(kept, id.String())
	}
	if len(kept) == 0 {
		return a.WriteState(partsFile, "")
	}
	data, err := json.Marshal(kept)
	if err != nil {
		return fmt.Errorf("keep the parts of %s: %w", id.Short(), err)
	}
	return a.WriteState(partsFile, string(data))
}

// SplitCommit makes a commit's parts from a desk, which is used up: one from each tray
// that holds something, and one from what stayed loose. Author and date are the
// commit's.
func (a *App) SplitCommit(ctx context.Context, id repo.ID, desk *tray.CommitParts) (parts []repo.ID, messages []string, err error) {
	source, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return nil, nil, err
	}
	before, err := a.TreeOf(ctx, source.Parent())
	if err != nil {
		return nil, nil, err
	}
	overlay := a.Repo.NewOverlay()
	trees, err := desk.Trees(ctx, overlay, before)
	if err != nil {
		return nil, nil, app.SelectionRefusal(err)
	}
	if len(trees) < 2 {
		return nil, nil, app.Refuse("A split needs two parts at least. Put some hunks into a tray, and leave some loose or in another one.")
	}
	if trees[len(trees)-1] != source.Tree {
		return nil, nil, fmt.Errorf("split %s: the parts do not add up", id.Short())
	}
	parent := source.Parent()
	for n, tree := range trees {
		text := source.Text(source.Message)
		if n > 0 {
			text = fmt.Sprintf("%s, part %d\n", repo.Subject(text), n+1)
		}
		part := &repo.Commit{Tree: tree, Author: source.Author, Committer: source.Committer, Message: text}
		if !parent.IsZero() {
			part.Parents = []repo.ID{parent}
		}
		parent = overlay.Put(repo.KindCommit, part.Encode())
		parts, messages = append(parts, parent), append(messages, text)
	}
	messages[0] = ""
	return parts, messages, overlay.Flush(ctx, parent)
}
