package planning

import (
	"context"
	"encoding/json"
	"errors"
	"runtime"
	"sync"

	"bastel/internal/app"

	"golang.org/x/sync/errgroup"

	"bastel/internal/replay"
)

const keptOutput = 8 << 10

const keptChecks = 2000

// CheckSteps runs the user's check command on the content of each commit that a
// forecast makes, some at a time. What was checked before is not run again. Each
// outcome is told as it comes, by the step's place, one at a time.
func (a *App) CheckSteps(ctx context.Context, f *replay.Forecast, tell func(step int, c app.Checked)) error {
	settings, err := a.Settings(ctx)
	if err != nil {
		return err
	}
	if settings.Check == "" {
		if err := a.UnallowedRefusal(ctx, "bastel.check"); err != nil {
			return err
		}
		return app.Refuse("No check command is set. Set one: git config bastel.check \"COMMAND\", or check = \"COMMAND\" in the settings.")
	}
	if !f.Tip.IsZero() {
		if err := f.Store(ctx); err != nil {
			return err
		}
	}
	known := map[string]app.Checked{}
	if text := a.ReadState(app.ChecksFile); text != "" {
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
		key := app.CheckKey(settings.Check, step.Tree)
		mu.Lock()
		before, done := known[key]
		if done {
			tell(i, before)
		}
		mu.Unlock()
		if done {
			continue
		}
		group.Go(func() error {
			var output tail
			err := a.CheckTree(both, step.Tree, settings.Check, output.add)
			if err != nil && !errors.Is(err, app.ErrCheckFailed) {
				return err
			}
			c := app.Checked{Passed: err == nil, Output: output.String()}
			mu.Lock()
			defer mu.Unlock()
			known[key] = c
			tell(i, c)
			return nil
		})
	}
	err = group.Wait()
	text, encodeErr := json.Marshal(known)
	return errors.Join(err, encodeErr, a.WriteState(app.ChecksFile, string(text)))
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
