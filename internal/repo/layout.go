package repo

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"golang.org/x/sys/unix"
)

// FileStep takes a working file from what was seen of it to something else, byte for byte.
type FileStep struct {
	Seen, To RawFile
	from     string // where in the layout the new content lies
}

// FileMovedError names a working file that is not what was seen of it.
type FileMovedError struct{ Path string }

func (e *FileMovedError) Error() string { return fmt.Sprintf("%q has changed since", e.Path) }

// Unwrap makes it one of what moved meanwhile.
func (e *FileMovedError) Unwrap() error { return ErrMoved }

// Layout is a folder, out of the sight of builds and watchers, in which all files that a step writes lie whole before anything
// moves, and in which those that it replaces lie until it is over. So a step is carried out, or taken back, by renaming alone.
type Layout struct {
	Steps []FileStep
	Late  []string // files that were saved while the step replaced them: they lie as they were saved

	repo    *Repo
	dir     string
	fd      int
	index   string    // the stamp of the index that the new one was made from; empty: there is no new one
	written time.Time // when that index was written
	added   []string  // folders of submodules that come
	removed []string  // and of those that go
	begun   int       // so many steps may have been carried out
	crossed bool      // some of the working tree lies on another file system: files were copied, and have other numbers
	stood   string    // the folder that the user stands in, which stays although it would go
}

// The parts of a layout.
const (
	treePart  = "tree"  // as a commit has them
	filePart  = "files" // as the repository would write them
	asidePart = "aside" // what goes
	indexPart = "index" // the new index
	indexKept = "index.before"
	stepsPart = "steps.json"
)

// NewLayout makes an empty layout.
func (r *Repo) NewLayout() (*Layout, error) {
	home, err := r.layoutHome()
	if err != nil {
		return nil, err
	}
	dir, err := os.MkdirTemp(home, layoutPrefix)
	if err != nil {
		return nil, fmt.Errorf("lay files out: %w", err)
	}
	for _, part := range []string{treePart, filePart, asidePart} {
		if err := os.Mkdir(filepath.Join(dir, part), 0o777); err != nil {
			return nil, errors.Join(fmt.Errorf("lay files out: %w", err), os.RemoveAll(dir))
		}
	}
	return r.layoutAt(dir)
}

// layoutPrefix begins the names of all layouts.
const layoutPrefix = "layout-"

// besideTree is the folder for layouts in a working tree that lies on another file system than its git folder.
const besideTree = ".bastel"

// layoutHome is a folder on the file system of the working tree: in the git folder, or one that the repository ignores.
func (r *Repo) layoutHome() (string, error) {
	state, err := r.StateDir()
	if err != nil {
		return "", err
	}
	var tree, git unix.Stat_t
	if unix.Stat(r.top, &tree) != nil || unix.Stat(state, &git) != nil || tree.Dev == git.Dev {
		return state, nil
	}
	home := filepath.Join(r.top, besideTree)
	err = os.Mkdir(home, 0o777)
	if err == nil {
		err = os.WriteFile(filepath.Join(home, ".gitignore"), []byte("*\n"), 0o666)
	} else if errors.Is(err, fs.ErrExist) {
		err = nil
	}
	if err != nil {
		return "", fmt.Errorf("lay files out: %w", err)
	}
	return home, nil
}

func (r *Repo) layoutAt(dir string) (*Layout, error) {
	fd, err := unix.Open(dir, unix.O_RDONLY|unix.O_DIRECTORY|unix.O_CLOEXEC, 0)
	if err != nil {
		return nil, fmt.Errorf("open %s, where files are laid out: %w", dir, err)
	}
	return &Layout{repo: r, dir: dir, fd: fd}, nil
}

// Name is what a note calls the layout.
func (l *Layout) Name() string { return filepath.Base(l.dir) }

// Close removes the folder.
func (l *Layout) Close() {
	if l == nil || l.fd < 0 {
		return
	}
	l.Leave()
	os.RemoveAll(l.dir)
	if home := filepath.Dir(l.dir); filepath.Base(home) == besideTree {
		if others, err := os.ReadDir(home); err == nil && len(others) == 1 { // but for what has it ignored
			os.RemoveAll(home)
		}
	}
}

