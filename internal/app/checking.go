package app

import (
	"context"
	"encoding/json"
	"errors"
	"os"
	"runtime"
	"sync"

	"golang.org/x/sync/errgroup"

	"bastel/internal/replay"
	"bastel/internal/repo"
	"bastel/internal/tray"
)

// ErrCheckFailed is a check that says no.
var ErrCheckFailed = errors.New("the check failed")

// CheckTray runs the user's check command on the exact content of the commit that a
// tray would make, after those before it, in a scratch folder. Output is told as it
// comes. Errors: ErrCheckFailed.
func (a *App) CheckTray(ctx context.Context, at tray.Layer, output func([]byte)) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if settings.Check == "" {
		if err := a.notAllowed(ctx, "bastel.check"); err != nil {
			return err
		}
		return refuse("No check command is set. Set one: git config bastel.check \"COMMAND\", or check = \"COMMAND\" in the settings.")
	}
	tree, err := a.trayTree(ctx, at)
	if err != nil {
		return pickRefusal(err)
	}
	return a.checkTree(ctx, tree, settings.Check, output)
}

// checkTree runs a command on a stored tree's content in a scratch folder.
func (a *App) checkTree(ctx context.Context, tree repo.ID, command string, output func([]byte)) error {
	dir, err := os.MkdirTemp("", "bastel-check-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	if err := a.Repo.Export(ctx, tree, dir); err != nil {
		return err
	}
	err = a.Repo.RunCheck(ctx, dir, command, output)
	var failed *repo.CheckError
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

// checksFile holds the outcomes by command and content.
const checksFile = "checks.json"

// keptOutput is how much of a check's output is kept, in bytes, and keptChecks how
// many outcomes are.
const (
	keptOutput = 8 << 10
	keptChecks = 2000
)

// CheckSteps runs the user's check command on the content of each commit that a
// forecast makes, some at a time. What was checked before is not run again. Each
// outcome is told as it comes, by the step's place.
func (a *App) CheckSteps(ctx context.Context, f *replay.Forecast, tell func(step int, c Checked)) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if settings.Check == "" {
		if err := a.notAllowed(ctx, "bastel.check"); err != nil {
			return err
		}
		return refuse("No check command is set. Set one: git config bastel.check \"COMMAND\", or check = \"COMMAND\" in the settings.")
	}
	if !f.Tip.IsZero() {
		if err := a.engine.Flush(ctx, f.Tip); err != nil {
			return err
		}
	}
	known := map[string]Checked{}
	if text := a.readState(checksFile); text != "" {
		_ = json.Unmarshal([]byte(text), &known) // what cannot be read is checked again
	}
	if len(known) > keptChecks {
		clear(known)
	}
	var mu sync.Mutex
	group, both := errgroup.WithContext(ctx)
	group.SetLimit(max(1, runtime.NumCPU()/2))
	for i, step := range f.Steps {
		if step.Commit.IsZero() {
			continue
		}
		key := checkKey(settings.Check, step.Tree)
		mu.Lock()
		before, done := known[key]
		mu.Unlock()
		if done {
			tell(i, before)
			continue
		}
		group.Go(func() error {
			var output tail
			err := a.checkTree(both, step.Tree, settings.Check, output.add)
			if err != nil && !errors.Is(err, ErrCheckFailed) {
				return err
			}
			c := Checked{err == nil, output.String()}
			mu.Lock()
			known[key] = c
			mu.Unlock()
			tell(i, c)
			return nil
		})
	}
	err = group.Wait()
	text, encodeErr := json.Marshal(known)
	return errors.Join(err, encodeErr, a.writeState(checksFile, string(text)))
}

// tail keeps the end of what is written to it.
type tail struct {
	mu   sync.Mutex
	text []byte
}

func (t *tail) add(p []byte) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.text = append(t.text, p...)
	if more := len(t.text) - keptOutput; more > 0 {
		t.text = t.text[more:]
	}
}

func (t *tail) String() string {
	t.mu.Lock()
	defer t.mu.Unlock()
	return string(t.text)
}

// trayTree stores the tree of the commit that a tray would make.
func (a *App) trayTree(ctx context.Context, at tray.Layer) (repo.ID, error) {
	head, err := a.Repo.Head(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	tree, err := a.treeOf(ctx, head.Commit)
	if err != nil {
		return repo.ID{}, err
	}
	changes, err := a.Repo.Status(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	kept, err := a.keptTrays(ctx)
	if err != nil {
		return repo.ID{}, err
	}
	var layers []tray.Layer
	for l := tray.A; l <= at; l++ {
		layers = append(layers, l)
	}
	overlay := a.Repo.NewOverlay()
	trees, _, err := tray.Settle(ctx, a.Repo, overlay, tree, changes, kept, layers)
	if err != nil {
		return repo.ID{}, err
	}
	last := trees[len(trees)-1]
	return last, overlay.Flush(ctx, last)
}
