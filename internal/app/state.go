package app

import (
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
)

// readState reads one of Bastel's own files for this working tree. What is not
// there, or cannot be read, is empty: drafts are a convenience.
func (a *App) readState(name string) string {
	data, err := os.ReadFile(filepath.Join(a.Repo.GitDir(), "bastel", name))
	if err != nil {
		return ""
	}
	return string(data)
}

// writeState replaces such a file in one step; empty text removes it.
func (a *App) writeState(name, text string) error {
	dir, err := a.Repo.StateDir()
	if err != nil {
		return err
	}
	return replaceFile(filepath.Join(dir, name), text)
}

// replaceFile writes a file in one step; empty text removes it.
func replaceFile(file, text string) error {
	if text == "" {
		if err := os.Remove(file); err != nil && !errors.Is(err, fs.ErrNotExist) {
			return fmt.Errorf("remove %s: %w", filepath.Base(file), err)
		}
		return nil
	}
	temporary := file + ".new"
	if err := os.WriteFile(temporary, []byte(text), 0o666); err != nil {
		return fmt.Errorf("keep %s: %w", filepath.Base(file), err)
	}
	if err := os.Rename(temporary, file); err != nil {
		return fmt.Errorf("keep %s: %w", filepath.Base(file), err)
	}
	return nil
}
