package planning

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/mend"
	"bastel/internal/merge"
	"bastel/internal/repo"
	"bastel/internal/shape"
	"bastel/internal/wording"
)

// A rebase that another tool began is taken over: what is done of it and what is left become a plan of the branch, by which the very
// same commits come out, and the repository's own state is ended. So it goes on, or is changed, like any other plan.

// rebase is one that is under way, as its files tell of it.
type rebase struct {
	branch    string
	tip, onto repo.ID
	groups    []group // what comes of one commit each
	done      []repo.ID
	dropped   []repo.ID
	left      int  // groups, from the end, of which nothing is done
	open      bool // it stopped in the middle of a commit
	first     bool // which is the first of its group
	asks      bool // a message is still to be written
}

// group are the commits that become one.
type group struct {
	from  []repo.ID
	lines []repo.TodoLine
	done  int // so many of them
}

// notUnderstood says why what waits is left to the repository's own commands.
func (a *App) notUnderstood(why string, args ...any) error {
	op, _ := a.Repo.Unfinished()
	return &app.Refusal{Reason: fmt.Sprintf(why, args...) + " Nothing was changed. " + op.Finish + " ends it.", Err: repo.ErrNotUnderstood}
}

// readRebase reads the state of a rebase. Without the commit that it stopped at, if that is to be skipped.
func (a *App) readRebase(ctx context.Context, skip bool) (r rebase, err error) {
	kept, err := a.Repo.UnderWay()
	if err != nil {
		return r, err
	}
	line := func(name string) string { return app.FirstLine(string(kept["rebase-merge/"+name])) }
	r.branch = strings.TrimPrefix(line("head-name"), "refs/heads/")
	if len(kept["rebase-merge/git-rebase-todo"])+len(kept["rebase-merge/done"]) == 0 || r.branch == line("head-name") {
		return r, a.notUnderstood("This is not a rebase of a branch that Bastel can take over.")
	}
	if r.tip, err = a.CommitNamed(ctx, line("orig-head")); err != nil {
		return r, err
	}
	if r.onto, err = a.CommitNamed(ctx, line("onto")); err != nil {
		return r, err
	}
	done, err := repo.ParseTodo(kept["rebase-merge/done"])
	if err != nil {
		return r, a.notUnderstood("%s.", err)
	}
	left, err := repo.ParseTodo(kept["rebase-merge/git-rebase-todo"])
	if err != nil {
		return r, a.notUnderstood("%s.", err)
	}
	_, stopped := kept["rebase-merge/stopped-sha"]
	_, committed := kept["rebase-merge/amend"]
	r.open = stopped && !committed && len(done) > 0
	if skip && len(done) > 0 {
		if !r.open {
			return r, app.Refuse("The rebase did not stop at a conflict: there is nothing to skip.")
		}
		done, r.open = done[:len(done)-1], false
	}
	return r, a.groupUp(ctx, &r, done, left)
}

// groupUp puts the lines of the lists together to what becomes one commit each.
func (a *App) groupUp(ctx context.Context, r *rebase, done, left []repo.TodoLine) error {
	for i, line := range slices.Concat(done, left) {
		isLeft := i >= len(done)
		switch line.Command {
		case "exec", "label", "reset", "merge":
			if isLeft || line.Command != "exec" {
				return a.notUnderstood("Its list says “%s”, which Bastel does not do.", line.Text)
			}
			continue
		case "break", "noop", "update-ref":
			continue
		}
		id, err := a.CommitNamed(ctx, line.Name)
		if err != nil {
			return err
		}
		switch {
		case line.Command == "drop":
			r.dropped = append(r.dropped, id)
		case line.Command == "squash" || line.Command == "fixup":
			if len(r.groups) == 0 {
				return a.notUnderstood("Its list begins with “%s”.", line.Text)
			}
			last := &r.groups[len(r.groups)-1]
			last.from, last.lines = append(last.from, id), append(last.lines, line)
			r.asks = r.asks || isLeft && line.Command == "squash" || line.Flag == "-c"
		default:
			r.groups = append(r.groups, group{from: []repo.ID{id}, lines: []repo.TodoLine{line}})
			if isLeft {
				r.left++
			}
			r.asks = r.asks || isLeft && line.Command != "pick"
		}
		if !isLeft && line.Command != "drop" {
			last := &r.groups[len(r.groups)-1]
			last.done, r.first = len(last.lines), len(last.lines) == 1
		}
	}
	return a.madeSoFar(ctx, r)
}

