package repo

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// Busy is a branch that an operation holds, in this working tree or in another: it will be moved when that ends.
type Busy struct {
	Ref string
	By  string // rebasing or bisecting
	In  string // the working tree; empty: this one
}

// Says it in a sentence's part.
func (b Busy) Says() string {
	where := "here"
	if b.In != "" {
		where = "in " + b.In
	}
	return fmt.Sprintf("%s is in the middle of %s %s", Ref{Name: b.Ref}.Short(), b.By, where)
}

// BusyBranches lists the branches that are rebased or bisected in any working tree, by the files that the repository keeps of it. Those
// that a rebase takes along are among them.
func (r *Repo) BusyBranches() (list []Busy) {
	linked, _ := filepath.Glob(filepath.Join(r.commonDir, "worktrees", "*")) // the pattern is a right one
	for _, dir := range append([]string{r.commonDir}, linked...) {
		in := ""
		if dir != r.gitDir {
			in = workTreeOf(dir)
		}
		add := func(ref, by string) {
			if strings.HasPrefix(ref, "refs/heads/") && !slices.ContainsFunc(list, func(b Busy) bool { return b.Ref == ref }) {
				list = append(list, Busy{ref, by, in})
			}
		}
		for _, state := range []string{"rebase-merge", "rebase-apply"} {
			add(firstLineOf(filepath.Join(dir, state, "head-name")), "a rebase")
		}
		along, _ := os.ReadFile(filepath.Join(dir, "rebase-merge", "update-refs")) // most have none: a name, and two ids, a line each
		for line := range strings.Lines(string(along)) {
			add(strings.TrimSpace(line), "a rebase")
		}
		if start := firstLineOf(filepath.Join(dir, "BISECT_START")); start != "" {
			add("refs/heads/"+strings.TrimPrefix(start, "refs/heads/"), "a bisection")
		}
	}
	return list
}

// workTreeOf is the folder that a git folder belongs to.
func workTreeOf(gitDir string) string {
	if at := firstLineOf(filepath.Join(gitDir, "gitdir")); at != "" {
		return filepath.Dir(at)
	}
	return filepath.Dir(gitDir)
}

// firstLineOf is empty where there is no such file.
func firstLineOf(name string) string {
	text, _ := os.ReadFile(name) // of what is not under way there is none
	line, _, _ := strings.Cut(string(text), "\n")
	return strings.TrimSpace(line)
}
