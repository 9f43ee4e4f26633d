package repo

import "context"

// RunForTest runs a command as the package's own code would.
func RunForTest(r *Repo, args ...string) error {
	_, err := r.run(context.Background(), nil, args...)
	return err
}
