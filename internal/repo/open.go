package repo

import (
	"cmp"
	"context"
	"crypto/sha1"
	"crypto/sha256"
	"errors"
	"fmt"
	"hash"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"sync"

	"golang.org/x/mod/semver"
)

// Repo is an open repository with a working tree. It is safe for concurrent use.
type Repo struct {
	top       string // top folder of the working tree
	gitDir    string // this working tree's own git folder
	commonDir string // the git folder shared by all linked working trees
	idLen     int    // raw length of an object id
	emptyTree ID
	terminal  bool // children may use the terminal, to ask for a password
	bare      bool // it need not have a working tree
	env       []string
	objects   *catFile
	asked     asked

	log        *slog.Logger
	people     people
	memory     memory
	status     statusMemory
	commits    knownCommits
	noted      notedMemory
	configLock sync.Mutex
	config     map[string][]ConfigValue // nil: not read yet
	configAt   string                   // the stamp of its files then
	configFrom []string                 // the files that it was read from
	committer  string                   // by that configuration; empty: not asked yet
}

// Option changes how a repository is opened.
type Option func(*Repo)

// WithTerminal lets the repository's commands ask the user on the terminal, as
// fits a command line. Without it they cannot, and fail instead of waiting
// behind a full screen.
func WithTerminal() Option { return func(r *Repo) { r.terminal = true } }

// WithBare takes a bare repository too, of which only objects and refs are used.
func WithBare() Option { return func(r *Repo) { r.bare = true } }

// Open opens the repository whose working tree holds dir. The context ends the
// long-lived object reader; Close does so earlier.
//
// Errors: ErrNoRepository, ErrBare, ErrForeignOwner, ErrNoGit, ErrGitTooOld.
func Open(ctx context.Context, dir string, options ...Option) (*Repo, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return nil, fmt.Errorf("open repository: %w", err)
	}
	if info, err := os.Stat(dir); err != nil || !info.IsDir() {
		return nil, fmt.Errorf("open repository: %s is not a folder that can be read: %w", dir, ErrNoRepository)
	}
	r := &Repo{top: dir, env: []string{"LC_ALL=C", "GIT_OPTIONAL_LOCKS=0"}, asked: asked{known: map[string]string{}}}
	for _, option := range options {
		option(r)
	}
	if !r.terminal {
		r.env = append(r.env, "GIT_TERMINAL_PROMPT=0")
	}
	r.objects = newCatFile(ctx, r)
	if err := r.find(ctx); err != nil {
		return nil, errors.Join(fmt.Errorf("open repository at %s: %w", dir, err), r.Close())
	}
	return r, nil
}

// find finds out where the repository is, while the reader of its objects starts. That it answers proves that git is new enough:
// older ones have no such reader. So the version is asked for only where something is wrong.
func (r *Repo) find(ctx context.Context) error {
	begun := r.objects.begin()
	err := r.locate(ctx)
	for _, cause := range []error{ErrNoGit, ErrNoRepository, ErrForeignOwner, ErrBare} {
		if errors.Is(err, cause) {
			return err
		}
	}
	if err == nil {
		err = cmp.Or(begun, r.objects.ready(ctx))
	}
	if err == nil {
		return nil
	}
	return cmp.Or(r.checkVersion(ctx), err)
}

func (r *Repo) locate(ctx context.Context) error {
	out, err := r.run(ctx, nil, "rev-parse", "--path-format=absolute", "--absolute-git-dir", "--git-common-dir",
		"--show-object-format", "--is-bare-repository", "--is-inside-git-dir", "--show-toplevel")
	fields := strings.Split(strings.TrimSuffix(string(out), "\n"), "\n")
	if len(fields) >= 5 && (fields[3] == "true" || fields[4] == "true") {
		if !r.bare || fields[3] != "true" {
			return ErrBare
		}
		fields, err = append(fields[:5:5], fields[0]), nil // it has no top; the folder itself is as good as any
	}
	for _, cause := range []error{ErrNoRepository, ErrForeignOwner} {
		if errors.Is(err, cause) {
			return cause // said better there than by the command
		}
	}
	if err != nil {
		return err
	}
	if len(fields) != 6 {
		// Or a git so old that it says unknown options back.
		return cmp.Or(r.checkVersion(ctx), fmt.Errorf("a folder name with a line break in it: %w", ErrNoRepository))
	}
	r.gitDir, r.commonDir, r.top = fields[0], fields[1], fields[5]
	r.idLen = sha1.Size
	if fields[2] == "sha256" {
		r.idLen = sha256.Size
	}
	r.emptyTree = r.HashObject(KindTree, nil)
	// Relative settings of the caller's environment must keep their meaning
	// although the commands run at the top of the working tree.
	if os.Getenv("GIT_DIR") != "" {
		r.env = append(r.env, "GIT_DIR="+r.gitDir)
	}
	if os.Getenv("GIT_WORK_TREE") != "" {
		r.env = append(r.env, "GIT_WORK_TREE="+r.top)
	}
	return nil
}

