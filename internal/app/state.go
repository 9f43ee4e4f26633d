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
	return replace(file, []byte(text), false)
}

// writeSynced replaces one of Bastel's own files so that it is there after a power cut too.
func (a *App) writeSynced(name string, data []byte) error {
	dir, err := a.Repo.StateDir()
	if err != nil {
		return err
	}
	return replace(filepath.Join(dir, name), data, true)
}

// replace writes a file beside its place, under a name that nobody else uses, and moves it
// there.
func replace(name string, data []byte, sync bool) error {
	file, err := os.CreateTemp(filepath.Dir(name), filepath.Base(name)+".new-")
	if err != nil {
		return fmt.Errorf("keep %s: %w", filepath.Base(name), err)
	}
	_, err = file.Write(data)
	if err == nil {
		err = file.Chmod(0o644)
	}
	if err == nil && sync {
		err = file.Sync()
	}
	err = errors.Join(err, file.Close())
	if err == nil {
		err = os.Rename(file.Name(), name)
	}
	if err == nil && sync {
		err = syncFolder(filepath.Dir(name))
	}
	if err != nil {
		os.Remove(file.Name())
		return fmt.Errorf("keep %s: %w", filepath.Base(name), err)
	}
	return nil
}

func syncFolder(name string) error {
	dir, err := os.Open(name)
	if err != nil {
		return err
	}
	return errors.Join(dir.Sync(), dir.Close())
}
