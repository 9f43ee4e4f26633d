package repo

import (
	"bufio"
	"bytes"
	"context"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"
)

// Head is where HEAD stands.
type Head struct {
	Ref    string // full name of the branch's ref; empty where HEAD is detached
	Commit ID     // zero on a branch without commits
}

// Branch is the short name of the branch, or nothing where HEAD is detached.
func (h Head) Branch() string { return strings.TrimPrefix(h.Ref, "refs/heads/") }

// Head reads HEAD.
func (r *Repo) Head(ctx context.Context) (Head, error) {
	var head Head
	ref, err := r.HeadRef(ctx)
	if err != nil {
		return head, err
	}
	head.Ref = ref
	head.Commit, err = r.Resolve(ctx, "HEAD")
	return head, err
}

// HeadRef is the branch that HEAD is on; empty: none. The file that says so has a documented
// form (gitrepository-layout(5)); where refs are kept otherwise, it says that.
func (r *Repo) HeadRef(ctx context.Context) (string, error) {
	text, err := os.ReadFile(filepath.Join(r.gitDir, "HEAD"))
	if ref, ok := strings.CutPrefix(string(text), "ref: refs/heads/"); err == nil && ok && strings.TrimSpace(ref) != ".invalid" {
		return "refs/heads/" + strings.TrimSpace(ref), nil
	}
	ref, err := r.line(ctx, "symbolic-ref", "--quiet", "HEAD")
	if err != nil && exitCode(err) != 1 {
		return "", fmt.Errorf("read HEAD: %w", err)
	}
	return ref, nil
}

// Resolve finds the commit that an expression names; the zero id where there is none. A name that several refs have is that of the
// remote's branch, then of the branch here, then of the tag: it is never in doubt.
func (r *Repo) Resolve(ctx context.Context, name string) (ID, error) {
	if at := strings.IndexAny(name, "~^@:"); at != 0 {
		plain := name
		if at > 0 {
			plain = name[:at]
		}
		ref, err := r.refNamed(ctx, plain)
		if err != nil {
			return ID{}, err
		}
		name = ref + name[len(plain):]
	}
	return r.lookUp(ctx, name+"^{commit}")
}

// refNamed is the full name of the branch that people mean by a name; the name itself where there is none.
func (r *Repo) refNamed(ctx context.Context, name string) (string, error) {
	if name == "HEAD" || strings.HasPrefix(name, "refs/") || len(name) == len(r.EmptyTree().String()) {
		return name, nil
	}
	for _, prefix := range []string{"refs/remotes/", "refs/heads/"} {
		id, err := r.lookUp(ctx, prefix+name)
		if err != nil {
			return "", err
		}
		if !id.IsZero() {
			return prefix + name, nil
		}
	}
	return name, nil
}

// RefValue reads the ref itself; the zero id where it does not exist.
func (r *Repo) RefValue(ctx context.Context, ref string) (ID, error) {
	id, err := r.lookUp(ctx, ref)
	if isOwn(ref) && id == r.EmptyTree() {
		return ID{}, err
	}
	return id, err
}

// RefAt is what a ref pointed at at a time, by its reflog; zero: it was not there. known is false where no reflog is kept in files.
// Each line of such a file has the value before, the one after, who, and when in seconds and zone, then a tab and why.
func (r *Repo) RefAt(ref string, at time.Time) (id ID, known bool) {
	log, err := os.ReadFile(filepath.Join(r.commonDir, "logs", filepath.FromSlash(ref)))
	if err != nil {
		return ID{}, false
	}
	for line := range strings.Lines(string(log)) {
		head, _, _ := strings.Cut(line, "\t")
		fields := strings.Fields(head)
		if len(fields) < 4 {
			return ID{}, false
		}
		before, errBefore := ParseID(fields[0])
		after, errAfter := ParseID(fields[1])
		seconds, err := strconv.ParseInt(fields[len(fields)-2], 10, 64)
		if errors.Join(errBefore, errAfter, err) != nil {
			return ID{}, false
		}
		if !known {
			id, known = before, true
		}
		if seconds > at.Unix() {
			return id, true
		}
		id = after
	}
	return id, known
}