// madeSoFar finds the commits that are made: one for each group of which something is done, but for the one that it stopped at.
func (a *App) madeSoFar(ctx context.Context, r *rebase) (err error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return err
	}
	if r.done, err = a.Repo.RevList(ctx, "--reverse", "--first-parent", head.Commit.String(), "^"+r.onto.String()); err != nil {
		return err
	}
	want := len(r.groups) - r.left
	if r.open && r.first && want > 0 {
		want--
	}
	if len(r.done) != want {
		return a.notUnderstood("It made %s so far, and its list speaks of %d.", wording.Count(len(r.done), "commit"), want)
	}
	return nil
}

// TakenOver is what became of a rebase that was taken over.
type TakenOver struct {
	Plan    shape.Plan
	Applied app.Applied
	Done    bool   // it is applied; else the plan is the branch's draft
	Says    string // why it is not applied
}

// GoOn takes a rebase over whose conflict is settled, and carries the rest of it out in one step; where something conflicts, or is
// to be written or asked, the rest is a plan in Shape. With skip the commit that it stopped at is left out.
func (a *App) GoOn(ctx context.Context, skip bool) (TakenOver, error) {
	taken, asks, err := a.takeOver(ctx, skip)
	if err != nil {
		return taken, err
	}
	if asks {
		taken.Says = "The rest has messages to be written, or stops that were asked for: it is the plan in Shape now."
		return taken, nil
	}
	return a.applyTaken(ctx, taken)
}

func (a *App) applyTaken(ctx context.Context, taken TakenOver) (TakenOver, error) {
	var refusal *app.Refusal
	applied, err := a.Apply(ctx, taken.Plan, 0, nil)
	switch {
	case errors.Is(err, app.ErrConflict):
		taken.Says = "The rest is a plan now: what conflicts in it is answered here, then a applies it."
		return taken, nil
	case errors.As(err, &refusal):
		taken.Says = "The rest is the plan in Shape now: " + refusal.Reason
		return taken, nil
	case err != nil:
		return taken, err
	}
	taken.Applied, taken.Done = applied, true
	return taken, a.ForgetPlan(ctx, taken.Plan.Branch)
}

// TakeOver makes a plan of a rebase that is under way, and ends that. The plan is the branch's draft.
func (a *App) TakeOver(ctx context.Context) (TakenOver, error) {
	taken, _, err := a.takeOver(ctx, false)
	return taken, err
}

func (a *App) takeOver(ctx context.Context, skip bool) (taken TakenOver, asks bool, err error) {
	r, err := a.readRebase(ctx, skip)
	if err != nil {
		return taken, false, err
	}
	if taken.Plan, err = a.planOfRebase(ctx, r, skip); err != nil {
		return taken, false, err
	}
	to := repo.Head{Ref: "refs/heads/" + r.branch, Commit: r.tip}
	if there, err := a.Repo.RefValue(ctx, to.Ref); err != nil || there != r.tip {
		if err == nil {
			err = a.notUnderstood("%s was moved since the rebase began.", r.branch)
		}
		return taken, false, err
	}
	before := a.ReadState(app.PlanFile(r.branch))
	if _, err = a.EndUnderWay(ctx, "took the rebase of "+r.branch+" over", to); err != nil {
		return taken, false, err
	}
	if before != "" {
		if _, err = a.putAside(r.branch, before, errors.New("a rebase was taken over")); err != nil {
			return taken, false, err
		}
	}
	return taken, r.asks, a.KeepPlan(ctx, taken.Plan)
}

