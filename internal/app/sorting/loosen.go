package sorting

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Loosened is what came of making commits loose again.
type Loosened struct {
	Commits int
	Paths   []string // what they changed
	Staged  []string // those of them that stay staged, since no working file of theirs is wanted here
}

// Loosen makes the commits from one on, up to the last, loose
// changes again, or trays, one for each, with their messages. The working tree stays as it
// is, and so do loose and staged changes. A tray keeps the author and the date of the commit that it was.
func (a *App) Loosen(ctx context.Context, from repo.ID, intoTrays bool) (Loosened, error) {
	var none Loosened
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
		return none, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return none, err
	}
	commits, err := a.lastCommits(ctx, head, from)
	if err != nil {
		return none, err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return none, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return none, err
	}
	into, shift, err := layersFor(commits, kept, changes, intoTrays)
	if err != nil {
		return none, err
	}
	var past []tray.Past
	for i := len(commits) - 1; i >= 0; i-- {
		before, err := a.TreeOf(ctx, commits[i].Commit.Parent())
		if err != nil {
			return none, err
		}
		past = append(past, tray.Past{Before: before, Message: commits[i].Message, Author: commits[i].Commit.Text(commits[i].Commit.Author),
			Into: into[i]})
	}
	last := commits[len(commits)-1]
	out, err := tray.ReturnLayers(ctx, a.Repo, a.Repo.NewOverlay(), last.Commit.Tree, changes, kept, past, shift)
	if err != nil {
		return none, app.SelectionRefusal(err)
	}
	loosened := Loosened{Commits: len(commits)}
	if loosened.Staged, err = a.keepUnwanted(ctx, &out, intoTrays && len(commits) > 1); err != nil {
		return none, err
	}
	entry := journal.Entry{Kind: journal.Loosen, Ref: app.BranchRef(head), Old: head.Commit, New: commits[0].Commit.Parent(),
		Title: wording.Count(len(commits), "commit") + " from " + commits[0].Commit.Subject()}
	first, err := a.TreeOf(ctx, entry.New)
	if err != nil {
		return none, err
	}
	differences, err := merge.Compare(ctx, a.Engine.Objects(), first, last.Commit.Tree)
	if err != nil {
		return none, err
	}
	for _, d := range differences {
		loosened.Paths = append(loosened.Paths, d.Path)
	}
	_, err = a.carryOutSorting(ctx, entry, "loosen: "+entry.Title, out, nil)
	return loosened, err
}

// keepUnwanted leaves the index as it is where the working file is not wanted, as outside a sparse checkout: what
// the commits changed there is in no working file, so that it would be gone. It stays staged. Apart in several trays it cannot be.
func (a *App) keepUnwanted(ctx context.Context, out *tray.Outcome, apart bool) (staged []string, err error) {
	var paths []string
	for _, e := range out.Index {
		paths = append(paths, e.Path)
	}
	flags, err := a.Repo.IndexFlags(ctx, paths)
	if err != nil {
		return nil, err
	}
	for path, has := range flags {
		if has&repo.SkipWorktree != 0 {
			staged = append(staged, path)
		}
	}
	slices.Sort(staged)
	stays := func(path string) bool {
		return slices.ContainsFunc(staged, func(unwanted string) bool { // a file in a folder's place, or the other way round, takes it out
			return path == unwanted || strings.HasPrefix(path, unwanted+"/") || strings.HasPrefix(unwanted, path+"/")
		})
	}
	out.Index = slices.DeleteFunc(out.Index, func(e repo.IndexEntry) bool { return stays(e.Path) })
	if apart && len(staged) > 0 {
		return nil, app.Refuse("%q lies outside the sparse checkout, so its changes cannot be kept in several trays. Nothing was changed. "+
			"Loosen them as loose changes, or bring the folder into the checkout first.", staged[0])
	}
	return staged, nil
}

// StaysStaged is a sentence about those paths; empty: there are none.
func (l Loosened) StaysStaged() string {
	if len(l.Staged) == 0 {
		return ""
	}
	return wording.Count(len(l.Staged), "file") + " outside the sparse checkout stayed staged."
}

