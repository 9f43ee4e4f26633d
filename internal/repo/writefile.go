package repo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// FileStep takes a working file from what was seen of it to something else, byte for byte.
type FileStep struct {
	Seen, To RawFile
}

// Turned is the step back.
func (s FileStep) Turned() FileStep { return FileStep{s.To, s.Seen} }

// FileMovedError names a working file that is not what was seen of it.
type FileMovedError struct{ Path string }

func (e *FileMovedError) Error() string { return fmt.Sprintf("%q has changed since", e.Path) }

// Unwrap makes it one of what moved meanwhile.
func (e *FileMovedError) Unwrap() error { return ErrMoved }

// Layout is a scratch folder in which files lie as they will be in the working tree.
type Layout struct{ dir string }

// LayOut writes what entries hold into a scratch folder, with the repository's filters and
// line ends, and says what the files are there. Of the working tree nothing changes.
func (r *Repo) LayOut(ctx context.Context, entries []IndexEntry) (*Layout, []RawFile, error) {
	state, err := r.StateDir()
	if err != nil {
		return nil, nil, err
	}
	dir, err := os.MkdirTemp(state, "layout-")
	if err != nil {
		return nil, nil, fmt.Errorf("lay files out: %w", err)
	}
	layout := &Layout{dir}
	files, err := r.layOut(ctx, dir, entries)
	if err != nil {
		layout.Close()
		return nil, nil, fmt.Errorf("lay files out: %w", err)
	}
	return layout, files, nil
}

func (r *Repo) layOut(ctx context.Context, dir string, entries []IndexEntry) ([]RawFile, error) {
	var index, paths bytes.Buffer
	for _, e := range entries {
		if e.Mode != ModeNone {
			fmt.Fprintf(&index, "%o %s\t%s\x00", uint32(e.Mode), e.ID, e.Path)
			fmt.Fprintf(&paths, "%s\x00", e.Path)
		}
	}
	if paths.Len() > 0 {
		env := []string{"GIT_INDEX_FILE=" + filepath.Join(dir, ".index")}
		for _, in := range []invocation{
			{args: []string{"update-index", "--add", "-z", "--index-info"}, stdin: &index, env: env},
			{args: []string{"checkout-index", "--force", "--prefix=" + filepath.Join(dir, "files") + "/", "-z", "--stdin"}, stdin: &paths, env: env},
		} {
			if _, err := r.invoke(ctx, in); err != nil {
				return nil, err
			}
		}
	}
	files := make([]RawFile, len(entries))
	root, err := os.OpenRoot(dir)
	if err != nil {
		return nil, err
	}
	defer root.Close()
	for i, e := range entries {
		if e.Mode == ModeNone {
			files[i] = RawFile{Path: e.Path}
			continue
		}
		if files[i], err = r.rawFile(root, filepath.Join("files", filepath.FromSlash(e.Path))); err != nil {
			return nil, err
		}
		files[i].Path, files[i].Permissions = e.Path, 0
		if files[i].Mode != ModeSymlink { // where the file system has no executable bit
			files[i].Mode = e.Mode
		}
	}
	return files, nil
}

// Read gives the content of a file that was laid out.
func (l *Layout) Read(path string) ([]byte, error) {
	root, err := os.OpenRoot(filepath.Join(l.dir, "files"))
	if err != nil {
		return nil, fmt.Errorf("read what was laid out: %w", err)
	}
	defer root.Close()
	return root.ReadFile(filepath.FromSlash(path))
}

// Close removes the folder.
func (l *Layout) Close() {
	if l != nil {
		os.RemoveAll(l.dir)
	}
}

// rawFile says what lies at a name, byte for byte.
func (r *Repo) rawFile(root *os.Root, name string) (RawFile, error) {
	file := RawFile{Path: filepath.ToSlash(name)}
	info, err := root.Lstat(name)
	switch {
	case isAbsent(err), err == nil && isFolder(root, name, info):
		return file, nil
	case err != nil:
		return file, fmt.Errorf("read %q: %w", name, err)
	case info.Mode()&fs.ModeSymlink != 0:
		target, err := root.Readlink(name)
		file.Mode, file.ID = ModeSymlink, r.HashObject(KindBlob, []byte(target))
		return file, err
	case !info.Mode().IsRegular():
		return file, fmt.Errorf("read %q: neither file nor link: %w", name, fs.ErrInvalid)
	}
	file.Mode, file.Permissions = ModeFile, info.Mode().Perm()
	if file.Permissions&0o100 != 0 {
		file.Mode = ModeExecutable
	}
	opened, err := root.Open(name)
	if err != nil {
		return file, err
	}
	defer opened.Close()
	hash := r.newHash()
	fmt.Fprintf(hash, "%s %d\x00", KindBlob, info.Size())
	if n, err := io.Copy(hash, opened); err != nil || n != info.Size() {
		return file, errors.Join(err, fmt.Errorf("read %q: %w", name, fs.ErrInvalid))
	}
	file.ID = ID{string(hash.Sum(nil))}
	return file, nil
}