// Leave leaves the folder to the next start.
func (l *Layout) Leave() {
	if l != nil && l.fd >= 0 {
		unix.Close(l.fd)
		l.fd = -1
	}
}

// LayOut writes what entries hold into a scratch folder, with the repository's filters and
// line ends, and says what the files are there. Of the working tree nothing changes.
func (r *Repo) LayOut(ctx context.Context, entries []IndexEntry) (*Layout, []RawFile, error) {
	layout, err := r.NewLayout()
	if err != nil {
		return nil, nil, err
	}
	files, err := layout.Files(ctx, entries)
	if err != nil {
		layout.Close()
		return nil, nil, err
	}
	return layout, files, nil
}

// Files lays out what entries hold, as the repository would write it.
func (l *Layout) Files(ctx context.Context, entries []IndexEntry) ([]RawFile, error) {
	var index, paths bytes.Buffer
	for _, e := range entries {
		if e.Mode == ModeNone {
			continue
		}
		if !IsWorkPath(e.Path) {
			return nil, fmt.Errorf("lay files out: %q: %w", e.Path, ErrGitFolder)
		}
		fmt.Fprintf(&index, "%o %s\t%s\x00", uint32(e.Mode), e.ID, e.Path)
		fmt.Fprintf(&paths, "%s\x00", e.Path)
	}
	if paths.Len() > 0 {
		env := []string{"GIT_INDEX_FILE=" + filepath.Join(l.dir, ".index")}
		prefix := filepath.Join(l.dir, filePart) + "/"
		for _, in := range []invocation{
			{args: []string{"update-index", "--add", "-z", "--index-info"}, stdin: &index, env: env},
			{args: []string{"checkout-index", "--force", "--prefix=" + prefix, "-z", "--stdin"}, stdin: &paths, env: env},
		} {
			if _, err := l.repo.invoke(ctx, in); err != nil {
				return nil, fmt.Errorf("lay files out: %w", err)
			}
		}
	}
	files := make([]RawFile, len(entries))
	for i, e := range entries {
		files[i] = RawFile{Path: e.Path}
		if e.Mode == ModeNone {
			continue
		}
		found, err := l.laidOut(filePart + "/" + e.Path)
		if err != nil {
			return nil, err
		}
		if files[i] = l.repo.raw(found); files[i].Mode != ModeSymlink { // where the file system has no executable bit
			files[i].Mode = e.Mode
		}
		files[i].Path, files[i].Permissions = e.Path, 0
	}
	return files, nil
}

// laidOut reads a file that was laid out.
func (l *Layout) laidOut(name string) (reading, error) {
	from := folders{top: l.fd, last: -1}
	defer from.forget()
	found, err := from.read(name, LargeFile)
	switch {
	case err != nil:
	case found.Mode == ModeNone:
		err = fs.ErrNotExist
	case !found.whole:
		found.ID, _, _, err = l.repo.streamed(&from, name, func(file *os.File, size int64) (ID, error) { return l.repo.hashFile(file, size) })
	}
	if err != nil {
		return found, fmt.Errorf("lay %q out: %w", name, err)
	}
	return found, nil
}

// Read gives the content of a file that was laid out.
func (l *Layout) Read(path string) ([]byte, error) {
	from := folders{top: l.fd, last: -1}
	defer from.forget()
	found, err := from.read(filePart+"/"+path, 1<<40)
	return found.data, err
}

// Add adds steps whose new contents were laid out by Files, or, with raw, are bytes among the repository's objects.
func (l *Layout) Add(ctx context.Context, steps []FileStep, raw bool) error {
	for _, s := range steps {
		if s.To.Mode != ModeNone {
			s.from = filePart + "/" + s.To.Path
			if raw {
				s.from = fmt.Sprintf("%s/%d", filePart, len(l.Steps)) // names may meet that follow each other
				if err := l.writeRaw(ctx, s); err != nil {
					return fmt.Errorf("lay %q out: %w", s.To.Path, err)
				}
			}
			if err := l.ready(&s, true); err != nil {
				return err
			}
		}
		l.Steps = append(l.Steps, s)
	}
	return nil
}

