package repo

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
)

// What an operation that is under way keeps in the git folder: files by themselves, and folders that it alone has.
var (
	underWayFiles = []string{MergeHead, "MERGE_MODE", "MERGE_MSG", "SQUASH_MSG", MergeAutostash,
		AutoMerge, CherryPickHead, RevertHead, RebaseHead}
	underWayFolders = []string{"sequencer", "rebase-merge"}
)

// UnderWay gives what is kept of the operation that is under way, by its name in the git folder.
func (r *Repo) UnderWay() (map[string][]byte, error) {
	kept := map[string][]byte{}
	read := func(name string) error {
		data, err := os.ReadFile(filepath.Join(r.gitDir, filepath.FromSlash(name)))
		if err == nil {
			kept[name] = data
		} else if errors.Is(err, fs.ErrNotExist) {
			err = nil
		}
		return err
	}
	for _, name := range underWayFiles {
		if err := read(name); err != nil {
			return nil, fmt.Errorf("read what is under way: %w", err)
		}
	}
	for _, folder := range underWayFolders {
		entries, err := os.ReadDir(filepath.Join(r.gitDir, folder))
		if err != nil && !errors.Is(err, fs.ErrNotExist) {
			return nil, fmt.Errorf("read what is under way: %w", err)
		}
		for _, e := range entries {
			if err := read(folder + "/" + e.Name()); err != nil {
				return nil, fmt.Errorf("read what is under way: %w", err)
			}
		}
	}
	return kept, nil
}

// SetUnderWay has exactly these files be kept of what is under way; none end it. It may be done again after it was cut off.
func (r *Repo) SetUnderWay(kept map[string][]byte) error {
	now, err := r.UnderWay()
	if err != nil {
		return err
	}
	for name, data := range kept {
		file := filepath.Join(r.gitDir, filepath.FromSlash(name))
		if err = os.MkdirAll(filepath.Dir(file), 0o777); err == nil {
			err = os.WriteFile(file, data, 0o666)
		}
		if err != nil {
			return fmt.Errorf("bring back what was under way: %w", err)
		}
		delete(now, name)
	}
	for name := range now {
		if err := os.Remove(filepath.Join(r.gitDir, filepath.FromSlash(name))); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("end what was under way: %w", err)
		}
	}
	for _, folder := range underWayFolders { // what is not empty stays, and says so by itself
		if err := os.Remove(filepath.Join(r.gitDir, folder)); err != nil && !errors.Is(err, fs.ErrNotExist) && !notEmpty(r.gitDir, folder) {
			return fmt.Errorf("end what was under way: %w", err)
		}
	}
	return nil
}

func notEmpty(gitDir, folder string) bool {
	entries, err := os.ReadDir(filepath.Join(gitDir, folder))
	return err == nil && len(entries) > 0
}

// Progress says how far an operation that is under way has come.
type Progress struct {
	Branch string // the branch that is rebased; empty: HEAD's, or none
	Step   int    // counted from 1; 0: it has one step only
	Steps  int
}

// Progress of the operation that is under way, as far as its files tell.
func (r *Repo) Progress() Progress {
	p := Progress{Branch: firstLineOf(filepath.Join(r.gitDir, "rebase-merge", "head-name"))}
	if p.Branch == "" {
		p.Branch = firstLineOf(filepath.Join(r.gitDir, "rebase-apply", "head-name"))
	}
	number := func(names ...string) (n int) {
		for _, name := range names {
			if n, _ = strconv.Atoi(firstLineOf(filepath.Join(r.gitDir, filepath.FromSlash(name)))); n > 0 { // anything else is no number
				return n
			}
		}
		return 0
	}
	p.Step, p.Steps = number("rebase-merge/msgnum", "rebase-apply/next"), number("rebase-merge/end", "rebase-apply/last")
	p.Branch = strings.TrimPrefix(p.Branch, "refs/heads/")
	return p
}

// TodoLine is a line of the list of a rebase, or of a sequence of picks or reverts.
type TodoLine struct {
	Command string // written in full
	Name    string // of the commit; empty where the command takes none
	Flag    string // of a fixup: -C or -c, which take its message
	Text    string // the line as it stands
}

// todoCommands are those of such a list, by their short names.
var todoCommands = map[string]string{"p": "pick", "r": "reword", "e": "edit", "s": "squash", "f": "fixup", "x": "exec", "b": "break",
	"d": "drop", "l": "label", "t": "reset", "m": "merge", "u": "update-ref"}

// withoutCommit are the commands that take something else than a commit, or nothing.
var withoutCommit = []string{"exec", "break", "label", "reset", "merge", "update-ref", "noop"}

// ParseTodo reads such a list, as git-rebase(1) and git-cherry-pick(1) document it. Errors: ErrNotUnderstood, with the line.
func ParseTodo(text []byte) (lines []TodoLine, err error) {
	for line := range strings.Lines(string(text)) {
		line = strings.TrimSpace(line)
		if line == "" || strings.HasPrefix(line, "#") {
			continue
		}
		words := strings.Fields(line)
		l := TodoLine{Command: words[0], Text: line}
		if full, short := todoCommands[words[0]]; short {
			l.Command = full
		}
		words = words[1:]
		if slices.Contains(withoutCommit, l.Command) {
			lines = append(lines, l)
			continue
		}
		if l.Command == "fixup" && len(words) > 0 && (words[0] == "-C" || words[0] == "-c") {
			l.Flag, words = words[0], words[1:]
		}
		if !slices.Contains([]string{"pick", "revert", "reword", "edit", "squash", "fixup", "drop"}, l.Command) || len(words) == 0 {
			return nil, fmt.Errorf("%w: %q", ErrNotUnderstood, line)
		}
		l.Name = words[0]
		lines = append(lines, l)
	}
	return lines, nil
}

// ErrNotUnderstood is a state of another tool's operation that says what this version does not know.
var ErrNotUnderstood = errors.New("what is under way is not understood")
