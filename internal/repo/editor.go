package repo

import (
	"context"
	"fmt"
)

// Editor names the user's editor as the repository chooses it, as a shell's command: GIT_EDITOR, core.editor, VISUAL
// or EDITOR.
func (r *Repo) Editor(ctx context.Context) (string, error) {
	editor, err := r.line(ctx, "var", "GIT_EDITOR")
	if err != nil {
		return "", fmt.Errorf("find your editor: %w", err)
	}
	return editor, nil
}
