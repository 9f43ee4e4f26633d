package replay

import (
	"bytes"
	"context"
	"strings"

	"bastel/internal/merge"
	"bastel/internal/repo"
)

// Options are what the repository's attributes and configuration say of merging.
func Options(ctx context.Context, r *repo.Repo, rules *repo.MergeRules) (merge.Options, error) {
	folders, err := r.Config(ctx, "merge.directoryRenames")
	if err != nil {
		return merge.Options{}, err
	}
	renormalize, err := r.Config(ctx, "merge.renormalize")
	options := merge.Options{Rule: ruleOf(r, rules), Folders: merge.FolderRuleOf(folders), Faulty: toLog(r), Contains: r.SubmoduleContains,
		Renormalize: repo.Truth(renormalize, false)}
	if options.Renormalize && err == nil {
		var lineEnds string
		lineEnds, err = r.Config(ctx, "core.autocrlf")
		options.Rule = normalized(rules, options.Rule, strings.EqualFold(lineEnds, "input") || repo.Truth(lineEnds, false))
	}
	return options, err
}

// normalized has versions be merged with the line ends that they would be stored with. Filters are not run.
func normalized(rules *repo.MergeRules, rule func(context.Context, string) (merge.Rule, error),
	always bool) func(context.Context, string) (merge.Rule, error) {
	return func(ctx context.Context, path string) (merge.Rule, error) {
		found, err := rule(ctx, path)
		if err != nil {
			return found, err
		}
		known, err := rules.Rule(ctx, path)
		said := known.EOL == "lf" || known.EOL == "crlf"
		switch {
		case known.Text == "set" || said && known.Text == "unspecified":
			found.Normal = withoutReturns
		case known.Text == "auto" || always && known.Text == "unspecified":
			found.Normal = func(data []byte) []byte {
				if merge.IsBinary(data) {
					return data
				}
				return withoutReturns(data)
			}
		}
		return found, err
	}
}

func withoutReturns(data []byte) []byte { return bytes.ReplaceAll(data, []byte("\r\n"), []byte("\n")) }

// toLog writes a fault of merging down, without names of files.
func toLog(r *repo.Repo) func(ctx context.Context, base, left, right repo.ID, at []merge.Conflict) {
	return func(ctx context.Context, base, left, right repo.ID, at []merge.Conflict) {
		r.Log().ErrorContext(ctx, "a merge did not hold all that went in, and is asked about: a fault of Bastel", "base",
			base.String(), "left", left.String(),
			"right", right.String(), "paths", len(at))
	}
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
