package app

import (
	"context"
	"crypto/sha256"
	"errors"
	"fmt"
	"os"

	"bastel/internal/programs"
	"bastel/internal/repo"
)

// ErrCheckFailed is a check that says no.
var ErrCheckFailed = errors.New("the check failed")

// CheckTree runs a command on a stored tree's content in a scratch folder.
func (a *App) CheckTree(ctx context.Context, tree repo.ID, command string, output func([]byte)) error {
	dir, err := os.MkdirTemp("", "bastel-check-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := a.Repo.Export(ctx, tree, dir); err != nil {
		return err
	}
	err = programs.Check(ctx, dir, command, output)
	var failed *programs.CheckError
	if errors.As(err, &failed) {
		return &Refusal{Reason: failed.Error(), Err: ErrCheckFailed}
	}
	return err
}

// Checked is the outcome of a check on one content.
type Checked struct {
	Passed bool   `json:"passed"`
	Output string `json:"output"` // the end of it
}

// ChecksFile holds the outcomes by command and content.
const ChecksFile = "checks.json"

// CheckKey names the outcome of a check by its command and the content.
func CheckKey(command string, tree repo.ID) string {
	return fmt.Sprintf("%x", sha256.Sum256([]byte(command+"\x00"+tree.String())))
}