// lookUp asks the object reader, which knows names too and is there already.
func (r *Repo) lookUp(ctx context.Context, name string) (id ID, err error) {
	if strings.ContainsAny(name, "\n\x00") {
		return ID{}, nil
	}
	err = r.objects.batch(ctx, "info", []string{name}, func(_ int, head string, _ *bufio.Reader) error {
		var found bool
		id, _, _, found, err = parseHead(head)
		if !found {
			id = ID{}
		}
		return err
	})
	if err != nil {
		return ID{}, fmt.Errorf("look up %s: %w", name, err)
	}
	return id, nil
}

// Ref is a name and what it points at.
type Ref struct {
	Name     string
	ID       ID     // a tag's commit, not the tag object
	Upstream string // full name of a branch's upstream ref
	Symref   string // full name of the ref that a symbolic one stands for
	Worktree string // path of the working tree that has this branch checked out
}

// Short is the name that people use.
func (r Ref) Short() string {
	for _, prefix := range []string{"refs/heads/", "refs/remotes/", "refs/tags/"} {
		if rest, ok := strings.CutPrefix(r.Name, prefix); ok {
			return rest
		}
	}
	return r.Name
}

// Refs lists the refs below the given prefixes, which conditions may stand before.
func (r *Repo) Refs(ctx context.Context, prefixes ...string) ([]Ref, error) {
	const format = "%(refname)%00%(objectname)%00%(*objectname)%00%(upstream)%00%(symref)%00%(worktreepath)"
	out, err := r.remembered(ctx, r.refStamp, append([]string{"for-each-ref", "--format=" + format}, prefixes...)...)
	if err != nil {
		return nil, fmt.Errorf("list refs: %w", err)
	}
	var refs []Ref
	for line := range strings.Lines(string(out)) {
		fields := strings.Split(strings.TrimSuffix(line, "\n"), "\x00")
		if len(fields) != 6 {
			continue
		}
		object := fields[1]
		if fields[2] != "" {
			object = fields[2]
		}
		id, err := ParseID(object)
		if err != nil {
			return nil, fmt.Errorf("ref %s: %w", fields[0], err)
		}
		refs = append(refs, Ref{fields[0], id, fields[3], fields[4], fields[5]})
	}
	return refs, nil
}

// Within lists the local branches whose commits are all in the history of a commit.
func (r *Repo) Within(ctx context.Context, id ID) ([]string, error) {
	out, err := r.remembered(ctx, r.refStamp, "for-each-ref", "--format=%(refname)", "--merged="+id.String(), "refs/heads")
	if err != nil {
		return nil, fmt.Errorf("list the branches that %s has: %w", id.Short(), err)
	}
	return strings.Fields(string(out)), nil
}

// RefUpdate is one move of a transaction. A zero New deletes, a zero Old says
// that the ref must not exist yet.
type RefUpdate struct {
	Ref      string
	New, Old ID
}

// UpdateRefs moves refs in one transaction: all of them, or none. Each must
// still have its old value. Errors: ErrMoved, ErrLocked.
func (r *Repo) UpdateRefs(ctx context.Context, reflog string, updates ...RefUpdate) error {
	updates, env, err := r.ownUpdates(ctx, updates)
	if err != nil {
		return err
	}
	var in bytes.Buffer
	in.WriteString("start\x00")
	for _, u := range updates {
		if u.New.IsZero() {
			fmt.Fprintf(&in, "delete %s\x00%s\x00", u.Ref, r.hexOrZero(u.Old))
			continue
		}
		fmt.Fprintf(&in, "update %s\x00%s\x00%s\x00", u.Ref, u.New, r.hexOrZero(u.Old))
	}
	in.WriteString("prepare\x00commit\x00")
	reflog = strings.Join(strings.Fields(reflog), " ")
	if _, err := r.invoke(ctx, invocation{args: []string{"update-ref", "-m", reflog, "--stdin", "-z"}, stdin: &in, env: env}); err != nil {
		return fmt.Errorf("move %s: %w", updates[len(updates)-1].Ref, byHook(err))
	}
	return nil
}

