package cli

import (
	"context"
	"strings"

	"github.com/spf13/cobra"

	"bastel/internal/app"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// words lists what an argument can be in a repository, each with a description after a tab.
type words func(ctx context.Context, a *app.App) ([]string, error)

// complete gives the shells what arguments and flags can be: branches, tags, hunks, paths, trays.
func (c *command) complete(root *cobra.Command) {
	for name, list := range map[string]words{
		"switch": branchWords, "target": pointWords, "branch delete": branchWords, "branch rename": branchWords, "branch new": pointWords,
		"land": branchWords, "move": pointWords, "compare": pointWords, "take": pointWords, "revert": pointWords, "tag": pointWords,
		"loosen": pointWords, "stage": looseWords, "discard": looseWords, "home": looseWords, "unstage": stagedWords, "story": pathWords,
	} {
		if cmd, _, err := root.Find(strings.Fields(name)); err == nil {
			cmd.ValidArgsFunction = c.completer(list)
		}
	}
	for flag, list := range map[string]words{"tray": trayWords, "onto": pointWords, "base": pointWords, "branch": branchWords,
		"from": pointWords, "line": branchWords, "of": pointWords, "into": pointWords, "merge": pointWords, "remote": remoteWords} {
		for _, cmd := range root.Commands() {
			if cmd.Flags().Lookup(flag) != nil {
				_ = cmd.RegisterFlagCompletionFunc(flag, c.completer(list)) // each is there once
			}
		}
	}
}

// completer asks the repository; without one there is nothing to offer.
func (c *command) completer(list words) func(*cobra.Command, []string, string) ([]string, cobra.ShellCompDirective) {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		ctx := cmd.Context()
		if ctx == nil {
			ctx = context.Background()
		}
		a, _, err := app.Open(repo.Because(ctx, "completing"), c.dir)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		defer a.Close()
		found, err := list(ctx, a)
		if err != nil {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		var fit []string
		for _, word := range found {
			if strings.HasPrefix(word, typed) && !strings.ContainsAny(word, "\n\r") {
				fit = append(fit, word)
			}
		}
		return fit, cobra.ShellCompDirectiveNoFileComp
	}
}

func refWords(ctx context.Context, a *app.App, prefixes ...string) ([]string, error) {
	refs, err := a.Repo.Refs(ctx, prefixes...)
	var list []string
	for _, ref := range refs {
		list = append(list, ref.Short())
	}
	return list, err
}

func branchWords(ctx context.Context, a *app.App) ([]string, error) {
	return refWords(ctx, a, "refs/heads")
}

func pointWords(ctx context.Context, a *app.App) ([]string, error) {
	return refWords(ctx, a, "refs/heads", "refs/remotes", "refs/tags")
}

func remoteWords(ctx context.Context, a *app.App) ([]string, error) { return a.Repo.Remotes(ctx) }

func trayWords(ctx context.Context, a *app.App) ([]string, error) {
	drafts, err := resolving.Of(a).Trays(ctx)
	var list []string
	for _, d := range drafts {
		list = append(list, d.Layer.String()+"\t"+d.Says)
	}
	return list, err
}

func looseWords(ctx context.Context, a *app.App) ([]string, error) {
	return hunkWords(ctx, a, tray.Loose)
}
func stagedWords(ctx context.Context, a *app.App) ([]string, error) { return hunkWords(ctx, a, tray.A) }

// hunkWords are the files of a layer, and its hunks by their ids.
func hunkWords(ctx context.Context, a *app.App, at tray.Layer) ([]string, error) {
	listing, err := sorting.Of(a).Look(ctx)
	var list []string
	for _, f := range listing.Files(at) {
		list = append(list, f.Path)
		for _, h := range f.Hunks {
			list = append(list, h.ID+"\t"+f.Path)
		}
	}
	return list, err
}

func pathWords(ctx context.Context, a *app.App) ([]string, error) { return a.Repo.TrackedPaths(ctx) }
