package app

import (
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// Draft is a tray that shall become a commit.
type Draft struct {
	Tray    tray.Layer
	Message string
	Seen    []string // ids of its hunks as the user saw them; nil: whatever is there
	Meant   bool     // lines that look like conflict markers are intended
}

// Made is what came out of it.
type Made struct {
	Commits []repo.ID
	Warning string // what is to be said besides: leftovers in it, what a hook that runs afterwards had to complain about
}

// Commit makes a commit from what is staged, through the repository's hooks.
func (a *App) Commit(ctx context.Context, message string, seen []string) (Made, error) {
	return a.CommitTrays(ctx, []Draft{{Tray: tray.A, Message: message, Seen: seen}})
}

// CommitTrays makes commits from trays, in the order of their letters, all of them or
// none. What is in other trays, and loose, stays so.
func (a *App) CommitTrays(ctx context.Context, drafts []Draft) (Made, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	if err := a.free(); err != nil {
		return Made{}, err
	}
	drafts = slices.Clone(drafts)
	slices.SortFunc(drafts, func(x, y Draft) int { return int(x.Tray) - int(y.Tray) })
	for _, d := range drafts {
		if CleanMessage(d.Message) == "" {
			return Made{}, refuse("A commit needs a message. Give tray %s a subject that says what changes.", d.Tray)
		}
	}
	c := commitRun{App: a, drafts: drafts, overlay: a.Repo.NewOverlay()}
	if err := c.read(ctx); err != nil {
		return Made{}, err
	}
	if err := c.makeTrees(ctx); err != nil {
		return Made{}, pickRefusal(err)
	}
	meant := !slices.ContainsFunc(drafts, func(d Draft) bool { return !d.Meant })
	leftovers, err := a.guardContent(ctx, c.overlay, meant, []repo.ID{c.tree}, c.trees...)
	if err != nil {
		return Made{}, err
	}
	made, title, err := c.makeCommits(ctx)
	if err != nil {
		return Made{}, err
	}
	last := made.Commits[len(made.Commits)-1]
	entry := journal.Entry{Kind: journal.Commit, Ref: refOf(c.head), Old: c.head.Commit, New: last, Title: title}
	verb := "commit: "
	if c.head.Commit.IsZero() {
		verb = "commit (initial): "
	}
	made.Warning, err = a.settle(ctx, entry, verb+title, c.out, func(ctx context.Context) error { return a.Repo.RunHook(ctx, "post-commit") })
	if err != nil {
		return Made{}, err
	}
	made.Warning = sentences(leftovers, made.Warning)
	return made, nil
}

// sentences puts what there is to be said one after the other.
func sentences(said ...string) string {
	return strings.Join(slices.DeleteFunc(said, func(s string) bool { return s == "" }), " ")
}

func refOf(head repo.Head) string {
	if head.Ref == "" {
		return "HEAD"
	}
	return head.Ref
}

// commitRun is the state of making commits from trays.
type commitRun struct {
	*App
	drafts  []Draft
	overlay *repo.Overlay
	head    repo.Head
	tree    repo.ID // HEAD's
	changes []repo.Change
	kept    *tray.Kept
	trees   []repo.ID
	out     tray.Outcome
}

func (c *commitRun) read(ctx context.Context) (err error) {
	if c.head, err = c.Repo.Head(ctx); err != nil {
		return err
	}
	if c.tree, err = c.treeOf(ctx, c.head.Commit); err != nil {
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
			return refuse("%q is left unresolved by a merge. Resolve it before you commit.", change.Path)
		}
	}
	return c.checkContent(ctx)
}

// treeOf is a commit's tree; of no commit the empty one.
func (a *App) treeOf(ctx context.Context, id repo.ID) (repo.ID, error) {
	if id.IsZero() {
		return a.Repo.EmptyTree(), nil
	}
	commit, err := a.Repo.Commit(ctx, id)
	if err != nil {
		return repo.ID{}, err
	}
	return commit.Tree, nil
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
	board, err := tray.Read(ctx, c.Repo, c.changes, c.kept, tray.Plain)
	if err != nil {
		return err
	}
	for _, d := range c.drafts {
		ids := tray.IDs(board.Files(d.Tray))
		if len(ids) == 0 {
			return emptyRefusal(d.Tray)
		}
		if d.Seen != nil && !slices.Equal(d.Seen, ids) {
			return &Refusal{Reason: fmt.Sprintf("What is in tray %s has changed since you looked, so nothing was committed. Look again, then repeat.", d.Tray), Err: repo.ErrMoved}
		}
	}
	return nil
}

