package sorting

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Draft is a tray that shall become a commit.
type Draft struct {
	Tray    tray.Layer
	Message string
	Seen    []string  // ids of its hunks as the user saw them; nil: whatever is there
	View    tray.View // in which they were seen: all drafts of one commit in the same
	Meant   bool      // lines that look like conflict markers are intended
}

// CommitTrays makes commits from trays, in the order of their letters, all of them or
// none. What is in other trays, and loose, stays so.
func (a *App) CommitTrays(ctx context.Context, drafts []Draft) (app.Made, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
		return app.Made{}, err
	}
	drafts = slices.Clone(drafts)
	slices.SortFunc(drafts, func(x, y Draft) int { return int(x.Tray) - int(y.Tray) })
	for _, d := range drafts {
		if app.CleanMessage(d.Message) == "" {
			return app.Made{}, app.Refuse("A commit needs a message. Give tray %s a subject that says what changes.", d.Tray)
		}
	}
	c := commitRun{App: a, drafts: drafts, overlay: a.Repo.NewOverlay()}
	if err := c.read(ctx); err != nil {
		return app.Made{}, err
	}
	if err := c.makeTrees(ctx); err != nil {
		return app.Made{}, app.SelectionRefusal(err)
	}
	meant := !slices.ContainsFunc(drafts, func(d Draft) bool { return !d.Meant })
	leftovers, err := a.GuardContent(ctx, c.overlay, meant, []repo.ID{c.tree}, c.trees...)
	if err != nil {
		return app.Made{}, err
	}
	made, title, err := c.makeCommits(ctx)
	if err != nil {
		return app.Made{}, err
	}
	last := made.Commits[len(made.Commits)-1]
	entry := journal.Entry{Kind: journal.Commit, Ref: app.BranchRef(c.head), Old: c.head.Commit, New: last, Title: title}
	verb := "commit: "
	if c.head.Commit.IsZero() {
		verb = "commit (initial): "
	}
	made.Warning, err = a.carryOutSorting(ctx, entry, verb+title, c.out, func(ctx context.Context) error {
		return a.Repo.RunHook(ctx,
			"post-commit")
	})
	if err != nil {
		return app.Made{}, err
	}
	made.Warning = sentences(leftovers, made.Warning)
	return made, nil
}

// sentences puts what there is to be said one after the other.
func sentences(said ...string) string {
	return strings.Join(slices.DeleteFunc(said, func(s string) bool { return s == "" }), " ")
}

// commitRun is the state of making commits from trays.
type commitRun struct {
	*App
	drafts  []Draft
	overlay *repo.Overlay
	head    repo.Head
	tree    repo.ID // HEAD's
	changes []repo.Change
	kept    *tray.State
	trees   []repo.ID
	out     tray.Outcome
}

func (c *commitRun) read(ctx context.Context) (err error) {
	if c.head, err = c.Repo.Head(ctx); err != nil {
		return err
	}
	if c.tree, err = c.TreeOf(ctx, c.head.Commit); err != nil {
		return err
	}
	if c.changes, err = c.Repo.Status(ctx); err != nil {
		return err
	}
	if c.kept, err = c.keptTrays(ctx); err != nil {
		return err
	}
	for _, change := range c.changes {
		if change.Conflict {
			return app.Refuse("%q is left unresolved by a merge. Resolve it before you commit.", change.Path)
		}
	}
	return c.checkContent(ctx)
}

// checkContent refuses trays that are empty, or that hold something else than what
// the user saw.
func (c *commitRun) checkContent(ctx context.Context) error {
	onlyA := len(c.drafts) == 1 && c.drafts[0].Tray == tray.A
	if onlyA && c.drafts[0].Seen == nil {
		if slices.ContainsFunc(c.changes, func(change repo.Change) bool { return change.Staged }) {
			return nil
		}
		return emptyRefusal(tray.A)
	}
	board, err := tray.Read(ctx, c.Repo, c.changes, c.kept, c.drafts[0].View)
	if err != nil {
		return err
	}
	for _, d := range c.drafts {
		ids := tray.IDs(board.Files(d.Tray))
		if len(ids) == 0 {
			return emptyRefusal(d.Tray)
		}
		if d.Seen != nil && !slices.Equal(d.Seen, ids) {
			return &app.Refusal{Reason: fmt.Sprintf("What is in tray %s has changed since you looked, so nothing was committed. Look again, then "+
				"repeat.", d.Tray), Err: repo.ErrMoved}
		}
	}
	return nil
}

