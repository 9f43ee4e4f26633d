package repo

import (
	"context"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
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

// Topics are kinds of things that are read of a repository.
type Topics uint8

// The topics.
const (
	Index         Topics = 1 << iota
	Files                // of the working tree, and what is ignored or an attribute there
	Refs                 // HEAD too, of all working trees
	Configuration        // of the repository itself
	UnderWay             // an operation that is under way, such as a merge
	AllTopics     = Index | Files | Refs | Configuration | UnderWay
)

// Watch tells what changes: in the working tree, at HEAD, the refs, the index, the repository's
// configuration and operations under way, until the context ends. Folders that are ignored are not
// watched. In a tree with very many folders only the first ones are. What changed before all were
// watched is told first.
func (r *Repo) Watch(ctx context.Context) (<-chan Topics, error) {
	watcher, err := fsnotify.NewWatcher()
	if err != nil {
		return nil, fmt.Errorf("watch the working tree: %w", err)
	}
	folders, err := r.foldersToWatch(ctx)
	if err != nil {
		watcher.Close()
		return nil, err
	}
	all := len(folders) < mostWatched
	for _, folder := range folders {
		if watcher.Add(folder) != nil { // one that has gone since, or one too many, is done without
			all = false
		}
	}
	r.filesChanged(all) // meanwhile some may have
	told := make(chan Topics, 1)
	go func() {
		defer watcher.Close()
		defer close(told)
		r.tell(ctx, watcher, told, all)
	}()
	return told, nil
}

func (r *Repo) foldersToWatch(ctx context.Context) ([]string, error) {
	ignored, err := r.ignoredFolders(ctx)
	if err != nil {
		return nil, err
	}
	folders := []string{r.top, r.gitDir, filepath.Join(r.commonDir, "info")}
	if r.commonDir != r.gitDir {
		folders = append(folders, r.commonDir)
	}
	folders = append(folders, r.findRefDirs(nil)...)
	linked, _ := filepath.Glob(filepath.Join(r.commonDir, "worktrees", "*")) // for what is checked out in them
	folders = append(folders, linked...)
	return append(folders, r.foldersWithin(r.top, ignored, mostWatched-len(folders))...), nil
}

// ignoredFolders are those in which no file can be anything but ignored, unlike one that holds only such files now.
func (r *Repo) ignoredFolders(ctx context.Context) ([]string, error) {
	ignored, err := r.Ignored(ctx)
	if err != nil {
		return nil, err
	}
	folders := slices.DeleteFunc(ignored, func(path string) bool { return !strings.HasSuffix(path, "/") })
	if len(folders) == 0 {
		return nil, nil
	}
	out, err := r.run(ctx, []byte(strings.Join(folders, "\x00")+"\x00"), "check-ignore", "-z", "--stdin")
	if err != nil && exitCode(err) != 1 { // 1: none of them is
		return nil, fmt.Errorf("list the folders that are ignored: %w", err)
	}
	return strings.FieldsFunc(string(out), func(r rune) bool { return r == 0 }), nil
}

// foldersWithin lists up to most folders of the working tree, empty ones too: a file may come into any of them. Those that are
// ignored, and repositories of their own, are left out.
func (r *Repo) foldersWithin(top string, ignored []string, most int) (folders []string) {
	skip := map[string]bool{r.gitDir: true}
	for _, path := range ignored {
		skip[filepath.Join(r.top, filepath.FromSlash(path))] = true
	}
	_ = filepath.WalkDir(top, func(path string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil || path == top || !entry.IsDir():
			return nil // what cannot be read is done without
		case skip[path]:
			return fs.SkipDir
		case len(folders) >= most:
			return fs.SkipAll
		}
		if _, err := os.Lstat(filepath.Join(path, ".git")); err == nil {
			return fs.SkipDir
		}
		folders = append(folders, path)
		return nil
	})
	return folders
}

func (r *Repo) tell(ctx context.Context, watcher *fsnotify.Watcher, told chan Topics, all bool) {
	defer r.filesChanged(false)
	var wait <-chan time.Time
	var since time.Time
	topics := r.changedUnwatched(ctx) // of what changed since it was last told
	if topics != 0 {
		wait = time.After(0)
	}
	for {
		select {
		case <-ctx.Done():
			return
		case _, ok := <-watcher.Errors:
			if !ok {
				return
			}
			all = false // some were lost
			r.filesChanged(all)
		case event, ok := <-watcher.Events:
			if !ok {
				return
			}
			topic := r.topicOf(event)
			if topic == 0 {
				continue
			}
			if event.Has(fsnotify.Create) && !r.watchNew(watcher, event.Name) {
				all = false
			}
			if topic&Files != 0 {
				r.filesChanged(all)
			}
			if wait == nil {
				since = time.Now()
			}
			topics |= topic
			wait = time.After(max(0, min(quiet, time.Until(since.Add(latest)))))
		case <-wait:
			wait = nil
			if r.IndexIsKnown() {
				topics &^= Index // Bastel wrote it, or has read it since
			}
			if topics == 0 {
				continue
			}
			select {
			case before := <-told: // that was not heard yet
				topics |= before
			default:
			}
			told <- topics
			topics = 0
		}
	}
}

// watchNew watches a folder that was made, with those in it. It says whether that is so of all of them.
func (r *Repo) watchNew(watcher *fsnotify.Watcher, name string) bool {
	inGit := strings.HasPrefix(name, r.gitDir) && !r.isRef(name)
	if info, err := os.Lstat(name); err != nil || !info.IsDir() || inGit {
		return true
	}
	all := true
	_ = filepath.WalkDir(name, func(path string, entry fs.DirEntry, err error) error {
		if err == nil && entry.IsDir() {
			all = len(watcher.WatchList()) < mostWatched && watcher.Add(path) == nil && all
		}
		return nil
	})
	return all
}

// isRef says whether a file is a ref's, of branches here or of remotes.
func (r *Repo) isRef(name string) bool {
	return strings.HasPrefix(name, filepath.Join(r.commonDir, "refs")+string(filepath.Separator))
}

// operations are the files and folders that say that something is under way.
var operations = newSet("MERGE_HEAD", "CHERRY_PICK_HEAD", "REVERT_HEAD", "BISECT_LOG", "rebase-merge", "rebase-apply", "sequencer")

// topicOf says what of that which the user sees an event is about; nothing where it is noise: of
// the git folder only a few names are not.
func (r *Repo) topicOf(event fsnotify.Event) Topics {
	dir, name := filepath.Split(event.Name)
	dir = filepath.Clean(dir)
	switch {
	case !within(event.Name, r.gitDir) && !within(event.Name, r.commonDir):
		return Files
	case event.Op == fsnotify.Chmod:
		return 0
	case r.isRef(event.Name) && !strings.HasSuffix(name, ".lock"), name == "HEAD", name == "packed-refs", name == "shallow":
		return Refs
	case dir == filepath.Join(r.commonDir, "info"):
		return Files
	case dir == r.gitDir && name == "index":
		return Index
	case name == "config" || name == "config.worktree":
		return Configuration
	case dir == r.gitDir && operations[name]:
		return UnderWay
	}
	return 0
}

// within says whether a name lies in a folder.
func within(name, dir string) bool { return strings.HasPrefix(name, dir+string(filepath.Separator)) }
