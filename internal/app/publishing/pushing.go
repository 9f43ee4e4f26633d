package publishing

import (
	"context"
	"errors"
	"fmt"
	"net/url"
	"slices"
	"strings"
	"time"

	"bastel/internal/app"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/send"
)

// Outgoing is what shall be sent.
type Outgoing struct {
	send.Comparison
	Stack   []send.Comparison // other branches that go along, all or none
	Options []string          // for the server's hooks
	Consent send.Consent      // what the user said yes to
}

// UpToDate says that there is nothing to push.
func (o Outgoing) UpToDate() bool { return len(o.branches()) == 0 }

// Verdict says whether all of it may be pushed.
func (o Outgoing) Verdict() error {
	for _, c := range o.branches() {
		if err := c.Verdict(o.Consent); err != nil {
			return err
		}
	}
	return nil
}

// branches are those that the remote does not have as they are here.
func (o Outgoing) branches() []send.Comparison {
	all := append([]send.Comparison{o.Comparison}, o.Stack...)
	return slices.DeleteFunc(all, send.Comparison.UpToDate)
}

// Sent is a push that a remote took.
type Sent struct {
	Said     string   // by the server, word for word
	Warnings []string // what failed here afterwards
}

// Links finds the addresses of pages in a text, each once.
func Links(text string) (links []string) {
	for word := range strings.FieldsSeq(text) {
		word = strings.TrimRight(strings.TrimLeft(word, "<(\"'"), ">)\"'.,;")
		if parsed, err := url.Parse(word); err == nil && (parsed.Scheme == "https" || parsed.Scheme == "http") && parsed.Host != "" &&
			!slices.Contains(links, word) {
			links = append(links, word)
		}
	}
	return links
}

// CompareRemote looks at the current branch and what a remote has; with no name the one
// that it goes to. With ask the remote is asked, else what was last fetched counts.
func (a *App) CompareRemote(ctx context.Context, remote string, ask bool) (send.Comparison, error) {
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return send.Comparison{}, err
	}
	return a.CompareBranch(ctx, head.Branch(), remote, ask)
}

// CompareStack looks at the branches that sit on commits of the current one, as they are on
// the remote that it is pushed to, whatever remotes they have of their own.
func (a *App) CompareStack(ctx context.Context, remote string, ask bool) ([]send.Comparison, error) {
	plan, err := a.NewPlan(ctx, "", "")
	if err != nil {
		return nil, err
	}
	stack, err := a.Stack(ctx, plan)
	if err != nil {
		return nil, err
	}
	var compared []send.Comparison
	for _, s := range stack {
		c, err := a.CompareBranch(ctx, s.Name, remote, ask)
		if err != nil {
			return nil, err
		}
		compared = append(compared, c)
	}
	return compared, nil
}

// Send pushes what the comparisons show. The journal has it before and after.
func (a *App) Send(ctx context.Context, o Outgoing, progress func(line string)) (Sent, error) {
	var none Sent
	if err := a.RefuseUnfinished(); err != nil {
		return none, err
	}
	if err := o.Verdict(); err != nil || o.UpToDate() {
		return none, err
	}
	branches := o.branches()
	names := make([]string, len(branches))
	for i, c := range branches {
		names[i] = c.Branch
	}
	if err := a.blocked(ctx, names...); err != nil {
		return none, err
	}
	p := push{App: a, remote: o.Remote, options: o.Options, progress: progress, done: journal.Sent}
	for _, c := range branches {
		now, err := a.Repo.RefValue(ctx, "refs/heads/"+c.Branch)
		if err != nil {
			return none, err
		}
		if now != c.Here {
			return none, app.Refuse("%s has moved since it was compared with the remote. Nothing was sent. Look again, then repeat.", c.Branch)
		}
		p.refs = append(p.refs, repo.PushedRef{Ref: c.Ref, ID: c.Here, Expect: c.There})
		p.followers = append(p.followers, c.Tracking)
	}
	p.title = strings.Join(names, ", ") + " to " + o.Remote
	sent, err := p.carryOut(ctx)
	if err != nil {
		return none, err
	}
	for _, c := range branches {
		if err := send.SetUpstream(context.WithoutCancel(ctx), a.Repo, c); err != nil {
			sent.Warnings = append(sent.Warnings, err.Error())
		}
	}
	return sent, nil
}

