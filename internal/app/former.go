package app

import (
	"context"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// formerRefs is where older versions kept what is Bastel's own: in the list of refs, where it
// showed, and went out with a mirror's push.
const formerRefs = "refs/bastel/"

// carryOver moves what an older version kept to where it lies now.
func (a *App) carryOver(ctx context.Context) error {
	if !a.Repo.MayHaveRefs(formerRefs) {
		return nil
	}
	refs, err := a.Repo.Refs(ctx, strings.TrimSuffix(formerRefs, "/"))
	if err != nil {
		return err
	}
	var moves []repo.RefUpdate
	for _, ref := range refs {
		to := a.ownNameOf(strings.TrimPrefix(ref.Name, formerRefs))
		now, err := a.Repo.RefValue(ctx, to)
		if err != nil {
			return err
		}
		if to == "" || !now.IsZero() {
			continue
		}
		moves = append(moves, repo.RefUpdate{Ref: to, New: ref.ID}, repo.RefUpdate{Ref: ref.Name, Old: ref.ID})
	}
	if len(moves) == 0 {
		return nil
	}
	return a.Repo.UpdateRefs(ctx, "carried over", moves...)
}

// ownNameOf is what a former ref is called now; empty where nothing is.
func (a *App) ownNameOf(name string) string {
	kind, rest, _ := strings.Cut(name, "/")
	switch kind {
	case "journal":
		return journal.Ref(a.Repo)
	case "trays":
		return tray.RefOf(a.Repo, rest)
	case "plans":
		return a.PlanRef(rest)
	}
	return ""
}
