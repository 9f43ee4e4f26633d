package app

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"

	"bastel/internal/repo"
	"bastel/internal/shape"
)

// DraftName stands for a branch in file and ref names, where its own name may be too
// long, or in the way of another one's.
func DraftName(branch string) string {
	sum := sha256.Sum256([]byte(branch))
	return hex.EncodeToString(sum[:8])
}

// PlanFile holds the draft of a branch's plan that was not applied yet.
func PlanFile(branch string) string { return "plan-" + DraftName(branch) + ".toml" }

// DraftRef keeps the commits that were made for a draft in this working tree from being pruned.
func (a *App) DraftRef(branch string) string {
	return a.PlanRef(a.Repo.WorktreeName() + "/" + DraftName(branch))
}

// renameDraft has the draft of a branch's plan follow the branch to another name. One that cannot be read stays.
func (a *App) renameDraft(ctx context.Context, from, to string) error {
	text := a.ReadState(PlanFile(from))
	file, err := shape.Decode([]byte(text))
	if text == "" || err != nil {
		return nil
	}
	file.Branch = to
	data, err := file.Encode()
	if err != nil {
		return err
	}
	kept, err := a.Repo.RefValue(ctx, a.DraftRef(from))
	if err == nil && !kept.IsZero() {
		err = a.Repo.UpdateRefs(ctx, "plan", repo.RefUpdate{Ref: a.DraftRef(to), New: kept}, repo.RefUpdate{Ref: a.DraftRef(from), Old: kept})
	}
	return errors.Join(err, a.WriteState(PlanFile(to), string(data)), a.WriteState(PlanFile(from), ""))
}