// byHook tells the no of the user's own reference-transaction hook from other failures.
func byHook(err error) error {
	var failed *CommandError
	if !errors.As(err, &failed) {
		return err
	}
	said, _, refused := strings.Cut(failed.Stderr, "ref updates aborted by hook")
	if !refused {
		return err
	}
	return &HookError{Hook: "reference-transaction", Output: said[:strings.LastIndexByte(said, '\n')+1]}
}

// MergeBase is the best common ancestor, or the zero id where there is none.
//
// With several others it is that of the first and a merge of the others.
func (r *Repo) MergeBase(ctx context.Context, a ID, others ...ID) (ID, error) {
	args := []string{"merge-base", a.String()}
	for _, id := range others {
		if !id.IsZero() {
			args = append(args, id.String())
		}
	}
	if len(args) == 2 {
		return ID{}, nil
	}
	out, err := r.remembered(ctx, r.graphStamp, args...)
	if err != nil {
		if exitCode(err) == 1 {
			return ID{}, nil
		}
		return ID{}, fmt.Errorf("find the merge base: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// MergeBases lists all best common ancestors, several where histories crossed; none where
// they are unrelated.
func (r *Repo) MergeBases(ctx context.Context, a ID, others ...ID) ([]ID, error) {
	args := []string{"merge-base", "--all", a.String()}
	for _, id := range others {
		if !id.IsZero() {
			args = append(args, id.String())
		}
	}
	if len(args) == 3 {
		return nil, nil
	}
	out, err := r.remembered(ctx, r.graphStamp, args...)
	if exitCode(err) == 1 {
		return nil, nil
	}
	if err != nil {
		return nil, fmt.Errorf("find the merge bases: %w", err)
	}
	var bases []ID
	for word := range strings.FieldsSeq(string(out)) {
		id, err := ParseID(word)
		if err != nil {
			return nil, err
		}
		bases = append(bases, id)
	}
	return bases, nil
}

// ForkPoint is where a branch left a ref, going by what the ref pointed at before: also
// where the ref was rewritten since. The zero id where its reflog does not tell, or the
// name is no ref's, such as main~4.
func (r *Repo) ForkPoint(ctx context.Context, ref string, tip ID) (ID, error) {
	ref, err := r.refNamed(ctx, ref)
	if err != nil {
		return ID{}, err
	}
	out, err := r.remembered(ctx, r.logStamp(ref), "merge-base", "--fork-point", ref, tip.String())
	if err != nil {
		var failed *CommandError
		if exitCode(err) == 1 || errors.As(err, &failed) && strings.Contains(failed.Stderr, "No such ref") {
			return ID{}, nil
		}
		return ID{}, fmt.Errorf("find the fork point: %w", err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// IsAncestor says whether a is b or one of its ancestors.
func (r *Repo) IsAncestor(ctx context.Context, a, b ID) (bool, error) {
	_, err := r.remembered(ctx, r.graphStamp, "merge-base", "--is-ancestor", a.String(), b.String())
	if exitCode(err) == 1 {
		return false, nil
	}
	return err == nil, err
}

// RevList lists the commits that the arguments of `rev-list` select, newest
// first unless they say otherwise.
func (r *Repo) RevList(ctx context.Context, args ...string) ([]ID, error) {
	out, err := r.remembered(ctx, r.stampFor(args), append([]string{"rev-list"}, args...)...)
	if err != nil {
		return nil, fmt.Errorf("list commits: %w", err)
	}
	var ids []ID
	for line := range strings.Lines(string(out)) {
		id, err := ParseID(strings.TrimSuffix(line, "\n"))
		if err != nil {
			return nil, err
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// plainFlags of rev-list have no ref of their own in what they select.
var plainFlags = newSet("--topo-order", "--reverse", "--first-parent", "--no-merges", "--not")

// stampFor is what a list of commits depends on: where all are named by their ids on nothing
// that moves.
func (r *Repo) stampFor(args []string) func() *stamps {
	for _, arg := range args {
		name := strings.TrimLeft(arg, "^")
		switch {
		case arg == "--walk-reflogs":
			return r.logStamp(args[1])
		case arg == "--remotes" || strings.HasPrefix(arg, "--remotes="):
			return r.refStamp
		case plainFlags[arg] || strings.HasPrefix(arg, "--max-count="):
		case len(name) != 2*r.idLen:
			return r.refStamp
		}
	}
	return r.graphStamp
}

// Range lists the commits of tip that base does not have, oldest first; all of
// them where base is zero.
func (r *Repo) Range(ctx context.Context, base, tip ID) ([]ID, error) {
	args := []string{"--topo-order", "--reverse", tip.String()}
	if !base.IsZero() {
		args = append(args, "^"+base.String())
	}
	return r.RevList(ctx, args...)
}

// ReflogValues lists what a ref pointed at according to its reflog, newest first.
func (r *Repo) ReflogValues(ctx context.Context, ref string) ([]ID, error) {
	ids, err := r.RevList(ctx, "--walk-reflogs", ref, "--")
	if err != nil && exitCode(err) == 128 { // no reflog is kept
		return nil, nil
	}
	return ids, err
}

// Has says whether an object is here. The zero id always is.
func (r *Repo) Has(ctx context.Context, id ID) (bool, error) {
	if id.IsZero() {
		return true, nil
	}
	_, err := r.Sizes(ctx, []ID{id})
	if errors.Is(err, ErrMissingObject) {
		return false, nil
	}
	return err == nil, err
}

// AheadBehind counts the commits that only a has, and those that only b has.
func (r *Repo) AheadBehind(ctx context.Context, a, b ID) (onlyA, onlyB int, err error) {
	out, err := r.remembered(ctx, r.graphStamp, "rev-list", "--count", "--left-right", a.String()+"..."+b.String())
	if err != nil {
		return 0, 0, fmt.Errorf("count commits: %w", err)
	}
	if _, err := fmt.Sscan(string(out), &onlyA, &onlyB); err != nil {
		return 0, 0, fmt.Errorf("count commits: unexpected answer %q", out)
	}
	return onlyA, onlyB, nil
}

// DetachHead parts HEAD from its branch, at a commit.
func (r *Repo) DetachHead(ctx context.Context, at ID, reflog string) error {
	if _, err := r.run(ctx, nil, "update-ref", "--no-deref", "-m", reflog, "HEAD", at.String()); err != nil {
		return fmt.Errorf("part HEAD from its branch: %w", err)
	}
	return nil
}

// SetSymbolicRef makes a ref stand for another.
func (r *Repo) SetSymbolicRef(ctx context.Context, ref, to, reflog string) error {
	if _, err := r.run(ctx, nil, "symbolic-ref", "-m", reflog, ref, to); err != nil {
		return fmt.Errorf("point %s at %s: %w", ref, to, err)
	}
	return nil
}

// BranchesWith lists the local branches that contain a commit.
func (r *Repo) BranchesWith(ctx context.Context, id ID) ([]Ref, error) {
	refs, err := r.Refs(ctx, "--contains="+id.String(), "refs/heads")
	if err != nil {
		return nil, fmt.Errorf("look for branches with %s: %w", id.Short(), err)
	}
	return refs, nil
}

// RemotesWith lists the remotes' branches, as last fetched, that have a commit.
func (r *Repo) RemotesWith(ctx context.Context, id ID) ([]string, error) {
	out, err := r.remembered(ctx, r.refStamp, "for-each-ref", "--contains="+id.String(), "--format=%(refname)", "refs/remotes")
	if err != nil {
		return nil, fmt.Errorf("look for %s at the remotes: %w", id.Short(), err)
	}
	var names []string
	for name := range strings.FieldsSeq(string(out)) {
		names = append(names, Ref{Name: name}.Short())
	}
	return names, nil
}
