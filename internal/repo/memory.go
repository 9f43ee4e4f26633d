package repo

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"golang.org/x/sys/unix"
)

// memory keeps what commands answered for as long as what the answer depends on stays as it
// is: files are looked at, nothing is assumed. So the same question costs a process once.
type memory struct {
	mu      sync.Mutex
	answers map[string]answer
	size    int // bytes of all answers

	refDirs   []string // the folders that the refs lie in, as they were found last
	refDirsAt string   // their stamp then
}

// answer is what a command printed, and what was looked at for it.
type answer struct {
	stamp string
	until time.Time // zero: for as long as the stamp is the same
	out   []byte
	err   error // a no, which some commands say by their status
}

// mostRemembered bounds the answers, in bytes; with more all are forgotten.
const mostRemembered = 32 << 20

// racy is how long after a change of a file another one may show in no time of it.
const racy = 50 * time.Millisecond

// stamps tells how files and folders are: another stamp where one of them changed, also where that left its size and the time of its
// content as they were.
type stamps struct {
	b        strings.Builder
	until    time.Time // so long a further change could go unseen
	replaced bool      // each change puts another file in the place of the one before
}

func (s *stamps) add(names ...string) {
	for _, name := range names {
		lies, err := lookAt(unix.AT_FDCWD, name)
		if err != nil {
			fmt.Fprintf(&s.b, "%s -\n", name)
			continue
		}
		s.note(name, lies)
	}
}

func (s *stamps) note(name string, lies place) {
	if s.replaced { // that it has one more name, or one fewer, is no change of it
		lies.stat.changed = lies.stat.modified
	}
	for _, t := range []instant{lies.stat.changed, lies.stat.modified} {
		margin := racy
		switch {
		case t.nanoseconds == 0: // of a clock that goes by seconds
			margin = coarsest
		case s.replaced: // a file has another number then, unless two changes come within a step of the clock
			margin = tick
		}
		if until := t.time().Add(margin); until.After(s.until) {
			s.until = until
		}
	}
	fmt.Fprintf(&s.b, "%s %v %v %d %v\n", name, lies.folder, lies.permissions, lies.size, lies.stat)
}

// settled says that nothing changed so lately that a further change could go unseen.
func (s *stamps) settled() bool { return time.Now().After(s.until) }

// remembered runs a command that only reads, unless it is known what it answers.
func (r *Repo) remembered(ctx context.Context, stamp func() *stamps, args ...string) ([]byte, error) {
	before := stamp()
	key := strings.Join(args, "\x00")
	r.memory.mu.Lock()
	known, ok := r.memory.answers[key]
	r.memory.mu.Unlock()
	if ok && known.stamp == before.b.String() && (known.until.IsZero() || time.Now().Before(known.until)) {
		return known.out, known.err
	}
	out, err := r.run(ctx, nil, args...)
	if err != nil && exitCode(err) != 1 {
		return out, err
	}
	after := stamp()
	if after.b.String() != before.b.String() {
		return out, err
	}
	fresh := answer{stamp: after.b.String(), out: out, err: err}
	if !after.settled() {
		fresh.until = time.Now().Add(racy)
	}
	r.memory.mu.Lock()
	defer r.memory.mu.Unlock()
	if r.memory.size += len(out) + len(key); r.memory.answers == nil || r.memory.size > mostRemembered {
		r.memory.answers, r.memory.size = map[string]answer{}, len(out)+len(key)
	}
	r.memory.answers[key] = fresh
	return out, err
}

// writes are the commands after which what was answered just now may be wrong, though no time
// of a file tells it yet.
var writes = newSet("checkout-index", "config", "fetch", "hook", "init", "pack-refs", "push", "read-tree", "symbolic-ref",
	"update-index", "update-ref", "worktree")

// wrote forgets what was answered within the time in which a further change could go unseen.
func (r *Repo) wrote(command string) {
	if !writes[command] {
		return
	}
	r.memory.mu.Lock()
	defer r.memory.mu.Unlock()
	for key, a := range r.memory.answers {
		if !a.until.IsZero() {
			delete(r.memory.answers, key)
		}
	}
}

// known gives what is kept under a key, if the stamp is the same.
func (r *Repo) known(key string, now *stamps) ([]byte, bool) {
	r.memory.mu.Lock()
	defer r.memory.mu.Unlock()
	a, ok := r.memory.answers[key]
	return a.out, ok && a.stamp == now.b.String() && now.settled()
}

