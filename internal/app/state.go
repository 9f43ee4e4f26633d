package app

import (
	"context"
	"strings"
	"time"

	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"github.com/google/renameio/v2"

	"bastel/internal/repo"
	"bastel/internal/tray"
)

// ReadState reads one of Bastel's own files for this working tree. What is not
// there, or cannot be read, is empty: drafts are a convenience.
func (a *App) ReadState(name string) string {
	data, err := readFile(filepath.Join(a.Repo.GitDir(), "bastel", name))
	if err != nil {
		return ""
	}
	return string(data)
}

// largestState is how much one of Bastel's own files may hold. They hold what people wrote.
const largestState = 64 << 20

// ErrUnreadable is a file of Bastel's own that is not one: broken, too large, newer, or no file at all.
var ErrUnreadable = errors.New("it is not what Bastel keeps there")

// readFile reads a file of Bastel's own, or the user's settings. Anything may lie there: what is no file, such as a pipe that nobody
// writes to, or is far too large, is errUnreadable; what is not there is fs.ErrNotExist.
func readFile(name string) ([]byte, error) {
	info, err := os.Stat(name)
	if err != nil {
		return nil, err
	}
	if !info.Mode().IsRegular() || info.Size() > largestState {
		return nil, ErrUnreadable
	}
	return os.ReadFile(name)
}

// SetAside renames a file of Bastel's own that cannot be read, so that another one can take its place: nothing
// of it is lost.
func SetAside(name string) error {
	aside := name + ".aside-" + time.Now().UTC().Format("20060102-150405")
	if err := os.Rename(name, aside); err != nil && !errors.Is(err, fs.ErrNotExist) {
		return fmt.Errorf("put %s aside: %w", filepath.Base(name), err)
	}
	return nil
}

// unreadableState names those of Bastel's own files that cannot be read, and are passed over.
func (a *App) unreadableState(ctx context.Context) string {
	said := ""
	pass := func(path string, err error) {
		if err != nil {
			said += " " + path + " cannot be read (" + FirstLine(err.Error()) + "); it is passed over, and put aside when it is written next."
		}
	}
	if path, err := a.answersPath(); err == nil {
		_, err := a.Answers()
		pass(path, err)
	}
	if path, err := a.ReviewPath(); err == nil {
		_, err := a.ReviewRecord()
		pass(path, err)
	}
	if id, err := a.Repo.RefValue(ctx, tray.Ref(a.Repo)); err == nil && !id.IsZero() {
		if _, err := tray.KeptAt(ctx, a.Repo, id); err != nil {
			said += " How the trays were sorted, in " + tray.Ref(a.Repo) + " " + id.Short() + ", cannot be read (" + FirstLine(err.Error()) +
				"); it is passed over, and stays in the log of that ref."
		}
	}
	return strings.TrimSpace(said)
}

// WriteState replaces such a file in one step; empty text removes it.
func (a *App) WriteState(name, text string) error {
	dir, err := a.Repo.StateDir()
	if err != nil {
		return err
	}
	return ReplaceFile(filepath.Join(dir, name), text)
}

// ReplaceFile writes a file in one step; empty text removes it.
func ReplaceFile(file, text string) error {
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

// replace puts a file in the place of another one, whole and synced, also where the power goes. With sync its name
// is too.
func replace(name string, data []byte, sync bool) error {
	err := renameio.WriteFile(name, data, 0o644, renameio.WithTempDir(filepath.Dir(name)), renameio.WithStaticPermissions(0o644))
	if err == nil && sync {
		err = repo.SyncFolder(filepath.Dir(name))
	}
	if err != nil {
		return fmt.Errorf("keep %s: %w", filepath.Base(name), err)
	}
	return nil
}
