// Package demo makes the demo data: the harbour office of Lantern Quay, with the
// user's clone, the shared remote with its server-side rule, and a colleague's
// clone. The same data comes out every time, down to the ids.
//
// Its tests promise: the story has the same ids each time.
package demo

import (
	"context"
	_ "embed"
	"errors"
	"fmt"
	"os"
	"path"
	"path/filepath"
	"strings"

	"golang.org/x/tools/txtar"

	"bastel/internal/repo"
)

//go:embed base.txtar
var base []byte

// Place is where a demo lies.
type Place struct {
	Dir    string `json:"dir"`
	Work   string `json:"work"`   // the user's clone
	Remote string `json:"remote"` // the shared, bare repository
}

// BranchName is the branch that the story is about.
const BranchName = "feature/berth-board"

// firstMinute is when the story begins: Monday, 4 May 2026, 08:00 UTC.
const firstMinute = 1777881600

// serverRule is the shared remote's pre-receive hook: main takes fast-forwards of
// a linear history only, as hosted services can be told to.
const serverRule = `#!/bin/sh
# Lantern Quay: main moves forward only, and in a straight line.
while read old new ref; do
	test "$ref" = refs/heads/main || continue
	case "$new" in *[!0]*) ;; *) echo "main cannot be deleted." >&2; exit 1 ;; esac
	case "$old" in *[!0]*) ;; *) continue ;; esac
	if ! git merge-base --is-ancestor "$old" "$new"; then
		echo "main does not take forced pushes: $old would be lost." >&2
		exit 1
	fi
	if test -n "$(git rev-list --merges "$old..$new")"; then
		echo "main takes a linear history only: there is a merge in $old..$new." >&2
		exit 1
	fi
done
`

// Make makes the demo in dir, which must be empty or not there yet.
func Make(ctx context.Context, dir string) (Place, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return Place{}, fmt.Errorf("make the demo: %w", err)
	}
	if entries, err := os.ReadDir(dir); err == nil && len(entries) > 0 {
		return Place{}, fmt.Errorf("make the demo: %s is not empty: %w", dir, os.ErrExist)
	} else if err != nil && !errors.Is(err, os.ErrNotExist) {
		return Place{}, fmt.Errorf("make the demo: %w", err)
	}
	p := Place{Dir: dir, Work: filepath.Join(dir, "work"), Remote: filepath.Join(dir, "shared.git")}
	if err := repo.Init(ctx, p.Remote, "--bare", "--initial-branch=main", "--object-format=sha1", "--template="); err != nil {
		return p, err
	}
	if err := p.makeWork(ctx); err != nil {
		return p, err
	}
	if err := p.makeColleague(ctx); err != nil {
		return p, err
	}
	hooks := filepath.Join(p.Remote, "hooks")
	if err := os.MkdirAll(hooks, 0o777); err != nil {
		return p, fmt.Errorf("make the demo: %w", err)
	}
	for name, script := range map[string]string{"pre-receive": serverRule, "post-receive": deskNote} {
		if err := os.WriteFile(filepath.Join(hooks, name), []byte(script), 0o777); err != nil {
			return p, fmt.Errorf("make the demo: %w", err)
		}
	}
	return p, nil
}

// At gives the place of a demo that was made in dir before.
func At(dir string) (Place, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return Place{}, fmt.Errorf("find the demo: %w", err)
	}
	p := Place{Dir: dir, Work: filepath.Join(dir, "work"), Remote: filepath.Join(dir, "shared.git")}
	for _, part := range []string{p.Work, p.Remote} {
		if _, err := os.Stat(part); err != nil {
			return p, fmt.Errorf("there is no demo in %s: %w", dir, err)
		}
	}
	return p, nil
}

