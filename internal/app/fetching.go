package app

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// Arrival is what a fetch brought for one branch of the remote.
type Arrival struct {
	Branch    string  `json:"branch"` // as people say it: origin/main
	Old       repo.ID `json:"old"`    // empty: it is new
	New       repo.ID `json:"new"`    // empty: it is gone there
	Commits   int     `json:"commits"`
	Touching  int     `json:"touching"`  // of them those that touch files of the current branch
	Rewritten bool    `json:"rewritten"` // it lost commits that it had
	Yours     bool    `json:"yours"`     // it is the current branch's own there, or its target
}

// Says tells it in a sentence.
func (r Arrival) Says() string {
	switch {
	case r.New.IsZero():
		return r.Branch + " is gone."
	case r.Old.IsZero():
		return r.Branch + " is new."
	}
	text := fmt.Sprintf("%s has %s", r.Branch, Count(r.Commits, "new commit"))
	if r.Rewritten {
		text = fmt.Sprintf("%s was rewritten, with %s", r.Branch, Count(r.Commits, "new commit"))
	}
	switch {
	case r.Touching == 1:
		text += "; 1 touches files of your branch"
	case r.Touching > 1:
		text += fmt.Sprintf("; %d touch files of your branch", r.Touching)
	}
	return text + "."
}

// Fetch brings the branches of the remotes that concern the current branch up to date, and
// nothing else: the one that it is pushed to, its upstream's, its target's. It tells what
// came, what concerns the branch itself first.
func (a *App) Fetch(ctx context.Context, progress func(line string)) ([]Arrival, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	target, err := send.FindTarget(ctx, a.Repo, head.Branch(), "")
	if err != nil {
		return nil, err
	}
	remotes, err := a.remotesOf(ctx, head.Branch(), target.Remote)
	if err != nil {
		return nil, err
	}
	before, err := a.remoteBranches(ctx, remotes)
	if err != nil {
		return nil, err
	}
	for _, remote := range remotes {
		if err := a.Repo.Fetch(ctx, remote, progress); err != nil {
			return nil, err
		}
	}
	after, err := a.remoteBranches(ctx, remotes)
	if err != nil {
		return nil, err
	}
	return a.arrivals(ctx, head, target, before, after)
}

// remotesOf lists the remotes that concern a branch, the one that it is pushed to first.
func (a *App) remotesOf(ctx context.Context, branch, pushed string) ([]string, error) {
	known, err := a.Repo.Remotes(ctx)
	if err != nil {
		return nil, err
	}
	upstream, err := a.Repo.Config(ctx, "branch."+branch+".remote")
	if err != nil {
		return nil, err
	}
	target, err := a.FindTarget(ctx, branch)
	if err != nil {
		return nil, err
	}
	remotes := []string{pushed}
	for _, remote := range known {
		if (remote == upstream || strings.HasPrefix(target.Name, remote+"/")) && remote != pushed {
			remotes = append(remotes, remote)
		}
	}
	return remotes, nil
}

func (a *App) remoteBranches(ctx context.Context, remotes []string) (map[string]repo.ID, error) {
	prefixes := make([]string, len(remotes))
	for i, remote := range remotes {
		prefixes[i] = "refs/remotes/" + remote
	}
	refs, err := a.Repo.Refs(ctx, prefixes...)
	if err != nil {
		return nil, err
	}
	branches := map[string]repo.ID{}
	for _, ref := range refs {
		if ref.Symref == "" {
			branches[ref.Name] = ref.ID
		}
	}
	return branches, nil
}

// mostArrivals is for how many branches it is counted what came.
const mostArrivals = 50

func (a *App) arrivals(ctx context.Context, head repo.Head, own send.Target, before, after map[string]repo.ID) ([]Arrival, error) {
	aim, err := a.FindTarget(ctx, head.Branch())
	if err != nil {
		return nil, err
	}
	var list []Arrival
	names := map[string]bool{}
	for name := range before {
		names[name] = true
	}
	for name := range after {
		names[name] = true
	}
	for name := range names {
		if before[name] == after[name] {
			continue
		}
		short := repo.Ref{Name: name}.Short()
		list = append(list, Arrival{Branch: short, Old: before[name], New: after[name], Yours: name == own.Tracking || short == aim.Name})
	}
	slices.SortFunc(list, func(x, y Arrival) int {
		if x.Yours != y.Yours {
			if x.Yours {
				return -1
			}
			return 1
		}
		return strings.Compare(x.Branch, y.Branch)
	})
	var paths map[string]bool
	for i := range list[:min(len(list), mostArrivals)] {
		r := &list[i]
		if r.Old.IsZero() || r.New.IsZero() {
			continue
		}
		lost := 0
		if lost, r.Commits, err = a.Repo.CountApart(ctx, r.Old, r.New); err != nil {
			return nil, err
		}
		r.Rewritten = lost > 0
		if !r.Yours || head.Commit.IsZero() {
			continue
		}
		if paths == nil {
			if paths, err = a.ownPaths(ctx, head, aim); err != nil {
				return nil, err
			}
		}
		if r.Touching, err = a.touching(ctx, r.Old, r.New, paths); err != nil {
			return nil, err
		}
	}
	return list, nil
}

// ownPaths are the files that the branch changes, loose changes among them.
func (a *App) ownPaths(ctx context.Context, head repo.Head, aim Target) (map[string]bool, error) {
	paths := map[string]bool{}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return nil, err
	}
	for _, c := range changes {
		paths[c.Path] = true
	}
	if aim.ID.IsZero() {
		return paths, nil
	}
	base, err := a.Repo.MergeBase(ctx, aim.ID, head.Commit)
	if err != nil {
		return nil, err
	}
	return paths, a.addPaths(ctx, base, head.Commit, paths)
}

func (a *App) addPaths(ctx context.Context, from, to repo.ID, paths map[string]bool) error {
	old, err := a.treeOf(ctx, from)
	if err != nil {
		return err
	}
	new, err := a.treeOf(ctx, to)
	if err != nil {
		return err
	}
	list, err := merge.Compare(ctx, a.Repo.NewOverlay(), old, new)
	for _, d := range list {
		paths[d.Path] = true
	}
	return err
}

// mostLookedInto is how many of the commits that came are held against the branch.
const mostLookedInto = 200

// touching counts the commits that touch some of the paths.
func (a *App) touching(ctx context.Context, old, new repo.ID, paths map[string]bool) (int, error) {
	ids, err := a.Repo.RevList(ctx, "--no-merges", fmt.Sprintf("--max-count=%d", mostLookedInto), new.String(), "^"+old.String())
	if err != nil {
		return 0, err
	}
	commits, err := a.Repo.Commits(ctx, ids)
	if err != nil {
		return 0, err
	}
	n := 0
	for i, c := range commits {
		touched := map[string]bool{}
		if err := a.addPaths(ctx, c.Parent(), ids[i], touched); err != nil {
			return 0, err
		}
		for path := range touched {
			if paths[path] {
				n++
				break
			}
		}
	}
	return n, nil
}
