package repo

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
)

// ownPrefix begins the names of Bastel's own refs.
const ownPrefix = "BASTEL_"

// ofMain names a top-level ref of the main working tree from a linked one.
const ofMain = "main-worktree/"

// OwnRef gives the full name of a ref of Bastel's own, for capital letters and underscores.
//
// It is a top-level ref beside HEAD: in no list of refs, shown by no walk over all of them,
// pushed by no mirror, and yet moved in one transaction with others. What keeps its objects
// is its reflog, which maintenance looks at; that of the main working tree is looked at from
// every working tree, so all own refs lie there.
func (r *Repo) OwnRef(name string) string {
	if r.gitDir == r.commonDir {
		return ownPrefix + name
	}
	return ofMain + ownPrefix + name
}

// Letters writes bytes with the letters that may stand in such a name.
func Letters(data []byte) string {
	var b strings.Builder
	for _, c := range data {
		b.WriteByte('A' + c>>4)
		b.WriteByte('A' + c&15)
	}
	return b.String()
}

func isOwn(ref string) bool { return strings.HasPrefix(strings.TrimPrefix(ref, ofMain), ownPrefix) }

// ownUpdates prepares moves of own refs, and gives the environment to move them in. From a
// linked working tree the repository moves a top-level ref of the main one, but deletes none:
// there it gets an empty tree, which RefValue takes for nothing, unless only own refs move.
func (r *Repo) ownUpdates(ctx context.Context, updates []RefUpdate) ([]RefUpdate, []string, error) {
	updates = slices.Clone(updates)
	if !slices.ContainsFunc(updates, func(u RefUpdate) bool { return !isOwn(u.Ref) }) {
		for i, u := range updates {
			updates[i].Ref = strings.TrimPrefix(u.Ref, ofMain)
		}
		err := r.prepareOwn(ctx, updates)
		return updates, []string{"GIT_DIR=" + r.commonDir}, err
	}
	for i, u := range updates {
		if u.New.IsZero() && strings.HasPrefix(u.Ref, ofMain) {
			updates[i].New = r.EmptyTree()
		}
	}
	return updates, nil, r.prepareOwn(ctx, updates)
}

// prepareOwn begins the logs that are needed, and puts the empty tree in the place of nothing
// where a ref has that.
func (r *Repo) prepareOwn(ctx context.Context, updates []RefUpdate) error {
	for i, u := range updates {
		if !isOwn(u.Ref) {
			continue
		}
		if !u.New.IsZero() {
			if err := r.keepLog(ctx, u.Ref); err != nil {
				return err
			}
		}
		if u.Old.IsZero() {
			now, err := r.lookUp(ctx, r.OwnRef(strings.TrimPrefix(strings.TrimPrefix(u.Ref, ofMain), ownPrefix)))
			if err != nil {
				return err
			}
			if now == r.EmptyTree() {
				updates[i].Old = now
			}
		}
	}
	return nil
}

// DropDangling deletes an own ref whose object is gone, which somebody did who let all logs
// expire at once.
func (r *Repo) DropDangling(ctx context.Context, ref string) error {
	name := strings.TrimPrefix(ref, ofMain)
	if _, err := os.Lstat(filepath.Join(r.commonDir, name)); err != nil {
		return nil
	}
	if id, err := r.lookUp(ctx, ref); err != nil || !id.IsZero() {
		return err
	}
	_, err := r.invoke(ctx, invocation{args: []string{"update-ref", "--no-deref", "-d", name}, env: []string{"GIT_DIR=" + r.commonDir}})
	if err != nil {
		return fmt.Errorf("drop %s, which points nowhere: %w", name, err)
	}
	return nil
}

// keepLog makes sure that the moves of an own ref are logged, and that the log is kept: the
// repository goes on with a log that is there, but begins none for a name like these, and
// its maintenance would let the log of something that lies unused for months expire.
func (r *Repo) keepLog(ctx context.Context, ref string) error {
	if !isOwn(ref) {
		return nil
	}
	name := strings.TrimPrefix(strings.TrimPrefix(ref, ofMain), ownPrefix)
	dir := filepath.Join(r.commonDir, "logs")
	if err := os.MkdirAll(dir, 0o777); err != nil {
		return fmt.Errorf("keep a log of %s: %w", ref, err)
	}
	file := filepath.Join(dir, ownPrefix+name)
	if _, err := os.Lstat(file); err == nil {
		return nil
	}
	for _, key := range []string{"gc.*" + ownPrefix + "*.reflogExpire", "gc.*" + ownPrefix + "*.reflogExpireUnreachable"} {
		if value, err := r.Config(ctx, key); err != nil || value != "" {
			continue // what somebody has set stays
		}
		if err := r.SetConfig(ctx, key, "never"); err != nil {
			return fmt.Errorf("keep a log of %s: %w", ref, err)
		}
	}
	log, err := os.OpenFile(file, os.O_WRONLY|os.O_CREATE|os.O_APPEND, 0o666)
	if err != nil {
		return fmt.Errorf("keep a log of %s: %w", ref, err)
	}
	return log.Close()
}