// clone makes an empty repository that has the shared one as its remote.
func (p Place) clone(ctx context.Context, dir string, who person) (*repo.Repo, error) {
	if err := repo.Init(ctx, dir, "--initial-branch=main", "--object-format=sha1", "--template="); err != nil {
		return nil, err
	}
	r, err := repo.Open(ctx, dir)
	if err != nil {
		return nil, err
	}
	for _, setting := range [][2]string{
		{"user.name", who.name}, {"user.email", who.email},
		{"core.autocrlf", "false"}, {"commit.gpgSign", "false"}, {"core.hooksPath", ".git/hooks"},
		{"remote.origin.url", p.Remote}, {"remote.origin.fetch", "+refs/heads/*:refs/remotes/origin/*"},
		{"branch.main.remote", "origin"}, {"branch.main.merge", "refs/heads/main"},
	} {
		if err := r.SetConfig(ctx, setting[0], setting[1]); err != nil {
			return nil, errors.Join(err, r.Close())
		}
	}
	return r, nil
}

func (p Place) makeWork(ctx context.Context) error {
	r, err := p.clone(ctx, p.Work, ines)
	if err != nil {
		return err
	}
	defer r.Close()
	b := builder{objects: r.NewOverlay(), empty: r.EmptyTree()}
	start := files{}
	for _, f := range txtar.Parse(base).Files {
		start[f.Name] = string(f.Data)
	}
	first := b.commit(repo.ID{}, start, scene{oskar, 0, "Start the harbour office's program\n", nil})
	fork, atFork := b.play(first, start, mainBefore)
	later, atLater := b.play(fork, atFork, mainAfter[:2])
	newMain, _ := b.play(later, atLater, mainAfter[2:])
	sent, atSent := b.play(fork, atFork, branch[:sentBefore])
	tip, atTip := b.play(sent, atSent, branch[sentBefore:])
	others := b.others(fork, atFork, later, atLater)
	if b.err != nil {
		return b.err
	}
	keep := []repo.ID{newMain, tip}
	refs := []repo.RefUpdate{{Ref: "refs/heads/main", New: fork}, {Ref: "refs/heads/" + BranchName, New: sent}}
	for name, id := range others {
		keep = append(keep, id)
		if name != colleagues {
			refs = append(refs, repo.RefUpdate{Ref: "refs/heads/" + name, New: id})
		}
	}
	if err := b.objects.Flush(ctx, keep...); err != nil {
		return err
	}
	if err := r.UpdateRefs(ctx, "demo: the story so far", refs...); err != nil {
		return err
	}
	for ref, id := range map[string]repo.ID{"main": newMain, BranchName: sent, colleagues: others[colleagues]} {
		if _, err := r.Push(ctx, "origin", []repo.PushedRef{{Ref: "refs/heads/" + ref, ID: id}}, nil, nil); err != nil {
			return err
		}
	}
	if err := r.UpdateRefs(ctx, "demo: later that day", repo.RefUpdate{Ref: "refs/heads/" + BranchName, New: tip, Old: sent}); err != nil {
		return err
	}
	if err := r.SetSymbolicRef(ctx, "refs/remotes/origin/HEAD", "refs/remotes/origin/main", "demo"); err != nil {
		return err
	}
	if err := r.SetUpstream(ctx, BranchName, "origin", "refs/heads/"+BranchName); err != nil {
		return err
	}
	if err := r.SetSymbolicRef(ctx, "HEAD", "refs/heads/"+BranchName, "demo"); err != nil {
		return err
	}
	if err := r.Fill(ctx, tip); err != nil {
		return err
	}
	return writeLoose(p.Work, atTip)
}

// colleagues is Mira's branch, on the remote only.
const colleagues = "tide-alarm"

// others are the branches beside the one of the story: a stack, one to be landed with it, a colleague's, and one that is merged.
func (b *builder) others(fork repo.ID, atFork files, later repo.ID, atLater files) map[string]repo.ID {
	low, atLow := b.play(fork, atFork, lights)
	colours, _ := b.play(low, atLow, lightsColours)
	tied, _ := b.play(later, atLater, ropes)
	rung, _ := b.play(fork, atFork, alarm)
	return map[string]repo.ID{"lights": low, "lights-colours": colours, "ropes": tied, colleagues: rung, "less-ink": later}
}