// writeRaw lays out bytes that the repository's objects hold.
func (l *Layout) writeRaw(ctx context.Context, s FileStep) error {
	if !IsWorkPath(s.To.Path) {
		return ErrGitFolder
	}
	object, err := l.repo.Object(ctx, s.To.ID)
	if err != nil {
		return err
	}
	if s.To.Mode == ModeSymlink {
		return unix.Symlinkat(string(object.Data), l.fd, s.from)
	}
	return os.WriteFile(filepath.Join(l.dir, s.from), object.Data, 0o666)
}

// ready gives a file that was laid out its permissions, and notes how the system knows it.
func (l *Layout) ready(s *FileStep, sync bool) error {
	lies, err := lookAt(l.fd, s.from)
	if err != nil {
		return fmt.Errorf("lay %q out: %w", s.To.Path, err)
	}
	if lies.stat.mode.IsFile() {
		if bits := s.permissions(lies.permissions); bits != lies.permissions {
			if err := unix.Fchmodat(l.fd, s.from, uint32(bits), 0); err != nil {
				return fmt.Errorf("lay %q out: %w", s.To.Path, err)
			}
		}
		if sync {
			if err := syncFile(filepath.Join(l.dir, s.from)); err != nil {
				return fmt.Errorf("lay %q out: %w", s.To.Path, err)
			}
		}
	}
	if lies, err = lookAt(l.fd, s.from); err == nil {
		s.To.stat = lies.stat
	}
	return err
}

func syncFile(name string) error {
	file, err := os.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(file.Sync(), file.Close())
}

// permissions keeps those of a file that is restored or written over; a new one has what
// the system gives. The executable bit follows the mode.
func (s FileStep) permissions(bits fs.FileMode) fs.FileMode {
	switch {
	case s.To.Permissions != 0:
		bits = s.To.Permissions
	case s.Seen.Permissions != 0:
		bits = s.Seen.Permissions
	}
	if s.To.Mode == ModeExecutable {
		return bits | bits&0o444>>2
	}
	return bits &^ 0o111
}

// TreeChange is a path that two trees have differently, and what was seen of its working file.
type TreeChange struct {
	Path     string
	Old, New Entry
	Seen     RawFile
}

// Tree lays out the index, and the files, that go from one tree to another, as the repository itself would write them: by its own
// command, in an empty working tree. So nothing of the real one is looked at or written. Errors: ErrInTheWay, where the index has
// something else at a path; ErrLocked.
func (l *Layout) Tree(ctx context.Context, from, to ID, changes []TreeChange) error {
	for _, c := range changes {
		if !c.New.IsZero() && !IsWorkPath(c.Path) {
			return fmt.Errorf("lay files out: %q: %w", c.Path, ErrGitFolder)
		}
	}
	if _, err := os.Lstat(l.repo.indexFile() + ".lock"); err == nil {
		return newLockedError(l.repo.indexFile() + ".lock")
	}
	l.index = l.repo.indexStamp().b.String()
	copied, err := l.copyIndex()
	if err != nil {
		return err
	}
	settings, err := l.repo.elsewhere(ctx)
	if err != nil {
		return err
	}
	work := filepath.Join(l.dir, treePart)
	in := invocation{dir: work, args: []string{"read-tree", "-m", "-u", "--index-output=" + filepath.Join(l.dir, indexPart), from.String(),
		to.String()}, env: append(moreSettings(settings...), "GIT_DIR="+l.repo.gitDir, "GIT_WORK_TREE="+work,
		"GIT_INDEX_FILE="+copied)}
	if _, err := l.repo.invoke(ctx, in); err != nil {
		return fmt.Errorf("lay out the files of %s: %w", to.Short(), err)
	}
	for _, c := range changes {
		if err := l.addChange(c); err != nil {
			return err
		}
	}
	return nil
}

// copyIndex copies the index, with its time: a command that dies at work on the copy leaves no lock on the index itself.
func (l *Layout) copyIndex() (name string, err error) {
	name = filepath.Join(l.dir, indexPart+".from")
	data, err := os.ReadFile(l.repo.indexFile())
	if errors.Is(err, fs.ErrNotExist) {
		return name, nil
	}
	if err == nil {
		err = os.WriteFile(name, data, 0o666)
	}
	var info fs.FileInfo
	if err == nil {
		info, err = os.Stat(l.repo.indexFile())
	}
	if err == nil {
		l.written = info.ModTime()
		err = os.Chtimes(name, l.written, l.written)
	}
	if err != nil {
		return name, fmt.Errorf("lay the index out: %w", err)
	}
	return name, nil
}

