package app_test

import (
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"bastel/internal/app"
	"bastel/internal/app/planning"
	"bastel/internal/app/publishing"
	"bastel/internal/app/resolving"
	"bastel/internal/app/sorting"
	"bastel/internal/tray"
	"bastel/test/opened"
)

// TestWhateverLiesInTheStateFolder: it is named and passed over, nothing waits for it, and what takes its place
// does not overwrite it.
func TestWhateverLiesInTheStateFolder(t *testing.T) {
	for kind, lay := range map[string]func(name string) error{
		"garbage": func(name string) error { return os.WriteFile(name, []byte("{{{"), 0o666) },
		"newer":   func(name string) error { return os.WriteFile(name, []byte("format = 'bastel-answers/9'\n"), 0o666) },
		"folder":  func(name string) error { return os.Mkdir(name, 0o777) },
		"pipe":    func(name string) error { return syscall.Mkfifo(name, 0o666) },
		"huge": func(name string) error {
			if err := os.WriteFile(name, nil, 0o666); err != nil {
				return err
			}
			return os.Truncate(name, 3<<30)
		},
	} {
		for _, name := range []string{"answers.toml", "review.toml", "waiting.toml", "checks.json"} {
			f := opened.Feature(t)
			state := filepath.Join(f.Dir, ".git", "bastel")
			require.NoError(t, os.MkdirAll(state, 0o777))
			require.NoError(t, lay(filepath.Join(state, name)))
			a, note, err := app.Open(ctx, f.Dir)
			require.NoError(t, err, "%s, %s", name, kind)
			if name == "answers.toml" || name == "review.toml" && kind != "newer" {
				assert.Contains(t, note, name, kind)
			}
			plan, err := a.NewPlan(ctx, "", "")
			require.NoError(t, err)
			_, err = planning.Of(a).Forecast(ctx, plan, nil)
			require.NoError(t, err, "%s, %s", name, kind)
			_, err = publishing.Of(a).ReadThrough(ctx)
			require.NoError(t, err, "%s, %s", name, kind)
			_, err = resolving.Of(a).PendingMerge(ctx)
			require.NoError(t, err, "%s, %s", name, kind)
			if name == "review.toml" && kind != "newer" {
				_, err = publishing.Of(a).RemarkOn(ctx, plan.Sources[0].String(), "", 0, "kept\n")
				require.NoError(t, err)
				aside, err := filepath.Glob(filepath.Join(state, name+".aside-*"))
				require.NoError(t, err)
				assert.Len(t, aside, 1, "what lay there is put aside")
			}
			require.NoError(t, a.Close())
		}
	}
}

// TestSettingsThatAreNoFile keep nobody out.
func TestSettingsThatAreNoFile(t *testing.T) {
	config := t.TempDir()
	t.Setenv("XDG_CONFIG_HOME", config)
	require.NoError(t, os.Mkdir(filepath.Join(config, "bastel"), 0o777))
	require.NoError(t, syscall.Mkfifo(filepath.Join(config, "bastel", "settings.toml"), 0o666))
	f := opened.Feature(t)
	f.Write("a", "loose\n")
	a := opened.App(t, f.Dir)
	board, err := sorting.Of(a).Look(ctx)
	require.NoError(t, err)
	_, err = a.LeftoverLines(ctx, board.Loose)
	require.NoError(t, err)
	settings, err := a.Settings(ctx)
	require.NoError(t, err)
	assert.Contains(t, strings.Join(settings.Warnings, " "), "cannot be read")
	f.Git("add", "a")
	_, err = opened.Commit(a, "made all the same", nil)
	require.NoError(t, err)
}

// TestTraysThatCannotBeRead keep nobody from sorting.
func TestTraysThatCannotBeRead(t *testing.T) {
	f := opened.Feature(t)
	f.Write("a", "loose\n")
	f.Git("rm", "-r", "-q", "--cached", ".")
	f.Write("trays.json", "{\"Format\": \"bastel-trays/9\"}")
	f.Git("add", "-f", "trays.json")
	tree := f.Git("write-tree")
	require.NoError(t, os.Remove(filepath.Join(f.Dir, "trays.json")))
	f.Git("reset", "--quiet")
	a := opened.App(t, f.Dir)
	f.Git("update-ref", "--create-reflog", tray.Ref(a.Repo), tree)
	require.NoError(t, a.Close())
	a, note, err := app.Open(ctx, f.Dir)
	require.NoError(t, err)
	defer a.Close()
	assert.Contains(t, note, "How the trays were sorted")
	board, err := sorting.Of(a).Look(ctx)
	require.NoError(t, err)
	_, err = sorting.Of(a).Move(ctx, sorting.TrayMove{From: tray.Loose, To: tray.A + 1, Selected: tray.SelectFiles("a"), View: tray.Plain})
	require.NoError(t, err)
	assert.NotEmpty(t, board.Loose)
	assert.Contains(t, f.Read(".git/logs/"+tray.Ref(a.Repo)), tree, "what lay there is in the log")
}