func writeLoose(dir string, f files) error {
	changed := f.clone()
	for _, e := range loose {
		if err := changed.edit(e); err != nil {
			return err
		}
		if err := os.WriteFile(filepath.Join(dir, filepath.FromSlash(e.path)), []byte(changed[e.path]), 0o666); err != nil {
			return fmt.Errorf("make the demo: %w", err)
		}
	}
	return nil
}

func (p Place) makeColleague(ctx context.Context) error {
	r, err := p.clone(ctx, filepath.Join(p.Dir, "colleague"), mira)
	if err != nil {
		return err
	}
	defer r.Close()
	if err := r.Fetch(ctx, "origin", "", nil); err != nil {
		return err
	}
	main, err := r.RefValue(ctx, "refs/remotes/origin/main")
	if err != nil {
		return err
	}
	if err := r.UpdateRefs(ctx, "demo: clone", repo.RefUpdate{Ref: "refs/heads/main", New: main}); err != nil {
		return err
	}
	return r.Fill(ctx, main)
}

// files are the contents of a tree by path.
type files map[string]string

func (f files) clone() files {
	c := make(files, len(f))
	for name, text := range f {
		c[name] = text
	}
	return c
}

// edit carries out one edit. A story that does not fit together is an error, so
// that no demo comes out that says something else than its source.
func (f files) edit(e edit) error {
	if e.from != "" {
		f[e.path] = f[e.from]
		delete(f, e.from)
	}
	switch {
	case e.old == "" && e.new == "" && e.from == "":
		delete(f, e.path)
	case e.old == "":
		f[e.path] += e.new
	case e.all:
		f[e.path] = strings.ReplaceAll(f[e.path], e.old, e.new)
	case strings.Count(f[e.path], e.old) != 1:
		return fmt.Errorf("make the demo: %q stands %d times in %s", e.old, strings.Count(f[e.path], e.old), e.path)
	default:
		f[e.path] = strings.Replace(f[e.path], e.old, e.new, 1)
	}
	return nil
}

// builder makes the story's objects. The first error stays.
type builder struct {
	objects *repo.Overlay
	empty   repo.ID
	err     error
}

// play makes one commit a scene and gives the last one with its files.
func (b *builder) play(parent repo.ID, f files, scenes []scene) (repo.ID, files) {
	f = f.clone()
	for _, s := range scenes {
		for _, e := range s.edits {
			if err := f.edit(e); err != nil && b.err == nil {
				b.err = fmt.Errorf("%s: %w", repo.Subject(s.message), err)
			}
		}
		parent = b.commit(parent, f, s)
	}
	return parent, f
}

func (b *builder) commit(parent repo.ID, f files, s scene) repo.ID {
	signature := fmt.Sprintf("%s <%s> %d +0200", s.who.name, s.who.email, firstMinute+60*s.minute)
	c := &repo.Commit{Tree: b.tree(f), Author: signature, Committer: signature, Message: s.message}
	if !parent.IsZero() {
		c.Parents = []repo.ID{parent}
	}
	return b.objects.Put(repo.KindCommit, c.Encode())
}

// tree makes the tree of files, folder by folder.
func (b *builder) tree(f files) repo.ID {
	folders := map[string]files{}
	var tree repo.Tree
	for name, text := range f {
		folder, rest, nested := strings.Cut(path.Clean(name), "/")
		if !nested {
			tree = append(tree, repo.Entry{Mode: repo.ModeFile, Name: name, ID: b.objects.Put(repo.KindBlob, []byte(text))})
			continue
		}
		if folders[folder] == nil {
			folders[folder] = files{}
		}
		folders[folder][rest] = text
	}
	for name, inside := range folders {
		tree = append(tree, repo.Entry{Mode: repo.ModeTree, Name: name, ID: b.tree(inside)})
	}
	tree.Sort()
	return b.objects.PutTree(tree)
}