// elsewhere are settings by which a command that runs in another working tree starts what the user's settings name as if it ran
// in this one. Its hook is left to when the index really changes.
func (r *Repo) elsewhere(ctx context.Context) ([][2]string, error) {
	settings := [][2]string{{"core.fsmonitor", "false"}, {"core.hooksPath", os.DevNull}}
	config, err := r.configuration(ctx)
	if err != nil {
		return nil, err
	}
	for key, values := range config {
		if !strings.HasPrefix(key, "filter.") || len(values) == 0 {
			continue
		}
		for _, kind := range []string{".smudge", ".clean", ".process"} {
			if command := values[len(values)-1].Value; strings.HasSuffix(key, kind) && command != "" {
				settings = append(settings, [2]string{key, "cd " + quoteForShell(r.top) + " && unset GIT_DIR GIT_WORK_TREE && " + command})
			}
		}
	}
	return settings, nil
}

func quoteForShell(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }

func (l *Layout) addChange(c TreeChange) error {
	s := FileStep{Seen: c.Seen, To: RawFile{Path: c.Path}, from: treePart + "/" + c.Path}
	s.Seen.Path = c.Path
	if c.Old.Mode == ModeSubmodule {
		s.Seen = RawFile{Path: c.Path}
		if c.New.Mode != ModeSubmodule {
			l.removed = append(l.removed, c.Path)
		}
	}
	switch lies, err := lookAt(l.fd, s.from); {
	case c.New.Mode == ModeSubmodule:
		if c.Old.Mode != ModeSubmodule {
			l.added = append(l.added, c.Path)
		}
	case c.New.IsZero():
	case err != nil && !isAbsent(err):
		return fmt.Errorf("lay %q out: %w", c.Path, err)
	case err != nil: // it is not wanted here, outside a sparse checkout
		return nil
	default:
		s.To.Mode = lies.stat.mode
		if err := l.ready(&s, false); err != nil {
			return err
		}
	}
	if s.To.Mode != ModeNone || s.Seen.Mode != ModeNone {
		l.Steps = append(l.Steps, s)
	}
	return nil
}

// Writable refuses where a folder that a step changes cannot be written to.
func (l *Layout) Writable() error {
	f, err := l.repo.openFolders()
	if err != nil {
		return err
	}
	defer f.close()
	goes := map[string]bool{}
	for _, s := range l.Steps {
		goes[s.To.Path] = s.To.Mode == ModeNone
	}
	known := map[string]error{}
	for _, s := range l.Steps {
		above := ""
		if at := strings.LastIndexByte(s.To.Path, '/'); at >= 0 {
			above = s.To.Path[:at]
		}
		err, ok := known[above]
		if !ok {
			err = f.writable(s.To.Path, goes)
			known[above] = err
		}
		if err != nil {
			return fmt.Errorf("write %q: %w", s.To.Path, err)
		}
	}
	return nil
}

// writable says whether the folder that a path lies in can be written to, or the one that it would be made in. What stands above it
// has to go in the same step.
func (f *folders) writable(path string, goes map[string]bool) error {
	for {
		fd, _, err := f.parentOf(path, false)
		if err == nil {
			if err = unix.Faccessat(fd, ".", unix.W_OK|unix.X_OK, unix.AT_EACCESS); err != nil {
				return fmt.Errorf("the folder cannot be written to: %w", err)
			}
			return nil
		}
		at := strings.LastIndexByte(path, '/')
		var above *AboveError
		switch {
		case errors.As(err, &above) && goes[above.By]:
			path = above.By
		case !errors.Is(err, fs.ErrNotExist) || at < 0:
			return err
		default:
			path = path[:at]
		}
	}
}

// keptStep is a step as a layout's folder keeps it, for the next start.
type keptStep struct {
	Path     []byte   `json:"path"`
	From     []byte   `json:"from,omitempty"`
	Seen, To keptFile `json:",omitzero"`
}

