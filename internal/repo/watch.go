package repo

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/fsnotify/fsnotify"
)

// mostWatched bounds how many folders are watched: the system has few to give.
const mostWatched = 4000

// quiet is how long nothing must happen before a change is told: editors and builds
// write in bursts. latest is when it is told all the same.
const (
	quiet  = 150 * time.Millisecond
	latest = time.Second
)

// Watch tells when something changes in the working tree, or at HEAD, the branches or
// the index, until the context ends. Folders that are ignored are not watched. In a
// tree with very many folders only the first ones are.
func (r *Repo) Watch(ctx context.Context) (<-chan struct{}, error) {
	watcher, err := fsnotify.NewWatcher()
	if err != nil {
		return nil, fmt.Errorf("watch the working tree: %w", err)
	}
	folders, err := r.foldersToWatch(ctx)
	if err != nil {
		watcher.Close()
		return nil, err
	}
	for _, folder := range folders {
		_ = watcher.Add(folder) // one that has gone since, or one too many, is done without
	}
	told := make(chan struct{}, 1)
	go func() {
		defer watcher.Close()
		defer close(told)
		r.tell(ctx, watcher, told)
	}()
	return told, nil
}

func (r *Repo) foldersToWatch(ctx context.Context) ([]string, error) {
	before := r.indexStamp().b.String()
	out, err := r.run(ctx, nil, "ls-files", "-v", "-z", "--full-name", "--cached", "--others", "--exclude-standard")
	if err != nil {
		return nil, fmt.Errorf("list the folders to watch: %w", err)
	}
	if len(parseFlags(string(out), nil)) == 0 && r.indexStamp().b.String() == before {
		r.noteFlagless(before, before)
	}
	folders := []string{r.top, r.gitDir}
	if r.commonDir != r.gitDir {
		folders = append(folders, r.commonDir)
	}
	folders = append(folders, r.findRefDirs(nil)...)
	seen := map[string]bool{".": true}
	for record := range strings.SplitSeq(strings.TrimSuffix(string(out), "\x00"), "\x00") {
		_, name, _ := strings.Cut(record, " ")
		for dir := filepath.Dir(filepath.FromSlash(name)); !seen[dir] && len(folders) < mostWatched; dir = filepath.Dir(dir) {
			seen[dir] = true
			folders = append(folders, filepath.Join(r.top, dir))
		}
	}
	return folders, nil
}

func (r *Repo) tell(ctx context.Context, watcher *fsnotify.Watcher, told chan<- struct{}) {
	var wait <-chan time.Time
	var since time.Time
	onlyIndex := true // of what changed since it was last told
	for {
		select {
		case <-ctx.Done():
			return
		case _, ok := <-watcher.Errors:
			if !ok {
				return
			}
		case event, ok := <-watcher.Events:
			if !ok {
				return
			}
			if r.isNoise(event) {
				continue
			}
			if event.Has(fsnotify.Create) {
				r.watchNew(watcher, event.Name)
			}
			if wait == nil {
				since = time.Now()
			}
			onlyIndex = onlyIndex && event.Name == filepath.Join(r.gitDir, "index")
			wait = time.After(max(0, min(quiet, time.Until(since.Add(latest)))))
		case <-wait:
			wait = nil
			news := !onlyIndex || !r.IndexIsKnown()
			if onlyIndex = true; !news {
				continue // Bastel wrote it, or has read it since
			}
			select {
			case told <- struct{}{}:
			default: // one that was not heard yet says the same
			}
		}
	}
}

// watchNew watches a folder that was made, with those in it.
func (r *Repo) watchNew(watcher *fsnotify.Watcher, name string) {
	inGit := strings.HasPrefix(name, r.gitDir) && !r.isRef(name)
	if info, err := os.Lstat(name); err != nil || !info.IsDir() || inGit {
		return
	}
	_ = filepath.WalkDir(name, func(path string, entry fs.DirEntry, err error) error {
		if err == nil && entry.IsDir() && len(watcher.WatchList()) < mostWatched {
			_ = watcher.Add(path)
		}
		return nil
	})
}

// isRef says whether a file is a ref's, of branches here or of remotes.
func (r *Repo) isRef(name string) bool {
	return strings.HasPrefix(name, filepath.Join(r.commonDir, "refs")+string(filepath.Separator))
}

// isNoise says whether an event says nothing about what the user sees: of the git
// folder only what ends in one of a few names does.
func (r *Repo) isNoise(event fsnotify.Event) bool {
	inGit := strings.HasPrefix(event.Name, r.gitDir+string(filepath.Separator)) || strings.HasPrefix(event.Name, r.commonDir+string(filepath.Separator))
	switch {
	case !inGit:
		return false
	case event.Op == fsnotify.Chmod:
		return true
	case r.isRef(event.Name):
		return strings.HasSuffix(event.Name, ".lock")
	}
	switch filepath.Base(event.Name) {
	case "HEAD", "packed-refs", "index", "MERGE_HEAD", "CHERRY_PICK_HEAD", "REVERT_HEAD":
		return false
	}
	return true
}