// Removable finds the commits of others that are named to go: each must be one that would.
func (a *App) Removable(ctx context.Context, o Outgoing, names []string) ([]repo.ID, error) {
	var going []repo.ID
	for _, c := range append([]send.Comparison{o.Comparison}, o.Stack...) {
		for _, t := range c.Removes() {
			going = append(going, t.ID)
		}
		if c.Known {
			going = append(going, c.NotYours...)
		}
	}
	var ids []repo.ID
	for _, name := range names {
		id, err := a.CommitNamed(ctx, name)
		if err != nil {
			return nil, err
		}
		if !slices.Contains(going, id) {
			return nil, app.Refuse("%s is no commit of somebody else that would go from %s. Nothing was sent.", name, o.Remote)
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// SetPushRemote makes a remote the one that the current branch is pushed to.
func (a *App) SetPushRemote(ctx context.Context, remote string) error {
	head, err := a.BranchAtWork(ctx)
	if err != nil {
		return err
	}
	if _, err := send.FindTarget(ctx, a.Repo, head.Branch(), remote); err != nil {
		return err
	}
	return a.Repo.SetConfig(ctx, "branch."+head.Branch()+".pushRemote", remote)
}

// push is one push, with the journal before and after it.
type push struct {
	*App
	remote string
	refs   []repo.PushedRef
	// What follows each of them here, empty: nothing. A push that was cut off, or whose branch
	// the fetch settings leave out, has not moved it.
	followers []string
	options   []string
	title     string          // for the journal
	done      journal.Outcome // when it worked
	progress  func(line string)
}

// carryOut pushes. What the remote took is a success, whatever fails here afterwards.
func (p push) carryOut(ctx context.Context) (sent Sent, err error) {
	entry := journal.Entry{Kind: journal.Push, Remote: p.remote, Title: p.title}
	for i, ref := range p.refs {
		known, err := p.Repo.Has(ctx, ref.Expect)
		if err != nil {
			return sent, err
		}
		move := journal.RefMove{Ref: ref.Ref, New: ref.ID}
		if known {
			move.Old = ref.Expect
		}
		if i == 0 {
			entry.Ref, entry.Old, entry.New = move.Ref, move.Old, move.New
		} else {
			entry.Others = append(entry.Others, move)
		}
	}
	before := app.Operation{Entry: entry, Reflog: app.ReflogMessage(entry.Kind, entry.Title)}
	if _, err := p.App.CarryOut(ctx, &before); err != nil {
		return sent, err
	}
	sent.Said, err = send.PushRefs(ctx, p.Repo, p.remote, p.refs, p.options, p.progress)
	outcomeKnown := true
	if err != nil {
		outcomeKnown, err = p.afterAll(ctx, err)
	}
	ctx = context.WithoutCancel(ctx)
	if err == nil {
		if err := p.follow(ctx); err != nil {
			sent.Warnings = append(sent.Warnings, err.Error())
		}
	}
	entry = before.Entry
	outcome := journal.Entry{Kind: journal.Pushed, Ref: entry.Ref, Old: entry.Old, New: entry.New, Of: entry.Number, Title: string(p.done),
		Remote: p.remote, Outcome: p.done, Said: sent.Said}
	switch {
	case err != nil && !outcomeKnown:
		outcome.Outcome, outcome.Title = journal.Unknown, "not known: "+app.FirstLine(err.Error())
	case err != nil:
		outcome.Outcome, outcome.Title = journal.NotSent, "not "+string(p.done)+": "+app.FirstLine(err.Error())
	}
	_, noteErr := p.App.CarryOut(ctx, &app.Operation{Entry: outcome, Reflog: app.ReflogMessage(outcome.Kind, outcome.Title)})
	switch {
	case err != nil:
		return sent, errors.Join(err, noteErr)
	case noteErr != nil:
		sent.Warnings = append(sent.Warnings, "the journal does not have it: "+noteErr.Error())
	}
	return sent, nil
}

// askedAfter is how long a remote may take to say whether it took a push that broke off.
const askedAfter = 10 * time.Second

// stoppedAfter is how long where the user stopped it, who waits.
const stoppedAfter = 2 * time.Second

// afterAll finds out what became of a push that was stopped, or whose connection broke before
// an answer came: no error where the remote took it. Known says whether that could be found out.
func (p push) afterAll(ctx context.Context, err error) (known bool, _ error) {
	stopped := ctx.Err()
	if stopped == nil && !errors.Is(err, repo.ErrCutOff) && !errors.Is(err, repo.ErrUnreachable) && !errors.Is(err, repo.ErrRemoteFailed) {
		return true, err
	}
	patience := askedAfter
	if stopped != nil {
		patience = stoppedAfter
	}
	limited, cancel := context.WithTimeout(repo.Unattended(context.WithoutCancel(ctx)), patience)
	defer cancel()
	there, askErr := send.Ask(limited, p.Repo, p.remote, p.refs[0].Ref)
	took := askErr == nil && there == p.refs[0].ID
	switch {
	case took:
		return true, nil
	case stopped != nil && askErr != nil:
		return false, &app.Refusal{Reason: fmt.Sprintf("The push was stopped. Whether %s took it shows when you fetch; trying again is safe.",
			p.remote), Err: stopped}
	case stopped != nil:
		return true, &app.Refusal{Reason: fmt.Sprintf("The push was stopped. %s did not take it; trying again is safe.", p.remote), Err: stopped}
	case askErr != nil:
		return false, fmt.Errorf("%w. Whether it took the push is not known; trying again is safe", err)
	}
	return true, fmt.Errorf("%w. The remote did not take the push; trying again is safe", err)
}

// follow moves what follows the branches there to what was sent, where the push has not.
func (p push) follow(ctx context.Context) error {
	var moves []repo.RefUpdate
	for i, name := range p.followers {
		if name == "" {
			continue
		}
		now, err := p.Repo.RefValue(ctx, name)
		if err != nil {
			return err
		}
		if now != p.refs[i].ID {
			moves = append(moves, repo.RefUpdate{Ref: name, Old: now, New: p.refs[i].ID})
		}
	}
	if len(moves) == 0 {
		return nil
	}
	return p.Repo.UpdateRefs(ctx, "update by push", moves...)
}

// heardOf finishes what is known of pushes whose answer was lost: a remote that has what was
// sent took it.
func (a *App) heardOf(ctx context.Context, own send.Target, heads remoteHeads) error {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return err
	}
	for _, e := range journal.Unanswered(entries) {
		there, asked := heads[e.Remote]
		if !asked {
			continue
		}
		outcome := journal.Entry{Kind: journal.Pushed, Ref: e.Ref, Old: e.Old, New: e.New, Of: e.Number, Remote: e.Remote,
			Title: string(journal.NotSent), Outcome: journal.NotSent}
		if there[e.Ref] == e.New {
			outcome.Title, outcome.Outcome = string(journal.Sent), journal.Sent
			if own.Remote == e.Remote && own.Ref == e.Ref {
				if err := send.SetUpstream(ctx, a.Repo, send.Comparison{Target: own}); err != nil {
					return err
				}
			}
		}
		if _, err := a.CarryOut(ctx, &app.Operation{Entry: outcome, Reflog: app.ReflogMessage(outcome.Kind, outcome.Title)}); err != nil {
			return err
		}
	}
	return nil
}

// LastSaid is what the server said to the last push of a branch that it took; empty if
// nothing was sent from here.
func (a *App) LastSaid(ctx context.Context, ref string) (string, error) {
	entries, err := a.Journal.Entries(ctx)
	if err != nil {
		return "", err
	}
	for _, e := range entries {
		if e.Kind == journal.Pushed && e.Ref == ref && e.Outcome == journal.Sent {
			return e.Said, nil
		}
	}
	return "", nil
}
