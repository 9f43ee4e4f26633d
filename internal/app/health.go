package app

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"time"

	"bastel/internal/journal"
	"bastel/internal/repo"
	"bastel/internal/tray"
	"bastel/internal/wording"
)

// HealthCheck is one thing that was looked at to say how all is.
type HealthCheck struct {
	Name   string
	Says   string
	Advice string // what to do; empty: it is in order
}

// Health looks at what Bastel works with in a repository: the program of the repository, its state, locks that were left
// behind, the settings. Nothing is changed, but for temporary folders that a crash left.
func (a *App) Health(ctx context.Context) ([]HealthCheck, error) {
	var list []HealthCheck
	add := func(name, says, advice string) { list = append(list, HealthCheck{name, says, advice}) }
	git, err := a.Repo.Version(ctx)
	if err != nil {
		return nil, err
	}
	add("git", git, "")
	add("repository", a.Repo.Top(), "")
	size, files := a.stateSize()
	add("state", fmt.Sprintf("%s in %s, %s", wording.Count(files, "file"), a.Repo.GitDir()+"/bastel", kilobytes(size)), "")
	entries, err := a.Journal.Entries(ctx)
	switch {
	case err != nil:
		add("journal", "it cannot be read: "+FirstLine(err.Error()),
			"bastel journal --forget takes older entries away; git fsck says what is wrong.")
	default:
		done := len(journal.StateOf(entries, a.Repo.WorktreeName()).Done)
		add("journal", fmt.Sprintf("%d steps can be undone here, of the latest %d entries", done, len(entries)), "")
	}
	kept, err := tray.LoadKept(ctx, a.Repo)
	if err != nil {
		return nil, err
	}
	add("trays", wording.Count(len(kept.Layers()), "tray")+" besides A hold something", "")
	if said := a.unreadableState(ctx); said != "" {
		add("state files", said, "Look at the file that is named, or remove it.")
	}
	if left, err := a.LeftStep(ctx); err != nil || left != "" {
		if err != nil {
			left = FirstLine(err.Error())
		}
		add("half done", left, "bastel doctor --finish does the rest, bastel doctor --take-back takes it back; until then "+
			"nothing else changes here.")
	}
	if operation, busy := a.Repo.Unfinished(); busy {
		add("unfinished", "another tool's "+operation.Name, operation.Finish)
	}
	list = append(list, a.locks()...)
	list = append(list, a.packs())
	if n := a.removeScratch(scratchAge); n > 0 {
		add("temporary folders", wording.Count(n, "folder")+" that a crash had left were removed", "")
	}
	set, err := a.ConfiguredHere(ctx)
	if err != nil {
		return nil, err
	}
	var heard []string
	for _, c := range set {
		heard = append(heard, c.Key+" ("+string(c.Heard)+")")
	}
	add("configuration", strings.Join(heard, ", "), "")
	settings, err := a.Settings(ctx)
	for _, warning := range settings.Warnings {
		add("settings", warning, "Mend or remove it; the rest counts.")
	}
	return list, err
}

func kilobytes(size int64) string { return fmt.Sprintf("%d kB", (size+1023)/1024) }

// stateSize is how much the state's folder holds.
func (a *App) stateSize() (size int64, files int) {
	_ = filepath.WalkDir(filepath.Join(a.Repo.GitDir(), "bastel"), func(_ string, entry fs.DirEntry, err error) error {
		if err != nil || entry.IsDir() {
			return nil // what is not there is nothing
		}
		if info, err := entry.Info(); err == nil {
			size, files = size+info.Size(), files+1
		}
		return nil
	})
	return size, files
}

// staleLock is how old a lock file is that nobody seems to hold any more.
const staleLock = time.Minute

// locks are lock files that other programs left behind.
func (a *App) locks() (list []HealthCheck) {
	for _, name := range []string{"index.lock", "HEAD.lock", "config.lock", "packed-refs.lock", "shallow.lock"} {
		for _, dir := range slices.Compact([]string{a.Repo.GitDir(), a.Repo.CommonDir()}) {
			file := filepath.Join(dir, name)
			info, err := os.Lstat(file)
			if err == nil && time.Since(info.ModTime()) > staleLock {
				list = append(list, HealthCheck{"lock", file + " is there, " + repo.AgeInWords(time.Since(info.ModTime())) + " old",
					"If no other program works in the repository, remove it."})
			}
		}
	}
	return list
}

// manyPacks is from how many packs on looking for objects takes noticeably longer.
const manyPacks = 50

func (a *App) packs() HealthCheck {
	packs, err := filepath.Glob(filepath.Join(a.Repo.CommonDir(), "objects", "pack", "*.pack"))
	f := HealthCheck{Name: "packs", Says: wording.Count(len(packs), "pack") + " of objects"}
	if err != nil || len(packs) > manyPacks {
		f.Advice = "git gc puts them together; each apply writes one of its own."
	}
	return f
}

// How old a temporary folder is that nothing works in any more: by what doctor is asked to do, and by itself at a start, when an
// editor somewhere may still be open on one.
const (
	scratchAge   = 3 * 24 * time.Hour
	forgottenAge = 30 * 24 * time.Hour
)

// TidyUp removes what crashes left long ago of temporary folders and files, and puts the packs of many rewritings together.
func (a *App) TidyUp(ctx context.Context) {
	a.removeScratch(forgottenAge)
	n, err := a.Repo.GatherPacks(ctx)
	a.Repo.Log().Info("packs put together", "number", n, "error", err)
}

// removeScratch removes what crashes left of temporary folders and files, if it is older than an age. It gives how many went.
func (a *App) removeScratch(age time.Duration) (removed int) {
	before := time.Now().Add(-age)
	outside := []string{"bastel-check-", "bastel-entry-", "bastel-mend-", "bastel-merge-", "bastel-ask-", "bastel-copy-", "bastel-text-"}
	inside := []string{"layout-", "scratch-index-"}
	for dir, names := range map[string][]string{filepath.Join(a.Repo.GitDir(), "bastel"): inside, os.TempDir(): outside} {
		entries, err := os.ReadDir(dir)
		if err != nil {
			continue
		}
		for _, entry := range entries {
			ours := slices.ContainsFunc(names, func(name string) bool { return strings.HasPrefix(entry.Name(), name) })
			info, err := entry.Info()
			if !ours || err != nil || !info.ModTime().Before(before) {
				continue
			}
			if os.RemoveAll(filepath.Join(dir, entry.Name())) == nil {
				removed++
			}
		}
	}
	return removed
}