// Version is what the repository's program says of itself.
func (r *Repo) Version(ctx context.Context) (string, error) { return r.line(ctx, "version") }

func (r *Repo) checkVersion(ctx context.Context) error {
	text, err := r.Version(ctx)
	if err != nil {
		return err
	}
	if !newEnough(text) {
		return fmt.Errorf("%s: %w", text, ErrGitTooOld)
	}
	return nil
}

// oldest is the git that has all that is asked of it.
const oldest = "v2.36"

// newEnough reads "git version 2.39.5 (extra)".
func newEnough(text string) bool {
	fields := strings.Fields(text)
	if len(fields) < 3 {
		return false
	}
	parts := strings.Split(fields[2], ".") // builds of vendors add more parts than three
	have := "v" + strings.Join(parts[:min(len(parts), 2)], ".")
	return semver.IsValid(have) && semver.Compare(have, oldest) >= 0
}

// Init makes a new repository in dir.
func Init(ctx context.Context, dir string, args ...string) error {
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return fmt.Errorf("make repository: %w", err)
	}
	r := &Repo{top: dir}
	_, err := r.run(ctx, nil, append([]string{"init", "--quiet"}, args...)...)
	return err
}

// Close ends the object reader.
func (r *Repo) Close() error { return r.objects.close() }

// Top is the folder that holds the working tree.
func (r *Repo) Top() string { return r.top }

// WorktreeName tells the working trees of a repository apart, in a form that can stand
// in a ref: the main one, or a linked one by the name that the repository gave it.
func (r *Repo) WorktreeName() string {
	if r.gitDir == r.commonDir {
		return "main"
	}
	return "linked/" + filepath.Base(r.gitDir)
}

// WorkPath is where a path of the working tree lies in the file system.
func (r *Repo) WorkPath(path string) string { return filepath.Join(r.top, filepath.FromSlash(path)) }

// GitDir is the git folder of this working tree.
func (r *Repo) GitDir() string { return r.gitDir }

// CommonDir is the git folder that all linked working trees share.
func (r *Repo) CommonDir() string { return r.commonDir }

// Name is what people call the repository: the name of its folder.
func (r *Repo) Name() string { return filepath.Base(r.top) }

// StateDir is where Bastel keeps what belongs to this working tree. It is made
// on first use.
func (r *Repo) StateDir() (string, error) {
	dir := filepath.Join(r.gitDir, "bastel")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return "", fmt.Errorf("make Bastel's folder: %w", err)
	}
	return dir, nil
}

// SharedStateDir makes the folder for what all linked working trees share.
func (r *Repo) SharedStateDir() (string, error) {
	dir := filepath.Join(r.commonDir, "bastel")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return "", fmt.Errorf("make Bastel's folder: %w", err)
	}
	return dir, nil
}

func (r *Repo) newHash() hash.Hash {
	if r.idLen == sha256.Size {
		return sha256.New()
	}
	return sha1.New()
}

func (r *Repo) zeroHex() string { return strings.Repeat("0", 2*r.idLen) }

func (r *Repo) hexOrZero(id ID) string {
	if id.IsZero() {
		return r.zeroHex()
	}
	return id.String()
}

// Operation is something another tool began here and did not finish.
type Operation struct {
	Name   string // merge, rebase, cherry-pick, revert, bisect, patch series
	Finish string // what ends it
}

// Unfinished names the operation that another tool left unfinished, if any, from
// the marker files that are documented for the purpose.
func (r *Repo) Unfinished() (Operation, bool) {
	for _, marker := range []struct {
		file string
		op   Operation
	}{
		{"rebase-merge", Operation{"rebase", "git rebase --continue or --abort"}},
		{"rebase-apply/rebasing", Operation{"rebase", "git rebase --continue or --abort"}},
		{"rebase-apply", Operation{"patch series", "git am --continue or --abort"}},
		{"MERGE_HEAD", Operation{"merge", "git commit, or git merge --abort"}},
		{"CHERRY_PICK_HEAD", Operation{"cherry-pick", "git cherry-pick --continue or --abort"}},
		{"REVERT_HEAD", Operation{"revert", "git revert --continue or --abort"}},
		{"sequencer", Operation{"cherry-pick", "git cherry-pick --continue or --abort"}},
		{"BISECT_START", Operation{"bisect", "git bisect reset"}},
	} {
		if _, err := os.Lstat(filepath.Join(r.gitDir, filepath.FromSlash(marker.file))); err == nil {
			return marker.op, true
		} else if !errors.Is(err, os.ErrNotExist) {
			return Operation{"operation", "see " + r.gitDir}, true
		}
	}
	return Operation{}, false
}
