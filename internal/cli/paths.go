package cli

import (
	"context"
	"path"
	"path/filepath"
	"strings"

	"bastel/internal/app"
)

// paths gives words of the command line that are paths as the repository names them, from the top of the working tree. A path
// is as the shell has it, from the folder that the command works in, where the repository knows a file there, or one lies there;
// else it is from the top, as the commands print paths. What is no path, such as a hunk's id, stays.
func (c *command) paths(ctx context.Context, a *app.App, words []string) ([]string, error) {
	prefix := c.prefix(a)
	relative := make([]string, len(words))
	var ask []string
	for i, word := range words {
		relative[i] = strings.TrimSuffix(path.Join(prefix, filepath.ToSlash(word)), "/")
		if filepath.IsAbs(word) {
			relative[i] = c.below(a, word)
		}
		ask = append(ask, relative[i])
	}
	known, err := a.Repo.IndexEntries(ctx, ask)
	if err != nil {
		return nil, err
	}
	list := make([]string, len(words))
	for i, word := range words {
		list[i] = word
		at := relative[i]
		if at == "" || at == "." || strings.HasPrefix(at, "../") || at == ".." {
			continue
		}
		if _, tracked := known[at]; tracked || a.Repo.Exists(at) || strings.HasPrefix(word, "./") {
			list[i] = at
		}
	}
	return list, nil
}

// beforeColons does so with paths that a hunk's id may follow after a colon.
func (c *command) beforeColons(ctx context.Context, a *app.App, words []string) ([]string, error) {
	names, rests := make([]string, len(words)), make([]string, len(words))
	for i, word := range words {
		names[i], rests[i], _ = strings.Cut(word, ":")
	}
	names, err := c.paths(ctx, a, names)
	if err != nil {
		return nil, err
	}
	for i, word := range words {
		if strings.Contains(word, ":") {
			names[i] += ":" + rests[i]
		} else {
			names[i] = word
		}
	}
	return names, nil
}

// prefix is the folder that the command works in, from the top of the working tree.
func (c *command) prefix(a *app.App) string {
	here, err := filepath.Abs(c.dir)
	if err != nil {
		return ""
	}
	if real, err := filepath.EvalSymlinks(here); err == nil {
		here = real
	}
	return c.below(a, here)
}

// below is a place of the file system, from the top of the working tree; empty: it is the top, or not within.
func (c *command) below(a *app.App, name string) string {
	if real, err := filepath.EvalSymlinks(filepath.Dir(name)); err == nil {
		name = filepath.Join(real, filepath.Base(name))
	}
	top := a.Repo.Top()
	if real, err := filepath.EvalSymlinks(top); err == nil {
		top = real
	}
	within, err := filepath.Rel(top, name)
	if err != nil || within == "." || strings.HasPrefix(within, "..") {
		return ""
	}
	return filepath.ToSlash(within)
}