func emptyRefusal(at tray.Layer) error {
	if at == tray.A {
		return &app.Refusal{Reason: "Nothing is staged, so there is nothing to commit. Put some hunks into tray A first.",
			Err: app.ErrNothingStaged}
	}
	return app.Refuse("Tray %s is empty, so there is nothing to commit. Put some hunks into it first.", at)
}

// makeTrees works out what the commits will hold. The hook that runs before a commit
// sees exactly that, in the index: the real one for tray A by itself, where it may
// stage more, else one made for it.
func (c *commitRun) makeTrees(ctx context.Context) (err error) {
	layers := make([]tray.Layer, len(c.drafts))
	for i, d := range c.drafts {
		layers[i] = d.Tray
	}
	if len(layers) == 1 && layers[0] == tray.A {
		return c.makeStagedTree(ctx)
	}
	if c.trees, c.out, err = tray.CommitLayers(ctx, c.Repo, c.overlay, c.tree, c.changes, c.kept, layers); err != nil {
		return err
	}
	if err := c.overlay.Flush(ctx, c.trees...); err != nil {
		return err
	}
	if !c.Repo.HasHook(ctx, "pre-commit") {
		return nil
	}
	for i, tree := range c.trees {
		after, err := c.Repo.RunHookOn(ctx, tree, "pre-commit")
		if err != nil {
			return app.RefusalFor(err)
		}
		if after != tree {
			return app.Refuse("The pre-commit hook changes what tray %s would commit. Nothing was changed. Commit it alone, as tray A, where the "+
				"hook's changes are staged.", layers[i])
		}
	}
	return nil
}

func (c *commitRun) makeStagedTree(ctx context.Context) error {
	if err := c.Repo.RunHook(ctx, "pre-commit"); err != nil {
		return app.RefusalFor(err)
	}
	tree, err := c.Repo.WriteTree(ctx) // after the hook, which may have staged more
	if err != nil {
		return err
	}
	c.trees = []repo.ID{tree}
	if len(c.kept.Paths()) > 0 {
		if _, c.out, err = tray.CommitLayers(ctx, c.Repo, c.overlay, c.tree, c.changes, c.kept, []tray.Layer{tray.A}); err != nil {
			return err
		}
		c.out.Index = nil // it is as it shall be
		return nil
	}
	c.out.Kept = c.kept.Clone()
	c.out.Kept.Forget(tray.A)
	return nil
}

func (c *commitRun) makeCommits(ctx context.Context) (made app.Made, title string, err error) {
	parent := c.head.Commit
	for i, tree := range c.trees {
		message, err := c.CheckMessage(ctx, c.drafts[i].Message)
		if err != nil {
			return made, "", err
		}
		var parents []repo.ID
		if !parent.IsZero() {
			parents = []repo.ID{parent}
		}
		if parent, err = c.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: parents, Message: message,
			Author: c.kept.Authors[c.drafts[i].Tray]}); err != nil {
			return made, "", app.SignerRefusal(err)
		}
		made.Commits = append(made.Commits, parent)
		title = repo.Subject(message)
	}
	if n := len(made.Commits); n > 1 {
		title = fmt.Sprintf("%d commits, the last one %s", n, title)
	}
	return made, title, nil
}

// Amendment is what the last commit shall become.
type Amendment struct {
	Message   string // empty: it stays
	Author    string // "Name <address>"; empty: it stays
	Content   bool   // what is staged joins it
	Published bool   // go on although a remote has the commit already
	Meant     bool   // lines that look like conflict markers are intended
}

