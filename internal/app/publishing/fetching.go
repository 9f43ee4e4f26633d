package publishing

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"
	"sync"
	"time"

	"bastel/internal/app"
	"bastel/internal/wording"

	"bastel/internal/journal"
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
	text := fmt.Sprintf("%s has %s", r.Branch, wording.Count(r.Commits, "new commit"))
	if r.Rewritten {
		text = fmt.Sprintf("%s was rewritten, with %s", r.Branch, wording.Count(r.Commits, "new commit"))
	}
	switch {
	case r.Touching == 1:
		text += "; 1 touches files of your branch"
	case r.Touching > 1:
		text += fmt.Sprintf("; %d touch files of your branch", r.Touching)
	}
	return text + "."
}

// Fetched is what came of fetching.
type Fetched struct {
	From     []string  // the remotes that answered
	Arrivals []Arrival // what concerns the branch at work first
	Warnings []string  // remotes that could not be fetched, and why, while others could
}

// Fetch brings the branches of the remotes that concern the branch at work up to date, all at
// once: the one that it is pushed to, its upstream's, its target's. A branch that is gone there
// goes from what is known of the remote, which undo brings back, unless nobody asked for the fetch.
// Branches and files here stay as they are. Where one remote fails the others' are told all the same.
func (a *App) Fetch(ctx context.Context, progress func(line string)) (Fetched, error) {
	var out Fetched
	head, err := a.AtWork(ctx)
	if err != nil {
		return out, err
	}
	own, err := send.FindTarget(ctx, a.Repo, head.Branch(), "")
	if err != nil {
		return out, err
	}
	remotes, err := a.remotesOf(ctx, head.Branch(), own.Remote)
	if err != nil {
		return out, err
	}
	before, err := a.remoteBranches(ctx, remotes)
	if err != nil {
		return out, err
	}
	heads, failed := a.fetchAll(ctx, remotes, own, progress)
	if ctx.Err() == nil && len(heads) == 0 {
		return out, failed[remotes[0]]
	}
	after, err := a.remoteBranches(context.WithoutCancel(ctx), remotes)
	if err != nil {
		return out, err
	}
	for _, remote := range remotes {
		if err := failed[remote]; err != nil {
			out.Warnings = append(out.Warnings, err.Error())
			continue
		}
		out.From = append(out.From, remote)
	}
	if len(out.From) == 0 {
		return out, failed[remotes[0]]
	}
	ctx = context.WithoutCancel(ctx) // what came is told, also where the rest was stopped
	if !repo.IsUnattended(ctx) {
		if err := a.dropGone(ctx, heads, own, after); err != nil {
			return out, err
		}
	}
	if err := a.heardOf(ctx, own, heads); err != nil {
		return out, err
	}
	out.Arrivals, err = a.arrivals(ctx, head, own, before, after)
	return out, errors.Join(err, a.noteFetched(out.From))
}

// patience is how long a remote may take to answer a fetch that nobody asked for.
const patience = time.Minute

// fetchAll fetches from several remotes at once. It gives the branches that each of those has
// that answered, and why the others did not.
func (a *App) fetchAll(ctx context.Context, remotes []string, own send.Target,
	progress func(line string)) (heads remoteHeads, failed map[string]error) {
	heads, failed = remoteHeads{}, map[string]error{}
	var mu sync.Mutex
	var group sync.WaitGroup
	for _, remote := range remotes {
		group.Go(func() {
			report := func(line string) {
				mu.Lock()
				defer mu.Unlock()
				if progress != nil {
					progress(remote + ": " + line)
				}
			}
			report("asking")
			found, err := a.fetchOne(ctx, remote, own, report)
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				failed[remote] = err
				return
			}
			heads[remote] = found
		})
	}
	group.Wait()
	return heads, failed
}