// planOfRebase is the plan by which the commits that are made come out again, and the rest after them.
func (a *App) planOfRebase(ctx context.Context, r rebase, skip bool) (plan shape.Plan, err error) {
	base, sources, err := a.sourcesOf(ctx, r)
	if err != nil {
		return plan, err
	}
	plan = shape.Plan{Branch: r.branch, Tip: r.tip, Base: base, Sources: sources}
	if r.onto != base {
		if plan.Onto, err = a.nameOfOnto(ctx, r); err != nil {
			return plan, err
		}
	}
	used := map[repo.ID]bool{}
	for _, g := range r.groups {
		entry := shape.Entry{From: g.from}
		for i, id := range g.from {
			if used[id] {
				return plan, a.notUnderstood("Its list has a commit twice: “%s”.", g.lines[i].Text)
			}
			used[id] = true
			if !slices.Contains(sources, id) {
				plan.Extra = append(plan.Extra, id)
			}
		}
		plan.Next = append(plan.Next, entry)
	}
	for _, id := range sources {
		if !used[id] {
			plan.LeftOut = append(plan.LeftOut, id)
		}
	}
	if plan, err = a.withMessages(ctx, plan, r); err != nil {
		return plan, err
	}
	return a.asMade(ctx, plan, r, skip)
}

// nameOfOnto is a branch that stands where the rebase goes, else the commit's id.
func (a *App) nameOfOnto(ctx context.Context, r rebase) (string, error) {
	refs, err := a.Repo.Refs(ctx, "refs/heads", "refs/remotes")
	for _, ref := range refs {
		if ref.ID == r.onto && ref.Short() != r.branch {
			return ref.Short(), err
		}
	}
	return r.onto.String(), err
}

// sourcesOf are the commits of the branch from the first one on that the list speaks of.
func (a *App) sourcesOf(ctx context.Context, r rebase) (base repo.ID, sources []repo.ID, err error) {
	all, err := a.Repo.RevList(ctx, "--reverse", "--first-parent", r.tip.String(), "^"+r.onto.String())
	if err != nil {
		return base, nil, err
	}
	named := slices.Clone(r.dropped)
	for _, g := range r.groups {
		named = append(named, g.from...)
	}
	first := slices.IndexFunc(all, func(id repo.ID) bool { return slices.Contains(named, id) })
	if first < 0 {
		return base, nil, a.notUnderstood("Its list has no commit of %s.", r.branch)
	}
	commits, err := a.Repo.Commits(ctx, all[first:])
	if err != nil {
		return base, nil, err
	}
	for _, c := range commits {
		if len(c.Parents) > 1 {
			return base, nil, a.notUnderstood("%s has a merge in it, “%s”.", r.branch, c.Subject())
		}
	}
	return commits[0].Parent(), all[first:], nil
}

// withMessages gives entries the messages that were written for them, and those that are left the ones that the list asks for.
func (a *App) withMessages(ctx context.Context, plan shape.Plan, r rebase) (shape.Plan, error) {
	for i, g := range r.groups {
		sources, err := a.Repo.Commits(ctx, g.from)
		if err != nil {
			return plan, err
		}
		first := sources[0].Text(sources[0].Message)
		if i < len(r.done) {
			made, err := a.Repo.Commit(ctx, r.done[i])
			if err != nil {
				return plan, err
			}
			if text := made.Text(made.Message); text != first {
				plan = plan.Reword(i, text)
			}
			if made.Author != sources[0].Author {
				by := made.SignedBy()
				date, err := shape.Date(by.When)
				if err != nil {
					return plan, err
				}
				plan = plan.Sign(i, fmt.Sprintf("%s <%s>", by.Name, by.Email), date)
			}
			continue
		}
		messages := []string{first}
		for k, line := range g.lines[1:] {
			text := sources[k+1].Text(sources[k+1].Message)
			switch {
			case line.Flag != "":
				messages = []string{text}
			case line.Command == "squash":
				messages = append(messages, text)
			}
		}
		if joined := app.Joined(messages); len(messages) > 1 || messages[0] != first {
			plan = plan.Reword(i, joined[len(joined)-1])
		}
	}
	return plan, nil
}

