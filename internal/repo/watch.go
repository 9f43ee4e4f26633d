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
// watched. In a tree with very many folders only the first ones are.
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
	for _, folder := range folders {
		_ = watcher.Add(folder) // one that has gone since, or one too many, is done without
	}
	told := make(chan Topics, 1)
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
	folders := []string{r.top, r.gitDir, filepath.Join(r.commonDir, "info")}
	if r.commonDir != r.gitDir {
		folders = append(folders, r.commonDir)
	}
	folders = append(folders, r.findRefDirs(nil)...)
	linked, _ := filepath.Glob(filepath.Join(r.commonDir, "worktrees", "*")) // for what is checked out in them
	folders = append(folders, linked...)
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

func (r *Repo) tell(ctx context.Context, watcher *fsnotify.Watcher, told chan Topics) {
	var wait <-chan time.Time
	var since time.Time
	var topics Topics // of what changed since it was last told
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
			topic := r.topicOf(event)
			if topic == 0 {
				continue
			}
			if event.Has(fsnotify.Create) {
				r.watchNew(watcher, event.Name)
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
