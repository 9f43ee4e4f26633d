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
	// Permissions are those of a file that is there.
	Permissions fs.FileMode
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
		case isAbsent(err), err == nil && isFolder(root, path, info):
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
			files[i].Mode, files[i].Permissions = ModeFile, info.Mode().Perm()
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

// isFolder says whether a folder lies at a path, where therefore no file is. A repository of its own is more than that.
func isFolder(root *os.Root, path string, info fs.FileInfo) bool {
	if !info.IsDir() {
		return false
	}
	_, err := root.Lstat(filepath.Join(filepath.FromSlash(path), ".git"))
	return isAbsent(err)
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