type keptFile struct {
	Mode Mode      `json:"mode"`
	ID   ID        `json:"id,omitzero"`
	Stat [9]uint32 `json:"stat"`
	At   time.Time `json:"at,omitzero"`
}

type keptLayout struct {
	Steps          []keptStep `json:"steps"`
	Index          string     `json:"index"`
	Written        time.Time  `json:"written,omitzero"`
	Added, Removed [][]byte   `json:",omitempty"`
}

// Keep has the next start know the steps, synced, and keeps the index as it is by its name.
func (l *Layout) Keep() error {
	l.order()
	kept := keptLayout{Index: l.index, Written: l.written}
	for _, s := range l.Steps {
		kept.Steps = append(kept.Steps, keptStep{[]byte(s.To.Path), []byte(s.from), keepFile(s.Seen), keepFile(s.To)})
	}
	for _, path := range l.added {
		kept.Added = append(kept.Added, []byte(path))
	}
	for _, path := range l.removed {
		kept.Removed = append(kept.Removed, []byte(path))
	}
	data, err := json.Marshal(kept)
	if err != nil {
		return fmt.Errorf("keep the steps: %w", err)
	}
	name := filepath.Join(l.dir, stepsPart)
	if err = os.WriteFile(name, data, 0o666); err == nil {
		err = syncFile(name)
	}
	if err == nil {
		err = os.Link(l.repo.indexFile(), filepath.Join(l.dir, indexKept))
	}
	if errors.Is(err, unix.EXDEV) || errors.Is(err, unix.EPERM) || errors.Is(err, unix.ENOTSUP) {
		err = copyFile(l.repo.indexFile(), filepath.Join(l.dir, indexKept))
	}
	if err != nil && !errors.Is(err, fs.ErrNotExist) { // an empty repository has none
		return fmt.Errorf("keep the steps: %w", err)
	}
	return nil
}

func copyFile(from, to string) error {
	in, err := os.Open(from)
	if err != nil {
		return err
	}
	defer in.Close()
	out, err := os.OpenFile(to, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if err != nil {
		return err
	}
	_, err = io.Copy(out, in)
	return errors.Join(err, out.Close())
}

func keepFile(f RawFile) keptFile {
	s := f.stat
	return keptFile{f.Mode, f.ID, [9]uint32{s.changed.seconds, s.changed.nanoseconds, s.modified.seconds, s.modified.nanoseconds, s.number,
		s.user, s.group, s.size, uint32(s.mode)}, f.at}
}

func (k keptFile) file(path string) RawFile {
	s := k.Stat
	return RawFile{Path: path, Mode: k.Mode, ID: k.ID, at: k.At, stat: fileStat{changed: instant{s[0], s[1]}, modified: instant{s[2], s[3]},
		number: s[4], user: s[5], group: s[6], size: s[7], mode: Mode(s[8])}}
}

// OpenLayout opens a layout that a crash left, by its name. Errors: fs.ErrNotExist.
func (r *Repo) OpenLayout(name string) (*Layout, error) {
	home, err := r.layoutHome()
	if err != nil {
		return nil, err
	}
	dir := filepath.Join(home, filepath.Base(name))
	data, err := os.ReadFile(filepath.Join(dir, stepsPart))
	if err != nil {
		return nil, fmt.Errorf("read what was laid out: %w", err)
	}
	var kept keptLayout
	if err := json.Unmarshal(data, &kept); err != nil {
		return nil, fmt.Errorf("read what was laid out: %w", err)
	}
	l, err := r.layoutAt(dir)
	if err != nil {
		return nil, err
	}
	l.index, l.written = kept.Index, kept.Written
	for _, k := range kept.Steps {
		path := string(k.Path)
		l.Steps = append(l.Steps, FileStep{Seen: k.Seen.file(path), To: k.To.file(path), from: string(k.From)})
	}
	for _, path := range kept.Added {
		l.added = append(l.added, string(path))
	}
	for _, path := range kept.Removed {
		l.removed = append(l.removed, string(path))
	}
	l.begun = len(l.Steps)
	return l, nil
}