// lastCommits reads the commits from one to HEAD, oldest first.
func (a *App) lastCommits(ctx context.Context, head repo.Head, from repo.ID) ([]app.Source, error) {
	first, err := a.Repo.Commit(ctx, from)
	if err != nil {
		return nil, err
	}
	if below, err := a.Repo.IsAncestor(ctx, from, head.Commit); err != nil || !below {
		if err == nil {
			err = app.Refuse("%s is not in the history of %s.", from.Short(), orHead(head))
		}
		return nil, err
	}
	ids, err := a.Repo.Range(ctx, first.Parent(), head.Commit)
	if err != nil {
		return nil, err
	}
	commits, err := a.Sources(ctx, ids)
	if err != nil {
		return nil, err
	}
	for _, c := range commits {
		if len(c.Commit.Parents) > 1 {
			return nil, app.Refuse("Commit %s (%s) is a merge, which cannot go back to being changes. Start after it.", c.ID.Short(),
				c.Commit.Subject())
		}
	}
	if len(commits) == 0 || commits[0].ID != from {
		return nil, app.Refuse("%s is not on the straight line to %s.", from.Short(), orHead(head))
	}
	return commits, nil
}

func orHead(head repo.Head) string {
	if head.Ref == "" {
		return "HEAD"
	}
	return head.Branch()
}

// layersFor chooses where each commit goes, and by how many letters the trays that
// are there move up.
func layersFor(commits []app.Source, kept *tray.State, changes []repo.Change, intoTrays bool) ([]tray.Layer, int, error) {
	into := make([]tray.Layer, len(commits))
	if !intoTrays {
		for i := range into {
			into[i] = tray.Loose
		}
		return into, 0, nil
	}
	if slices.ContainsFunc(changes, func(c repo.Change) bool { return c.Staged }) {
		return nil, 0, app.Refuse("Tray A holds something already. Commit it or take it out first.")
	}
	highest := tray.A
	for l := range kept.Messages {
		highest = max(highest, l)
	}
	for _, l := range kept.Layers() {
		highest = max(highest, l)
	}
	shift := len(commits) - 1
	if int(highest)+shift > int(tray.Last) {
		return nil, 0, app.Refuse("There are not enough trays for %s. Loosen fewer, or make them loose changes.",
			wording.Count(len(commits), "commit"))
	}
	for i := range into {
		into[i] = tray.A + tray.Layer(i)
	}
	return into, shift, nil
}

// LastCommits lists the commits that can be taken back, oldest first: the branch's
// own ones, else some of the last ones, after the last merge.
func (a *App) LastCommits(ctx context.Context) ([]app.Source, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return nil, err
	}
	if head.Ref != "" && !head.Commit.IsZero() {
		if _, own, err := a.ownRange(ctx); err == nil && len(own) > 0 {
			return own, nil
		}
	}
	ids, err := a.Repo.RevList(ctx, "--first-parent", fmt.Sprintf("--max-count=%d", app.UnboundedRange), head.Commit.String())
	if err != nil {
		return nil, err
	}
	slices.Reverse(ids)
	sources, err := a.Sources(ctx, ids)
	if err != nil {
		return nil, err
	}
	merged := -1
	for i, s := range sources {
		if len(s.Commit.Parents) > 1 {
			merged = i
		}
	}
	return sources[merged+1:], nil
}

// Published tells which commits a remote has, by its own last known state.
func (a *App) Published(ctx context.Context, commits []app.Source) (map[repo.ID]bool, error) {
	published := map[repo.ID]bool{}
	if len(commits) == 0 {
		return published, nil
	}
	args := []string{"--topo-order"}
	for _, c := range commits {
		args = append(args, c.ID.String())
	}
	own, err := a.Repo.RevList(ctx, append(args, "--not", "--remotes")...)
	if err != nil {
		return nil, err
	}
	unsent := make(map[repo.ID]bool, len(own))
	for _, id := range own {
		unsent[id] = true
	}
	for _, c := range commits {
		published[c.ID] = !unsent[c.ID]
	}
	return published, nil
}