// keep keeps something under a key for as long as the stamp is the same.
func (r *Repo) keep(key string, at *stamps, out []byte) {
	r.memory.mu.Lock()
	defer r.memory.mu.Unlock()
	if r.memory.size += len(out) + len(key); r.memory.answers == nil || r.memory.size > mostRemembered {
		r.memory.answers, r.memory.size = map[string]answer{}, len(out)+len(key)
	}
	r.memory.answers[key] = answer{stamp: at.b.String(), out: out}
}

// graphStamp is what answers about commits by their ids depend on: where a shallow history
// ends, and what is replaced.
func (r *Repo) graphStamp() *stamps {
	s := &stamps{}
	s.add(filepath.Join(r.commonDir, "shallow"), filepath.Join(r.commonDir, "info", "grafts"), filepath.Join(r.commonDir, "refs", "replace"))
	return s
}

// refStamp is what lists of refs depend on: the folders of loose refs, whose times change with each
// of them, packed refs, every working tree's HEAD, and the configuration, for upstreams.
func (r *Repo) refStamp() *stamps {
	s := r.refFilesStamp()
	s.add(r.configFiles()...)
	return s
}

// refFilesStamp is that without the configuration, which need not have been read for it.
func (r *Repo) refFilesStamp() *stamps {
	s := r.graphStamp()
	r.memory.mu.Lock()
	dirs := r.memory.refDirs
	r.memory.mu.Unlock()
	s.add(dirs...)
	if found := r.findRefDirs(dirs); !slices.Equal(found, dirs) {
		r.memory.mu.Lock()
		r.memory.refDirs = found
		r.memory.mu.Unlock()
		s.add(found...)
	}
	s.add(filepath.Join(r.commonDir, "packed-refs"), filepath.Join(r.gitDir, "HEAD"), filepath.Join(r.commonDir, "HEAD"),
		filepath.Join(r.commonDir, "reftable", "tables.list"))
	trees := filepath.Join(r.commonDir, "worktrees")
	s.add(trees)
	linked, _ := os.ReadDir(trees) // most have none
	for _, entry := range linked {
		s.add(filepath.Join(trees, entry.Name(), "HEAD"), filepath.Join(trees, entry.Name(), "gitdir"))
	}
	return s
}

// findRefDirs lists the folders below refs: those that are known, if none of them holds
// another folder than before, which its time would tell.
func (r *Repo) findRefDirs(known []string) []string {
	if len(known) > 0 {
		var s stamps
		s.add(known...)
		r.memory.mu.Lock()
		same := r.memory.refDirsAt == s.b.String() && s.settled()
		r.memory.mu.Unlock()
		if same {
			return known
		}
	}
	var dirs []string
	for _, root := range []string{filepath.Join(r.commonDir, "refs"), filepath.Join(r.gitDir, "refs")} {
		_ = filepath.WalkDir(root, func(path string, entry os.DirEntry, err error) error {
			if err == nil && entry.IsDir() && !slices.Contains(dirs, path) {
				dirs = append(dirs, path)
			}
			return nil
		})
	}
	var s stamps
	s.add(dirs...)
	r.memory.mu.Lock()
	defer r.memory.mu.Unlock()
	r.memory.refDirsAt = s.b.String()
	return dirs
}

// logStamp is what the history of a ref depends on.
func (r *Repo) logStamp(ref string) func() *stamps {
	return func() *stamps {
		s := r.refStamp()
		s.add(filepath.Join(r.commonDir, "logs", ref), filepath.Join(r.gitDir, "logs", ref))
		return s
	}
}

// attributeStamp is what the attributes of paths depend on.
func (r *Repo) attributeStamp(paths []string) func() *stamps {
	return func() *stamps {
		s := &stamps{}
		seen := map[string]bool{}
		for _, path := range paths {
			for dir := filepath.Dir(filepath.FromSlash(path)); !seen[dir]; dir = filepath.Dir(dir) {
				seen[dir] = true
				s.add(filepath.Join(r.top, dir, ".gitattributes"))
			}
		}
		if _, err := os.Lstat(filepath.Join(r.gitDir, "info", "sparse-checkout")); err == nil {
			s.add(filepath.Join(r.gitDir, "index")) // what is not in the working tree is read from there
		}
		s.add(filepath.Join(r.commonDir, "info", "attributes"))
		s.add(r.configFiles()...)
		return s
	}
}