func emptyRefusal(at tray.Layer) error {
	if at == tray.A {
		return &Refusal{Reason: "Nothing is staged, so there is nothing to commit. Put some hunks into tray A first.", Err: ErrNothingStaged}
	}
	return refuse("Tray %s is empty, so there is nothing to commit. Put some hunks into it first.", at)
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
	if c.trees, c.out, err = tray.Settle(ctx, c.Repo, c.overlay, c.tree, c.changes, c.kept, layers); err != nil {
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
			return asRefusal(err)
		}
		if after != tree {
			return refuse("The pre-commit hook changes what tray %s would commit. Nothing was changed. Commit it alone, as tray A, where the hook's changes are staged.", layers[i])
		}
	}
	return nil
}

func (c *commitRun) makeStagedTree(ctx context.Context) error {
	if err := c.Repo.RunHook(ctx, "pre-commit"); err != nil {
		return asRefusal(err)
	}
	tree, err := c.Repo.WriteTree(ctx) // after the hook, which may have staged more
	if err != nil {
		return err
	}
	c.trees = []repo.ID{tree}
	if len(c.kept.Paths()) > 0 {
		if _, c.out, err = tray.Settle(ctx, c.Repo, c.overlay, c.tree, c.changes, c.kept, []tray.Layer{tray.A}); err != nil {
			return err
		}
		c.out.Index = nil // it is as it shall be
		return nil
	}
	c.out.Kept = c.kept.Clone()
	c.out.Kept.Forget(tray.A)
	return nil
}

func (c *commitRun) makeCommits(ctx context.Context) (made Made, title string, err error) {
	parent := c.head.Commit
	for i, tree := range c.trees {
		message, err := c.messageHooks(ctx, c.drafts[i].Message)
		if err != nil {
			return made, "", err
		}
		var parents []repo.ID
		if !parent.IsZero() {
			parents = []repo.ID{parent}
		}
		if parent, err = c.Repo.CommitTree(ctx, repo.NewCommit{Tree: tree, Parents: parents, Message: message, Author: c.kept.Authors[c.drafts[i].Tray]}); err != nil {
			return made, "", notMade(err)
		}
		made.Commits = append(made.Commits, parent)
		title = repo.Subject(message)
	}
	if n := len(made.Commits); n > 1 {
		title = fmt.Sprintf("%d commits, the last one %s", n, title)
	}
	return made, title, nil
}

// notMade says what a signer had to say, word for word.
func notMade(err error) error {
	var failed *repo.CommandError
	if !errors.As(err, &failed) {
		return err
	}
	return &Refusal{Reason: "The commit could not be made, and nothing was changed. Message and trays are kept. The repository said:\n" + strings.TrimSpace(failed.Stderr), Err: err}
}

// messageHooks lets the hooks see the message, and change it, in the file that
// they expect it in.
func (a *App) messageHooks(ctx context.Context, message string) (string, error) {
	file := filepath.Join(a.Repo.GitDir(), "COMMIT_EDITMSG")
	message, err := a.clean(ctx, message)
	if err != nil {
		return "", err
	}
	if err := os.WriteFile(file, []byte(message), 0o666); err != nil {
		return "", fmt.Errorf("write the message for the hooks: %w", err)
	}
	if err := a.Repo.RunHook(ctx, "prepare-commit-msg", file, "message"); err != nil {
		return "", asRefusal(err)
	}
	if err := a.Repo.RunHook(ctx, "commit-msg", file); err != nil {
		return "", asRefusal(err)
	}
	changed, err := os.ReadFile(file)
	if err != nil {
		return "", fmt.Errorf("read the message after the hooks: %w", err)
	}
	if message, err = a.clean(ctx, string(changed)); err != nil {
		return "", err
	}
	if CleanMessage(message) == "" {
		return "", refuse("A hook left the message empty. Nothing was committed.")
	}
	return message, nil
}

