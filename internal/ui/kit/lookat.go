package kit

import (
	"context"

	"bastel/internal/app"
	"bastel/internal/repo"
)

// LookAt reads a commit out while the cursor is on its choice.
func LookAt(a *app.App, id repo.ID) func(ctx context.Context) (string, error) {
	return func(ctx context.Context) (string, error) {
		out, err := a.ReadOut(ctx, id)
		return out.Text(), err
	}
}