func (a *App) fetchOne(ctx context.Context, remote string, own send.Target, report func(line string)) (map[string]repo.ID, error) {
	if repo.IsUnattended(ctx) {
		var cancel context.CancelFunc
		ctx, cancel = context.WithTimeout(ctx, patience)
		defer cancel()
	}
	heads, err := a.Repo.Heads(ctx, remote)
	if err != nil {
		return nil, err
	}
	besides := ""
	if _, there := heads[own.Ref]; there && remote == own.Remote && own.Tracking != "" {
		mapped, err := send.IsMapped(ctx, a.Repo, own)
		if err != nil {
			return nil, err
		}
		if !mapped {
			besides = "+" + own.Ref + ":" + own.Tracking
		}
	}
	return heads, a.Repo.Fetch(ctx, remote, besides, report)
}

// remoteHeads are where branches of remotes are, by the remote's name and the branch's ref there.
type remoteHeads map[string]map[string]repo.ID

// dropGone takes those branches out of what is known of the remotes that are gone there.
func (a *App) dropGone(ctx context.Context, heads remoteHeads, own send.Target, known map[string]repo.ID) error {
	var gone []journal.RefMove
	for remote, there := range heads {
		specs, err := send.Mapping(ctx, a.Repo, remote)
		if err != nil {
			return err
		}
		followed := map[string]bool{}
		for name := range there {
			if to := specs.Follower(name); to != "" {
				followed[to] = true
			}
		}
		for name, id := range known {
			if !specs.Follows(name) && name != own.Tracking || !strings.HasPrefix(name, "refs/remotes/"+remote+"/") || followed[name] {
				continue
			}
			if _, still := there[own.Ref]; name == own.Tracking && still {
				continue
			}
			gone = append(gone, journal.RefMove{Ref: name, Old: id})
			delete(known, name)
		}
	}
	if len(gone) == 0 {
		return nil
	}
	slices.SortFunc(gone, func(x, y journal.RefMove) int { return strings.Compare(x.Ref, y.Ref) })
	entry := journal.Entry{Kind: journal.Fetch, Ref: gone[0].Ref, Old: gone[0].Old, Others: gone[1:],
		Title: wording.Count(len(gone), "branch") + " gone there"}
	_, err := a.CarryOut(ctx, &app.Operation{Entry: entry, Reflog: "fetch: gone there"})
	return err
}

// fetchedFile keeps when each remote was last fetched.
const fetchedFile = "fetched.json"

func (a *App) noteFetched(remotes []string) error {
	times := a.fetchTimes()
	for _, remote := range remotes {
		times[remote] = time.Now().Truncate(time.Second)
	}
	data, err := json.Marshal(times)
	if err != nil {
		return err
	}
	return a.WriteState(fetchedFile, string(data))
}

func (a *App) fetchTimes() map[string]time.Time {
	times := map[string]time.Time{}
	_ = json.Unmarshal([]byte(a.ReadState(fetchedFile)), &times) // what cannot be read is not known
	return times
}

// LastFetch is when a remote was last fetched; the zero time where that is not known.
func (a *App) LastFetch(ctx context.Context, remote string) (time.Time, error) {
	other, err := a.Repo.LastFetch(ctx, remote)
	if own := a.fetchTimes()[remote]; own.After(other) {
		return own, err
	}
	return other, err
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
	shared, err := a.SharedRemotes(ctx, branch)
	if err != nil {
		return nil, err
	}
	remotes := []string{pushed}
	for _, remote := range known {
		// A target that was never fetched is where it will be looked for first.
		concerns := remote == upstream || remote == target.Remote || target.ID.IsZero() && len(shared) > 0 && remote == shared[0]
		if concerns && remote != pushed {
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
		if lost, r.Commits, err = a.Repo.AheadBehind(ctx, r.Old, r.New); err != nil {
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
func (a *App) ownPaths(ctx context.Context, head repo.Head, aim app.Target) (map[string]bool, error) {
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
	old, err := a.TreeOf(ctx, from)
	if err != nil {
		return err
	}
	new, err := a.TreeOf(ctx, to)
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
