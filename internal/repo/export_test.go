package repo

import "context"

// RunForTest runs a command as the package's own code would.
func RunForTest(r *Repo, args ...string) error {
	_, err := r.run(context.Background(), nil, args...)
	return err
}

// FilesTold is how often a change of files was told.
func (r *Repo) FilesTold() uint64 { return r.filesTold() }

// KnowsByOwnWrites says whether a status would be worked out from what Bastel wrote.
func (r *Repo) KnowsByOwnWrites(ctx context.Context) bool {
	head, err := r.Head(ctx)
	if err != nil {
		return false
	}
	_, known := r.statusByOwnWrites(OwnWritesOnly(ctx), head)
	return known
}

// ParseStatus reads what the repository's status prints.
var ParseStatus = parseStatus

// StatusByIndex is a whole status without the command of that name; false: something is out of the ordinary.
func (r *Repo) StatusByIndex(ctx context.Context) ([]Change, bool) { return r.statusByIndex(ctx) }

// StatusByCommand is a whole status as the command of that name says it.
func (r *Repo) StatusByCommand(ctx context.Context) ([]Change, error) {
	return r.commandStatus(ctx, nil)
}
