package cli

import (
	"encoding/json"
	"errors"
	"fmt"
	"slices"
	"strings"

	"bastel/internal/app"
	"bastel/internal/app/charting"
	"bastel/internal/repo"
	"bastel/internal/safe"
	"bastel/internal/tray"
)

// errorDocument is an error in JSON. Its code stays, whatever the message says.
type errorDocument struct {
	Code    string `json:"code"`
	Message string `json:"message"`
	WayOn   string `json:"way_on,omitempty"` // what to do
}

// codes are the errors that scripts can tell from others.
var codes = []struct {
	err  error
	code string
}{
	{repo.ErrNoRepository, "no_repository"}, {repo.ErrBare, "bare_repository"}, {repo.ErrForeignOwner, "foreign_owner"},
	{repo.ErrNoGit, "no_git"}, {repo.ErrGitTooOld, "git_too_old"}, {repo.ErrLocked, "locked"}, {repo.ErrMissingObject, "missing_object"},
	{repo.ErrInTheWay, "in_the_way"}, {repo.ErrMoved, "moved"}, {charting.ErrOnlyThere, "only_there"}, {tray.ErrNoSuchHunk, "no_such_hunk"},
	{tray.ErrChangedSince, "changed_since"}, {repo.ErrUnreachable, "unreachable"}, {repo.ErrNeedsAnswer, "needs_answer"},
	{repo.ErrNoSuchRemote, "no_such_remote"}, {app.ErrLaterWork, "later_work"},
}

// codeOf is the error's own code, else that of the exit status.
func (c *command) codeOf(err error) string {
	for _, known := range codes {
		if errors.Is(err, known.err) {
			return known.code
		}
	}
	return map[int]string{usage: "usage", no: "refused", failed: "failed"}[c.status(err)]
}

// fail says an error in words on the standard error, and as a document too where documents are wanted. Commands that answer with
// a document themselves have said it.
func (c *command) fail(err error) {
	if errors.Is(err, errSilent) {
		return
	}
	fmt.Fprintln(c.stderr, "bastel: "+safe.Text(c.explain(err)))
	if !c.json {
		return
	}
	message, wayOn, _ := strings.Cut(err.Error(), "\n")
	if advice := app.Advice(err); advice != "" {
		wayOn = strings.TrimSpace(wayOn + "\n" + advice)
	}
	encoder := json.NewEncoder(c.stdout)
	encoder.SetEscapeHTML(false)
	encoder.SetIndent("", "  ")
	_ = encoder.Encode(map[string]any{"error": errorDocument{c.codeOf(err), message, wayOn}}) // there is nowhere left to say it
}

// wantsJSON says whether the arguments ask for documents, also those that cannot be understood.
func wantsJSON(args []string) bool {
	if end := slices.Index(args, "--"); end >= 0 {
		args = args[:end]
	}
	return slices.Contains(args, "--json") || slices.Contains(args, "--json=true")
}