// asMade answers the conflicts of what is made as they were answered then, and adds what was changed besides: so the same content
// comes out. The commit that it stopped at becomes what the index holds, once nothing of that is open.
func (a *App) asMade(ctx context.Context, plan shape.Plan, r rebase, skip bool) (shape.Plan, error) {
	var trees []repo.ID
	for _, id := range r.done {
		tree, err := a.TreeOf(ctx, id)
		if err != nil {
			return plan, err
		}
		trees = append(trees, tree)
	}
	stages, err := a.Repo.Unmerged(ctx)
	if err != nil {
		return plan, err
	}
	if len(stages) > 0 && r.open { // what was answered so far goes with it
		last := r.groups[len(r.groups)-r.left-1]
		for _, g := range a.WaitingAnswers() {
			g.Source = last.from[len(last.from)-1]
			plan = plan.Answer(g)
		}
	}
	if len(stages) == 0 && !skip {
		tree, err := a.Repo.WriteTree(ctx)
		if err != nil {
			return plan, err
		}
		if at := len(r.groups) - r.left; at > len(trees) {
			trees = append(trees, tree)
		} else if at > 0 {
			trees[at-1] = tree
		}
	}
	for at, tree := range trees {
		rest := slices.Clone(plan.Next[at].From[r.groups[at].done:]) // what is still to be joined to it
		plan.Next[at].From, plan.LeftOut = plan.Next[at].From[:r.groups[at].done:r.groups[at].done], append(plan.LeftOut, rest...)
		if plan, err = a.withContent(ctx, plan, at, tree); err != nil {
			return plan, err
		}
		plan.Next[at].From, plan.LeftOut = append(plan.Next[at].From, rest...), plan.LeftOut[:len(plan.LeftOut)-len(rest)]
	}
	return plan, nil
}

// withContent has an entry come out with a content.
func (a *App) withContent(ctx context.Context, plan shape.Plan, at int, tree repo.ID) (shape.Plan, error) {
	f, err := a.Forecast(ctx, plan, nil)
	if err != nil {
		return plan, err
	}
	for _, met := range f.Steps[at].PathConflicts {
		if met.Open() == 0 {
			continue
		}
		answer, err := a.answerBy(ctx, met.State, tree)
		if err != nil {
			return plan, err
		}
		plan = plan.Answer(met.WholeQuestion().Give(answer))
	}
	if f, err = a.Forecast(ctx, plan, nil); err != nil {
		return plan, err
	}
	step := f.Steps[at]
	if len(step.Conflicts) > 0 {
		return plan, a.notUnderstood("What was answered in “%s” of %s cannot be said in a plan.", step.Conflicts[0].Path, step.Title)
	}
	if step.Tree == tree {
		return plan, nil
	}
	changed, err := a.changedTo(ctx, f.Objects(), step.Tree, tree)
	return plan.Amend(at, changed), err
}

// changedTo is a commit that makes one content of another.
func (a *App) changedTo(ctx context.Context, objects *repo.Overlay, from, to repo.ID) (repo.ID, error) {
	by, err := a.Repo.Committer(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	before := &repo.Commit{Tree: from, Author: by, Committer: by, Message: "before\n"}
	after := &repo.Commit{Tree: to, Author: by, Committer: by, Message: "Changed in a rebase\n",
		Parents: []repo.ID{objects.Put(repo.KindCommit, before.Encode())}}
	changed := objects.Put(repo.KindCommit, after.Encode())
	return changed, objects.Flush(ctx, changed)
}

// answerBy is the answer by which a path has in the end what a tree has there.
func (a *App) answerBy(ctx context.Context, met mend.State, tree repo.ID) (answer mend.Answer, err error) {
	objects := a.Repo.NewOverlay()
	there, err := repo.Find(ctx, objects, tree, met.Path)
	switch {
	case err != nil:
		return answer, err
	case met.Kind == merge.RenameRename:
		return mend.Take(mend.Left), nil
	case there.IsZero():
		return mend.Take(), nil
	case there.Mode == met.Left.Mode && there.ID == met.Left.ID:
		return mend.Take(mend.Left), nil
	case there.Mode == met.Right.Mode && there.ID == met.Right.ID:
		return mend.Take(mend.Right), nil
	case !there.Mode.IsFile():
		return mend.Take(mend.Left), nil
	}
	answer.Own, err = objects.Blob(ctx, there.ID)
	answer.Confirmed = true
	return answer, err
}
