package app

import (
	"context"
	"strings"
)

// Heard says what becomes of a setting of git's configuration.
type Heard string

// The ways.
const (
	ByBastel     Heard = "by Bastel"
	ByRepository Heard = "by git's own commands" // its own commands hear it, which Bastel runs
	NotHeard     Heard = "not"
)

// Configured is a setting that people have, and what becomes of it here.
type Configured struct {
	Key   string
	Heard Heard
	Why   string
}

// Configuration lists the settings that people have.
func Configuration() []Configured {
	return []Configured{
		{"branch.NAME.pushRemote", ByBastel, "where Send pushes the branch"},
		{"branch.NAME.remote, .merge", ByBastel, "the upstream"},
		{"commit.cleanup", ByBastel, "how messages are tidied"},
		{"commit.gpgSign", ByBastel, "commits are signed, those too that are made anew"},
		{"commit.template", ByBastel, "a new message begins with it"},
		{"commit.verbose", ByBastel, "your own editor gets what the message is for below it; in Bastel it stands beside it anyway"},
		{"core.attributesFile, core.excludesFile", ByRepository, "which files have filters, and which are ignored"},
		{"core.autocrlf, core.eol", ByRepository, "line ends, by the repository's filters"},
		{"core.commentChar", ByBastel, "lines of a message that begin with it go; auto is #"},
		{"core.editor", ByBastel, "your own editor, as the repository chooses it"},
		{"core.fileMode", ByBastel, "whether the executable bit counts"},
		{"core.hooksPath", ByRepository, "where hooks are"},
		{"core.pager", NotHeard, "nothing is paged"},
		{"core.sharedRepository", ByBastel, "who may read the objects that are written"},
		{"core.sshCommand, credential.*, http.*, url.*", ByRepository, "how remotes are reached"},
		{"core.whitespace", ByBastel, "its tabwidth: how far apart tab stops are; what is a leftover is set in the settings"},
		{"diff.algorithm", NotHeard, "differences are Bastel's own"},
		{"diff.context", ByBastel, "how many unchanged lines Sort shows around a change; > and < change it"},
		{"diff.renames", ByBastel, "whether renamed files are followed where changes are shown; a merge always follows them"},
		{"fetch.prune", NotHeard, "always as if it were set: what is gone on the remote goes here too, and undo brings it back"},
		{"gpg.*, user.signingKey", ByRepository, "with what commits are signed and checked"},
		{"init.defaultBranch", ByBastel, "the target, where the remote names none"},
		{"mailmap.file, mailmap.blob", ByBastel, "with .mailmap: how people are called, and whose commits are yours"},
		{"merge.NAME.driver, merge.default", ByBastel, "drivers of your own, for files that attributes name"},
		{"merge.conflictStyle", NotHeard, "where markers are written they have the base too"},
		{"merge.directoryRenames", ByBastel, "whether new files follow a renamed folder"},
		{"notes.rewriteRef, notes.rewrite.rebase", ByBastel, "notes follow rewritten commits"},
		{"pull.rebase", NotHeard, "nothing is pulled: fetch looks, and Y takes in"},
		{"push.default, remote.pushDefault", ByBastel, "where Send pushes to"},
		{"rebase.autosquash", NotHeard, "commits that say fixup! are offered to be joined"},
		{"rebase.updateRefs", ByBastel, "whether branches on the rewritten commits come along"},
		{"user.name, user.email", ByRepository, "who commits"},
	}
}

// ConfiguredHere lists those settings that are set here, without their values, which can be secret.
func (a *App) ConfiguredHere(ctx context.Context) ([]Configured, error) {
	var set []Configured
	for _, c := range Configuration() {
		for key := range strings.SplitSeq(c.Key, ", ") {
			if strings.Contains(key, "*") || strings.Contains(key, "NAME") || strings.HasPrefix(key, ".") {
				continue
			}
			values, err := a.Repo.ConfigAll(ctx, key)
			if err != nil {
				return nil, err
			}
			if len(values) > 0 {
				set = append(set, Configured{key, c.Heard, c.Why})
			}
		}
	}
	return set, nil
}