// Amendment is what the last commit shall become.
type Amendment struct {
	Message   string // empty: it stays
	Author    string // "Name <address>"; empty: it stays
	Content   bool   // what is staged joins it
	Published bool   // go on although a remote has the commit already
	Meant     bool   // lines that look like conflict markers are intended
}

// ErrPublished is a refusal to rewrite what a remote has.
var ErrPublished = errors.New("a remote has this commit already")

// ErrSharedBranch is one to rewrite what a branch has there that is shared by rule.
var ErrSharedBranch = fmt.Errorf("the branch is shared: %w", ErrPublished)

// Amend makes the last commit anew. Its author and date stay, unless another author
// is given.
func (a *App) Amend(ctx context.Context, am Amendment) (Made, error) {
	a.sorting.Lock()
	defer a.sorting.Unlock()
	if err := a.free(); err != nil {
		return Made{}, err
	}
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return Made{}, err
	}
	if head.Commit.IsZero() {
		return Made{}, refuse("There is no commit yet that could be amended.")
	}
	if err := a.guardPublished(ctx, head.Commit, am.Published); err != nil {
		return Made{}, err
	}
	old, err := a.Repo.Commit(ctx, head.Commit)
	if err != nil {
		return Made{}, err
	}
	made := repo.NewCommit{Tree: old.Tree, Parents: old.Parents, Message: old.Text(old.Message), Author: old.Text(old.Author)}
	if made.Author, err = amendedAuthor(made.Author, am.Author); err != nil {
		return Made{}, err
	}
	c := commitRun{App: a, overlay: a.Repo.NewOverlay(), head: head, tree: old.Tree}
	if c.kept, err = a.keptTrays(ctx); err != nil {
		return Made{}, err
	}
	c.out.Kept = c.kept.Clone()
	leftovers := ""
	if am.Content {
		if c.changes, err = a.Repo.Status(ctx); err != nil {
			return Made{}, err
		}
		if err := c.makeStagedTree(ctx); err != nil {
			return Made{}, err
		}
		made.Tree = c.trees[0]
		if leftovers, err = a.guardContent(ctx, c.overlay, am.Meant, []repo.ID{old.Tree}, made.Tree); err != nil {
			return Made{}, err
		}
	}
	if am.Message != "" {
		if made.Message, err = a.messageHooks(ctx, am.Message); err != nil {
			return Made{}, err
		}
	}
	id, err := a.Repo.CommitTree(ctx, made)
	if err != nil {
		return Made{}, notMade(err)
	}
	entry := journal.Entry{Kind: journal.Commit, Ref: refOf(head), Old: head.Commit, New: id, Title: repo.Subject(made.Message) + " (amended)"}
	result := Made{Commits: []repo.ID{id}}
	result.Warning, err = a.settle(ctx, entry, "commit (amend): "+repo.Subject(made.Message), c.out, func(ctx context.Context) error {
		return a.Repo.RunPostRewrite(ctx, "amend", [][2]repo.ID{{head.Commit, id}})
	})
	if err != nil {
		return Made{}, err
	}
	result.Warning = sentences(leftovers, result.Warning)
	return result, nil
}

func (a *App) guardPublished(ctx context.Context, id repo.ID, anyway bool) error {
	if anyway {
		return nil
	}
	names, err := a.Repo.RemotesWith(ctx, id)
	if err != nil || len(names) == 0 {
		return err
	}
	return &Refusal{Reason: fmt.Sprintf("%s has the commit %s already. Whoever builds on it would get it twice. Nothing was changed; confirm it with --published, or make a new commit.",
		strings.Join(names, ", "), id.Short()), Err: ErrPublished}
}

// amendedAuthor puts a name and an address in the place of those of an author's line.
func amendedAuthor(line, author string) (string, error) {
	if author == "" {
		return line, nil
	}
	name, rest, ok := strings.Cut(author, "<")
	address, tail, closed := strings.Cut(rest, ">")
	if !ok || !closed || strings.TrimSpace(name) == "" || strings.TrimSpace(tail) != "" || strings.ContainsAny(author, "\n\r") {
		return "", refuse("%q is no author: write it as Name <address>.", author)
	}
	_, date, _ := strings.Cut(line, "> ")
	return fmt.Sprintf("%s <%s> %s", strings.TrimSpace(name), strings.TrimSpace(address), date), nil
}
