package repo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
)

// Stage is an index entry of a path that a merge left unsettled: number 1 is the
// common base, 2 the side of HEAD, 3 the other side.
type Stage struct {
	Path   string
	Mode   Mode
	ID     ID
	Number int
}

// Unmerged lists the stages of all unsettled paths.
func (r *Repo) Unmerged(ctx context.Context) ([]Stage, error) {
	out, err := r.run(ctx, nil, "ls-files", "--unmerged", "-z", "--full-name")
	if err != nil {
		return nil, fmt.Errorf("read the unsettled paths: %w", err)
	}
	var stages []Stage
	for entry := range strings.SplitSeq(strings.TrimSuffix(string(out), "\x00"), "\x00") {
		if entry == "" {
			continue
		}
		head, path, _ := strings.Cut(entry, "\t")
		fields := strings.Fields(head) // mode, id, stage
		if len(fields) != 3 {
			return nil, fmt.Errorf("read the unsettled paths: %q has an unknown form", entry)
		}
		mode, err := strconv.ParseUint(fields[0], 8, 32)
		if err != nil {
			return nil, fmt.Errorf("read the unsettled paths: %w", err)
		}
		id, err := ParseID(fields[1])
		if err != nil {
			return nil, err
		}
		number, err := strconv.Atoi(fields[2])
		if err != nil {
			return nil, fmt.Errorf("read the unsettled paths: %w", err)
		}
		stages = append(stages, Stage{path, Mode(mode), id, number})
	}
	return stages, nil
}

// WriteStages makes paths unsettled again.
func (r *Repo) WriteStages(ctx context.Context, stages []Stage) error {
	var in bytes.Buffer
	removed := map[string]bool{}
	for _, s := range stages {
		if !removed[s.Path] {
			removed[s.Path] = true
			fmt.Fprintf(&in, "0 %s\t%s\x00", r.zeroHex(), s.Path)
		}
	}
	for _, s := range stages {
		fmt.Fprintf(&in, "%o %s %d\t%s\x00", uint32(s.Mode), s.ID, s.Number, s.Path)
	}
	if _, err := r.updateIndex(ctx, in.Bytes(), "-z", "--index-info"); err != nil {
		return fmt.Errorf("write the index: %w", err)
	}
	return nil
}

// The files in which an operation that waits names the commit it is about.
const (
	MergeHead      = "MERGE_HEAD"
	CherryPickHead = "CHERRY_PICK_HEAD"
	RevertHead     = "REVERT_HEAD"
	RebaseHead     = "REBASE_HEAD"
	MergeAutostash = "MERGE_AUTOSTASH" // the loose changes that a merge put away when it began
	AutoMerge      = "AUTO_MERGE"      // the content that was written into the working files, markers included
)

// OperationHead reads such a file; the zero id where it is not there. A merge of more
// than two sides names several: then only the first is given, and more is true.
func (r *Repo) OperationHead(name string) (id ID, more bool, err error) {
	ids, err := r.OperationHeads(name)
	if err != nil || len(ids) == 0 {
		return ID{}, false, err
	}
	return ids[0], len(ids) > 1, nil
}

// OperationHeads gives all that such a file names, in its order.
func (r *Repo) OperationHeads(name string) (ids []ID, err error) {
	if name == RebaseHead && !r.rebasing() {
		return nil, nil // it may stay behind
	}
	data, err := os.ReadFile(filepath.Join(r.gitDir, name))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return nil, fmt.Errorf("read %s: %w", name, err)
	}
	for _, line := range strings.Fields(string(data)) {
		id, err := ParseID(line)
		if err != nil {
			return nil, fmt.Errorf("read %s: %w", name, err)
		}
		ids = append(ids, id)
	}
	return ids, nil
}

// MergesAllSides says whether the merge that waits names each of its sides as a parent, those too that are part of another.
func (r *Repo) MergesAllSides() bool {
	return firstLineOf(filepath.Join(r.gitDir, "MERGE_MODE")) == "no-ff"
}

func (r *Repo) rebasing() bool {
	for _, dir := range []string{"rebase-merge", "rebase-apply"} {
		if _, err := os.Lstat(filepath.Join(r.gitDir, dir)); err == nil {
			return true
		}
	}
	return false
}

// MergeMessage is the message that was drafted for a merge that waits.
func (r *Repo) MergeMessage() string {
	data, err := os.ReadFile(filepath.Join(r.gitDir, "MERGE_MSG"))
	if err != nil {
		return "" // a merge without a draft: the user writes one
	}
	return string(data)
}
