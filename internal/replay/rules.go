package replay

import (
	"context"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Options are what the repository's attributes and configuration say of merging.
func Options(ctx context.Context, r *repo.Repo, rules *repo.MergeRules) (merge.Options, error) {
	folders, err := r.Config(ctx, "merge.directoryRenames")
	return merge.Options{Rule: ruleOf(r, rules), Folders: merge.FolderRuleOf(folders)}, err
}

// ruleOf reads the attributes of a path. A driver that the configuration has a command for is
// run; one that it does not know is a text's.
func ruleOf(r *repo.Repo, rules *repo.MergeRules) func(ctx context.Context, path string) (merge.Rule, error) {
	return func(ctx context.Context, path string) (merge.Rule, error) {
		known, err := rules.Rule(ctx, path)
		rule := merge.Rule{MarkerSize: known.MarkerSize}
		if err != nil {
			return rule, err
		}
		name := known.Driver
		if name == "unspecified" {
			if name, err = r.Config(ctx, "merge.default"); err != nil {
				return rule, err
			}
		}
		switch name {
		case "unset", "binary":
			rule.Driver = merge.BinaryDriver
			return rule, nil
		case "union":
			rule.Driver = merge.UnionDriver
			return rule, nil
		case "", "set", "text":
			return rule, nil
		}
		command, err := r.Config(ctx, "merge."+name+".driver")
		if err == nil && command != "" {
			rule.Program = func(ctx context.Context, base, left, right []byte) ([]byte, bool, error) {
				return r.RunMergeDriver(ctx, command, repo.MergeFiles{Path: path, Base: base, Left: left, Right: right, MarkerSize: known.MarkerSize})
			}
		}
		return rule, err
	}
}
