package publishing

import (
	"context"
	"fmt"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// LandedBranch is a branch with what came of its landing.
type LandedBranch struct {
	Branch string
	Landed
}

// LandInOrder lands branches one after the other; none of them need be checked out. Each has to sit on the one before it,
// since a target moves forward only: that is looked at before anything is done. Where one cannot land after another did,
// what landed stays, and the reason is a warning.
func (a *App) LandInOrder(ctx context.Context, names []string, how Landing, progress func(line string)) ([]LandedBranch, error) {
	var last repo.Head
	for i, name := range names {
		head, err := a.HeadOf(ctx, name)
		if err != nil {
			return nil, err
		}
		if seen, shown := how.Seen[name]; shown && seen != head.Commit {
			return nil, app.Refuse("%s was changed since it was shown. Nothing was changed. Look at it again.", name)
		}
		if i > 0 && how.Merge == "" {
			on, err := a.Repo.IsAncestor(ctx, last.Commit, head.Commit)
			if err != nil {
				return nil, err
			}
			if !on {
				return nil, app.Refuse("%s does not sit on %s, so it cannot land after it. Nothing was changed. Put it there first: bastel plan "+
					"--branch %s "+
					"--onto %s, and apply that; ) in Shape does the same.", name, last.Branch(), name, last.Branch())
			}
		}
		last = head
	}
	var landed []LandedBranch
	for _, name := range names {
		how.Branch = name
		one, err := a.Land(ctx, how, progress)
		switch {
		case err != nil && len(landed) == 0:
			return nil, err
		case err != nil:
			done := &landed[len(landed)-1]
			done.Warnings = append(done.Warnings, fmt.Sprintf("%s did not land: %s", name, app.Explain(err)))
			return landed, nil
		}
		landed = append(landed, LandedBranch{name, one})
	}
	return landed, nil
}