// FilesNow says what lies at the paths of steps, for comparing it with Is.
func (r *Repo) FilesNow(paths []string) ([]RawFile, error) {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return nil, fmt.Errorf("open the working tree: %w", err)
	}
	defer root.Close()
	files := make([]RawFile, len(paths))
	for i, path := range paths {
		if files[i], err = r.rawFile(root, filepath.FromSlash(path)); err != nil {
			return nil, err
		}
		files[i].Path = path
	}
	return files, nil
}

// Is says whether two are the same file: their bytes and kind. Permissions do not count.
func (f RawFile) Is(o RawFile) bool { return f.Mode == o.Mode && f.ID == o.ID }

// WriteFiles carries steps out. Each new content is written beside the old one, synced, and
// renamed over it, after a last look whether the old one still is what was seen. What the
// layout does not have comes from the repository's objects. Scratch files bear the mark.
// Files whose mode goes are removed first, so that a folder may take a file's place.
// Errors: *FileMovedError. The steps before the failed one are carried out.
func (r *Repo) WriteFiles(ctx context.Context, mark string, layout *Layout, steps []FileStep) (done []FileStep, err error) {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return nil, fmt.Errorf("open the working tree: %w", err)
	}
	defer root.Close()
	ordered := slices.Clone(steps)
	slices.SortStableFunc(ordered, func(a, b FileStep) int {
		return boolInt(a.To.Mode != ModeNone) - boolInt(b.To.Mode != ModeNone)
	})
	for i, s := range ordered {
		if err := r.writeFile(ctx, root, scratchName(s.To.Path, mark, i), layout, s); err != nil {
			return ordered[:i], fmt.Errorf("write %q: %w", s.To.Path, err)
		}
	}
	return ordered, nil
}

func boolInt(b bool) int {
	if b {
		return 1
	}
	return 0
}

// scratchName is the name beside a file under which its new content is written.
func scratchName(path, mark string, number int) string {
	return filepath.Join(filepath.Dir(filepath.FromSlash(path)), fmt.Sprintf(".bastel-%s-%d", mark, number))
}

// RemoveScratch removes what an interrupted WriteFiles left beside the files.
func (r *Repo) RemoveScratch(mark string, paths []string) {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return
	}
	defer root.Close()
	seen := map[string]bool{}
	for _, path := range paths {
		dir := filepath.Dir(filepath.FromSlash(path))
		if seen[dir] {
			continue
		}
		seen[dir] = true
		folder, err := root.Open(dir)
		if err != nil {
			continue
		}
		names, _ := folder.Readdirnames(-1) // what cannot be listed cannot be cleaned
		folder.Close()
		for _, name := range names {
			if strings.HasPrefix(name, ".bastel-"+mark+"-") {
				root.Remove(filepath.Join(dir, name))
			}
		}
	}
}

func (r *Repo) writeFile(ctx context.Context, root *os.Root, scratch string, layout *Layout, s FileStep) error {
	name := filepath.FromSlash(s.To.Path)
	still := func() error {
		now, err := r.rawFile(root, name)
		if err == nil && !now.Is(s.Seen) {
			err = &FileMovedError{s.To.Path}
		}
		return err
	}
	if s.To.Mode == ModeNone {
		if err := still(); err != nil {
			return err
		}
		return removeWithFolders(root, name)
	}
	if err := root.MkdirAll(filepath.Dir(name), 0o777); err != nil {
		return err
	}
	if err := r.writeScratch(ctx, root, scratch, layout, s); err != nil {
		root.Remove(scratch)
		return err
	}
	if err := still(); err != nil {
		root.Remove(scratch)
		return err
	}
	if err := root.Rename(scratch, name); err != nil {
		root.Remove(scratch)
		return err
	}
	return nil
}

// writeScratch writes a step's new content beside the file.
func (r *Repo) writeScratch(ctx context.Context, root *os.Root, scratch string, layout *Layout, s FileStep) error {
	content, err := r.contentOf(ctx, layout, s.To)
	if err != nil {
		return err
	}
	defer content.Close()
	if s.To.Mode == ModeSymlink {
		target, err := io.ReadAll(content)
		if err != nil {
			return err
		}
		return root.Symlink(string(target), scratch)
	}
	file, err := root.OpenFile(scratch, os.O_WRONLY|os.O_CREATE|os.O_EXCL, 0o666)
	if err != nil {
		return err
	}
	_, err = io.Copy(file, content)
	if err == nil {
		err = file.Chmod(permissions(file, s))
	}
	if err == nil {
		err = file.Sync()
	}
	return errors.Join(err, file.Close())
}

// permissions keeps those of a file that is restored or written over; a new one has what
// the system gives. The executable bit follows the mode.
func permissions(file *os.File, s FileStep) fs.FileMode {
	bits := fs.FileMode(0o644)
	if info, err := file.Stat(); err == nil {
		bits = info.Mode().Perm()
	}
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

func (r *Repo) contentOf(ctx context.Context, layout *Layout, f RawFile) (io.ReadCloser, error) {
	if layout == nil || f.Mode == ModeSymlink {
		object, err := r.Object(ctx, f.ID)
		if err != nil {
			return nil, err
		}
		return io.NopCloser(bytes.NewReader(object.Data)), nil
	}
	return os.Open(filepath.Join(layout.dir, "files", filepath.FromSlash(f.Path)))
}
