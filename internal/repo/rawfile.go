package repo

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"syscall"
)

// RawFile is a working file exactly as it lies on disk, without filters.
type RawFile struct {
	Path string
	Mode Mode // ModeNone: not there
	ID   ID   // of its bytes, or of a link's target
}

// ReadRaw tells what lies at the given paths. With store the bytes are written to
// the repository's objects, from where they can be brought back.
func (r *Repo) ReadRaw(ctx context.Context, paths []string, store bool) ([]RawFile, error) {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return nil, fmt.Errorf("open the working tree: %w", err)
	}
	defer root.Close()
	files := make([]RawFile, len(paths))
	var plain []int
	var in bytes.Buffer
	for i, path := range paths {
		files[i].Path = path
		info, err := root.Lstat(filepath.FromSlash(path))
		switch {
		case isAbsent(err):
		case err != nil:
			return nil, fmt.Errorf("read %q: %w", path, err)
		case info.Mode()&fs.ModeSymlink != 0:
			files[i].Mode = ModeSymlink
			target, err := root.Readlink(filepath.FromSlash(path))
			if err != nil {
				return nil, fmt.Errorf("read %q: %w", path, err)
			}
			files[i].ID = r.HashObject(KindBlob, []byte(target))
			if store {
				if _, err := r.WriteBlobs(ctx, [][]byte{[]byte(target)}); err != nil {
					return nil, err
				}
			}
		case info.Mode().IsRegular():
			files[i].Mode = ModeFile
			if info.Mode()&0o100 != 0 {
				files[i].Mode = ModeExecutable
			}
			plain = append(plain, i)
			in.WriteString(QuotePath(path) + "\n")
		default:
			return nil, fmt.Errorf("read %q: neither file nor link: %w", path, fs.ErrInvalid)
		}
	}
	return files, r.hashRaw(ctx, files, plain, in.Bytes(), store)
}

func (r *Repo) hashRaw(ctx context.Context, files []RawFile, places []int, names []byte, store bool) error {
	if len(places) == 0 {
		return nil
	}
	args := []string{"hash-object", "--no-filters", "--stdin-paths"}
	if store {
		args = append(args, "-w")
	}
	out, err := r.run(ctx, names, args...)
	if err != nil {
		return fmt.Errorf("keep files as they are: %w", err)
	}
	lines := strings.Fields(string(out))
	if len(lines) != len(places) {
		return fmt.Errorf("keep files as they are: %d answers for %d files", len(lines), len(places))
	}
	for n, i := range places {
		if files[i].ID, err = ParseID(lines[n]); err != nil {
			return err
		}
	}
	return nil
}

// CleanID is the id that a working file's content would be stored under, filters
// applied, found without reading it into memory.
func (r *Repo) CleanID(ctx context.Context, path string) (ID, error) {
	out, err := r.run(ctx, []byte(QuotePath(path)+"\n"), "hash-object", "--stdin-paths")
	if err != nil {
		return ID{}, fmt.Errorf("hash %q: %w", path, err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

// StoreFile stores a working file's content, filters applied, without reading it
// into memory, and gives its id.
func (r *Repo) StoreFile(ctx context.Context, path string) (ID, error) {
	out, err := r.run(ctx, []byte(QuotePath(path)+"\n"), "hash-object", "-w", "--stdin-paths")
	if err != nil {
		return ID{}, fmt.Errorf("store %q: %w", path, err)
	}
	return ParseID(strings.TrimSpace(string(out)))
}

func isAbsent(err error) bool {
	return errors.Is(err, fs.ErrNotExist) || errors.Is(err, syscall.ENOTDIR)
}

// RestoreRaw brings working files back exactly as ReadRaw stored them.
func (r *Repo) RestoreRaw(ctx context.Context, files []RawFile) error {
	root, err := os.OpenRoot(r.top)
	if err != nil {
		return fmt.Errorf("open the working tree: %w", err)
	}
	defer root.Close()
	for _, f := range files {
		if err := r.restore(ctx, root, f); err != nil {
			return fmt.Errorf("bring %q back: %w", f.Path, err)
		}
	}
	return nil
}

func (r *Repo) restore(ctx context.Context, root *os.Root, f RawFile) error {
	name := filepath.FromSlash(f.Path)
	if f.Mode == ModeNone {
		return removeWithFolders(root, name)
	}
	object, err := r.Object(ctx, f.ID)
	if err != nil {
		return err
	}
	if err := root.MkdirAll(filepath.Dir(name), 0o777); err != nil {
		return err
	}
	if err := root.Remove(name); err != nil && !isAbsent(err) {
		return err
	}
	if f.Mode == ModeSymlink {
		return root.Symlink(string(object.Data), name)
	}
	permissions := fs.FileMode(0o666)
	if f.Mode == ModeExecutable {
		permissions = 0o777
	}
	return root.WriteFile(name, object.Data, permissions)
}

// removeWithFolders removes a file and the folders that are empty without it.
func removeWithFolders(root *os.Root, name string) error {
	if err := root.Remove(name); err != nil && !isAbsent(err) {
		return err
	}
	for dir := filepath.Dir(name); dir != "."; dir = filepath.Dir(dir) {
		if root.Remove(dir) != nil {
			break // not empty: it stays
		}
	}
	return nil
}

// WriteWorkFiles makes working files hold what entries say, with the repository's
// filters and line ends, and leaves the index as it is. ModeNone removes a file.
func (r *Repo) WriteWorkFiles(ctx context.Context, entries []IndexEntry) error {
	dir, err := r.StateDir()
	if err != nil {
		return err
	}
	scratch := filepath.Join(dir, "scratch-index")
	defer os.Remove(scratch)
	var index, paths bytes.Buffer
	var gone []RawFile
	for _, e := range entries {
		if e.Mode == ModeNone {
			gone = append(gone, RawFile{Path: e.Path})
			continue
		}
		fmt.Fprintf(&index, "%o %s\t%s\x00", uint32(e.Mode), e.ID, e.Path)
		fmt.Fprintf(&paths, "%s\x00", e.Path)
	}
	if err := r.RestoreRaw(ctx, gone); err != nil {
		return err
	}
	if paths.Len() == 0 {
		return nil
	}
	env := []string{"GIT_INDEX_FILE=" + scratch}
	for _, in := range []invocation{
		{args: []string{"update-index", "--add", "-z", "--index-info"}, stdin: &index, env: env},
		{args: []string{"checkout-index", "--force", "-z", "--stdin"}, stdin: &paths, env: env},
	} {
		if _, err := r.invoke(ctx, in); err != nil {
			return fmt.Errorf("write working files: %w", err)
		}
	}
	return nil
}