// Amend makes the last commit anew. Its author and date stay, unless another author
// is given.
func (a *App) Amend(ctx context.Context, am Amendment) (app.Made, error) {
	a.TraysLock.Lock()
	defer a.TraysLock.Unlock()
	if err := a.RefuseUnfinished(); err != nil {
		return app.Made{}, err
	}
	head, err := a.amendable(ctx, am)
	if err != nil {
		return app.Made{}, err
	}
	old, err := a.Repo.Commit(ctx, head.Commit)
	if err != nil {
		return app.Made{}, err
	}
	made := repo.NewCommit{Tree: old.Tree, Parents: old.Parents, Message: old.Text(old.Message), Author: old.Text(old.Author)}
	if made.Author, err = amendedAuthor(made.Author, am.Author); err != nil {
		return app.Made{}, err
	}
	c := commitRun{App: a, overlay: a.Repo.NewOverlay(), head: head, tree: old.Tree}
	if c.kept, err = a.keptTrays(ctx); err != nil {
		return app.Made{}, err
	}
	c.out.Kept = c.kept.Clone()
	leftovers := ""
	if am.Content {
		if c.changes, err = a.Repo.Status(ctx); err != nil {
			return app.Made{}, err
		}
		if err := c.makeStagedTree(ctx); err != nil {
			return app.Made{}, err
		}
		made.Tree = c.trees[0]
		if leftovers, err = a.GuardContent(ctx, c.overlay, am.Meant, []repo.ID{old.Tree}, made.Tree); err != nil {
			return app.Made{}, err
		}
	}
	if am.Message != "" {
		if made.Message, err = a.CheckMessage(ctx, am.Message); err != nil {
			return app.Made{}, err
		}
	}
	id, err := a.Repo.CommitTree(ctx, made)
	if err != nil {
		return app.Made{}, app.SignerRefusal(err)
	}
	entry := journal.Entry{Kind: journal.Commit, Ref: app.BranchRef(head), Old: head.Commit, New: id,
		Title: repo.Subject(made.Message) + " (amended)"}
	result := app.Made{Commits: []repo.ID{id}}
	result.Warning, err = a.carryOutSorting(ctx, entry, "commit (amend): "+repo.Subject(made.Message), c.out, func(ctx context.Context) error {
		return a.Repo.RunPostRewrite(ctx, "amend", []repo.Mapping{{head.Commit, id}})
	})
	if err != nil {
		return app.Made{}, err
	}
	result.Warning = sentences(leftovers, result.Warning)
	return result, nil
}

// amendable is where HEAD is, if its commit may be made anew.
func (a *App) amendable(ctx context.Context, am Amendment) (repo.Head, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return head, err
	}
	if head.Commit.IsZero() {
		return head, app.Refuse("There is no commit yet that could be amended.")
	}
	return head, a.guardPublished(ctx, head.Commit, am.Published)
}

func (a *App) guardPublished(ctx context.Context, id repo.ID, anyway bool) error {
	if anyway {
		return nil
	}
	names, err := a.Repo.RemotesWith(ctx, id)
	if err != nil || len(names) == 0 {
		return err
	}
	return &app.Refusal{Reason: fmt.Sprintf("%s has the commit %s already. Whoever builds on it would get it twice. Nothing was changed; "+
		"confirm it with --though-published, or make a new commit.",
		strings.Join(names, ", "), id.Short()), Err: app.ErrPublished}
}

// amendedAuthor puts a name and an address in the place of those of an author's line.
func amendedAuthor(line, author string) (string, error) {
	if author == "" {
		return line, nil
	}
	name, rest, ok := strings.Cut(author, "<")
	address, tail, closed := strings.Cut(rest, ">")
	if !ok || !closed || strings.TrimSpace(name) == "" || strings.TrimSpace(tail) != "" || strings.ContainsAny(author, "\n\r") {
		return "", app.Refuse("%q is no author: write it as Name <address>.", author)
	}
	_, date, _ := strings.Cut(line, "> ")
	return fmt.Sprintf("%s <%s> %s", strings.TrimSpace(name), strings.TrimSpace(address), date), nil
}
