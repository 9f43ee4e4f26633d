// Package opened opens the repositories of tests for the use cases.
package opened

import (
	"context"
	"strings"
	"testing"

	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/sorting"
	"bastel/internal/shape"
	"bastel/internal/tray"
	"bastel/test/fixture"
)

// TB is a test, or a run of a property.
type TB interface {
	fixture.TB
	Cleanup(func())
}

// App opens a repository for as long as a test runs.
func App(t TB, dir string) *app.App {
	t.Helper()
	a, _, err := app.Open(context.Background(), dir)
	require.NoError(t, err)
	t.Cleanup(func() { a.Close() })
	return a
}

// Feature is a repository on "feature", three commits after main.
func Feature(t *testing.T) *fixture.Repo {
	f := fixture.New(t)
	f.Commit("base", "a", "1\n2\n3\n", "kept", "x\n")
	f.Git("switch", "--quiet", "-c", "feature")
	f.Commit("one", "new", "n\n")
	f.Commit("two", "a", "1\n2\n3\n4\n")
	f.Commit("three", "new", "n\nm\n")
	return f
}

// Refusal is the reason of an error that must be one.
func Refusal(t fixture.TB, err error) string {
	t.Helper()
	var refusal *app.Refusal
	require.ErrorAs(t, err, &refusal)
	return refusal.Reason
}

// Apply carries a plan out that must be clean.
func Apply(t *testing.T, a *app.App, plan shape.Plan) app.Applied {
	t.Helper()
	require.NoError(t, plan.Check())
	applied, err := planning.Of(a).Apply(context.Background(), plan, app.OwnOnly, nil)
	require.NoError(t, err)
	return applied
}

// Nine are nine lines, a text for edits that do and do not touch.
const Nine = "1\n2\n3\n4\n5\n6\n7\n8\n9\n"

// Commit makes a commit from what is staged.
func Commit(a *app.App, message string, seen []string) (app.Made, error) {
	return sorting.Of(a).CommitTrays(context.Background(), []sorting.Draft{{Tray: tray.A, Message: message, Seen: seen}})
}

// Move takes hunks, lines after a colon, or files from one layer to another.
func Move(a *app.App, from, to tray.Layer, selected ...string) error {
	var list []tray.Selection
	for _, word := range selected {
		id, lines, _ := strings.Cut(word, ":")
		one, err := tray.ParseSelections([]string{id}, lines)
		if err != nil {
			return err
		}
		list = append(list, one...)
	}
	_, err := sorting.Of(a).Move(context.Background(), sorting.TrayMove{From: from, To: to, Selected: list, View: tray.Plain})
	return err
}
