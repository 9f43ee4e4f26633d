package repo

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"strings"

	"golang.org/x/sync/errgroup"
)

// Change is a path that differs between HEAD, the index and the working tree.
type Change struct {
	Path     string
	Staged   bool // the index differs from HEAD
	Loose    bool // the working tree differs from the index
	New      bool // not in the index: untracked
	Conflict bool // the index holds stages of an unsettled merge

	HeadMode, IndexMode, WorkMode Mode
	HeadID, IndexID               ID
	NewCommits                    bool // of a submodule: another commit is checked out in it
	Full                          bool // set by who wants a large file read all the same
}

// Status lists the paths that differ, in the order of their names. Renames are
// not looked for: a rename shows as one path gone and one new.
func (r *Repo) Status(ctx context.Context, paths ...string) ([]Change, error) {
	if known, ok := r.knownStatus(ctx, paths); ok {
		return known, nil
	}
	before, told := r.indexStamp(), r.filesTold()
	head, err := r.Head(ctx)
	if err != nil {
		return nil, err
	}
	if len(paths) == 0 {
		if begun, ok := r.takeBegun(ctx, head); ok {
			r.noteStatus(ctx, begun.index, head, begun.told, begun.changes)
			return begun.changes, nil
		}
		if known, ok := r.statusByOwnWrites(ctx, head); ok {
			return known, nil
		}
	}
	changes, err := r.askStatus(ctx, paths)
	if err == nil && len(paths) == 0 {
		r.noteStatus(ctx, before.b.String(), head, told, changes)
	}
	return changes, err
}

// askStatus asks the repository, of all paths or of a few.
func (r *Repo) askStatus(ctx context.Context, paths []string) ([]Change, error) {
	if len(paths) == 0 {
		if changes, ok := r.statusByIndex(ctx); ok {
			return changes, nil
		}
	}
	return r.commandStatus(ctx, paths)
}

func (r *Repo) commandStatus(ctx context.Context, paths []string) ([]Change, error) {
	args := []string{"status", "--porcelain=v2", "-z", "--no-renames", "--untracked-files=all", "--ignore-submodules=none"}
	if len(paths) > 0 && len(paths) <= fewPaths {
		args = append(append(args, "--"), literal(paths)...)
	}
	out, err := r.run(ctx, nil, args...)
	if err != nil {
		return nil, fmt.Errorf("read the state of the working tree: %w", err)
	}
	return parseStatus(string(out))
}

// manyBytes is from how long a status on it is read in two halves, by two processors.
const manyBytes = 200 << 10

func parseStatus(out string) ([]Change, error) {
	middle := -1
	if len(out) > manyBytes {
		middle = strings.IndexByte(out[len(out)/2:], 0)
	}
	if middle < 0 {
		return parseRecords(out)
	}
	middle += len(out)/2 + 1
	var first, second []Change
	var group errgroup.Group
	group.Go(func() (err error) {
		first, err = parseRecords(out[:middle])
		return err
	})
	second, err := parseRecords(out[middle:])
	if err := errors.Join(group.Wait(), err); err != nil {
		return nil, err
	}
	return append(first, second...), nil
}

func parseRecords(out string) ([]Change, error) {
	changes := make([]Change, 0, strings.Count(out, "\x00"))
	for record := range strings.SplitSeq(strings.TrimSuffix(out, "\x00"), "\x00") {
		if record == "" || record[0] == '#' || record[0] == '!' {
			continue
		}
		change, err := parseChange(record)
		if err != nil {
			return nil, fmt.Errorf("read the state of the working tree: %w", err)
		}
		// A folder in the list is a repository of its own that nobody made a
		// submodule; there is no content of ours in it.
		if change.New && strings.HasSuffix(change.Path, "/") {
			continue
		}
		changes = append(changes, change)
	}
	return changes, nil
}

// Ignored lists the files and folders that are ignored, folders as a whole.
func (r *Repo) Ignored(ctx context.Context) ([]string, error) {
	out, err := r.run(ctx, nil, "ls-files", "-z", "--others", "--ignored", "--exclude-standard", "--directory")
	if err != nil {
		return nil, fmt.Errorf("list the ignored files: %w", err)
	}
	return strings.FieldsFunc(string(out), func(r rune) bool { return r == 0 }), nil
}

// fewPaths is up to how many paths a command is narrowed down by. It holds every
// path of the index against each of them, which soon takes longer than all the rest.
const fewPaths = 8

func splitNul(list []byte) []string {
	if len(list) == 0 {
		return nil
	}
	return strings.Split(string(list), "\x00")
}

// literal protects paths from being read as patterns.
func literal(paths []string) []string {
	specs := make([]string, len(paths))
	for i, path := range paths {
		specs[i] = ":(top,literal)" + path
	}
	return specs
}

// parseChange reads a record of the documented format:
//
//	1 XY sub mH mI mW hH hI path
//	u XY sub m1 m2 m3 mW h1 h2 h3 path
//	? path
func parseChange(record string) (Change, error) {
	if len(record) < 3 {
		return Change{}, fmt.Errorf("unexpected record %q", record)
	}
	switch record[0] {
	case '?':
		return Change{Path: record[2:], Loose: true, New: true}, nil
	case '1':
		var f [9]string
		if !cutFields(record, f[:]) || len(f[1]) != 2 || len(f[2]) != 4 {
			return Change{}, fmt.Errorf("unexpected record %q", record)
		}
		c := Change{Path: f[8], Staged: f[1][0] != '.', Loose: f[1][1] != '.', NewCommits: f[2][1] == 'C'}
		c.HeadMode, c.IndexMode, c.WorkMode = parseMode(f[3]), parseMode(f[4]), parseMode(f[5])
		var err error
		if c.HeadID, err = ParseID(f[6]); err != nil || f[7] == f[6] {
			c.IndexID = c.HeadID
			return c, err
		}
		c.IndexID, err = ParseID(f[7])
		return c, err
	case 'u':
		var f [11]string
		if !cutFields(record, f[:]) {
			return Change{}, fmt.Errorf("unexpected record %q", record)
		}
		return Change{Path: f[10], Loose: true, Conflict: true, WorkMode: parseMode(f[6])}, nil
	}
	return Change{}, fmt.Errorf("unexpected record %q", record)
}

// cutFields cuts a record at its first blanks into as many fields as there are; the last one may hold more blanks.
func cutFields(record string, fields []string) (ok bool) {
	last := len(fields) - 1
	for i := range last {
		if fields[i], record, ok = strings.Cut(record, " "); !ok {
			return false
		}
	}
	fields[last] = record
	return true
}

func parseMode(text string) Mode {
	mode, _ := strconv.ParseUint(text, 8, 32) // digits by the format; 0 is "absent"
	return Mode(mode)
}
