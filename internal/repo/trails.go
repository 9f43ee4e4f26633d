package repo

import (
	"context"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/google/renameio/v2"
)

// BranchSettings lists the keys and values that the repository's own configuration has for a branch, in their order.
func (r *Repo) BranchSettings(ctx context.Context, name string) (settings [][2]string, err error) {
	out, err := r.run(ctx, nil, "config", "--local", "-z", "--list")
	if err != nil {
		return nil, fmt.Errorf("read the settings of %s: %w", name, err)
	}
	for field := range strings.SplitSeq(string(out), "\x00") {
		key, value, _ := strings.Cut(field, "\n")
		last := strings.LastIndexByte(key, '.')
		if last > 0 && key[:last] == "branch."+name {
			settings = append(settings, [2]string{key, value})
		}
	}
	return settings, nil
}

// AddSettings adds keys with values to the repository's own configuration.
func (r *Repo) AddSettings(ctx context.Context, settings [][2]string) error {
	defer r.ForgetConfig()
	for _, s := range settings {
		if _, err := r.run(ctx, nil, "config", "--local", "--add", s[0], s[1]); err != nil {
			return fmt.Errorf("add the setting %s: %w", s[0], err)
		}
	}
	return nil
}

// RemoveConfigSection removes a section from the repository's own configuration; one that is not there is fine.
func (r *Repo) RemoveConfigSection(ctx context.Context, name string) error {
	return r.editSection(ctx, "--remove-section", name)
}

// RenameConfigSection moves all keys of a section of the repository's own configuration; one that is not there is fine.
func (r *Repo) RenameConfigSection(ctx context.Context, from, to string) error {
	return r.editSection(ctx, "--rename-section", from, to)
}

func (r *Repo) editSection(ctx context.Context, args ...string) error {
	_, err := r.run(ctx, nil, append([]string{"config", "--local"}, args...)...)
	r.ForgetConfig()
	if err != nil && exitCode(err) != 128 { // there is no such section
		return fmt.Errorf("change the section %s of the configuration: %w", args[1], err)
	}
	return nil
}

// ErrNoLogFiles is a repository that keeps its reflogs in no files of their own.
var ErrNoLogFiles = errors.New("the reflogs are not kept in files here")

// RefLog is the log of a ref as its file has it; empty: there is none. Errors: ErrNoLogFiles.
func (r *Repo) RefLog(ref string) (string, error) {
	if _, err := os.Lstat(filepath.Join(r.commonDir, "reftable")); err == nil {
		return "", ErrNoLogFiles
	}
	data, err := os.ReadFile(r.logOf(ref))
	if err != nil && !errors.Is(err, fs.ErrNotExist) {
		return "", fmt.Errorf("read the reflog of %s: %w", ref, err)
	}
	return string(data), nil
}

func (r *Repo) logOf(ref string) string {
	return filepath.Join(r.commonDir, "logs", filepath.FromSlash(ref))
}

// PrependLog puts what the log of a ref was before, under another name or before the ref was deleted, in front of what it has, whose
// first line then goes on from there. One that has it already stays. Errors: ErrNoLogFiles.
func (r *Repo) PrependLog(ref, before string) error {
	now, err := r.RefLog(ref)
	if err != nil || before == "" || strings.HasPrefix(now, before) {
		return err
	}
	lines := slices.Collect(strings.Lines(before))
	if last := strings.Fields(lines[len(lines)-1]); len(last) > 1 && now != "" {
		_, rest, _ := strings.Cut(now, " ")
		now = last[1] + " " + rest
	}
	if err := os.MkdirAll(filepath.Dir(r.logOf(ref)), 0o777); err != nil {
		return fmt.Errorf("keep the reflog of %s: %w", ref, err)
	}
	if err := renameio.WriteFile(r.logOf(ref), []byte(before+now), 0o666, renameio.WithExistingPermissions()); err != nil {
		return fmt.Errorf("keep the reflog of %s: %w", ref, err)
	}
	return nil
}
